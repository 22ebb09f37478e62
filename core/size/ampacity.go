// Package size holds what wires, fuses, contacts and resistors can carry, from standards and handbooks.
//
// In go a cross-section, a load or a rating, out comes what it may carry, with the source beside every table. The one
// idea: each figure stands alone and says where it comes from; what a circuit makes of them is decided elsewhere.
package size

import (
	"math"

	"ironthread/core/units"
)

// ampacity is one row: a gauge with the amps that a single conductor of 105 °C insulation may carry outside and inside
// an engine space.
type ampacity struct{ awg, outside, inside float64 }

// ABYC E-11, from memory.
var ampacities = []ampacity{
	{18, 20, 17}, {16, 25, 21}, {14, 35, 30}, {12, 45, 38}, {10, 60, 51}, {8, 80, 68}, {6, 120, 102},
}

// Ampacity is what a copper wire of so many mm² may carry, amps, outside or inside an engine space (ABYC E-11, from
// memory, 105 °C insulation; between and beyond its rows a power of the area).
func Ampacity(mm2 float64, engineSpace bool) float64 {
	if !(mm2 > 0) {
		return 0
	}
	amps := func(a ampacity) float64 {
		if engineSpace {
			return a.inside
		}
		return a.outside
	}
	i := 1
	for i < len(ampacities)-1 && mm2 > units.FromAWG(ampacities[i].awg) {
		i++
	}
	below, above := ampacities[i-1], ampacities[i]
	x0, x1 := math.Log(units.FromAWG(below.awg)), math.Log(units.FromAWG(above.awg))
	share := (math.Log(mm2) - x0) / (x1 - x0)
	return amps(below) * math.Pow(amps(above)/amps(below), share)
}
