package probe

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/harness"
	"ironthread/core/units"
)

// Reading is a meter's figure; Open is a display that shows no figure ("OL").
type Reading struct {
	Figure float64
	Open   bool
}

func (r Reading) String() string {
	if r.Open {
		return "OL"
	}
	return strconv.FormatFloat(r.Figure, 'f', -1, 64)
}

// with is the reading with its unit behind a figure.
func (r *Reading) with(unit string) string {
	if r == nil || r.Open {
		return Reading{Open: true}.String()
	}
	return r.String() + " " + unit
}

// orElse is the figure, or what a display without one stands for.
func (r *Reading) orElse(open float64) float64 {
	if r.Open {
		return open
	}
	return r.Figure
}

// shown is what a display shows of a figure, to two places; where it has none, it is open.
func (u *Unit) shown(v float64, figure bool) Figure {
	if !figure {
		return u.ShowsNone()
	}
	return u.Shows(math.Round(100*v) / 100)
}

// Meter turns what floats into what a display shows, within the meter's range.
func Meter(v float64) float64 {
	if math.IsNaN(v) {
		return 0
	}
	return math.Max(-MaxVolts, math.Min(MaxVolts, v))
}

// MarshalJSON writes the figure, or "OL".
func (r Reading) MarshalJSON() ([]byte, error) {
	if r.Open {
		return []byte(`"OL"`), nil
	}
	return json.Marshal(r.Figure)
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (r *Reading) UnmarshalJSON(b []byte) error {
	var s string
	if json.Unmarshal(b, &s) == nil && (s == "OL" || s == "open") {
		*r = Reading{Open: true}
		return nil
	}
	*r = Reading{}
	return json.Unmarshal(b, &r.Figure)
}

// MaxVolts is the largest figure that a fan circuit's meter can honestly show.
const MaxVolts = 60

// Unit is what a meter is set to.
type Unit struct {
	Name    string  // as it is written behind a figure
	Word    string  // and in a file before it
	Most    float64 // the largest figure it can honestly show here
	Example string
	names   []string // as people write it, in small letters
	spell   func(v float64) string
	// Two figures are roughly the same that are nearer than this, or than this share of what was expected.
	near, nearShare float64
	word            func(v float64) string // the step in which figures are compared, where they are too coarse to be compared as such
}

// The meter's three ranges.
var (
	InVolts = Unit{Name: "V", Word: "volts", Most: MaxVolts, Example: "12.3, 12,3, 250 mV or OL",
		names: []string{"volts", "volt", "vdc", "v"}, spell: FormatVolts, near: 1}
	InAmps = Unit{Name: "A", Word: "amps", Most: 1000, Example: "14.6, 14,6 or 350 mA", names: []string{"amps", "amp", "a"},
		spell: FormatAmps, near: 1}
	InOhms = Unit{Name: "Ω", Word: "ohms", Most: 1e8, Example: "0.4, 85, 2.2k, 2k2, 4R7, 2.2M or OL",
		names: []string{"ohms", "ohm", "ω", "r"}, spell: FormatOhms, near: 0.3, nearShare: 1.0 / 3}
)

// unitNamed is the unit that is written so in a file; nil where there is none.
func unitNamed(word string) *Unit {
	for _, k := range kinds {
		if figured, ok := k.(Figured); ok && figured.Unit().Word == word {
			return figured.Unit()
		}
	}
	return nil
}

// prefixes of a unit. Their case counts: m is a thousandth, M a million; only k is written both
// ways.
var prefixes = map[string]float64{"": 1, "µ": 1e-6, "u": 1e-6, "m": 1e-3, "k": 1e3, "K": 1e3, "M": 1e6, "meg": 1e6, "Meg": 1e6, "MEG": 1e6}

// inside is a letter that stands where the decimal point would: 2k2, 4R7, 1M5.
var inside = map[byte]float64{'R': 1, 'r': 1, 'k': 1e3, 'K': 1e3, 'M': 1e6}

var overload = []string{"ol", "o.l", "o.l.", "0l", "0.l", "open", "∞"}

// Parse reads a reading as people type it: "12.3", "12,3", "12.3 V", "250 mV", "2k2", "OL".
func (u Unit) Parse(s string) (Reading, error) {
	text := strings.TrimSpace(s)
	bare := strings.NewReplacer(" ", "", "\u00a0", "", "\u2126", "Ω", "\u03bc", "µ", "−", "-").Replace(text)
	if slices.Contains(overload, strings.ToLower(bare)) {
		return Reading{Open: true}, nil
	}
	figure, fold, ok := u.split(bare)
	v, err := units.Figure(figure)
	shown := harness.Clipped(text, 40)
	switch {
	case text == "":
		return Reading{}, fmt.Errorf("type what the meter shows, as in %s", u.Example)
	case !ok || err != nil:
		return Reading{}, fmt.Errorf("%q is not a reading in %s; type it as %s", shown, u.Word, u.Example)
	case math.Abs(v*fold) > u.Most:
		return Reading{}, fmt.Errorf("%q is more than %g %s; look at the meter's range", shown, u.Most, u.Name)
	}
	return Reading{Figure: v * fold}, nil
}

// split parts a reading into its figure and what its prefix multiplies it by.
func (u Unit) split(bare string) (figure string, fold float64, ok bool) {
	end := strings.LastIndexAny(bare, "0123456789.,") + 1
	figure, unit := bare[:end], bare[end:]
	for _, name := range append([]string{""}, u.names...) {
		if !strings.HasSuffix(strings.ToLower(unit), name) {
			continue
		}
		if f, known := prefixes[unit[:len(unit)-len(name)]]; known {
			fold, ok = f, true
		}
	}
	if u.Name != InOhms.Name || !ok {
		return figure, fold, ok
	}
	for letter, f := range inside { // the letter in the place of the point
		whole, rest, found := strings.Cut(figure, string(letter))
		if found && fold == 1 && whole != "" && rest != "" && strings.Trim(whole+rest, "0123456789") == "" {
			return whole + "." + rest, f, true
		}
	}
	return figure, fold, ok
}

// Fits tells whether a reading is one that a meter can show on this range.
func (u Unit) Fits(r Reading) bool {
	return r.Open || !math.IsNaN(r.Figure) && math.Abs(r.Figure) <= u.Most
}

// Fineness is how finely a figure is read: the meter's own spread, the width of the bins in which answers
// are gathered, and where the bins begin.
type Fineness struct{ Spread, Bin, Lowest float64 }

// Softness of what a meter shows: the instrument, the contact of the probe, and what the cars' tolerances
// do not cover. Spread and bins are in volts, amps, or decades of ohms.
var (
	VoltsFine = Fineness{Spread: 0.25, Bin: 0.25, Lowest: -2}
	dropFine  = Fineness{Spread: 0.08, Bin: 0.1, Lowest: -2} // on a fine range between two near points
	clampFine = Fineness{Spread: 0.7, Bin: 0.75, Lowest: -3}
	ohmsFine  = Fineness{Spread: 0.08, Bin: 0.1, Lowest: -2}
)
