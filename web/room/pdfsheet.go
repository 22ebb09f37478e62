package room

import (
	"slices"

	"ironthread/core/harness"
	"ironthread/core/sheet"
)

// Measures of a drawing on paper: what of the page it may fill, millimetres, and its letters, in the drawing's own units.
const (
	pdfWide, pdfHigh = 174.0, 150.0
	sheetLetters     = 11.0
	pointsPerMM      = 72 / 25.4
)

// Sheet sets a drawing in black on white, as wide as the page. Says gives what is to stand at the colour of a wire.
func (p *PDF) Sheet(s *sheet.Sheet, says func(wire string) string) {
	scale := min(pdfWide/float64(s.Width), pdfHigh/float64(s.Height))
	left, top := pdfMargin, p.doc.GetY()
	if _, high := p.doc.GetPageSize(); top+scale*float64(s.Height) > high-pdfMargin {
		p.doc.AddPage()
		top = p.doc.GetY()
	}
	x := func(v int) float64 { return left + scale*float64(v) }
	y := func(v int) float64 { return top + scale*float64(v) }
	p.doc.SetLineWidth(0.2)
	p.doc.SetDrawColor(0, 0, 0)
	for _, rail := range []sheet.Rail{s.Rail, s.Ground} {
		p.doc.SetLineWidth(0.6)
		p.doc.Line(x(rail.X1), y(rail.Y), x(rail.X2), y(rail.Y))
		p.doc.SetLineWidth(0.2)
	}
	for _, line := range s.Lines {
		for _, g := range line.Segments {
			p.doc.Line(x(g.X1), y(g.Y1), x(g.X2), y(g.Y2))
		}
		for _, dot := range line.Dots {
			p.doc.Circle(x(dot.X), y(dot.Y), 0.5, "F")
		}
	}
	for _, ground := range s.Locals {
		to := ground.Mark.Y + 20
		if ground.Up {
			to = ground.Mark.Y - 20
		}
		p.doc.Line(x(ground.Mark.X), y(ground.Mark.Y), x(ground.Mark.X), y(to))
		p.doc.Line(x(ground.Mark.X-12), y(to), x(ground.Mark.X+12), y(to))
	}
	for _, symbol := range s.Symbols {
		if symbol.Part.Kind() == harness.KindMotor {
			p.doc.Circle(x(symbol.X+symbol.W/2), y(symbol.Y+symbol.H/2), scale*float64(min(symbol.W, symbol.H))/2.4, "D")
		} else {
			p.doc.Rect(x(symbol.X), y(symbol.Y), scale*float64(symbol.W), scale*float64(symbol.H), "D")
		}
		for _, pin := range symbol.Pins {
			p.doc.Circle(x(pin.X), y(pin.Y), 0.4, "F")
		}
	}
	for _, text := range append(slices.Clone(s.Texts), s.Seconds(says)...) {
		style := ""
		if text.Kind == sheet.NameText {
			style = "B"
		}
		p.doc.SetFont("Helvetica", style, max(4.5, sheetLetters*scale*pointsPerMM))
		p.doc.Text(x(text.X), y(text.Y), p.say(text.Text))
	}
	p.doc.SetFont("Helvetica", "", pdfText)
	p.doc.SetY(top + scale*float64(s.Height) + 4)
}
