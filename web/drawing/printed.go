package drawing

import (
	"bytes"
	"cmp"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"maps"
	"math"
	"net/url"
	"slices"
	"strings"

	"ironthread/core/printed"
	"ironthread/core/probe"
	"ironthread/core/sheet"
)

// The page as printed, with the same things laid over it as over the drawing: each pin that has a place carries its volts and the sign of
// its potential, parts their hatching and whether a relay is in, readings their slips, the next move its rings. The page beneath is only
// dimmed; its own colours stay.

// Page is a picture of a page, and where it is fetched.
type Page struct {
	Number, Width, Height int
	URL                   string
}

// With is a look with the evidence of another laid on it.
func (l *Look) With(evidence *Look) *Look {
	both := *l
	both.Parts, both.Wires, both.Cleared, both.Readings = evidence.Parts, evidence.Wires, evidence.Cleared, evidence.Readings
	both.Next, both.Black = cmp.Or(evidence.Next, l.Next), cmp.Or(evidence.Black, l.Black)
	return &both
}

// onPage is how many units the longer side of a page has.
const onPage = 1100

// betweenPages is how far one page lies from the next.
const betweenPages = 24

// Printed draws pages below one another with what is laid over them.
func Printed(pages []Page, places printed.Places, look *Look) Picture {
	if look == nil {
		look = &Look{}
	}
	d := &svg{s: &sheet.Sheet{}, look: look, into: map[string]float64{}}
	d.mute = look.Point != nil
	wide, high := 0, 0
	tops := map[int]int{}
	size := map[int]Page{}
	for i, p := range pages { // as many units to each page's longer side, so that marks are as large as those of the drawing
		unit := float64(max(p.Width, p.Height)) / onPage
		p.Width, p.Height = int(float64(p.Width)/unit+0.5), int(float64(p.Height)/unit+0.5)
		pages[i], tops[p.Number], size[p.Number] = p, high, p
		wide, high = max(wide, p.Width), high+p.Height+betweenPages
	}
	title := cmp.Or(look.Title, "The circuit as printed")
	d.f(`<svg class="sheet printed" xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 %d %d" role="group" `+
		`aria-label="%s">`, wide, high, wide, high, title)
	d.f(`<title>%s</title>`, title)
	d.hatching()
	for _, p := range pages {
		d.f(`<image href="%s" x="0" y="%d" width="%d" height="%d"/>`, p.URL, tops[p.Number], p.Width, p.Height)
	}
	at := func(s printed.Spot) (x, y float64, ok bool) {
		p, ok := size[s.Page]
		return float64(s.X) * float64(p.Width) / printed.Whole, float64(tops[s.Page]) + float64(s.Y)*float64(p.Height)/printed.Whole, ok
	}
	for _, parts := range []bool{true, false} { // what is laid over a part lies beneath the pins
		for _, name := range slices.Sorted(maps.Keys(places)) {
			pin := strings.Contains(name, ".") || look.Point != nil && look.Point.Pins[name] != nil
			x, y, ok := at(places[name])
			if !ok || parts && strings.Contains(name, ".") || !parts && !pin {
				continue
			}
			d.f(`<g transform="translate(%.1f %.1f)">`, x, y)
			if parts {
				d.printedPart(name)
			} else {
				d.printedPin(name)
			}
			d.f(`</g>`)
		}
	}
	d.f(`</svg>`)
	return d.picture()
}

// excerpt is what is shown of a page round places: the page, and in its units the places and the frame round them.
type excerpt struct {
	page                     Page
	unit                     float64 // pixels
	wide, high               float64 // of the page
	left, top, right, bottom float64
	at                       [][2]float64
}

