package probe

import (
	"fmt"
	"math"
	"strings"
)

// Good is what a car with nothing wrong shows in a test, as it was when an answer was taken. The zero Good says nothing.
type Good struct{ Answer }

// Given tells whether it says anything.
func (g *Good) Given() bool { return g != nil && g.Answer != nil }

// String words it for people.
func (g *Good) String() string {
	if !g.Given() {
		return ""
	}
	return g.spelled()
}

// Fans is what each fan does on a car with nothing wrong.
func (g *Good) Fans() Fans {
	fans, _ := g.Answer.(Fans)
	return fans
}

// GoodOf is what an answer says that was given by a car with nothing wrong.
func GoodOf(o *Observation) Good {
	if codes, ok := o.Answer.(Codes); ok {
		return Good{Word(codes.word())}
	}
	return Good{o.Answer}
}

// Agrees tells roughly whether an answer is as it should be: the same words, or near enough by its unit.
func (g *Good) Agrees(o *Observation) bool { return o.Unreachable() || !g.Given() || g.same(o.Answer) }

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
