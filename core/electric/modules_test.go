package electric_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// pwm is a module with one fan; what its control wire is joined to is put in.
func pwm(t *testing.T, options, control string) *electric.Model {
	t.Helper()
	return circuit(t, `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  PM: {kind: pwm-module, control: c, feeds: [f], grounds: [g], outputs: {fan: {"+": p}}, duty: {min: 10, max: 90}`+options+`}
  M1: {kind: motor, volts: 12.6, amps: 10}
  R1: {kind: resistor, ohms: 1000}
  ECU: {kind: controller, pins: {"1": {pwm-on: fan}, "2": {ground: true}}}
wires:
  BAT.+ - PM.f:
  PM.g - G1:
  PM.p - M1.+:
  M1.- - G1:
  ECU.2 - G1:
`+control+`
states:
  idle: {commands: []}
  half: {commands: [fan], duty: 45}
  full: {commands: [fan], duty: 95}
  below: {commands: [fan], duty: 6}
`)
}

// What a module does by its control wire (common practice): off below the window, in
// proportion within, full at its end; open fails to full unless it says otherwise, grounded is
// off.
func TestPWMModule(t *testing.T) {
	wired := "  PM.c - ECU.1:"
	for _, c := range []struct {
		options, control, state string
		share                   float64
	}{
		{"", wired, "idle", 0}, {"", wired, "below", 0}, {"", wired, "half", 0.5}, {"", wired, "full", 1},
		{", on-level: high", wired, "half", 0.5}, {", on-level: high", wired, "idle", 0}, {", on-level: high", wired, "full", 1},
		{"", "", "idle", 1}, {", open: full", "", "idle", 1}, {`, open: "off"`, "", "idle", 0}, {", open: hold", "", "idle", 0},
		{"", "  PM.c - G1:", "half", 0}, {", grounded: full", "  PM.c - G1:", "half", 1},
	} {
		m := pwm(t, c.options, c.control)
		p := solve(t, m, c.state)
		feed := *p.Pins["PM.f"] - *p.Pins["PM.g"]
		assert.InDelta(t, c.share*feed, p.Motors["M1"].Volts, 0.35, "%s %q %s: %v", c.options, c.control, c.state, p.Modules)
	}
}

// An average-value converter gives back what it takes: the power into the rails is the power
// out, less what its own ohms and electronics take.
func TestModulesConservePower(t *testing.T) {
	m := pwm(t, "", "  PM.c - ECU.1:")
	p := solve(t, m, "half")
	amps := map[string]float64{}
	for _, w := range p.Wires {
		amps[w.From+" "+w.To] = w.Amps
	}
	in := (*p.Pins["PM.f"] - *p.Pins["PM.g"]) * amps["BAT.+ PM.f"]
	motor := p.Motors["M1"]
	out := motor.Volts * motor.Amps
	assert.Greater(t, in, out)
	assert.Less(t, in-out, 1.0, "watts lost in contacts and electronics")
	assert.Less(t, amps["BAT.+ PM.f"], motor.Amps, "half the volts, about half the current from the battery")
}

func TestAfterEntersOtherStatesFirst(t *testing.T) {
	m := circuit(t, `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  TS: {kind: thermoswitch, stages: {"1": {closes: 90, opens: 80}}}
  M1: {kind: motor, volts: 12, amps: 5}
wires: {BAT.+ - TS.1: , TS.c - M1.+: , M1.- - G1: }
states:
  warm: {coolant: 85}
  hot: {coolant: 95}
  cold: {coolant: 70}
`)
	state := m.Circuit.State
	for _, c := range []struct {
		after []*harness.State
		want  electric.Speed
	}{
		{nil, electric.Stopped}, {[]*harness.State{state("hot")}, electric.Fast},
		{[]*harness.State{state("hot"), state("cold")}, electric.Stopped},
	} {
		p, err := m.Solve(electric.Condition{State: state("warm"), After: c.after})
		require.NoError(t, err)
		assert.Equal(t, c.want, p.Motors["M1"].Speed, "85 °C after %d states", len(c.after))
	}
}

