package harness_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
)

// Sensor curves against published figures: the widely printed Steinhart–Hart coefficients of the
// common 10 kΩ part give 10 kΩ at 25 °C (coefficients from memory of the printed table), the beta
// law gives R25 at 25 °C by its definition, and points give themselves.
func TestSensorCurves(t *testing.T) {
	common := harness.Curve{A: 1.1292e-3, B: 2.341e-4, C: 8.775e-8}
	assert.InEpsilon(t, 10000, common.Ohms(25), 0.003)
	// The equation itself, the other way round: 1/T = A + B·ln R + C·ln³R.
	for _, celsius := range []float64{-20, 0, 25, 60, 100, 120} {
		l := math.Log(common.Ohms(celsius))
		assert.InDelta(t, 1/(celsius+273.15), common.A+common.B*l+common.C*l*l*l, 1e-12)
	}
	beta := harness.Curve{Beta: 3400, R25: 2000}
	assert.InDelta(t, 2000, beta.Ohms(25), 1e-9)
	assert.InEpsilon(t, 2000*math.Exp(3400*(1/373.15-1/298.15)), beta.Ohms(100), 1e-12)
	points := harness.Curve{Points: []harness.CurvePoint{{Celsius: 20, Ohms: 2500}, {Celsius: 90, Ohms: 240}, {Celsius: 120, Ohms: 110}}}
	for _, p := range points.Points {
		assert.InEpsilon(t, p.Ohms, points.Ohms(p.Celsius), 1e-9)
	}
	between := points.Ohms(60)
	assert.Greater(t, between, 240.0)
	assert.Less(t, between, 2500.0)
	for _, c := range []harness.Curve{common, beta, points} {
		for _, celsius := range []float64{-10, 25, 88, 110} {
			assert.InDelta(t, celsius, c.Celsius(c.Ohms(celsius)), 0.01, "there and back")
		}
	}
}

const knob = `harness: 1
title: small
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  F1: {kind: fuse, amps: 30, price: 4.5, access: 3}
  K1: {kind: relay, contacts: make}
  M1: {kind: motor, volts: 12.6, amps: 14, rpm: 2400}
  SC: {kind: speed-controller, share: 0.3}
wires:
  BAT.+ - F1.a: RD 4mm2 0.5m
  F1.b - M1.+:
  M1.- - SC.out:
  SC.+ - F1.b:
  SC.- - G1:
  K1.86 - F1.b:
  K1.85 - G1:
states:
  off: {key: off}
  half: {key: on, SC: 0.5}
`

func TestFindingThings(t *testing.T) {
	c, err := harness.Read([]byte(knob))
	require.NoError(t, err)
	pin, err := c.FindPin("F1.a")
	require.NoError(t, err)
	assert.Equal(t, harness.Pin{Part: "F1", Name: "a"}, pin)
	for text, want := range map[string]string{
		"F2.a": "there is no part F2", "F1.c": "a fuse has no pin", "M1": "M1", "": "there is no part",
	} {
		_, err := c.FindPin(text)
		assert.ErrorContains(t, err, want, text)
	}
	ground, err := c.FindPin("G1")
	require.NoError(t, err, "a part with one terminal is written by its name alone")
	assert.Equal(t, "G1", ground.String())
	_, err = c.FindState("full")
	assert.EqualError(t, err, `there is no state "full" in this harness (off, half)`)
	s, err := c.FindState("half")
	require.NoError(t, err)
	assert.InDelta(t, 0.5, c.Part("SC").Spec.(*harness.SpeedController).ShareIn(s, "SC"), 1e-12)
	assert.InDelta(t, 0.3, c.Part("SC").Spec.(*harness.SpeedController).ShareIn(c.State("off"), "SC"), 1e-12)
	require.Len(t, c.Fans(), 1)
	assert.Len(t, c.Part("K1").Pins(), 4)
	assert.NotNil(t, c.Wire(harness.ParsePin("F1.a"), harness.ParsePin("BAT.+")), "either way round")
	assert.Nil(t, c.Wire(harness.ParsePin("F1.a"), harness.ParsePin("M1.+")))
	inner := harness.ParsePin("M1.+'")
	assert.True(t, inner.Inner)
	assert.Equal(t, "M1.+", inner.Cavity().String())
	var back harness.Pin
	text, err := inner.MarshalText()
	require.NoError(t, err)
	require.NoError(t, back.UnmarshalText(text))
	assert.Equal(t, inner, back)
}

// A part's own price and access come before what is usual for its kind; every kind has both.
func TestPrices(t *testing.T) {
	c, err := harness.Read([]byte(knob))
	require.NoError(t, err)
	assert.InDelta(t, 4.5, c.Part("F1").Price(), 1e-12)
	assert.InDelta(t, 4, c.Part("F1").RenewMinutes(), 1e-12, "a minute, and three to reach it")
	assert.Greater(t, c.Part("M1").Price(), c.Part("K1").Price())
	for _, p := range c.Parts {
		assert.Positive(t, p.Price(), p.Name)
		assert.Positive(t, p.RenewMinutes(), p.Name)
	}
}
