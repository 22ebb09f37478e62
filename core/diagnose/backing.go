package diagnose

import (
	"cmp"
	"slices"

	"ironthread/core/instruct"
	"ironthread/core/probe"
)

// A verdict may hang on one reading that was misread. Before it counts as proven, the answer without which the leader would lead
// no more is backed by a test that does not share it: the other side, a drop, the bench. What was seen or felt at the part itself
// needs no second look, nor does an open line in the hand; and a part that costs less than the test is renewed.

// backing is the test that backs the answer on which a verdict hangs; none where it hangs on no single one, or where no test
// would tell.
func (pr *prover) backing(top Standing, e *evidence, sums logs) ([]lack, error) {
	mine := map[int]bool{}
	for _, i := range top.members {
		mine[i] = true
	}
	least, without := backedAt, (*belief)(nil)
	if s := pr.guide.suspects[top.members[0]]; s.isFault() && pr.shownItself(s) {
		least = backedAtOnce // one test of the part itself stands for the whole proof
	}
	for _, q := range e.questions {
		if !q.counts() || q.test.Do == probe.Looked || q.test.Do == probe.Turned || q.openInHand() {
			continue
		}
		b := pr.asked.believe(pr.asked.leftOut(q, sums))
		if p := sharesOf(b.of, mine); p < least {
			least, without = p, b
		}
	}
	if without == nil {
		return nil, nil
	}
	least = max(least, 1e-6)
	even := &belief{of: make([]float64, len(pr.guide.suspects)), car: without.car}
	for i, s := range pr.guide.suspects {
		switch {
		case mine[i]:
			even.of[i] = without.of[i] / (2 * least)
		case !s.Unknown:
			even.of[i] = without.of[i] / (2 * (1 - least))
		}
	}
	live := even.live(pr.guide.suspects)
	list, err := pr.choice.by(even).rank()
	if err != nil {
		return nil, err
	}
	type candidate struct {
		test  probe.Test
		score float64
	}
	var found []candidate
	for _, s := range list[:min(len(list), testsOfTwo)] {
		o, err := pr.asked.answers(s.test, live).classes(even, live)
		if err != nil {
			return nil, err
		}
		if bits, _ := o.between(even.of, mine); bits >= rivalBits {
			found = append(found, candidate{s.test, bits / pr.choice.minutes(s.test)})
		}
	}
	if len(found) == 0 {
		return nil, nil
	}
	best := slices.MaxFunc(found, func(x, y candidate) int { return cmp.Compare(x.score, y.score) }).test
	for _, name := range pr.guide.suspects[top.members[0]].Fault.Parts() {
		if part := pr.guide.circuit.Part(name); part != nil && part.Price() <= moneyAMinute*max(leastTest, pr.choice.minutes(best)) {
			return nil, nil
		}
	}
	return []lack{{
		text: "it hangs on one reading: back it by another, " + instruct.Test(pr.guide.circuit, best, instruct.Now{}).Title, test: best,
	}}, nil
}

// openInHand tells whether the answer is an open line between two terminals of a part out of the car.
func (q *question) openInHand() bool {
	if directPlace(q.test) == "" || q.test.Do != probe.Ohms {
		return false
	}
	return !slices.ContainsFunc(q.answers, func(a answer) bool { return a.seen.Do != probe.Ohms || !a.seen.Reading().Open })
}

// leftOut is how well everything but one question fits.
func (in *inquiry) leftOut(q *question, sums logs) logs {
	without := make(logs, len(in.guide.suspects))
	var one fit
	for i, s := range in.guide.suspects {
		q.log(s, i, &one)
		for k := range one {
			without[i][k] = sums[i][k] - one[k]
		}
	}
	return without
}

func sharesOf(belief []float64, mine map[int]bool) float64 {
	sum := 0.0
	for i := range mine {
		sum += belief[i]
	}
	return sum
}
