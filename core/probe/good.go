package probe

import (
	"fmt"
	"math"
	"strings"
)

// Good is what a car with nothing wrong shows in a test, as it was when an answer was taken: a figure
// in the test's own unit, a word, or what each fan does. The zero Good says nothing.
type Good struct {
	Volts  *Reading          `json:"volts,omitempty"`
	Amps   *Reading          `json:"amps,omitempty"`
	Ohms   *Reading          `json:"ohms,omitempty"`
	Floats bool              `json:"floats,omitempty"` // the pin hangs on nothing: a display wanders about zero
	Word   string            `json:"word,omitempty"`
	Fans   map[string]string `json:"fans,omitempty"`
}

// Given tells whether it says anything.
func (g *Good) Given() bool {
	return g != nil && (g.Volts != nil || g.Amps != nil || g.Ohms != nil || g.Floats || g.Word != "" || g.Fans != nil)
}

// String words it for people.
func (g *Good) String() string {
	switch {
	case g == nil:
		return ""
	case g.Floats:
		return "nothing (floating)"
	case g.Volts != nil:
		return FormatVolts(g.Volts.Figure)
	case g.Amps != nil:
		return FormatAmps(g.Amps.Figure)
	case g.Ohms != nil && g.Ohms.Open:
		return FormatOhms(math.Inf(1))
	case g.Ohms != nil:
		return FormatOhms(g.Ohms.Figure)
	case g.Fans != nil:
		o := Observation{Fans: g.Fans}
		return o.FansWords()
	case g.Word == codeWords[0]:
		return noCodes
	}
	return g.Word
}

// FormatOhms spells a resistance as a meter does.
func FormatOhms(v float64) string {
	switch {
	case v > 3e7 || math.IsInf(v, 1) || math.IsNaN(v):
		return "open"
	case v >= 1e6:
		return fmt.Sprintf("%.1f MΩ", v/1e6)
	case v >= 1e3:
		return fmt.Sprintf("%.1f kΩ", v/1e3)
	case v >= 10:
		return fmt.Sprintf("%.0f Ω", v)
	}
	v = math.Max(0, math.Round(v*1e3)/1e3) // so that a figure at a tie falls one way only
	if v < 1 {
		return strings.TrimSuffix(fmt.Sprintf("%.2f", v), "0") + " Ω" // a resistor of 0.35 Ω is not one of 0.3
	}
	return fmt.Sprintf("%.1f Ω", v)
}

// FormatVolts spells a figure as a meter does.
func FormatVolts(v float64) string { return oneDigit(v) + " V" }

// FormatAmps spells a current as a clamp does.
func FormatAmps(v float64) string { return oneDigit(v) + " A" }

// oneDigit spells a figure with one digit behind the point. Nought has no sign.
func oneDigit(v float64) string { return strings.Replace(fmt.Sprintf("%.1f", v), "-0.0", "0.0", 1) }
