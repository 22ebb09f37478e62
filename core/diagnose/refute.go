package diagnose

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"ironthread/core/fault"
	"ironthread/core/probe"
)

// Stakes is what believing in one part puts at stake, and what could refute it.
type Stakes struct {
	Part    string     `json:"part"`
	Belief  float64    `json:"belief"`  // that it is this part
	Else    []Standing `json:"else"`    // what else fits the evidence
	Refute  *Move      `json:"refute"`  // the cheapest test that could refute it; nil: none would
	Refuted float64    `json:"refuted"` // the chance that the test speaks against the part
	Price   float64    `json:"price"`   // of the part, in the workshop's money
	Minutes float64    `json:"minutes"` // to renew it
	Loss    float64    `json:"loss"`    // price times the chance that it is innocent
	Wasted  float64    `json:"wasted"`  // minutes likewise
}

// Refute takes the part that a technician believes in and looks for the test that would most
// cheaply prove it innocent.
func (g *Guide) Refute(ctx context.Context, seen []probe.Observation, now Now, name string) (*Stakes, error) {
	part := g.circuit.Part(name)
	if part == nil {
		return nil, fmt.Errorf("there is no part %s", name)
	}
	q, err := g.ask(ctx, now)
	if err != nil {
		return nil, err
	}
	b, _, _, err := q.evidence(seen)
	if err != nil {
		return nil, err
	}
	b.live(g.suspects)
	s := &Stakes{Part: name, Price: part.Price(), Minutes: part.RenewMinutes(), Else: []Standing{}}
	mine := map[int]bool{}
	for i, suspect := range g.suspects {
		if slices.Contains(suspect.Fault.Parts(), name) && suspect.Fault.On != fault.OnPin {
			mine[i] = true
			s.Belief += b.of[i]
		}
	}
	s.Loss, s.Wasted = s.Price*(1-s.Belief), s.Minutes*(1-s.Belief)
	groups, err := q.groups(b)
	if err != nil {
		return nil, err
	}
	for _, standing := range groups {
		if !mine[standing.members[0]] {
			s.Else = append(s.Else, standing)
		}
	}
	s.Else = s.Else[:min(len(s.Else), leavesNamed)]
	return s, q.chooser(b, seen, now).refuter(s, mine)
}

// refuter finds the test that best tells the part from all the rest, a minute.
func (ch *chooser) refuter(s *Stakes, mine map[int]bool) error {
	if s.Belief <= 0 || s.Belief >= 1 {
		return nil
	}
	b := ch.belief
	even := &belief{of: make([]float64, len(ch.guide.suspects)), car: b.car}
	for i := range ch.guide.suspects {
		switch {
		case mine[i]:
			even.of[i] = 0.5 * b.of[i] / s.Belief
		case !ch.guide.suspects[i].Unknown:
			even.of[i] = 0.5 * b.of[i] / (1 - s.Belief)
		}
	}
	live := even.live(ch.guide.suspects)
	list, err := ch.by(even).rank()
	if err != nil {
		return err
	}
	type candidate struct {
		scored
		gain, against float64
	}
	var best []candidate
	for _, t := range list[:min(len(list), 40)] {
		o, err := ch.asked.answers(t.test, live).classes(even, live)
		if err != nil {
			return err
		}
		gain, against := o.between(even.of, mine)
		if gain > 0.1 {
			best = append(best, candidate{t, gain / t.test.Minutes(ch.guide.circuit, ch.now.State, ch.now.Setup), against})
		}
	}
	if len(best) == 0 {
		return nil
	}
	slices.SortStableFunc(best, func(x, y candidate) int { return cmp.Compare(y.gain, x.gain) })
	m, err := ch.move(best[0].test)
	s.Refute, s.Refuted = &m, best[0].against*(1-s.Belief)
	return err
}
