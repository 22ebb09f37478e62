package demo

import (
	"time"

	"ironthread/core/probe"
)

func look(after int, state, m1, m2 string) event {
	return event{after: after, seen: &probe.Observation{State: state, Fans: map[string]string{"M1": m1, "M2": m2}}}
}

func volts(after int, state, at string, v float64) event {
	return event{after: after, seen: &probe.Observation{State: state, Volts: &probe.Reading{Figure: v}, At: at}}
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
			{after: 6, did: "F1 renewed"},
			look(2, "high", "fast", "fast"),
			look(1, "low", "slow", "slow"),
			{after: 15, closed: "F1 open, its blade green with salt. Renewed, cavity cleaned; both fans ran through a full warm-up."},
		},
	},
	{
		vehicle: "Verge mower", harness: twin, title: "no low since the wash", who: "Ansa Pell", ago: 26 * time.Hour,
		events: []event{
			look(2, "low", "stopped", "stopped"),
			{after: 4, note: "K3 is the wettest of the three: renewed on suspicion."},
			{after: 8, did: "K3 renewed"},
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
