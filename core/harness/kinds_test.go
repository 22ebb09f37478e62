package harness_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
)

// withPart puts one part into a file that is otherwise whole.
func withPart(spec string) string {
	return "harness: 1\nparts:\n  BAT: {kind: battery}\n  X: " + spec + "\nstates: {on: {key: on}}\n"
}

func TestPinsOfEveryKind(t *testing.T) {
	for spec, want := range map[string]string{
		"{kind: battery}":                            "+ -",
		"{kind: ground}":                             "",
		"{kind: splice}":                             "",
		"{kind: fuse, amps: 5}":                      "a b",
		"{kind: relay, contacts: make}":              "86 85 30 87",
		"{kind: relay, contacts: break}":             "86 85 30 87a",
		"{kind: relay, contacts: changeover}":        "86 85 30 87 87a",
		"{kind: relay, contacts: double-make}":       "86 85 30 87 30b 87b",
		"{kind: relay, contacts: double-changeover}": "86 85 30 87 87a 30b 87b 87ab",
		"{kind: motor, volts: 12, amps: 9}":          "+ -",
		`{kind: motor, volts: 12, windings: {low: {"+": L, "-": C, amps: 6}, high: {"+": H, "-": C, amps: 9}}}`: "L C H",
		"{kind: resistor, ohms: 0.5}":                                   "a b",
		"{kind: resistor-card, steps: [0.4, 0.6, 1]}":                   "in 1 2 3",
		"{kind: limiter, opens: 180}":                                   "a b",
		"{kind: switch, closed-when: key}":                              "a b",
		`{kind: selector, positions: {off: [], "1": [p], "2": [p, q]}}`: "c p q",
		"{kind: switch2}":                                               "c a b",
		`{kind: thermoswitch, stages: {"1": {closes: 90, opens: 85}, "2": {closes: 99, opens: 94}}}`:          "c 1 2",
		`{kind: pressure-switch, stages: {"1": {closes: 17, opens: 14}}}`:                                     "c 1",
		"{kind: sensor, curve: {beta: 3400, r25: 2000}}":                                                      "s r",
		`{kind: fan-module, feeds: [f], grounds: [g], inputs: [a, b], table: [{when: [a], drive: {o: 0.5}}]}`: "f a b o g",
		`{kind: pwm-module, control: c, feeds: [f], grounds: [g], outputs: {fan: {"+": p, "-": m}}}`:          "f c p m g",
		"{kind: speed-controller}":          "+ - out",
		"{kind: connector, ways: 2}":        "a1 b1 a2 b2",
		"{kind: diode}":                     "a k",
		"{kind: lamp, volts: 12, watts: 4}": "a b",
	} {
		c, err := harness.Read([]byte(withPart(spec)))
		require.NoError(t, err, spec)
		assert.Equal(t, want, strings.Join(c.Part("X").Spec.Pins(), " "), spec)
		// Each writes and reads back as itself.
		out, err := harness.Write(c)
		require.NoError(t, err)
		again, err := harness.Read(out)
		require.NoError(t, err, "%s", out)
		forgetLines(c)
		forgetLines(again)
		assert.Equal(t, c.Part("X").Spec, again.Part("X").Spec, spec)
	}
}

func TestKindsSayWhatIsMissing(t *testing.T) {
	for spec, want := range map[string]string{
		"{kind: motor, volts: 12}":                                     "amps is missing",
		"{kind: relay}":                                                "contacts is missing",
		"{kind: resistor}":                                             "ohms is missing",
		"{kind: switch}":                                               "closed-when is missing",
		"{kind: connector}":                                            "ways is missing",
		"{kind: connector, ways: 2.5}":                                 "ways is a whole number from 1 to 60",
		"{kind: sensor}":                                               "curve is missing",
		"{kind: sensor, curve: {beta: 3400}}":                          "a curve is at least two points",
		"{kind: sensor, curve: {points: {25: 2000}}}":                  "a curve is at least two points",
		"{kind: resistor-card, steps: 0.5}":                            "steps is a list of figures",
		"{kind: resistor-card, steps: [0.5, x]}":                       `"x" is not a figure`,
		`{kind: thermoswitch, stages: {"1": {closes: 90}}}`:            "opens is missing",
		"{kind: thermoswitch, stages: {}}":                             "stages is missing",
		"{kind: thermoswitch, stages: }":                               "stages is missing",
		`{kind: thermoswitch, stages: {"1": {closes: 900, opens: 1}}}`: "closes is 900, and lies between -60 and 200",
		"{kind: fan-module, feeds: [f], grounds: [g], inputs: [a], table: [{when: [z], drive: {o: 1}}]}": "the table speaks of z, which is " +
			"no input (a)",
		"{kind: fan-module, feeds: [f], grounds: [g], inputs: [a], table: {}}": "table is a list",
		"{kind: pwm-module, feeds: [f], grounds: [g], outputs: {}}":            "control is missing",
		"{kind: relay, contacts: make, suppression: tape}":                     `suppression cannot be "tape" (none, resistor, diode)`,
		"{kind: lamp, volts: 12}":                                              "watts is missing",
		"{kind: controller}":                                                   "pins is missing",
		"{kind: controller, pins: {}}":                                         "a controller needs its pins",
		"[]":                                                                   "a part is a mapping",
	} {
		_, err := harness.Read([]byte(withPart(spec)))
		require.Error(t, err, spec)
		assert.Contains(t, err.Error(), "line 4: X: ", spec)
		assert.Contains(t, err.Error(), want, spec)
	}
}

