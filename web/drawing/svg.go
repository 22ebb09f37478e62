// Package drawing writes a sheet as SVG: paper and ink, symbols after IEC 60617, potential
// shown by the kind of line, current by a thread laid on it, suspicion by hatching.
//
// In goes a [sheet.Sheet] and, where a state is shown, a [Look]; out comes an <svg> element
// that carries only classes and attributes, no inline style, so that it stands under a strict
// content policy. Colours and widths are the style sheet's.
package drawing

import (
	"fmt"
	"maps"
	"math"
	"net/url"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/sheet"
)

// Look is what is laid over the bare drawing. The zero Look is the drawing alone.
type Look struct {
	Point    *electric.Point    // nil: no state shown
	Parts    map[string]float64 // belief on each part, for the hatching
	Wires    map[string]float64 // the same by wire
	Cleared  map[string]bool
	Readings map[string]string // pins with a figure taken, as text
	Next     string            // the pin of the next move, or of the red lead
	Black    string            // the pin of the black lead
	Roles    map[string]string // pins by role, in place of potential and current
	Trails   [][]string        // paths followed, pin by pin, to be marked along their lines
	Prefix   string            // keeps the names inside two drawings on one page apart
	Away     map[string]string // parts that are out, and the word for it
	Expected map[string]string // what each pin should read, for its label
	PinURL   string            // where touching a pin leads, the pin appended; empty: nowhere
	PartURL  string            // where touching a part leads, its name appended; empty: nowhere
	Title    string
	Sizes    map[string]string // words beside the colour of a wire, by wire
}

// hatchFrom is the belief from which a part is hatched.
const hatchFrom = 0.015

type svg struct {
	pen
	s    *sheet.Sheet
	look *Look
	into map[string]float64 // current that leaves the wires into each pin
}

// headroom is what stands above the sheet's own upper edge: the rail's name.
const headroom = 24

// begin is a drawing begun.
func begin(s *sheet.Sheet, look *Look) *svg {
	d := &svg{s: s, look: look, into: map[string]float64{}}
	if look.Point != nil {
		for _, wire := range look.Point.Wires {
			d.into[wire.From] -= wire.Amps
			d.into[wire.To] += wire.Amps
		}
	}
	return d
}

// hatching is what halos are filled with.
func (d *svg) hatching() {
	d.f(`<defs>`)
	for n, apart := range []float64{9, 6, 3.6} { // hatching, denser where likelier
		d.f(`<pattern id="%shatch%d" width="%g" height="%g" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">`+
			`<path class="hatch" d="M0 0V%g"/></pattern>`, d.look.Prefix, n+1, apart, apart, apart)
	}
	d.f(`</defs>`)
}

// Sheet draws a sheet with what is laid over it.
func Sheet(s *sheet.Sheet, look *Look) Picture {
	if look == nil {
		look = &Look{}
	}
	d := begin(s, look)
	d.mute = look.Point != nil
	title := look.Title
	if title == "" {
		title = "The circuit as drawn"
	}
	d.f(`<svg class="sheet" xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 %d %d %d" role="group" aria-label="%s">`,
		s.Width, s.Height+headroom, -headroom, s.Width, s.Height+headroom, title)
	d.f(`<title>%s</title>`, title)
	d.hatching()
	d.suspicion()
	d.trails()
	d.rails()
	for i := range s.Lines {
		d.line(&s.Lines[i])
	}
	for i := range s.Symbols {
		d.symbol(&s.Symbols[i])
	}
	for _, l := range s.Locals {
		d.local(l)
	}
	for i := range s.Lines {
		for _, dot := range s.Lines[i].Dots {
			d.f(`<circle class="dot" cx="%d" cy="%d" r="4"/>`, dot.X, dot.Y)
		}
	}
	for _, t := range s.Texts {
		d.text(t)
	}
	if len(d.look.Sizes) > 0 {
		for _, t := range d.s.Seconds(func(wire string) string { return d.look.Sizes[wire] }) {
			d.text(t)
		}
	}
	for i := range s.Symbols {
		for _, m := range s.Symbols[i].Pins {
			d.pin(m)
		}
	}
	d.readings()
	d.f(`</svg>`)
	return d.picture()
}

