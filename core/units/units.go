// Package units reads and writes temperatures, pressures, lengths and wire sizes in the units that people use.
//
// In go a figure as somebody types it ("185 F", "250 psi", "12 AWG", "4 ft") or a figure in SI, out comes the other. The
// one idea: inside, everything is °C, bar, metres and mm²; only what is read and what is shown has other units.
package units

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// System is what one person reads in; the zero System is °C, bar, metres and mm².
type System struct {
	Fahrenheit, PSI, Feet, AWG bool
}

// Metric tells whether everything is shown as it is kept.
func (s System) Metric() bool { return s == System{} }

// Definitions: 1 ft = 0.3048 m and 1 psi = 0.0689475729 bar (international yard and pound of 1959); °F from the ice
// and steam points; a gauge's wire is 0.127 mm · 92^((36−n)/39) thick (ASTM B258).
const (
	metresPerFoot = 0.3048
	barPerPSI     = 0.0689475729
)

// quantity is one of the four, with the words that may follow its figure.
type quantity struct {
	name  string
	units map[string]func(float64) float64 // by the word that follows, in small letters without spaces; "" for none
}

func same(v float64) float64 { return v }

var (
	temperature = quantity{"temperature", map[string]func(float64) float64{
		"": same, "c": same, "°c": same, "f": fromFahrenheit, "°f": fromFahrenheit,
	}}
	pressure = quantity{"pressure", map[string]func(float64) float64{
		"": same, "bar": same, "psi": func(v float64) float64 { return v * barPerPSI },
		"kpa": func(v float64) float64 { return v / 100 }, "mpa": func(v float64) float64 { return v * 10 },
	}}
	length = quantity{"length", map[string]func(float64) float64{
		"": same, "m": same, "ft": feet, "feet": feet, "'": feet,
		"cm": func(v float64) float64 { return v / 100 }, "mm": func(v float64) float64 { return v / 1000 },
		"in": func(v float64) float64 { return v / 12 * metresPerFoot },
	}}
	area = quantity{"wire size", map[string]func(float64) float64{
		"": same, "mm²": same, "mm2": same, "awg": FromAWG,
	}}
)

func fromFahrenheit(v float64) float64 { return (v - 32) * 5 / 9 }
func feet(v float64) float64           { return v * metresPerFoot }

var figure = regexp.MustCompile(`^\s*(awg)?\s*([-+−]?\d+(?:[.,]\d+)?)\s*([^\d\s]*[2²]?)\s*$`)

// read reads a figure with the unit behind it.
func (q quantity) read(text string) (float64, error) {
	m := figure.FindStringSubmatch(strings.ToLower(text))
	if m == nil {
		return 0, fmt.Errorf("%q is no %s", clip(text), q.name)
	}
	v, err := strconv.ParseFloat(strings.NewReplacer(",", ".", "−", "-").Replace(m[2]), 64)
	in := q.units[m[1]+m[3]]
	if err != nil || in == nil {
		return 0, fmt.Errorf("%q is no %s", clip(text), q.name)
	}
	return math.Round(in(v)*1e6) / 1e6, nil
}

func clip(s string) string {
	if len(s) > 30 {
		return strings.ToValidUTF8(s[:30], "") + "…"
	}
	return s
}

// Celsius reads a temperature: "85", "85 °C", "185 F". The result is in °C.
func Celsius(text string) (float64, error) { return temperature.read(text) }

// Bar reads a pressure: "17", "17 bar", "250 psi", "1700 kPa". The result is in bar.
func Bar(text string) (float64, error) { return pressure.read(text) }

// Metres reads a length: "1.2 m", "4 ft". The result is in metres.
func Metres(text string) (float64, error) { return length.read(text) }

// SquareMillimetres reads a wire size: "2.5 mm²", "14 AWG". The result is in mm².
func SquareMillimetres(text string) (float64, error) { return area.read(text) }

// bare is a figure with no unit behind it.
var bare = regexp.MustCompile(`^\s*[-+−]?\d+(?:[.,]\d+)?\s*$`)

// Celsius reads a temperature as the person types it: a figure alone is in their own unit. The result is in °C.
func (s System) Celsius(text string) (float64, error) {
	if s.Fahrenheit && bare.MatchString(text) {
		text += "F"
	}
	return Celsius(text)
}

// Bar reads a pressure as the person types it: a figure alone is in their own unit. The result is in bar.
func (s System) Bar(text string) (float64, error) {
	if s.PSI && bare.MatchString(text) {
		text += "psi"
	}
	return Bar(text)
}

// FromAWG is the copper of a gauge in mm² (ASTM B258). Gauges 1/0 to 4/0 are 0 to −3.
func FromAWG(gauge float64) float64 {
	d := 0.127 * math.Pow(92, (36-gauge)/39)
	return math.Pi / 4 * d * d
}

// ToAWG is the gauge nearest to an area in mm², as it is called.
func ToAWG(mm2 float64) string {
	gauge := math.Round(36 - 39*math.Log(math.Sqrt(mm2*4/math.Pi)/0.127)/math.Log(92))
	if gauge <= 0 {
		return fmt.Sprintf("%.0f/0 AWG", 1-gauge)
	}
	return fmt.Sprintf("%.0f AWG", gauge)
}

// shown finds the figures in a text that a person may read in other units.
var shown = regexp.MustCompile(oneOrTwo + `(°C|bar|m)\b|` + oneOrTwo + `(mm²)`)

// oneOrTwo is a figure, or one "to" another.
const oneOrTwo = `([-−]?\d+(?:\.\d+)?)( to ([-−]?\d+(?:\.\d+)?))? ?`

// Words rewrites the figures of a text in °C, bar, m and mm² as the person reads them; other text stays as it is.
func (s System) Words(text string) string {
	if s.Metric() {
		return text
	}
	return shown.ReplaceAllStringFunc(text, func(found string) string {
		m := shown.FindStringSubmatch(found)
		first, last, unit := m[1], m[3], m[4]
		if unit == "" {
			first, last, unit = m[5], m[7], m[8]
		}
		one, called := s.as(first, unit)
		if called == "" {
			return found
		}
		if last != "" {
			other, _ := s.as(last, unit)
			one += " to " + other
		}
		return one + called
	})
}

// as is one figure in the person's own unit, and that unit's name with a space before it; empty where it is the same.
func (s System) as(figure, unit string) (words, called string) {
	v, err := strconv.ParseFloat(strings.Replace(figure, "−", "-", 1), 64)
	switch {
	case err != nil:
	case unit == "°C" && s.Fahrenheit:
		return fmt.Sprintf("%.0f", v*9/5+32), " °F"
	case unit == "bar" && s.PSI:
		return fmt.Sprintf("%.0f", v/barPerPSI), " psi"
	case unit == "m" && s.Feet:
		return strconv.FormatFloat(math.Round(v/metresPerFoot*10)/10, 'f', -1, 64), " ft"
	case unit == "mm²" && s.AWG && v > 0:
		gauge, _ := strings.CutSuffix(ToAWG(v), " AWG")
		return gauge, " AWG"
	}
	return "", ""
}
