// Package pages draws invented pages of invented manuals, as a printer would: boxes, columns and lines on white paper, photographed from
// the side, in uneven light, or put into a PDF. It shares nothing with the drawing of circuits elsewhere, so that what is traced from these
// pages was drawn by another hand.
package pages

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"math"
	"math/rand/v2"

	"golang.org/x/image/font"
	"golang.org/x/image/font/basicfont"
	"golang.org/x/image/math/fixed"
)

// Point is a place on a page, in its points.
type Point struct{ X, Y int }

// Scene is a page before it is drawn: where parts and pins stand, and which pins a line joins.
type Scene struct {
	Title      string
	Wide, High int
	Parts      []Part
	Lines      []Line
}

// Part is a box with pins.
type Part struct {
	Name, Kind string
	At         Point
	Pins       []Pin
}

// Pin is a pin of a part.
type Pin struct {
	Name string
	At   Point
}

// Line is a wire with its colour; ends are "K1.87", or "G1".
type Line struct{ From, To, Colour string }

// Place is where an end stands.
func (s *Scene) Place(end string) Point {
	for _, p := range s.Parts {
		if p.Name == end {
			return p.At
		}
		for _, pin := range p.Pins {
			if p.Name+"."+pin.Name == end {
				return pin.At
			}
		}
	}
	return Point{}
}

// two is a part with a pin above it and one below.
func two(name, kind string, at Point, a, b string) Part {
	return Part{name, kind, at, []Pin{{a, Point{at.X, at.Y - 55}}, {b, Point{at.X, at.Y + 55}}}}
}

// OneRelay is a fan with one relay and a thermal switch.
func OneRelay() *Scene {
	return &Scene{Title: "RADIATOR FAN, SHEET 6", Wide: 1500, High: 1240, Parts: []Part{
		{"BAT", "battery", Point{120, 170}, []Pin{{"+", Point{170, 170}}}},
		two("F1", "fuse", Point{400, 330}, "a", "b"), two("SW", "switch", Point{1000, 320}, "a", "b"),
		two("F2", "fuse", Point{1000, 500}, "a", "b"),
		{"K1", "relay", Point{460, 640}, []Pin{{"30", Point{400, 560}}, {"87", Point{400, 720}}, {"86", Point{530, 560}},
			{"85", Point{530, 720}}}},
		two("M1", "motor", Point{400, 900}, "+", "-"), two("TS", "thermoswitch", Point{900, 900}, "1", "c"),
		{"G1", "ground", Point{400, 1110}, nil}},
		Lines: []Line{{"BAT.+", "F1.a", "RD"}, {"BAT.+", "SW.a", "RD"}, {"SW.b", "F2.a", "BU"}, {"F2.b", "K1.86", "BU/WH"},
			{"F1.b", "K1.30", "RD/BU"}, {"K1.87", "M1.+", "BU/RD"}, {"M1.-", "G1", "BN"}, {"K1.85", "TS.1", "GY"}, {"TS.c", "G1", "BN"}}}
}

