package diagnose

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Move is a test worth making now. Do, State, Setup, At and the other keys are those its
// observation will carry.
type Move struct {
	Do        probe.Do  `json:"do"`
	State     string    `json:"state"`
	At        string    `json:"at,omitempty"`
	From      string    `json:"from,omitempty"`
	With      string    `json:"with,omitempty"` // of a lamp
	Part      string    `json:"-"`              // of tests of a part; in the file it stands under the test's own key
	Relay     string    `json:"relay,omitempty"`
	Turned    string    `json:"turned,omitempty"`
	Looked    string    `json:"looked,omitempty"`
	Wiggled   string    `json:"wiggled,omitempty"`
	Bench     string    `json:"bench,omitempty"` // a relay, between two of its pins
	Between   []string  `json:"between,omitempty"`
	Energised bool      `json:"energised,omitempty"`
	Setup     []string  `json:"setup"`
	Minutes   float64   `json:"minutes"`
	Bits      float64   `json:"bits"`
	Good      string    `json:"good"` // what a car with nothing wrong shows
	Outcomes  []Outcome `json:"outcomes"`
	Title     string    `json:"title"`
	Steps     []string  `json:"steps"`
	Cautions  []string  `json:"cautions,omitempty"`
	Tools     []string  `json:"tools,omitempty"`
	Proof     string    `json:"proof,omitempty"` // what it proves, for a move the verdict still lacks
}

// Asked is the observation that answers the move, but for the answer itself.
func (m *Move) Asked() probe.Observation {
	o := probe.Observation{
		State: m.State, Setup: m.Setup, At: m.At, From: m.From, With: m.With,
		Bench: m.Bench, Between: m.Between, Energised: m.Energised,
	}
	o.About(m.Do, m.Part)
	return o
}

// Outcome is one class of answer and what it would leave.
type Outcome struct {
	Reading     string   `json:"reading"`
	Probability float64  `json:"probability"`
	Leaves      []string `json:"leaves"`
}

// Verdict is a group that holds nearly all belief, and what its proof still lacks.
type Verdict struct {
	Faults      []string `json:"faults"`
	Probability float64  `json:"probability"`
	Proven      bool     `json:"proven"`
	Lacks       []string `json:"lacks"`
	Again       bool     `json:"again,omitempty"` // its part has been renewed: the new one is bad
	Alike       *Alike   `json:"alike,omitempty"` // why there are several faults
}

// conclude fills in verdict and next moves.
func (g *inquiry) conclude(a *Assessment, b *belief, seen []probe.Observation, now Now, policy Policy) error {
	if err := g.best(a, b, seen, now, policy); err != nil {
		return err
	}
	if len(a.Next) == 0 && len(a.Suspects) > 1 {
		a.Suspects = mergeAll(a.Suspects)
	}
	if len(a.Suspects) == 0 {
		return nil
	}
	top := g.oneRepair(a.Suspects[0], b)
	if g.suspects[top.members[0]].Unknown {
		return g.askAgain(a, b, seen, now)
	}
	if top.Probability < verdictAt && !b.two() {
		return g.askAgain(a, b, seen, now)
	}
	lacking := g.lacking(top.members[0], seen, now)
	sure := top.Probability >= verdictAt || b.two() && len(lacking) == 0 && top.Probability >= oneOfTwoAt
	switch {
	case !sure && b.two() && top.Probability >= worthProving && len(lacking) > 0:
		// With two things wrong a forecast of one says little: the likeliest is settled first.
		a.Next = []Move{}
		return g.offer(a, lacking, b, now)
	case !sure:
		return g.askAgain(a, b, seen, now)
	}
	if len(lacking) == 0 && !b.two() { // of two, the other is no rival
		rival, err := g.rival(top, b, seen, now)
		if err != nil {
			return err
		}
		lacking = rival
	}
	a.Verdict = &Verdict{
		Faults: append([]string{top.Fault}, top.SameAs...), Probability: top.Probability, Lacks: []string{}, Proven: len(lacking) == 0,
		Alike: top.Alike, Again: top.Again,
	}
	for _, l := range lacking {
		a.Verdict.Lacks = append(a.Verdict.Lacks, l.text)
	}
	a.Next = []Move{}
	return g.offer(a, lacking, b, now)
}

// With two faults, one of them is a verdict from here on, and worth proving from there on.
const (
	oneOfTwoAt   = 0.85
	worthProving = 0.4
)

