package size

import (
	"fmt"
	"math"
	"slices"
)

// What is picked from the usual sizes, and why. Each pick gives the line of arithmetic that led to it.

// Metric cross-sections of wire, mm² (ISO 19642, once ISO 6722).
var Metric = []float64{0.35, 0.5, 0.75, 1, 1.5, 2.5, 4, 6, 10, 16, 25, 35}

// Fuses are the usual ratings, amps.
var Fuses = []float64{5, 7.5, 10, 15, 20, 25, 30, 40, 50, 60, 70, 80, 100, 125, 150, 200}

// Relays are the usual ratings of a make contact, amps: the cube, the larger body, contactors with studs (common practice).
var Relays = []float64{cube, large, 100, 150, 200}

// Temperatures of the ampacity table, °C: its insulation, and its engine space (ABYC E-11, from memory).
const (
	Insulation  = 105.0
	engineSpace = 50.0
)

// Breakers are the usual ratings of circuit breakers for vehicles, amps (common practice).
var Breakers = []float64{5, 7.5, 10, 15, 20, 25, 30, 35, 40}

// Hot is what a wire may carry with so many °C about it: the table's figure for an engine space, times the root of how much
// warmer the insulation may still get (the heat a wire sheds grows with that difference, the heat it makes with the square
// of the amps).
//
// Insulation is the °C that the wire's insulation stands: 105, or 125 and 150 for better ones, of which the table knows nothing but
// that root.
func Hot(mm2, celsius, insulation float64) float64 {
	if celsius >= insulation {
		return 0
	}
	return Ampacity(mm2) * math.Sqrt((insulation-celsius)/(Insulation-engineSpace))
}

// Thinnest is the thinnest usual wire that carries so many amps with so many °C about it; the largest there is where none
// does, with false.
func Thinnest(amps, celsius, insulation float64) (mm2 float64, ok bool) {
	for _, mm2 := range Metric {
		if Hot(mm2, celsius, insulation) >= amps {
			return mm2, true
		}
	}
	return Metric[len(Metric)-1], false
}

// Next is the next larger usual wire; the largest stays.
func Next(mm2 float64) float64 {
	for _, m := range Metric {
		if m > mm2 {
			return m
		}
	}
	return mm2
}

// Fuse is the smallest of the ratings that carries so many running amps all day with so many °C about it; false where none is so large.
func Fuse(ratings []float64, running, celsius float64) (float64, bool) {
	return pick(ratings, func(rating float64) bool { return running <= FuseShare(celsius)*rating })
}

// Relay is the same for a make contact, at a supply of so many volts.
func Relay(running, celsius, volts float64) (float64, bool) {
	return pick(Relays, func(rating float64) bool { return running <= Contact(rating, celsius, volts) })
}

func pick(ratings []float64, carries func(rating float64) bool) (float64, bool) {
	k := slices.IndexFunc(ratings, carries)
	if k < 0 {
		return ratings[len(ratings)-1], false
	}
	return ratings[k], true
}

// Gauges that are sold, with their mm² (ASTM B258): even numbers only.
var gauges = []struct {
	awg int
	mm2 float64
}{{20, 0.52}, {18, 0.82}, {16, 1.31}, {14, 2.08}, {12, 3.31}, {10, 5.26}, {8, 8.37}, {6, 13.3}, {4, 21.2}, {2, 33.6}}

// AWG is the thinnest gauge that is sold and no thinner than a cross-section; 0 where there is none.
func AWG(mm2 float64) int {
	for _, g := range gauges {
		if g.mm2 >= mm2 {
			return g.awg
		}
	}
	return 0
}

// OwnDropWords is the arithmetic of a drop at the wire's own temperature.
func OwnDropWords(amps, metres, mm2, celsius float64) string {
	cold := Ohms(mm2, metres, 0, 20)
	warm := Ohms(mm2, metres, amps, celsius)
	return fmt.Sprintf("%.1f A × %.3g mΩ/m × %.2g m × %.2f for its own warmth in %.0f °C = %.2f V (ISO 6722-1, from memory)", amps,
		1000*cold/metres, metres, warm/cold, celsius, amps*warm)
}

// HotWords is the arithmetic of an ampacity.
func HotWords(mm2, celsius, insulation float64) string {
	return fmt.Sprintf("%g mm² in an engine space: %.0f A, at %.0f °C × √((%.0f − %.0f) / (105 − 50)) = %.0f A (ABYC E-11, from memory)",
		mm2, Ampacity(mm2), celsius, insulation, celsius, Hot(mm2, celsius, insulation))
}
