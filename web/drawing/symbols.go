package drawing

import (
	"math"
	"net/url"
	"strings"

	"ironthread/core/harness"
	"ironthread/core/sheet"
)

// symbol draws a part.
func (d *svg) symbol(s *sheet.Symbol) {
	class := "part"
	if d.look.Cleared[s.Part.Name] {
		class += " cleared"
	}
	if d.away(s.Part) {
		class += " away"
	}
	d.f(`<g class="%s" data-part="%s" data-way="%d">`, class, s.Part.Name, s.Way)
	switch {
	case s.Part.Kind() == harness.KindRelay:
		d.relay(s)
	case sheet.Boxed(s.Part):
		d.f(`<rect class="body solid" x="%d" y="%d" width="%d" height="%d" rx="6"/>`, s.X, s.Y, s.W, s.H)
	default:
		d.twoPin(s)
	}
	d.f(`</g>`)
	if d.look.PartURL != "" { // between its pins all of it can be touched, not only its strokes
		x, y, w, h := touched(s)
		d.f(`<rect class="hit" x="%d" y="%d" width="%d" height="%d" data-place="%s" hx-get="%s" hx-push-url="true" tabindex="-1" `+
			`role="button" aria-label="%s: what can be done there"/>`, x, y, w, h, s.Part.Name,
			d.look.PartURL+url.QueryEscape(s.Part.Name), s.Part.Name)
	}
	if word := d.look.Away[s.Part.Name]; word != "" {
		wide := 8*len(word) + 12
		x, y := s.X+s.W/2-wide/2, s.Y+s.H-24 // inside, below the name
		if len(s.Pins) == 2 {
			x, y = s.Pins[0].X+slipReach-wide, s.Y+s.H/2-10 // to the left: the name stands to the right
		}
		d.f(`<g class="slip out"><rect x="%d" y="%d" width="%d" height="20" rx="3"/><text x="%d" y="%d">%s</text></g>`,
			x, y, wide, x+6, y+15, word)
	}
}

// touched is where a finger means a part: its body, clear of the pins above and below it.
func touched(s *sheet.Symbol) (x, y, w, h int) {
	const apart = 10
	x, y, w, h = s.X, s.Y+apart, s.W, s.H-2*apart
	if len(s.Pins) == 2 {
		const wide = 48
		top, bottom := s.Pins[0].Y, s.Pins[1].Y
		x, w = s.Pins[0].X-wide/2, wide
		y, h = top+apart, bottom-top-2*apart
	}
	return x, y, w, max(h, apart)
}

// slipReach is how far the slip of a part that is away reaches over its symbol.
const slipReach = 14

