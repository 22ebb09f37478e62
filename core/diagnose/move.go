package diagnose

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"

	"ironthread/core/harness"
	"ironthread/core/instruct"
	"ironthread/core/probe"
)

// Move is a test worth making now: what is asked, as its observation will carry it, what it costs and tells,
// and how it is done.
type Move struct {
	probe.Question `json:"-"`

	Minutes  float64   `json:"minutes"`
	Bits     float64   `json:"bits"`
	Good     string    `json:"good"` // what a car with nothing wrong shows
	Outcomes []Outcome `json:"outcomes"`
	Title    string    `json:"title"`
	Steps    []string  `json:"steps"`
	Cautions []string  `json:"cautions,omitempty"`
	Tools    []string  `json:"tools,omitempty"`
	Proof    string    `json:"proof,omitempty"` // what it proves, for a move the verdict still lacks
	Retest   bool      `json:"-"`               // it is asked for to see what a repair has done
}

// MarshalJSON writes the question by the keys that its observation will carry, and beside them what is said of it.
func (m Move) MarshalJSON() ([]byte, error) {
	type said Move // but for what is written here
	asked, err := json.Marshal(probe.Observation{Question: m.Question})
	if err != nil {
		return nil, fmt.Errorf("writing a move: %w", err)
	}
	rest, err := json.Marshal(struct {
		Do    probe.Do `json:"do"`
		Setup []string `json:"setup"`
		said
	}{m.Do, m.Setup, said(m)})
	if err != nil {
		return nil, fmt.Errorf("writing a move: %w", err)
	}
	var all map[string]json.RawMessage
	for _, part := range [][]byte{asked, rest} {
		if err := json.Unmarshal(part, &all); err != nil {
			return nil, fmt.Errorf("writing a move: %w", err)
		}
	}
	return json.Marshal(all)
}

// Outcome is one class of answer and what it would leave.
type Outcome struct {
	Reading     string   `json:"reading"`
	Probability float64  `json:"probability"`
	Leaves      []string `json:"leaves"`
}

// best offers the tests with most expected information per minute, each at another place.
func (ch *chooser) best() ([]Move, error) {
	list, err := ch.rank()
	if err != nil {
		return nil, err
	}
	if order := ch.now.Order; order != nil {
		slices.SortStableFunc(list, func(x, y scored) int { return cmp.Compare(order(x.test), order(y.test)) })
	}
	type place struct {
		do    probe.Do
		at    harness.Pin
		from  harness.Pin
		state *harness.State
		part  string
	}
	taken := map[place]bool{}
	moves := []Move{}
	for _, s := range list {
		p := place{do: s.test.Do, at: s.test.At, from: s.test.From, part: s.test.Part}
		if s.test.At.Part == "" && s.test.Part == "" { // at no place: each state is one
			p.state = s.test.State
		}
		if taken[p] {
			continue
		}
		taken[p] = true
		m, err := ch.move(s.test)
		if err != nil {
			return nil, err
		}
		if moves = append(moves, m); len(moves) == movesOffered {
			break
		}
	}
	return moves, nil
}

// move words a test for a person.
func (ch *chooser) move(t probe.Test) (Move, error) {
	b := ch.belief
	live := b.live(ch.guide.suspects)
	o, err := ch.asked.answers(t, live).classes(b, live)
	if err != nil {
		return Move{}, err
	}
	m := Move{
		Question: t.Question(), Tools: t.Tools(),
		Minutes: ch.minutes(t), Bits: o.bits(b.of, b.same),
	}
	good := ch.guide.Healthy(t)
	m.Good = good.String()
	m.Outcomes = ch.forecast(t, o)
	slices.SortStableFunc(m.Outcomes, func(x, y Outcome) int { return cmp.Compare(y.Probability, x.Probability) })
	card := instruct.Test(ch.guide.circuit, t, instruct.Now{State: ch.now.State, Setup: ch.now.Setup, Kit: ch.now.Kit})
	m.Title, m.Steps, m.Cautions = card.Title, card.Steps, card.Cautions
	return m, nil
}

// leaves names what an answer would leave: the suspects that then hold most belief. Those that change no fan stand there as "no
// fault", together.
func (ch *chooser) leaves(o *outcomes, class int, belief []float64) []string {
	type left struct {
		name string
		p    float64
	}
	var list []left
	sum, well := 0.0, 0.0
	for i, row := range o.chance {
		if row == nil {
			continue
		}
		p := belief[i] * row[class]
		sum += p
		if i == ch.guide.suspects.nobody() || slices.Contains(ch.belief.same, i) {
			well += p
			continue
		}
		list = append(list, left{ch.guide.suspects[i].Name, p})
	}
	list = append(list, left{NoFault, well})
	slices.SortStableFunc(list, func(x, y left) int { return cmp.Compare(y.p, x.p) })
	var names []string
	for _, l := range list {
		if len(names) == leavesNamed || l.p < leavesAtLeast*sum {
			break
		}
		names = append(names, l.name)
	}
	return names
}
