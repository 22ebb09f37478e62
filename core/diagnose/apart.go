package diagnose

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Two suspects can be told apart where some test gives them clearly different answers.

// tellApart judges a pair of suspects by every test that could be made from a car with
// everything fitted, as it came in. The verdict is kept: it does not depend on the evidence.
func (in *inquiry) tellApart(i, j int) (bool, error) {
	if in.guide.suspects[i].Unknown || in.guide.suspects[j].Unknown {
		return true, nil
	}
	key := [2]int{min(i, j), max(i, j)}
	if known, ok := in.guide.apart.find(key); ok {
		return known, nil
	}
	q, err := in.asItCame()
	if err != nil {
		return false, err
	}
	apart, err := q.differ(i, j)
	if err != nil {
		return false, err
	}
	in.guide.apart.keep(key, apart)
	return apart, nil
}

// differ looks for a test that two suspects answer differently. Most pairs are clearly apart by the volts
// at some pin with everything fitted; only for the rest is every test looked at.
func (in *inquiry) differ(i, j int) (bool, error) {
	p, err := in.pageFor(nil, []int{i, j})
	if err != nil {
		return false, err
	}
	if p.of[i].ClearlyApart(p.of[j]) {
		return true, nil
	}
	for _, t := range append(in.testsFor(i, j), in.heldTests(i, j)...) {
		apart, err := in.answers(t, []int{i, j}).differ(i, j)
		if err != nil {
			return false, err
		}
		if apart {
			return true, nil
		}
	}
	return false, nil
}

// testsFor are the tests that could tell two suspects apart: all of them, but on a circuit of many relays
// an empty socket only where it is near one of the two.
func (in *inquiry) testsFor(i, j int) []probe.Test {
	if len(in.guide.circuit.OfKind(harness.KindRelay)) < manyRelays {
		return slices.Clone(in.guide.tests)
	}
	near := map[string]bool{}
	for _, s := range []*suspect{in.guide.suspects[i], in.guide.suspects[j]} {
		for _, part := range append(s.Fault.Parts(), s.Fault.Wire[0].Part, s.Fault.Wire[1].Part, s.Fault.Other[0].Part, s.Fault.Other[1].Part) {
			near[part] = true
			for _, w := range in.guide.circuit.Wires {
				switch part {
				case w.From.Part:
					near[w.To.Part] = true
				case w.To.Part:
					near[w.From.Part] = true
				}
			}
		}
	}
	return slices.DeleteFunc(slices.Clone(in.guide.tests), func(t probe.Test) bool {
		return slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == electric.Out && !near[a.Part] })
	})
}

// heldTests are the tests that tell a held wire among the suspects from the others.
func (in *inquiry) heldTests(which ...int) []probe.Test {
	var tests []probe.Test
	for _, i := range which {
		tests = append(tests, probe.HeldTests(in.guide.model, in.guide.suspects[i].Fault, nil)...)
	}
	return tests
}
