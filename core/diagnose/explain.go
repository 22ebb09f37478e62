package diagnose

import (
	"context"
	"fmt"
	"math"
	"slices"

	"ironthread/core/fault"
	"ironthread/core/probe"
)

// Reason is what one observation did to the belief in a suspect.
type Reason struct {
	Seen     string  `json:"seen"`
	Expected string  `json:"expected"` // of a car with the suspect's fault
	Times    float64 `json:"times"`    // by how much it changed the odds against the rest; below 1 it speaks against
	Old      bool    `json:"old"`      // from before the last repair: does not count now
}

// Explanation tells why a suspect is still here, or why it was cleared.
type Explanation struct {
	Fault   string   `json:"fault"`
	Prior   float64  `json:"prior"`
	Now     float64  `json:"now"`
	Reasons []Reason `json:"reasons"` // in the order of the log
}

// Why explains a suspect by the readings that decided.
func (g *Guide) Why(ctx context.Context, seen []probe.Observation, now Now, words string) (*Explanation, error) {
	i := slices.IndexFunc(g.suspects, func(s *suspect) bool { return s.Name == words })
	if i < 0 {
		if _, err := fault.Parse(g.circuit, words); err != nil {
			return nil, err
		}
		return nil, fmt.Errorf("%s is not among the suspects of this circuit", words)
	}
	q, err := g.ask(ctx, now)
	if err != nil {
		return nil, err
	}
	b, e, _, err := q.evidence(seen)
	if err != nil {
		return nil, err
	}
	x := &Explanation{Fault: words, Prior: q.prior(g.suspects[i]), Now: b.of[i]}
	came, err := q.asItCame()
	if err != nil {
		return nil, err
	}
	sums := make(logs, len(g.suspects))
	before := q.believe(sums).of[i]
	told := map[int]*question{} // what has been answered so far
	var one, other fit
	for k, at := range e.of {
		r := Reason{Seen: seen[k].String(), Times: 1}
		if at.question < 0 {
			x.Reasons = append(x.Reasons, r)
			continue
		}
		whole := e.questions[at.question]
		r.Expected = came.expects(i, whole.test)
		if whole.answers[at.answer].fits == nil {
			r.Old = whole.answers[at.answer].looked == nil
			x.Reasons = append(x.Reasons, r)
			continue
		}
		had := told[at.question]
		if had == nil {
			had = &question{test: whole.test, words: whole.words}
		}
		next := had.plus(whole.answers[at.answer])
		told[at.question] = next
		for n, s := range g.suspects {
			had.log(s, n, &one)
			next.log(s, n, &other)
			for c := range one {
				sums[n][c] += other[c] - one[c]
			}
		}
		after := q.believe(sums).of[i]
		r.Times = odds(after) / odds(before)
		before = after
		x.Reasons = append(x.Reasons, r)
	}
	return x, nil
}

// expects words what a suspect's cars show in a test; empty where the test cannot be made on them.
func (in *inquiry) expects(i int, t probe.Test) string {
	if in.guide.suspects[i].Unknown {
		return "anything"
	}
	words, err := in.answers(t, []int{i}).usual(i)
	if err != nil {
		return ""
	}
	return words
}

func odds(p float64) float64 { return math.Max(p, 1e-12) / math.Max(1-p, 1e-12) }
