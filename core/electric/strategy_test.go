package electric

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
)

// A controller with a fan whose duty follows the temperature, and a kill switch that holds it off; the module has a
// supply of its own for its electronics, a rating and a window of frequencies.
const following = `
harness: 1
title: Following
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  SW: {kind: switch, closed-when: key}
  KILL: {kind: switch, closed-when: kill}
  F1: {kind: fuse, amps: 40}
  M1: {kind: motor, volts: 12.6, amps: 15}
  PM: {kind: pwm-module, control: c, feeds: [f], logic: [l], grounds: [g], outputs: {a: {"+": o}}, duty: {min: 10, max: 90},
       hertz: {from: 100, to: 300}, rating: {amps: 12}}
  ECU:
    kind: controller
    pins:
      "1": {pwm-on: fan}
      "2": {ground: true}
      "3": {input: kill, pull-up: 1000, asserted: low}
wires:
  BAT.+ - F1.a:
  F1.b - PM.f:
  BAT.+ - SW.a:
  SW.b - PM.l:
  PM.g - G1:
  PM.o - M1.+:
  M1.- - G1:
  PM.c - ECU.1:
  ECU.2 - G1:
  ECU.3 - KILL.a:
  KILL.b - G1:
states:
  cool: {key: on, coolant: 80}
  warm: {key: on, coolant: 98}
  hot: {key: on, coolant: 110}
  killed: {key: on, coolant: 110, kill: on}
  too fast: {key: on, coolant: 110, hertz: 400}
  parked: {coolant: 110}
  edge: {key: on, commands: [fan], duty: 10}
strategy:
  fan: {from: {at: 92, duty: 20}, to: {at: 104, duty: 90}, unless: [kill]}
`

func TestADutyThatFollowsTheTemperature(t *testing.T) {
	c, err := harness.Read([]byte(following))
	require.NoError(t, err)
	m, err := New(c)
	require.NoError(t, err)
	in := func(state string) *Point {
		t.Helper()
		p, err := m.Solve(Condition{State: c.State(state)})
		require.NoError(t, err)
		return p
	}
	warned := func(p *Point, kind string) bool {
		for _, w := range p.Warnings {
			if w.Kind == kind {
				return true
			}
		}
		return false
	}
	assert.Contains(t, in("cool").Modules["PM"], " 0 % of full volts", "below the first point nothing is commanded")
	// 98 °C is half-way from 92 to 104: 20 + (90 - 20)/2 = 55 %.
	assert.Contains(t, in("warm").Modules["PM"], "duty 55 %")
	assert.Contains(t, in("hot").Modules["PM"], "duty 90 %")
	assert.Contains(t, in("killed").Modules["PM"], " 0 % of full volts")
	assert.Equal(t, "no power", in("parked").Modules["PM"], "its electronics live on the key")
	assert.Contains(t, in("edge").Modules["PM"], "duty 10 %", "the window's edge is inside")
	assert.NotContains(t, in("edge").Modules["PM"], " 0 % of full volts")
	assert.True(t, warned(in("hot"), "rating"), "15 A from an output for 12")
	assert.False(t, warned(in("hot"), "hertz"))
	assert.True(t, warned(in("too fast"), "hertz"))
	text, err := harness.Write(c)
	require.NoError(t, err)
	again, err := harness.Read(text)
	require.NoError(t, err)
	assert.Equal(t, c.Strategy[0].From, again.Strategy[0].From, "it is written as it is read")
}

func TestAStrategyThatMakesNoSense(t *testing.T) {
	for rule, want := range map[string]string{
		"fan: {from: {at: 92, duty: 20}}":                            "has from and to",
		"fan: {from: {at: 104, duty: 20}, to: {at: 92, duty: 90}}":   "from: at must be below to: at",
		"fan: {on-above: 90, unless: [whim]}":                        `unless: "whim" is no input`,
		"fan: {from: {at: 92, duty: 20}, to: {at: 104, duty: 9000}}": "duty",
	} {
		cut := following[:len(following)-len("  fan: {from: {at: 92, duty: 20}, to: {at: 104, duty: 90}, unless: [kill]}\n")]
		_, err := harness.Read([]byte(cut + "  " + rule + "\n"))
		assert.ErrorContains(t, err, want)
	}
	plain := `{harness: 1, title: x, parts: {BAT: {kind: battery}, ECU: {kind: controller, pins: {"3": {input: kill}}}}, ` +
		`wires: {BAT.- - ECU.3: ""}, states: {on: {key: on}}}`
	_, err := harness.Read([]byte(plain))
	assert.ErrorContains(t, err, "nobody reads the input ECU.3 (kill)")
}
