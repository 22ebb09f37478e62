package harness_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/library"
	"ironthread/library/librarytest"
)

const small = `harness: 1
title: one fan
parts:
  BAT: {kind: battery}
  F1: {kind: fuse, amps: 30}
  K1: {kind: relay, contacts: changeover}
  SW: {kind: switch, closed-when: key}
  M1: {kind: motor, volts: 12, amps: 10}
  G1: {kind: ground}
  ECU:
    kind: controller
    pins: {"61": {sinks-on: low}}
wires:
  BAT.+ - F1.a: RD 4mm2 1m
  F1.b - K1.30: RD/GY 10AWG 3ft
  K1.87 - M1.+:
  M1.- - G1: 2x BN 2.5mm2
  K1.85 - ECU.61: GN
states:
  off: {key: on}
  low: {key: on, commands: [low]}
`

func TestReadsWhatIsWritten(t *testing.T) {
	c, err := harness.Read([]byte(small))
	require.NoError(t, err)
	assert.Equal(t, "one fan", c.Title)
	assert.Len(t, c.Parts, 7)
	w := c.Wires[1]
	assert.Equal(t, "RD/GY", w.Colour)
	// ASTM B258: AWG 10 is 5.26 mm² (handbook tables); 3 ft is 0.9144 m by definition.
	assert.InDelta(t, 5.26, w.Size.SquareMM(), 0.01)
	assert.InDelta(t, 0.9144, w.Length.Metres(), 1e-9)
	assert.Equal(t, 2, c.Wires[3].Parallel)
	assert.InDelta(t, 0.005, c.Wires[2].Ohms(), 1e-12, "no size or length: 5 mΩ")
	assert.InDelta(t, 12.6, c.SupplyVolts(false), 1e-12)
	assert.InDelta(t, 14.2, c.SupplyVolts(true), 1e-12)
}

// Resistance of round copper at 20 °C: NBS Handbook 100, copper wire tables, Ω per 1000 ft.
func TestCopperAgainstHandbook(t *testing.T) {
	for gauge, ohms := range map[float64]float64{10: 0.9989, 12: 1.588, 14: 2.525, 16: 4.016, 18: 6.385} {
		w := harness.Wire{Parallel: 1, Size: harness.Size{Figure: gauge, AWG: true}, Length: harness.Length{Figure: 1000, Feet: true}}
		assert.InEpsilon(t, ohms, w.Ohms(), 0.001, "AWG %g", gauge)
	}
}

func TestRoundTrip(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	texts := [][]byte{[]byte(small)}
	for _, e := range entries {
		texts = append(texts, e.Text)
	}
	for _, text := range texts {
		c, err := harness.Read(text)
		require.NoError(t, err)
		once, err := harness.Write(c)
		require.NoError(t, err)
		again, err := harness.Read(once)
		require.NoError(t, err, "%s", once)
		forgetLines(c)
		forgetLines(again)
		assert.Equal(t, c, again)
		twice, err := harness.Write(again)
		require.NoError(t, err)
		assert.Equal(t, string(once), string(twice))
	}
}

func forgetLines(c *harness.Circuit) {
	for _, p := range c.Parts {
		p.Line = 0
		if ctl, ok := p.Spec.(*harness.Controller); ok {
			for _, r := range ctl.PinRoles {
				r.Line = 0
			}
		}
	}
	for _, w := range c.Wires {
		w.Line = 0
	}
	for _, s := range c.States {
		s.Line = 0
	}
	for _, r := range c.Strategy {
		r.Line = 0
	}
	for _, b := range c.Boxes {
		b.Line = 0
	}
}

