package diagnose

import (
	"cmp"
	"slices"

	"ironthread/core/instruct"
	"ironthread/core/probe"
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
	Also       []Found     `json:"also,omitempty"` // defects measured, seen or felt directly that are not in the verdict
	Outcome    Ending      `json:"outcome"`
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

// conclude fills in verdict and next moves. There is always one of them, or the job is at its end: where no test tells much
// any more the best of the rest is offered, then the tests of the likeliest parts themselves, and at last what is left is said
// to be so.
func (pr *prover) conclude(a *Assessment, e *evidence, sums logs) error {
	err := pr.decide(a, e, sums)
	if err != nil || a.Verdict != nil || len(a.Next) > 0 || len(a.Suspects) == 0 || pr.asked.ending(a, e) != StillOpen {
		return err
	}
	pr.choice.least = leastLeft
	if a.Next, err = pr.choice.best(); err != nil || len(a.Next) > 0 {
		return err
	}
	if a.Next = pr.atTheParts(a.Suspects[:min(len(a.Suspects), leadingParts)]...); len(a.Next) > 0 {
		return nil
	}
	known := a.Suspects
	if pr.guide.suspects[known[0].members[0]].Unknown && len(known) > 1 {
		known = known[1:]
	}
	a.Verdict = pr.verdictOf(mergeAll(known)[0], nil)
	a.Verdict.Proven, a.Verdict.Lacks = false, []string{"nothing that can be measured here tells more: renew the likeliest, and look again"}
	return nil
}

// decide fills them in as far as the evidence decides.
func (pr *prover) decide(a *Assessment, e *evidence, sums logs) error {
	b := pr.choice.belief
	var err error
	if a.Next, err = pr.choice.best(); err != nil {
		return err
	}
	if len(a.Next) == 0 && len(a.Suspects) > 1 {
		a.Suspects = mergeAll(a.Suspects)
	}
	if len(a.Suspects) == 0 {
		return nil
	}
	if a.Mended != nil && a.Mended.Probability >= foundAt {
		return pr.verify(a)
	}
	top := pr.asked.oneRepair(a.Suspects[0], b)
	if nobody := pr.guide.suspects.nobody(); top.has(nobody) {
		if healthy, all := pr.asked.statesSeen(e); healthy && all { // what changes no fan is no verdict on a part: nothing is found
			top = top.led(nobody, NoFault)
		}
	}
	if pr.guide.suspects[top.members[0]].Unknown {
		return pr.askAgain(a)
	}
	shown := top.Probability >= oneOfTwoAt && pr.shownItself(pr.guide.suspects[top.members[0]]) && !pr.doneByAnother(top, e)
	if top.Probability < VerdictAt && !shown && !b.two() {
		return pr.askAgain(a)
	}
	lacking := pr.lacking(top.members[0])
	if b.two() {
		return pr.concludeTwo(a, top, lacking)
	}
	if len(lacking) == 0 && !shown {
		rival, err := pr.rival(top)
		if err != nil {
			return err
		}
		lacking = rival
	}
	if len(lacking) == 0 {
		if lacking, err = pr.backing(top, e, sums); err != nil {
			return err
		}
	}
	a.Verdict = pr.verdictOf(top, lacking)
	a.Next, err = pr.offer(lacking)
	return err
}

// concludeTwo is the verdict while two faults together explain what no single one does. A part that was itself measured, seen
// or felt to be bad is proven, whatever the other is. Else neither is proven alone: both stand in the verdict, once the proof
// of both is there, or what still lacks of either is the next move.
func (pr *prover) concludeTwo(a *Assessment, top Standing, lacking []lack) error {
	var err error
	if pr.shownItself(pr.guide.suspects[top.members[0]]) && top.Probability >= oneOfTwoAt {
		a.Verdict = pr.verdictOf(top, nil)
		a.Next, err = pr.offer(nil)
		return err
	}
	other, ok := pr.otherOfTwo(a.Suspects, top)
	if !ok { // who the second one is, nobody knows yet: the first is settled as far as it can be
		switch {
		case len(lacking) > 0 && top.Probability >= worthProving:
			a.Next, err = pr.offer(lacking)
		case len(lacking) == 0 && top.Probability >= oneOfTwoAt:
			a.Verdict = pr.verdictOf(top, nil)
			a.Next, err = pr.offer(nil)
		default:
			err = pr.askAgain(a)
		}
		return err
	}
	also := pr.lacking(other.members[0])
	switch {
	case len(lacking) > 0 && top.Probability >= worthProving:
		a.Next, err = pr.offer(lacking)
	case len(also) > 0:
		a.Next, err = pr.offer(also)
	case pr.both(top, other) >= oneOfTwoAt:
		either := Standing{Fault: top.Fault, Probability: pr.both(top, other), SameAs: []string{other.Fault}, members: top.members}
		a.Verdict = pr.verdictOf(either, nil)
		a.Next, err = pr.offer(nil)
	default:
		if moves := pr.atTheParts(top, other); len(moves) > 0 {
			a.Next = moves
		}
	}
	return err
}

// verdictOf words a group as the verdict, with what its proof lacks.
func (pr *prover) verdictOf(top Standing, lacking []lack) *Verdict {
	v := &Verdict{
		Faults: append([]string{top.Fault}, top.SameAs...), Probability: top.Probability, Lacks: []string{}, Proven: len(lacking) == 0,
		Alike: top.Alike, Again: top.Again, Untouched: pr.untouchedPart(pr.guide.suspects[top.members[0]]),
	}
	for _, l := range lacking {
		v.Lacks = append(v.Lacks, l.text)
	}
	return v
}

// otherOfTwo is the group that explains the rest, beside the leading one: that of the likeliest pair with it; false while
// several may be it.
func (pr *prover) otherOfTwo(groups []Standing, top Standing) (Standing, bool) {
	for _, p := range pr.choice.belief.pairs {
		other := p.j
		switch {
		case top.has(p.i):
		case top.has(p.j):
			other = p.i
		default:
			continue
		}
		if p.p < pairExplains {
			return Standing{}, false
		}
		for _, s := range groups {
			if s.has(other) {
				s = pr.asked.oneRepair(s, pr.choice.belief)
				return s, s.Probability >= oneOfTwoAt
			}
		}
	}
	return Standing{}, false
}

// both is the belief that the leaders of two groups are there together.
func (pr *prover) both(one, other Standing) float64 {
	i, j := one.members[0], other.members[0]
	for _, p := range pr.choice.belief.pairs {
		if p.i == i && p.j == j || p.i == j && p.j == i {
			return p.p
		}
	}
	return 0
}

// atTheParts offers the tests that show by themselves whether two parts are bad, the quickest of each part first: by what
// feeds them nothing more can be told.
func (pr *prover) atTheParts(groups ...Standing) []Move {
	moves := []Move{}
	for _, s := range groups {
		suspect := pr.guide.suspects[s.members[0]]
		if !suspect.isFault() {
			continue
		}
		for _, name := range suspect.Fault.Parts() {
			var proving, others []Move
			states := pr.telling(suspect)
			for _, t := range probe.Around(pr.guide.circuit, pr.choice.now.Setup, pr.guide.circuit.Part(name)) {
				proves := pr.provesAtOnce(suspect.Fault, t, states)
				if !proves && !t.Direct() || pr.choice.made.has(t) || !pr.choice.now.Kit.Can(t) {
					continue
				}
				m, err := pr.choice.move(t)
				switch {
				case err != nil: // such a set-up cannot be
				case proves:
					proving = append(proving, m)
				default:
					others = append(others, m)
				}
			}
			quicker := func(x, y Move) int { return cmp.Compare(x.Minutes, y.Minutes) }
			slices.SortStableFunc(proving, quicker)
			slices.SortStableFunc(others, quicker)
			moves = append(moves, append(proving, others...)[:min(len(proving)+len(others), 2)]...)
		}
	}
	return moves[:min(len(moves), movesOffered)]
}

// offer makes what is lacking the next moves, the quickest first.
func (pr *prover) offer(lacking []lack) ([]Move, error) {
	now, moves := pr.choice.now, []Move{}
	slices.SortStableFunc(lacking, func(x, y lack) int {
		return cmp.Compare(x.test.Minutes(pr.guide.circuit, now.State, now.Setup), y.test.Minutes(pr.guide.circuit, now.State, now.Setup))
	})
	for _, l := range lacking[:min(len(lacking), movesOffered)] {
		m, err := pr.choice.move(l.test)
		if err != nil {
			return nil, err
		}
		m.Proof, m.Retest = l.text, l.retest
		moves = append(moves, m)
	}
	return moves, nil
}

// askAgain, after a repair and while nothing speaks against it, asks every state again.
func (pr *prover) askAgain(a *Assessment) error {
	if pr.asked.phase.untouched() || pr.choice.belief.of[pr.guide.suspects.nobody()] < stillMended {
		return nil
	}
	return pr.verify(a)
}

// verify offers every state that has not been seen since the car was last touched.
func (pr *prover) verify(a *Assessment) error {
	unseen := pr.unseenStates()
	if len(unseen) == 0 {
		return nil
	}
	for k := range unseen {
		unseen[k].text, unseen[k].retest = "after the repair: "+unseen[k].text, true
	}
	var err error
	a.Next, err = pr.offer(unseen)
	return err
}
