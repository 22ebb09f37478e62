package repair

import (
	"fmt"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Cooling is what is left of the fans under a fault, state by state.
type Cooling struct {
	State   string  `json:"state"`
	Healthy string  `json:"healthy"`
	Now     string  `json:"now"`
	Air     float64 `json:"air"`  // of the air that the fans move in health in their best state
	Full    float64 `json:"full"` // the same in health, in this state
}

// Driving says whether the car may be driven with the fault in it.
type Driving struct {
	States  []Cooling `json:"states"`
	Verdict string    `json:"verdict"`
	Helps   []string  `json:"helps"`
	Never   []string  `json:"never"`
}

// CanDrive works out what cooling remains with these faults in the car.
func CanDrive(m *electric.Model, setup []electric.Action, faults []fault.Fault) (*Driving, error) {
	d := &Driving{}
	well, err := m.Network(nil, nil)
	if err != nil {
		return nil, err
	}
	best := 0.0
	full := make([]float64, len(m.Circuit.States))
	words := make([]string, len(m.Circuit.States))
	for k, s := range m.Circuit.States {
		well.Rest()
		well.Enter(s)
		full[k], words[k] = air(m, well), fansWords(wordsOf(m, well))
		best = math.Max(best, full[k])
	}
	if best == 0 {
		return nil, fmt.Errorf("no state of this circuit runs a fan")
	}
	left, err := remaining(m, setup, faults)
	if err != nil {
		return nil, err
	}
	most, always := 0.0, false
	for k, s := range m.Circuit.States {
		d.States = append(d.States, Cooling{State: s.Name, Healthy: words[k], Now: left[k].words, Air: left[k].air / best, Full: full[k] / best})
		most = math.Max(most, left[k].air/best)
		always = always || full[k] == 0 && left[k].air/best > noAir
	}
	d.Verdict = verdict(most, always)
	d.Helps = helps(m, setup, faults, left, best)
	d.Never = []string{
		"Never a larger fuse, not even for the way home; never an unfused bridge.",
		"Never open a hot cooling system.",
		"No hand near a fan: it may start with the key off. Unplug its motor first.",
	}
	return d, nil
}

func verdict(most float64, always bool) string {
	switch {
	case always:
		return "The fans run when they should not: it cools, and drains the battery standing. Pull the fan fuse when parked, and refit it " +
			"before driving."
	case most < noAir:
		return "No fan runs in any state: only the wind of driving cools. Not in traffic, not standing with the engine running, no towing; " +
			"stop when the gauge climbs (common practice)."
	case most < enoughAir:
		return "A weak fan is left: an open road will do, traffic and hills in heat will not; watch the temperature itself, a damped gauge " +
			"hides it (common practice)."
	}
	return "Most of the air is left in at least one state: it can be driven with an eye on the temperature until it is mended (common " +
		"practice)."
}

type rest struct {
	words string
	air   float64
}

func remaining(m *electric.Model, setup []electric.Action, faults []fault.Fault) ([]rest, error) {
	n, err := m.Network(setup, faults)
	if err != nil {
		return nil, err
	}
	for _, s := range m.Circuit.States {
		n.Rest()
		n.Enter(s)
	}
	var list []rest
	for _, s := range m.Circuit.States {
		n.Rest()
		n.Enter(s)
		list = append(list, rest{fansWords(wordsOf(m, n)), air(m, n)})
	}
	return list, nil
}

// air is what the fans move together: flow goes with speed.
func air(m *electric.Model, n *electric.Network) float64 {
	shares := make([]float32, len(m.Circuit.Fans()))
	n.FanShares(shares)
	sum := 0.0
	for _, s := range shares {
		sum += math.Max(0, float64(s))
	}
	return sum
}

// helps finds by trying which relay may be borrowed, which bridge runs a fan, and what the
// controller can be made to ask for.
func helps(m *electric.Model, setup []electric.Action, faults []fault.Fault, left []rest, best float64) []string {
	var list []string
	c := m.Circuit
	try := func(text string, more ...electric.Action) {
		got, err := remaining(m, append(slices.Clone(setup), more...), faults)
		if err != nil {
			return
		}
		state, gain := "", gains*best
		for k, r := range got {
			if r.air-left[k].air > gain {
				state, gain = fmt.Sprintf("%s in %s", r.words, c.States[k].Name), r.air-left[k].air
			}
		}
		if state != "" {
			list = append(list, fmt.Sprintf("%s: then %s.", text, state))
		}
	}
	done := map[electric.Action]bool{}
	for _, p := range c.OfKind(harness.KindRelay) {
		if swap, ok := probe.Neighbour(c, probe.Lasting(setup), p.Name); ok && !done[swap] {
			done[swap] = true
			try(fmt.Sprintf("Borrow: %s and %s change places", swap.Part, swap.Other), swap)
		}
	}
	for _, p := range c.OfKind(harness.KindRelay) {
		if p.Spec.(*harness.Relay).HasMake() {
			try(fmt.Sprintf("A FUSED lead from 30 to 87 in the socket of %s, its relay out, taken away when parked", p.Name),
				electric.Action{Verb: electric.Out, Part: p.Name},
				electric.Action{Verb: electric.Jumper, From: harness.Pin{Part: p.Name, Name: "30"}, To: harness.Pin{Part: p.Name, Name: "87"}})
		}
	}
	for _, p := range c.OfKind(harness.KindSensor) {
		if slices.ContainsFunc(c.Strategy, func(r *harness.Rule) bool { return slices.Contains(r.Or, harness.NoSensor) }) {
			try(fmt.Sprintf("%s unplugged (the controller then fails safe; gauge and controller are blind to real heat)", p.Name),
				electric.Action{Verb: electric.Unplugged, Part: p.Name})
		}
	}
	if words := withAC(m, setup, faults, best); words != "" {
		list = append(list, "A/C on: then "+words+". It adds heat of its own.")
	}
	return append(list, "Heater full on with its blower carries heat away (common practice).")
}

// withAC is what the fans do with the engine cool and the A/C asked for; empty where that
// brings no air.
func withAC(m *electric.Model, setup []electric.Action, faults []fault.Fault, best float64) string {
	c := m.Circuit
	if !slices.ContainsFunc(c.Strategy, func(r *harness.Rule) bool { return slices.Contains(r.Or, "ac") }) {
		return ""
	}
	cool := float64(coldest)
	state := harness.State{Name: "A/C", Key: true, Running: true, AC: true, Coolant: &cool}
	n, err := m.Network(setup, faults)
	if err != nil {
		return ""
	}
	for _, s := range c.States {
		n.Rest()
		n.Enter(s)
	}
	n.Rest()
	n.Enter(&state)
	if air(m, n) <= noAir*best {
		return ""
	}
	return fansWords(wordsOf(m, n))
}
