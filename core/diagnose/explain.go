package diagnose

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/fault"
	"ironthread/core/harness"
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
		r.Expected = came.wordForecast(i, whole.test)
		if whole.answers[at.answer].fits == nil {
			r.Old = true
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

// plus is the question with an answer given once more.
func (q *question) plus(a answer) *question {
	next := &question{test: q.test, words: q.words, answers: slices.Clone(q.answers)}
	for k := range next.answers {
		if next.answers[k].seen == a.seen {
			next.answers[k].count++
			return next
		}
	}
	a.count = 1
	next.answers = append(next.answers, a)
	return next
}

func odds(p float64) float64 { return math.Max(p, 1e-12) / math.Max(1-p, 1e-12) }

// wordForecast words what a suspect's cars show in a test.
func (g *inquiry) wordForecast(i int, t probe.Test) string {
	if g.suspects[i].Unknown {
		return "anything"
	}
	which := []int{i}
	switch {
	case t.Do == probe.LookAtFans:
		p, err := g.pageFor(t.Setup, which)
		if err != nil {
			return ""
		}
		var list []string
		for f, fan := range g.fans {
			var sum [4]float64
			for _, words := range p.of[i].Speeds(g.stateIndex(t.State), f) {
				for w, p := range words {
					sum[w] += float64(p)
				}
			}
			list = append(list, fan+" "+probe.SpeedWords[likeliest(sum[:])])
		}
		return strings.Join(list, ", ")
	case probe.Words[t.Do] != nil:
		chances, err := g.words(t, which)
		if err != nil {
			return ""
		}
		sum, row := make([]float64, len(probe.Words[t.Do])), make([]float64, len(probe.Words[t.Do]))
		for k := range cars {
			chances(i, k, row)
			for w := range row {
				sum[w] += row[w]
			}
		}
		return probe.Words[t.Do][likeliest(sum)]
	}
	show, err := g.figures(t, which)
	if err != nil {
		return ""
	}
	figures := make([]float64, 0, cars)
	for k := range cars {
		figures = append(figures, scaled(t, show(i, k)))
	}
	slices.Sort(figures)
	low, high := figures[1], figures[cars-2]
	if high-low < 2*finenessOf(t).spread {
		return "about " + spell(t, figures[cars/2])
	}
	return spell(t, low) + " to " + spell(t, high)
}

func likeliest(p []float64) int {
	best := 0
	for k := range p {
		if p[k] > p[best] {
			best = k
		}
	}
	return best
}

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
	b.live(g)
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
	s.Else = s.Else[:min(len(s.Else), 6)]
	return s, q.refuter(s, b, mine, seen, now)
}

// refuter finds the test that best tells the part from all the rest, a minute.
func (g *inquiry) refuter(s *Stakes, b *belief, mine map[int]bool, seen []probe.Observation, now Now) error {
	if s.Belief <= 0 || s.Belief >= 1 {
		return nil
	}
	even := &belief{of: make([]float64, len(g.suspects)), car: b.car}
	for i := range g.suspects {
		switch {
		case mine[i]:
			even.of[i] = 0.5 * b.of[i] / s.Belief
		case !g.suspects[i].Unknown:
			even.of[i] = 0.5 * b.of[i] / (1 - s.Belief)
		}
	}
	even.live(g.Guide)
	list, err := g.rank(even, seen, now)
	if err != nil {
		return err
	}
	type candidate struct {
		scored
		gain, against float64
	}
	var best []candidate
	for _, t := range list[:min(len(list), 40)] {
		o, err := g.classes(t.test, even)
		if err != nil {
			return err
		}
		gain, against := o.between(even.of, mine)
		if gain > 0.1 {
			best = append(best, candidate{t, gain / t.test.Minutes(g.circuit, now.State, now.Setup), against})
		}
	}
	if len(best) == 0 {
		return nil
	}
	slices.SortStableFunc(best, func(x, y candidate) int { return cmp.Compare(y.gain, x.gain) })
	m, err := g.move(best[0].test, b, now)
	s.Refute, s.Refuted = &m, best[0].against*(1-s.Belief)
	return err
}

// between is the information a test gives about one question: one of mine, or not; and how
// often it speaks clearly against mine where mine is innocent.
func (o *outcomes) between(belief []float64, mine map[int]bool) (bits, against float64) {
	n := len(o.total)
	of := [2][]float64{make([]float64, n), make([]float64, n)}
	var sum [2]float64
	for i, row := range o.chance {
		if row == nil {
			continue
		}
		side := 0
		if mine[i] {
			side = 1
		}
		sum[side] += belief[i]
		for k, p := range row {
			of[side][k] += belief[i] * p
		}
	}
	total := sum[0] + sum[1]
	for k := range n {
		both := of[0][k] + of[1][k]
		for side := range of {
			if p := of[side][k]; p > 0 {
				bits += p / total * math.Log2(p/both*total/sum[side])
			}
		}
		if sum[0] > 0 && of[1][k] < 0.1*of[0][k] {
			against += of[0][k] / sum[0]
		}
	}
	return bits, against
}

// Parts lists what may be believed in: every part with a fault of its own.
func (g *Guide) Parts() []*harness.Part {
	var list []*harness.Part
	for _, p := range g.circuit.Parts {
		if slices.ContainsFunc(g.suspects, func(s *suspect) bool { return slices.Contains(s.Fault.Parts(), p.Name) }) {
			list = append(list, p)
		}
	}
	return list
}

// Faults lists every suspect by name.
func (g *Guide) Faults() []string {
	names := make([]string, 0, len(g.suspects))
	for _, s := range g.suspects {
		names = append(names, s.Name)
	}
	return names
}
