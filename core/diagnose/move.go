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

// Move is a test worth making now. Do, State, Setup and At are the keys its observation
// will carry.
type Move struct {
	Do       probe.Do  `json:"do"`
	State    string    `json:"state"`
	At       string    `json:"at,omitempty"`
	From     string    `json:"from,omitempty"`
	Setup    []string  `json:"setup"`
	Minutes  float64   `json:"minutes"`
	Bits     float64   `json:"bits"`
	Good     string    `json:"good"` // what a car with nothing wrong shows
	Outcomes []Outcome `json:"outcomes"`
	Title    string    `json:"title"`
	Steps    []string  `json:"steps"`
	Cautions []string  `json:"cautions,omitempty"`
	Proof    string    `json:"proof,omitempty"` // what it proves, for a move the verdict still lacks
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
}

// conclude fills in verdict and next moves.
func (g *Guide) conclude(a *Assessment, b *belief, seen []probe.Observation, now Now, policy Policy) error {
	if err := g.best(a, b, seen, now, policy); err != nil {
		return err
	}
	if len(a.Next) == 0 && len(a.Suspects) > 1 {
		a.Suspects = mergeAll(a.Suspects)
	}
	if len(a.Suspects) > 0 && a.Suspects[0].Probability >= verdictAt && !g.suspects[a.Suspects[0].members[0]].unknown {
		top := a.Suspects[0]
		v := &Verdict{Faults: append([]string{top.Fault}, top.SameAs...), Probability: top.Probability, Lacks: []string{}}
		lacking := g.lacking(top.members[0], seen)
		if len(lacking) == 0 {
			rival, err := g.rival(top, b, seen, now)
			if err != nil {
				return err
			}
			lacking = rival
		}
		if len(lacking) > 0 {
			a.Next = nil
		}
		for _, l := range lacking {
			v.Lacks = append(v.Lacks, l.text)
			m, err := g.move(l.test, b, now)
			if err != nil {
				return err
			}
			m.Proof = l.text
			a.Next = append(a.Next, m)
		}
		slices.SortStableFunc(a.Next, func(x, y Move) int { return cmp.Compare(x.Minutes, y.Minutes) })
		a.Next = a.Next[:min(len(a.Next), movesOffered)]
		v.Proven = len(lacking) == 0
		a.Verdict = v
		if v.Proven {
			a.Next = []Move{}
			return g.afterRepair(a, b, seen, now)
		}
	}
	return nil
}

// afterRepair asks every state again once something has been renewed.
func (g *Guide) afterRepair(a *Assessment, b *belief, seen []probe.Observation, now Now) error {
	kept := probe.Lasting(now.Setup)
	if len(kept) == 0 {
		return nil
	}
	for _, l := range g.unseenStates(seen, kept) {
		m, err := g.move(l.test, b, now)
		if err != nil {
			return err
		}
		m.Proof = "after the repair: " + l.text
		a.Next = append(a.Next, m)
	}
	return nil
}

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

type scored struct {
	test  probe.Test
	score float64
	bits  float64
}

// leastBits is the information below which a test is not worth offering.
const leastBits = 0.03

// best offers the tests with most expected information per minute, each at another place.
func (g *Guide) best(a *Assessment, b *belief, seen []probe.Observation, now Now, policy Policy) error {
	list, err := g.rank(b, seen, now)
	if err != nil {
		return err
	}
	if policy == Textbook {
		g.byTextbook(list)
	}
	type place struct {
		do    probe.Do
		at    harness.Pin
		from  harness.Pin
		state *harness.State
	}
	taken := map[place]bool{}
	a.Next = []Move{}
	for _, s := range list {
		p := place{do: s.test.Do, at: s.test.At, from: s.test.From}
		if s.test.Do == probe.LookAtFans {
			p.state = s.test.State
		}
		if taken[p] {
			continue
		}
		taken[p] = true
		m, err := g.move(s.test, b, now)
		if err != nil {
			return err
		}
		if a.Next = append(a.Next, m); len(a.Next) == movesOffered {
			break
		}
	}
	return nil
}

// rank lists the tests not yet made that tell something, by information per minute.
func (g *Guide) rank(b *belief, seen []probe.Observation, now Now) ([]scored, error) {
	var list []scored
	for _, t := range probe.Tests(g.circuit, now.Setup) {
		if g.done(t, seen) {
			continue
		}
		o, err := g.classes(t, b)
		if err != nil {
			return nil, err
		}
		if bits := o.bits(b.of); bits > leastBits {
			list = append(list, scored{t, bits / t.Minutes(g.circuit, now.State, now.Setup), bits})
		}
	}
	slices.SortStableFunc(list, func(x, y scored) int { return cmp.Compare(y.score, x.score) })
	return list, nil
}

