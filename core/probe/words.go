package probe

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// The kinds that are answered in a word by an instrument or by the car itself: lamp, LED tester, a relay's
// click, fault codes.

// lamp is a filament test lamp, light or heavy.
type lamp struct{ atPins }

func (lamp) Do() Do                                     { return Lamp }
func (lamp) InState() bool                              { return true }
func (lamp) answers(o *Observation) bool                { return o.Lamp != "" }
func (lamp) some(o *Observation)                        { o.Lamp = lampWords[0] }
func (lamp) Words(Test) []string                        { return lampWords }
func (lamp) Word(o *Observation) string                 { return o.Lamp }
func (lamp) Say(o *Observation, word string)            { o.Lamp = word }
func (lamp) line(o *Observation) string                 { return o.at(strings.TrimSpace(o.With + " lamp " + o.Lamp)) }
func (lamp) tool() string                               { return "test lamp" }
func (lamp) within(k Kit) bool                          { return !k.NoLamp }
func (lamp) minutes(c *harness.Circuit, t Test) float64 { return overPins(c, t) }

func (lamp) instrument(t Test) electric.Instrument {
	if t.With == heavy {
		return electric.HeavyLamp
	}
	return electric.Lamp
}

func (lamp) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{"lamp": wordAt(&o.Lamp)}
}

func (lamp) asked(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	return leads(c, o, t, false)
}

func (lamp) Chances(s Subject, t Test, into []float64) error {
	v, err := acrossLight(s, t)
	on, bright := soft(v, lampGlows, lampGlowsWidth), soft(v, lampBright, lampBrightWidth)
	into[0], into[1], into[2] = 1-on, on*(1-bright), on*bright
	return err
}

// acrossLight is the volts across a lamp or an LED tester, as they would be at 12 V.
func acrossLight(s Subject, t Test) (float64, error) {
	v, err := s.Shows(t)
	return math.Abs(Meter(v)) * 12 / s.Nominal(), err
}

// led is an LED tester: it loads nothing.
type led struct{ atPins }

func (led) Do() Do                                     { return LED }
func (led) InState() bool                              { return true }
func (led) answers(o *Observation) bool                { return o.LED != "" }
func (led) some(o *Observation)                        { o.LED = ledWords[0] }
func (led) Words(Test) []string                        { return ledWords }
func (led) Word(o *Observation) string                 { return o.LED }
func (led) Say(o *Observation, word string)            { o.LED = word }
func (led) line(o *Observation) string                 { return o.at("LED " + o.LED) }
func (led) tool() string                               { return "LED tester" }
func (led) within(Kit) bool                            { return true }
func (led) instrument(Test) electric.Instrument        { return electric.LEDTester }
func (led) minutes(c *harness.Circuit, t Test) float64 { return overPins(c, t) }

func (led) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{"led": wordAt(&o.LED)}
}

func (led) asked(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	return leads(c, o, t, false)
}

func (led) Chances(s Subject, t Test, into []float64) error {
	v, err := acrossLight(s, t)
	lit := soft(v, ledLights, ledLightsWidth)
	into[0], into[1] = 1-lit, lit
	return err
}

// click is a relay felt or heard.
type click struct{ aside }

func (click) Do() Do                                 { return Relay }
func (click) InState() bool                          { return true }
func (click) answers(o *Observation) bool            { return o.Relay != "" }
func (click) some(o *Observation)                    { o.Felt = clickWords[0] }
func (click) ask(o *Observation, t Test)             { o.Relay = t.Part }
func (click) about(o *Observation, part string)      { o.Relay = part }
func (click) Words(Test) []string                    { return clickWords }
func (click) Word(o *Observation) string             { return o.Felt }
func (click) Say(o *Observation, word string)        { o.Felt = word }
func (click) line(o *Observation) string             { return o.Relay + ": " + o.Felt }
func (click) tool() string                           { return "" }
func (click) within(Kit) bool                        { return true }
func (click) minutes(*harness.Circuit, Test) float64 { return minutesFeel }

func (click) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{"relay": wordAt(&o.Relay), "felt": wordAt(&o.Felt)}
}

func (click) asked(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	t.Part = o.Relay
	return t, onPart(c, Relay, o.Relay, harness.KindRelay)
}

func (click) Chances(s Subject, t Test, into []float64) error {
	in, err := s.PulledIn(t)
	into[0] = 1 - surelyHeard
	stuck := func(f fault.Fault) bool { return stuckIn(f, t.Part) }
	if in >= 0.5 && !slices.ContainsFunc(s.Faults(), stuck) {
		into[0] = surelyHeard
	}
	into[1] = 1 - into[0]
	return err
}

// stuckIn tells whether a fault holds a relay's contacts in, so that it does not click.
func stuckIn(f fault.Fault, relay string) bool {
	return f.On == fault.OnPart && f.Part == relay && (f.Words == fault.SticksIn || f.Words == fault.MakeWelded)
}

// codes are the fault codes that the controller has stored. It sees the coil side only: a code stands where
// a driver's pin was, in some state, not at the volts that the command asks for.
type codes struct{ aside }

func (codes) Do() Do                                                         { return Codes }
func (codes) InState() bool                                                  { return false }
func (codes) answers(o *Observation) bool                                    { return o.Codes != nil }
func (codes) some(o *Observation)                                            { o.Codes = &[]string{} }
func (codes) ask(*Observation, Test)                                         {}
func (codes) Words(Test) []string                                            { return codeWords }
func (codes) tool() string                                                   { return "scan tool" }
func (codes) within(k Kit) bool                                              { return k.Scan != NoTool }
func (codes) minutes(*harness.Circuit, Test) float64                         { return minutesCodes }
func (codes) asked(_ *harness.Circuit, _ *Observation, t Test) (Test, error) { return t, nil }

func (codes) Word(o *Observation) string {
	if len(*o.Codes) > 0 {
		return codeWords[1]
	}
	return codeWords[0]
}

func (codes) Say(o *Observation, word string) {
	o.Codes = &[]string{}
	if word != codeWords[0] {
		*o.Codes = []string{word}
	}
}

// Type reads a list of fault codes as people type it; "none" is an answer, nothing typed is not.
func (codes) Type(o *Observation, text string) error {
	list := []string{}
	if strings.TrimSpace(text) == "" {
		return errors.New("type the codes, as P0480, several with commas; or none, which is an answer too")
	}
	for _, word := range strings.FieldsFunc(strings.ToUpper(text), func(r rune) bool { return r == ',' || r == ' ' || r == ';' }) {
		switch {
		case word == strings.ToUpper(codeWords[0]):
		case codeForm.MatchString(word):
			list = append(list, word)
		default:
			return fmt.Errorf("%q is no fault code; type it as P0480, several with commas, or none", harness.Clipped(word, 30))
		}
	}
	o.Codes = &list
	return nil
}

func (codes) line(o *Observation) string {
	if len(*o.Codes) == 0 {
		return noCodes
	}
	return "codes " + strings.Join(*o.Codes, ", ")
}

func (codes) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{
		"codes": func(v *yaml.Node) error { o.Codes = &[]string{}; return v.Decode(o.Codes) },
	}
}

func (codes) Chances(s Subject, t Test, into []float64) error {
	chance, known, err := s.Noticed(t)
	into[1] = codeAnyway + chance*(codeSet-codeAnyway)
	if !known {
		into[1] = 0.5
	}
	into[0] = 1 - into[1]
	return err
}