// excerptOf finds it; ok is false where none of the places is on a page. Places on another page than the first are left out.
func excerptOf(pages []Page, places printed.Places, names []string) (e excerpt, ok bool) {
	var spots []printed.Spot
	for _, name := range names {
		if s, there := places[name]; there && (len(spots) == 0 || s.Page == spots[0].Page) {
			spots = append(spots, s)
		}
	}
	k := -1
	if len(spots) > 0 {
		k = slices.IndexFunc(pages, func(p Page) bool { return p.Number == spots[0].Page })
	}
	if k < 0 {
		return e, false
	}
	e.page = pages[k]
	e.unit = float64(max(e.page.Width, e.page.Height)) / onPage
	e.wide, e.high = float64(e.page.Width)/e.unit, float64(e.page.Height)/e.unit
	e.left, e.top = e.wide, e.high
	for _, s := range spots {
		x, y := float64(s.X)*e.wide/printed.Whole, float64(s.Y)*e.high/printed.Whole
		e.left, e.top, e.right, e.bottom = min(e.left, x), min(e.top, y), max(e.right, x), max(e.bottom, y)
		e.at = append(e.at, [2]float64{x, y})
	}
	e.left, e.top, e.right, e.bottom = e.left-aroundWide, e.top-aroundHigh, e.right+aroundWide, e.bottom+aroundHigh
	return e, true
}

// Crop is the part of a page round a place, its marks included; empty where it has none. Two places that lie on one page are both in it.
func Crop(pages []Page, places printed.Places, names ...string) Picture {
	e, ok := excerptOf(pages, places, names)
	if !ok {
		return ""
	}
	var d pen
	d.f(`<svg class="crop printed" xmlns="http://www.w3.org/2000/svg" viewBox="%.0f %.0f %.0f %.0f" role="img" aria-label="%s on its page">`,
		e.left, e.top, e.right-e.left, e.bottom-e.top, strings.Join(names, ", "))
	d.f(`<image href="%s" width="%.0f" height="%.0f"/>`, e.page.URL, e.wide, e.high)
	for n, at := range e.at {
		d.f(`<circle class="%s" cx="%.1f" cy="%.1f" r="%d"/>`, []string{"ring", "ring dark"}[min(n, 1)], at[0], at[1], ringed)
	}
	d.f(`</svg>`)
	return d.picture()
}

// CutOut is the same as a JPEG made of the page's own picture, for what can show no drawing: a PDF. picture gives that of a page by its
// number. It is nil where none of the places is on a page.
func CutOut(pages []Page, places printed.Places, picture func(number int) ([]byte, error), names ...string) ([]byte, error) {
	e, ok := excerptOf(pages, places, names)
	if !ok {
		return nil, nil
	}
	kept, err := picture(e.page.Number)
	if err != nil {
		return nil, err
	}
	whole, err := jpeg.Decode(bytes.NewReader(kept))
	if err != nil {
		return nil, fmt.Errorf("page %d: %w", e.page.Number, err)
	}
	of := func(v float64) int { return int(v*e.unit + 0.5) }
	frame := image.Rect(of(e.left), of(e.top), of(e.right), of(e.bottom)).Intersect(whole.Bounds())
	out := image.NewRGBA(image.Rectangle{Max: frame.Size()})
	draw.Draw(out, out.Bounds(), whole, frame.Min, draw.Src)
	for _, at := range e.at {
		ring(out, at[0]*e.unit-float64(frame.Min.X), at[1]*e.unit-float64(frame.Min.Y), ringed*e.unit)
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, out, nil); err != nil {
		return nil, fmt.Errorf("page %d: %w", e.page.Number, err)
	}
	return b.Bytes(), nil
}

// ring draws a ring, a sixth of its radius thick, that is dark with a light rim, so that it is seen in black and white on any page.
func ring(on *image.RGBA, x, y, radius float64) {
	thick := max(radius/6, 2)
	for py := int(y - radius - 2*thick); py <= int(y+radius+2*thick); py++ {
		for px := int(x - radius - 2*thick); px <= int(x+radius+2*thick); px++ {
			if !(image.Point{X: px, Y: py}).In(on.Bounds()) {
				continue
			}
			switch off := math.Abs(math.Hypot(float64(px)-x, float64(py)-y) - radius); {
			case off <= thick/2:
				on.Set(px, py, color.Black)
			case off <= thick:
				on.Set(px, py, color.White)
			}
		}
	}
}

