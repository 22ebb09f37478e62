package probe

import (
	"fmt"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// volts are read with a voltmeter of high impedance, from battery negative or from another pin.
type volts struct{ atPins }

func (volts) Do() Do                                    { return Volts }
func (volts) InState() bool                             { return true }
func (volts) keys() keys                                { return keys{answer: "volts"} }
func (volts) line(o *Observation) string                { return o.at(o.Reading().with("V")) }
func (volts) tool() string                              { return "meter" }
func (volts) within(k Kit) bool                         { return !k.NoMeter }
func (volts) menu() []Choice                            { return []Choice{{Word: string(Volts), Label: "Volts", rank: 1}} }
func (volts) Unit() *Unit                               { return &InVolts }
func (volts) Means(r *Reading) float64                  { return r.orElse(math.NaN()) }
func (volts) Scaled(v float64) float64                  { return Meter(v) }
func (volts) Spell(v float64) string                    { return FormatVolts(v) }
func (volts) instrument(Test) electric.Instrument       { return electric.Voltmeter }
func (volts) Alike(_ *Observation, v float64) []float64 { return []float64{v} }
func (volts) Blur(*Observation, float64) float64        { return 0 }
func (volts) Tell(to Teller, t Test)                    { tellLeads(to, t, "Volts", "Black lead: ", "Red lead: ") }
func (volts) Display(v float64) Figure {
	return InVolts.shown(math.Max(-MaxVolts, math.Min(MaxVolts, v)), !math.IsNaN(v))
}

func (volts) Fineness(t Test) Fineness {
	if t.From.Part != "" {
		return dropFine
	}
	return VoltsFine
}

func (volts) Known(_ *harness.Circuit, t Test) (Quantity, bool) {
	return Quantity{At: t.At, From: t.From}, true
}

// tellLeads words what is read at a pin with two leads, one on the battery's negative post or on another pin.
func tellLeads(to Teller, t Test, tool, black, red string) {
	c := to.Circuit()
	part := c.Part(t.At.Part)
	asked := to.Asked() + to.With()
	at := "battery negative post"
	if t.From.Part == "" {
		to.Title("%s at %s, %s", tool, to.Side(t.At), asked)
	} else {
		to.Title("%s, %s", across(c, tool, t.At, t.From), asked)
		at = to.Where(t.From)
	}
	to.Step(black+at+".", red+to.Where(t.At)+".")
	if part.Kind() == harness.KindMotor || to.InCommand() {
		to.Caution(LeadsClear)
	}
	if part.Kind() == harness.KindController {
		to.Caution(moduleMeter)
	}
	if part.Kind() == harness.KindRelay && !slices.Contains(t.Setup, electric.Action{Verb: electric.Out, Part: part.Name}) {
		to.Caution(backProbe)
	}
}

// across words what lies between two leads: a part, a wire, or two pins.
func across(c *harness.Circuit, tool string, at, from harness.Pin) string {
	drop := tool == "Volts"
	switch {
	case drop && at.Part == from.Part && len(c.Part(at.Part).Pins()) == 2:
		return "Voltage drop across " + at.Part
	case drop && at.Part == from.Part:
		return fmt.Sprintf("Voltage drop across %s, %s to %s", at.Part, c.Terminal(at), c.Terminal(from))
	case drop && c.Wire(at, from) != nil:
		return fmt.Sprintf("Voltage drop along the wire %s to %s", c.Called(at), c.Called(from))
	case drop:
		return fmt.Sprintf("Voltage drop from %s to %s", c.Called(at), c.Called(from))
	}
	return fmt.Sprintf("%s from %s to %s", tool, c.Called(at), c.Called(from))
}