// twoPin draws a part with a pin above and one below.
func (d *svg) twoPin(s *sheet.Symbol) {
	if len(s.Pins) < 2 {
		return
	}
	x, top, bottom := s.Pins[0].X, s.Pins[0].Y, s.Pins[1].Y
	upper, lower := s.Pins[0].Pin, s.Pins[1].Pin
	inset := 6
	switch s.Part.Kind() {
	case harness.KindFuse:
		d.fuse(s, x, top, bottom, inset)
	case harness.KindSwitch:
		d.arm(s, x, top, bottom, 13)
	case harness.KindMotor:
		r, middle := 24, (top+bottom)/2
		d.stub(upper, x, top, middle-r)
		d.stub(lower, x, middle+r, bottom)
		d.f(`<circle class="body solid" cx="%d" cy="%d" r="%d"/><text class="letter" x="%d" y="%d" text-anchor="middle">M</text>`, x,
			middle, r, x, middle+4)
		d.speed(s, x, middle)
	case harness.KindConnector:
		middle := (top + bottom) / 2
		d.stub(upper, x, top, middle-6)
		d.stub(lower, x, middle+4, bottom)
		d.f(`<path class="symbol" d="M%d %dl8 8l8 -8M%d %dl8 8l8 -8"/>`, x-8, middle-8, x-8, middle-2)
	case harness.KindDiode:
		d.diode(s, x, top, bottom)
	case harness.KindLamp:
		middle := (top + bottom) / 2
		d.stub(upper, x, top, middle-11)
		d.stub(lower, x, middle+11, bottom)
		d.f(`<circle class="body solid" cx="%d" cy="%d" r="11"/><path class="element" d="M%d %dl15.6 15.6m0 -15.6l-15.6 15.6"/>`, x,
			middle, x-8, middle-8)
	case harness.KindThermoswitch, harness.KindPressureSwitch:
		d.arm(s, x, top, bottom, 12)
		mark := "θ"
		if s.Part.Kind() == harness.KindPressureSwitch {
			mark = "p"
		}
		d.f(`<text class="does" x="%d" y="%d">%s</text>`, x-13, (top+bottom)/2+4, mark)
	default:
		d.stub(upper, x, top, top+inset)
		d.stub(lower, x, bottom-inset, bottom)
		d.f(`<rect class="body solid" x="%d" y="%d" width="18" height="%d"/>`, x-9, top+inset, bottom-top-2*inset)
		if s.Part.Traits().Returns { // a strip of two metals that bends away, and back
			d.f(`<path class="element" d="M%d %dq10 %d 0 %d"/>`, x, top+inset+4, (bottom-top)/2-inset-4, bottom-top-2*inset-8)
		}
		if s.Part.Kind() == harness.KindSensor { // the stroke of what depends on temperature
			d.f(`<path class="element" d="M%d %dl26 -%d"/>`, x-13, bottom-inset, bottom-top-2*inset)
		}
	}
	if amps := d.into[s.Pins[0].Pin.String()]; s.Part.Kind() != harness.KindMotor {
		d.threadPath(amps, x, top, x, bottom)
	}
}

// fuse is whole, or open where it has blown.
func (d *svg) fuse(s *sheet.Symbol, x, top, bottom, inset int) {
	d.stub(s.Pins[0].Pin, x, top, top+inset)
	d.stub(s.Pins[1].Pin, x, bottom-inset, bottom)
	d.f(`<rect class="body solid" x="%d" y="%d" width="18" height="%d" rx="2"/>`, x-9, top+inset, bottom-top-2*inset)
	if !d.blown(s.Part.Name) {
		d.f(`<path class="element" d="M%d %dV%d"/>`, x, top+inset, bottom-inset)
		return
	}
	middle := (top + bottom) / 2
	d.f(`<path class="element" d="M%d %dV%dM%d %dV%d"/><path class="break" d="M%d %dl12 -8"/>`,
		x, top+inset, middle-6, x, middle+6, bottom-inset, x-6, middle+4)
}

// arm is a switch: its arm across, or swung aside by so much where it is open.
func (d *svg) arm(s *sheet.Symbol, x, top, bottom, aside int) {
	d.stub(s.Pins[0].Pin, x, top, top+8)
	d.stub(s.Pins[1].Pin, x, bottom-8, bottom)
	d.f(`<circle class="contact" cx="%d" cy="%d" r="3"/><circle class="contact" cx="%d" cy="%d" r="3"/>`, x, top+10, x, bottom-10)
	if d.passes(s) {
		d.f(`<path class="arm" d="M%d %dV%d"/>`, x, bottom-10, top+10)
		return
	}
	d.f(`<path class="arm" d="M%d %dL%d %d"/>`, x, bottom-10, x+aside, top+14)
}

// diode points the way current may go: from its anode.
func (d *svg) diode(s *sheet.Symbol, x, top, bottom int) {
	middle := (top + bottom) / 2
	d.stub(s.Pins[0].Pin, x, top, middle-9)
	d.stub(s.Pins[1].Pin, x, middle+9, bottom)
	if s.Pins[0].Pin.Name == "a" {
		d.f(`<path class="body solid" d="M%d %dh20l-10 16z"/><path class="symbol" d="M%d %dh20"/>`, x-10, middle-8, x-10, middle+8)
		return
	}
	d.f(`<path class="body solid" d="M%d %dh20l-10 -16z"/><path class="symbol" d="M%d %dh20"/>`, x-10, middle+8, x-10, middle-8)
}

