package diagnose

import (
	"context"
	"fmt"

	"ironthread/core/fault"
	"ironthread/core/probe"
)

// Assess weighs the observations and names the next moves. The order of the observations counts only by what
// a state or a set-up has blown on the way. It ends with the context's error as soon as nobody waits for it
// any more.
func (g *Guide) Assess(ctx context.Context, seen []probe.Observation, now Now) (*Assessment, error) {
	q, err := g.ask(ctx, now)
	if err != nil {
		return nil, err
	}
	b, e, sums, err := q.evidence(seen)
	if err != nil {
		return nil, err
	}
	if err := q.changingNothing(b, e); err != nil {
		return nil, err
	}
	a := &Assessment{Of: len(g.suspects) - 2, Belief: q.spread(b.of)}
	a.Repaired = q.phase.words()
	if a.Suspects, err = q.groups(b); err != nil {
		return nil, err
	}
	for i, s := range g.suspects {
		if b.of[i] >= stillStanding && s.isFault() {
			a.Left++
		}
	}
	against, err := q.against(e)
	if err != nil {
		return nil, err
	}
	found := q.direct(e)
	a.Cleared = q.cleared(b.of, against, found)
	a.Mended = q.mended(b, now)
	a.Pairs = q.listed(b)
	a.Surprising = q.surprises(seen, e, sums, b)
	if err := q.chooser(b, q.since(seen), now).prover(found).conclude(a, e, sums); err != nil {
		return nil, err
	}
	a.Also = q.also(found, a.Verdict, e, b)
	a.Outcome = q.ending(a, e)
	return a, nil
}

// evidence weighs all that was seen of the car as it stands, two faults at once included where
// no single one explains it; it also gives the log as questions, and how well all of it fits.
func (in *inquiry) evidence(seen []probe.Observation) (*belief, *evidence, logs, error) {
	e, err := in.read(seen)
	if err != nil {
		return nil, nil, nil, err
	}
	sums := in.weigh(e)
	b := in.believe(sums)
	b.cured = e.cured
	return b, e, sums, in.pair(b, e)
}

// Look words any test, chosen by the technician rather than by the guide, as the evidence
// stands: what a healthy car shows, and what each answer would leave.
func (g *Guide) Look(ctx context.Context, seen []probe.Observation, now Now, t probe.Test) (Move, error) {
	q, err := g.ask(ctx, now)
	if err != nil {
		return Move{}, err
	}
	b, _, _, err := q.evidence(seen)
	if err != nil {
		return Move{}, err
	}
	return q.chooser(b, q.since(seen), now).move(t)
}

// Apart tells whether some test, on a car with everything fitted as it came in, tells two faults apart.
func (g *Guide) Apart(ctx context.Context, one, other fault.Fault) (bool, error) {
	x, y := g.suspects.of(one), g.suspects.of(other)
	if x == nil || y == nil {
		return false, fmt.Errorf("%s or %s is not among the suspects of this circuit", one, other)
	}
	q, err := g.ask(ctx, Now{})
	if err != nil {
		return false, err
	}
	return q.tellApart(x.at, y.at)
}
