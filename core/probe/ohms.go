package probe

import (
	"fmt"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// ohms are read with the power off, or between the terminals of a part out of the car.
type ohms struct{ aside }

func (ohms) Do() Do                                        { return Ohms }
func (ohms) InState() bool                                 { return false }
func (ohms) keys() keys                                    { return keys{answer: "ohms"} }
func (ohms) tool() string                                  { return "meter" }
func (ohms) within(k Kit) bool                             { return !k.NoMeter }
func (ohms) Unit() *Unit                                   { return &InOhms }
func (ohms) Means(r *Reading) float64                      { return r.orElse(math.Inf(1)) }
func (ohms) Fineness(Test) Fineness                        { return ohmsFine }
func (ohms) instrument(Test) electric.Instrument           { return electric.Ohmmeter }
func (ohms) Known(*harness.Circuit, Test) (Quantity, bool) { return Quantity{}, false }
func (ohms) Display(v float64) Figure                      { return InOhms.shown(v, v <= InOhms.Most) }

func (ohms) menu() []Choice {
	return []Choice{
		{Word: string(Ohms), Label: "Ohms (power off)", rank: 6},
		{Word: coilOhms, Label: "Relay on the bench: coil", atPart: true, rank: 4},
		{Word: makeOhms, Label: "Relay on the bench: 30–87 energised", atPart: true, rank: 5},
		{Word: welded, Label: "Relay on the bench: 30–87 at rest", atPart: true, rank: 6},
		{Word: restOhms, Label: "Relay on the bench: 30–87a at rest", atPart: true, rank: 7},
		{Word: curve, Label: "Sensor unplugged: ohms against its curve", atPart: true, rank: 8},
	}
}

// Alike adds the leads' ohms where they are in the figure and not known.
func (ohms) Alike(o *Observation, v float64) []float64 {
	if o.How.Nulled || o.How.Leads > 0 || math.IsInf(v, 1) || math.IsNaN(v) {
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
	if o.How.Nulled {
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

func (ohms) minutes(c *harness.Circuit, t Test) float64 {
	if t.At.Inner {
		return minutesBench
	}
	return minutesRead + t.reach(c, t.At) + t.reach(c, t.From)
}

func (ohms) line(o *Observation) string {
	part, between := o.OnBench()
	if part == "" {
		return o.at(o.Reading().with("Ω"))
	}
	s := fmt.Sprintf("%s on the bench: %s between %s and %s", part, o.Reading().with("Ω"), between[0], between[1])
	if o.With == energised {
		s += ", energised"
	}
	return s
}

func (ohms) where(t Test, q *Question) {
	atPins{}.where(t, q)
	if t.At.Inner && slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return feeds(a, t.At.Part) }) {
		q.With = energised
	}
}

func (ohms) with(q *Question) error {
	if part, _ := q.OnBench(); part != "" && q.With == energised {
		return nil
	}
	return fmt.Errorf("with goes with a lamp (light or heavy) or with a clamp (the pin of a second wire)")
}

func (ohms) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	if part, _ := q.OnBench(); part != "" {
		return onBench(c, part, q, t)
	}
	t, err := leads(c, q.At, q.From, t, true)
	if err == nil && q.From == "" {
		err = fmt.Errorf("ohms need from: the other pin")
	}
	return t, err
}

// OnBench is the part that a question is about by itself, out of its place, and the names of the two of its terminals between
// which it is measured; empty where it is not.
func (q Question) OnBench() (part string, between [2]string) {
	at, from := harness.ParsePin(q.At), harness.ParsePin(q.From)
	if !at.Inner || !from.Inner || at.Part != from.Part {
		return "", between
	}
	return at.Part, [2]string{at.Name, from.Name}
}

// onBench turns a part out of the car into ohms between its own terminals; a relay is energised by a battery pack
// where it says so.
func onBench(c *harness.Circuit, name string, q *Question, t Test) (Test, error) {
	part := c.Part(name)
	switch {
	case part == nil:
		return t, fmt.Errorf("bench: there is no part %s", harness.Clipped(name, maxKey))
	case electric.DetachVerb(part.Kind()) == "" || !Benched(part.Kind()):
		return t, fmt.Errorf("bench: a %s is not measured out of the car", part.Kind())
	case part.Kind() != harness.KindRelay && q.With == energised:
		return t, fmt.Errorf("bench: only a relay is energised")
	}
	var err error
	if t.At, err = c.FindPin(q.At); err == nil {
		t.From, err = c.FindPin(q.From)
	}
	if err != nil {
		return t, err
	}
	if part.Kind() != harness.KindRelay {
		if apart := (electric.Action{Verb: electric.DetachVerb(part.Kind()), Part: name}); !slices.Contains(t.Setup, apart) {
			t.Setup = append(slices.Clone(t.Setup), apart)
		}
		return t, nil
	}
	fed := slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return feeds(a, name) })
	t.Setup = benchSetup(c, t.Setup, name, q.With == energised || fed)
	return t, nil
}

// Benched tells whether an ohmmeter on a part of this kind, out of the car, says something of it.
func Benched(kind harness.Kind) bool {
	return kind.Traits().Ohms
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

func (ohms) Tell(to Teller, t Test) {
	c := to.Circuit()
	part := c.Part(t.At.Part)
	switch {
	case !t.At.Inner:
		to.Title("Ohms from %s to %s", c.Called(t.At), c.Called(t.From))
		to.Step("Null the leads first: they read up to an ohm.", "One lead: "+to.Where(t.At)+".", "The other: "+to.Where(t.From)+".")
		to.Caution(powerOff)
		return
	case part.Kind() == harness.KindSensor:
		to.Title("%s unplugged: ohms from %s to %s, %s", part.Name, t.At.Name, t.From.Name, t.State.Name)
		to.Step(fmt.Sprintf("With the engine as in %s, ohmmeter across the sensor itself; hold it against its curve.", t.State.Name))
		to.Caution(hotSystem)
		return
	}
	to.Title("%s on the bench: ohms from %s to %s%s", part.Name, c.Terminal(t.At), c.Terminal(t.From), tellEnergised(to, t))
	printed := "on the part itself"
	if part.Kind() == harness.KindRelay {
		printed = "by the print on the relay"
	}
	to.Step("Null the leads first: they read up to an ohm.",
		fmt.Sprintf("Ohmmeter between terminals %s and %s, %s.", c.Terminal(t.At), c.Terminal(t.From), printed))
	if part.Kind() == harness.KindRelay {
		to.Caution(mirrored)
	}
}

// tellEnergised says how a relay in the hand is pulled in, where the test asks for that, and gives what the title says of it.
func tellEnergised(to Teller, t Test) string {
	k := slices.IndexFunc(t.Setup, func(a electric.Action) bool { return a.Verb == electric.Pack })
	if k < 0 {
		return ""
	}
	c, pack := to.Circuit(), t.Setup[k]
	to.Step(fmt.Sprintf("Energise the coil from a small battery through a fused lead: plus on %s, minus on %s.", c.Terminal(pack.From),
		c.Terminal(pack.To)))
	if relay, ok := c.Part(t.At.Part).Spec.(*harness.Relay); ok && relay.Suppression == harness.DiodeSuppr {
		to.Caution(diodeCoil)
	}
	return ", energised"
}
