package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// paper is a three-relay circuit as it is read off a diagram, row by row, cell by cell.
var paper = struct{ parts, wires [][]string }{
	parts: [][]string{
		{"G1", "ground"}, {"F1", "fuse", "amps: 30"}, {"F2", "fuse", "amps: 30"}, {"F3", "fuse", "amps: 25"}, {"F4", "fuse", "amps: 7.5"},
		{"K1", "relay", "contacts: make"}, {"K2", "relay", "contacts: make"}, {"K3", "relay", "contacts: changeover"},
		{"SW", "switch", "closed-when: key"}, {"M1", "motor", "volts: 12.6, amps: 16"}, {"M2", "motor", "volts: 12.6, amps: 16"},
		{"ECU", "controller", `pins: {"61": {sinks-on: low}, "62": {sinks-on: high}, "5": {ground: true}}`},
	},
	wires: [][]string{
		{"BAT.+", "F1.a", "RD", "10mm2"}, {"BAT.+", "F2.a", "RD", "10mm2"}, {"BAT.+", "SW.a", "RD"}, {"SW.b", "F4.a", "OG/GY"},
		{"F4.b", "K1.86", "OG"}, {"F4.b", "K2.86", "OG"}, {"F4.b", "K3.86", "OG"}, {"F1.b", "K1.30", "RD/GY", "4mm2"},
		{"K1.87", "M1.+", "VT", "4mm2"}, {"M1.-", "K3.30", "VT/WH", "4mm2"}, {"K3.87a", "F3.a", "TQ/BN", "4mm2"}, {"F3.b", "M2.+", "TQ", "4mm2"},
		{"F2.b", "K2.30", "RD/BN", "4mm2"}, {"K2.87", "M2.+", "TQ/RD", "4mm2"}, {"K3.87", "G1", "BN", "4mm2"}, {"M2.-", "G1", "BN", "4mm2"},
		{"K1.85", "ECU.61", "GN/WH"}, {"K2.85", "ECU.62", "GN/OG"}, {"K3.85", "ECU.62", "GN/OG"}, {"ECU.5", "G1", "BN"},
	},
}

const blank = `harness: 1
title: From paper
parts:
  BAT: {kind: battery}
states:
  off: {key: on}
`

// The three-relay circuit is entered from paper by keyboard alone, and is the circuit it
// should be. The number of keys is logged: it is what the time depends on.
func TestACircuitFromPaperByKeyboard(t *testing.T) {
	s := open(t)
	added, err := s.keep.AddHarness(t.Context(), "from-paper", "From paper", blank)
	require.NoError(t, err)
	b := s.tab(t)
	b.visit(s.url + "/harnesses/" + added.Name + "/edit")
	b.sees("[data-status]", "sound")
	strokes := 0
	enter := func(rows [][]string) {
		for k, row := range rows {
			text := strings.Join(row, "\t")
			if k < len(rows)-1 {
				text += kb.Enter
			}
			strokes += len([]rune(text))
			b.do(chromedp.KeyEvent(text))
		}
	}
	b.click(`[data-add="parts"]`)
	enter(paper.parts)
	b.click(`[data-add="wires"]`)
	enter(paper.wires)
	b.sees("[data-status]", "sound")
	b.eval(`(() => {
		const a = document.querySelector("#harness-text"), states = "low: {key: on, commands: [low]}\n  high: {key: on, commands: [low, high]}";
		a.value = a.value.replace("  off: {key: on}", "  off: {key: on}\n  " + states);
		a.dispatchEvent(new Event("input"));
		return "";
	})()`)
	b.sees("[data-fans]", "low: M1 slow")
	b.sees("[data-fans]", "high: M1 fast")
	b.sees("[data-drawing]", "K3")
	b.accessible()
	b.click(`.tools .btn-primary`)
	b.sees(".states", "high")
	h, err := s.keep.HarnessNamed(t.Context(), added.Name)
	require.NoError(t, err)
	c, err := harness.Read([]byte(h.Source))
	require.NoError(t, err)
	assert.Len(t, c.Parts, 1+len(paper.parts))
	assert.Len(t, c.Wires, len(paper.wires))
	m, err := electric.New(c)
	require.NoError(t, err)
	p, err := m.Solve(electric.Condition{State: c.State("low")})
	require.NoError(t, err)
	assert.Equal(t, electric.Slow, p.Motors["M2"].Speed)
	t.Logf("%d keys", strokes)
}