// suspicion lays halos of hatching round what is suspect, denser where likelier: round a part, and round the ends of
// a wire. A place that two wires share has the denser of their halos.
func (d *svg) suspicion() {
	halos := map[[4]int]int{} // the density at each place: left, top, width, height
	lay := func(place [4]int, belief float64) { halos[place] = max(halos[place], density(belief)) }
	for i := range d.s.Symbols {
		s := &d.s.Symbols[i]
		x, w := s.X-4, s.W+8
		if len(s.Pins) == 2 { // close round the symbol, so that its name stays clear
			half := 16
			if s.Part.Kind() == harness.KindMotor {
				half = 32
			}
			x, w = s.Pins[0].X-half, 2*half
		}
		lay([4]int{x, s.Y + 2, w, s.H - 4}, d.look.Parts[s.Part.Name])
	}
	marks := d.marks()
	for name, belief := range d.look.Wires {
		from, to, _ := strings.Cut(name, " - ")
		for _, pin := range []string{from, to} {
			if m, drawn := marks[pin]; drawn {
				y := m.Y - 26
				if m.Bottom {
					y = m.Y + 2
				}
				lay([4]int{m.X - 9, y, 18, 24}, belief)
			}
		}
	}
	places := slices.SortedFunc(maps.Keys(halos), func(a, b [4]int) int { return slices.Compare(a[:], b[:]) })
	for n := 1; n <= densest; n++ {
		d.f(`<g class="halo" fill="url(#%shatch%d)">`, d.look.Prefix, n)
		for _, at := range places {
			if halos[at] == n {
				d.f(`<rect x="%d" y="%d" width="%d" height="%d"/>`, at[0], at[1], at[2], at[3])
			}
		}
		d.f(`</g>`)
	}
}

// densest is the density of hatching of what is likeliest.
const densest = 3

func density(belief float64) int {
	switch {
	case belief < hatchFrom:
		return 0
	case belief < 0.1:
		return 1
	case belief < 0.4:
		return 2
	}
	return densest
}

// marks finds every pin that is drawn.
func (d *svg) marks() map[string]sheet.Mark {
	found := map[string]sheet.Mark{}
	for i := range d.s.Symbols {
		for _, m := range d.s.Symbols[i].Pins {
			found[m.Pin.String()] = m
		}
	}
	return found
}

func (d *svg) rails() {
	if r := d.s.Rail; r.X2 > r.X1 {
		d.f(`<path class="rail battery" d="M%d %dH%d"/>`, r.X1, r.Y, r.X2)
		label := r.Pin.Part + " +"
		if v := d.volts(r.Pin.String()); v != nil {
			label += "  " + probe.FormatVolts(*v)
		}
		d.f(`<text class="name" x="%d" y="%d">%s</text>`, r.X1, r.Y-9, label)
	}
	if r := d.s.Ground; r.X2 > r.X1 {
		d.f(`<path class="rail earth" d="M%d %dH%d"/><path class="ticks" d="M%d %dH%d"/>`, r.X1, r.Y, r.X2, r.X1, r.Y, r.X2)
		d.f(`<text class="note" x="%d" y="%d">ground</text>`, r.X2+8, r.Y+5)
	}
}

func (d *svg) volts(pin string) electric.Volts {
	if d.look.Point == nil {
		return nil
	}
	return d.look.Point.Pins[pin]
}

// grade says how a potential is drawn: class, and the width of the white core of a line in
// between.
func (d *svg) grade(pin string) (class string, core float64) {
	if d.look.Roles != nil {
		return "role " + d.look.Roles[pin], 0
	}
	if d.look.Point == nil {
		return "plain", 0
	}
	v := d.volts(pin)
	if v == nil {
		return "floating", 0
	}
	top := d.look.Point.Supply
	if p := d.volts(d.s.Rail.Pin.String()); p != nil && *p > 1 {
		top = *p
	}
	if top <= 0 {
		return "earth", 0
	}
	switch share := *v / top; {
	case share >= 0.93:
		return "battery", 0
	case share <= 0.045:
		return "earth", 0
	default:
		return "between", 4.4 - 3.2*math.Max(0, math.Min(1, share))
	}
}

