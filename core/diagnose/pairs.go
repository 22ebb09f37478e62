package diagnose

import (
	"cmp"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
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

// Bounds of what is kept of pairs: how many, and fits of how many observations to each.
const (
	keptPairs = 4000
	keptFits  = 80
)

// pairBelief is how likely a pair is.
type pairBelief struct {
	i, j int
	p    float64
}

// contradicted tells whether the likeliest suspect needs a reading to be wrong, or a new part
// to be bad again.
func (g *Guide) contradicted(b *belief, fits [][]fit, ph phase) bool {
	lead := 0
	for i := range b.of {
		if !g.suspects[i].unknown && (g.suspects[lead].unknown || b.of[i] > b.of[lead]) {
			lead = i
		}
	}
	if ph.exonerated(g.suspects[lead]) {
		return true
	}
	for _, f := range fits {
		if f != nil && slices.Max(f[lead][:]) < poorlyFits {
			return true
		}
	}
	return false
}

// pair weighs two faults at once against one, where no single fault explains the log, and
// brings the belief in each suspect up to date.
func (g *Guide) pair(b *belief, seen []probe.Observation, fits [][]fit, ph phase) error {
	if !g.contradicted(b, fits, ph) {
		return nil
	}
	list := g.pairable(fits, ph)
	var pairs [][2]int
	for n, i := range list {
		for _, j := range list[n+1:] {
			if !samePlace(g.suspects[i].fault, g.suspects[j].fault) {
				pairs = append(pairs, [2]int{i, j})
			}
		}
	}
	asked, err := g.askedOf(seen, ph)
	if err != nil {
		return err
	}
	weights := make([]float64, len(pairs))
	places := make([]int, len(pairs))
	for k := range places {
		places[k] = k
	}
	if len(g.paired) > keptPairs {
		clear(g.paired)
	}
	kept := make([]map[string][pairCars]float64, len(pairs))
	for k, pr := range pairs {
		if g.paired[pr] == nil || len(g.paired[pr]) > keptFits {
			g.paired[pr] = map[string][pairCars]float64{}
		}
		kept[k] = g.paired[pr]
	}
	err = g.both(places, func(k int) error {
		w := g.pairFit(pairs[k], asked, kept[k])
		weights[k] = 2 * priorTwo * ph.prior(g.suspects[pairs[k][0]]) * ph.prior(g.suspects[pairs[k][1]]) * w
		return nil
	})
	if err != nil {
		return err
	}
	b.with(pairs, weights, b.sum*(1-priorTwo))
	return nil
}

// with mixes the pairs into the belief; single is the weight of all single faults together.
func (b *belief) with(pairs [][2]int, weights []float64, single float64) {
	sum := single
	for _, w := range weights {
		sum += w
	}
	if sum <= 0 {
		return
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
		list = append(list, Pair{[2]string{g.suspects[p.i].name, g.suspects[p.j].name}, p.p})
	}
	return list
}

// pairable picks the suspects worth pairing: those that explain most, no single contradiction
// counting for much; and for each reading that the best of them cannot explain, the best of
// those who can.
func (g *Guide) pairable(fits [][]fit, ph phase) []int {
	score := make([]float64, len(g.suspects))
	var list []int
	for i, s := range g.suspects {
		if s.fault.Words == "" || s.comesAndGoes() {
			continue
		}
		score[i] = math.Log(ph.prior(s))
		for _, f := range fits {
			if f != nil {
				score[i] += math.Log(math.Max(forgiving, slices.Max(f[i][:])))
			}
		}
		list = append(list, i)
	}
	slices.SortStableFunc(list, func(x, y int) int { return cmp.Compare(score[y], score[x]) })
	picked := slices.Clone(list[:min(len(list), pairOf)])
	for _, f := range fits {
		if f == nil || slices.Max(f[picked[0]][:]) >= poorlyFits {
			continue
		}
		n := 0
		for _, i := range list {
			if slices.Max(f[i][:]) > explainsWell && !slices.Contains(picked, i) && len(picked) < mostPaired {
				picked = append(picked, i)
				if n++; n == morePaired {
					break
				}
			}
		}
	}
	return picked
}

// askedObservation is an observation that counts now, with its test.
type askedObservation struct {
	test probe.Test
	seen *probe.Observation
	key  string
}

func (g *Guide) askedOf(seen []probe.Observation, ph phase) ([]askedObservation, error) {
	var list []askedObservation
	for k := range seen {
		if seen[k].Unreachable || !ph.holds(g, &seen[k]) {
			continue
		}
		t, err := seen[k].Test(g.circuit)
		if err != nil {
			return nil, err
		}
		list = append(list, askedObservation{t, &seen[k], t.Key() + "|" + seen[k].String()})
	}
	return list, nil
}

// pairFit is how well a pair explains all that was seen, on average over its cars. What is
// known of single observations is kept in known.
func (g *Guide) pairFit(pair [2]int, asked []askedObservation, known map[string][pairCars]float64) float64 {
	faults := []fault.Fault{g.suspects[pair[0]].fault, g.suspects[pair[1]].fault}
	all := [pairCars]float64{}
	for k := range all {
		all[k] = 1
	}
	var blown *[pairCars]uint64
	nets := map[string]*electric.Network{}
	for _, a := range asked {
		of, ok := known[a.key]
		if !ok {
			if blown == nil {
				h, err := g.pairHistory(faults)
				if err != nil {
					return 0 // two such faults cannot be at once
				}
				blown = &h
			}
			var err error
			if of, err = g.pairObserved(pair, faults, a, blown, nets); err != nil {
				return 0
			}
			known[a.key] = of
		}
		for k := range all {
			all[k] *= of[k]
		}
	}
	mean := 0.0
	for _, v := range all {
		mean += v / pairCars
	}
	return mean
}

func (g *Guide) pairHistory(faults []fault.Fault) (blown [pairCars]uint64, err error) {
	n, err := g.model.Network(nil, faults)
	if err != nil {
		return blown, err
	}
	for k := range blown {
		n.Tune(g.cars[k])
		n.Restore()
		for _, s := range g.circuit.States {
			n.Rest()
			n.Enter(s)
		}
		blown[k] = n.Blown()
	}
	return blown, nil
}

// pairObserved is how well one observation fits the pair on each car.
func (g *Guide) pairObserved(pair [2]int, faults []fault.Fault, a askedObservation, blown *[pairCars]uint64, nets map[string]*electric.Network) (of [pairCars]float64, err error) {
	t := a.test
	setup := g.suspects[pair[0]].still(g.suspects[pair[1]].still(t.Setup))
	words := probe.Words[t.Do]
	floor := misread / 3
	if len(words) > 0 {
		floor = misread / float64(len(words))
	}
	switch {
	case t.Do == probe.LookAtFans, t.Do == probe.Volts, t.Do == probe.Relay:
	case instrumentOf[t.Do] != "":
		return g.pairInstrument(setup, faults, a, blown, floor)
	default: // by hand and eye: the one that shows more
		row, other := make([]float64, len(words)), make([]float64, len(words))
		word := slices.Index(words, a.seen.Word())
		for k := range of {
			of[k] = 0.5
			if t.Do != probe.Codes && word >= 0 {
				g.partWords(faults[0], t, row)
				g.partWords(faults[1], t, other)
				if other[0] < row[0] {
					row, other = other, row
				}
				of[k] = row[word]
			}
		}
		return of, nil
	}
	key := probe.SetupKey(t.Setup)
	n := nets[key]
	if n == nil {
		if n, err = g.model.Network(setup, faults); err != nil {
			return of, err
		}
		nets[key] = n
	}
	pins := make([]float32, len(g.model.Pins()))
	for k := range of {
		n.Tune(g.cars[k])
		n.SetBlown(blown[k])
		n.Rest()
		n.Enter(t.State)
		switch t.Do {
		case probe.LookAtFans:
			n.FanShares(pins[:len(g.fans)])
			of[k] = g.lookChance(a.seen.Fans, resistCycles, func(f int) [4]float64 { return speedChances(float64(pins[f])) })
		case probe.Relay:
			in := pins[:len(g.relayAt)]
			n.PulledIn(in)
			clicks := in[g.relayAt[t.Part]] >= 0.5 && !stuckIn(faults[0], t.Part) && !stuckIn(faults[1], t.Part)
			of[k] = 1 - surelyHeard
			if clicks == (a.seen.Felt == words[0]) {
				of[k] = surelyHeard
			}
		default:
			n.MeterVolts(pins)
			v := float64(pins[g.pinAt[t.At]])
			if t.From.Part != "" {
				v -= float64(pins[g.pinAt[t.From]])
			}
			of[k] = nearness(t, v, a.seen.Reading())
		}
		of[k] = (1-misread)*of[k] + floor
	}
	return of, nil
}

func (g *Guide) pairInstrument(setup []electric.Action, faults []fault.Fault, a askedObservation, blown *[pairCars]uint64, floor float64) (of [pairCars]float64, err error) {
	t := a.test
	x, err := g.instrument(t, setup, faults)
	if err != nil {
		return of, err
	}
	row := make([]float64, len(probe.Words[t.Do]))
	for k := range of {
		x.Tune(g.cars[k])
		x.SetBlown(blown[k])
		v := x.Shows(t.State)
		if len(row) > 0 {
			g.lightChances(t, v, row)
			of[k] = row[max(0, slices.Index(probe.Words[t.Do], a.seen.Word()))]
		} else {
			of[k] = nearness(t, v, a.seen.Reading())
		}
		of[k] = (1-misread)*of[k] + floor
	}
	return of, nil
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
