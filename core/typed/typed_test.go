package typed_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/typed"
	"ironthread/library"
)

const file = `harness: 1
title: typed
parts:
  BAT: {kind: battery}
  # the main fuse
  F1: {kind: fuse, amps: 30, style: maxi, at: box 1} # red cap
  PM:
    kind: pwm-module
    control: "3"
  R1: {kind: resistor-card, steps: [0.4, 0.6], limiter: {opens: 180}, label: "card, two steps"}
wires:
  BAT.+ - F1.a: 2x RD/WH 10mm2 0.4m # short
  F1.b - R1.in: 10AWG
states:
  on: {key: on}
`

// A file's rows say what its lines say, in the order of the lines.
func TestRowsOfAFile(t *testing.T) {
	parts := typed.RowsOf(file, typed.PartRows)
	require.Len(t, parts, 4)
	assert.Equal(t, map[string]string{"name": "F1", "kind": "fuse", "settings": "amps: 30, style: maxi", "at": "box 1"}, parts[1].Cells)
	assert.True(t, parts[2].Locked, "a part over several lines")
	assert.Equal(t, "pwm-module", parts[2].Cells["kind"])
	assert.Equal(t, "steps: [0.4, 0.6], limiter: {opens: 180}", parts[3].Cells["settings"])
	assert.Equal(t, "card, two steps", parts[3].Cells["label"])
	wires := typed.RowsOf(file, typed.WireRows)
	require.Len(t, wires, 2)
	assert.Equal(t, map[string]string{"from": "BAT.+", "to": "F1.a", "colour": "RD/WH", "size": "10mm2", "length": "0.4m"}, wires[0].Cells)
	assert.Equal(t, map[string]string{"from": "F1.b", "to": "R1.in", "size": "10AWG"}, wires[1].Cells)
}

// A changed cell changes its own line; comments and parallel wires stay.
func TestACellChangesItsLine(t *testing.T) {
	text := typed.SetCell(file, typed.PartRows, 1, "settings", "amps: 40, style: maxi")
	assert.Contains(t, text, "  F1: {kind: fuse, amps: 40, style: maxi, at: box 1} # red cap\n")
	text = typed.SetCell(text, typed.WireRows, 0, "length", "0.6m")
	assert.Contains(t, text, "  BAT.+ - F1.a: 2x RD/WH 10mm2 0.6m # short\n")
	text = typed.SetCell(text, typed.PartRows, 2, "name", "PM1")
	assert.Contains(t, text, "  PM1:\n    kind: pwm-module\n")
	assert.Equal(t, text, typed.SetCell(text, typed.PartRows, 2, "kind", "fuse"), "what stands over several lines is changed there")
	assert.Equal(t, text, typed.SetCell(text, typed.PartRows, 9, "kind", "fuse"), "there is no such row")
	changed := strings.Split(text, "\n")
	for i, line := range strings.Split(file, "\n") {
		if !strings.Contains(line, "F1") && !strings.Contains(line, "PM") {
			assert.Equal(t, line, changed[i])
		}
	}
}

func TestRowsAreAddedAndTakenOut(t *testing.T) {
	text := typed.AddRow(file, typed.PartRows)
	assert.Contains(t, text, "  P1: {kind: fuse}\nwires:")
	assert.Contains(t, typed.AddRow(text, typed.PartRows), "  P2: {kind: fuse}\nwires:", "the name is free")
	text = typed.AddRow(text, typed.WireRows)
	assert.Contains(t, text, "10AWG\n  ? - ?:\nstates:")
	assert.NotContains(t, typed.RemoveRow(text, typed.PartRows, 2), "control", "all its lines go")
	assert.Equal(t, text, typed.RemoveRow(text, typed.WireRows, -1))
	assert.Equal(t, "harness: 1\nwires:\n  ? - ?:", typed.AddRow("harness: 1", typed.WireRows), "a section that is not there yet")
	assert.Equal(t, "parts:\n  P1: {kind: fuse}", typed.AddRow("parts: {}", typed.PartRows))
}

// What is wrong stands at the row, and at the cell whose words it quotes.
func TestWhatIsWrongStandsAtItsRow(t *testing.T) {
	text := strings.Replace(file, "F1.b - R1.in", "F1.b - R9.in", 1)
	_, wrong := harness.Sketch([]byte(text))
	rows := typed.RowsOf(text, typed.WireRows)
	typed.Blame(rows, wrong)
	assert.Empty(t, rows[0].Wrong)
	assert.Contains(t, rows[1].Wrong, "R9")
	assert.Equal(t, "to", rows[1].Cell)
}

// Every circuit that ships reads the same after each of its cells has been written back as it is.
func TestWritingACellBackChangesNothing(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		text := string(e.Text)
		for _, section := range []typed.Section{typed.PartRows, typed.WireRows} {
			for n, row := range typed.RowsOf(text, section) {
				for cell, value := range row.Cells {
					text = typed.SetCell(text, section, n, cell, value)
				}
			}
		}
		c, err := harness.Read([]byte(text))
		require.NoError(t, err, e.Name)
		assert.Len(t, c.Parts, len(e.Circuit.Parts))
		for i, w := range c.Wires {
			assert.Equal(t, *e.Circuit.Wires[i], *w, e.Name)
		}
	}
}

// A label is words: commas, colons, apostrophes, brackets and number signs in it are kept, and come back as they were typed.
func TestALabelIsWords(t *testing.T) {
	text := "harness: 1\nparts:\n  BAT: {kind: battery}\n  M1: {kind: motor, volts: 12, amps: 16} # left\n"
	for _, label := range []string{"Fan: the left one's", "Fan, left, the driver's", `the "big" one`, "#2 fan", "fan #2", "{x} [y", "12",
		"- ", "~", "yes", "Fan 'A', lower", `back\slash`, "& more", "the one's, at: K1", "{x: \"y\", z}"} {
		after := typed.SetCell(typed.SetCell(text, typed.PartRows, 1, "at", "by the radiator, low"), typed.PartRows, 1, "label", label)
		rows := typed.RowsOf(after, typed.PartRows)
		require.Len(t, rows, 2)
		assert.Equal(t, strings.TrimSpace(label), rows[1].Cells["label"], after)
		assert.Equal(t, "by the radiator, low", rows[1].Cells["at"], after)
		assert.Equal(t, "volts: 12, amps: 16", rows[1].Cells["settings"], after)
		assert.Contains(t, after, "# left")
		c, _ := harness.Sketch([]byte(after))
		require.NotNil(t, c.Part("M1"), after)
		assert.Equal(t, strings.TrimSpace(label), c.Part("M1").Label, after)
	}
}
