package diagnose

import (
	"cmp"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// textbookOrder places a test in the fixed order.
func (g *Guide) textbookOrder(t probe.Test) int {
	const place = 1000
	state := g.stateIndex(t.State)
	if t.Do == probe.LookAtFans {
		for _, a := range t.Setup {
			switch a.Verb {
			case electric.Swapped, electric.Jumper:
				return 3*place + state
			case electric.Pack:
				return 4*place + state
			}
		}
		return 1 + state
	}
	switch t.Do {
	case probe.Codes:
		return 0
	case probe.Relay, probe.Turned, probe.Looked, probe.Wiggled:
		return 35*place/10 + state // felt, turned, looked at: in its turn, beside the part
	}
	part := g.circuit.Part(t.At.Part)
	out := slices.Contains(t.Setup, electric.Action{Verb: electric.Out, Part: t.At.Part})
	at := 10*g.placeOf[t.At.Part] + state
	switch kind := part.Kind(); {
	case t.From.Part != "" && t.From.Part != t.At.Part:
		return 8*place + at
	case kind == harness.KindFuse && t.From.Part == "":
		return 1*place + at
	case kind == harness.KindRelay && out:
		return 2*place + at
	case kind == harness.KindRelay:
		return 3*place + at
	case kind == harness.KindMotor:
		return 4*place + at
	case kind == harness.KindController, kind == harness.KindFanModule, kind == harness.KindPWMModule, kind == harness.KindSpeedController:
		return 6*place + at
	}
	return 5*place + at
}

// byTextbook puts tests that tell something into the fixed order.
func (g *Guide) byTextbook(list []scored) {
	slices.SortStableFunc(list, func(a, b scored) int {
		return cmp.Compare(g.textbookOrder(a.test), g.textbookOrder(b.test))
	})
}
