package pincheck_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/pincheck"
	"ironthread/library"
)

// conversion is no library circuit: a controller with three outputs that pull three coils of one feed to ground.
const conversion = `
harness: 1
title: Tug conversion
supply: {off: 12.6, running: 14.2}
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  F1: {kind: fuse, amps: 30}
  F2: {kind: fuse, amps: 10, style: mini}
  K1: {kind: relay, contacts: make, coil-ohms: 90}
  K2: {kind: relay, contacts: make, coil-ohms: 80}
  K3: {kind: relay, contacts: make, coil-ohms: 100}
  M1: {kind: motor, volts: 12.6, amps: 12}
  L1: {kind: lamp, volts: 12, watts: 5}
  L2: {kind: lamp, volts: 12, watts: 5}
  ECU:
    kind: controller
    pins:
      "A4": {sinks-on: fan}
      "A5": {sinks-on: pump}
      "B1": {sinks-on: horn}
      "C7": {ground: true}
wires:
  BAT.+ - F1.a: RD 6mm2 0.5m
  BAT.+ - F2.a: RD 1mm2 0.5m
  F1.b - K1.30: RD 4mm2 0.5m
  F1.b - K2.30: RD 1mm2 0.5m
  F1.b - K3.30: RD 1mm2 0.5m
  K1.87 - M1.+: VT 4mm2 1m
  M1.- - G1: BN 4mm2 0.5m
  K2.87 - L1.a: YE 1mm2 1m
  L1.b - G1: BN 1mm2 1m
  K3.87 - L2.a: YE 1mm2 1m
  L2.b - G1: BN 1mm2 1m
  F2.b - K1.86: OG 0.5mm2 0.5m
  F2.b - K2.86: OG 0.5mm2 0.5m
  F2.b - K3.86: OG 0.5mm2 0.5m
  K1.85 - ECU.A4: GN 0.5mm2 2m
  K2.85 - ECU.A5: GN/WH 0.5mm2 2m
  K3.85 - ECU.B1: GN/BK 0.5mm2 2m
  ECU.C7 - G1: BN 1mm2 1m
states:
  off: {key: on}
  fan: {key: on, commands: [fan]}
`

func model(t *testing.T, text string) *electric.Model {
	t.Helper()
	c, err := harness.Read([]byte(text))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	return m
}

func check(t *testing.T, text string, out bool) *pincheck.Check {
	t.Helper()
	c, err := pincheck.New(model(t, text), "ECU", out)
	require.NoError(t, err)
	return c
}

// By hand: each cavity to its own coil's end is a wire; to another's it is both coils in series through their common feed
// with the relays in (90 and 80, 90 and 100 Ω), and open with the relays out.
func TestWhatEachCellShows(t *testing.T) {
	c := check(t, conversion, false)
	cells, err := c.Expect(t.Context())
	require.NoError(t, err)
	column := map[string]int{}
	for k, pin := range c.Columns {
		column[pin.String()] = k
	}
	require.Len(t, c.Rows, 4)
	assert.Equal(t, "fan", c.Rows[0].Does)
	assert.Equal(t, "GN", c.Rows[0].Colour)
	assert.InDelta(t, 0.07, *cells[0][column["K1.85"]].Ohms, 0.05)
	assert.InDelta(t, 170, *cells[0][column["K2.85"]].Ohms, 1)
	assert.InDelta(t, 190, *cells[0][column["K3.85"]].Ohms, 1)
	assert.Equal(t, "OL", cells[0][column["G1"]].String())
	cells, err = check(t, conversion, true).Expect(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "OL", cells[0][column["K2.85"]].String())
}

// A person with a meter: what a harness with a mistake shows, as it is written down.
func readings(t *testing.T, drawn, built string, out bool) (*pincheck.Check, []pincheck.Entry) {
	t.Helper()
	c := check(t, drawn, out)
	m := model(t, built)
	setup, err := electric.ParseSetup(m.Circuit, c.Setup())
	require.NoError(t, err)
	var entries []pincheck.Entry
	for i, row := range c.Rows {
		for k, pin := range c.Columns {
			r, err := m.Measure(electric.Measurement{Condition: electric.Condition{State: m.Circuit.States[0], Setup: setup},
				Instrument: electric.Ohmmeter, At: row.Pin, From: pin})
			require.NoError(t, err)
			text := "OL"
			if r.Figure != nil {
				text = fmt.Sprintf("%.1f", *r.Figure+0.3) // leads that were not nulled
			}
			e, err := pincheck.ParseEntry(text)
			require.NoError(t, err)
			e.Row, e.Column = i, k
			entries = append(entries, e)
		}
	}
	return c, entries
}