// Whoever stops in the middle of a word finds it as it was left: what the text made of half of it never comes back into the cell,
// nor half a size into another cell.
func TestHalfAWordIsKept(t *testing.T) {
	s := open(t)
	added, err := s.keep.AddHarness(t.Context(), "halves", "Halves", blank)
	require.NoError(t, err)
	b := s.tab(t)
	b.visit(s.url + "/harnesses/" + added.Name + "/edit")
	b.sees("[data-status]", "sound")
	piecemeal := func(pieces ...string) {
		for _, piece := range pieces {
			b.do(chromedp.KeyEvent(piece))
			b.waits(`document.querySelector("#harness-text").value.includes(document.activeElement.value.trim().replace(/,$/, ""))`)
			b.quiet()
		}
	}
	b.click(`[data-add="parts"]`)
	b.do(chromedp.KeyEvent("M1\tmotor\t"))
	piecemeal("volts: ", "12.6,", " ", "amps: ", "16")
	b.do(chromedp.KeyEvent("\tFan: the left one's"))
	b.click(`[data-add="wires"]`)
	b.do(chromedp.KeyEvent("BAT.+\tM1.+\tRD\t"))
	piecemeal("1", "0m", "m2")
	b.do(chromedp.KeyEvent("\t"))
	piecemeal("1", ".5", "m")
	b.do(chromedp.KeyEvent(kb.Enter + "M1.-\tBAT.-\tBN"))
	b.waits(`document.querySelector("#harness-text").value.includes("M1.- - BAT.-: BN")`)
	b.sees("[data-status]", "sound")
	c, err := harness.Read([]byte(b.eval(`document.querySelector("#harness-text").value`)))
	require.NoError(t, err)
	m := c.Part("M1")
	assert.Equal(t, "Fan: the left one's", m.Label)
	assert.Equal(t, [2]float64{12.6, 16}, [2]float64{m.Spec.(*harness.Motor).Volts, m.Spec.(*harness.Motor).Amps})
	require.Len(t, c.Wires, 2)
	assert.Equal(t, "RD 10mm2 1.5m", c.Wires[0].Description())
}

// What is typed in the tables while nothing answers is made once something does, and Save waits for it.
func TestCellsTypedWhileNothingAnswers(t *testing.T) {
	s := open(t)
	s.gaps = true
	added, err := s.keep.AddHarness(t.Context(), "gap", "Gap", blank)
	require.NoError(t, err)
	b := s.tab(t)
	b.visit(s.url + "/harnesses/" + added.Name + "/edit")
	b.sees("[data-status]", "sound")
	s.down.Store(true)
	b.click(`[data-add="parts"]`)
	b.do(chromedp.KeyEvent("G1\tground" + kb.Enter + "F1\tfuse\tamps: 30"))
	b.sees("[data-status]", "cannot be reached")
	s.down.Store(false)
	b.sees("[data-status]", "sound")
	s.lost.Store(3) // a browser asks once more by itself; the drawing is asked for until it is there
	b.do(chromedp.KeyEvent("\tMain"))
	b.waits(`document.querySelector("[data-drawing]").textContent.includes("Main")`)
	b.click(`.tools .btn-primary`)
	b.sees(".states", "off")
	h, err := s.keep.HarnessNamed(t.Context(), added.Name)
	require.NoError(t, err)
	c, err := harness.Read([]byte(h.Source))
	require.NoError(t, err)
	require.NotNil(t, c.Part("G1"))
	assert.Equal(t, "Main", c.Part("F1").Label)
}

