// Package sensor reckons with temperature sensors whose ohms fall as they get hot: a curve fitted to readings, a resistor
// that stands in for a temperature, and the order in which a decade box is set.
//
// In go points, temperatures and ohms, out come curves, ohms and steps. The one idea: a controller believes whatever
// resistor lies on its plug, so that a step through a wrong value is a command nobody meant.
package sensor

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"ironthread/core/harness"
)

// Point is one reading: a temperature, °C, and the ohms then.
type Point struct{ Celsius, Ohms float64 }

const kelvin = 273.15

// Limits of what a point may be.
const (
	coldest, hottest   = -60.0, 250.0
	leastOhms, mostOhm = 1.0, 10e6
)

// Fit finds the curve through points: two give the beta form, three Steinhart and Hart's, more the one that lies nearest by
// least squares of 1/T. The error says which points make no curve of such a sensor.
func Fit(points []Point) (harness.Curve, error) {
	if len(points) < 2 {
		return harness.Curve{}, errors.New("two points at least make a curve; three make a good one")
	}
	sorted := slices.Clone(points)
	slices.SortFunc(sorted, func(a, b Point) int {
		if a.Celsius < b.Celsius {
			return -1
		}
		return 1
	})
	for i, p := range sorted {
		switch {
		case !(p.Celsius >= coldest && p.Celsius <= hottest), !(p.Ohms >= leastOhms && p.Ohms <= mostOhm):
			return harness.Curve{}, fmt.Errorf("%g Ω at %g °C is no reading of such a sensor", p.Ohms, p.Celsius)
		case i > 0 && sorted[i-1].Celsius == p.Celsius:
			return harness.Curve{}, fmt.Errorf("there are two readings at %g °C", p.Celsius)
		case i > 0 && sorted[i-1].Ohms <= p.Ohms:
			return harness.Curve{}, fmt.Errorf("the ohms must fall as it gets hotter: %g Ω at %g °C, then %g Ω at %g °C", sorted[i-1].Ohms,
				sorted[i-1].Celsius, p.Ohms, p.Celsius)
		}
	}
	columns := min(3, len(points))
	a, b := mat.NewDense(len(points), columns, nil), mat.NewVecDense(len(points), nil)
	for i, p := range sorted {
		l := math.Log(p.Ohms)
		for j, v := range []float64{1, l, l * l * l}[:columns] {
			a.Set(i, j, v)
		}
		b.SetVec(i, 1/(p.Celsius+kelvin))
	}
	var x mat.VecDense
	if err := x.SolveVec(a, b); err != nil {
		return harness.Curve{}, fmt.Errorf("these points make no curve: %w", err)
	}
	if !(x.AtVec(1) > 0) {
		return harness.Curve{}, errors.New("these points make no curve of a sensor whose ohms fall as it gets hot")
	}
	if columns == 2 { // 1/T = A + ln R / beta
		beta := 1 / x.AtVec(1)
		return harness.Curve{Beta: beta, R25: math.Exp(beta * (1/(25+kelvin) - x.AtVec(0)))}, nil
	}
	return harness.Curve{A: x.AtVec(0), B: x.AtVec(1), C: x.AtVec(2)}, nil
}

// usual are the values in which resistors are sold, by decade (IEC 60063, E24).
var usual = []float64{1, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2, 2.2, 2.4, 2.7, 3, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1}

// Nearest is the resistor sold that is nearest to so many ohms, as a share.
func Nearest(ohms float64) float64 {
	best := 0.0
	for decade := 1.0; decade <= 1e6; decade *= 10 {
		for _, v := range usual {
			if best == 0 || math.Abs(math.Log(v*decade/ohms)) < math.Abs(math.Log(best/ohms)) {
				best = v * decade
			}
		}
	}
	return math.Round(best*10) / 10
}

// Step is one knob of a decade box turned.
type Step struct {
	Decade int // ohms of a step of the knob: 1, 10, 100, …
	To     int // what it is set to
	Ohms   int // of the whole box then
}

// decades of a box.
var decades = []int{1, 10, 100, 1000, 10000, 100000}

// MostDecade is the largest a box can be set to.
const MostDecade = 999_999

// Decade gives the order in which a decade box's knobs are turned from one value to another, so that it never stands below
// the smaller of the two: fewer ohms are a hotter engine, and a command nobody meant. Of the orders that keep to it, the
// one that strays the least above.
func Decade(from, to int) ([]Step, error) {
	if from < 1 || to < 1 || from > MostDecade || to > MostDecade {
		return nil, fmt.Errorf("a decade box is set from 1 to %d Ω", MostDecade)
	}
	var moved []int
	for i, d := range decades {
		if from/d%10 != to/d%10 {
			moved = append(moved, i)
		}
	}
	least := min(from, to)
	var best []Step
	bestTop := math.MaxInt
	var try func(now, top int, done []Step, left []int)
	try = func(now, top int, done []Step, left []int) {
		if len(left) == 0 {
			if top < bestTop {
				best, bestTop = slices.Clone(done), top
			}
			return
		}
		for k, i := range left {
			d := decades[i]
			next := now + (to/d%10-now/d%10)*d
			if next < least || max(top, next) >= bestTop {
				continue
			}
			rest := slices.Delete(slices.Clone(left), k, k+1)
			try(next, max(top, next), append(done, Step{d, to / d % 10, next}), rest)
		}
	}
	try(from, from, nil, moved)
	if best == nil && len(moved) > 0 {
		return nil, fmt.Errorf("from %d to %d Ω every order passes a smaller value", from, to)
	}
	return best, nil
}
