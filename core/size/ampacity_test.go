package size_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ironthread/core/size"
	"ironthread/core/units"
)

// The rows of ABYC E-11, from memory, come out as they stand; between them it rises, and no wire carries nothing.
func TestAmpacity(t *testing.T) {
	for awg, want := range map[float64][2]float64{18: {20, 17}, 14: {35, 30}, 10: {60, 51}, 6: {120, 102}} {
		assert.InDelta(t, want[0], size.Ampacity(units.FromAWG(awg), false), 1e-9, "AWG %g", awg)
		assert.InDelta(t, want[1], size.Ampacity(units.FromAWG(awg), true), 1e-9, "AWG %g", awg)
	}
	before := 0.0
	for _, mm2 := range []float64{0.35, 0.5, 0.75, 1, 1.5, 2.5, 4, 6, 10, 16} {
		amps := size.Ampacity(mm2, true)
		assert.Greater(t, amps, before)
		before = amps
	}
	assert.Zero(t, size.Ampacity(0, true))
}
