package probe

import (
	"fmt"
	"math"
	"slices"

	"go.yaml.in/yaml/v3"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// The kinds that are answered by a meter's figure: volts, amps and ohms.

// volts are read with a voltmeter of high impedance, from battery negative or from another pin.
type volts struct{ atPins }

func (volts) Do() Do                                     { return Volts }
func (volts) InState() bool                              { return true }
func (volts) answers(o *Observation) bool                { return o.Volts != nil }
func (volts) some(o *Observation)                        { o.Volts = &Reading{} }
func (volts) line(o *Observation) string                 { return o.at(o.Volts.with("V")) }
func (volts) tool() string                               { return "meter" }
func (volts) within(k Kit) bool                          { return !k.NoMeter }
func (volts) Unit() *Unit                                { return &InVolts }
func (volts) Reading(o *Observation) **Reading           { return &o.Volts }
func (volts) Means(r *Reading) float64                   { return r.orElse(math.NaN()) }
func (volts) Scaled(v float64) float64                   { return Meter(v) }
func (volts) Spell(v float64) string                     { return FormatVolts(v) }
func (volts) instrument(Test) electric.Instrument        { return electric.Voltmeter }
func (volts) minutes(c *harness.Circuit, t Test) float64 { return overPins(c, t) }

func (volts) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{"volts": figureOf(InVolts, &o.Volts)}
}

func (volts) asked(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	return leads(c, o, t, false)
}

func (volts) Display(v float64) *Reading {
	return shown(math.Max(-MaxVolts, math.Min(MaxVolts, v)), !math.IsNaN(v))
}

func (volts) good(r *Reading) *Good {
	if r.Open {
		return &Good{Floats: true}
	}
	return &Good{Volts: r}
}

func (volts) Alike(_ *Observation, v float64) []float64 { return []float64{v} }
func (volts) Blur(*Observation, float64) float64        { return 0 }
func (amps) Alike(_ *Observation, v float64) []float64  { return []float64{v} }

func (volts) Fineness(t Test) Fineness {
	if t.From.Part != "" {
		return dropFine
	}
	return VoltsFine
}

func (volts) Known(_ *harness.Circuit, t Test) (Quantity, bool) {
	return Quantity{At: t.At, From: t.From}, true
}

// amps are read with a clamp round a wire, or round two at once: then it shows what both carry together. The first pin
// of the test is at one of them, its second pin at the other.
type amps struct{ atPins }

func (amps) Do() Do                                     { return Amps }
func (amps) InState() bool                              { return true }
func (amps) answers(o *Observation) bool                { return o.Amps != nil }
func (amps) some(o *Observation)                        { o.Amps = &Reading{} }
func (amps) tool() string                               { return "clamp" }
func (amps) within(k Kit) bool                          { return !k.NoClamp }
func (amps) Unit() *Unit                                { return &InAmps }
func (amps) Reading(o *Observation) **Reading           { return &o.Amps }
func (amps) Means(r *Reading) float64                   { return r.orElse(math.NaN()) }
func (amps) Scaled(v float64) float64                   { return math.Abs(Meter(v)) } // a clamp is laid on either way round
func (amps) Spell(v float64) string                     { return FormatAmps(v) }
func (amps) Fineness(Test) Fineness                     { return clampFine }
func (amps) Display(v float64) *Reading                 { return shown(math.Abs(v), !math.IsNaN(v)) }
func (amps) good(r *Reading) *Good                      { return &Good{Amps: r} }
func (amps) instrument(Test) electric.Instrument        { return electric.Clamp }
func (amps) minutes(c *harness.Circuit, t Test) float64 { return minutesClamp + overPins(c, t) }

func (amps) line(o *Observation) string {
	s := o.Amps.with("A") + " at " + o.At
	if o.With != "" {
		s += " and " + o.With + " together"
	}
	return s
}

func (amps) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{"amps": figureOf(InAmps, &o.Amps)}
}

