package probe

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// The kinds that are answered by hand and eye, without an instrument: a fan turned, a part looked at
// closely, tapped and wiggled. What they show depends on the faults alone, not on where current flows.

// byHand is what all questions to one part by hand and eye share.
type byHand struct{ saidAsIs }

func (byHand) InState() bool             { return false }
func (byHand) where(t Test, q *Question) { q.Part = t.Part }
func (byHand) tool() string              { return "" }
func (byHand) within(Kit) bool           { return true }

// turned is a fan turned by hand, its motor unplugged.
type turned struct{ byHand }

func (turned) Do() Do                                 { return Turned }
func (turned) keys() keys                             { return keys{answer: "found", part: "turned"} }
func (turned) Words(Test) []string                    { return turnedWords }
func (turned) line(o *Observation) string             { return o.Part + " by hand: " + o.Word() }
func (turned) risk() int                              { return 2 } // a hand at the blades
func (turned) minutes(*harness.Circuit, Test) float64 { return minutesTurn }

func (turned) menu() []Choice {
	return []Choice{{Word: string(Turned), Label: "Fan turned by hand (unplugged)", atPart: true, rank: 9}}
}

func (turned) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	t.Part, t.Of = q.Part, c.Part(q.Part)
	return t, onPart(c, Turned, t.Part, harness.KindMotor)
}

func (turned) Chances(s Subject, t Test, into []float64) error {
	return plainest(s.Faults(), into, func(f fault.Fault, into []float64) { turnedChances(f, t, into) })
}

func (turned) Tell(to Teller, t Test) {
	to.Title("Turn %s by hand", t.Part)
	to.Step("With the motor unplugged, turn the blades: free, dragging, rough or stuck?")
	to.Caution(FansStart)
}

// looked is a part, a wire or a terminal looked at closely: heat, corrosion.
type looked struct {
	aside
	byHand
}

func (looked) Do() Do                                     { return Looked }
func (looked) keys() keys                                 { return keys{answer: "found", part: "looked"} }
func (looked) line(o *Observation) string                 { return o.Part + " looked at: " + o.Word() }
func (looked) minutes(c *harness.Circuit, t Test) float64 { return minutesAt(c, t) }

func (looked) menu() []Choice {
	return []Choice{{Word: string(Looked), Label: "Looked at closely", atPart: true, rank: 11}}
}

// Words are those of the part's kind.
func (looked) Words(t Test) []string {
	if t.Of == nil && strings.HasPrefix(t.Part, onWire+" ") {
		return wireWords
	}
	if t.Of == nil && strings.HasPrefix(t.Part, onPin+" ") {
		return harness.KindConnector.Traits().LooksOf()
	}
	return wordsFor(t.Of)
}

func (looked) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	t.Part, t.Of = q.Part, c.Part(q.Part)
	if t.Of == nil {
		if spot, err := lookedSpot(c, t.Part); spot != "" {
			t.Part = spot
			return t, err
		}
	}
	return t, onPart(c, Looked, t.Part, "")
}

// Chances are those of the fault that shows most. Whatever has blown it: a fuse is seen for what it is.
func (looked) Chances(s Subject, t Test, into []float64) error {
	faults := s.Faults()
	if t.Of != nil && t.Of.Kind() == harness.KindFuse {
		end := func(name string) harness.Pin { return harness.Pin{Part: t.Part, Name: name, Inner: true} }
		out := electric.Action{Verb: electric.Out, Part: t.Part}
		ohms := Test{Do: Ohms, State: t.State, Setup: t.Setup, At: end("a"), From: end("b")}
		if !slices.Contains(t.Setup, out) {
			ohms.Setup = with(t.Setup, out)
		}
		v, err := s.Shows(ohms)
		if err != nil {
			return err
		}
		if math.IsInf(v, 1) {
			faults = append(slices.Clone(faults), fault.Fault{On: fault.OnPart, Part: t.Part, Words: fault.Open})
		}
	}
	words := looked{}.Words(t)
	return plainest(faults, into, func(f fault.Fault, into []float64) { lookedChances(f, t, words, into) })
}

