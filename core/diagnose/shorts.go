package diagnose

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// A short hides behind the fuse it has blown: until that is renewed, the circuit is as dead as with
// the fuse alone. Two things tell it: ohms from the shorted wire to ground with the power off, and a
// new fuse that blows again.

// blownBy names the fuses that a fault has blown on most cars before anybody looked.
func (g *Guide) blownBy(f fault.Fault) []string {
	i := slices.IndexFunc(g.suspects, func(s *suspect) bool { return s.Fault == f })
	if i < 0 {
		return nil
	}
	begun, err := g.table.Begun(i)
	if err != nil {
		return nil
	}
	var names []string
	for n, part := range g.model.Fused() {
		if blows(begun, n) && part != f.Part {
			names = append(names, part)
		}
	}
	return names
}

// isShort tells whether a fault joins what should not be joined to ground.
func isShort(f fault.Fault) bool { return f.On == fault.OnWire && f.Words == fault.Grounded }

// shortTests are the tests that tell a short among two suspects from the other.
func (g *inquiry) shortTests(suspects ...int) []probe.Test {
	var tests []probe.Test
	for _, i := range suspects {
		if f := g.suspects[i].Fault; isShort(f) {
			tests = append(tests, g.toGround(f, nil))
		}
	}
	return tests
}

// toGround is ohms from the shorted wire to the battery's negative post, with the power off and the
// fans at the wire's ends unplugged, so that no winding is taken for the short.
func (g *Guide) toGround(f fault.Fault, now []electric.Action) probe.Test {
	setup := probe.PowerOff(g.circuit, probe.Lasting(now))
	for _, fan := range g.fansAt(f) {
		setup = append(setup, electric.Action{Verb: electric.Unplugged, Part: fan})
	}
	at := f.Wire[0]
	if g.circuit.Part(at.Part).Kind() == harness.KindBattery || g.circuit.Part(at.Part).Kind() == harness.KindSplice {
		at = f.Wire[1]
	}
	post := harness.Pin{Part: g.circuit.OfKind(harness.KindBattery)[0].Name, Name: "-"}
	return probe.Test{Do: probe.Ohms, State: g.circuit.States[0], Setup: setup, At: at, From: post}
}

// fansAt are the fans that hang on a wire with nothing that opens between.
func (g *Guide) fansAt(f fault.Fault) []string {
	var fans []string
	seen := map[harness.Pin]bool{}
	queue := []harness.Pin{f.Wire[0], f.Wire[1]}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		if seen[at] {
			continue
		}
		seen[at] = true
		part := g.circuit.Part(at.Part)
		switch part.Kind() {
		case harness.KindMotor:
			if !slices.Contains(fans, part.Name) {
				fans = append(fans, part.Name)
			}
			continue
		case harness.KindSplice, harness.KindResistor, harness.KindFuse, harness.KindLimiter, harness.KindResistorCard:
			queue = append(queue, part.Pins()...)
		case harness.KindConnector:
			side := map[byte]string{'a': "b", 'b': "a"}[at.Name[0]]
			queue = append(queue, harness.Pin{Part: at.Part, Name: side + at.Name[1:]})
		}
		for _, w := range g.circuit.Wires {
			switch at {
			case w.From:
				queue = append(queue, w.To)
			case w.To:
				queue = append(queue, w.From)
			}
		}
	}
	slices.Sort(fans)
	return fans
}
