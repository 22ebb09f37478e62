package study

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// textbook gives the place of every test of a circuit in the fixed order.
func textbook(c *harness.Circuit) func(t probe.Test) int {
	places := map[string]int{}
	for i, p := range c.Parts {
		places[p.Name] = i
	}
	return func(t probe.Test) int { return textbookPlace(c, places, t) }
}

func textbookPlace(c *harness.Circuit, places map[string]int, t probe.Test) int {
	const place = 1000
	state := slices.Index(c.States, t.State)
	switch t.Kind().(type) {
	case probe.Looking:
		for _, a := range t.Setup {
			switch a.Verb {
			case electric.Swapped, electric.Jumper:
				return 3*place + state
			case electric.Pack:
				return 4*place + state
			}
		}
		return 1 + state
	case probe.Worded:
		switch _, laid := t.Instrument(); {
		case laid:
		case t.Part == "":
			return 0 // codes
		default:
			return 35*place/10 + state // felt, turned, looked at: in its turn, beside the part
		}
	}
	part := c.Part(t.At.Part)
	out := slices.Contains(t.Setup, electric.Action{Verb: electric.Out, Part: t.At.Part})
	at := 10*places[t.At.Part] + state
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
