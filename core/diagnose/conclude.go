package diagnose

import (
	"cmp"
	"slices"

	"ironthread/core/instruct"
)

// Assessment is what the evidence leaves, in the shape of the command line's JSON.
type Assessment struct {
	Suspects   []Standing  `json:"suspects"` // groups, likeliest first
	Cleared    []string    `json:"cleared"`  // parts
	Next       []Move      `json:"next"`     // best first
	Verdict    *Verdict    `json:"verdict"`
	Surprising []Surprise  `json:"surprising,omitempty"`
	Pairs      []Pair      `json:"pairs,omitempty"` // two faults at once, where no single one explains the log
	Mended     *Mended     `json:"mended,omitempty"`
	Repaired   []string    `json:"repaired,omitempty"` // what has been renewed: older evidence is of another car
	Left       int         `json:"left"`               // suspects still standing
	Of         int         `json:"of"`
	Belief     PartsBelief `json:"-"`
}

// Verdict is a group that holds nearly all belief, and what its proof still lacks.
type Verdict struct {
	Faults      []string `json:"faults"`
	Probability float64  `json:"probability"`
	Proven      bool     `json:"proven"`
	Lacks       []string `json:"lacks"`
	Again       bool     `json:"again,omitempty"` // its part has been renewed: the new one is bad

	// Untouched says that nothing was seen, felt or read at its part: it is left by elimination alone.
	Untouched bool `json:"untouched,omitempty"`

	Alike *instruct.Alike `json:"alike,omitempty"` // why there are several faults
}

// conclude fills in verdict and next moves.
func (g *prover) conclude(a *Assessment) error {
	b := g.b
	var err error
	if a.Next, err = g.best(); err != nil {
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
		return g.askAgain(a)
	}
	if top.Probability < VerdictAt && !b.two() {
		return g.askAgain(a)
	}
	lacking := g.lacking(top.members[0])
	sure := top.Probability >= VerdictAt || b.two() && len(lacking) == 0 && top.Probability >= oneOfTwoAt
	switch {
	case !sure && b.two() && top.Probability >= worthProving && len(lacking) > 0:
		// With two things wrong a forecast of one says little: the likeliest is settled first.
		a.Next, err = g.offer(lacking)
		return err
	case !sure:
		return g.askAgain(a)
	}
	if len(lacking) == 0 && !b.two() { // of two, the other is no rival
		rival, err := g.rival(top)
		if err != nil {
			return err
		}
		lacking = rival
	}
	a.Verdict = &Verdict{
		Faults: append([]string{top.Fault}, top.SameAs...), Probability: top.Probability, Lacks: []string{}, Proven: len(lacking) == 0,
		Alike: top.Alike, Again: top.Again, Untouched: g.untouchedPart(g.suspects[top.members[0]]),
	}
	for _, l := range lacking {
		a.Verdict.Lacks = append(a.Verdict.Lacks, l.text)
	}
	a.Next, err = g.offer(lacking)
	return err
}

// offer makes what is lacking the next moves, the quickest first.
func (g *prover) offer(lacking []lack) ([]Move, error) {
	now, moves := g.now, []Move{}
	slices.SortStableFunc(lacking, func(x, y lack) int {
		return cmp.Compare(x.test.Minutes(g.circuit, now.State, now.Setup), y.test.Minutes(g.circuit, now.State, now.Setup))
	})
	for _, l := range lacking[:min(len(lacking), movesOffered)] {
		m, err := g.move(l.test)
		if err != nil {
			return nil, err
		}
		m.Proof = l.text
		moves = append(moves, m)
	}
	return moves, nil
}

// askAgain, after a repair and while nothing speaks against it, asks every state again.
func (g *prover) askAgain(a *Assessment) error {
	if g.untouched() || g.b.of[g.suspects.nobody()] < stillMended {
		return nil
	}
	unseen := g.unseenStates()
	if len(unseen) == 0 {
		return nil
	}
	for k := range unseen {
		unseen[k].text = "after the repair: " + unseen[k].text
	}
	var err error
	a.Next, err = g.offer(unseen)
	return err
}
