// Package bench holds small worked sheets for the bench: one question each, with its answer, the formula behind every figure,
// and where the formula comes from.
//
// In go the figures that were typed, out come lines to read, cautions, and a picture: the circuit that was solved, or a
// curve. The one idea: what is a circuit is solved as one, by the same model as everything else; only what is no circuit has
// a formula of its own.
package bench

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/units"
)

// Sheet is one question.
type Sheet struct {
	Name, Title, About string
	Fields             []Field
	work               func(v Values) (*Result, error)
}

// Field is what a sheet asks for: a figure within bounds, a choice, or a text.
type Field struct {
	Key, Label, Unit, Usual string
	Least, Most             float64
	Choices                 []string
	Text                    bool
}

// Values are what was typed, by key; what is missing is the field's usual.
type Values struct {
	figures map[string]float64
	words   map[string]string
}

// Of is a figure.
func (v Values) Of(key string) float64 { return v.figures[key] }

// Word is a choice or a text.
func (v Values) Word(key string) string { return v.words[key] }

// Line is one answer, with its formula and where that comes from.
type Line struct{ Label, Value, Formula, Source string }

// Curve is a line over something, for a picture.
type Curve struct {
	Title, XUnit, Unit string
	X, Y               []float64
	At                 float64 // marked; NaN: nothing
	Mark               string
}

// Result is what a sheet comes to.
type Result struct {
	Lines    []Line
	Cautions []string
	Circuit  string // a harness file that was solved, and its state
	State    string
	Shares   map[string]float64 // of each motor's full speed
	Curve    *Curve
	Wish     map[string]string // what a wish takes from it: the fields of its form
}

func (r *Result) say(label, formula, source, format string, args ...any) {
	r.Lines = append(r.Lines, Line{label, fmt.Sprintf(format, args...), formula, source})
}

// Where figures come from.
const (
	solved   = "the circuit solved by this model"
	practice = "common practice"
	ohmsLaw  = "Ohm's law"
)

// Sheets lists them in the order in which a bench needs them.
var Sheets = []*Sheet{seriesSheet, droppingSheet, cardSheet, motorSheet, windingsSheet, relaySheet, pwmSheet, wireSheet, sensorSheet,
	fuseSheet, solidSheet, batterySheet}

// Find finds a sheet by its name; nil where there is none.
func Find(name string) *Sheet {
	for _, s := range Sheets {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// mostText bounds a field, characters.
const mostText = 200

// Work reads what was typed and answers. The error is a sentence that names the field.
func (s *Sheet) Work(typed func(key string) string) (*Result, error) {
	v := Values{map[string]float64{}, map[string]string{}}
	for _, f := range s.Fields {
		text := strings.TrimSpace(typed(f.Key))
		if text == "" {
			text = f.Usual
		}
		switch {
		case len(text) > mostText:
			return nil, fmt.Errorf("%s: at most %d characters", f.Label, mostText)
		case len(f.Choices) > 0:
			if !slices.Contains(f.Choices, text) {
				return nil, fmt.Errorf("%s: %q is none of %s", f.Label, harness.Clipped(text, 20), strings.Join(f.Choices, ", "))
			}
			v.words[f.Key] = text
		case f.Text:
			v.words[f.Key] = text
		case text == "":
			v.figures[f.Key] = math.NaN() // not known
		default:
			x, err := units.Figure(text)
			if err != nil || math.IsNaN(x) {
				return nil, fmt.Errorf("%s: %q is no figure", f.Label, harness.Clipped(text, 20))
			}
			if f.Key == "supply" && x > mostSupply {
				return nil, fmt.Errorf("%s: %g V: mains and high-voltage work belongs to licensed people and local codes, and this bench stops "+
					"there",
					f.Label, x)
			}
			if x < f.Least || x > f.Most {
				return nil, fmt.Errorf("%s: from %g to %g %s, not %g", f.Label, f.Least, f.Most, f.Unit, x)
			}
			v.figures[f.Key] = x
		}
	}
	return s.work(v)
}

// mostSupply is the highest supply that is a vehicle's, V.
const mostSupply = 60.0

// numbers reads a list such as "2.9, 1.6 0.7": decimal points only where commas part.
func numbers(text string) ([]float64, error) {
	var list []float64
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' || r == ' ' || r == '\n' || r == '\t' }) {
		x, err := units.Figure(strings.TrimSuffix(w, "Ω"))
		if err != nil || math.IsNaN(x) || x < 0 || x > 1e7 {
			return nil, fmt.Errorf("%q is no figure", harness.Clipped(w, 20))
		}
		list = append(list, x)
	}
	return list, nil
}

// solve reads a circuit of the bench and solves it switched on.
func solve(text string) (*electric.Point, error) {
	c, err := harness.Read([]byte(text))
	if err != nil {
		return nil, err
	}
	m, err := electric.New(c)
	if err != nil {
		return nil, err
	}
	return m.Solve(electric.Condition{State: c.State("on")})
}
