package harness

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"ironthread/core/units"
)

// Colours of insulation by IEC 60757, as the trade uses them.
var Colours = []string{"BK", "BN", "RD", "OG", "YE", "GN", "BU", "VT", "GY", "WH", "PK", "TQ", "GD", "SR"}

// Copper's resistivity at 20 °C in Ω·mm²/m (IEC 60028).
const copperOhmMM2PerM = 0.017241

const metresPerFoot = 0.3048

// Ohms of a wire for which neither size nor length is drawn.
const plainWireOhms = 0.005

// Size is a conductor's cross-section as written: a figure in mm² or an AWG number.
type Size struct {
	Figure float64
	AWG    bool
}

// SquareMM is the cross-section in mm². AWG by ASTM B258: d(mm) = 0.127·92^((36−n)/39).
func (s Size) SquareMM() float64 {
	if !s.AWG {
		return s.Figure
	}
	return units.FromAWG(s.Figure)
}

// Given tells whether a size was written. AWG 0 is a size.
func (s Size) Given() bool { return s.AWG || s.Figure > 0 }

func (s Size) String() string {
	switch {
	case s.AWG:
		return plain(s.Figure) + "AWG"
	case s.Figure > 0:
		return plain(s.Figure) + "mm2"
	}
	return ""
}

// Length is a wire's length as written, in metres or feet.
type Length struct {
	Figure float64
	Feet   bool
}

// Metres converts the length.
func (l Length) Metres() float64 {
	if l.Feet {
		return l.Figure * metresPerFoot
	}
	return l.Figure
}

func (l Length) String() string {
	switch {
	case l.Figure <= 0:
		return ""
	case l.Feet:
		return plain(l.Figure) + "ft"
	}
	return plain(l.Figure) + "m"
}

// Ohms is the wire's resistance, copper at 20 °C; a wire without size or length has 5 mΩ.
func (w *Wire) Ohms() float64 {
	ohms := plainWireOhms
	if w.Size.Given() && w.Length.Figure > 0 {
		ohms = copperOhmMM2PerM * w.Length.Metres() / w.Size.SquareMM()
	}
	return ohms / float64(max(1, w.Parallel))
}

func plain(f float64) string { return strconv.FormatFloat(f, 'f', -1, 64) }

var (
	sizeForm     = regexp.MustCompile(`^([0-9.]+)(mm2|mm²|AWG)$`)
	lengthForm   = regexp.MustCompile(`^([0-9.]+)(m|ft)$`)
	parallelForm = regexp.MustCompile(`^([0-9]+)x$`)
)

// parseDescription reads "[2x] [colour] [size] [length]", each part optional, in that order.
func (w *Wire) parseDescription(s string) error {
	w.Parallel = 1
	words := strings.Fields(s)
	steps := []func(string) (bool, error){w.takeParallel, w.takeColour, w.takeSize, w.takeLength}
	for _, word := range words {
		taken := false
		for len(steps) > 0 && !taken {
			ok, err := steps[0](word)
			if err != nil {
				return err
			}
			taken, steps = ok, steps[1:]
		}
		if !taken {
			return fmt.Errorf("%q is not understood: a wire is [colour] [size] [length], as in \"RD/GY 4mm2 0.2m\"", word)
		}
	}
	return nil
}

func (w *Wire) takeParallel(word string) (bool, error) {
	m := parallelForm.FindStringSubmatch(word)
	if m == nil {
		return false, nil
	}
	n, err := strconv.Atoi(m[1])
	if err != nil || n < 1 || n > 20 {
		return false, fmt.Errorf("%q: between 1 and 20 wires lie side by side", word)
	}
	w.Parallel = n
	return true, nil
}

func (w *Wire) takeColour(word string) (bool, error) {
	if word[0] < 'A' || word[0] > 'Z' {
		return false, nil
	}
	ends := strings.Split(word, otherEnd)
	if len(ends) > 2 {
		return false, fmt.Errorf("%q: a wire has one colour, or two, one at each end, as in \"GN>BU\"", word)
	}
	for _, code := range strings.Split(strings.Join(ends, "/"), "/") {
		if !isColour(code) {
			return false, fmt.Errorf("%q is no colour of IEC 60757 (%s)", code, strings.Join(Colours, " "))
		}
	}
	w.Colour = word
	return true, nil
}

// otherEnd stands between the colours of a wire that has another one at its other end: GN>BU is green where the wire is
// written from, blue where it goes to.
const otherEnd = ">"

// ColourAt is the wire's colour as seen at one of its pins.
func (w *Wire) ColourAt(pin Pin) string {
	from, to, two := strings.Cut(w.Colour, otherEnd)
	if two && pin == w.To {
		return to
	}
	return from
}

func isColour(code string) bool {
	for _, c := range Colours {
		if c == code {
			return true
		}
	}
	return false
}

func (w *Wire) takeSize(word string) (bool, error) {
	m := sizeForm.FindStringSubmatch(word)
	if m == nil {
		return false, nil
	}
	f, err := units.Figure(m[1])
	size := Size{Figure: f, AWG: m[2] == "AWG"}
	if err != nil || !(size.SquareMM() >= 0.01 && size.SquareMM() <= 500) {
		return false, fmt.Errorf("%q: a size lies between 0.01 and 500 mm²", word)
	}
	w.Size = size
	return true, nil
}

func (w *Wire) takeLength(word string) (bool, error) {
	m := lengthForm.FindStringSubmatch(word)
	if m == nil {
		return false, nil
	}
	f, err := units.Figure(m[1])
	length := Length{Figure: f, Feet: m[2] == "ft"}
	if err != nil || !(length.Metres() >= 0.001 && length.Metres() <= 200) {
		return false, fmt.Errorf("%q: a length lies between 1 mm and 200 m", word)
	}
	w.Length = length
	return true, nil
}
