package sheet

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/harness"
)

// writer places texts so that none lies on another, on a symbol or on a line. All in pixels.
type writer struct {
	s     *Sheet
	taken []box
}

type box struct{ x1, y1, x2, y2 float64 }

func (b box) hits(o box) bool { return b.x1 < o.x2 && o.x1 < b.x2 && b.y1 < o.y2 && o.y1 < b.y2 }

// newWriter is one for a sheet on which nothing is written yet.
func newWriter(s *Sheet) *writer {
	w := &writer{s: s}
	for i := range s.Symbols {
		sy := &s.Symbols[i]
		b := box{float64(sy.X), float64(sy.Y), float64(sy.X + sy.W), float64(sy.Y + sy.H)}
		switch {
		case sy.Part.Kind() == harness.KindRelay, Boxed(sy.Part):
		case sy.Part.Kind() == harness.KindMotor:
			b = box{b.x1 + 10, b.y1 + 6, b.x2 - 10, b.y2 - 6}
		default:
			b.x1, b.x2 = b.x1+10, b.x2-10
		}
		w.taken = append(w.taken, b)
	}
	for _, l := range s.Lines {
		for _, g := range l.Segments {
			w.taken = append(w.taken, box{
				float64(min(g.X1, g.X2)) - 3, float64(min(g.Y1, g.Y2)) - 3,
				float64(max(g.X1, g.X2)) + 3, float64(max(g.Y1, g.Y2)) + 3,
			})
		}
	}
	for _, r := range []Rail{s.Rail, s.Ground} {
		w.taken = append(w.taken, box{float64(r.X1), float64(r.Y - 5), float64(r.X2), float64(r.Y + 5)})
	}
	for _, l := range s.Locals {
		x, y := float64(l.Mark.X), float64(l.Mark.Y)
		b := box{x - 20, y, x + 20, y + 36}
		if l.Up {
			b = box{x - 20, y - 36, x + 20, y}
		}
		w.taken = append(w.taken, b)
	}
	return w
}

// write places every text of the sheet.
func (pl *plan) write(s *Sheet, c *harness.Circuit) {
	w := newWriter(s)
	// Numbers inside boxes first: a box's name goes where they leave room.
	for i := range s.Symbols {
		if Boxed(s.Symbols[i].Part) {
			w.pins(&s.Symbols[i])
		}
	}
	for i, it := range pl.p.items {
		for k := range it.glyphs {
			w.name(pl, i, it, k)
		}
	}
	for i := range s.Symbols {
		if !Boxed(s.Symbols[i].Part) {
			w.pins(&s.Symbols[i])
		}
	}
	for _, l := range s.Locals {
		w.localName(l)
	}
	w.feet(pl)
	w.colours(c)
}

// put takes the first of several places (left edge and baseline) that is free; the last
// resort is to leave the text out, false.
func (w *writer) put(t Text, width, size float64, places ...[2]float64) bool {
	for _, at := range places {
		b := box{at[0] - clearance, at[1] - 0.78*size - clearance, at[0] + width + clearance, at[1] + 0.24*size + clearance}
		if w.free(b) {
			w.set(t, width, size, at)
			return true
		}
	}
	return false
}

func (w *writer) set(t Text, width, size float64, at [2]float64) {
	t.X, t.Y = int(at[0]), int(at[1])
	t.W, t.H = int(width+1), int(size+1)
	w.s.Texts = append(w.s.Texts, t)
	w.taken = append(w.taken, box{at[0], at[1] - 0.78*size, at[0] + width, at[1] + 0.24*size})
}

func (w *writer) free(b box) bool {
	if b.x1 < 0 || b.y1 < -14 || b.x2 > float64(w.s.Width) || b.y2 > float64(w.s.Height) {
		return false
	}
	for _, t := range w.taken {
		if b.hits(t) {
			return false
		}
	}
	return true
}

