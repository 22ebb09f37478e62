package electric_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// What each family does in each state, well and with its telling faults: trade practice, from
// how such circuits are wired.
func TestFamilies(t *testing.T) {
	for _, c := range []struct {
		circuit, state, words, fans string
	}{
		{"f1-one-relay", "cold", "", "stopped"},
		{"f1-one-relay", "hot", "", "fast"},
		{"f1-one-relay", "key off", "", "stopped"},
		{"f1-one-relay", "cold", "TS stage 1 stuck closed", "fast"},
		{"f1-one-relay", "hot", "TS stage 1 open", "stopped"},
		{"f1-one-relay", "cold", "wire K1.85 - TS.1 grounded", "fast"},
		{"f2-staged-pair", "one", "", "fast stopped"},
		{"f2-staged-pair", "both", "", "fast fast"},
		{"f2-staged-pair", "both", "F3 open", "stopped stopped"},
		{"f2-staged-pair", "both", "wire F3.b - ECU.B1 open", "stopped stopped"}, // the controller has no power
		{"f2-staged-pair", "both", "wires K1.85 - ECU.A4 and K2.85 - ECU.A5 crossed", "fast fast"},
		{"f2-staged-pair", "one", "wires K1.85 - ECU.A4 and K2.85 - ECU.A5 crossed", "stopped fast"},
		{"f4-dropping-resistor", "low", "", "slow"},
		{"f4-dropping-resistor", "high", "", "fast"},
		{"f4-dropping-resistor", "low", "R1 open", "stopped"},
		{"f4-dropping-resistor", "high", "R1 open", "fast"},
		{"f5-two-windings", "low", "", "slow"},
		{"f5-two-windings", "high", "", "fast"},
		{"f5-two-windings", "low", "M1 low open", "stopped"},
		{"f5-two-windings", "high", "K3 coil open", "stopped"},
		{"f6-resistor-card", "1", "", "slow"},
		{"f6-resistor-card", "4", "", "fast"},
		{"f6-resistor-card", "1", "RC limiter open", "stopped"},
		{"f6-resistor-card", "4", "RC limiter open", "fast"},
		{"f6-resistor-card", "1", "RC step 3 open", "stopped"},
		{"f6-resistor-card", "2", "RC step 3 open", "slow"},
		{"f6-resistor-card", "3", "SEL position 3 open", "stopped"},
		{"f7-discrete-module", "step 1", "", "slow slow"},
		{"f7-discrete-module", "step 4", "", "fast fast"},
		{"f7-discrete-module", "step 1", "FM.5 dead", "stopped stopped"},
		{"f7-discrete-module", "step 1", "FM step 1 dead", "stopped stopped"},
		{"f7-discrete-module", "step 4", "FM.3 dead", "stopped fast"},
		{"f7-discrete-module", "step 4", "FM no power", "stopped stopped"},
		{"f7-discrete-module", "step 4", "wire FM.2 - G1 open", "stopped stopped"},
		{"f8-pwm-module", "off", "", "stopped stopped"},
		{"f8-pwm-module", "gentle", "", "slow slow"},
		{"f8-pwm-module", "full", "", "fast fast"},
		{"f8-pwm-module", "off", "C1 way 1 open", "fast fast"},                     // fails safe
		{"f8-pwm-module", "full", "wire PM.3 - C1.a1 grounded", "stopped stopped"}, // off when grounded
		{"f8-pwm-module", "off", "PM stuck full", "fast fast"},
		{"f8-pwm-module", "full", "PM.4 dead", "stopped fast"},
		{"f9-inverted-low", "off", "", "stopped"},
		{"f9-inverted-low", "low", "", "slow"},
		{"f9-inverted-low", "off", "wire K1.85 - ECU.7 open", "slow"}, // fails safe
		{"f9-inverted-low", "low", "wire K1.85 - ECU.7 grounded", "stopped"},
		{"f10-speed-controller", "half", "", "slow"},
		{"f10-speed-controller", "full", "", "fast"},
		{"f10-speed-controller", "half", "SC stuck full", "fast"},
		{"f11-equipment-fans", "cool", "", "slow slow"},
		{"f11-equipment-fans", "hot", "", "fast fast"},
		{"f11-equipment-fans", "cool", "R1 open", "stopped stopped"},
		{"f12-add-on", "off, hot", "", "stopped"},
		{"f12-add-on", "auto, cold", "", "stopped"},
		{"f12-add-on", "auto, hot", "", "fast"},
		{"f12-add-on", "override", "", "fast"},
		{"f12-add-on", "auto, hot", "D1 open", "stopped"},
		{"f12-add-on", "override", "D1 open", "fast"},
		{"m1-bus-mixture", "cabin", "", "slow fast"},
		{"m1-bus-mixture", "cabin", "PS stage 1 open", "slow stopped"},
		{"m2-three-relay-two-winding", "low", "", "slow slow"},
		{"m2-three-relay-two-winding", "high", "", "fast fast"},
		{"m2-three-relay-two-winding", "low", "ECU dead", "slow slow"},
		{"m2-three-relay-two-winding", "high", "K2 b make contact open", "fast fast"}, // fed through the joint behind R1
	} {
		m := loadModel(t, c.circuit)
		var words []string
		if c.words != "" {
			words = []string{c.words}
		}
		p := solve(t, m, c.state, words...)
		var fans []string
		for _, fan := range m.Circuit.Fans() {
			fans = append(fans, string(p.Motors[fan.Name].Speed))
		}
		assert.Equal(t, c.fans, strings.Join(fans, " "), "%s, %s, %s", c.circuit, c.state, c.words)
		assert.True(t, p.Settled, "%s, %s, %s", c.circuit, c.state, c.words)
	}
}

