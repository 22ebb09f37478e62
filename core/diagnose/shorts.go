package diagnose

import (
	"fmt"
	"slices"
	"strings"

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

// isHeld tells whether a fault holds a wire at ground or at battery.
func isHeld(f fault.Fault) bool {
	return isShort(f) || f.On == fault.OnWire && f.Words == fault.ToBattery
}

// shortTests are the tests that tell a held wire among two suspects from the other.
func (g *inquiry) shortTests(suspects ...int) []probe.Test {
	var tests []probe.Test
	for _, i := range suspects {
		tests = append(tests, g.heldTests(g.suspects[i].Fault, nil)...)
	}
	return tests
}

// heldTests are made at a wire that may be held: ohms to ground with the power off, and volts with the
// part at either end taken away. What the wire itself holds stays; what a switch, a relay or a driver
// held lets go.
func (g *Guide) heldTests(f fault.Fault, now []electric.Action) []probe.Test {
	var tests []probe.Test
	if !isHeld(f) {
		return nil
	}
	if isShort(f) {
		tests = append(tests, g.toGround(f, now))
	}
	for _, at := range f.Wire {
		part := g.circuit.Part(at.Part)
		verb := electric.DetachVerb(part.Kind())
		switch part.Kind() {
		case harness.KindBattery, harness.KindGround, harness.KindMotor, harness.KindSplice:
			continue
		}
		setup := append(slices.Clone(probe.Lasting(now)), electric.Action{Verb: verb, Part: part.Name})
		for _, s := range g.circuit.States[:min(len(g.circuit.States), heldStates)] {
			tests = append(tests, probe.Test{Do: probe.Volts, State: s, Setup: setup, At: at})
		}
	}
	return tests
}

// heldStates bounds in how many states a held wire is read.
const heldStates = 5

// toGround is ohms from the shorted wire to the battery's negative post, with the power off and as many
// fans unplugged as it takes, so that no winding is taken for the short.
func (g *Guide) toGround(f fault.Fault, now []electric.Action) probe.Test {
	at := f.Wire[0]
	if kind := g.circuit.Part(at.Part).Kind(); kind == harness.KindBattery || kind == harness.KindSplice {
		at = f.Wire[1]
	}
	post := harness.Pin{Part: g.circuit.OfKind(harness.KindBattery)[0].Name, Name: "-"}
	t := probe.Test{Do: probe.Ohms, State: g.circuit.States[0], At: at, From: post}
	for _, fans := range [][]string{nil, g.fansAt(f), g.fans} {
		t.Setup = probe.PowerOff(g.circuit, probe.Lasting(now))
		for _, fan := range fans {
			t.Setup = append(t.Setup, electric.Action{Verb: electric.Unplugged, Part: fan})
		}
		x, err := g.instrument(t, t.Setup, nil)
		if err == nil && x.Shows(t.State) > clearlyNoShort {
			break
		}
	}
	return t
}

// clearlyNoShort is what a sound circuit must read, in ohms, where a short reads next to nothing.
const clearlyNoShort = 8

// heldOf are the suspects that a wire lies against ground or battery.
func (g *Guide) heldOf(w *harness.Wire) []*suspect {
	var list []*suspect
	for _, s := range g.suspects {
		if isHeld(s.Fault) && s.Fault.Wire == [2]harness.Pin{w.From, w.To} {
			list = append(list, s)
		}
	}
	return list
}

// blowsIn is the first state in which a fault opens a fuse that is whole; nil where none does.
func (g *Guide) blowsIn(f fault.Fault, fuse string) *harness.State {
	n, err := g.model.Network(nil, []fault.Fault{f})
	bit := slices.Index(g.model.Fused(), fuse)
	if err != nil || bit < 0 {
		return nil
	}
	for _, s := range g.circuit.States {
		n.Restore()
		n.Enter(s)
		if n.Blown()>>bit&1 == 1 {
			return s
		}
	}
	return nil
}

// inspection says how a short is told from the fuse that it has blown: at the shorted wire itself, for
// from the fuse a resting contact may hide it, and by a new fuse in the state in which it blows.
func (g *Guide) inspection(f fault.Fault, fuse string) string {
	t := g.toGround(f, nil)
	words := probe.SetupWords(append([]electric.Action{{Verb: electric.Out, Part: fuse}}, t.Setup...))
	text := fmt.Sprintf("%s: ohms from %s to battery negative; near nothing is the short.", strings.Join(words, ", "), t.At)
	if s := g.blowsIn(f, fuse); s != nil {
		text += fmt.Sprintf(" A new fuse that blows again in %s says the same.", s.Name)
	}
	return text
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
