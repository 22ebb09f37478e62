package sensor_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/sensor"
)

// The widely printed table of the common 10 kΩ part (from memory): A = 1.1292e-3, B = 2.341e-4, C = 8.775e-8 give 25 °C at
// 10 kΩ. Fitted through three points of itself it comes out again.
func TestTheCommonPart(t *testing.T) {
	c := harness.Curve{A: 1.1292e-3, B: 2.341e-4, C: 8.775e-8}
	assert.InDelta(t, 25, c.Celsius(10_000), 0.1)
	assert.InDelta(t, 10_000, c.Ohms(c.Celsius(10_000)), 1e-3)
	var points []sensor.Point
	for _, at := range []float64{0, 50, 100} {
		points = append(points, sensor.Point{Celsius: at, Ohms: c.Ohms(at)})
	}
	again, err := sensor.Fit(points)
	require.NoError(t, err)
	assert.InEpsilon(t, c.A, again.A, 1e-6)
	assert.InEpsilon(t, c.B, again.B, 1e-6)
	assert.InEpsilon(t, c.C, again.C, 1e-4)
	more, err := sensor.Fit(append(points, sensor.Point{Celsius: 80, Ohms: c.Ohms(80) * 1.02}))
	require.NoError(t, err)
	assert.InDelta(t, 80, more.Celsius(c.Ohms(80)), 1)
	beta, err := sensor.Fit([]sensor.Point{{Celsius: 20, Ohms: 2500}, {Celsius: 90, Ohms: 240}})
	require.NoError(t, err)
	assert.InDelta(t, 240, beta.Ohms(90), 1e-6)
	assert.Positive(t, beta.Beta)
}

func TestPointsThatMakeNoCurve(t *testing.T) {
	for want, points := range map[string][]sensor.Point{
		"two points at least": {{20, 2500}}, "the ohms must fall": {{20, 2500}, {90, 3000}}, "two readings at": {{20, 2500}, {20, 240}},
		"no reading of such a sensor": {{20, -1}, {90, 240}},
	} {
		_, err := sensor.Fit(points)
		assert.ErrorContains(t, err, want)
	}
}

func TestResistorsAsTheyAreSold(t *testing.T) {
	for ohms, want := range map[float64]float64{205: 200, 199: 200, 340: 330, 1040: 1000, 47.2: 47} {
		assert.Equal(t, want, sensor.Nearest(ohms))
	}
}

// No order that is given passes a value hotter than both ends, and every one ends where it should.
func TestADecadeBoxNeverPassesAHotterValue(t *testing.T) {
	for _, pair := range [][2]int{{2200, 330}, {330, 199}, {199, 205}, {1000, 999}, {999, 1000}, {10_000, 250}, {250, 2500}, {47, 47}} {
		steps, err := sensor.Decade(pair[0], pair[1])
		require.NoError(t, err, "%v", pair)
		now := pair[0]
		for _, s := range steps {
			now = s.Ohms
			assert.GreaterOrEqual(t, now, min(pair[0], pair[1]), "%v: %v", pair, steps)
		}
		assert.Equal(t, pair[1], now)
	}
	steps, err := sensor.Decade(1000, 999)
	require.NoError(t, err)
	assert.Equal(t, 1000, steps[len(steps)-1].Decade, "the thousand goes last: first would be a dead short")
	_, err = sensor.Decade(0, 10)
	assert.ErrorContains(t, err, "a decade box is set")
}
