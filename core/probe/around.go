package probe

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Around lists the tests a technician makes at one suspected part: a relay felt, swapped with
// an identical neighbour, bridged, put on the bench; a motor fed directly, clamped, turned by
// hand; the part looked at closely and wiggled.
func Around(c *harness.Circuit, now []electric.Action, part *harness.Part) []Test {
	kept := Lasting(now)
	off := c.States[0]
	tests := []Test{
		{Do: Looked, State: off, Setup: now, Part: part.Name, Of: part},
		{Do: Wiggled, State: off, Setup: now, Part: part.Name},
	}
	switch spec := part.Spec.(type) {
	case *harness.Relay:
		tests = append(tests, aroundRelay(c, kept, now, part.Name, spec)...)
	case *harness.Motor:
		tests = append(tests, aroundMotor(c, kept, now, part.Name, spec)...)
	case *harness.Fuse, *harness.Resistor, *harness.Limiter: // open from end to end, out of its place
		tests = append(tests, endToEnd(c, now, part))
	case *harness.Sensor: // its ohms against its curve, cold and hot
		pins := part.Pins()
		unplugged := electric.Action{Verb: electric.Unplugged, Part: part.Name}
		for _, s := range c.States {
			if s.Coolant != nil && len(pins) == 2 {
				tests = append(tests, Test{
					Do: Ohms, State: s, Setup: with(kept, unplugged),
					At: harness.Pin{Part: part.Name, Name: pins[0].Name, Inner: true}, From: harness.Pin{Part: part.Name, Name: pins[1].Name, Inner: true},
				})
			}
		}
	}
	for _, k := range kinds {
		if kind, ok := k.(interface {
			around(c *harness.Circuit, now []electric.Action, part *harness.Part) []Test
		}); ok {
			tests = append(tests, kind.around(c, now, part)...)
		}
	}
	return tests
}

// endToEnd is ohms of a part with two ends, out of its place.
func endToEnd(c *harness.Circuit, now []electric.Action, part *harness.Part) Test {
	setup, out := now, electric.Action{Verb: electric.DetachVerb(part.Kind()), Part: part.Name}
	if !slices.Contains(now, out) {
		setup = with(now, out) // what else is out may stay so: the part in the hand does not know of it
	}
	pins := part.Pins()
	return Test{Do: Ohms, State: c.States[0], Setup: setup, At: within(pins[0]), From: within(pins[1])}
}

// within is a pin on the part itself.
func within(pin harness.Pin) harness.Pin { pin.Inner = true; return pin }

// AnyTime lists the tests that can be made however the car stands, without touching it.
func AnyTime(c *harness.Circuit, now []electric.Action) []Test {
	return []Test{{Do: TroubleCodes, State: c.States[0], Setup: Lasting(now)}}
}

// Along is the continuity of a wire, pin to pin with the power off: open where it is broken or
// crossed with another.
func Along(c *harness.Circuit, now []electric.Action, w *harness.Wire) Test {
	return Between(c, now, w.From, w.To)
}

// Between is the continuity from one pin to another with the power off. Parallel paths count.
// Where the battery is still on, what else is out goes back first.
func Between(c *harness.Circuit, now []electric.Action, one, other harness.Pin) Test {
	if !slices.Contains(now, batteryOff(c)) {
		now = Lasting(now)
	}
	return Test{Do: Ohms, State: c.States[0], Setup: PowerOff(c, now), At: one, From: other}
}

// PowerOff is a set-up with the battery taken off.
func PowerOff(c *harness.Circuit, setup []electric.Action) []electric.Action {
	_, setup = electric.EngineIn(setup) // it stops with its battery off
	if off := batteryOff(c); !slices.Contains(setup, off) {
		return with(setup, off)
	}
	return setup
}

// batteryOff takes the battery off, which every circuit has.
func batteryOff(c *harness.Circuit) electric.Action {
	return electric.Action{Verb: electric.Apart, Part: c.OfKind(harness.KindBattery)[0].Name}
}

func with(kept []electric.Action, more ...electric.Action) []electric.Action {
	return append(slices.Clone(kept), more...)
}

