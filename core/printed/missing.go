package printed

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/trace"
)

// While a circuit is being traced it says what it still lacks, as somebody who looks over one's shoulder would: a coil without a ground, a
// fan without a feed. And once it can be solved it says what its fans do; where that is not so, which one wire would make it so.

// Stands is a circuit as far as it has been traced.
type Stands struct {
	Text    string   `json:"-"`
	Missing []string `json:"missing"`
	Wrong   []string `json:"wrong"`   // what cannot be read of it
	Assumed []string `json:"assumed"` // what nobody prints
	Next    []string `json:"next"`    // kinds of part, the most likely first
	Fans    []Does   `json:"fans"`
	States  []State  `json:"states"`
	Asks    []string `json:"commands"`
	Doubts  []string `json:"doubts"`

	Circuit *harness.Circuit `json:"-"`
}

// Does is what the fans do in a state.
type Does struct {
	State string            `json:"state"`
	Fans  map[string]string `json:"fans"`
}

// Look says how far a trace is.
func (t *Trace) Look() *Stands {
	s := &Stands{Missing: t.missing(), Wrong: []string{}, Next: t.next(), Fans: []Does{}, Doubts: []string{}}
	s.Text, s.Assumed = t.Text()
	s.States, s.Asks = t.Asked()
	if s.Assumed == nil {
		s.Assumed = []string{}
	}
	if s.Asks == nil {
		s.Asks = []string{}
	}
	c, err := harness.Read([]byte(s.Text))
	if err != nil {
		for _, e := range harness.AsErrors(err) {
			s.Wrong = append(s.Wrong, e.Where+": "+e.Msg)
		}
		return s
	}
	m, err := electric.New(c)
	if err != nil {
		s.Wrong = append(s.Wrong, err.Error())
		return s
	}
	s.Circuit = c
	s.Fans = does(m)
	for _, x := range trace.Doubts(m) {
		s.Doubts = append(s.Doubts, x.Text)
	}
	return s
}

// does solves each state.
func does(m *electric.Model) []Does {
	list := []Does{}
	for _, st := range m.Circuit.States {
		p, err := m.Solve(electric.Condition{State: st})
		if err != nil {
			continue
		}
		fans := map[string]string{}
		for name, x := range p.Motors {
			fans[name] = string(x.Speed)
		}
		list = append(list, Does{st.Name, fans})
	}
	return list
}

// wired tells whether a wire comes to a pin.
func (t *Trace) wired(pin string) bool {
	return slices.ContainsFunc(t.Wires, func(w Wire) bool { return w.From == pin || w.To == pin })
}

// missing lists what a whole circuit would have, each in a sentence.
func (t *Trace) missing() []string {
	list := []string{}
	say := func(format string, args ...any) { list = append(list, fmt.Sprintf(format, args...)) }
	kinds := map[harness.Kind]int{}
	for _, p := range t.Parts {
		kinds[p.Kind]++
	}
	if kinds[harness.KindBattery] == 0 {
		say("There is no battery yet: the line that is always live begins there")
	}
	if kinds[harness.KindMotor] == 0 {
		say("There is no fan yet")
	}
	for i := range t.Parts {
		list = append(list, t.lacks(&t.Parts[i])...)
	}
	ends := map[string]int{}
	for _, w := range t.Wires {
		for _, end := range []string{w.From, w.To} {
			if name, off := strings.CutPrefix(end, offPage); off {
				ends[name]++
			}
		}
	}
	for _, w := range t.Wires {
		for _, end := range []string{w.From, w.To} {
			if name, off := strings.CutPrefix(end, offPage); off && ends[name] == 1 {
				say("%s goes on somewhere else, and stands on one page only", name)
			}
		}
	}
	return list
}

// lacks is what a part still lacks.
func (t *Trace) lacks(p *Part) []string {
	var list []string
	say := func(format string, args ...any) { list = append(list, p.Name+fmt.Sprintf(format, args...)) }
	no := func(pin string) bool { return !t.wired(p.Name + "." + pin) }
	switch p.Kind {
	case harness.KindMotor:
		switch {
		case p.Settings != "":
		case no("+") && no("-"):
			say(" is wired to nothing yet")
		case no("+"):
			say(" has no feed (+)")
		case no("-"):
			say(" has no ground (-)")
		}
	case harness.KindRelay:
		switch {
		case no("86") && no("85"):
			say(" has nothing on its coil")
		case no("86"):
			say(" has nothing on its coil's 86")
		case no("85"):
			say(" has nothing on its coil's 85")
		default:
			a, b := t.reaches(p.Name+".86"), t.reaches(p.Name+".85")
			if a.ground && b.ground {
				say(": both ends of its coil go to ground")
			} else if a.plus && b.plus {
				say(": both ends of its coil come from the battery, none goes to ground")
			}
		}
		if no("30") {
			say(": nothing comes to its 30")
		}
		if no("87") && no("87a") {
			say(": nothing goes on from its contact (87)")
		}
	case harness.KindGround, harness.KindSplice:
		if !t.wired(p.Name) {
			say(" is joined to nothing yet")
		}
	case harness.KindBattery:
		if no("+") {
			say(": nothing hangs on its plus")
		}
	default:
		ends := p.Kind.Traits().Ends
		if ends[0] == "" {
			break
		}
		if one, other := no(ends[0]), no(ends[1]); one || other {
			say(" is wired at %s only", map[bool]string{true: "no end, and at best one", false: "one end"}[one && other])
		}
	}
	for i, text := range list {
		list[i] = strings.Replace(text, "is wired at no end, and at best one only", "is wired at no end yet", 1)
	}
	return list
}