// two tells whether two faults are likelier than one.
func (b *belief) two() bool {
	sum := 0.0
	for _, p := range b.pairs {
		sum += p.p
	}
	return sum > 0.5
}

// offer makes what is lacking the next moves, the quickest first.
func (g *inquiry) offer(a *Assessment, lacking []lack, b *belief, now Now) error {
	slices.SortStableFunc(lacking, func(x, y lack) int {
		return cmp.Compare(x.test.Minutes(g.circuit, now.State, now.Setup), y.test.Minutes(g.circuit, now.State, now.Setup))
	})
	for _, l := range lacking[:min(len(lacking), movesOffered)] {
		m, err := g.move(l.test, b, now)
		if err != nil {
			return err
		}
		m.Proof = l.text
		a.Next = append(a.Next, m)
	}
	return nil
}

// oneRepair adds to the leading group those that the same repair mends: which way a relay has
// failed need not be known to renew it.
func (g *inquiry) oneRepair(top Standing, b *belief) Standing {
	leader := g.suspects[top.members[0]]
	if leader.Fault.Words == "" || leader.ComesAndGoes() {
		return top
	}
	repair := electric.RepairOf(leader.Fault)
	members := slices.Clone(top.members)
	for i, s := range g.suspects {
		if s.Fault.Words != "" && b.of[i] >= stillStanding && !slices.Contains(members, i) && electric.RepairOf(s.Fault) == repair {
			members = append(members, i)
		}
	}
	return g.group(members, b)
}

// askAgain, after a repair and while nothing speaks against it, asks every state again.
func (g *inquiry) askAgain(a *Assessment, b *belief, seen []probe.Observation, now Now) error {
	if g.begun() || b.of[g.nobody()] < stillMended {
		return nil
	}
	unseen := g.unseenStates(seen, probe.Lasting(now.Setup))
	if len(unseen) == 0 {
		return nil
	}
	for k := range unseen {
		unseen[k].text = "after the repair: " + unseen[k].text
	}
	a.Next = []Move{}
	return g.offer(a, unseen, b, now)
}

// stillMended is the belief in "no fault" down to which a repair counts as good so far.
const stillMended = 0.2

// mergeAll makes one group of all that still has a likelihood worth naming, where no test at
// hand would tell any of it apart.
func mergeAll(groups []Standing) []Standing {
	const worthNaming = 0.02
	first := groups[0]
	var rest []Standing
	for _, s := range groups[1:] {
		if s.Probability < worthNaming || s.Fault == SomethingElse {
			rest = append(rest, s)
			continue
		}
		first.Probability += s.Probability
		first.SameAs = append(append(first.SameAs, s.Fault), s.SameAs...)
		first.members = append(first.members, s.members...)
	}
	return append([]Standing{first}, rest...)
}

// move words a test for a person.
func (g *inquiry) move(t probe.Test, b *belief, now Now) (Move, error) {
	o, err := g.classes(t, b)
	if err != nil {
		return Move{}, err
	}
	m := Move{
		Do: t.Do, State: t.State.Name, Setup: probe.SetupWords(t.Setup),
		Minutes: g.minutes(t, now), Bits: o.bits(b.of, b.same),
	}
	good := g.healthy(t)
	m.Good = good.String()
	for k, label := range o.labels {
		m.Outcomes = append(m.Outcomes, Outcome{label, o.total[k], g.leaves(o, k, b.of)})
	}
	slices.SortStableFunc(m.Outcomes, func(x, y Outcome) int { return cmp.Compare(y.Probability, x.Probability) })
	m.With, m.Part, m.Tools = t.With, t.Part, t.Tools()
	about := probe.Observation{}
	about.About(t.Do, t.Part)
	m.Relay, m.Turned, m.Looked, m.Wiggled = about.Relay, about.Turned, about.Looked, about.Wiggled
	switch {
	case t.At.Part == "":
	case t.At.Inner && t.Do == probe.Ohms:
		m.Bench, m.Between = t.At.Part, []string{t.At.Name, t.From.Name}
		m.Energised = slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == electric.Pack })
	default:
		m.At = t.At.String()
		if t.From.Part != "" {
			m.From = t.From.String()
		}
	}
	g.word(&m, t, now)
	return m, nil
}

// leaves names what an answer would leave: the suspects that then hold most belief.
func (g *inquiry) leaves(o *outcomes, class int, belief []float64) []string {
	type left struct {
		name string
		p    float64
	}
	var list []left
	sum := 0.0
	for i, row := range o.chance {
		if row != nil {
			p := belief[i] * row[class]
			sum += p
			list = append(list, left{g.suspects[i].Name, p})
		}
	}
	slices.SortStableFunc(list, func(x, y left) int { return cmp.Compare(y.p, x.p) })
	var names []string
	for _, l := range list {
		if len(names) == 6 || l.p < 0.05*sum {
			break
		}
		names = append(names, l.name)
	}
	return names
}

