package diagnose

import (
	"math"

	"ironthread/core/electric"
	"ironthread/core/probe"
)

// Softness of what is read, and how sharply an eye tells the words for a fan's speed apart,
// as a share of the highest speed.
const (
	meterSpread = 0.25 // volts, meter and contact of the probe
	dropSpread  = 0.08 // volts, of a drop read on a fine range between two near points
	edgeSlow    = 0.015
	edgeFast    = 0.03
)

// fit tells how well one observation fits one suspect's cars, each from 0 to 1. The scale
// between observations does not matter.
type fit [cars]float64

// likelihood weighs one observation for every suspect and every car of it. A reading that a
// car cannot show is a misread, which is kept possible.
func (g *Guide) likelihood(o *probe.Observation) ([]fit, error) {
	setup, err := o.Check(g.circuit)
	if err != nil {
		return nil, err
	}
	sh, err := g.sheaf(setup)
	if err != nil {
		return nil, err
	}
	state := g.stateIndex(g.circuit.State(o.State))
	fits := make([]fit, len(g.suspects))
	for i, s := range g.suspects {
		f := &fits[i]
		floor := misread / 3
		switch {
		case s.unknown:
			for k := range f {
				f[k] = likelyUnknown
			}
			continue
		case o.Fans != nil:
			floor = misread / float64(len(speedWords))
			g.fansFit(f, sh, i, state, o.Fans)
		default:
			g.voltsFit(f, sh, i, state, o)
		}
		for k := range f {
			f[k] = (1-misread)*f[k] + floor
		}
		if s.comesAndGoes() {
			// It shows now and not then: the cars do not stay what they are.
			f.level()
		}
	}
	return fits, nil
}

// level gives every car the mean.
func (f *fit) level() {
	mean := f.mean()
	for k := range f {
		f[k] = mean
	}
}

func (f *fit) mean() float64 {
	sum := 0.0
	for _, v := range f {
		sum += v
	}
	return sum / cars
}

// voltsFit compares a reading with the suspect's cars: a bell around each prediction, as
// wide as the meter's spread and the spread between cars ask for.
func (g *Guide) voltsFit(f *fit, sh *sheaf, suspect, state int, o *probe.Observation) {
	t := probe.Test{At: mustPin(o.At)}
	if o.From != "" {
		t.From = mustPin(o.From)
	}
	r := g.meterAt(sh, suspect, state, t)
	var mean, square float64
	for k := range cars {
		v := meter(r.at(k))
		mean += v / cars
		square += v * v / cars
	}
	// Silverman's rule for the width of a kernel estimate.
	spread := 1.06 * math.Sqrt(math.Max(0, square-mean*mean)) * math.Pow(cars, -0.2)
	width := math.Hypot(meterOf(t).spread, spread)
	for k := range cars {
		v := r.at(k)
		if o.Volts.Open {
			if math.IsNaN(v) {
				f[k] = 1
			}
			continue
		}
		d := (o.Volts.Figure - meter(v)) / width
		f[k] = math.Exp(-d * d / 2)
	}
}

// fineness is how finely a meter is read in a test.
type fineness struct{ spread, bin float64 }

// meterOf tells a reading against the battery's negative post from a drop.
func meterOf(t probe.Test) fineness {
	if t.From.Part != "" {
		return fineness{dropSpread, 0.1}
	}
	return fineness{meterSpread, 0.25}
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
func (g *Guide) fansFit(fits *fit, sh *sheaf, suspect, state int, seen map[string]string) {
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
		fits[k] = chance
	}
}