func TestMistakesAreNamed(t *testing.T) {
	for _, x := range []struct {
		name, what, move string
		changes          []string
	}{
		{"crossed", "the wires of cavities A4 and A5 are crossed", "put the wire that is in cavity A4 into A5",
			[]string{"K1.85 - ECU.A4", "K1.85 - ECU.A5x", "K2.85 - ECU.A5:", "K2.85 - ECU.A4:", "ECU.A5x", "ECU.A5"}},
		{"far ends crossed", "the wires of cavities A4 and B1 are crossed", "cross back their far ends",
			[]string{"K1.85 - ECU.A4", "Kx.85 - ECU.A4", "K3.85 - ECU.B1", "K1.85 - ECU.B1", "Kx.85", "K3.85"}},
		{"coil reversed", "the coil of K2 is the wrong way round", "put the wire that is in 85 into 86",
			[]string{"F2.b - K2.86", "F2.b - K2.8x", "K2.85 - ECU", "K2.86 - ECU", "K2.8x", "K2.85"}},
		{"short between", "the wires of cavities A4 and B1 touch", "part the wires",
			[]string{"states:", "  ECU.A4 - ECU.B1: GN 0.5mm2 0.1m\nstates:"}},
		{"to ground", "the wire of cavity A5 touches ground", "follow the wire", []string{"states:", "  ECU.A5 - G1: GN 0.5mm2 0.1m\nstates:"}},
	} {
		built := conversion
		for i := 0; i < len(x.changes); i += 2 {
			require.Contains(t, built, x.changes[i], x.name)
			built = strings.Replace(built, x.changes[i], x.changes[i+1], 1)
		}
		for _, out := range []bool{false, true} {
			if out && x.name == "coil reversed" {
				continue // with the relay out no coil is seen
			}
			c, entries := readings(t, conversion, built, out)
			f, err := c.Find(t.Context(), entries)
			require.NoError(t, err, x.name)
			require.NotEmpty(t, f.Wrong, x.name)
			var whats, moves []string
			for _, m := range f.Mistakes {
				whats, moves = append(whats, m.What), append(moves, m.Move)
			}
			assert.Contains(t, whats, x.what, "%s, relays out: %t", x.name, out)
			assert.Contains(t, strings.Join(moves, "\n"), x.move, x.name)
			if len(whats) > 1 {
				t.Logf("%s: %v", x.name, whats)
			}
		}
	}
}

// An open wire reads open everywhere; two mistakes at once are found as a pair; a harness as drawn says so.
func TestOpenPairAndNothing(t *testing.T) {
	c := check(t, conversion, true)
	cells, err := c.Expect(t.Context())
	require.NoError(t, err)
	right := func() []pincheck.Entry {
		var list []pincheck.Entry
		for i := range cells {
			for k, cell := range cells[i] {
				text := "silent"
				if cell.Ohms != nil {
					text = "beeps"
				}
				e, err := pincheck.ParseEntry(text)
				require.NoError(t, err)
				e.Row, e.Column = i, k
				list = append(list, e)
			}
		}
		return list
	}
	f, err := c.Find(t.Context(), right())
	require.NoError(t, err)
	assert.Equal(t, f.Of, f.Right)
	assert.Empty(t, f.Mistakes)

	open := right()
	for i := range open {
		if open[i].Row == 1 {
			open[i].Buzz = pincheck.Silent
		}
	}
	f, err = c.Find(t.Context(), open)
	require.NoError(t, err)
	require.Len(t, f.Mistakes, 1, "the coil's other cavity is read as well: its wire does not sit there")
	assert.Contains(t, f.Mistakes[0].What, "cavity A5 is open")

	built := strings.NewReplacer("K1.85 - ECU.A4", "K1.85 - ECU.A5", "K2.85 - ECU.A5", "K2.85 - ECU.B1", "K3.85 - ECU.B1", "K3.85 - ECU.A4").
		Replace(conversion) // three in a ring: two crossings one after the other
	c, entries := readings(t, conversion, built, true)
	f, err = c.Find(t.Context(), entries)
	require.NoError(t, err)
	require.NotEmpty(t, f.Mistakes)
	assert.Contains(t, f.Mistakes[0].What, "; and ")
}

