package probe

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// A short hides behind the fuse that it has blown: until that is renewed, the circuit is as dead as with
// the fuse alone. Two things tell it: ohms from the shorted wire to ground with the power off, and a new
// fuse that blows again. A wire that touches battery is told by volts that stay when whatever could feed it
// has been taken away.

// heldStates bounds in how many states a held wire is read.
const heldStates = 5

// clearlyNoShort is what a sound circuit must read, in ohms, where a short reads next to nothing.
const clearlyNoShort = 8

// HeldTests are made at a wire that a fault holds at ground or at battery: ohms to ground with the power off,
// and volts with the part at either end taken away. What the wire itself holds stays; what a switch, a relay
// or a driver held lets go.
func HeldTests(m *electric.Model, f fault.Fault, now []electric.Action) []Test {
	var tests []Test
	if !f.IsHeld() {
		return nil
	}
	c := m.Circuit
	if f.IsShort() {
		tests = append(tests, ToGround(m, f, now))
	}
	for _, at := range f.Wire {
		part := c.Part(at.Part)
		verb := electric.DetachVerb(part.Kind())
		switch part.Kind() {
		case harness.KindBattery, harness.KindGround, harness.KindMotor, harness.KindSplice:
			continue
		}
		setup := append(slices.Clone(Lasting(now)), electric.Action{Verb: verb, Part: part.Name})
		for _, s := range c.States[:min(len(c.States), heldStates)] {
			tests = append(tests, Test{Do: Volts, State: s, Setup: setup, At: at})
		}
	}
	return tests
}

// ToGround is ohms from a shorted wire to the battery's negative post, with the power off and as many fans
// unplugged as it takes, so that no winding is taken for the short.
func ToGround(m *electric.Model, f fault.Fault, now []electric.Action) Test {
	c := m.Circuit
	at := f.Wire[0]
	if kind := c.Part(at.Part).Kind(); kind == harness.KindBattery || kind == harness.KindSplice {
		at = f.Wire[1]
	}
	post := harness.Pin{Part: c.OfKind(harness.KindBattery)[0].Name, Name: "-"}
	t := Test{Do: Ohms, State: c.States[0], At: at, From: post}
	var every []string
	for _, fan := range c.Fans() {
		every = append(every, fan.Name)
	}
	for _, fans := range [][]string{nil, fansOn(c, f), every} {
		t.Setup = PowerOff(c, Lasting(now))
		for _, fan := range fans {
			t.Setup = append(t.Setup, electric.Action{Verb: electric.Unplugged, Part: fan})
		}
		which, _ := t.Instrument()
		x, err := m.Instrument(t.Setup, nil, which, t.At, t.From)
		if err == nil && x.Shows(t.State) > clearlyNoShort {
			break
		}
	}
	return t
}

// fansOn are the fans that hang on a wire with nothing that opens between.
func fansOn(c *harness.Circuit, f fault.Fault) []string {
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
		part := c.Part(at.Part)
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
		for _, w := range c.Wires {
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
