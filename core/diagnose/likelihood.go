package diagnose

import (
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/probe"
)

// How sharply an eye tells the words for a fan's speed apart, as a share of the highest speed.
const (
	edgeSlow = 0.015
	edgeFast = 0.03
)

// fit tells how well one observation fits one suspect's cars, each from 0 to 1. The scale
// between observations does not matter.
type fit [cars]float64

// likelihood weighs one observation for every suspect and every car of it. A reading that a
// car cannot show is a misread, which is kept possible.
func (g *Guide) likelihood(o *probe.Observation) ([]fit, error) {
	t, err := o.Test(g.circuit)
	if err != nil {
		return nil, err
	}
	fits := make([]fit, len(g.suspects))
	weigh, floor, err := g.weigher(t, o)
	if err != nil {
		return nil, err
	}
	for i, s := range g.suspects {
		f := &fits[i]
		if s.unknown {
			for k := range f {
				f[k] = likelyUnknown
			}
			continue
		}
		weigh(f, i)
		for k := range f {
			f[k] = (1-misread)*f[k] + floor
		}
		if s.comesAndGoes() {
			// It shows now and not then: the cars do not stay what they are.
			f.level()
		}
	}
	g.disturbed(fits, t)
	return fits, nil
}

// mendedByChance is how often cleaning or swapping a part mends a bad joint at it, unnoticed
// (common practice).
const mendedByChance = 0.2

// disturbed allows that an intervention has changed the car: where a part has been cleaned or
// swapped, a bad joint at it may be none any more.
func (g *Guide) disturbed(fits []fit, t probe.Test) {
	for _, a := range t.Setup {
		if a.Verb != electric.Swapped && a.Verb != electric.Cleaned {
			continue
		}
		healthy := fits[g.nobody()]
		for i, s := range g.suspects {
			joint := s.fault.On == fault.OnPin || s.fault.Words == fault.Resists || s.fault.Words == fault.WayResists || s.fault.Words == fault.PostResists
			if !joint || !slices.ContainsFunc(s.fault.Parts(), func(p string) bool { return p == a.Part || p == a.Other }) {
				continue
			}
			for k := range fits[i] {
				fits[i][k] = (1-mendedByChance)*fits[i][k] + mendedByChance*healthy[k]
			}
		}
	}
}

// weigher gives what fills in a suspect's fits for an observation, and what a misread is worth.
func (g *Guide) weigher(t probe.Test, o *probe.Observation) (func(f *fit, suspect int), float64, error) {
	switch {
	case o.Unreachable:
		return func(f *fit, _ int) { f.set(1) }, 0, nil // nothing is known by it
	case t.Do == probe.LookAtFans:
		sh, err := g.sheaf(t.Setup)
		if err == nil {
			err = g.need(sh, g.everyone())
		}
		state := g.stateIndex(t.State)
		return func(f *fit, i int) { g.fansFit(f, sh, i, state, o.Fans) }, misread / float64(len(speedWords)), err
	case probe.Words[t.Do] != nil:
		chances, err := g.words(t, g.everyone())
		word := slices.Index(probe.Words[t.Do], o.Word())
		row := make([]float64, len(probe.Words[t.Do]))
		return func(f *fit, i int) {
			for k := range f {
				chances(i, k, row)
				f[k] = row[word]
			}
		}, misread / float64(len(row)), err
	}
	show, err := g.figures(t, g.everyone())
	return func(f *fit, i int) { figureFit(f, show, t, i, o.Reading()) }, misread / 3, err
}

func (f *fit) set(v float64) {
	for k := range f {
		f[k] = v
	}
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

// figureFit compares a reading with the suspect's cars: a bell around each prediction, as
// wide as the meter's spread and the spread between cars ask for.
func figureFit(f *fit, show shows, t probe.Test, suspect int, r *probe.Reading) {
	var mean, square float64
	var at [cars]float64
	for k := range cars {
		v := scaled(t, show(suspect, k))
		at[k] = v
		mean += v / cars
		square += v * v / cars
	}
	// Silverman's rule for the width of a kernel estimate.
	spread := 1.06 * math.Sqrt(math.Max(0, square-mean*mean)) * math.Pow(cars, -0.2)
	width := math.Hypot(finenessOf(t).spread, spread)
	for k := range cars {
		if r.Open && t.Do != probe.Ohms { // a display without a figure: nothing was there
			f[k] = 0
			if math.IsNaN(show(suspect, k)) {
				f[k] = 1
			}
			continue
		}
		read := math.Inf(1)
		if !r.Open {
			read = r.Figure
		}
		d := (scaled(t, read) - at[k]) / width
		f[k] = math.Exp(-d * d / 2)
	}
}

// speedWords is the order in which chances of words are kept.
var speedWords = []string{string(electric.Stopped), string(electric.Slow), string(electric.Fast), string(electric.Backwards)}

// speedChances gives the chance of each of speedWords for a speed share: the words' edges
// made soft.
func speedChances(share float64) [4]float64 {
	backwards := soft(-share, electric.SlowFrom, edgeSlow)
	moving := soft(share, electric.SlowFrom, edgeSlow)
	fast := soft(share, electric.FastFrom, edgeFast)
	return [4]float64{(1 - moving) * (1 - backwards), moving * (1 - fast), moving * fast, backwards}
}

// resistCycles is how likely a feed that cannot carry its fan makes it start and stop.
const resistCycles = 0.1

// cyclingChance is how likely a fan starts and stops quickly: what comes and goes does; a joint
// that cannot carry it may.
func cyclingChance(s *suspect) float64 {
	switch {
	case s.comesAndGoes():
		return 0.5
	case s.fault.Words == fault.Resists || s.fault.Words == fault.PostResists || s.fault.Words == fault.WayResists:
		return resistCycles
	}
	return 0.02
}

// fansFit is the chance that a look at the fans gives these words.
func (g *Guide) fansFit(fits *fit, sh *sheaf, suspect, state int, seen map[string]string) {
	all, cycles := g.speedsOf(sh, suspect), cyclingChance(g.suspects[suspect])
	for k := range cars {
		here := all[(k*len(g.circuit.States)+state)*len(g.fans):]
		fits[k] = g.lookChance(seen, cycles, func(f int) [4]float64 { return here[f] })
	}
}

// lookChance is the chance that fans whose words have these chances are described so; cycles is
// that of starting and stopping.
func (g *Guide) lookChance(seen map[string]string, cycles float64, chances func(fan int) [4]float64) float64 {
	chance := 1.0
	for f, name := range g.fans {
		word, looked := seen[name]
		if !looked {
			continue
		}
		c := chances(f)
		switch word {
		case probe.Running: // an ear cannot tell
			chance *= c[1] + c[2]
		case probe.Cycling: // what starts and stops does neither for long
			chance *= cycles
		default:
			if w := slices.Index(speedWords, word); w >= 0 {
				chance *= c[w]
			}
		}
	}
	return chance
}
