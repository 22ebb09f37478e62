package probe

import (
	"math"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// buzzer is a meter's continuity buzzer, between two pins with the power off or between the terminals of a part out of
// the car. Below ten ohms every buzzer sounds, above a hundred none; between lies a limit that nobody knows.
type buzzer struct {
	aside
	saidAsIs
}

func (buzzer) Do() Do                                     { return Buzzer }
func (buzzer) InState() bool                              { return false }
func (buzzer) keys() keys                                 { return keys{answer: "buzz"} }
func (buzzer) tool() string                               { return "meter" }
func (buzzer) within(k Kit) bool                          { return !k.NoMeter }
func (buzzer) where(t Test, q *Question)                  { ohms{}.where(t, q) }
func (buzzer) with(q *Question) error                     { return ohms{}.with(q) }
func (buzzer) Words(Test) []string                        { return buzzWords }
func (buzzer) instrument(Test) electric.Instrument        { return electric.Ohmmeter }
func (buzzer) minutes(c *harness.Circuit, t Test) float64 { return ohms{}.minutes(c, t) }

func (buzzer) menu() []Choice {
	return []Choice{{Word: string(Buzzer), Label: "Buzzer (power off)", rank: 7}}
}

func (buzzer) line(o *Observation) string {
	part, between := o.OnBench()
	if part == "" {
		return o.at("buzzer " + o.Word())
	}
	return part + " on the bench: buzzer " + o.Word() + " between " + between[0] + " and " + between[1]
}

func (buzzer) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	return ohms{}.asked(c, q, t)
}

func (buzzer) Tell(to Teller, t Test) {
	c := to.Circuit()
	if t.At.Inner {
		to.Title("%s on the bench: buzzer from %s to %s%s", t.At.Part, c.Terminal(t.At), c.Terminal(t.From), tellEnergised(to, t))
	} else {
		to.Title("Buzzer from %s to %s", c.Called(t.At), c.Called(t.From))
	}
	to.Step("One lead: "+to.Where(t.At)+".", "The other: "+to.Where(t.From)+".",
		"A buzzer sounds through a burnt contact too: it finds what is open, not what is weak.")
	if !t.At.Inner {
		to.Caution(powerOff)
	}
}

// Chances go by the ohms between the leads, their own included.
func (buzzer) Chances(s Subject, t Test, into []float64) error {
	v, err := s.Shows(t)
	sounds := 0.0
	switch {
	case math.IsNaN(v), v >= buzzNever:
	case v <= buzzSurely:
		sounds = 1
	default:
		sounds = 1 - math.Log(v/buzzSurely)/math.Log(buzzNever/buzzSurely)
	}
	into[0] = buzzHeard*sounds + (1-buzzHeard)*(1-sounds)
	into[1] = 1 - into[0]
	return err
}

// Silent is a buzzer that finds nothing between its leads.
const Silent = "silent"
