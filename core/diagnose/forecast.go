package diagnose

import (
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/probe"
)

// What a test may answer is forecast by whatever leads. While one fault explains the log, each suspect's cars are asked.
// Where two faults at once are likelier, the leading pairs' own cars are asked, gone through the log as they would have
// been; a single fault's forecast would promise answers that such a car does not give.

// forecast lists what a test may answer, how likely each answer is, and what it would leave.
func (ch *chooser) forecast(t probe.Test, o *outcomes) []Outcome {
	var list []Outcome
	if !ch.belief.two() {
		for k, label := range o.labels {
			list = append(list, Outcome{label, o.total[k], ch.leaves(o, k, ch.belief.of)})
		}
		return list
	}
	for k, label := range o.labels {
		p := 0.0
		for i, row := range o.chance {
			if row != nil {
				p += ch.belief.single[i] * row[k]
			}
		}
		list = append(list, Outcome{Reading: label, Probability: p})
		if p > 0 {
			list[k].Leaves = ch.leaves(o, k, ch.belief.single)
		}
	}
	of := make([]float64, len(list)) // the likeliest pair's part in each answer
	for n, pair := range ch.belief.pairs {
		if n == pairsListed || pair.p < leastPair {
			break
		}
		answers, err := ch.pairAnswers(t, pair, o, ch.asked.pairingOf([2]int{pair.i, pair.j}))
		if err != nil {
			continue // such a set-up cannot be with these two
		}
		name := ch.guide.suspects[pair.i].Name + " and " + ch.guide.suspects[pair.j].Name
		for _, a := range answers {
			k := slices.IndexFunc(list, func(x Outcome) bool { return x.Reading == a.label })
			if k < 0 {
				k = len(list)
				list, of = append(list, Outcome{Reading: a.label}), append(of, 0)
			}
			p := pair.p * a.chance
			list[k].Probability += p
			at := len(list[k].Leaves)
			if p > list[k].Probability/2 {
				at = 0
			}
			list[k].Leaves, of[k] = slices.Insert(list[k].Leaves, at, name), max(of[k], p)
		}
	}
	kept := list[:0]
	for _, x := range list {
		x.Leaves = x.Leaves[:min(len(x.Leaves), leavesNamed)]
		if x.Probability >= leastOfClass {
			kept = append(kept, x)
		}
	}
	return kept
}

// pairAnswer is one answer that a pair's cars give, and how many of them.
type pairAnswer struct {
	label  string
	chance float64
}

// pairAnswers asks a pair's cars, gone through the log, what a test shows on them.
func (ch *chooser) pairAnswers(t probe.Test, pair pairBelief, o *outcomes, p *pairing) ([]pairAnswer, error) {
	ij := [2]int{pair.i, pair.j}
	blown, err := p.through(ch.belief.asked, ch.guide.pairFitsOf(ij), func(askedOnce, *pairFits) {})
	if err != nil {
		return nil, err
	}
	var setup []electric.Action
	if n := len(ch.belief.asked); n > 0 {
		setup = ch.belief.asked[n-1].to
	}
	car, err := p.laidOn(t, true)
	if err != nil {
		return nil, err
	}
	var list []pairAnswer
	for k := range blown {
		car.enter(k, ch.guide.model.Carry(blown[k], setup, t.Setup), t.State)
		label, err := car.says(t, o)
		if err != nil {
			return nil, err
		}
		n := slices.IndexFunc(list, func(a pairAnswer) bool { return a.label == label })
		if n < 0 {
			n, list = len(list), append(list, pairAnswer{label: label})
		}
		list[n].chance += 1.0 / pairCars
	}
	return list, nil
}

// toldOfTwo is what a test tells of which pair it is, in bits, and how much of the belief the pairs asked hold. What single
// faults would answer says nothing here: two at once answer otherwise.
func (ch *chooser) toldOfTwo(t probe.Test, pairings map[[2]int]*pairing) (bits float64, err error) {
	live := ch.belief.live(ch.guide.suspects)
	o, err := ch.asked.answers(t, live).classes(ch.belief, live)
	if err != nil {
		return 0, err
	}
	held, of := 0.0, map[string]float64{}
	for _, pair := range ch.belief.pairs[:min(len(ch.belief.pairs), pairsAsked)] {
		ij := [2]int{pair.i, pair.j}
		if pairings[ij] == nil {
			pairings[ij] = ch.asked.pairingOf(ij)
		}
		answers, err := ch.pairAnswers(t, pair, o, pairings[ij])
		if err != nil {
			continue // such a set-up cannot be with these two
		}
		held += pair.p
		for _, a := range answers {
			of[a.label] += pair.p * a.chance
			bits += pair.p * a.chance * math.Log2(a.chance) // less what is uncertain with the pair known
		}
	}
	for _, p := range of {
		bits -= p * math.Log2(p/held)
	}
	return bits, nil
}

// says is the likeliest answer of the car, in the words of the test's classes.
func (c pairCar) says(t probe.Test, o *outcomes) (string, error) {
	switch kind := t.Kind().(type) {
	case probe.Worded:
		row := make([]float64, len(kind.Words(t)))
		err := kind.Chances(c, t, row)
		return kind.Words(t)[likeliest(row)], err
	case probe.Figured:
		return o.labels[o.classOf(kind.Scaled(c.laid.Shows(t.State)))], nil
	}
	shares := make([]float32, len(c.g.guide.fans))
	c.in.FanShares(shares)
	words := make([]string, 0, len(shares))
	for f, fan := range c.g.guide.fans {
		chances := probe.SpeedChances(float64(shares[f]))
		words = append(words, fan+" "+probe.SpeedWords[likeliest(chances[:])])
	}
	return strings.Join(words, ", "), nil
}