// ringed is the radius of a place's ring.
const ringed = 11

// What is shown of a page round a place, in its units.
const (
	aroundWide = 130
	aroundHigh = 75
)

// printedPin marks a pin at the origin.
func (d *svg) printedPin(name string) {
	class, _ := d.grade(name)
	label := name
	if e := d.look.Expected[name]; e != "" {
		label += ", should read " + e
	}
	if d.look.PinURL != "" {
		d.f(`<g class="pin mark %s" data-pin="%s" hx-get="%s" hx-push-url="true" tabindex="-1" role="button" aria-label="%s">`, class, name,
			d.look.PinURL+url.QueryEscape(name), label)
	} else {
		d.f(`<g class="pin mark %s" data-pin="%s">`, class, name)
	}
	if name == d.look.Next {
		d.f(`<circle class="ring" cx="0" cy="0" r="11"/>`)
	}
	if name == d.look.Black {
		d.f(`<circle class="ring dark" cx="0" cy="0" r="11"/>`)
	}
	d.f(`<circle class="hit" r="13"/><circle class="spot" r="4.5"/>`)
	d.potential(class)
	d.f(`<title>%s</title></g>`, label)
	text := ""
	if v := d.volts(name); v != nil {
		text = probe.FormatVolts(*v)
	}
	if reading, taken := d.look.Readings[name]; taken {
		d.slip(reading, -11)
	} else if text != "" {
		d.f(`<text class="printed-volts" x="8" y="-6">%s</text>`, text)
	}
}

// potential is the sign of a pin's potential, in the drawing's own language: a heavy line for the battery's, one with ticks for ground,
// one with a core for what lies between, dots for what floats.
func (d *svg) potential(class string) {
	switch class {
	case "plain":
		return
	case "floating":
		d.f(`<path class="wire floating" d="M-7 0H7"/>`)
	default:
		d.f(`<path class="wire %s" d="M-7 0H7"/>`, class)
		switch class {
		case "between":
			d.f(`<path class="core" stroke-width="2" d="M-7 0H7"/>`)
		case "earth":
			d.f(`<path class="ticks" d="M-7 0H7"/>`)
		}
	}
}

// slip is a figure that was taken.
func (d *svg) slip(text string, y int) {
	w := 9*len([]rune(text)) + 10
	d.f(`<g class="slip"><rect x="8" y="%d" width="%d" height="20" rx="3"/><text x="13" y="%d">%s</text></g>`, y, w, y+15, text)
}

// printedPart marks a part at the origin: how likely it is, whether it is cleared, what its relay does.
func (d *svg) printedPart(name string) {
	if n := density(d.look.Parts[name]); n > 0 {
		d.f(`<g class="halo" fill="url(#%shatch%d)"><rect x="-34" y="-26" width="68" height="52"/></g>`, d.look.Prefix, n)
	}
	words, below := "", 21
	if d.look.Point != nil {
		switch word := d.look.Point.Relays[name]; {
		case word == "pulled in":
			words = name + " in"
		case word != "" && word != "at rest":
			words = name + " " + word
		}
		if f, is := d.look.Point.Fuses[name]; is && f.Open {
			words = name + " blown"
		}
		if m, is := d.look.Point.Motors[name]; is {
			words, below = name+" "+string(m.Speed), -9
		}
	}
	if away := d.look.Away[name]; away != "" {
		words = name + " " + away
	}
	if d.look.Cleared[name] {
		d.f(`<rect class="veil" x="-34" y="-26" width="68" height="52"/>`)
	}
	if words != "" {
		d.f(`<text class="printed-part" x="0" y="%d">%s</text>`, below, words)
	}
}
