package diagnose

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	lru "github.com/hashicorp/golang-lru/v2"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// Pair is two faults that together explain what no single one does.
type Pair struct {
	Faults      [2]string `json:"faults"`
	Probability float64   `json:"probability"`
}

// How pairs are searched: among the suspects that alone explain most, on some of the cars.
const (
	priorTwo     = 0.08 // that two things are wrong (common practice)
	pairOf       = 14   // suspects paired with each other
	morePaired   = 4    // more for each reading they leave unexplained
	mostPaired   = 30
	pairCars     = 5
	poorlyFits   = 0.05 // the leader is contradicted by a reading that fits it less than this
	forgiving    = 0.1  // in choosing whom to pair, no reading counts against a suspect by more
	explainsWell = 0.3
	pairsListed  = 5
	leastPair    = 0.01
)

// Bounds of what is kept of pairs: how many, and fits of how many answers to each.
const (
	keptPairs = 1000
	keptFits  = 60
)

// pairsKept is what is known of how single answers fit pairs, so that the next reading need not
// weigh the whole log again. It is safe for use by many goroutines.
type pairsKept struct {
	pairs *lru.Cache[[2]int, *lru.Cache[string, pairFits]]
}

// pairFits is how an answer fits a pair on each car, and what has blown after it.
type pairFits struct {
	fit   [pairCars]float64
	blown [pairCars]uint64
}

func newPairsKept() *pairsKept {
	pairs, _ := lru.New[[2]int, *lru.Cache[string, pairFits]](keptPairs) // fails for sizes below one only
	return &pairsKept{pairs}
}

func (k *pairsKept) of(pair [2]int) *lru.Cache[string, pairFits] {
	if known, ok := k.pairs.Get(pair); ok {
		return known
	}
	known, _ := lru.New[string, pairFits](keptFits)
	k.pairs.Add(pair, known)
	return known
}

// pairBelief is how likely a pair is.
type pairBelief struct {
	i, j int
	p    float64
}

// contradicted tells whether the likeliest suspect needs a reading to be wrong, or a new part
// to be bad again.
func (g *inquiry) contradicted(b *belief, e *evidence) bool {
	lead := 0
	for i := range b.of {
		if !g.suspects[i].Unknown && (g.suspects[lead].Unknown || b.of[i] > b.of[lead]) {
			lead = i
		}
	}
	if g.exonerated(g.suspects[lead]) {
		return true
	}
	return slices.ContainsFunc(e.questions, func(q *question) bool { return q.counts() && q.best(lead) < poorlyFits })
}

// counts tells whether the question says anything now.
func (q *question) counts() bool {
	return slices.ContainsFunc(q.answers, func(a answer) bool { return a.fits != nil })
}

// best is how well the answer that fits a suspect best does so, on its best car.
func (q *question) best(i int) float64 {
	best := 0.0
	for _, a := range q.answers {
		if a.fits != nil {
			best = max(best, slices.Max(a.fits[i][:]))
		}
	}
	return best
}

