package car_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/car"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/probe"
	"ironthread/library"
)

func withFaults(t *testing.T, words ...string) (*car.Car, *electric.Model) {
	t.Helper()
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	var list []fault.Fault
	for _, w := range words {
		f, err := fault.Parse(e.Circuit, w)
		require.NoError(t, err)
		list = append(list, f)
	}
	c, err := car.New(m, car.Options{}, list...)
	require.NoError(t, err)
	return c, m
}

func volts(t *testing.T, c *car.Car, state, at string, setup ...string) float64 {
	t.Helper()
	o, err := c.Answer(probe.Question{Do: probe.Volts, State: state, At: at, Setup: setup})
	require.NoError(t, err)
	require.NotNil(t, o.Reading())
	return o.Reading().Figure
}

// A short behind a relay's contact blows the fuse when the relay pulls in, and the new fuse again: but
// not before the relay does.
func TestAShortBlowsTheNewFuseInItsOwnState(t *testing.T) {
	c, m := withFaults(t, "wire K1.87 - M1.+ grounded")
	require.True(t, c.IsBlown("F1"), "the complaint has happened already")
	assert.InDelta(t, 0, volts(t, c, "off", "F1.b"), 0.1)
	renewed, err := electric.ParseSetup(m.Circuit, []string{"F1 renewed"})
	require.NoError(t, err)
	c.Do(renewed)
	assert.False(t, c.IsBlown("F1"))
	assert.Greater(t, volts(t, c, "off", "F1.b", "F1 renewed"), 12.0, "K1 rests, the short is not reached")
	assert.InDelta(t, 0, volts(t, c, "low", "F1.b", "F1 renewed"), 0.1)
	assert.True(t, c.IsBlown("F1"))
	assert.InDelta(t, 0, volts(t, c, "off", "F1.b", "F1 renewed"), 0.1, "what has blown stays blown in the next state")
}

// With the short's own load unplugged it makes no difference; with the relay out the new fuse lives.
func TestTheNewFuseLivesWithTheRelayOut(t *testing.T) {
	c, m := withFaults(t, "wire K1.87 - M1.+ grounded")
	setup, err := electric.ParseSetup(m.Circuit, []string{"F1 renewed", "K1 out"})
	require.NoError(t, err)
	c.Do(setup)
	assert.Greater(t, volts(t, c, "low", "F1.b", "F1 renewed", "K1 out"), 12.0)
	assert.False(t, c.IsBlown("F1"))
}

// A car as drawn blows nothing and needs nothing.
func TestAWellCar(t *testing.T) {
	c, m := withFaults(t)
	for _, p := range m.Fused() {
		assert.False(t, c.IsBlown(p), p)
	}
	assert.True(t, c.Well(nil))
	assert.Zero(t, c.Left(nil))
}