func (looked) Tell(to Teller, t Test) {
	to.Title("Look closely at %s", t.Part)
	what := fmt.Sprintf("Look at %s%s, its terminals and plug.", t.Part, to.Place(t.Part))
	switch {
	case strings.HasPrefix(t.Part, onWire+" "):
		what = fmt.Sprintf("Look along the %s from end to end: cut, chafed or melted?", t.Part)
	case strings.HasPrefix(t.Part, onPin+" "):
		what = fmt.Sprintf("Look at the terminal %s in its cavity: home, tight, bright?", strings.TrimPrefix(t.Part, onPin+" "))
	}
	to.Step(what, "Look before you disturb it: cleaning and reseating are for later, and go in the log.")
}

// wiggled is a part tapped or warmed and its wires moved, for what comes and goes.
type wiggled struct {
	aside
	byHand
}

func (wiggled) Do() Do                                     { return Wiggled }
func (wiggled) keys() keys                                 { return keys{answer: "found", part: "wiggled"} }
func (wiggled) Words(Test) []string                        { return wiggledWords }
func (wiggled) line(o *Observation) string                 { return o.Part + " wiggled: " + o.Word() }
func (wiggled) minutes(c *harness.Circuit, t Test) float64 { return minutesAt(c, t) }

func (wiggled) menu() []Choice {
	return []Choice{{Word: string(Wiggled), Label: "Tapped and wiggled", atPart: true, rank: 12}}
}

func (wiggled) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	t.Part, t.Of = q.Part, c.Part(q.Part)
	return t, onPart(c, Wiggled, t.Part, "")
}

func (wiggled) Chances(s Subject, t Test, into []float64) error {
	return plainest(s.Faults(), into, func(f fault.Fault, into []float64) { wiggledChances(f, t, into) })
}

func (wiggled) Tell(to Teller, t Test) {
	to.Title("Tap and wiggle %s", t.Part)
	to.Step(fmt.Sprintf("With the complaint's state commanded, tap %s%s with a long tool and move its wires: does anything change?",
		t.Part, to.Place(t.Part)))
	to.Caution(LeadsClear)
}

// lookedSpot is a wire or a terminal that is looked at, "wire K1.87 - M1.+" or "pin M1.-", as the format spells it; empty
// for anything else.
func lookedSpot(c *harness.Circuit, words string) (string, error) {
	w := strings.Fields(words)
	switch {
	case len(w) == 4 && w[0] == onWire && w[2] == "-":
		wire := c.Wire(harness.ParsePin(w[1]), harness.ParsePin(w[3]))
		if wire == nil {
			return words, fmt.Errorf("there is no wire %s - %s", harness.Clipped(w[1], maxKey), harness.Clipped(w[3], maxKey))
		}
		return fmt.Sprintf("%s %s - %s", onWire, wire.From, wire.To), nil
	case len(w) == 2 && w[0] == onPin:
		pin, err := c.FindPin(w[1])
		return onPin + " " + pin.String(), err
	}
	return "", nil
}

// How a wire and a terminal are spelled among what is looked at.
const (
	onWire = "wire"
	onPin  = "pin"
)

// minutesAt prices a look or a hand at a part, a wire or a terminal.
func minutesAt(c *harness.Circuit, t Test) float64 {
	at := harness.Pin{Part: t.Part}
	if words := strings.Fields(t.Part); c.Part(t.Part) == nil && len(words) > 1 { // a wire or a terminal, by its first end
		at = harness.ParsePin(words[1])
	}
	return minutesLook + t.reach(c, at)/2
}

// plainest writes the chances of the words with the fault in the car that shows most.
func plainest(faults []fault.Fault, into []float64, chances func(f fault.Fault, into []float64)) error {
	if len(faults) == 0 {
		faults = []fault.Fault{{}}
	}
	chances(faults[0], into)
	for _, f := range faults[1:] {
		also := make([]float64, len(into))
		if chances(f, also); also[0] < into[0] {
			copy(into, also)
		}
	}
	return nil
}

// The chances of the words of each test by hand and eye, with one fault in the car.