// speed writes what a motor does.
func (d *svg) speed(s *sheet.Symbol, x, y int) {
	if d.look.Point == nil {
		return
	}
	m, ok := d.look.Point.Motors[s.Part.Name]
	if !ok {
		return
	}
	d.f(`<text class="does" x="%d" y="%d" text-anchor="middle">%s</text>`, x, y+16, string(m.Speed))
}

func (d *svg) blown(part string) bool {
	return d.look.Point != nil && d.look.Point.Fuses[part].Open
}

// passes tells whether a switch is closed in the point: both sides at one potential, and not
// both floating.
func (d *svg) passes(s *sheet.Symbol) bool {
	a, b := d.volts(s.Pins[0].Pin.String()), d.volts(s.Pins[1].Pin.String())
	return a != nil && b != nil && math.Abs(*a-*b) < 0.5
}

// relay draws coil and contact in one dashed box.
func (d *svg) relay(s *sheet.Symbol) {
	d.f(`<rect class="body dashed" x="%d" y="%d" width="%d" height="%d" rx="6"/>`, s.X, s.Y, s.W, s.H)
	in := d.look.Point != nil && d.look.Point.Relays[s.Part.Name] == "pulled in"
	buzzes := d.look.Point != nil && d.look.Point.Relays[s.Part.Name] == "buzzes"

	start, end := s.Mark("86"), s.Mark("85")
	top, bottom := start, end
	if s.CoilUp {
		top, bottom = end, start
	}
	middle := (top.Y + bottom.Y) / 2
	coil := "body solid"
	if in {
		coil += " energised"
	}
	x := top.X
	d.stub(top.Pin, x, top.Y, middle-11)
	d.stub(bottom.Pin, x, middle+11, bottom.Y)
	d.f(`<rect class="%s" x="%d" y="%d" width="36" height="22"/><path class="element" d="M%d %dl36 -22"/>`, coil, x-18, middle-11,
		x-18, middle+11)
	if buzzes {
		d.f(`<text class="does" x="%d" y="%d" text-anchor="middle">buzzes</text>`, x, middle+5)
	}
	d.threadPath(d.into[top.Pin.String()], x, top.Y, x, bottom.Y)

	feed := s.Mark("30")
	for _, pole := range s.Part.Spec.(*harness.Relay).Poles() {
		common := s.Mark("30" + pole)
		d.contact(s, common, s.Mark("87"+pole), in, false)
		if rest := s.Mark("87a" + pole); rest.Pin.Name != "" {
			d.contact(s, common, rest, !in, true)
		}
	}
	// Coil and contact move together.
	d.f(`<path class="linkage" d="M%d %dH%d"/>`, x+18, middle, feed.X-4)
}

// contact draws the arm from 30 to one contact if it is closed, else the contact alone.
func (d *svg) contact(s *sheet.Symbol, feed, to sheet.Mark, closed, rest bool) {
	if to.Pin.Name == "" {
		return
	}
	dir := 1 // from the feed towards the contact
	if to.Y < feed.Y {
		dir = -1
	}
	pivot, seat := feed.Y+20*dir, to.Y-19*dir
	d.stub(feed.Pin, feed.X, feed.Y, pivot)
	d.stub(to.Pin, to.X, to.Y, seat)
	pole := strings.TrimPrefix(feed.Pin.Name, "30")
	alone := s.Mark("87"+pole).Pin.Name == "" || s.Mark("87a"+pole).Pin.Name == ""
	switch {
	case closed:
		d.f(`<path class="arm" d="M%d %dL%d %d"/>`, feed.X, pivot, to.X, seat)
		amps := d.into[feed.Pin.String()]
		if math.Abs(amps) >= leastThread {
			d.threadPath(amps, feed.X, feed.Y, feed.X, pivot)
			d.threadPath(amps, feed.X, pivot, to.X, seat)
			d.threadPath(amps, to.X, seat, to.X, to.Y)
		}
	case alone && !rest:
		d.f(`<path class="arm" d="M%d %dL%d %d"/>`, feed.X, pivot, feed.X+13, seat-2*dir)
	case alone:
		d.f(`<path class="arm" d="M%d %dL%d %d"/>`, feed.X, pivot, feed.X-14, seat-2*dir)
	}
}