// Every error names the line, the part and what was expected.
func TestErrorsNameLineAndPlace(t *testing.T) {
	cases := []struct{ name, old, new, want string }{
		{"pin", "K1.87 - M1.+:", "K1.88 - M1.+:", `line 16: wire K1.88 - M1.+: K1.88: a changeover relay has no pin "88" (86, 85, 30, 87, 87a)`},
		{"part", "K1.87 - M1.+:", "k1.87 - M1.+:", "line 16: wire k1.87 - M1.+: k1.87: there is no part k1 (there is K1)"},
		{"kind", "kind: fuse", "kind: fuze", `line 5: F1: there is no kind "fuze" (battery, `},
		{"key", "amps: 30", "amp: 30", `line 5: F1: there is no key "amp" here (kind, at, label, access, price, amps, style, ohms)`},
		{"missing", "{kind: fuse, amps: 30}", "{kind: fuse}", "line 5: F1: amps is missing"},
		{"range", "amps: 30", "amps: -3", "line 5: F1: amps is -3, and lies between 0.1 and 1000"},
		{"figure", "amps: 30", "amps: many", `line 5: F1: amps: "many" is not a figure`},
		{"contacts", "changeover", "swap", `line 6: K1: contacts cannot be "swap" (make, break, changeover, double-make, double-changeover)`},
		{"command", "[low]", "[lo]", `line 21: states: low: no controller pin listens to the command "lo" (low)`},
		{"state key", "low: {key: on,", "low: {kee: on,", `line 21: states: low: there is no key "kee" here (key, engine, ac,`},
		{"word", "off: {key: on}", "off: {key: maybe}", `line 20: states: off: key: "maybe" is neither on nor off`},
		{"colour", "RD 4mm2", "RED 4mm2", `line 14: wire BAT.+ - F1.a: "RED" is no colour of IEC 60757`},
		{"order", "RD 4mm2 1m", "1m RD 4mm2", `"RD" is not understood: a wire is [colour] [size] [length]`},
		{"wire", "F1.b - K1.30: RD/GY", "F1.b K1.30: RD/GY", `a wire is FROM - TO`},
		{"twice", "K1.87 - M1.+:", "F1.a - BAT.+:", "there is already a wire between these pins"},
		{"itself", "K1.87 - M1.+:", "M1.+ - M1.+:", "both ends are the same pin"},
		{"inner", "K1.87 - M1.+:", "K1.87' - M1.+:", "wires end at the cavity"},
		{"roles", "sinks-on: low", "sinks-on: low, ground: true", "line 12: ECU.61: a pin is one of"},
		{"version", "harness: 1", "harness: 2", `line 1: the file must say "harness: 1"`},
		{"section", "title:", "titel:", `line 2: there is no section "titel"`},
		{"name", "  F1: {", "  1F: {", `"1F" is no name for a part`},
		{"no state", "states:\n  off: {key: on}\n  low: {key: on, commands: [low]}\n", "", "there is no state"},
		{"alias", "title: one fan", "title: &a one", "anchors and aliases"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			text := strings.Replace(small, c.old, c.new, 1)
			require.NotEqual(t, small, text)
			_, err := harness.Read([]byte(text))
			require.Error(t, err)
			assert.Contains(t, err.Error(), c.want)
		})
	}
}

func TestHostileFiles(t *testing.T) {
	for name, text := range map[string]string{
		"empty":           "",
		"aliases in ring": "a: &a [*b]\nb: &b [*a]\n",
		"billion laughs":  "harness: 1\nx: &x [a,a,a,a]\ny: &y [*x,*x,*x,*x]\nz: [*y,*y,*y,*y]\n",
		"ten megabytes":   "harness: 1\nnotes: " + strings.Repeat("x", 10<<20),
		"deep":            "harness: 1\nparts: " + strings.Repeat("[", 5000) + strings.Repeat("]", 5000),
		"a list":          "- 1\n- 2\n",
		"not yaml":        "harness: 1\n\tparts: {",
	} {
		t.Run(name, func(t *testing.T) {
			_, err := harness.Read([]byte(text))
			require.Error(t, err)
			assert.Less(t, len(err.Error()), 400)
			assert.NotContains(t, err.Error(), "\n")
		})
	}
}

func TestStrategyWithHysteresis(t *testing.T) {
	text := small + "  warm: {key: on, coolant: 93}\n  hot: {key: on, coolant: 96}\n  cabin: {key: on, ac: on}\nstrategy:\n  low: " +
		"{on-above: 95, off-below: 90, or: [ac]}\n"
	c, err := harness.Read([]byte(text))
	require.NoError(t, err)
	assert.Empty(t, c.CommandsIn(c.State("warm"), nil, harness.Heard{}), "93 °C on the way up")
	assert.Equal(t, []string{"low"}, c.CommandsIn(c.State("hot"), nil, harness.Heard{}))
	assert.Equal(t, []string{"low"}, c.CommandsIn(c.State("warm"), []string{"low"}, harness.Heard{}), "93 °C on the way down")
	assert.Equal(t, []string{"low"}, c.CommandsIn(c.State("cabin"), nil, harness.Heard{}))
}