// pair weighs two faults at once against one, where no single fault explains the log, and
// brings the belief in each suspect up to date.
func (g *inquiry) pair(b *belief, e *evidence) error {
	if !g.contradicted(b, e) {
		return nil
	}
	list := g.pairable(e)
	var pairs [][2]int
	for n, i := range list {
		for _, j := range list[n+1:] {
			if !samePlace(g.suspects[i].Fault, g.suspects[j].Fault) {
				pairs = append(pairs, [2]int{i, j})
			}
		}
	}
	asked := g.askedOf(e)
	weights := make([]float64, len(pairs)) // logarithms
	err := g.table.Each(g.ctx, len(pairs), func(k int) error {
		pr := pairs[k]
		w := g.pairFit(pr, asked, g.paired.of(pr))
		weights[k] = math.Log(2*priorTwo*g.prior(g.suspects[pr[0]])*g.prior(g.suspects[pr[1]])) + w
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
func (g *Guide) listed(b *belief) []Pair {
	var list []Pair
	for _, p := range b.pairs {
		if p.p < leastPair || len(list) == pairsListed {
			break
		}
		list = append(list, Pair{[2]string{g.suspects[p.i].Name, g.suspects[p.j].Name}, p.p})
	}
	return list
}

// pairable picks the suspects worth pairing: those that explain most, no single contradiction
// counting for much; and for each reading that the best of them cannot explain, the best of
// those who can.
func (g *inquiry) pairable(e *evidence) []int {
	score := make([]float64, len(g.suspects))
	var list []int
	for i, s := range g.suspects {
		if s.Fault.Words == "" || s.ComesAndGoes() {
			continue
		}
		score[i] = math.Log(g.prior(s))
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

// askedOnce is a question with its answers, as a pair of faults is held against it: old ones only
// take the car through what they did to it.
type askedOnce struct {
	*question
	name string
	old  bool
	to   []electric.Action // the set-up that it leaves on the car
}

func (g *inquiry) askedOf(e *evidence) []askedOnce {
	list := make([]askedOnce, 0, len(e.moves))
	for _, n := range e.moves {
		q := e.questions[n]
		name := q.test.Key()
		for _, a := range q.answers {
			name += "|" + a.seen.String()
		}
		list = append(list, askedOnce{q, name, !g.holds(q.test.Setup), q.test.OnTheCar()})
	}
	return list
}

// pairing is a pair of faults in cars that go through the log.
type pairing struct {
	g      *inquiry
	pair   [2]int
	faults []fault.Fault
	nets   map[string]*electric.Network
	pins   []float32
}

// pairFit is the logarithm of how well a pair explains all that was seen, over its cars. What is
// known of single questions is kept in known.
func (g *inquiry) pairFit(pair [2]int, asked []askedOnce, known *lru.Cache[string, pairFits]) float64 {
	p := &pairing{
		g: g, pair: pair, faults: []fault.Fault{g.suspects[pair[0]].Fault, g.suspects[pair[1]].Fault},
		nets: map[string]*electric.Network{},
	}
	begun, ok := known.Get("")
	if !ok {
		var err error
		if begun.blown, err = p.complained(); err != nil {
			return math.Inf(-1) // two such faults cannot be at once
		}
		known.Add("", begun)
	}
	blown := begun.blown
	var sum [pairCars]float64
	var setup []electric.Action
	for _, a := range asked {
		for k := range blown {
			blown[k] = g.model.Carry(blown[k], setup, a.test.Setup)
		}
		name := fmt.Sprintf("%s|%t|%x", a.name, a.old, blown)
		of, ok := known.Get(name)
		if !ok {
			var err error
			if of, err = p.observed(a, blown); err != nil {
				return math.Inf(-1)
			}
			known.Add(name, of)
		}
		if !a.old {
			for k := range sum {
				sum[k] += math.Log(of.fit[k])
			}
		}
		blown, setup = of.blown, a.to
	}
	top := slices.Max(sum[:])
	mean := 0.0
	for _, v := range sum {
		mean += math.Exp(v-top) / pairCars
	}
	return top + math.Log(mean)
}

// complained is what has blown on the pair's cars before anybody looked.
func (p *pairing) complained() (blown [pairCars]uint64, err error) {
	n, err := p.network(nil)
	if err != nil {
		return blown, err
	}
	for k := range blown {
		n.Tune(p.g.table.Car(k))
		blown[k] = predict.Complain(n, p.g.circuit.States)
	}
	return blown, nil
}

func (p *pairing) network(setup []electric.Action) (*electric.Network, error) {
	key := probe.SetupKey(setup)
	if n := p.nets[key]; n != nil {
		return n, nil
	}
	n, err := p.g.model.Network(p.still(setup), p.faults)
	if err == nil {
		p.nets[key] = n
	}
	return n, err
}

// still is a set-up without the repairs that would mend either fault.
func (p *pairing) still(setup []electric.Action) []electric.Action {
	return p.g.suspects[p.pair[0]].Still(p.g.suspects[p.pair[1]].Still(setup))
}

// observed is how well the answers to one question fit the pair on each car, and what has blown then.
func (p *pairing) observed(a askedOnce, blown [pairCars]uint64) (of pairFits, err error) {
	of.blown = blown
	if p.g.entered(a.test) >= 0 {
		n, err := p.network(a.test.Setup)
		if err != nil {
			return of, err
		}
		for k := range of.blown {
			n.Tune(p.g.table.Car(k))
			n.SetBlown(blown[k])
			n.Rest()
			n.Enter(a.test.State)
			of.blown[k] = n.Blown()
			if _, laid := a.test.Instrument(); !a.old && !laid {
				of.fit[k] = a.mixed(func(o *probe.Observation) float64 { return p.looked(n, a.test, o) })
			}
		}
	}
	if _, laid := a.test.Instrument(); a.old || !laid && p.g.entered(a.test) >= 0 {
		return of, nil
	} else if laid {
		return of, p.instrument(a, blown, &of)
	}
	for k := range of.fit { // by hand and eye
		of.fit[k] = a.mixed(func(o *probe.Observation) float64 { return p.byHand(a.test, o) })
	}
	return of, nil
}

// mixed is how well a question's answers fit together: one that is repeated counts once, of several
// all but one are misreads.
func (q *question) mixed(chance func(o *probe.Observation) float64) float64 {
	sum, total, n := 0.0, 0, 0
	for _, a := range q.answers {
		total += a.count
		n++
	}
	for _, a := range q.answers {
		sum += float64(a.count) / float64(total) * ((1-misread)*chance(a.seen) + q.floor())
	}
	return sum * math.Pow(q.floor(), float64(n-1))
}

// looked is the chance of an answer that no instrument gave, on a car as it stands in its state.
func (p *pairing) looked(n *electric.Network, t probe.Test, o *probe.Observation) float64 {
	if p.pins == nil {
		p.pins = make([]float32, len(p.g.fans)+len(p.g.relayAt))
	}
	if t.Do == probe.LookAtFans {
		shares := p.pins[:len(p.g.fans)]
		n.FanShares(shares)
		return p.g.lookChance(o.Fans, resistCycles, func(f int) [4]float64 { return probe.SpeedChances(float64(shares[f])) })
	}
	in := p.pins[len(p.g.fans):]
	n.PulledIn(in)
	clicks := in[p.g.relayAt[t.Part]] >= 0.5 && !probe.StuckIn(p.faults[0], t.Part) && !probe.StuckIn(p.faults[1], t.Part)
	if clicks == (o.Felt == probe.Words[t.Do][0]) {
		return probe.SurelyHeard
	}
	return 1 - probe.SurelyHeard
}

// byHand is the chance of a word found by hand and eye: of the fault that shows more. Codes say
// little of two faults.
func (p *pairing) byHand(t probe.Test, o *probe.Observation) float64 {
	words := probe.Words[t.Do]
	word := slices.Index(words, o.Word())
	if t.Do == probe.Codes || word < 0 {
		return 0.5
	}
	row, other := make([]float64, len(words)), make([]float64, len(words))
	probe.HandChances(p.faults[0], t, row)
	probe.HandChances(p.faults[1], t, other)
	if other[0] < row[0] {
		row = other
	}
	return row[word]
}

// instrument lays the question's instrument on the pair's cars.
func (p *pairing) instrument(a askedOnce, blown [pairCars]uint64, of *pairFits) error {
	t := a.test
	x, err := p.g.instrument(t, p.still(t.Setup), p.faults)
	if err != nil {
		return err
	}
	row := make([]float64, len(probe.Words[t.Do]))
	for k := range of.fit {
		x.Tune(p.g.table.Car(k))
		x.SetBlown(blown[k])
		v := x.Shows(t.State)
		of.fit[k] = a.mixed(func(o *probe.Observation) float64 {
			if len(row) == 0 {
				return nearness(t, v, o.Reading())
			}
			probe.LightChances(t.Do, predict.Meter(v), p.g.circuit.Nominal(), row)
			return row[max(0, slices.Index(probe.Words[t.Do], o.Word()))]
		})
	}
	return nil
}

// nearness compares a reading with one prediction, within the meter's spread.
func nearness(t probe.Test, predicted float64, r *probe.Reading) float64 {
	if r.Open && t.Do != probe.Ohms {
		if math.IsNaN(predicted) {
			return 1
		}
		return 0
	}
	read := math.Inf(1)
	if !r.Open {
		read = r.Figure
	}
	d := (scaled(t, read) - scaled(t, predicted)) / (2 * finenessOf(t).spread)
	return math.Exp(-d * d / 2)
}
