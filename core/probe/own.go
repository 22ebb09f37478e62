package probe

import (
	"fmt"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Tests that a technician chooses for themselves: with leads on pins, or of one part, by the names under
// which a page offers them.

// Names of tests of a part that are not kinds of their own.
const (
	bySwap   = "swap"
	byBridge = "bridge"
	direct   = "direct"
	coilOhms = "coil"
	makeOhms = "make"
	welded   = "welded"
	restOhms = "rest"
	curve    = "curve"
)

// WithLeads is a test of a person's own choice at pins, as the car stands; do is one of [LeadTests], a look or
// the codes. Ohms ask for the power to be off.
func WithLeads(c *harness.Circuit, do string, state *harness.State, now []electric.Action, leads [2]string) (Test, error) {
	at, from := leads[0], leads[1]
	q := Question{Do: Do(do), State: state.Name, Setup: SetupWords(now), At: at, From: from}
	switch {
	case do == heavy:
		q.Do, q.With = Lamp, heavy
	case q.Do == Amps:
		q.With, q.From = from, "" // a clamp has no second lead, but it may go round a second wire
	}
	t, err := q.Test(c)
	if err != nil {
		return t, err
	}
	switch {
	case t.At.Part == "" || t.Kind().InState():
	case !t.At.Inner && !t.From.Inner:
		t.Setup = PowerOff(c, t.Setup)
	case t.At.Part != t.From.Part:
		return t, fmt.Errorf("out of the car, ohms are read between two terminals of one part, not from %s to %s", t.At, t.From)
	default:
		if out := (electric.Action{Verb: electric.DetachVerb(c.Part(t.At.Part).Kind()), Part: t.At.Part}); !slices.Contains(t.Setup, out) {
			t.Setup = with(t.Setup, out)
		}
	}
	return t, nil
}

// OfPart is a test of a person's own choice of one part, by its name among [PartTests].
func OfPart(c *harness.Circuit, word string, state *harness.State, now []electric.Action, name string) (Test, error) {
	part := c.Part(name)
	if part == nil {
		return Test{}, fmt.Errorf("there is no part %s", harness.Clipped(name, maxKey))
	}
	tests := append([]Test{
		{Do: Looked, State: state, Setup: now, Part: name, Of: part}, {Do: Wiggled, State: state, Setup: now, Part: name},
	}, Around(c, now, part)...)
	for _, made := range tests {
		if named(c, made) == word && (made.State == state || !madeInState(word, made)) {
			return made, nil
		}
	}
	return Test{}, fmt.Errorf("this cannot be done with %s now (%s)", name, part.Kind())
}

// madeInState tells whether a test by that name is one of its state alone: a sensor's curve is met at the heat of a state, and a
// fan that is fed directly runs in each.
func madeInState(word string, t Test) bool {
	switch word {
	case curve:
		return true
	case direct:
		return false
	}
	return t.Kind().InState()
}

// named is the name of a test of a part among [PartTests].
func named(c *harness.Circuit, t Test) string {
	has := func(v electric.Verb) bool {
		return slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == v })
	}
	switch kind := t.Kind().(type) {
	case Looking:
		switch {
		case has(electric.Pack):
			return direct
		case has(electric.Jumper):
			return byBridge
		case has(electric.Swapped):
			return bySwap
		}
	case Figured:
		switch {
		case kind.InState():
		case c.Part(t.At.Part).Kind() == harness.KindSensor:
			return curve
		case t.At.Name == "86":
			return coilOhms
		case t.From.Name == "87a":
			return restOhms
		case has(electric.Pack):
			return makeOhms
		default:
			return welded
		}
	}
	return string(t.Do)
}
