package diagnose

import (
	"math"
	"slices"
)

// fit tells how well one answer fits one suspect's cars, each from 0 to 1. The scale between
// questions does not matter.
type fit [cars]float64

func (f *fit) set(v float64) {
	for k := range f {
		f[k] = v
	}
}

func (f *fit) mean() float64 {
	sum := 0.0
	for _, v := range f {
		sum += v
	}
	return sum / cars
}

// belief is what the evidence leaves: the probability of each suspect, summing to one, and
// for each suspect how likely each of its cars is, summing to one.
type belief struct {
	of     []float64
	car    []fit
	counts []int     // the suspects that count in choosing a test, once asked for
	sum    float64   // the logarithm of all single faults' weights together
	single []float64 // the part of the belief that one fault is all; nil: all of it
	pairs  []pairBelief
	asked  []askedOnce     // the log, as pairs go through it; nil where they need not
	same   []int           // those that change no fan, taken as one with "no fault"
	cured  map[int]float64 // how likely a suspect, were it the fault, has been mended by an intervention
}

// pairBelief is how likely a pair is.
type pairBelief struct {
	i, j int
	p    float64
}

// logs are the logarithms of how well a suspect's cars fit all that was seen.
type logs []fit

// believe makes a belief of priors and logarithms.
func (in *inquiry) believe(sums logs) *belief {
	b := &belief{of: make([]float64, len(in.guide.suspects)), car: make([]fit, len(in.guide.suspects))}
	weights := make([]float64, len(in.guide.suspects)) // logarithms
	top := math.Inf(-1)
	for i, s := range in.guide.suspects {
		most := slices.Max(sums[i][:])
		sum := 0.0
		for k, l := range sums[i] {
			b.car[i][k] = math.Exp(l - most)
			sum += b.car[i][k]
		}
		for k := range b.car[i] {
			b.car[i][k] /= sum
		}
		weights[i] = math.Log(in.prior(s)) + most + math.Log(sum/cars)
		top = max(top, weights[i])
	}
	sum := 0.0
	for i, w := range weights {
		b.of[i] = math.Exp(w - top)
		sum += b.of[i]
	}
	for i := range b.of {
		b.of[i] /= sum
	}
	b.sum = top + math.Log(sum)
	return b
}

// live lists the suspects that count in choosing a test.
func (b *belief) live(list suspects) []int {
	if b.counts == nil {
		for i, p := range b.of {
			if p >= negligible && !list[i].Unknown {
				b.counts = append(b.counts, i)
			}
		}
	}
	return b.counts
}

// closer is the belief with only the likelier suspects counting in choosing a test.
func (b *belief) closer(least float64) *belief {
	c := &belief{of: b.of, car: b.car, same: b.same, cured: b.cured, counts: []int{}}
	for _, i := range b.counts {
		if b.of[i] >= least {
			c.counts = append(c.counts, i)
		}
	}
	return c
}

// share is the belief that lies on the suspects that count.
func (b *belief) share() float64 {
	sum := 0.0
	for _, i := range b.counts {
		sum += b.of[i]
	}
	return sum
}

// asMended is the belief for choosing and foretelling: as far as a fault has been mended by an intervention, the car shows
// what one without it shows.
func (b *belief) asMended(nobody int) *belief {
	if len(b.cured) == 0 {
		return b
	}
	m := *b
	m.of, m.counts = slices.Clone(b.of), nil
	for i, cured := range b.cured {
		mended := cured * m.of[i]
		m.of[i] -= mended
		m.of[nobody] += mended
	}
	return &m
}

// two tells whether two faults are likelier than one.
func (b *belief) two() bool {
	sum := 0.0
	for _, p := range b.pairs {
		sum += p.p
	}
	return sum > 0.5
}