func (amps) asked(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	t, err := leads(c, &Observation{At: o.At, From: o.With}, t, false) // with is the second wire under the jaw
	t.With = ""
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

func (amps) ask(o *Observation, t Test) {
	o.At = t.At.String()
	if t.From.Part != "" {
		o.With = t.From.String()
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

// ohms are read with the power off, or between the terminals of a part out of the car.
type ohms struct{ aside }

func (ohms) Do() Do                                        { return Ohms }
func (ohms) InState() bool                                 { return false }
func (ohms) answers(o *Observation) bool                   { return o.Buzz == "" && (o.Ohms != nil || o.Bench != "") }
func (ohms) some(o *Observation)                           { o.Ohms = &Reading{} }
func (ohms) tool() string                                  { return "meter" }
func (ohms) within(k Kit) bool                             { return !k.NoMeter }
func (ohms) Unit() *Unit                                   { return &InOhms }
func (ohms) Reading(o *Observation) **Reading              { return &o.Ohms }
func (ohms) Means(r *Reading) float64                      { return r.orElse(math.Inf(1)) }
func (ohms) Fineness(Test) Fineness                        { return ohmsFine }
func (ohms) good(r *Reading) *Good                         { return &Good{Ohms: r} }
func (ohms) instrument(Test) electric.Instrument           { return electric.Ohmmeter }
func (ohms) Known(*harness.Circuit, Test) (Quantity, bool) { return Quantity{}, false }
func (ohms) Display(v float64) *Reading                    { return shown(v, v <= InOhms.Most) }

// Alike adds the leads' ohms where they are in the figure and not known.
func (ohms) Alike(o *Observation, v float64) []float64 {
	if o.Nulled || o.Leads > 0 || math.IsInf(v, 1) || math.IsNaN(v) {
		return []float64{v}
	}
	list := make([]float64, 0, unknownLeads)
	for k := range unknownLeads {
		list = append(list, v+leastLeads+(usualLeads-leastLeads)*float64(k)/(unknownLeads-1))
	}
	return list
}

// Blur is the meter's own tolerance; once its leads have been nulled on the lowest range little of it is left.
func (ohms) Blur(o *Observation, v float64) float64 {
	if math.IsInf(v, 1) || math.IsNaN(v) {
		return 0
	}
	v = math.Max(0, v)
	least := meterOhms
	if o.Nulled {
		least = nulledOhms
	}
	return (least + meterShare*v) / (v + leadOhms) / math.Ln10
}

// Scaled is the decimal logarithm: a meter is as sure of a kilohm as of an ohm.
func (ohms) Scaled(v float64) float64 {
	if math.IsInf(v, 1) || math.IsNaN(v) {
		return openDecade
	}
	return math.Log10(math.Max(0, v) + leadOhms)
}

func (ohms) Spell(v float64) string { return FormatOhms(math.Pow(10, v) - leadOhms) }

func (ohms) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{
		"ohms": ohmsAt(o), "bench": wordAt(&o.Bench), "between": bounded(&o.Between), "energised": bounded(&o.Energised),
	}
}

func (ohms) minutes(c *harness.Circuit, t Test) float64 {
	if t.At.Inner {
		return minutesBench
	}
	return minutesRead + t.reach(c, t.At) + t.reach(c, t.From)
}

func (ohms) line(o *Observation) string {
	if o.Bench == "" {
		return o.at(o.Ohms.with("Ω"))
	}
	s := fmt.Sprintf("%s on the bench: %s between %s", o.Bench, o.Ohms.with("Ω"), between(o))
	if o.Energised {
		s += ", energised"
	}
	return s
}

func (ohms) ask(o *Observation, t Test) {
	if !t.At.Inner {
		atPins{}.ask(o, t)
		return
	}
	o.Bench, o.Between = t.At.Part, []string{t.At.Name, t.From.Name}
	o.Energised = slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return feeds(a, t.At.Part) })
}

func (ohms) asked(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	if o.Bench != "" {
		return onBench(c, o, t)
	}
	t, err := leads(c, o, t, true)
	if err == nil && o.From == "" {
		err = fmt.Errorf("ohms need from: the other pin")
	}
	return t, err
}

// onBench turns a part out of the car into ohms between its own terminals; a relay is energised by a battery pack
// where it says so.
func onBench(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	part := c.Part(o.Bench)
	switch {
	case part == nil:
		return t, fmt.Errorf("bench: there is no part %s", harness.Clipped(o.Bench, maxKey))
	case electric.DetachVerb(part.Kind()) == "" || !Benched(part.Kind()):
		return t, fmt.Errorf("bench: a %s is not measured out of the car", part.Kind())
	case o.Ohms == nil:
		return t, fmt.Errorf("bench: ohms are missing")
	case len(o.Between) != 2:
		return t, fmt.Errorf("bench: between is two of its pins, as in [86, 85]")
	}
	for k, at := range []*harness.Pin{&t.At, &t.From} {
		pin, err := c.FindPin(o.Bench + "." + o.Between[k])
		if err != nil {
			return t, err
		}
		pin.Inner = true
		*at = pin
	}
	if part.Kind() != harness.KindRelay {
		if o.Energised {
			return t, fmt.Errorf("bench: only a relay is energised")
		}
		if apart := (electric.Action{Verb: electric.DetachVerb(part.Kind()), Part: o.Bench}); !slices.Contains(t.Setup, apart) {
			t.Setup = append(slices.Clone(t.Setup), apart)
		}
		return t, nil
	}
	fed := slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return feeds(a, o.Bench) })
	t.Setup = benchSetup(c, t.Setup, o.Bench, o.Energised || fed)
	return t, nil
}

// Benched tells whether an ohmmeter on a part of this kind, out of the car, says something of it.
func Benched(kind harness.Kind) bool {
	return slices.Contains([]harness.Kind{
		harness.KindRelay, harness.KindSensor, harness.KindFuse, harness.KindResistor, harness.KindResistorCard, harness.KindMotor,
		harness.KindDiode, harness.KindSwitch, harness.KindThermoswitch, harness.KindPressureSwitch, harness.KindSelector, harness.KindLimiter,
	}, kind)
}

// feeds tells whether an action puts a battery pack on a part.
func feeds(a electric.Action, part string) bool {
	return a.Verb == electric.Pack && a.From.Part == part
}

// benchSetup is a set-up with a relay out, and energised by a battery pack: plus on 86, or where the cathode of its diode
// is.
func benchSetup(c *harness.Circuit, setup []electric.Action, relay string, energised bool) []electric.Action {
	out := electric.Action{Verb: electric.Out, Part: relay}
	setup = slices.DeleteFunc(slices.Clone(setup), func(a electric.Action) bool { return feeds(a, relay) })
	if !slices.Contains(setup, out) {
		setup = append(setup, out)
	}
	inner := func(name string) harness.Pin { return harness.Pin{Part: relay, Name: name, Inner: true} }
	plus, minus := "86", "85"
	if c.Part(relay).Spec.(*harness.Relay).Cathode == minus {
		plus, minus = minus, plus
	}
	pack := electric.Action{Verb: electric.Pack, From: inner(plus), To: inner(minus)}
	if energised && !slices.Contains(setup, pack) {
		setup = append(setup, pack)
	}
	return setup
}
