package drawing

import (
	"ironthread/core/sheet"
)

// What the evidence lays over a drawing changes with every reading, the drawing itself only with the state and
// the set-up. On a job's page it is therefore drawn apart: a layer beneath the drawing with the halos of
// suspicion, and one above it with the readings, the pin that is next, and a veil over what is cleared.

// Under is the layer beneath the drawing.
func Under(s *sheet.Sheet, look *Look) Picture {
	d := begin(s, look)
	d.layer("under")
	d.hatching()
	d.suspicion()
	d.f(`</svg>`)
	return d.picture()
}

// Over is the layer above the drawing.
func Over(s *sheet.Sheet, look *Look) Picture {
	d := begin(s, look)
	d.layer("over")
	for i := range s.Symbols {
		if p := &s.Symbols[i]; look.Cleared[p.Part.Name] {
			d.f(`<rect class="veil" x="%d" y="%d" width="%d" height="%d"/>`, p.X-4, p.Y-4, p.W+8, p.H+8)
		}
	}
	for name, m := range d.marks() {
		if name == look.Next {
			d.f(`<circle class="ring" cx="%d" cy="%d" r="10"/>`, m.X, m.Y)
		}
	}
	d.readings()
	d.f(`</svg>`)
	return d.picture()
}

// layer begins a layer that lies exactly over the drawing.
func (d *svg) layer(name string) {
	d.f(`<svg class="sheet layer %s" xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 %d %d %d" aria-hidden="true">`,
		name, d.s.Width, d.s.Height+headroom, -headroom, d.s.Width, d.s.Height+headroom)
}
