package probe

import (
	"math"

	"go.yaml.in/yaml/v3"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// buzzer is a meter's continuity buzzer, between two pins with the power off or between the terminals of a part out of
// the car. Below ten ohms every buzzer sounds, above a hundred none; between lies a limit that nobody knows.
type buzzer struct{ aside }

func (buzzer) InState() bool                              { return false }
func (buzzer) tool() string                               { return "meter" }
func (buzzer) within(k Kit) bool                          { return !k.NoMeter }
func (buzzer) ask(o *Observation, t Test)                 { ohms{}.ask(o, t) }
func (buzzer) Do() Do                                     { return Buzzer }
func (buzzer) answers(o *Observation) bool                { return o.Buzz != "" }
func (buzzer) some(o *Observation)                        { o.Buzz = buzzWords[0] }
func (buzzer) Words(Test) []string                        { return buzzWords }
func (buzzer) Word(o *Observation) string                 { return o.Buzz }
func (buzzer) Say(o *Observation, word string)            { o.Buzz = word }
func (buzzer) instrument(Test) electric.Instrument        { return electric.Ohmmeter }
func (buzzer) minutes(c *harness.Circuit, t Test) float64 { return ohms{}.minutes(c, t) }

// keys are those of ohms, whose place the buzzer's word takes.
func (buzzer) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{"buzz": wordAt(&o.Buzz)}
}

func (buzzer) line(o *Observation) string {
	if o.Bench == "" {
		return o.at("buzzer " + o.Buzz)
	}
	return o.Bench + " on the bench: buzzer " + o.Buzz + " between " + between(o)
}

func (buzzer) asked(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	if o.Bench != "" {
		with := *o
		with.Ohms = &Reading{}
		return onBench(c, &with, t)
	}
	return ohms{}.asked(c, o, t)
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
