package size_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ironthread/core/size"
)

// The rows come out as they stand (ABYC E-11, from memory); between them a figure is linear, beyond the last there is no more.
func TestAmpacity(t *testing.T) {
	for mm2, want := range map[float64]float64{0.5: 13, 0.82: 17, 2.08: 30, 5.26: 51, 13.3: 102, 33.6: 178, 50: 178} {
		assert.InDelta(t, want, size.Ampacity(mm2), 1e-9, "%g mm²", mm2)
	}
	assert.InDelta(t, 38+(4-3.31)/(5.26-3.31)*13, size.Ampacity(4), 1e-9)
	assert.Zero(t, size.Ampacity(0))
	// In air of 85 °C a wire may warm by 20 K where the table has 55: × √(20/55), by hand 0.603.
	assert.InDelta(t, 0.603*size.Ampacity(4), size.Hot(4, 85, size.Insulation), 0.01)
	assert.Zero(t, size.Hot(4, 105, size.Insulation))
}

// Ohms by ISO 6722-1 (from memory) at the wire's own temperature: in air of 85 °C 1.255 times the cold ones unloaded, 1.334 at its
// ampacity (by hand from 0.393 % a degree).
func TestOhms(t *testing.T) {
	assert.InDelta(t, 4.71e-3, size.Ohms(4, 1, 0, 20), 1e-12)
	assert.InDelta(t, 1.255, size.Ohms(4, 1, 0, 85)/size.Ohms(4, 1, 0, 20), 0.001)
	assert.InDelta(t, 1.334, size.Ohms(4, 1, size.Hot(4, 85, size.Insulation), 85)/size.Ohms(4, 1, 0, 20), 0.001)
}

// Fuses and contacts lose with heat, contacts with volts (common practice).
func TestDerating(t *testing.T) {
	assert.InDelta(t, 0.80, size.FuseShare(20), 1e-9)
	assert.InDelta(t, 0.72, size.FuseShare(85), 1e-9)
	assert.InDelta(t, 0.68, size.FuseShare(100), 1e-9)
	assert.InDelta(t, 40, size.Contact(40, 23, 12), 1e-9)
	assert.InDelta(t, 30, size.Contact(40, 85, 12), 1e-9)
	assert.InDelta(t, 15, size.Contact(40, 85, 24), 1e-9)
	assert.InDelta(t, 50, size.Contact(70, 85, 12), 1e-9)
	assert.InDelta(t, 40, size.Contact(70, 23, 24), 1e-9)
	for mm2, gauge := range map[float64]int{0.5: 20, 1: 16, 4: 10, 6: 8, 10: 6, 35: 0} { // gauges that are sold, none thinner
		assert.Equal(t, gauge, size.AWG(mm2), "%g mm²", mm2)
	}
	rating, ok := size.Fuse(size.Fuses, 15, 85)
	assert.True(t, ok)
	assert.InDelta(t, 25, rating, 1e-9, "15 A are 75 %% of 20 A, and 72 %% is the most")
	rating, ok = size.Relay(34, 85, 12)
	assert.True(t, ok)
	assert.InDelta(t, 70, rating, 1e-9)
	rating, _ = size.Relay(34, 85, 24)
	assert.InDelta(t, 100, rating, 1e-9, "a contactor")
}

// A contact's overload comes out at its rows as they stand (ISO 7588-1, from memory), and between them on a straight line of logarithms.
func TestContactLasts(t *testing.T) {
	for load, want := range map[float64]float64{1.35: 1800, 2: 5, 3.5: 0.5, 6: 0.1} {
		assert.InDelta(t, want, size.ContactLasts(load), want*1e-9, "%g times", load)
	}
	assert.True(t, math.IsInf(size.ContactLasts(1.1), 1))
	assert.Zero(t, size.ContactLasts(6.1))
	assert.InDelta(t, math.Sqrt(5*0.5), size.ContactLasts(math.Sqrt(2*3.5)), 1e-9, "half way between two rows")
}
