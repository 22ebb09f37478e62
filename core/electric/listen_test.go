package electric

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// One relay that the controller pulls in by its own sensor, or when a pressure switch pulls
// its input low, or when the sensor is lost.
const listening = `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  F1: {kind: fuse, amps: 30}
  K1: {kind: relay, contacts: make}
  M1: {kind: motor, volts: 12.6, amps: 12}
  T1: {kind: sensor, curve: {beta: 3500, r25: 2500}}
  C1: {kind: connector, ways: 1}
  PS: {kind: pressure-switch, stages: {"1": {closes: 17, opens: 14}}}
  ECU:
    kind: controller
    pins:
      "1": {power: true}
      "2": {ground: true}
      "10": {sinks-on: fan}
      "11": {input: temperature, pull-up: 2200}
      "12": {input: pressure, pull-up: 1000, asserted: low}
wires:
  BAT.+ - F1.a:
  F1.b - K1.30:
  F1.b - K1.86:
  F1.b - ECU.1:
  K1.87 - M1.+:
  M1.- - G1:
  ECU.2 - G1:
  K1.85 - ECU.10:
  ECU.11 - C1.a1:
  C1.b1 - T1.s:
  T1.r - G1:
  ECU.12 - PS.1:
  PS.c - G1:
states:
  cold: {key: on, coolant: 60}
  warm: {key: on, coolant: 91}
  hot: {key: on, coolant: 100}
  pressed: {key: on, coolant: 60, pressure: 20}
  by hand: {key: on, coolant: 60, commands: [fan]}
strategy:
  fan: {on-above: 95, off-below: 90, or: [ECU.12, no-sensor]}
`

func TestTheControllerListens(t *testing.T) {
	c, err := harness.Read([]byte(listening))
	require.NoError(t, err)
	m, err := New(c)
	require.NoError(t, err)
	for _, row := range []struct {
		state, after, setup, fault string
		runs                       bool
	}{
		{state: "cold"},
		{state: "warm"},
		{state: "hot", runs: true},
		{state: "warm", after: "hot", runs: true}, // hysteresis: off below 90
		{state: "cold", after: "hot"},
		{state: "pressed", runs: true},
		{state: "by hand", runs: true},
		{state: "cold", setup: "sensor T1 replaced 170", runs: true}, // it believes 102 °C
		{state: "hot", setup: "sensor T1 replaced 2500"},
		{state: "cold", setup: "T1 unplugged", runs: true},
		{state: "cold", setup: "C1 apart", runs: true},
		{state: "cold", fault: "T1 open", runs: true},
		{state: "cold", fault: "T1 shorted", runs: true},
		{state: "pressed", fault: "PS stage 1 open"},
		{state: "hot", fault: "F1 open"},
	} {
		cond := Condition{State: c.State(row.state)}
		if row.after != "" {
			cond.After = []*harness.State{c.State(row.after)}
		}
		if row.setup != "" {
			a, err := ParseAction(c, row.setup)
			require.NoError(t, err)
			assert.Equal(t, row.setup, a.String(), "it reads back")
			cond.Setup = append(cond.Setup, a)
		}
		if row.fault != "" {
			f, err := fault.Parse(c, row.fault)
			require.NoError(t, err, row.fault)
			cond.Faults = append(cond.Faults, f)
		}
		p, err := m.Solve(cond)
		require.NoError(t, err)
		assert.Equal(t, row.runs, p.Motors["M1"].Speed == Fast, "%+v", row)
	}
}

func TestAStandInWarns(t *testing.T) {
	c, err := harness.Read([]byte(listening))
	require.NoError(t, err)
	m, err := New(c)
	require.NoError(t, err)
	a, err := ParseAction(c, "sensor T1 replaced 170")
	require.NoError(t, err)
	p, err := m.Solve(Condition{State: c.State("cold"), Setup: []Action{a}})
	require.NoError(t, err)
	var words string
	for _, w := range p.Warnings {
		if w.Kind == "stand-in" {
			words = w.Text
		}
	}
	// Beta equation by hand: 1/T = 1/298.15 + ln(170/2500)/3500 gives 113.6 °C.
	assert.Contains(t, words, "believe 114 °C")
	for _, bad := range []string{"sensor T1 replaced", "sensor T1 replaced 0", "sensor M1 replaced 5", "sensor T1 replaced much",
		"sensor T9 replaced 5"} {
		_, err := ParseAction(c, bad)
		assert.Error(t, err, bad)
	}
}