// trails marks the lines that followed paths run along: the feed through, the ground broken.
func (d *svg) trails() {
	for k, path := range d.look.Trails {
		for i := 1; i < len(path); i++ {
			d.trailBetween(path[i-1], path[i], k)
		}
	}
}

// trailBetween marks the pieces of a line that lie between two pins of a path, or between a
// pin and the rail it hangs on.
func (d *svg) trailBetween(a, b string, which int) {
	for i := range d.s.Lines {
		l := &d.s.Lines[i]
		from, to := l.Place(a), l.Place(b)
		rail := l.Rail && b == d.s.Rail.Pin.String() || l.Ground && to < 0
		if from < 0 || to < 0 && !rail {
			continue
		}
		for _, s := range l.Segments {
			if rail && to < 0 || slices.Contains(s.Beyond, from) != slices.Contains(s.Beyond, to) {
				d.f(`<path class="trail t%d" d="M%d %dL%d %d"/>`, which, s.X1, s.Y1, s.X2, s.Y2)
			}
		}
	}
	if s := d.symbolOf(a, b); s != nil {
		from, to := markOf(s, a), markOf(s, b)
		d.f(`<path class="trail t%d" d="M%d %dL%d %d"/>`, which, from.X, from.Y, to.X, to.Y)
	}
}

// symbolOf finds the symbol that carries both pins.
func (d *svg) symbolOf(a, b string) *sheet.Symbol {
	for i := range d.s.Symbols {
		s := &d.s.Symbols[i]
		if s.Has(a) && s.Has(b) {
			return s
		}
	}
	return nil
}

func markOf(s *sheet.Symbol, pin string) sheet.Mark {
	for _, m := range s.Pins {
		if m.Pin.String() == pin {
			return m
		}
	}
	return sheet.Mark{}
}

// line draws one net, each segment by the potential of the pin it leads to.
func (d *svg) line(l *sheet.Line) {
	for _, s := range l.Segments {
		pin := d.segmentPin(l, s)
		d.conductor(pin, fmt.Sprintf("M%d %dL%d %d", s.X1, s.Y1, s.X2, s.Y2))
	}
	for _, s := range l.Segments {
		d.thread(l, s)
	}
}

// conductor draws a path by the potential of a pin.
func (d *svg) conductor(pin, path string) {
	class, core := d.grade(pin)
	d.f(`<path class="wire %s" d="%s"/>`, class, path)
	switch class {
	case "between":
		d.f(`<path class="core" stroke-width="%.1f" d="%s"/>`, core, path)
	case "earth", "role fixed-ground":
		d.f(`<path class="ticks" d="%s"/>`, path)
	case "role switched-ground":
		d.f(`<path class="ticks sparse" d="%s"/>`, path)
	}
}

// stub draws a vertical piece by the potential of a pin.
func (d *svg) stub(pin harness.Pin, x, from, to int) {
	d.conductor(pin.String(), fmt.Sprintf("M%d %dV%d", x, from, to))
}

// segmentPin picks the pin whose potential a segment shows: one on its second end, or one on
// its first where nothing hangs beyond.
func (d *svg) segmentPin(l *sheet.Line, s sheet.Segment) string {
	if len(l.Pins) == 0 {
		return ""
	}
	if len(s.Beyond) > 0 && len(s.Beyond) <= len(l.Pins)/2 {
		return l.Pins[s.Beyond[0]].Pin.String()
	}
	for k, m := range l.Pins {
		beyond := false
		for _, b := range s.Beyond {
			beyond = beyond || b == k
		}
		if !beyond {
			return m.Pin.String()
		}
	}
	return l.Pins[0].Pin.String()
}

// leastThread is the current from which a thread is laid, amps.
const leastThread = 0.02

// thread lays the current on a segment, in the direction it flows.
func (d *svg) thread(l *sheet.Line, s sheet.Segment) {
	if d.look.Point == nil {
		return
	}
	amps := 0.0
	for _, k := range s.Beyond {
		amps += d.into[l.Pins[k].Pin.String()]
	}
	d.threadPath(amps, s.X1, s.Y1, s.X2, s.Y2)
}

