package drawing

import (
	"fmt"
	"net/url"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/sheet"
	"ironthread/core/socket"
)

// CardLook is what is written into a card's cavities.
type CardLook struct {
	Point *electric.Point   // for the kind of line
	Reads map[string]string // expected reading, by pin
	Wires map[string]string // what is joined to it, by pin
	Title string
}

// Size of a cavity on a card, pixels.
const cavityWidth, cavityHeight, cavityGap = 150, 104, 14

// Card draws a socket's card as an <svg> element: each cavity with its printed number,
// its wire and what it should read.
func Card(card *socket.Card, look *CardLook) Picture {
	d := cardDrawing(look)
	width := card.Columns*(cavityWidth+cavityGap) + cavityGap
	height := card.Rows*(cavityHeight+cavityGap) + cavityGap
	d.f(`<svg class="sheet socket-card" xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" role="img" aria-label="%s"><title>%s</title>`,
		width, height, look.Title, look.Title)
	d.f(`<rect class="body dashed" x="2" y="2" width="%d" height="%d" rx="12"/>`, width-4, height-4)
	for _, c := range card.Cavities {
		x, y := cavityGap+c.Column*(cavityWidth+cavityGap), cavityGap+c.Row*(cavityHeight+cavityGap)
		pin := c.Pin.String()
		d.f(`<rect class="body solid" x="%d" y="%d" width="%d" height="%d" rx="8"/>`, x, y, cavityWidth, cavityHeight)
		d.conductor(pin, fmt.Sprintf("M%d %dH%d", x+12, y+14, x+cavityWidth-12))
		d.f(`<text class="number" x="%d" y="%d">%s</text>`, x+12, y+46, c.Number)
		if c.Number != c.Pin.Name {
			d.f(`<text class="note" x="%d" y="%d" text-anchor="end">%s</text>`, x+cavityWidth-10, y+42, c.Pin.Name)
		}
		d.f(`<text class="reads" x="%d" y="%d">%s</text>`, x+12, y+70, look.Reads[pin])
		d.f(`<text class="colour" x="%d" y="%d">%s</text>`, x+12, y+92, look.Wires[pin])
	}
	d.f(`</svg>`)
	return d.picture()
}

// cardDrawing is a drawing without a sheet, for the kinds of line alone.
func cardDrawing(look *CardLook) *svg {
	s := &sheet.Sheet{}
	if look.Point != nil {
		for pin := range look.Point.Pins { // the battery's post, for what counts as full
			if v := look.Point.Pins[pin]; v != nil && (s.Rail.Pin.Part == "" || *v > *look.Point.Pins[s.Rail.Pin.String()]) {
				s.Rail.Pin = harness.ParsePin(pin)
			}
		}
	}
	return &svg{s: s, look: &Look{Point: look.Point}}
}

// Tagged is a card where it sits on a photograph, in thousandths of the picture.
type Tagged struct {
	Card       *socket.Card
	Name       string
	X, Y, Wide int
}

// Photo lays cavities with their readings over a photograph, upright however the socket is
// turned.
func Photo(width, height int, picture string, tags []Tagged, look *CardLook) Picture {
	d := cardDrawing(look)
	d.f(`<svg class="sheet photo" xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" role="img" aria-label="%s">`+
		`<title>%s</title><image href="%s" width="%d" height="%d"/>`,
		width, height, look.Title, look.Title, picture, width, height)
	size := width / 70 // of the letters
	for _, t := range tags {
		side := width * t.Wide / 1000
		cell := side / max(t.Card.Columns, t.Card.Rows)
		size := min(size, cell/3) // so that no chip reaches over its neighbour
		left, top := width*t.X/1000-cell*t.Card.Columns/2, height*t.Y/1000-cell*t.Card.Rows/2
		d.f(`<rect class="body tag" x="%d" y="%d" width="%d" height="%d" rx="6"/>`, left, top, cell*t.Card.Columns, cell*t.Card.Rows)
		d.f(`<g font-size="%d"><rect class="chip" x="%d" y="%d" width="%d" height="%d"/><text class="tagname" x="%d" y="%d">%s</text></g>`,
			size, left, top-size-8, size*(len(t.Name)+1)*2/3, size+8, left+4, top-6, t.Name)
		for _, c := range t.Card.Cavities {
			x, y := left+c.Column*cell+cell/2, top+c.Row*cell+cell/2
			reads := strings.TrimSuffix(look.Reads[c.Pin.String()], " V")
			wide := size * 6 * (max(len(reads), len(c.Number)) + 1) / 10
			d.f(`<g font-size="%d"><rect class="chip" x="%d" y="%d" width="%d" height="%d" rx="3"/>`+
				`<text class="tagnumber" x="%d" y="%d" text-anchor="middle">%s</text>`+
				`<text x="%d" y="%d" text-anchor="middle">%s</text></g>`,
				size, x-wide/2, y-size-3, wide, 2*size+8, x, y-2, c.Number, x, y+size, reads)
		}
	}
	d.f(`</svg>`)
	return d.picture()
}

// Box draws a box's map: its grid, its landmarks, the parts in their places; the chosen
// part is filled.
func Box(box *socket.Box, chosen, address string) Picture {
	d := &svg{}
	const cell, edge = 64, 34
	width, height := box.Columns*cell+2*edge, box.Rows*cell+2*edge
	d.f(`<svg class="sheet boxmap" xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" role="group" aria-label="%s">`, width,
		height, box.Name)
	d.f(`<rect class="body solid" x="%d" y="%d" width="%d" height="%d" rx="8"/>`, edge-4, edge-4, box.Columns*cell+8, box.Rows*cell+8)
	for c := range box.Columns {
		d.f(`<text class="foot" x="%d" y="%d" text-anchor="middle">%d</text>`, edge+c*cell+cell/2, height-edge+20, c+1)
	}
	for r := range box.Rows {
		d.f(`<text class="foot" x="%d" y="%d" text-anchor="middle">%c</text>`, edge-16, edge+r*cell+cell/2+5, 'A'+r)
		for c := range box.Columns {
			d.f(`<rect class="slot" x="%d" y="%d" width="%d" height="%d" rx="4"/>`, edge+c*cell+5, edge+r*cell+5, cell-10, cell-10)
		}
	}
	for k, mark := range box.Landmarks {
		if k == 0 {
			d.f(`<text class="note" x="%d" y="%d">◂ %s</text>`, edge, edge-12, mark)
		} else {
			d.f(`<text class="note" x="%d" y="%d" text-anchor="end">%s ▸</text>`, width-edge, edge-12-15*(k-1), mark)
		}
	}
	for _, s := range box.Placed {
		x, y := edge+s.Column*cell, edge+s.Row*cell
		class := "seat"
		if s.Part.Name == chosen {
			class += " chosen"
		}
		d.f(`<a class="%s" href="%s"><rect x="%d" y="%d" width="%d" height="%d" rx="4"/>`+
			`<text class="name" x="%d" y="%d" text-anchor="middle">%s</text></a>`,
			class, address+url.PathEscape(s.Part.Name), x+3, y+3, cell-6, cell-6, x+cell/2, y+cell/2+6, s.Part.Name)
	}
	d.f(`</svg>`)
	return d.picture()
}
