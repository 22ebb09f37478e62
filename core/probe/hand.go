package probe

import (
	"slices"

	"go.yaml.in/yaml/v3"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// The kinds that are answered by hand and eye, without an instrument: a fan turned, a part looked at
// closely, tapped and wiggled. What they show depends on the faults alone, not on where current flows.

// byHand is a test of one part by hand and eye; of is the kind of part that it can be made on, empty: any.
type byHand struct {
	do      Do
	of      harness.Kind
	part    func(o *Observation) *string // the place of the part's name in an observation
	chances func(f fault.Fault, part string, into []float64)
}

var (
	turned  = byHand{Turned, harness.KindMotor, func(o *Observation) *string { return &o.Turned }, turnedChances}
	looked  = byHand{Looked, "", func(o *Observation) *string { return &o.Looked }, lookedChances}
	wiggled = byHand{Wiggled, "", func(o *Observation) *string { return &o.Wiggled }, wiggledChances}
)

func (k byHand) Do() Do                            { return k.do }
func (k byHand) InState() bool                     { return false }
func (k byHand) answers(o *Observation) bool       { return *k.part(o) != "" }
func (k byHand) some(o *Observation)               { o.Found = k.Words()[0] }
func (k byHand) ask(o *Observation, t Test)        { *k.part(o) = t.Part }
func (k byHand) about(o *Observation, part string) { *k.part(o) = part }
func (k byHand) Words() []string                   { return handWords[k.do] }
func (k byHand) Word(o *Observation) string        { return o.Found }
func (k byHand) Say(o *Observation, word string)   { o.Found = word }
func (k byHand) line(o *Observation) string        { return *k.part(o) + handLines[k.do] + o.Found }
func (k byHand) tool() string                      { return "" }
func (k byHand) within(Kit) bool                   { return true }

// risk is that of a hand at the blades.
func (k byHand) risk() int {
	if k.of == harness.KindMotor {
		return 2
	}
	return 0
}

func (k byHand) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{string(k.do): wordAt(k.part(o)), "found": wordAt(&o.Found)}
}

func (k byHand) asked(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	t.Part = *k.part(o)
	return t, onPart(c, k.do, t.Part, k.of)
}

func (k byHand) minutes(c *harness.Circuit, t Test) float64 {
	if k.of == harness.KindMotor {
		return minutesTurn
	}
	return minutesLook + t.reach(c, harness.Pin{Part: t.Part})/2
}

// Chances are those of the fault that shows most.
func (k byHand) Chances(s Subject, t Test, into []float64) error {
	faults := s.Faults()
	if len(faults) == 0 {
		k.chances(fault.Fault{}, t.Part, into)
		return nil
	}
	k.chances(faults[0], t.Part, into)
	for _, f := range faults[1:] {
		also := make([]float64, len(into))
		if k.chances(f, t.Part, also); also[0] < into[0] {
			copy(into, also)
		}
	}
	return nil
}

// The chances of the words of each test by hand and eye, with one fault in the car.

func turnedChances(f fault.Fault, part string, into []float64) {
	here := slices.Contains(f.Parts(), part)
	switch {
	case here && f.Words == fault.Seized:
		into[0], into[1], into[2] = (1-sureOfHand)/2, (1-sureOfHand)/2, sureOfHand
	case here && f.Words == fault.Worn:
		into[0], into[1], into[2] = 1-dragsFelt, dragsFelt-stuckFelt, stuckFelt
	default:
		into[0], into[1], into[2] = sureOfHand, dragsAnyway, stuckAnyway
	}
}

func wiggledChances(f fault.Fault, part string, into []float64) {
	into[1] = changesAnyway
	if touches(f, part) && (f.Intermittent || f.Words == fault.Brushes) {
		into[1] = wiggleShows
	}
	into[0] = 1 - into[1]
}

func lookedChances(f fault.Fault, part string, into []float64) {
	into[1], into[2] = seenAnyway, seenAnyway
	if touches(f, part) && (burnt(f) || badJoint(f)) {
		into[1] = heatSeen
	}
	if touches(f, part) && badJoint(f) {
		into[2] = corrodedSeen
	}
	into[0] = 1 - into[1] - into[2]
}

// touches tells whether a fault is of a part, or of a wire that ends there.
func touches(f fault.Fault, part string) bool {
	onWire := func(end harness.Pin) bool { return f.On == fault.OnWire && end.Part == part }
	return slices.Contains(f.Parts(), part) || slices.ContainsFunc(f.Wire[:], onWire)
}

func burnt(f fault.Fault) bool {
	return slices.Contains([]string{fault.MakeBurnt, fault.RestBurnt, fault.MakeBurntB, fault.RestBurntB, fault.MakeWelded}, f.Words)
}

func badJoint(f fault.Fault) bool {
	return f.Words == fault.Resists || f.Words == fault.WayResists || f.Words == fault.Open && f.On == fault.OnPin ||
		f.Words == fault.PostResists
}
