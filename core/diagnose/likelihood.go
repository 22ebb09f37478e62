package diagnose

import (
	"math"

	"ironthread/core/electric"
	"ironthread/core/probe"
)

// Softness of what is read: volts on a 12 V system, and how sharply an eye tells the words
// for a fan's speed apart, as a share of the highest speed.
const (
	meterSpread = 0.25 // volts, meter and contact of the probe
	edgeSlow    = 0.015
	edgeFast    = 0.03
)

// likelihood tells how well one observation fits each suspect, from 0 to 1. The scale
// between observations does not matter.
func (g *Guide) likelihood(o *probe.Observation) ([]float64, error) {
	setup, err := o.Check(g.circuit)
	if err != nil {
		return nil, err
	}
	sh, err := g.sheaf(setup)
	if err != nil {
		return nil, err
	}
	state := g.stateIndex(g.circuit.State(o.State))
	fits := make([]float64, len(g.suspects))
	for i, s := range g.suspects {
		switch {
		case s.unknown:
			fits[i] = likelyUnknown
		case o.Fans != nil:
			fits[i] = (1-misread)*g.fansFit(sh, i, state, o.Fans) + misread/float64(len(speedWords))
		default:
			fits[i] = (1-misread)*g.voltsFit(sh, i, state, o) + misread/3
		}
	}
	return fits, nil
}

// voltsFit compares a reading with the suspect's cars: a bell around each prediction, as
// wide as the meter's spread and the spread between cars ask for.
func (g *Guide) voltsFit(sh *sheaf, suspect, state int, o *probe.Observation) float64 {
	at := g.volts(sh, suspect, state, g.pinAt[mustPin(o.At)])
	var from view
	if o.From != "" {
		from = g.volts(sh, suspect, state, g.pinAt[mustPin(o.From)])
	}
	predict := func(car int) float64 {
		v := at.at(car)
		if o.From != "" {
			if math.IsNaN(v) || math.IsNaN(from.at(car)) {
				return math.NaN()
			}
			v -= from.at(car)
		}
		return v
	}
	var sum, mean, square float64
	for k := range cars {
		v := meter(predict(k))
		mean += v / cars
		square += v * v / cars
	}
	// Silverman's rule for the width of a kernel estimate.
	spread := 1.06 * math.Sqrt(math.Max(0, square-mean*mean)) * math.Pow(cars, -0.2)
	width := math.Hypot(meterSpread*g.circuit.Nominal()/12, spread)
	for k := range cars {
		v := predict(k)
		if o.Volts.Open {
			if math.IsNaN(v) {
				sum++
			}
			continue
		}
		d := (o.Volts.Figure - meter(v)) / width
		sum += math.Exp(-d * d / 2)
	}
	return sum / cars
}

// speedWords is the order in which chances of words are kept.
var speedWords = []string{string(electric.Stopped), string(electric.Slow), string(electric.Fast), string(electric.Backwards)}

// speedChances gives the chance of each of speedWords for a speed share: the words' edges
// made soft.
func speedChances(share float64) [4]float64 {
	soft := func(x, edge, width float64) float64 { return 1 / (1 + math.Exp(-(x-edge)/width)) }
	backwards := soft(-share, electric.SlowFrom, edgeSlow)
	moving := soft(share, electric.SlowFrom, edgeSlow)
	fast := soft(share, electric.FastFrom, edgeFast)
	return [4]float64{(1 - moving) * (1 - backwards), moving * (1 - fast), moving * fast, backwards}
}

// fansFit is the chance that a look at the fans gives these words.
func (g *Guide) fansFit(sh *sheaf, suspect, state int, seen map[string]string) float64 {
	sum := 0.0
	for k := range cars {
		chance := 1.0
		for f, name := range g.fans {
			word, looked := seen[name]
			if !looked {
				continue
			}
			c := speedChances(g.fan(sh, suspect, state, f).at(k))
			if word == probe.Running {
				chance *= c[1] + c[2]
				continue
			}
			for w, known := range speedWords {
				if known == word {
					chance *= c[w]
				}
			}
		}
		sum += chance
	}
	return sum / cars
}