// everyKind is the least part of each kind, with what it must have.
const everyKind = `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  F1: {kind: fuse, amps: 20}
  K1: {kind: relay, contacts: changeover}
  M1: {kind: motor, volts: 12, amps: 8, windings: {low: {"+": l, "-": c, amps: 5, rpm: 1500}, high: {"+": h, "-": c, amps: 9}}}
  R1: {kind: resistor, ohms: 0.5}
  RC: {kind: resistor-card, steps: [0.4, 0.6], limiter: {opens: 180}}
  L1: {kind: limiter, opens: 180}
  SW: {kind: switch, closed-when: key}
  SE: {kind: selector, positions: {off: [], low: ["1"]}}
  S2: {kind: switch2}
  TS: {kind: thermoswitch, stages: {"1": {closes: 92, opens: 87}}}
  PS: {kind: pressure-switch, stages: {"1": {closes: 17, opens: 14}}}
  T1: {kind: sensor, curve: {beta: 3500, r25: 2500}}
  ECU: {kind: controller, pins: {"1": {sinks-on: low}, "2": {ground: true}, "3": {pwm-on: fan}, "4": {power: true}}}
  FM: {kind: fan-module, inputs: [a], feeds: ["+"], grounds: ["-"], table: [{when: [a], drive: {out: 0.5}}]}
  PM: {kind: pwm-module, control: c, feeds: ["+"], grounds: ["-"], outputs: {fan: {"+": out}}}
  SC: {kind: speed-controller, share: 0.5}
  C1: {kind: connector, ways: 2}
  D1: {kind: diode}
  LA: {kind: lamp, volts: 12, watts: 5}
  S1: {kind: splice}
wires: {BAT.+ - F1.a: RD 4mm2 1m, F1.b - K1.30: , K1.87 - M1.l: , M1.c - G1: , ECU.2 - G1: }
states: {off: {}, low: {key: on, commands: [low, fan], duty: {fan: 40}, SE: low, coolant: 90}}
strategy: {low: {on-above: 95, off-below: 90, or: [ac]}}
`

// roundTrip holds that whatever is read can be written, and then reads the same.
func roundTrip(t *testing.T, b []byte) {
	t.Helper()
	c, err := harness.Read(b)
	if err != nil {
		if len(err.Error()) > 2000 {
			t.Fatalf("the refusal is no sentence: %.300s", err)
		}
		return
	}
	out, err := harness.Write(c)
	if err != nil {
		t.Fatalf("read but not written: %v", err)
	}
	again, err := harness.Read(out)
	if err != nil {
		t.Fatalf("written but not read back: %v\n%s", err, out)
	}
	twice, err := harness.Write(again)
	if err != nil || string(twice) != string(out) {
		t.Fatalf("written twice it is not the same: %v\n%s\n%s", err, out, twice)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(small))
	f.Add([]byte(everyKind))
	entries, err := library.All()
	if err != nil {
		f.Fatal(err)
	}
	for _, e := range entries {
		f.Add(e.Text)
	}
	f.Fuzz(roundTrip)
}

// FuzzMutated changes files that are sound, node by node, so that what lies behind the first check is
// reached.
func FuzzMutated(f *testing.F) {
	entries, err := library.All()
	if err != nil {
		f.Fatal(err)
	}
	files := [][]byte{[]byte(everyKind)}
	for _, e := range entries {
		files = append(files, e.Text)
	}
	for k := range files {
		f.Add(uint8(k), []byte{})
		f.Add(uint8(k), []byte{7, 0, 3, 90, 3, 2, 120, 7, 5})
	}
	f.Fuzz(func(t *testing.T, which uint8, changes []byte) {
		roundTrip(t, librarytest.Mutate(files[int(which)%len(files)], changes))
	})
}

// Every kind's least part is one that the reader takes.
func TestTheSeedsAreSound(t *testing.T) {
	_, err := harness.Read([]byte(everyKind))
	require.NoError(t, err)
}

// Millions of changed files: each is read, or refused with errors that say where; nothing panics.
func TestManyFiles(t *testing.T) {
	seeds := slices.Concat(slices.Repeat([][]byte{[]byte(small)}, 12), [][]byte{[]byte(everyKind)})
	librarytest.Many(t, seeds, func(b []byte) {
		if _, err := harness.Read(b); err != nil && err.Error() == "" {
			t.Errorf("%q is refused without a word", b)
		}
	})
}

// What cannot be printed, and what is taken for something else, is refused at its line: a NUL, octal and underscored figures, two parts
// whose names differ in their case alone.
func TestWhatIsTakenForSomethingElse(t *testing.T) {
	const file = "harness: 1\ntitle: T\nparts:\n  B: {kind: battery}\n  F1: {kind: fuse, amps: 10}\nstates: {on: {}}\n"
	_, err := harness.Read([]byte(file))
	require.NoError(t, err)
	for from, c := range map[string][2]string{
		"title: T":  {"title: \"\\u0000\"", "line 2: this holds a NUL, which is no text"},
		"amps: 10":  {"amps: 0777", "not a figure"},
		"amps: 10}": {"amps: 1_0}", "not a figure"},
		"states":    {"  f1: {kind: fuse, amps: 5}\nstates", "line 6: f1: F1 stands in line 5 already"},
	} {
		_, err := harness.Read([]byte(strings.Replace(file, from, c[0], 1)))
		require.ErrorContains(t, err, c[1], from)
	}
}
