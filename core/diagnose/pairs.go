package diagnose

import (
	"cmp"
	"math"
	"slices"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Two faults at once are searched where no single one explains the log: pairs of the suspects that alone
// explain most go through the log on some of the cars, and are weighed against one fault by Bayes' rule.

// Pair is two faults that together explain what no single one does.
type Pair struct {
	Faults      [2]string `json:"faults"`
	Probability float64   `json:"probability"`
}

// pairFitsOf is what is known of how single answers fit a pair, so that the next reading need not weigh the
// whole log again.
func (g *Guide) pairFitsOf(pair [2]int) *lru.Cache[string, pairFits] {
	if known, ok := g.paired.Get(pair); ok {
		return known
	}
	known, _ := lru.New[string, pairFits](keptFits) // fails for sizes below one only
	g.paired.Add(pair, known)
	return known
}

// contradicted tells whether the likeliest suspect needs a reading to be wrong, or a new part
// to be bad again.
func (in *inquiry) contradicted(b *belief, e *evidence) bool {
	lead := 0
	for i := range b.of {
		if !in.guide.suspects[i].Unknown && (in.guide.suspects[lead].Unknown || b.of[i] > b.of[lead]) {
			lead = i
		}
	}
	if in.exonerated(in.guide.suspects[lead]) {
		return true
	}
	return slices.ContainsFunc(e.questions, func(q *question) bool {
		return q.counts() && !q.elsewhere(in.guide.suspects[lead]) && q.best(lead) < poorlyFits
	})
}

// pair weighs two faults at once against one, where no single fault explains the log, and
// brings the belief in each suspect up to date.
func (in *inquiry) pair(b *belief, e *evidence) error {
	if !in.contradicted(b, e) {
		return nil
	}
	list := in.pairable(e)
	var pairs [][2]int
	for n, i := range list {
		for _, j := range list[n+1:] {
			if !in.guide.suspects[i].Fault.SamePlace(in.guide.suspects[j].Fault) {
				pairs = append(pairs, [2]int{i, j})
			}
		}
	}
	asked := in.askedOf(e)
	b.asked = asked
	weights := make([]float64, len(pairs)) // logarithms
	err := in.guide.table.Each(in.ctx, len(pairs), func(k int) error {
		pr := pairs[k]
		w := in.pairFit(pr, asked, in.guide.pairFitsOf(pr))
		weights[k] = math.Log(2*priorTwo*in.prior(in.guide.suspects[pr[0]])*in.prior(in.guide.suspects[pr[1]])) + w
		return nil
	})
	if err != nil {
		return err
	}
	b.with(pairs, weights, b.sum+math.Log(1-priorTwo))
	return nil
}

// with mixes the pairs into the belief; single is the weight of all single faults together. Weights
// are logarithms.
func (b *belief) with(pairs [][2]int, logs []float64, single float64) {
	top := single
	for _, w := range logs {
		top = max(top, w)
	}
	single = math.Exp(single - top)
	sum := single
	weights := make([]float64, len(logs))
	for k, w := range logs {
		weights[k] = math.Exp(w - top)
		sum += weights[k]
	}
	b.single = make([]float64, len(b.of))
	for i := range b.of {
		b.single[i] = b.of[i] * single / sum
		b.of[i] = b.single[i]
	}
	for k, w := range weights {
		p := w / sum
		if p < 1e-6 {
			continue
		}
		b.pairs = append(b.pairs, pairBelief{pairs[k][0], pairs[k][1], p})
		for _, i := range pairs[k] {
			b.of[i] += p / 2
		}
	}
	slices.SortStableFunc(b.pairs, func(x, y pairBelief) int { return cmp.Compare(y.p, x.p) })
	if single/sum < 0.5 { // the cars were weighed against one fault alone
		for i := range b.car {
			b.car[i].set(1.0 / cars)
		}
	}
}

// listed names the likeliest pairs.
func (in *inquiry) listed(b *belief) []Pair {
	var list []Pair
	for _, p := range b.pairs {
		if p.p < leastPair || len(list) == pairsListed {
			break
		}
		list = append(list, Pair{[2]string{in.guide.suspects[p.i].Name, in.guide.suspects[p.j].Name}, p.p})
	}
	return list
}

// pairable picks the suspects worth pairing: those that explain most, no single contradiction
// counting for much; and for each reading that the best of them cannot explain, the best of
// those who can.
func (in *inquiry) pairable(e *evidence) []int {
	score := make([]float64, len(in.guide.suspects))
	var list []int
	for i, s := range in.guide.suspects {
		if !s.isFault() || s.ComesAndGoes() {
			continue
		}
		score[i] = math.Log(in.prior(s))
		for _, q := range e.questions {
			if q.counts() {
				score[i] += math.Log(math.Max(forgiving, q.best(i)))
			}
		}
		list = append(list, i)
	}
	slices.SortStableFunc(list, func(x, y int) int { return cmp.Compare(score[y], score[x]) })
	picked := slices.Clone(list[:min(len(list), pairOf)])
	if len(picked) == 0 {
		return nil
	}
	for _, q := range e.questions {
		if !q.counts() || q.best(picked[0]) >= poorlyFits {
			continue
		}
		n := 0
		for _, i := range list {
			if q.best(i) > explainsWell && !slices.Contains(picked, i) && len(picked) < mostPaired {
				picked = append(picked, i)
				if n++; n == morePaired {
					break
				}
			}
		}
	}
	return picked
}

// pairFit is the logarithm of how well a pair explains all that was seen, over its cars. What is
// known of single questions is kept in known.
func (in *inquiry) pairFit(pair [2]int, asked []askedOnce, known *lru.Cache[string, pairFits]) float64 {
	p := in.pairingOf(pair)
	var sum [pairCars]float64
	if _, err := p.through(asked, known, func(a askedOnce, of *pairFits) {
		if a.old {
			return
		}
		for k := range sum {
			sum[k] += math.Log(of.fit[k])
		}
	}); err != nil {
		return math.Inf(-1) // two such faults cannot be at once
	}
	top := slices.Max(sum[:])
	mean := 0.0
	for _, v := range sum {
		mean += math.Exp(v-top) / pairCars
	}
	return top + math.Log(mean)
}
