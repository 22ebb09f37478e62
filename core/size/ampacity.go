// Package size holds what wires, fuses, contacts and resistors can carry, from standards and handbooks.
//
// In go a cross-section, a load or a rating, out comes what it may carry, with the source beside every table. The one
// idea: each figure stands alone and says where it comes from; what a circuit makes of them is decided elsewhere. Between the
// rows of a table a figure is linear; beyond its last row there is none.
package size

import "math"

// row is one row of a table of two columns.
type row struct{ at, is float64 }

// between reads a table, its first column rising: linear between rows, the first or the last row's figure outside them.
func between(table []row, at float64) float64 {
	if at <= table[0].at {
		return table[0].is
	}
	for i := 1; i < len(table); i++ {
		if a, b := table[i-1], table[i]; at <= b.at {
			return a.is + (b.is-a.is)*(at-a.at)/(b.at-a.at)
		}
	}
	return table[len(table)-1].is
}

// Amps of a single copper conductor of 105 °C insulation in an engine space, by mm² (AWG 18 to 2: ABYC E-11, from memory; 0.35 and
// 0.5 mm², below its rows: a careful guess).
var ampacities = []row{
	{0.35, 9}, {0.5, 13}, {0.82, 17}, {1.31, 21}, {2.08, 30}, {3.31, 38}, {5.26, 51}, {8.37, 68}, {13.3, 102}, {21.2, 136}, {33.6, 178},
}

// Ampacity is what a copper wire of so many mm² may carry in an engine space, amps. A thicker wire than the table's last counts
// as that one.
func Ampacity(mm2 float64) float64 {
	if !(mm2 > 0) {
		return 0
	}
	if mm2 < ampacities[0].at {
		return ampacities[0].is * mm2 / ampacities[0].at
	}
	return between(ampacities, mm2)
}

// milliohms of a metre of wire at 20 °C, by mm², at most (ISO 6722-1, from memory).
var milliohms = []row{
	{0.35, 54.4}, {0.5, 37.1}, {0.75, 24.7}, {1, 18.5}, {1.5, 12.7}, {2, 9.42}, {2.5, 7.60}, {3, 6.15}, {4, 4.71}, {5, 3.94}, {6, 3.14},
	{8, 2.38}, {10, 1.82}, {12, 1.52}, {16, 1.16}, {20, 0.955}, {25, 0.743}, {35, 0.527},
}

// perDegree is by how much copper's ohms grow with each °C above 20 (handbook).
const perDegree = 0.00393

// hottest is what no insulation here outlives, °C.
const hottest = 150.0

// Ohms of a wire of so many mm² and metres at its own temperature: the air about it, and its own rise, which at its ampacity takes
// it to its insulation's limit and otherwise goes with the square of the amps.
func Ohms(mm2, metres, amps, celsius float64) float64 {
	cold := between(milliohms, mm2) / 1000 * metres
	own := celsius
	if may := Hot(mm2, celsius, Insulation); may > 0 {
		share := amps / may
		own = min(own+(Insulation-celsius)*share*share, hottest)
	}
	return cold * (1 + perDegree*(own-20))
}

// Share of a fuse's rating that may run all day, by the °C about it (common practice).
var fuseShares = []row{{23, 0.80}, {85, 0.72}, {100, 0.68}}

// FuseShare is that share.
func FuseShare(celsius float64) float64 { return between(fuseShares, celsius) }

// Share of a contact's rating, which holds at 23 °C, by the °C about it (common practice).
var contactShares = []row{{23, 1}, {85, 0.75}, {105, 0.60}}

// Contact is what a contact of so many amps carries with so many °C about it at a supply of so many volts: at 24 V the arc burns
// longer, and half is left (a large body: 40 of 70).
func Contact(rating, celsius, volts float64) float64 {
	if rating > cube && rating <= large { // its own figures: 70 A, 50 at 85 °C; at 24 V 40
		share := between([]row{{23, 1}, {85, 50.0 / 70}, {105, 0.6}}, celsius)
		if volts > 18 {
			share *= 40.0 / 70
		}
		return rating * share
	}
	share := between(contactShares, celsius)
	if volts > 18 && rating <= cube {
		share /= 2
	}
	return rating * share
}

// Bodies of relays: the largest make contact of the usual cube, and of the larger one, amps; above them are contactors with studs.
const (
	cube  = 40.0
	large = 70.0
)

// For how many seconds a relay's contact carries a multiple of its rating (ISO 7588-1, overload, from memory); at 110 % and less it
// does so for ever.
var contactLasts = []row{{1.1, 360000}, {1.35, 1800}, {2, 5}, {3.5, 0.5}, {6, 0.1}}

// ContactLasts is that time, log–log between the rows; 0 beyond the last.
func ContactLasts(load float64) float64 {
	last := contactLasts[len(contactLasts)-1]
	switch {
	case load <= contactLasts[0].at:
		return math.Inf(1)
	case load > last.at:
		return 0
	}
	i := 1
	for load > contactLasts[i].at {
		i++
	}
	a, b := contactLasts[i-1], contactLasts[i]
	share := math.Log(load/a.at) / math.Log(b.at/a.at)
	return math.Exp(math.Log(a.is) + share*math.Log(b.is/a.is))
}