// done tells whether this very test has been made, or its pin cannot be reached.
func (g *Guide) done(t probe.Test, seen []probe.Observation) bool {
	key := t.Key()
	return slices.ContainsFunc(seen, func(o probe.Observation) bool {
		if o.Unreachable {
			return o.At == t.At.String() || t.From.Part != "" && o.At == t.From.String()
		}
		made, err := o.Test(g.circuit)
		return err == nil && made.Key() == key
	})
}

// move words a test for a person.
func (g *Guide) move(t probe.Test, b *belief, now Now) (Move, error) {
	o, err := g.classes(t, b)
	if err != nil {
		return Move{}, err
	}
	m := Move{
		Do: t.Do, State: t.State.Name, Setup: probe.SetupWords(t.Setup),
		Minutes: t.Minutes(g.circuit, now.State, now.Setup), Bits: o.bits(b.of), Good: g.healthy(t),
	}
	for k, label := range o.labels {
		m.Outcomes = append(m.Outcomes, Outcome{label, o.total[k], g.leaves(o, k, b.of)})
	}
	slices.SortStableFunc(m.Outcomes, func(x, y Outcome) int { return cmp.Compare(y.Probability, x.Probability) })
	if t.Do == probe.Volts {
		m.At = t.At.String()
	}
	if t.From.Part != "" {
		m.From = t.From.String()
	}
	g.word(&m, t, now)
	return m, nil
}

// leaves names what an answer would leave: the suspects that then hold most belief.
func (g *Guide) leaves(o *outcomes, class int, belief []float64) []string {
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
			list = append(list, left{g.suspects[i].name, p})
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

// word writes title, steps and cautions.
func (g *Guide) word(m *Move, t probe.Test, now Now) {
	command := strings.Join(g.circuit.CommandsIn(t.State, nil, harness.Heard{}), " and ")
	asked := "nothing commanded"
	if command != "" {
		asked = t.State.Name + " commanded"
	}
	m.Steps = append(m.Steps, g.setupSteps(now.Setup, t.Setup)...)
	switch {
	case now.State == t.State:
		m.Steps = append(m.Steps, fmt.Sprintf("%s stays as it is (%s).", capital(t.State.Name), asked))
	case command == "":
		m.Steps = append(m.Steps, fmt.Sprintf("Key %s, nothing commanded (%s).", onOff(t.State.Key), t.State.Name))
	default:
		m.Steps = append(m.Steps, fmt.Sprintf("Command %s.", t.State.Name))
	}
	if t.Do == probe.LookAtFans {
		m.Title = fmt.Sprintf("Look at each fan, %s", asked)
		m.Steps = append(m.Steps, "Go and look at each fan by itself; “commanded on” is not “running”.",
			"Say what each fan did: stopped, slow, fast, backwards.")
		m.Cautions = append(m.Cautions, "Fans start without warning, key off too: hands and clothes clear.")
		return
	}
	part := g.circuit.Part(t.At.Part)
	m.Title = fmt.Sprintf("Volts at %s, %s", g.side(t.At), asked)
	black := "battery negative post"
	if t.From.Part != "" {
		m.Title = fmt.Sprintf("Drop from %s to %s, %s", t.At, t.From, asked)
		black = g.where(t.From)
	}
	m.Steps = append(m.Steps, "Black lead: "+black+".", "Red lead: "+g.where(t.At)+".")
	if part.Kind() == harness.KindMotor || command != "" {
		m.Cautions = append(m.Cautions, "Fans start without warning: keep hands and leads clear of the blades.")
	}
	if part.Kind() == harness.KindController {
		m.Cautions = append(m.Cautions, "Module pin: a high-impedance meter only, no lamp.")
	}
	if part.Kind() == harness.KindRelay && !slices.Contains(t.Setup, electric.Action{Verb: electric.Out, Part: part.Name}) {
		m.Cautions = append(m.Cautions, "Back-probe from the wire side with the relay in; do not spread the terminal.")
	}
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

func (g *Guide) do(a electric.Action) string {
	switch a.Verb {
	case electric.Out:
		return "pull " + a.Part + g.place(a.Part)
	case electric.Unplugged:
		return "unplug " + a.Part + g.place(a.Part)
	case electric.Apart:
		return "part " + a.Part + g.place(a.Part)
	}
	return a.String()
}

func (g *Guide) undo(a electric.Action) string {
	switch a.Verb {
	case electric.Out:
		return "refit " + a.Part + g.place(a.Part)
	case electric.Unplugged, electric.Apart:
		return "plug " + a.Part + " in again" + g.place(a.Part)
	}
	return "take away: " + a.String()
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

// wordFans spells what each fan does.
func (g *Guide) wordFans(motors map[string]electric.MotorPoint) string {
	var list []string
	for _, fan := range g.fans {
		list = append(list, fmt.Sprintf("%s %s", fan, motors[fan].Speed))
	}
	return strings.Join(list, ", ")
}

func capital(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

func onOff(on bool) string {
	if on {
		return "on"
	}
	return "off"
}