// A cell typed wrong says so where it is; undo takes it back; the text can be the editor too.
func TestErrorsAreAtTheirCell(t *testing.T) {
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/harnesses/f1-one-relay/edit")
	b.sees("[data-status]", "sound")
	before := b.eval(`document.querySelector("#harness-text").value`)
	b.do(chromedp.Focus(chromedp.CSS(`[data-wires] tbody tr:nth-child(2) [data-cell="to"]`)))
	b.do(chromedp.KeyEvent("zz"))
	b.sees("[data-status]", "1 thing to mend")
	b.sees("[data-wrong]", "has no pin")
	assert.Equal(t, "to", b.eval(`document.querySelector('[data-wires] [aria-invalid="true"]').dataset.cell`))
	assert.Contains(t, b.eval(`document.querySelector(".gutter").textContent`), "!")
	b.click("[data-wrong] button")
	assert.Equal(t, "harness-text", b.eval(`document.activeElement.id`))
	b.click("[data-undo]")
	b.sees("[data-status]", "sound")
	assert.Equal(t, before, b.eval(`document.querySelector("#harness-text").value`), "undone, the text is as it was")
	b.click("[data-redo]")
	b.sees("[data-status]", "1 thing to mend")
	b.click(".tools .btn-primary") // refused, and nothing is lost
	b.sees("#notice", "It is not saved")
	assert.Contains(t, b.eval(`document.querySelector("#harness-text").value`), "zz")
}

// Parts are moved with the keys, and stay; the drawing grows under the buttons.
func TestPartsAreMovedAndTheDrawingGrows(t *testing.T) {
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/harnesses/f1-one-relay?state=" + "key+off")
	b.sees(".sheet-page", "move parts")
	width := func() float64 {
		v, err := chromedp.Run(b.ctx, chromedp.Evaluate[float64](`document.querySelector(".paper svg.sheet").getBoundingClientRect().width`))
		require.NoError(t, err)
		return v
	}
	fitting := width()
	b.click(`.zoom [aria-label="Larger"]`)
	assert.InDelta(t, 1.4, width()/fitting, 0.01)
	b.press("0")
	assert.InDelta(t, fitting, width(), 1)
	b.click("[data-arrange]")
	b.do(chromedp.Focus(chromedp.CSS(`.paper [data-part="K1"]`)))
	for range 6 {
		b.press("ArrowRight")
	}
	b.press("Enter")
	b.sees(".switches", "draw anew")
	h, err := s.keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	assert.Contains(t, h.Source, "put: true")
	b.accessible()
}

// A socket's card is turned, and a socket is marked on the photograph by touching it.
func TestSocketsAndThePhotograph(t *testing.T) {
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/harnesses/f3-twin-series-parallel/boxes/K3?state=low")
	b.sees(".socket-card", "87a")
	b.accessible()
	b.press("3")
	b.sees(".states [aria-current]", "high")
	b.click(`a[href*="under=1"]`)
	b.sees(".states [aria-current]", "the part's underside")
	b.click(`a[href*="turn=1"]`)
	b.sees(".states [aria-current]", "90°")
	b.visit(s.url + "/harnesses/f3-twin-series-parallel/boxes")
	b.sees(".photo", "K1")
	b.accessible()
	b.click("[data-photo] svg")
	b.waits(`document.querySelector("form.tag").x.value !== ""`)
	b.eval(`document.querySelector("form.tag select").value = "K1"; ""`)
	b.click("form.tag .btn-primary")
	require.EventuallyWithT(t, func(c *assert.CollectT) {
		h, err := s.keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
		require.NoError(c, err)
		photos, err := s.keep.Photos(t.Context(), h.ID)
		require.NoError(c, err)
		last := photos[0].Tags[len(photos[0].Tags)-1]
		assert.Equal(c, "K1", last.Part)
		assert.InDelta(c, 500, last.X, 20, "where it was touched")
	}, patience, 50*time.Millisecond)
}
