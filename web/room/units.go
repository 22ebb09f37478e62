package room

import (
	"bytes"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"
	"golang.org/x/net/html"

	"ironthread/core/units"
)

// Units are a setting of the person, kept on the device like the tools. Every page is written in °C, bar, metres and mm²,
// as everything is kept; whoever reads in other units gets the page's texts with the figures in theirs. What is typed
// (fields, the text of a harness) stays as it was typed.

const unitsCookie = "units"

// The words of the setting, one for each quantity that is not as it is kept.
const (
	inFahrenheit = "F"
	inPSI        = "psi"
	inFeet       = "ft"
	inAWG        = "AWG"
)

// UnitsOf is what the person of a request reads in.
func UnitsOf(c *gin.Context) units.System {
	value, _ := c.Cookie(unitsCookie) // absent: as everything is kept
	has := func(word string) bool { return slices.Contains(strings.Split(value, "-"), word) }
	return units.System{Fahrenheit: has(inFahrenheit), PSI: has(inPSI), Feet: has(inFeet), AWG: has(inAWG)}
}

// UnitChoice is one quantity of the setting, with the two units that it can be read in.
type UnitChoice struct {
	Name, Label  string
	Plain, Other string
	IsOther      bool
}

// UnitChoices lists the setting as a form asks it.
func UnitChoices(s units.System) []UnitChoice {
	return []UnitChoice{
		{"temperature", "Temperature", "°C", inFahrenheit, s.Fahrenheit}, {"pressure", "Pressure", "bar", inPSI, s.PSI},
		{"length", "Length", "m", inFeet, s.Feet}, {"wire", "Wire", "mm²", inAWG, s.AWG},
	}
}

// KeepUnits keeps what the person at this browser reads in, from the form of [UnitChoices].
func KeepUnits(c *gin.Context) {
	var words []string
	for _, choice := range UnitChoices(units.System{}) {
		if c.PostForm("unit-"+choice.Name) == choice.Other {
			words = append(words, choice.Other)
		}
	}
	Keep(c, unitsCookie, strings.Join(words, "-"))
}

// inUnits rewrites the texts of a page in a person's units; fields, scripts and styles stay.
func inUnits(page []byte, s units.System) []byte {
	if s.Metric() {
		return page
	}
	var out bytes.Buffer
	z := html.NewTokenizer(bytes.NewReader(page))
	verbatim := "" // the element whose text stays
	for {
		kind := z.Next()
		if kind == html.ErrorToken {
			return out.Bytes()
		}
		raw := append([]byte(nil), z.Raw()...)
		switch kind {
		case html.StartTagToken:
			if name, _ := z.TagName(); verbatim == "" && staysAsTyped(string(name)) {
				verbatim = string(name)
			}
		case html.EndTagToken:
			if name, _ := z.TagName(); string(name) == verbatim {
				verbatim = ""
			}
		case html.TextToken:
			if verbatim == "" {
				raw = []byte(s.Words(string(raw)))
			}
		}
		out.Write(raw)
	}
}

func staysAsTyped(element string) bool {
	return element == "textarea" || element == "script" || element == "style" || element == "datalist" || element == "option"
}