func TestStagesHaveHysteresis(t *testing.T) {
	rising := harness.Stage{Closes: 92, Opens: 87}
	assert.False(t, rising.Closed(90, false), "on the way up")
	assert.True(t, rising.Closed(92, false))
	assert.True(t, rising.Closed(90, true), "on the way down")
	assert.False(t, rising.Closed(86, true))
	// Closed when cold: closes at or below 40, opens above 50.
	falling := harness.Stage{Closes: 40, Opens: 50}
	assert.True(t, falling.Closed(40, false))
	assert.True(t, falling.Closed(45, true))
	assert.False(t, falling.Closed(45, false))
	assert.False(t, falling.Closed(50, true))
}

func TestDutyWindow(t *testing.T) {
	m := harness.PWMModule{Min: 12, Max: 88}
	for duty, share := range map[float64]float64{0: 0, 11.9: 0, 44: 0.5, 88: 1, 95: 1} {
		assert.InDelta(t, share, m.Share(duty), 1e-9, "%g %%", duty)
	}
	plain := harness.PWMModule{}
	assert.Zero(t, plain.Share(9))
	assert.InDelta(t, 1, plain.Share(90), 1e-9)
}

func TestTableMatchesTheWholePattern(t *testing.T) {
	a, ab := &harness.Row{When: []string{"a"}}, &harness.Row{When: []string{"a", "b"}}
	m := harness.FanModule{Inputs: []string{"a", "b"}, Table: []*harness.Row{a, ab}}
	at := func(asserted ...string) *harness.Row {
		return m.Match(func(in string) bool { return strings.Contains(strings.Join(asserted, " "), in) })
	}
	assert.Same(t, a, at("a"))
	assert.Same(t, ab, at("a", "b"))
	assert.Nil(t, at("b"), "no row: off")
	assert.Nil(t, at())
}

func TestWireDescriptions(t *testing.T) {
	read := func(description string) (*harness.Wire, error) {
		c,
			err := harness.Read([]byte("harness: 1\nparts: {BAT: {kind: battery}, F: {kind: fuse, amps: 5}}\n" +
			"wires:\n  BAT.+ - F.a: " + description + "\nstates: {on: {}}\n"))
		if err != nil {
			return nil, err
		}
		return c.Wires[0], nil
	}
	for _, good := range []string{"", "RD", "RD/GY", "4mm2", "1.2m", "RD 4mm2", "RD 4mm2 0.2m", "2x RD 4mm2 3ft", "12AWG 2ft", "0AWG"} {
		w, err := read(good)
		require.NoError(t, err, good)
		assert.Equal(t, good, w.Description())
		assert.Positive(t, w.Ohms())
	}
	for bad, want := range map[string]string{
		"PU 4mm2": "no colour of IEC 60757", "RD/": "no colour", "99x RD": "between 1 and 20 wires", "RD 4mm": "is not understood",
		"RD 900mm2": "a size lies between", "RD 4mm2 999m": "a length lies between", "4mm2 RD": "is not understood",
		"RD RD": "is not understood", "{}": "[colour] [size] [length] is expected",
	} {
		_, err := read(bad)
		require.Error(t, err, bad)
		assert.Contains(t, err.Error(), want, bad)
	}
}

func TestTwentyFourVoltDefaults(t *testing.T) {
	for _, c := range []struct {
		supply       string
		off, running float64
		nominal      float64
	}{
		{"", 12.6, 14.2, 12}, {"supply: {off: 12.4}\n", 12.4, 14.2, 12},
		{"supply: {off: 25.2}\n", 25.2, 28.4, 24}, {"supply: {running: 28}\n", 25.2, 28, 24},
	} {
		circuit, err := harness.Read([]byte("harness: 1\n" + c.supply + "parts: {BAT: {kind: battery}}\nstates: {on: {}}\n"))
		require.NoError(t, err)
		assert.InDelta(t, c.off, circuit.SupplyVolts(false), 1e-9)
		assert.InDelta(t, c.running, circuit.SupplyVolts(true), 1e-9)
		assert.InDelta(t, c.nominal, circuit.Nominal(), 0)
	}
}

func TestExports(t *testing.T) {
	c, err := harness.Read([]byte(small))
	require.NoError(t, err)
	var list, js strings.Builder
	require.NoError(t, c.WriteWireList(&list))
	assert.Equal(t, 1+len(c.Wires), strings.Count(list.String(), "\n"))
	assert.Contains(t, list.String(), "M1.-,G1,2,BN,2.5mm2,,0.0025")
	require.NoError(t, harness.WriteJSON(&js, []byte(small)))
	assert.Contains(t, js.String(), `"BAT.+ - F1.a": "RD 4mm2 1m"`)
}
