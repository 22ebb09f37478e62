package diagnose

import (
	"fmt"
	"math"
	"slices"

	lru "github.com/hashicorp/golang-lru/v2"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// pairing is a pair of faults in cars that go through the log.
type pairing struct {
	g      *inquiry
	pair   [2]int
	faults []fault.Fault
	nets   map[string]*electric.Network
}

// pairingOf is a pair of faults on cars as they came in.
func (in *inquiry) pairingOf(pair [2]int) *pairing {
	return &pairing{
		g: in, pair: pair, faults: []fault.Fault{in.guide.suspects[pair[0]].Fault, in.guide.suspects[pair[1]].Fault},
		nets: map[string]*electric.Network{},
	}
}

// through takes the pair's cars through the log, and gives what has blown on each at its end. What is known of single
// questions is kept in known. The error says that two such faults cannot be at once.
func (p *pairing) through(
	asked []askedOnce, known *lru.Cache[string, pairFits], each func(a askedOnce, of *pairFits),
) (blown [pairCars]uint64, err error) {
	first, ok := known.Get("")
	if !ok {
		if first.blown, err = p.complained(); err != nil {
			return blown, err
		}
		known.Add("", first)
	}
	blown = first.blown
	var setup []electric.Action
	for _, a := range asked {
		for k := range blown {
			blown[k] = p.g.guide.model.Carry(blown[k], setup, a.test.Setup)
		}
		name := fmt.Sprintf("%s|%t|%x", a.name, a.old, blown)
		of, ok := known.Get(name)
		if !ok {
			if of, err = p.observed(a, blown); err != nil {
				return blown, err
			}
			known.Add(name, of)
		}
		each(a, &of)
		blown, setup = of.blown, a.to
	}
	return blown, nil
}

// complained is what has blown on the pair's cars before anybody looked.
func (p *pairing) complained() (blown [pairCars]uint64, err error) {
	n, err := p.network(nil)
	if err != nil {
		return blown, err
	}
	for k := range blown {
		n.Tune(p.g.guide.table.Car(k))
		blown[k] = n.Complain(p.g.guide.circuit.States)
	}
	return blown, nil
}

func (p *pairing) network(setup []electric.Action) (*electric.Network, error) {
	key := probe.SetupKey(setup)
	if n := p.nets[key]; n != nil {
		return n, nil
	}
	n, err := p.g.guide.model.Network(p.unmended(setup), p.faults)
	if err == nil {
		p.nets[key] = n
	}
	return n, err
}

// unmended is a set-up without the repairs that would mend either fault.
func (p *pairing) unmended(setup []electric.Action) []electric.Action {
	return p.g.guide.suspects[p.pair[0]].Unmended(p.g.guide.suspects[p.pair[1]].Unmended(setup))
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
func (c pairCar) Nominal() float64 { return c.g.guide.circuit.Nominal() }

// Shows is what the instrument shows.
func (c pairCar) Shows(t probe.Test) (float64, error) {
	if c.laid == nil {
		return math.NaN(), nil // no instrument was laid on for this kind of question
	}
	return c.laid.Shows(t.State), nil
}

// PulledIn tells how the test's relay stands.
func (c pairCar) PulledIn(t probe.Test) (float64, error) {
	in := make([]float32, len(c.g.guide.circuit.OfKind(harness.KindRelay)))
	c.in.PulledIn(in)
	return float64(in[c.g.guide.table.RelayIndex(t.Part)]), nil
}

// Noticed is not looked at: codes say little of two faults.
func (c pairCar) Noticed(probe.Test) (chance float64, known bool, err error) { return 0, false, nil }

// laidOn is a car of the pair made ready for a test: its network where the car is in a state, and the test's instrument
// where it is to be read.
func (p *pairing) laidOn(t probe.Test, read bool) (c pairCar, err error) {
	c.pairing = p
	_, laid := t.Instrument()
	if t.Kind().InState() {
		if c.in, err = p.network(t.Setup); err != nil {
			return c, err
		}
	}
	if laid && read {
		c.laid, err = p.g.guide.instrument(t, p.unmended(t.Setup), p.faults)
	}
	return c, err
}

// enter makes the car the pair's k-th, with what has blown, in a state; it gives what has blown then.
func (c pairCar) enter(k int, blown uint64, s *harness.State) uint64 {
	tuned, after := c.g.guide.table.Car(k), blown
	if c.in != nil {
		c.in.Tune(tuned)
		c.in.SetBlown(blown)
		c.in.Rest()
		c.in.Enter(s)
		after = c.in.Blown()
	}
	if c.laid != nil {
		c.laid.Tune(tuned)
		c.laid.SetBlown(blown)
	}
	return after
}

// observed is how well the answers to one question fit the pair on each car, and what has blown then.
func (p *pairing) observed(a askedOnce, blown [pairCars]uint64) (of pairFits, err error) {
	of.blown = blown
	at, err := p.laidOn(a.test, !a.old)
	if err != nil {
		return of, err
	}
	kind, figured := a.test.Kind().(probe.Figured)
	var shown [pairCars]float64
	for k := range of.fit {
		of.blown[k] = at.enter(k, blown[k], a.test.State)
		switch {
		case a.old:
		case figured:
			shown[k] = at.laid.Shows(a.test.State)
		default:
			if of.fit[k], err = a.mixed(func(o *probe.Observation) (float64, error) { return at.chance(a.test, o) }); err != nil {
				return of, err
			}
		}
	}
	if a.old || !figured {
		return of, nil
	}
	width := math.Hypot(2*kind.Fineness(a.test).Spread, spreadOf(kind, shown[:]))
	for k := range of.fit {
		near := func(o *probe.Observation) (float64, error) {
			return nearness(kind, o, shown[k], width, kind.Fineness(a.test).Spread), nil
		}
		if of.fit[k], err = a.mixed(near); err != nil {
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
	if kind, worded := t.Kind().(probe.Worded); worded {
		row := make([]float64, len(kind.Words(t)))
		err := kind.Chances(c, t, row)
		return row[max(0, slices.Index(kind.Words(t), o.Word()))], err
	}
	shares := make([]float32, len(c.g.guide.fans))
	c.in.FanShares(shares)
	return c.g.lookChance(o.Fans(), resistCycles, func(f int) [4]float64 { return probe.SpeedChances(float64(shares[f])) }), nil
}

// nearness compares a reading with one prediction, within a width.
func nearness(kind probe.Figured, o *probe.Observation, predicted, width, fine float64) float64 {
	read := kind.Means(o.Reading())
	if math.IsNaN(read) {
		if math.IsNaN(predicted) {
			return 1
		}
		return 0
	}
	return (&reading{kind, o, read, width, fine}).bell(predicted)
}

// askedOnce is a question with its answers, as a pair of faults is held against it: old ones only
// take the car through what they did to it.
type askedOnce struct {
	*question
	name string
	old  bool
	to   []electric.Action // the set-up that it leaves on the car
}

func (in *inquiry) askedOf(e *evidence) []askedOnce {
	list := make([]askedOnce, 0, len(e.moves))
	for _, n := range e.moves {
		q := e.questions[n]
		name := q.test.Key()
		for _, a := range q.answers {
			name += "|" + a.seen.String()
		}
		list = append(list, askedOnce{q, name, !in.phase.holds(q.test.Setup), q.test.OnTheCar()})
	}
	return list
}