func turnedChances(f fault.Fault, t Test, into []float64) {
	here := slices.Contains(f.Parts(), t.Part)
	switch { // free, drags, rough, stuck
	case here && f.Words == fault.Seized:
		into[0], into[1], into[2], into[3] = (1-sureOfHand)/3, (1-sureOfHand)/3, (1-sureOfHand)/3, sureOfHand
	case here && f.Words == fault.Worn:
		into[0], into[1], into[2], into[3] = 1-dragsFelt, dragsFelt*0.6-stuckFelt, dragsFelt*0.4, stuckFelt
	default:
		into[1], into[2], into[3] = dragsAnyway-roughAnyway, roughAnyway, stuckAnyway
		into[0] = 1 - dragsAnyway - stuckAnyway
	}
}

func wiggledChances(f fault.Fault, t Test, into []float64) {
	into[1] = changesAnyway
	switch {
	case touches(f, t.Part) && (f.Intermittent || f.Words == fault.Brushes):
		into[1] = wiggleShows
	case slices.Contains(f.Parts(), t.Part) && (f.Words == fault.Seized || f.Words == fault.Worn):
		into[1] = freed
	}
	into[0] = 1 - into[1]
}

var wireWords = []string{"whole", "cut", "chafed", "melted"}

// wordsFor are the words for a part looked at.
func wordsFor(part *harness.Part) []string {
	if part == nil {
		return harness.Kind("").Traits().LooksOf()
	}
	return part.Traits().LooksOf()
}

// lookedChances are those of each word for a part with one fault in the car. What is broken, blown or backed out is
// direct evidence; old heat and green mean little.
func lookedChances(f fault.Fault, t Test, words []string, into []float64) {
	clear(into)
	at := touches(f, t.Part)
	left := 1.0
	give := func(word string, chance float64) {
		if k := slices.Index(words, word); k > 0 {
			into[k] = chance * left // of those times at which nothing plainer was seen
			left -= into[k]
		}
	}
	either := func(is bool, chance, anyway float64) float64 {
		if is {
			return chance
		}
		return anyway
	}
	here := slices.Contains(f.Parts(), t.Part)
	mine := f.Words != "" && f.Subject() == t.Part // of a wire or a terminal
	give("cut", either(mine && f.Words == fault.Open, cutSeen, brokenAnyway))
	give("chafed", either(mine && f.IsHeld(), corrodedSeen, seenAnyway))
	give("melted", either(mine && f.On == fault.OnWire, meltedSeen, meltedAnyway))
	at = at || mine
	open := here && f.On == fault.OnPart && f.Words == fault.Open
	give("blown", either(open, blownSeenIn(t.Of), brokenAnyway))
	within := here && f.On == fault.OnPart && (f.Words == fault.LimiterOpen || f.Words == fault.StepOpen)
	give("broken", either(open, brokenSeen, either(within, heatSeen, brokenAnyway)))
	give("backed out", either(at && f.On == fault.OnPin && (mine || here), brokenSeen, brokenAnyway))
	give("loose", either(at && badJoint(f), corrodedSeen, seenAnyway))
	anyway := either(here && f.On == fault.OnPart, ownMark, seenAnyway)
	give("heat", either(at && (burnt(f) || badJoint(f)), heatSeen, anyway))
	give("corrosion", either(at && badJoint(f), corrodedSeen, anyway))
	give("water", either(at && badJoint(f), corrodedSeen, anyway))
	give("wet", either(at && badJoint(f), corrodedSeen, seenAnyway))
	if whole := slices.Index(words, "looks whole"); whole > 0 { // said of a fuse pulled for a look, as often as clean
		into[whole] = left / 2
		left /= 2
	}
	into[0] = left
}

// blownSeenIn is how often a blown fuse is seen to be: a cartridge's element is hidden, and looks whole half of the time.
func blownSeenIn(part *harness.Part) float64 {
	if part != nil {
		if spec, ok := part.Spec.(*harness.Fuse); ok {
			switch spec.Style {
			case harness.StyleCartridge, harness.StyleLink, harness.StyleMaxi:
				return hiddenSeen
			}
		}
	}
	return brokenSeen
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