// name writes a part's name and note: in the box of a controller, beside any other, on the
// side kept clear for it or wherever there is room.
func (w *writer) name(pl *plan, i int, it *item, k int) {
	g := &it.glyphs[k]
	b := pl.body(it, g)
	x1, y1, x2, y2 := float64(b.x1*Unit), float64(b.y1*UnitY), float64(b.x2*Unit), float64(b.y2*UnitY)
	nameWide, noteWide := textWidth(g.name, nameSize, true), textWidth(g.note, noteSize, false)
	name := Text{Kind: NameText, Text: g.name, Part: g.part.Name}
	note := Text{Kind: NoteText, Text: g.note, Part: g.part.Name}
	middle := (y1 + y2) / 2
	if it.elastic {
		w.boxName(wideText{name, nameWide}, wideText{note, noteWide}, x1, x2, middle)
		return
	}
	const gap = 6
	wide := max(nameWide, noteWide)
	height := float64(nameSize)
	if g.note != "" {
		height += noteSize + 4
	}
	sides := []bool{pl.p.left[i], !pl.p.left[i]}
	for _, left := range sides {
		for _, dy := range []float64{0, -8, 8, -16, 16, -24, 24, -32, 32, -40, 40} {
			top := middle - height/2 + dy
			x := x2 + gap
			if left {
				x = x1 - gap - wide
			}
			if !w.free(box{x - clearance, top - clearance, x + wide + clearance, top + height + clearance}) {
				continue
			}
			nameX, noteX := x, x
			if left { // flush with the part
				nameX, noteX = x+wide-nameWide, x+wide-noteWide
			}
			w.set(name, nameWide, nameSize, [2]float64{nameX, top + 0.78*nameSize})
			if g.note != "" {
				w.set(note, noteWide, noteSize, [2]float64{noteX, top + nameSize + 4 + 0.78*noteSize})
			}
			return
		}
	}
	// No room for both beside it: the name alone, at the nearest free place.
	for dy := 0.0; dy <= 64; dy += 4 {
		for _, far := range []float64{gap, 3 * gap} {
			if w.put(name, nameWide, nameSize,
				[2]float64{x2 + far, middle + 6 + dy}, [2]float64{x1 - far - nameWide, middle + 6 + dy},
				[2]float64{x2 + far, middle + 6 - dy}, [2]float64{x1 - far - nameWide, middle + 6 - dy}) {
				return
			}
		}
	}
}

// wideText is a text with its width in pixels.
type wideText struct {
	Text
	wide float64
}

// boxName writes a box's name and note inside it, as near its middle as the pins' numbers
// permit.
func (w *writer) boxName(name, note wideText, x1, x2, middle float64) {
	wide := max(name.wide, note.wide)
	centre := (x1 + x2) / 2
	for step := 0.0; step < (x2-x1)/2; step += 5 {
		for _, x := range []float64{centre - step, centre + step} {
			b := box{x - wide/2 - clearance, middle - 13, x + wide/2 + clearance, middle + 19}
			if b.x1 < x1 || b.x2 > x2 || w.overTexts(b) {
				continue
			}
			w.set(name.Text, name.wide, nameSize, [2]float64{x - name.wide/2, middle + 1})
			if note.Text.Text != "" {
				w.set(note.Text, note.wide, noteSize, [2]float64{x - note.wide/2, middle + 15})
			}
			return
		}
	}
	w.set(name.Text, name.wide, nameSize, [2]float64{centre - name.wide/2, middle + 5})
}

func (w *writer) overTexts(b box) bool {
	for _, t := range w.s.Texts {
		x, y := float64(t.X), float64(t.Y)
		if b.hits(box{x, y - 0.78*float64(t.H), x + float64(t.W), y + 0.24*float64(t.H)}) {
			return true
		}
	}
	return false
}

// pins writes pin numbers: inside relays and boxes, beside the pins of other parts.
func (w *writer) pins(s *Symbol) {
	inside := s.Part.Kind() == harness.KindRelay || Boxed(s.Part)
	for _, m := range s.Pins {
		t := Text{Kind: PinText, Text: m.Pin.Name, Pin: m.Pin.String(), Part: m.Pin.Part}
		if s.Part.Kind() == harness.KindMotor && t.Text == "-" {
			t.Text = "−"
		}
		if relay, ok := s.Part.Spec.(*harness.Relay); ok && relay.Printed[m.Pin.Name] != "" {
			t.Text = relay.Printed[m.Pin.Name] // what is printed on the relay is what is read at the car
		}
		wide := monoWidth(t.Text)
		x, y := float64(m.X), float64(m.Y)
		if inside {
			base := y + 15
			if m.Bottom {
				base = y - 7
			}
			at := [2]float64{x + 7, base}
			if Boxed(s.Part) {
				at[0] = x - wide/2
			} else if x+7+wide > float64(s.X+s.W)-3 || (strings.HasPrefix(m.Pin.Name, "87") &&
				s.Mark("87a"+strings.TrimPrefix(m.Pin.Name, "87")).X > m.X) {
				at[0] = x - 7 - wide
			}
			w.set(t, wide, pinSize, at)
			continue
		}
		base := y + 2
		if m.Bottom {
			base = y + 6
		}
		w.put(t, wide, pinSize, [2]float64{x - 9 - wide, base}, [2]float64{x + 9, base})
	}
}

func (w *writer) localName(l LocalGround) {
	wide := textWidth(l.Name, noteSize, false)
	x, y := float64(l.Mark.X), float64(l.Mark.Y)
	base := y + 28
	if l.Up {
		base = y - 20
	}
	t := Text{Kind: FootText, Text: l.Name, Part: l.Name}
	w.put(t, wide, noteSize, [2]float64{x + 24, base}, [2]float64{x - 24 - wide, base}, [2]float64{x + 24, base + 12},
		[2]float64{x - 24 - wide, base + 12}, [2]float64{x - wide/2, y + 50})
}

