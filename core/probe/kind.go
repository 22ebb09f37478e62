package probe

import (
	"fmt"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// A question put to a car is of one kind: volts at a pin, a fan turned by hand, the fault codes. All that
// is special about a kind stands in one file of this package, behind the interfaces below: how its answer
// is written and read, where the leads go, what it costs, what a car shows, and how it is said. The log, the
// pages and the guide only know the interfaces, so that a further kind is a further file and an entry in kinds.

// Kind is one kind of question. Every kind is also one of [Looking], [Worded] or [Figured], by the shape of
// its answer.
type Kind interface {
	// Do names the kind.
	Do() Do
	// InState tells whether the question is asked in a state: making the test brings the car into it.
	InState() bool

	// Of the question and its answer, as they are written.

	keys() keys                                                  // what they stand under in a file
	where(t Test, q *Question)                                   // says where: pins, part, instrument
	asked(c *harness.Circuit, q *Question, t Test) (Test, error) // reads where, and checks it
	line(o *Observation) string                                  // the answer as the log says it

	// Of the test.

	minutes(c *harness.Circuit, t Test) float64 // with set-up and state as they must be
	tool() string                               // what is taken in hand, empty: nothing
	within(k Kit) bool                          // the kit has that
	risk() int                                  // how near a hand comes to what may start
	menu() []Choice                             // the names under which a page offers it
	// Tell puts the question into words for whoever goes to the car.
	Tell(to Teller, t Test)
}

// keys are those of a kind in an observations file: of its answer, and of the part that it is about, if it is about one.
type keys struct{ answer, part string }

// marks is the key by which an observation is known to be of the kind.
func (k keys) marks() string {
	if k.part != "" {
		return k.part
	}
	return k.answer
}

// Looking is a kind that is answered by what each fan does.
type Looking interface {
	Kind
	looks()
}

// Worded is a kind that is answered in one of a few words.
type Worded interface {
	Kind
	// Words are the answers that a test has; the first is that of a healthy car where nothing is known of it.
	Words(t Test) []string
	// Say is a word as the answer.
	Say(word string) Answer
	// Chances are those of each word on a car.
	Chances(s Subject, t Test, into []float64) error
}

// Typed is a worded kind whose answer is typed rather than chosen.
type Typed interface {
	Worded
	// Type reads an answer as people type it.
	Type(text string) (Answer, error)
	// Asks is what a page writes over the place where it is typed, and within it.
	Asks() (label, example string)
}

// Figured is a kind that is answered by a meter's figure.
type Figured interface {
	Kind
	// Unit is what the meter is set to.
	Unit() *Unit
	// Means is the figure that a reading stands for: NaN for nothing there, +Inf for an open line.
	Means(r *Reading) float64
	// Display is what the meter shows of a figure.
	Display(v float64) Figure
	// Fineness tells how finely the figure is read, on the scale of Scaled.
	Fineness(t Test) Fineness
	// Alike are the figures that a display can show, as likely as each other, where the car has this one: what the
	// leads add is not always known.
	Alike(o *Observation, v float64) []float64
	// Blur is how much wider than its fineness a display is at a figure, on the scale of Scaled.
	Blur(o *Observation, v float64) float64
	// Scaled puts a figure on the scale on which two are compared.
	Scaled(v float64) float64
	// Spell words a figure on that scale.
	Spell(v float64) string
	// Known is the figure among those of a car in its state, where no instrument need be laid on for it.
	Known(c *harness.Circuit, t Test) (Quantity, bool)
}

// Subject is a car that can be asked, a real one or one that is foretold.
type Subject interface {
	// Faults is what is wrong with it.
	Faults() []fault.Fault
	// Nominal is what its supply is called by, volts: 12 or 24.
	Nominal() float64
	// Shows is what the test's instrument shows; NaN for nothing, +Inf for an open line.
	Shows(t Test) (float64, error)
	// PulledIn is 1 where the test's relay is pulled in in its state, 0 at rest, a half where it buzzes.
	PulledIn(t Test) (float64, error)
	// Noticed is how sure it is, from 0 to 1, that in some state a driver's pin did not follow its command,
	// so that the controller could notice; known is false where that has not been looked at.
	Noticed(t Test) (chance float64, known bool, err error)
}

// Quantity is a figure of a car in its state: volts at a pin, from battery negative or from another pin, or
// the current of a fan.
type Quantity struct {
	At, From harness.Pin
	Fan      string
	Sign     float64 // of the fan's current
}

// aside is what all kinds share that bring no hand near a fan.
type aside struct{}

func (aside) risk() int { return 0 }

// saidAsIs is what all kinds share whose answer is the word itself.
type saidAsIs struct{}

// Say is the word.
func (saidAsIs) Say(word string) Answer { return Word(word) }

// atPins is what all kinds share that lay leads on pins.
type atPins struct{ aside }

func (atPins) where(t Test, q *Question) {
	q.At, q.With = t.At.String(), t.With
	if t.From.Part != "" {
		q.From = t.From.String()
	}
}

func (atPins) minutes(c *harness.Circuit, t Test) float64 {
	minutes := minutesRead + t.reach(c, t.At)
	if t.From.Part != "" && t.From.Part != t.At.Part {
		minutes += t.reach(c, t.From)
	}
	return minutes
}

func (atPins) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	return leads(c, q.At, q.From, t, false)
}

// leads reads where two leads lie; the second may lie on the battery's negative post.
func leads(c *harness.Circuit, red, black string, t Test, inner bool) (Test, error) {
	if red == "" {
		return t, fmt.Errorf("%s need at: a pin", t.Do)
	}
	for _, lead := range []struct {
		words string
		at    *harness.Pin
	}{{red, &t.At}, {black, &t.From}} {
		if lead.words == "" {
			continue
		}
		found, err := c.FindPin(lead.words)
		if err != nil {
			return t, err
		}
		if found.Inner && !inner {
			return t, fmt.Errorf("%s: %s are read at the cavity; write %s", found, t.Do, found.Cavity())
		}
		*lead.at = found
	}
	return t, nil
}

// onPart is the part that a test of a part is about, checked.
func onPart(c *harness.Circuit, do Do, name string, kind harness.Kind) error {
	part := c.Part(name)
	if part == nil {
		return fmt.Errorf("there is no part %s", name)
	}
	if kind != "" && part.Kind() != kind {
		return fmt.Errorf("%s: %s is a %s, not a %s", do, part.Name, part.Kind(), kind)
	}
	return nil
}
