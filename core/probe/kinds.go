package probe

import (
	"cmp"
	"errors"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// kinds is every kind there is.
var kinds = []Kind{look{}, volts{}, amps{}, ohms{}, lamp{}, led{}, buzzer{}, click{}, codes{}, turned{}, looked{}, wiggled{}, infrared{}}

// Of is the kind of that name; nil for a name that is none.
func Of(do Do) Kind {
	for _, k := range kinds {
		if k.Do() == do {
			return k
		}
	}
	return nil
}

// Kind is the kind of a test; nil for a pin that cannot be reached.
func (t Test) Kind() Kind { return Of(t.Do) }

// Instrument is what a test lays on the circuit; false for a test without one.
func (t Test) Instrument() (electric.Instrument, bool) {
	if laid, ok := t.Kind().(interface {
		instrument(t Test) electric.Instrument
	}); ok {
		return laid.instrument(t), true
	}
	return "", false
}

// Question is what the test asks, by names.
func (t Test) Question() Question {
	q := Question{Do: t.Do, State: t.State.Name, Setup: SetupWords(t.Setup)}
	t.Kind().where(t, &q)
	return q
}

// Choice is a test that is offered by name, at pins or at a part.
type Choice struct {
	Word, Label string

	atPart bool
	rank   int // its place in the list
}

// LeadTests are those with leads, or a clamp, at pins.
func LeadTests() []Choice { return menu(false) }

// PartTests are those of one part.
func PartTests() []Choice { return menu(true) }

func menu(atPart bool) []Choice {
	var list []Choice
	for _, k := range kinds {
		for _, c := range k.menu() {
			if c.atPart == atPart {
				list = append(list, c)
			}
		}
	}
	slices.SortStableFunc(list, func(a, b Choice) int { return cmp.Compare(a.rank, b.rank) })
	return list
}

// Teller is who puts a question into words: it knows the circuit, and how the car stands.
type Teller interface {
	Title(format string, args ...any)
	Step(words ...string)
	Caution(words ...string)

	Circuit() *harness.Circuit
	Asked() string                // the state, as titles say it: "low commanded"
	With() string                 // what is special about the set-up, as titles say it: ", K1 out"
	InCommand() bool              // the fans may run by a command, or by themselves
	Place(part string) string     // " (under the dash)", empty where it is not known
	Where(pin harness.Pin) string // where a lead goes: pin, place, colour of the wire
	Side(pin harness.Pin) string  // the pin, and for a fuse or a switch the part that it faces
}

// Answered is the question with an answer as people type it, or choose it among words. A look has an answer for each fan, and is
// none of these.
func (q Question) Answered(text string) (Observation, error) {
	o := Observation{Question: q}
	var err error
	switch k := q.Kind().(type) {
	case Typed:
		o.Answer, err = k.Type(text)
	case Worded:
		o.Answer = k.Say(text)
	case Figured:
		var r Reading
		r, err = k.Unit().Parse(text)
		o.Answer = Figure{r, k.Unit()}
	default:
		err = errors.New("it is not clear what was read; choose a test and record it again")
	}
	return o, err
}