// setupSteps says what to undo and do to get from one set-up to another.
func (g *Guide) setupSteps(from, to []electric.Action) []string {
	var steps []string
	for _, a := range from {
		if !slices.Contains(to, a) {
			steps = append(steps, capital(g.undo(a))+".")
		}
	}
	for _, a := range to {
		if !slices.Contains(from, a) {
			steps = append(steps, capital(g.do(a))+".")
		}
	}
	return steps
}

// do says how something is done to the car.
func (g *Guide) do(a electric.Action) string {
	switch a.Verb {
	case electric.Out:
		return "pull " + a.Part + g.place(a.Part)
	case electric.Unplugged:
		return "unplug " + a.Part + g.place(a.Part)
	case electric.Apart:
		switch g.circuit.Part(a.Part).Kind() {
		case harness.KindBattery:
			return "take the negative lead off " + a.Part + g.place(a.Part)
		case harness.KindGround:
			return "undo the ground joint " + a.Part + g.place(a.Part)
		}
		return "take " + a.Part + " apart" + g.place(a.Part)
	case electric.Jumper:
		return fmt.Sprintf("bridge %s to %s with a fused lead", a.From, a.To)
	case electric.GroundPin:
		return fmt.Sprintf("join %s to battery negative with a fused lead, once it is proven to be no hard feed", a.From)
	case electric.Feed:
		return fmt.Sprintf("join %s to battery positive with a fused lead", a.From)
	case electric.Pack:
		return fmt.Sprintf("battery pack, fused, on the part itself: plus to terminal %s, minus to terminal %s", a.From.Name, a.To.Name)
	case electric.Swapped:
		return fmt.Sprintf("let %s and %s change places%s", a.Part, a.Other, g.place(a.Part))
	case electric.Replaced:
		return fmt.Sprintf("put a resistor of %s on the plug of %s; it blinds gauge and controller to real heat",
			probe.FormatOhms(a.Ohms), a.Part)
	}
	return a.String()
}

// undo says how it is put back.
func (g *Guide) undo(a electric.Action) string {
	switch a.Verb {
	case electric.Out:
		return "refit " + a.Part + g.place(a.Part)
	case electric.Apart:
		switch g.circuit.Part(a.Part).Kind() {
		case harness.KindBattery:
			return "put the negative lead back on " + a.Part + g.place(a.Part)
		case harness.KindGround:
			return "make the ground joint " + a.Part + " again" + g.place(a.Part)
		}
		return "join " + a.Part + " again" + g.place(a.Part)
	case electric.Unplugged, electric.Replaced:
		return "plug " + a.Part + " in again" + g.place(a.Part)
	case electric.Jumper, electric.GroundPin, electric.Feed:
		return "take the lead off " + a.From.String()
	case electric.Pack:
		return "take the battery pack off " + a.From.Part
	case electric.Swapped:
		return fmt.Sprintf("put %s and %s back in their places", a.Part, a.Other)
	}
	return "no longer: " + a.String()
}

func (g *Guide) place(part string) string {
	if at := g.circuit.Part(part).At; at != "" {
		return " (" + at + ")"
	}
	return ""
}

// side names a pin, and for a fuse or a switch the part it faces.
func (g *Guide) side(pin harness.Pin) string {
	switch g.circuit.Part(pin.Part).Kind() {
	case harness.KindFuse, harness.KindSwitch, harness.KindResistor:
	default:
		return pin.String()
	}
	for _, w := range g.circuit.Wires {
		for _, ends := range [][2]harness.Pin{{w.From, w.To}, {w.To, w.From}} {
			if ends[0] == pin {
				return fmt.Sprintf("%s, the side facing %s", pin, ends[1].Part)
			}
		}
	}
	return pin.String()
}

// where tells where the lead goes: pin, place, colour of the wire.
func (g *Guide) where(pin harness.Pin) string {
	s := g.side(pin)
	if at := g.circuit.Part(pin.Part).At; at != "" {
		s += ", " + at
	}
	for _, w := range g.circuit.Wires {
		if (w.From == pin || w.To == pin) && w.Colour != "" {
			s += ", " + w.Colour + " wire"
			break
		}
	}
	return s
}

func capital(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}
