package diagnose

import (
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// pairing is a pair of faults in cars that go through the log.
type pairing struct {
	g      *inquiry
	pair   [2]int
	faults []fault.Fault
	nets   map[string]*electric.Network
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
	n, err := p.g.model.Network(p.unmended(setup), p.faults)
	if err == nil {
		p.nets[key] = n
	}
	return n, err
}

// unmended is a set-up without the repairs that would mend either fault.
func (p *pairing) unmended(setup []electric.Action) []electric.Action {
	return p.g.suspects[p.pair[0]].Unmended(p.g.suspects[p.pair[1]].Unmended(setup))
}

// pairCar is one of the pair's cars: a [probe.Subject], in a state of a set-up or with an instrument laid on.
type pairCar struct {
	*pairing
	in   *electric.Network      // in the test's state
	laid *electric.Instrumented // with the test's instrument
}

// Faults are the two.
func (c pairCar) Faults() []fault.Fault { return c.faults }

// Nominal is what the supply is called by, volts.
func (c pairCar) Nominal() float64 { return c.g.circuit.Nominal() }

// Shows is what the instrument shows.
func (c pairCar) Shows(t probe.Test) (float64, error) { return c.laid.Shows(t.State), nil }

// PulledIn tells how the test's relay stands.
func (c pairCar) PulledIn(t probe.Test) (float64, error) {
	in := make([]float32, len(c.g.circuit.OfKind(harness.KindRelay)))
	c.in.PulledIn(in)
	return float64(in[c.g.table.RelayIndex(t.Part)]), nil
}

// Noticed is not looked at: codes say little of two faults.
func (c pairCar) Noticed(probe.Test) (chance float64, known bool, err error) { return 0, false, nil }

// observed is how well the answers to one question fit the pair on each car, and what has blown then.
func (p *pairing) observed(a askedOnce, blown [pairCars]uint64) (of pairFits, err error) {
	of.blown = blown
	inState := a.test.Kind().InState()
	_, laid := a.test.Instrument()
	var n *electric.Network
	var x *electric.Instrumented
	if inState {
		if n, err = p.network(a.test.Setup); err != nil {
			return of, err
		}
	}
	if laid && !a.old {
		if x, err = p.g.instrument(a.test, p.unmended(a.test.Setup), p.faults); err != nil {
			return of, err
		}
	}
	for k := range of.fit {
		tuned := p.g.table.Car(k)
		if n != nil {
			n.Tune(tuned)
			n.SetBlown(blown[k])
			n.Rest()
			n.Enter(a.test.State)
			of.blown[k] = n.Blown()
		}
		if x != nil {
			x.Tune(tuned)
			x.SetBlown(blown[k])
		}
		if a.old {
			continue
		}
		car := pairCar{p, n, x}
		if of.fit[k], err = a.mixed(func(o *probe.Observation) (float64, error) { return car.chance(a.test, o) }); err != nil {
			return of, err
		}
	}
	return of, nil
}

// mixed is how well a question's answers fit together: one that is repeated counts once, of several all but
// one are misreads.
func (q *question) mixed(chance func(o *probe.Observation) (float64, error)) (float64, error) {
	sum, total, n := 0.0, 0, 0
	for _, a := range q.answers {
		total += a.count
		n++
	}
	for _, a := range q.answers {
		p, err := chance(a.seen)
		if err != nil {
			return 0, err
		}
		sum += float64(a.count) / float64(total) * ((1-misread)*p + q.floor())
	}
	return sum * math.Pow(q.floor(), float64(n-1)), nil
}

// chance is how likely the car gives an answer.
func (c pairCar) chance(t probe.Test, o *probe.Observation) (float64, error) {
	switch kind := t.Kind().(type) {
	case probe.Worded:
		row := make([]float64, len(kind.Words(t)))
		err := kind.Chances(c, t, row)
		return row[max(0, slices.Index(kind.Words(t), o.Word()))], err
	case probe.Figured:
		return nearness(kind, t, c.laid.Shows(t.State), o), nil
	}
	shares := make([]float32, len(c.g.fans))
	c.in.FanShares(shares)
	return c.g.lookChance(o.Fans, resistCycles, func(f int) [4]float64 { return probe.SpeedChances(float64(shares[f])) }), nil
}

// nearness compares a reading with one prediction, within the meter's spread.
func nearness(kind probe.Figured, t probe.Test, predicted float64, o *probe.Observation) float64 {
	read := kind.Means(o.Reading())
	if math.IsNaN(read) {
		if math.IsNaN(predicted) {
			return 1
		}
		return 0
	}
	return bell(kind, o, read, predicted, 2*kind.Fineness(t).Spread)
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