func TestWhatIsWritten(t *testing.T) {
	for text, want := range map[string]string{"b": "beeps", "Silent": "silent", " ol ": "OL", "1,5": "1.5", "1.2k": "1200", "85 Ω": "85"} {
		e, err := pincheck.ParseEntry(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, e.String())
	}
	for _, text := range []string{"", "yes", "-3", "NaN", "1e300"} {
		_, err := pincheck.ParseEntry(text)
		assert.ErrorContains(t, err, "is no reading", text)
	}
	_, err := pincheck.New(model(t, conversion), "K1", false)
	require.ErrorContains(t, err, "no part with a plug")
}

// entriesOf types readings by cavity and end: "A4 K1.85 b" is a beep.
func entriesOf(t *testing.T, c *pincheck.Check, lines ...string) []pincheck.Entry {
	t.Helper()
	var list []pincheck.Entry
	for _, line := range lines {
		w := strings.Fields(line)
		e, err := pincheck.ParseEntry(w[2])
		require.NoError(t, err)
		e.Row = slices.IndexFunc(c.Rows, func(r pincheck.Row) bool { return r.Pin.Name == w[0] })
		e.Column = slices.IndexFunc(c.Columns, func(p harness.Pin) bool { return p.String() == w[1] })
		require.GreaterOrEqual(t, min(e.Row, e.Column), 0, line)
		list = append(list, e)
	}
	return list
}

// Two cavities whose own ends are silent are open, or their plug is not home; that they are crossed is said once a beep shows one
// of them at the other's end, and not before.
func TestNoCrossingWithoutABeep(t *testing.T) {
	c := check(t, conversion, true)
	f, err := c.Find(t.Context(), entriesOf(t, c, "A4 K1.85 s", "A5 K2.85 s"))
	require.NoError(t, err)
	require.NotEmpty(t, f.Mistakes)
	for _, m := range f.Mistakes {
		assert.NotContains(t, m.What, "crossed", f.Mistakes)
	}
	assert.Contains(t, f.Mistakes[0].What, "not home")
	f, err = c.Find(t.Context(), entriesOf(t, c, "A4 K1.85 s", "A5 K2.85 s", "A4 K2.85 b"))
	require.NoError(t, err)
	require.NotEmpty(t, f.Mistakes)
	assert.Contains(t, f.Mistakes[0].What, "crossed")
}

// The relays' feeds and the grounds are among the ends; behind a coil's diode a meter may show an open line, which is no mistake;
// any plug can be checked, not a controller's alone.
func TestFeedsGroundsDiodesAndOtherPlugs(t *testing.T) {
	c := check(t, conversion, false)
	for _, end := range []string{"K1.86", "K2.86", "G1"} {
		assert.True(t, slices.ContainsFunc(c.Columns, func(p harness.Pin) bool { return p.String() == end }), end)
	}
	diode := strings.NewReplacer("  K1: {kind", "  D1: {kind: diode}\n  K1: {kind", "  K1.85 - ECU.A4: GN 0.5mm2 2m",
		"  K1.85 - D1.a: GN\n  D1.k - ECU.A4: GN").
		Replace(conversion)
	c = check(t, diode, false)
	for _, shown := range []string{"s", "OL"} {
		f, err := c.Find(t.Context(), entriesOf(t, c, "A4 K1.85 "+shown, "A4 D1.k b"))
		require.NoError(t, err)
		assert.Equal(t, f.Of, f.Right, shown)
	}
	e, err := library.Open("f8-pwm-module")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	for _, plug := range []string{"PM", "C1"} {
		other, err := pincheck.New(m, plug, false)
		require.NoError(t, err)
		assert.NotEmpty(t, other.Rows)
		_, err = other.Expect(t.Context())
		require.NoError(t, err)
	}
}