// A relay's coil pulls in by its current, whatever the volts across the terminals.
func TestPullInIsByCurrent(t *testing.T) {
	text := `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  R1: {kind: resistor, ohms: OHMS}
  K1: {kind: relay, contacts: make, coil-ohms: 85}
wires: {BAT.+ - R1.a: , R1.b - K1.86: , K1.85 - G1: }
states: {on: {}}
`
	for ohms, want := range map[int]string{1: "pulled in", 50: "pulled in", 60: "at rest", 500: "at rest"} {
		// 7.5 V over 85 Ω is 88 mA; 12.6 V over 85 + 57.8 Ω.
		m := circuit(t, strings.Replace(text, "OHMS", fmt.Sprint(ohms), 1))
		assert.Equal(t, want, solve(t, m, "on").Relays["K1"], "%d Ω in series", ohms)
	}
	m := loadModel(t, twin)
	p := solve(t, m, "low", "K1 coil open")
	assert.Equal(t, "at rest", p.Relays["K1"])
	assert.Greater(t, *p.Pins["K1.86"]-*p.Pins["K1.85"], 12.0, "an open coil still shows the supply")
}

func TestEngineRunningRaisesTheSupply(t *testing.T) {
	m := circuit(t, `harness: 1
supply: {off: 12.4, running: 14.1}
parts: {BAT: {kind: battery}, M1: {kind: motor, volts: 12, amps: 5}}
wires: {BAT.+ - M1.+: , M1.- - BAT.-: }
states: {off: {}, on: {engine: running}}
`)
	off, on := solve(t, m, "off"), solve(t, m, "on")
	assert.InDelta(t, 12.4, off.Supply, 1e-9)
	assert.InDelta(t, 14.1, on.Supply, 1e-9)
	assert.Greater(t, on.Motors["M1"].RPM, off.Motors["M1"].RPM)
	flat := solve(t, m, "off", "BAT flat 9")
	assert.InDelta(t, 9, flat.Supply, 1e-9)
}

func TestSplicesAndConnectors(t *testing.T) {
	m := circuit(t, `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  S1: {kind: splice}
  C1: {kind: connector, ways: 2}
  M1: {kind: motor, volts: 12, amps: 5}
  M2: {kind: motor, volts: 12, amps: 5}
wires: {BAT.+ - S1: , S1 - C1.a1: , S1 - C1.a2: , C1.b1 - M1.+: , C1.b2 - M2.+: , M1.- - G1: , M2.- - G1: }
states: {on: {}}
`)
	speeds := func(words ...string) string {
		p := solve(t, m, "on", words...)
		return fmt.Sprint(p.Motors["M1"].Speed, " ", p.Motors["M2"].Speed)
	}
	assert.Equal(t, "fast fast", speeds())
	assert.Equal(t, "stopped fast", speeds("C1 way 1 open"))
	assert.Equal(t, "fast slow", speeds("C1 way 2 resists 2"))
	assert.Equal(t, "stopped stopped", speeds("C1 apart"))
	assert.Equal(t, "stopped stopped", speeds("S1 open"))
	assert.Equal(t, "stopped stopped", speeds("G1 open"))
}

// A module's output that lies against battery is held up by it: the module gives nothing, draws nothing back
// through its switch, and is no transformer that makes high volts at its own feed.
func TestAnOutputAgainstBatteryPushesNothingBack(t *testing.T) {
	m := loadModel(t, "m1-bus-mixture")
	f, err := fault.Parse(m.Circuit, "wire PM.4 - M1.+ to battery")
	require.NoError(t, err)
	for _, s := range m.Circuit.States {
		p, err := m.Solve(electric.Condition{State: s, Faults: []fault.Fault{f}, After: m.Circuit.States})
		require.NoError(t, err)
		for pin, v := range p.Pins {
			if v != nil {
				assert.LessOrEqual(t, *v, p.Supply+1e-6, "%s: %s", s.Name, pin)
			}
		}
		assert.False(t, p.Fuses["F1"].Open, "%s: no current runs backwards through the module's fuse", s.Name)
		assert.Equal(t, electric.Fast, p.Motors["M1"].Speed, s.Name)
	}
}