// Staged is two fans with a relay each, on two pages as manuals part them: what carries the fans' current, and what pulls the relays. The
// relays, the battery's line and the ground stand on both.
func Staged() [2]*Scene {
	contact := func(name string, x, y int) Part {
		return Part{name, "relay", Point{x, y}, []Pin{{"30", Point{x - 60, y - 80}}, {"87", Point{x - 60, y + 80}}}}
	}
	coil := func(name string, x, y int) Part {
		return Part{name, "relay", Point{x, y}, []Pin{{"86", Point{x + 70, y - 80}}, {"85", Point{x + 70, y + 80}}}}
	}
	battery := Part{"BAT", "battery", Point{120, 170}, []Pin{{"+", Point{170, 170}}}}
	return [2]*Scene{
		{Title: "ENGINE FANS, SHEET 21: LOAD", Wide: 1500, High: 1240, Parts: []Part{battery,
			two("F1", "fuse", Point{400, 330}, "a", "b"), two("F2", "fuse", Point{900, 330}, "a", "b"),
			contact("K1", 460, 600), contact("K2", 960, 600),
			two("M1", "motor", Point{400, 860}, "+", "-"), two("M2", "motor", Point{900, 860}, "+", "-"), {"G1", "ground", Point{650, 1110}, nil}},
			Lines: []Line{{"BAT.+", "F1.a", "RD"}, {"BAT.+", "F2.a", "RD"}, {"F1.b", "K1.30", "RD/GN"}, {"F2.b", "K2.30", "RD/YE"},
				{"K1.87", "M1.+", "WH"}, {"K2.87", "M2.+", "WH/BK"}, {"M1.-", "G1", "BN"}, {"M2.-", "G1", "BN"}}},
		{Title: "ENGINE FANS, SHEET 22: CONTROL", Wide: 1500, High: 1240, Parts: []Part{battery,
			two("SW", "switch", Point{500, 320}, "a", "b"), two("F3", "fuse", Point{500, 500}, "a", "b"), coil("K1", 330, 740), coil("K2", 680, 740),
			{"ECU", "controller", Point{1150, 900}, []Pin{{"B1", Point{1020, 820}}, {"A4", Point{1030, 880}}, {"A5", Point{1040, 940}},
				{"B9", Point{1050, 1000}}}}, {"G1", "ground", Point{1050, 1140}, nil}},
			Lines: []Line{{"BAT.+", "SW.a", "RD"}, {"SW.b", "F3.a", "GN"}, {"F3.b", "K1.86", "GN/BK"}, {"F3.b", "K2.86", "GN/BK"},
				{"F3.b", "ECU.B1", "GN/BK"}, {"K1.85", "ECU.A4", "VT/GN"}, {"K2.85", "ECU.A5", "VT/YE"}, {"ECU.B9", "G1", "BN"}}},
	}
}

// Twin is two fans in series and in parallel: three relays, a link fuse, a controller.
func Twin() *Scene {
	relay := func(name string, x, y int, rest bool) Part {
		p := Part{name, "relay", Point{x, y}, []Pin{{"30", Point{x - 60, y - 80}}, {"87", Point{x - 60, y + 80}}, {"86", Point{x + 70, y - 80}},
			{"85", Point{x + 70, y + 80}}}}
		if rest {
			p.Pins = append(p.Pins, Pin{"87a", Point{x, y + 80}})
		}
		return p
	}
	return &Scene{Title: "COOLING FANS, SHEET 14", Wide: 2200, High: 1560, Parts: []Part{
		{"BAT", "battery", Point{120, 170}, []Pin{{"+", Point{170, 170}}}},
		two("F1", "fuse", Point{360, 320}, "a", "b"), two("F2", "fuse", Point{960, 320}, "a", "b"),
		two("SW", "switch", Point{1560, 300}, "a", "b"),
		two("F4", "fuse", Point{1560, 500}, "a", "b"), relay("K1", 420, 600, false), relay("K2", 1020, 600, false), relay("K3", 420, 1150, true),
		two("M1", "motor", Point{360, 860}, "+", "-"), two("M2", "motor", Point{960, 1000}, "+", "-"),
		two("F3", "fuse", Point{700, 1110}, "b", "a"),
		{"ECU", "controller", Point{1800, 900}, []Pin{{"61", Point{1640, 820}}, {"62", Point{1670, 900}}, {"5", Point{1700, 980}}}},
		{"G1", "ground", Point{360, 1420}, nil}, {"G2", "ground", Point{960, 1420}, nil}, {"G3", "ground", Point{1780, 1420}, nil}},
		Lines: []Line{{"BAT.+", "F1.a", "RD"}, {"BAT.+", "F2.a", "RD"}, {"BAT.+", "SW.a", "RD"}, {"SW.b", "F4.a", "OG"}, {"F4.b", "K1.86", "OG"},
			{"F4.b", "K2.86", "OG"}, {"F4.b", "K3.86", "OG"}, {"F1.b", "K1.30", "RD"}, {"K1.87", "M1.+", "VT"}, {"M1.-", "K3.30", "VT"},
			{"K3.87a", "F3.a", "BN"}, {"F3.b", "M2.+", "GY"}, {"F2.b", "K2.30", "RD"}, {"K2.87", "M2.+", "VT"}, {"K3.87", "G1", "BN"},
			{"M2.-", "G2", "BN"}, {"K1.85", "ECU.61", "GN"}, {"K2.85", "ECU.62", "GN"}, {"K3.85", "ECU.62", "GN"}, {"ECU.5", "G3", "BN"}}}
}