func aroundRelay(c *harness.Circuit, kept, now []electric.Action, name string, spec *harness.Relay) []Test {
	pin := func(n string) harness.Pin { return harness.Pin{Part: name, Name: n} }
	inner := func(n string) harness.Pin { return harness.Pin{Part: name, Name: n, Inner: true} }
	out := electric.Action{Verb: electric.Out, Part: name}
	var tests []Test
	everyState := func(t Test) {
		for _, s := range c.States {
			t.State = s
			tests = append(tests, t)
		}
	}
	if !slices.Contains(now, out) {
		everyState(Test{Do: Relay, Setup: now, Part: name})
	}
	if swap, ok := Neighbour(c, kept, name); ok {
		everyState(Test{Do: LookAtFans, Setup: with(kept, swap)})
	}
	if spec.HasMake() {
		everyState(Test{Do: LookAtFans, Setup: with(kept, out, electric.Action{Verb: electric.Jumper, From: pin("30"), To: pin("87")})})
	}
	bench := func(a, b string, energised bool) {
		tests = append(tests, Test{Do: Ohms, State: c.States[0], Setup: benchSetup(c, now, name, energised), At: inner(a), From: inner(b)})
	}
	bench("86", "85", false)
	for _, pole := range spec.Poles() { // every pole is a contact of its own
		if spec.HasMake() {
			bench("30"+pole, "87"+pole, true)
			bench("30"+pole, "87"+pole, false)
		}
		if spec.HasRest() {
			bench("30"+pole, "87a"+pole, false)
		}
	}
	return tests
}

func aroundMotor(c *harness.Circuit, kept, now []electric.Action, name string, spec *harness.Motor) []Test {
	unplugged := electric.Action{Verb: electric.Unplugged, Part: name}
	off := c.States[0]
	tests := []Test{{Do: Turned, State: off, Setup: with(kept, unplugged), Part: name}}
	direct := func(pairs ...[2]string) {
		setup := with(kept, unplugged)
		for _, pair := range pairs {
			setup = append(setup, Direct(name, pair[0], pair[1]))
		}
		tests = append(tests, Test{Do: LookAtFans, State: off, Setup: setup})
	}
	if len(spec.Windings) == 0 {
		direct([2]string{"+", "-"})
	}
	var all [][2]string
	for _, w := range spec.Windings {
		direct([2]string{w.Plus, w.Minus})
		all = append(all, [2]string{w.Plus, w.Minus})
	}
	if len(all) > 1 { // both at once, as high feeds them on many
		direct(all...)
	}
	if slices.Contains(now, unplugged) {
		return tests
	}
	for _, s := range c.States {
		for _, pin := range c.Part(name).Pins() {
			if pin.Name == "+" || len(spec.Windings) > 0 && pin.Name != "-" {
				tests = append(tests, Test{Do: Amps, State: s, Setup: now, At: pin})
			}
		}
	}
	return tests
}

// Direct is a battery pack, fused, on two pins of a part that is unplugged.
func Direct(part, plus, minus string) electric.Action {
	inner := func(name string) harness.Pin { return harness.Pin{Part: part, Name: name, Inner: true} }
	return electric.Action{Verb: electric.Pack, From: inner(plus), To: inner(minus)}
}

// Neighbour finds an identical relay to swap with that has not changed places yet.
func Neighbour(c *harness.Circuit, kept []electric.Action, name string) (electric.Action, bool) {
	moved := func(part string) bool {
		return slices.ContainsFunc(kept, func(a electric.Action) bool { return a.Part == part || a.Other == part })
	}
	part := c.Part(name)
	for _, other := range c.OfKind(harness.KindRelay) {
		if other != part && !moved(name) && !moved(other.Name) && electric.Identical(part, other) {
			a := electric.Action{Verb: electric.Swapped, Part: name, Other: other.Name}
			if other.Name < name {
				a.Part, a.Other = a.Other, a.Part // one spelling for one swap
			}
			return a, true
		}
	}
	return electric.Action{}, false
}