func (d *svg) threadPath(amps float64, x1, y1, x2, y2 int) {
	if math.Abs(amps) < leastThread || d.look.Point == nil || d.look.Roles != nil {
		return
	}
	if amps < 0 {
		x1, y1, x2, y2 = x2, y2, x1, y1
	}
	width := 1.4 + 0.9*math.Log1p(math.Abs(amps))
	d.f(`<path class="thread" stroke-width="%.1f" d="M%d %dL%d %d"/>`, width, x1, y1, x2, y2)
}

func (d *svg) local(l sheet.LocalGround) {
	dir := 1
	if l.Up {
		dir = -1
	}
	x, y := l.Mark.X, l.Mark.Y
	d.f(`<path class="wire earth" d="M%d %dV%d"/><path class="symbol" d="M%d %dH%dM%d %dH%dM%d %dH%d"/>`,
		x, y, y+20*dir, x-14, y+20*dir, x+14, x-9, y+26*dir, x+9, x-4, y+32*dir, x+4)
	if amps := d.into[l.Mark.Pin.String()]; amps != 0 {
		d.threadPath(-amps, x, y, x, y+20*dir)
	}
}

func (d *svg) text(t sheet.Text) {
	class := string(t.Kind)
	if t.Part != "" && d.look.Cleared[t.Part] && (t.Kind == sheet.NameText || t.Kind == sheet.NoteText) {
		class += " cleared"
	}
	d.f(`<text class="%s" x="%d" y="%d">%s</text>`, class, t.X, t.Y, t.Text)
}

// pin draws a terminal; where pins can be touched it is a button that says what it reads.
func (d *svg) pin(m sheet.Mark) {
	name := m.Pin.String()
	class := "pin"
	if name == d.look.Next {
		class += " next"
	}
	if name == d.look.Black {
		class += " black"
	}
	if d.look.PinURL == "" {
		d.f(`<circle class="%s" cx="%d" cy="%d" r="4.5"/>`, class, m.X, m.Y)
		return
	}
	label := name
	if e := d.look.Expected[name]; e != "" {
		label += ", should read " + e
	}
	d.f(`<g class="%s" data-pin="%s" hx-get="%s" hx-push-url="true" tabindex="-1" role="button" aria-label="%s">`,
		class, name, d.look.PinURL+url.QueryEscape(name), label)
	if name == d.look.Next {
		d.f(`<circle class="ring" cx="%d" cy="%d" r="10"/>`, m.X, m.Y)
	}
	if name == d.look.Black {
		d.f(`<circle class="ring dark" cx="%d" cy="%d" r="10"/>`, m.X, m.Y)
	}
	d.f(`<circle class="hit" cx="%d" cy="%d" r="16"/><circle class="spot" cx="%d" cy="%d" r="4.5"/><title>%s</title></g>`,
		m.X, m.Y, m.X, m.Y, label)
}

// readings writes the figures taken as slips beside their pins.
func (d *svg) readings() {
	for i := range d.s.Symbols {
		for _, m := range d.s.Symbols[i].Pins {
			text, taken := d.look.Readings[m.Pin.String()]
			if !taken {
				continue
			}
			w := 9*len([]rune(text)) + 10
			y := m.Y - 28
			if m.Bottom {
				y = m.Y + 8
			}
			x := m.X + 8
			if d.groundSymbolIn(x, y, w, 20) {
				x = m.X - 8 - w
			}
			d.f(`<g class="slip"><rect x="%d" y="%d" width="%d" height="20" rx="3"/><text x="%d" y="%d">%s</text></g>`,
				x, y, w, x+5, y+15, text)
		}
	}
}

// groundSymbolIn tells whether a ground symbol stands in a rectangle.
func (d *svg) groundSymbolIn(x, y, w, h int) bool {
	for _, l := range d.s.Locals {
		top := l.Mark.Y
		if l.Up {
			top -= 32
		}
		if l.Mark.X+14 > x && l.Mark.X-14 < x+w && top+32 > y && top < y+h {
			return true
		}
	}
	return false
}

// away tells whether a part is out of its place.
func (d *svg) away(p *harness.Part) bool { return d.look.Away[p.Name] != "" }