var ink = color.Gray{30}

// Draw draws a scene.
func (s *Scene) Draw() *image.RGBA {
	m := image.NewRGBA(image.Rect(0, 0, s.Wide, s.High))
	draw.Draw(m, m.Bounds(), image.NewUniform(color.Gray{248}), image.Point{}, draw.Src)
	frame(m, 40, 40, s.Wide-40, s.High-40)
	write(m, 60, 90, s.Title)
	for _, l := range s.Lines {
		a, b := s.Place(l.From), s.Place(l.To)
		middle := (a.Y + b.Y) / 2
		down(m, a.X, a.Y, middle)
		across(m, a.X, b.X, middle)
		down(m, b.X, middle, b.Y)
		write(m, min(a.X, b.X)+abs(a.X-b.X)/2+6, middle-6, l.Colour)
	}
	for _, p := range s.Parts {
		p.draw(m)
	}
	return m
}

func (p *Part) draw(m *image.RGBA) {
	x, y := p.At.X, p.At.Y
	switch p.Kind {
	case "ground":
		for k := range 3 {
			across(m, x-30+10*k, x+30-10*k, y+9*k)
		}
		write(m, x+40, y+12, p.Name)
		return
	case "motor":
		for a := 0.0; a < 2*math.Pi; a += 0.01 {
			dot(m, x+int(45*math.Cos(a)), y+int(45*math.Sin(a)))
		}
	case "relay":
		frame(m, x-100, y-60, x+110, y+60)
		frame(m, x+45, y-25, x+95, y+25)
	case "controller":
		frame(m, x-80, y-120, x+120, y+120)
	default:
		frame(m, x-22, y-38, x+22, y+38)
	}
	write(m, x-16, y+8, p.Name)
	for _, pin := range p.Pins {
		switch {
		case pin.At.X < x-90: // from the side
			across(m, pin.At.X, x-80, pin.At.Y)
		case pin.At.Y < y:
			down(m, pin.At.X, pin.At.Y, y-38)
		case pin.At.Y > y:
			down(m, pin.At.X, y+38, pin.At.Y)
		}
		write(m, pin.At.X+8, pin.At.Y+14, pin.Name)
	}
}

func abs(v int) int { return max(v, -v) }

func dot(m *image.RGBA, x, y int) {
	for dx := -1; dx <= 1; dx++ {
		for dy := -1; dy <= 1; dy++ {
			m.Set(x+dx, y+dy, ink)
		}
	}
}

func across(m *image.RGBA, x1, x2, y int) {
	for x := min(x1, x2); x <= max(x1, x2); x++ {
		dot(m, x, y)
	}
}

func down(m *image.RGBA, x, y1, y2 int) {
	for y := min(y1, y2); y <= max(y1, y2); y++ {
		dot(m, x, y)
	}
}

func frame(m *image.RGBA, x1, y1, x2, y2 int) {
	across(m, x1, x2, y1)
	across(m, x1, x2, y2)
	down(m, x1, y1, y2)
	down(m, x2, y1, y2)
}

// write writes small letters twice as large as they come.
func write(m *image.RGBA, x, y int, text string) {
	small := image.NewGray(image.Rect(0, 0, 8*len(text)+8, 16))
	d := font.Drawer{Dst: small, Src: image.White, Face: basicfont.Face7x13, Dot: fixed.P(0, 12)}
	d.DrawString(text)
	for py := range 16 {
		for px := range small.Bounds().Dx() {
			if small.GrayAt(px, py).Y > 100 {
				for k := range 4 {
					m.Set(x+2*px+k%2, y-24+2*py+k/2, ink)
				}
			}
		}
	}
}