// feet names each ground point where its drop meets the rail.
func (w *writer) feet(pl *plan) {
	for _, l := range w.s.Lines {
		if !l.Ground || len(l.Pins) == 0 {
			continue
		}
		name := pl.groundName(pl.p.nets.of[l.Pins[0].Pin])
		wide := textWidth(name, noteSize, false)
		x := float64(l.Pins[0].X)
		w.put(Text{Kind: FootText, Text: name, Part: name}, wide, noteSize,
			[2]float64{x - wide/2, float64(w.s.Ground.Y) + 20})
	}
}

// colours writes each wire's colour beside a pin where it is the only wire, else beside the
// line near one of its ends.
func (w *writer) colours(c *harness.Circuit) {
	at := map[harness.Pin]Mark{}
	for _, l := range w.s.Lines {
		for _, m := range l.Pins {
			at[m.Pin] = m
		}
	}
	for _, l := range w.s.Locals {
		at[l.Mark.Pin] = l.Mark
	}
	count := map[harness.Pin]int{}
	for _, wire := range c.Wires {
		count[wire.From]++
		count[wire.To]++
	}
	for _, wire := range c.Wires {
		if wire.Colour == "" {
			continue
		}
		wide := monoWidth(wire.Colour)
		t := Text{Kind: ColourText, Text: wire.Colour, Wire: wire.String()}
		ends := []harness.Pin{wire.To, wire.From}
		if count[wire.To] > 1 && count[wire.From] == 1 {
			ends = []harness.Pin{wire.From, wire.To}
		}
		for _, pin := range ends {
			m, drawn := at[pin]
			shared := count[pin] > 1 && (count[ends[0]] == 1 || count[ends[1]] == 1)
			if !drawn || shared {
				continue
			}
			if w.put(t, wide, colourSize, colourPlaces(m, wide)...) {
				break
			}
		}
	}
}

// Seconds places a second text beside the colour of each wire, such as its size: where it lies on nothing else, as near to the colour as
// it goes. What is nowhere free stands on the side that is clear of the part. says gives the words of a wire; none where they are empty.
func (s *Sheet) Seconds(says func(wire string) string) []Text {
	w := newWriter(s)
	for _, t := range s.Texts {
		x, y := float64(t.X), float64(t.Y)
		size := float64(t.H - 1)
		w.taken = append(w.taken, box{x, y - 0.78*size, x + float64(t.W-1), y + 0.24*size})
	}
	seconds := &Sheet{Width: s.Width, Height: s.Height}
	w.s = seconds
	for _, t := range s.Texts {
		words := says(t.Wire)
		if t.Kind != ColourText || words == "" {
			continue
		}
		wide := monoWidth(words)
		second := Text{Kind: ColourText, Text: words, Wire: t.Wire}
		if first := float64(s.beside(t, secondLine)); !w.put(second, wide, colourSize, secondPlaces(t, wide, first)...) {
			w.set(second, wide, colourSize, [2]float64{float64(t.X), first})
		}
	}
	return seconds.Texts
}

// secondLine is how far one text stands below another.
const secondLine = 11

// secondPlaces lists where a second text may stand beside a first: on the line that is clear of the part, before or after it, on the other
// side, and then wherever there is room, the nearest first.
func secondPlaces(t Text, wide, first float64) [][2]float64 {
	x, y := float64(t.X), float64(t.Y)
	after, before := x+float64(t.W)+6, x-wide-6
	places := [][2]float64{{x, first}, {x + float64(t.W) - wide, first}, {after, y}, {before, y}, {x, 2*y - first}}
	var round [][2]float64
	for dx := -wide - secondFar; dx <= float64(t.W)+secondFar; dx += secondStep {
		for dy := -float64(secondFar); dy <= secondFar; dy += secondStep {
			round = append(round, [2]float64{x + dx, y + dy})
		}
	}
	away := func(at [2]float64) float64 { return math.Hypot(at[0]+wide/2-x-float64(t.W)/2, 2*(at[1]-y)) }
	slices.SortStableFunc(round, func(a, b [2]float64) int { return cmp.Compare(away(a), away(b)) })
	return append(places, round...)
}

// A second text may stand so far off, and is tried in such steps, pixels.
const (
	secondFar  = 48
	secondStep = 4
)

// colourPlaces lists where a colour may stand beside the line that leaves a pin.
func colourPlaces(m Mark, wide float64) [][2]float64 {
	var places [][2]float64
	x, y := float64(m.X), float64(m.Y)
	for _, d := range []float64{16, 22, 30, 40, 52} {
		base := y - d + 8
		if m.Bottom {
			base = y + d
		}
		places = append(places, [2]float64{x + 7, base}, [2]float64{x - 7 - wide, base})
	}
	return places
}

// String says what a text is, for a test that failed.
func (t Text) String() string { return fmt.Sprintf("%s %q at %d,%d", t.Kind, t.Text, t.X, t.Y) }