// next is which kinds of part are likely to come next, by what is still missing.
func (t *Trace) next() []string {
	count := map[harness.Kind]int{}
	for _, p := range t.Parts {
		count[p.Kind]++
	}
	coils := false // that nobody drives
	for i := range t.Parts {
		if p := &t.Parts[i]; p.Kind == harness.KindRelay && !t.wired(p.Name+".85") {
			coils = true
		}
	}
	usual := []harness.Kind{harness.KindRelay, harness.KindFuse, harness.KindMotor, harness.KindController, harness.KindSwitch,
		harness.KindResistor, harness.KindGround, harness.KindConnector, harness.KindSplice, harness.KindDiode, harness.KindThermoswitch,
		harness.KindPressureSwitch, harness.KindResistorCard, harness.KindFanModule, harness.KindPWMModule}
	weight := func(k harness.Kind) int {
		switch {
		case k == harness.KindBattery && count[k] == 0:
			return 100
		case k == harness.KindFuse && count[k] == 0:
			return 90
		case k == harness.KindMotor && count[k] == 0 && count[harness.KindRelay] > 0:
			return 80
		case k == harness.KindController && coils && count[k] == 0 && count[harness.KindRelay] > 1:
			return 70
		case k == harness.KindGround && count[k] == 0 && count[harness.KindMotor] > 0:
			return 60
		}
		return 20 - slices.Index(usual, k)
	}
	list := append([]harness.Kind{harness.KindBattery}, usual...)
	if count[harness.KindBattery] > 0 {
		list = usual
	}
	slices.SortStableFunc(list, func(a, b harness.Kind) int { return weight(b) - weight(a) })
	words := make([]string, len(list))
	for i, k := range list {
		words[i] = string(k)
	}
	return words
}

// mostFixes is how many wires are offered that would each make it so.
const mostFixes = 3

// Fixes looks for one wire, laid anew, that makes the fans do what is wanted in every state that is named; none where none does. It
// ends with the context.
func (t *Trace) Fixes(ctx context.Context, wanted map[string]map[string]string) []Wire {
	s := t.Look()
	if s.Circuit == nil {
		return nil
	}
	var pins []harness.Pin
	loose := map[harness.Pin]bool{}
	for _, p := range s.Circuit.Parts {
		for _, pin := range p.Pins() {
			pins = append(pins, pin)
			loose[pin] = !slices.ContainsFunc(s.Circuit.Wires, func(w *harness.Wire) bool { return w.From == pin || w.To == pin })
		}
	}
	var list []Wire
	for _, both := range []bool{true, false} { // from what hangs on nothing first: that is what is forgotten
		for i, a := range pins {
			for _, b := range pins[i+1:] {
				if a.Part == b.Part || (loose[a] || loose[b]) != both {
					continue
				}
				if ctx.Err() != nil || len(list) >= mostFixes {
					return list
				}
				c := *s.Circuit
				c.Wires = append(slices.Clone(c.Wires), &harness.Wire{From: a, To: b, Parallel: 1})
				if m, err := electric.New(&c); err == nil && fits(m, wanted) {
					list = append(list, Wire{From: a.String(), To: b.String()})
				}
			}
		}
		if len(list) > 0 {
			break
		}
	}
	return list
}

// fits tells whether the fans do what is wanted, and nothing blows.
func fits(m *electric.Model, wanted map[string]map[string]string) bool {
	for _, st := range m.Circuit.States {
		p, err := m.Solve(electric.Condition{State: st})
		if err != nil {
			return false
		}
		for fan, word := range wanted[st.Name] {
			if string(p.Motors[fan].Speed) != word {
				return false
			}
		}
		for _, f := range p.Fuses {
			if f.Open {
				return false
			}
		}
	}
	return true
}