// A coil with a diode the wrong way round is a short through the diode: the fuse blows.
func TestADiodeTheWrongWayRound(t *testing.T) {
	text := `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  F1: {kind: fuse, amps: 5}
  K1: {kind: relay, contacts: make, suppression: diode, diode-cathode: "CATHODE"}
wires:
  BAT.+ - F1.a:
  F1.b - K1.86:
  K1.85 - G1:
states: {on: {}}
`
	right := circuit(t, strings.Replace(text, "CATHODE", "86", 1))
	p := solve(t, right, "on")
	assert.Equal(t, "pulled in", p.Relays["K1"])
	assert.False(t, p.Fuses["F1"].Open)
	wrong := circuit(t, strings.Replace(text, "CATHODE", "85", 1))
	p = solve(t, wrong, "on")
	assert.True(t, p.Fuses["F1"].Open)
	assert.Equal(t, "at rest", p.Relays["K1"])
}

// A two-winding fan draws half again as much on high as on low (common practice).
func TestTwoWindingsShareTheShaft(t *testing.T) {
	m := loadModel(t, "f5-two-windings")
	low, high := solve(t, m, "low").Motors["M1"], solve(t, m, "high").Motors["M1"]
	assert.Greater(t, high.Amps, 1.3*low.Amps)
	assert.Greater(t, high.RPM, low.RPM)
	// The winding that is not fed generates on its open terminal.
	p := solve(t, m, "low")
	require.NotNil(t, p.Pins["M1.H"])
	assert.Greater(t, *p.Pins["M1.H"], 3.0)
}

func TestTwentyFourVolts(t *testing.T) {
	m := loadModel(t, "m1-bus-mixture")
	assert.InDelta(t, 24, m.Circuit.Nominal(), 0)
	p := solve(t, m, "very hot")
	assert.Equal(t, "pulled in", p.Relays["K1"], "a 24 V coil of four times the ohms")
	assert.InDelta(t, 25, p.Motors["M2"].Volts, 1)
}

// A fan backwards turns backwards and still moves some air (common practice).
func TestAFanFedBackwards(t *testing.T) {
	m := loadModel(t, twin)
	p := solve(t, m, "high", "M1 reversed")
	assert.Equal(t, electric.Backwards, p.Motors["M1"].Speed)
	p = solve(t, m, "off", "M1 unplugged", "feed M1.-'", "ground M1.+'")
	assert.Equal(t, electric.Backwards, p.Motors["M1"].Speed)
}

// The common 10 kΩ thermistor, A = 1.1292e-3, B = 2.341e-4, C = 8.775e-8 (from memory of a
// widely printed table): 10 kΩ at 25 °C.
func TestThermistorAgainstThePublishedTable(t *testing.T) {
	c := harness.Curve{A: 1.1292e-3, B: 2.341e-4, C: 8.775e-8}
	assert.InDelta(t, 10000, c.Ohms(25), 15)
	for _, celsius := range []float64{-20, 0, 25, 60, 90, 120} {
		assert.InDelta(t, celsius, c.Celsius(c.Ohms(celsius)), 1e-6)
	}
	// Points reproduce themselves, and between them the curve falls.
	p := harness.Curve{Points: []harness.CurvePoint{{Celsius: 0, Ohms: 6000}, {Celsius: 25, Ohms: 2000}, {Celsius: 90, Ohms: 240}}}
	assert.InDelta(t, 2000, p.Ohms(25), 1e-6)
	last := math.Inf(1)
	for celsius := -30.0; celsius < 130; celsius += 5 {
		now := p.Ohms(celsius)
		assert.Less(t, now, last)
		last = now
	}
	beta := harness.Curve{Beta: 3435, R25: 10000}
	assert.InDelta(t, 10000, beta.Ohms(25), 1e-6)
}

// Circuits that cannot be: each is solved with a warning or refused with a sentence.
func TestCircuitsThatCannotBe(t *testing.T) {
	short := circuit(t, `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  F1: {kind: fuse, amps: 20}
wires:
  BAT.+ - F1.a: RD 1.5mm2 1m
  F1.b - G1: BK 1.5mm2 1m
states: {on: {}}
`)
	assert.True(t, solve(t, short, "on").Fuses["F1"].Open, "the fuse in a dead short opens")
	bare := circuit(t, `harness: 1
parts: {BAT: {kind: battery}, G1: {kind: ground}}
wires: {BAT.+ - G1: RD 1.5mm2 1m}
states: {on: {}}
`)
	assert.Contains(t, warnings(solve(t, bare, "on")), "wire BAT.+ - G1 carries")
	fighting := circuit(t, `harness: 1
supply: {off: 12.6}
parts: {B1: {kind: battery, ohms: 0.01}, B2: {kind: battery, ohms: 0.01}, M1: {kind: motor, volts: 12, amps: 5}}
wires: {B1.+ - B2.-: , B1.- - B2.+: , B1.+ - M1.+: }
states: {on: {}}
`)
	p := solve(t, fighting, "on")
	assert.Greater(t, math.Abs(p.Wires[0].Amps), 500.0, "two batteries in a ring")
	assert.Nil(t, p.Pins["M1.-'"], "no such side while it is plugged in")
}
