package demo

import (
	"time"

	"ironthread/core/job"
	"ironthread/core/probe"
)

func saw(after int, o probe.Observation) event { return event{after: after, seen: &o} }

func look(after int, state, m1, m2 string) event {
	return saw(after, probe.Seen(state, probe.Fans{"M1": m1, "M2": m2}))
}

func one(after int, state, m1 string) event {
	return saw(after, probe.Seen(state, probe.Fans{"M1": m1}))
}

func volts(after int, state, at string, v float64) event {
	return saw(after, probe.Read(state, probe.InVolts.Shows(v), at))
}

const twin = "f3-twin-series-parallel"

// stories are jobs at each stage: closed, misled at first, half-way with the ledger not
// empty, and just begun.
var stories = []story{
	{
		vehicle: "Gritter 9", harness: twin, title: "boils on the long hill", who: "Oda Brenn", ago: 8 * 24 * time.Hour,
		events: []event{
			look(3, "high", "stopped", "fast"),
			look(1, "low", "stopped", "stopped"),
			{after: 2, note: "Bonnet box cleaned before touching it; green salt round F1."},
			volts(2, "high", "F1.a", 12.3),
			volts(1, "high", "F1.b", 0.0),
			{after: 6, repaired: &job.Repair{Action: "F1 renewed", Fault: "F1 open", Proven: true, Text: "new fuse, cavity cleaned",
				Parts: "cartridge fuse 30 A", Minutes: 6}},
			{after: 9, verified: "F1 open, its blade green with salt. Replaced, cavity cleaned; both fans ran through a full warm-up."},
		},
	},
	{
		vehicle: "Gritter 4", harness: "f4-dropping-resistor", title: "no slow speed", who: "Rurik Dahl", ago: 21 * 24 * time.Hour,
		events: []event{
			one(4, "low", "stopped"),
			one(1, "high", "fast"),
			volts(3, "low", "R1.a", 12.1),
			volts(2, "low", "R1.b", 0),
			{after: 20, repaired: &job.Repair{Action: "R1 renewed", Fault: "R1 open", Proven: true,
				Text: "new resistor, bolted into the airflow", Parts: "dropping resistor", Minutes: 22}},
			{after: 10, verified: "R1 open; it had hung loose outside its airflow."},
		},
	},
	{
		vehicle: "Tide-gate pump truck", harness: "f1-one-relay", title: "fan never starts", who: "Oda Brenn", ago: 34 * 24 * time.Hour,
		events: []event{
			one(3, "hot", "stopped"),
			{after: 4, repaired: &job.Repair{Action: "K1 renewed", Fault: "K1 coil open", Text: "tried a new relay", Parts: "relay", Minutes: 3}},
			one(2, "hot", "stopped"),
			volts(4, "hot", "M1.+", 12.1),
			volts(1, "hot", "M1.-", 12.0),
			{after: 12, repaired: &job.Repair{Action: "G1 renewed", Fault: "G1 open", Proven: true, Text: "joint cleaned to metal, greased",
				Minutes: 12}},
			{after: 8, verified: "Ground joint eaten away under its paint; the relay was innocent."},
		},
	},
	{
		vehicle: "Library bus", harness: twin, title: "fan cut out once on the ferry", who: "Ansa Pell", ago: 15 * 24 * time.Hour,
		events: []event{
			look(5, "high", "fast", "fast"),
			look(1, "low", "slow", "slow"),
			{after: 40, closed: "Ran an hour without it; wiring tapped and wiggled, nothing changed."},
		},
	},
	{
		vehicle: "Verge mower", harness: twin, title: "no low since the wash", who: "Ansa Pell", ago: 26 * time.Hour,
		events: []event{
			look(2, "low", "stopped", "stopped"),
			{after: 4, note: "K3 is the wettest of the three: replaced on suspicion."},
			{after: 8, repaired: &job.Repair{Action: "K3 renewed", Fault: "K3 coil open", Text: "new relay", Parts: "changeover relay", Minutes: 5}},
			look(2, "low", "stopped", "stopped"),
			look(1, "high", "fast", "fast"),
			volts(2, "low", "F3.a", 12.2),
		},
	},
	{
		vehicle: "Library bus", harness: twin, title: "fans run flat out or not at all", who: "Ansa Pell", ago: 50 * time.Minute,
		events: []event{
			look(3, "high", "fast", "fast"),
			look(1, "low", "stopped", "stopped"),
			{after: 2, did: "K1 out"},
			volts(1, "low", "K1.30", 12.4),
		},
	},
	{
		vehicle: "Gritter 6", harness: twin, title: "runs on high, not on low", who: "Rurik Dahl", ago: 6 * time.Minute,
	},
}
