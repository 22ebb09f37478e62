package probe

import (
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Do names a kind of question: the key that its observation carries in a file.
type Do string

// The kinds of question.
const (
	LookAtFans Do = "fans"
	Volts      Do = "volts"
	Amps       Do = "amps" // by clamp
	Ohms       Do = "ohms"
	Lamp       Do = "lamp"
	LED        Do = "led"
	Relay      Do = "relay" // felt or heard

	TroubleCodes Do = "codes"
	Buzzer       Do = "buzzer"  // between two pins
	Turned       Do = "turned"  // a fan turned by hand, its motor unplugged
	Looked       Do = "looked"  // a part looked at closely: heat, corrosion
	Wiggled      Do = "wiggled" // tapped or warmed, for what comes and goes
)

// Test is one thing to try: in a state, with a whole set-up in place.
type Test struct {
	Do    Do
	State *harness.State
	Setup []electric.Action
	At    harness.Pin
	From  harness.Pin   // of volts: the black lead; the zero Pin is the battery's negative post
	With  string        // "heavy": of a lamp
	Part  string        // of tests of a part
	Of    *harness.Part // that part, where what can be said depends on its kind
}

// Key is one comparable word for a test.
func (t Test) Key() string {
	at, from := "", ""
	if t.At.Part != "" {
		at = t.At.String()
	}
	if t.From.Part != "" {
		from = t.From.String()
	}
	return strings.Join([]string{string(t.Do), t.State.Name, at, from, t.With, t.Part, SetupKey(t.Setup)}, "|")
}

// OnTheCar is the set-up that the test leaves on the car: what is done to a part on the bench is
// not done to the car.
func (t Test) OnTheCar() []electric.Action {
	if t.Do != Ohms || !t.At.Inner {
		return t.Setup
	}
	return slices.DeleteFunc(slices.Clone(t.Setup), func(a electric.Action) bool {
		return a.Verb == electric.Pack &&
			a.From.Part == t.At.Part
	})
}

// SetupWords spells a set-up: what lasts in the order in which it was done, for a part renewed
// after a swap is not the part renewed before; then the rest, sorted.
func SetupWords(setup []electric.Action) []string {
	words := make([]string, 0, len(setup))
	lasting := 0
	for _, a := range setup {
		if a.Lasts() {
			words = slices.Insert(words, lasting, a.String())
			lasting++
			continue
		}
		words = append(words, a.String())
	}
	slices.Sort(words[lasting:])
	return words
}

// SetupKey is one comparable word for a set-up.
func SetupKey(setup []electric.Action) string { return strings.Join(SetupWords(setup), ";") }

// Tests lists what can be tried: each state looked at; volts from battery negative at every
// pin with everything as it is, and at a relay's own cavities with that relay out; the drop
// under load across every wire, contact and fuse as it is. now is the set-up on the car.
func Tests(c *harness.Circuit, now []electric.Action) []Test {
	var tests []Test
	for _, setup := range setups(c, now) {
		pulled := pulledRelay(c, setup)
		asItIs := SetupKey(setup) == SetupKey(now)
		for _, s := range c.States {
			if pulled == "" || asItIs {
				tests = append(tests, Test{Do: LookAtFans, State: s, Setup: setup})
			}
			for _, p := range c.Parts {
				if pulled != "" && p.Name != pulled && !asItIs {
					continue
				}
				for _, pin := range p.Pins() {
					if reachable(c, pin) {
						tests = append(tests, Test{Do: Volts, State: s, Setup: setup, At: pin})
					}
				}
			}
			if asItIs {
				for _, d := range drops(c) {
					tests = append(tests, Test{Do: Volts, State: s, Setup: setup, At: d[0], From: d[1]})
				}
			}
		}
	}
	return tests
}

// drops lists the pairs of pins across which a loaded drop tells something: both ends of
// each wire, both sides of each contact, fuse and switch. The pin nearer the feed as drawn
// comes first.
func drops(c *harness.Circuit) [][2]harness.Pin {
	var pairs [][2]harness.Pin
	for _, w := range c.Wires {
		pairs = append(pairs, [2]harness.Pin{w.From, w.To})
	}
	for _, p := range c.Parts {
		pin := func(name string) harness.Pin { return harness.Pin{Part: p.Name, Name: name} }
		switch spec := p.Spec.(type) {
		case *harness.Motor: // the whole feed at once
			if battery := c.OfKind(harness.KindBattery); len(spec.Windings) == 0 && len(battery) > 0 {
				pairs = append(pairs, [2]harness.Pin{{Part: battery[0].Name, Name: "+"}, pin("+")})
			}
		case *harness.Relay:
			if spec.HasMake() {
				pairs = append(pairs, [2]harness.Pin{pin("30"), pin("87")})
			}
			if spec.HasRest() {
				pairs = append(pairs, [2]harness.Pin{pin("30"), pin("87a")})
			}
		case *harness.Fuse, *harness.Switch:
			pairs = append(pairs, [2]harness.Pin{pin("a"), pin("b")})
		}
	}
	return pairs
}

// pulledRelay is the one relay that is out where nothing else is apart, else empty.
func pulledRelay(c *harness.Circuit, setup []electric.Action) string {
	pulled := ""
	for _, a := range setup {
		switch {
		case a.Verb == electric.Out && pulled == "" && c.Part(a.Part).Kind() == harness.KindRelay:
			pulled = a.Part
		case !slices.Contains(Lasting(setup), a):
			return ""
		}
	}
	return pulled
}

// setups lists the set-ups worth having: as it is now, everything fitted, with the engine as the state has it, each
// relay out.
func setups(c *harness.Circuit, now []electric.Action) [][]electric.Action {
	list := [][]electric.Action{now}
	add := func(setup []electric.Action) {
		key := SetupKey(setup)
		if !slices.ContainsFunc(list, func(s []electric.Action) bool { return SetupKey(s) == key }) {
			list = append(list, setup)
		}
	}
	kept := Lasting(now)
	add(kept)
	if engine, rest := electric.EngineIn(kept); engine != "" {
		add(rest) // what charging volts hide shows once the engine stands
	}
	for _, p := range c.OfKind(harness.KindRelay) {
		add(append(slices.Clone(kept), electric.Action{Verb: electric.Out, Part: p.Name}))
	}
	return list
}

// Direct tells whether the answer is physical evidence of one part: seen, felt, or measured out of the car.
func (t Test) Direct() bool {
	return t.Do == Looked || t.Do == Turned || t.At.Inner && t.From.Inner
}

// Lasting is the part of a set-up that stays when everything is fitted and plugged in
// again: what was renewed, cleaned or swapped, and how the vehicle stands.
func Lasting(setup []electric.Action) []electric.Action {
	var kept []electric.Action
	for _, a := range setup {
		if a.Lasts() || a.Stands() {
			kept = append(kept, a)
		}
	}
	return kept
}

// reachable leaves out the battery's negative post, where the black lead sits.
func reachable(c *harness.Circuit, pin harness.Pin) bool {
	return c.Part(pin.Part).Kind() != harness.KindBattery || pin.Name != "-"
}
