package rewire

import (
	"fmt"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// The way of the current, as one would draw it on the back of an envelope: from the battery through fuses and contacts to each fan and
// on to ground, in the state that a speed is. It is what tells two ways of making a speed apart at a glance.

// Through is a part that a fan's current goes through; Contact is which contact of a relay.
type Through struct {
	Part    string
	Kind    harness.Kind
	Contact string
}

// mostPaths is how many ways of a current are followed.
const mostPaths = 8

// Paths are the ways of the current through fans in a state, each from the battery on, ground left out.
func (p *Proposal) Paths(state string) ([][]Through, error) {
	s := p.Circuit.State(state)
	if s == nil {
		return nil, fmt.Errorf("there is no state %q", state)
	}
	at := *s
	at.Running = s.Key && !s.Cranking
	point, err := p.Model.Solve(electric.Condition{State: &at})
	if err != nil {
		return nil, fmt.Errorf("rewire: %w", err)
	}
	battery := p.Circuit.OfKind(harness.KindBattery)
	if len(battery) == 0 {
		return nil, nil
	}
	f := follower{c: p.Circuit, point: point}
	f.from(harness.Pin{Part: battery[0].Name, Name: "+"}, nil)
	return f.found, nil
}

type follower struct {
	c     *harness.Circuit
	point *electric.Point
	found [][]Through
}

// leastOfPath is what still counts as a fan's current, amps.
const leastOfPath = 0.05

// from follows the current out of a pin over wires, and into what lies at their ends.
func (f *follower) from(pin harness.Pin, so []Through) {
	for i, w := range f.c.Wires {
		amps, end := f.point.Wires[i].Amps, w.To
		if w.To == pin {
			amps, end = -amps, w.From
		} else if w.From != pin {
			continue
		}
		if amps > leastOfPath && len(f.found) < mostPaths {
			f.into(end, so)
		}
	}
}

// into goes on through a part.
func (f *follower) into(pin harness.Pin, so []Through) {
	part := f.c.Part(pin.Part)
	step := Through{Part: part.Name, Kind: part.Kind()}
	if slices.ContainsFunc(so, func(s Through) bool { return s.Part == step.Part }) && step.Kind != harness.KindSplice {
		return
	}
	switch step.Kind {
	case harness.KindGround, harness.KindBattery:
		if slices.ContainsFunc(so, func(s Through) bool { return s.Kind == harness.KindMotor }) {
			f.found = append(f.found, slices.Clone(so))
		}
		return
	case harness.KindRelay:
		if pin.Name == "85" || pin.Name == "86" { // a coil is nobody's way to a fan
			return
		}
	}
	if step.Kind == harness.KindSplice {
		f.from(pin, so)
		return
	}
	for _, next := range part.Pins() {
		if next == pin || step.Kind == harness.KindRelay && (next.Name == "85" || next.Name == "86") {
			continue
		}
		through := step
		if step.Kind == harness.KindRelay {
			through.Contact = next.Name
			if next.Name[:1] == "3" {
				through.Contact = pin.Name
			}
		}
		f.from(next, append(slices.Clone(so), through))
	}
}
