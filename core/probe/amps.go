package probe

import (
	"fmt"
	"math"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// amps are read with a clamp round a wire, or round two at once: then it shows what both carry together. The first pin
// of the test is at one of them, its second pin at the other.
type amps struct{ atPins }

func (amps) Do() Do                                     { return Amps }
func (amps) InState() bool                              { return true }
func (amps) keys() keys                                 { return keys{answer: "amps"} }
func (amps) tool() string                               { return "clamp" }
func (amps) within(k Kit) bool                          { return !k.NoClamp }
func (amps) menu() []Choice                             { return []Choice{{Word: string(Amps), Label: "Clamp, amps", rank: 5}} }
func (amps) Unit() *Unit                                { return &InAmps }
func (amps) Means(r *Reading) float64                   { return r.orElse(math.NaN()) }
func (amps) Scaled(v float64) float64                   { return math.Abs(Meter(v)) } // a clamp is laid on either way round
func (amps) Spell(v float64) string                     { return FormatAmps(v) }
func (amps) Fineness(Test) Fineness                     { return clampFine }
func (amps) Display(v float64) Figure                   { return InAmps.shown(math.Abs(v), !math.IsNaN(v)) }
func (amps) Alike(_ *Observation, v float64) []float64  { return []float64{v} }
func (amps) instrument(Test) electric.Instrument        { return electric.Clamp }
func (amps) minutes(c *harness.Circuit, t Test) float64 { return minutesClamp + atPins{}.minutes(c, t) }
func (amps) with(*Question) error                       { return nil }

func (amps) line(o *Observation) string {
	s := o.Reading().with("A") + " at " + o.At
	if o.With != "" {
		s += " and " + o.With + " together"
	}
	return s
}

func (amps) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	t, err := leads(c, q.At, q.With, t, false) // with is the second wire under the jaw
	for _, pin := range []harness.Pin{t.At, t.From} {
		if err == nil && pin.Part != "" && c.Part(pin.Part).Kind() == harness.KindGround {
			err = fmt.Errorf("%s: a clamp goes round a wire; name the pin at its other end", pin)
		}
	}
	if err == nil && t.At == t.From {
		err = fmt.Errorf("with: %s is the wire that the clamp is round already", t.At)
	}
	return t, err
}

func (amps) where(t Test, q *Question) {
	q.At = t.At.String()
	if t.From.Part != "" {
		q.With = t.From.String()
	}
}

// Blur is a clamp's own tolerance beside the last figures of its display.
func (amps) Blur(_ *Observation, v float64) float64 { return clampShare * math.Abs(v) }

// Known is the current of a fan with two terminals.
func (amps) Known(c *harness.Circuit, t Test) (Quantity, bool) {
	part := c.Part(t.At.Part)
	if part.Kind() != harness.KindMotor || len(part.Pins()) != 2 || t.From.Part != "" {
		return Quantity{}, false
	}
	q := Quantity{Fan: part.Name, Sign: 1}
	if t.At.Name == "-" {
		q.Sign = -1
	}
	return q, true
}

func (amps) Tell(to Teller, t Test) {
	c := to.Circuit()
	to.Title("Clamp the current at %s, %s", c.Called(t.At), to.Asked())
	round := "Clamp round one wire only: " + to.Where(t.At) + "."
	if t.From.Part != "" {
		to.Title("Clamp the current at %s and %s together, %s", c.Called(t.At), c.Called(t.From), to.Asked())
		round = "Clamp round two wires at once, laid the same way: " + to.Where(t.At) + ", and " + to.Where(t.From) + "."
	}
	to.Step("Zero the clamp with the other consumers already on.", round, "Either way round will do: the sign is left aside.")
	to.Caution(LeadsClear)
}
