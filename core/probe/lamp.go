package probe

import (
	"fmt"
	"math"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// lamp is a filament test lamp, light or heavy.
type lamp struct {
	atPins
	saidAsIs
}

func (lamp) Do() Do                     { return Lamp }
func (lamp) InState() bool              { return true }
func (lamp) keys() keys                 { return keys{answer: "lamp"} }
func (lamp) Words(Test) []string        { return lampWords }
func (lamp) line(o *Observation) string { return o.at(strings.TrimSpace(o.With + " lamp " + o.Word())) }
func (lamp) tool() string               { return "test lamp" }
func (lamp) within(k Kit) bool          { return !k.NoLamp }

func (lamp) menu() []Choice {
	return []Choice{{Word: string(Lamp), Label: "Test lamp", rank: 2}, {Word: heavy, Label: "Heavy test lamp", rank: 3}}
}

func (lamp) instrument(t Test) electric.Instrument {
	if t.With == heavy {
		return electric.HeavyLamp
	}
	return electric.Lamp
}

func (lamp) with(q *Question) error {
	if q.With != heavy && q.With != light {
		return fmt.Errorf("a lamp is light or heavy, not %q", harness.Clipped(q.With, maxKey))
	}
	return nil
}

func (l lamp) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	t.With = strings.TrimPrefix(q.With, light)
	return l.atPins.asked(c, q, t)
}

func (lamp) Chances(s Subject, t Test, into []float64) error {
	v, err := acrossLight(s, t)
	on, bright := soft(v, lampGlows, lampGlowsWidth), soft(v, lampBright, lampBrightWidth)
	into[0], into[1], into[2] = 1-on, on*(1-bright), on*bright
	return err
}

func (lamp) Tell(to Teller, t Test) {
	tool := "Test lamp"
	if t.With == heavy {
		tool = "Heavy test lamp"
	}
	tellLeads(to, t, tool, "Clip: ", "Tip: ")
	to.Caution(lampDraws)
}

// acrossLight is the volts across a lamp or an LED tester, as they would be at 12 V.
func acrossLight(s Subject, t Test) (float64, error) {
	v, err := s.Shows(t)
	return math.Abs(Meter(v)) * 12 / s.Nominal(), err
}

// led is an LED tester: it loads nothing.
type led struct {
	atPins
	saidAsIs
}

func (led) Do() Do                              { return LED }
func (led) InState() bool                       { return true }
func (led) keys() keys                          { return keys{answer: "led"} }
func (led) Words(Test) []string                 { return ledWords }
func (led) line(o *Observation) string          { return o.at("LED " + o.Word()) }
func (led) tool() string                        { return "LED tester" }
func (led) within(Kit) bool                     { return true }
func (led) menu() []Choice                      { return []Choice{{Word: string(LED), Label: "LED tester", rank: 4}} }
func (led) instrument(Test) electric.Instrument { return electric.LEDTester }
func (led) Tell(to Teller, t Test)              { tellLeads(to, t, "LED tester", "Clip: ", "Tip: ") }

func (led) Chances(s Subject, t Test, into []float64) error {
	v, err := acrossLight(s, t)
	lit := soft(v, ledLights, ledLightsWidth)
	into[0], into[1] = 1-lit, lit
	return err
}
