package probe

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"
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

// Unit is what a meter is set to.
type Unit struct {
	Name    string // as it is written behind a figure
	Word    string
	Most    float64 // the largest figure it can honestly show here
	Example string
	scales  []scale
}

type scale struct {
	name string
	fold float64
}

// Units of readings. MaxVolts is the largest figure a fan circuit's meter can honestly show.
const MaxVolts = 60

// The meter's three ranges.
var (
	InVolts = Unit{"V", "volts", MaxVolts, "12.3, 12,3, 250 mV or OL", []scale{{"mv", 1e-3}, {"volts", 1}, {"volt", 1}, {"vdc", 1}, {"v", 1}}}
	InAmps  = Unit{"A", "amps", 1000, "14.6, 14,6 or 350 mA", []scale{{"ma", 1e-3}, {"amps", 1}, {"amp", 1}, {"a", 1}}}
	InOhms  = Unit{"Ω", "ohms", 1e8, "0.4, 85, 2.2k or OL", []scale{
		{"mω", 1e-3}, {"kω", 1e3}, {"kohms", 1e3}, {"kohm", 1e3}, {"ohms", 1}, {"ohm", 1}, {"ω", 1}, {"k", 1e3},
	}}
)

// Parse reads a reading as people type it: "12.3", "12,3", "12.3 V", "250 mV", "OL".
func (u Unit) Parse(s string) (Reading, error) {
	text := strings.TrimSpace(s)
	bare := strings.ToLower(strings.ReplaceAll(text, " ", ""))
	if bare == "ol" || bare == "o.l" || bare == "open" {
		return Reading{Open: true}, nil
	}
	if u.Name == InOhms.Name {
		bare = strings.ReplaceAll(bare, "\u2126", "ω") // the ohm sign is not the letter
	}
	fold := 1.0
	for _, unit := range u.scales {
		if cut, ok := strings.CutSuffix(bare, unit.name); ok {
			bare, fold = cut, unit.fold
			break
		}
	}
	bare = strings.Replace(bare, "−", "-", 1)
	if strings.Count(bare, ",") == 1 && !strings.Contains(bare, ".") {
		bare = strings.Replace(bare, ",", ".", 1)
	}
	v, err := strconv.ParseFloat(bare, 64)
	switch {
	case text == "":
		return Reading{}, fmt.Errorf("type what the meter shows, as in %s", u.Example)
	case err != nil || math.IsNaN(v) || math.IsInf(v, 0):
		return Reading{}, fmt.Errorf("%q is not a reading in %s; type it as %s", text, u.Word, u.Example)
	case math.Abs(v*fold) > u.Most:
		return Reading{}, fmt.Errorf("%q is more than %g %s; look at the meter's range", text, u.Most, u.Name)
	}
	return Reading{Figure: v * fold}, nil
}

// ParseVolts reads a voltmeter.
func ParseVolts(s string) (Reading, error) { return InVolts.Parse(s) }
