package probe

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
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
		return fmt.Sprintf("%.1f A", g.Amps.Figure)
	case g.Ohms != nil && g.Ohms.Open:
		return FormatOhms(math.Inf(1))
	case g.Ohms != nil:
		return FormatOhms(g.Ohms.Figure)
	case g.Fans != nil:
		o := Observation{Fans: g.Fans}
		return o.FansWords()
	case g.Word == Words[Codes][0]:
		return "no codes"
	}
	return g.Word
}

// Agrees tells roughly whether an answer is as it should be: the same words, or within a volt, an
// amp, or a third of the ohms.
func (g *Good) Agrees(o *Observation) bool {
	r := o.Reading()
	switch {
	case o.Unreachable || !g.Given():
		return true
	case g.Fans != nil:
		return o.Fans != nil && sameFans(g.Fans, o.Fans)
	case g.Word != "":
		return o.Word() == g.Word
	case r == nil:
		return true
	case g.Floats:
		return r.Open || math.Abs(r.Figure) < 1
	case g.Ohms != nil && o.Ohms != nil:
		return g.Ohms.Open == r.Open && (r.Open || math.Abs(r.Figure-g.Ohms.Figure) < max(0.3, g.Ohms.Figure/3))
	case r.Open:
		return false
	case g.Volts != nil && o.Volts != nil:
		return math.Abs(r.Figure-g.Volts.Figure) < 1
	case g.Amps != nil && o.Amps != nil:
		return math.Abs(r.Figure-g.Amps.Figure) < 1
	}
	return false
}

// sameFans holds what was seen of some fans against what each should do; an ear cannot tell slow
// from fast.
func sameFans(should, seen map[string]string) bool {
	for fan, word := range seen {
		running := word == Running && slices.Contains([]string{string(electric.Slow), string(electric.Fast)}, should[fan])
		if should[fan] != word && !running {
			return false
		}
	}
	return true
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
	return fmt.Sprintf("%.1f Ω", math.Max(0, v))
}

// FormatVolts spells a figure as a meter does.
func FormatVolts(v float64) string {
	return strings.Replace(fmt.Sprintf("%.1f V", v), "-0.0", "0.0", 1)
}