// Photographed is a page as a phone takes it: turned by so many degrees on a table, with noise and a shadow across it.
func Photographed(page image.Image, degrees float64) *image.RGBA {
	size := page.Bounds().Size()
	margin := size.X / 6
	m := image.NewRGBA(image.Rect(0, 0, size.X+2*margin, size.Y+2*margin))
	dice := rand.New(rand.NewPCG(8, 14))
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	cx, cy := float64(m.Rect.Dx())/2, float64(m.Rect.Dy())/2
	for y := range m.Rect.Dy() {
		for x := range m.Rect.Dx() {
			dx, dy := float64(x)-cx, float64(y)-cy
			px, py := int(cos*dx+sin*dy)+size.X/2, int(-sin*dx+cos*dy)+size.Y/2
			grey := 95.0 // the table
			if px >= 0 && py >= 0 && px < size.X && py < size.Y {
				r, _, _, _ := page.At(px, py).RGBA()
				grey = float64(r >> 8)
			}
			light := 1 - 0.35*math.Max(0, math.Min(1, (dx+0.4*dy)/cx+0.2)) // a shadow from one side
			v := uint8(math.Max(0, math.Min(255, grey*light+8*dice.NormFloat64())))
			m.SetRGBA(x, y, color.RGBA{v, v, v, 255})
		}
	}
	return m
}

// Corners are where the corners of such a page lie on the photograph, in shares of its sides: upper left, then clockwise.
func Corners(page image.Image, degrees float64) [8]float64 {
	size := page.Bounds().Size()
	margin := size.X / 6
	wide, high := float64(size.X+2*margin), float64(size.Y+2*margin)
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	var list [8]float64
	for i, c := range [][2]float64{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}} {
		x, y := c[0]*float64(size.X)/2, c[1]*float64(size.Y)/2
		list[2*i], list[2*i+1] = (wide/2+cos*x-sin*y)/wide, (high/2+sin*x+cos*y)/high
	}
	return list
}

// JPEG writes a picture.
func JPEG(m image.Image) ([]byte, error) {
	var b bytes.Buffer
	err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 80})
	return b.Bytes(), err
}

// PDF puts pictures into a file, one a page (ISO 32000-1: a page with one image that is stored as JPEG).
func PDF(pages ...image.Image) ([]byte, error) {
	var b bytes.Buffer
	var offsets []int
	object := func(text string) {
		offsets = append(offsets, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", len(offsets), text)
	}
	b.WriteString("%PDF-1.4\n")
	object("<< /Type /Catalog /Pages 2 0 R >>")
	kids := ""
	for i := range pages {
		kids += fmt.Sprintf("%d 0 R ", 3+3*i)
	}
	object(fmt.Sprintf("<< /Type /Pages /Kids [%s] /Count %d >>", kids, len(pages)))
	for i, page := range pages {
		picture, err := JPEG(page)
		if err != nil {
			return nil, err
		}
		size := page.Bounds().Size()
		object(fmt.Sprintf("<< /Type /Page /Parent 2 0 R /MediaBox [0 0 %d %d] /Contents %d 0 R /Resources << /XObject << /I %d 0 R >> >> >>",
			size.X/3, size.Y/3, 4+3*i, 5+3*i))
		draws := fmt.Sprintf("q %d 0 0 %d 0 0 cm /I Do Q", size.X/3, size.Y/3)
		object(fmt.Sprintf("<< /Length %d >>\nstream\n%s\nendstream", len(draws), draws))
		object(fmt.Sprintf("<< /Type /XObject /Subtype /Image /Width %d /Height %d /ColorSpace /DeviceRGB /BitsPerComponent 8 "+
			"/Filter /DCTDecode /Length %d >>\nstream\n%s\nendstream", size.X, size.Y, len(picture), picture))
	}
	at := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(offsets)+1)
	for _, o := range offsets {
		fmt.Fprintf(&b, "%010d 00000 n \n", o)
	}
	fmt.Fprintf(&b, "trailer << /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n", len(offsets)+1, at)
	return b.Bytes(), nil
}
