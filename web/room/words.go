package room

import (
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"html/template"
	"math"
	"net/url"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"
)

// funcs are what templates call: how figures, times and chances are written on every page.
func funcs(files *Static) template.FuncMap {
	return template.FuncMap{
		"static":  files.URL,
		"percent": percent,
		"clock":   func(t time.Time) string { return t.Format("15:04") },
		"day":     func(t time.Time) string { return t.Format("2 Jan 2006") },
		"minutes": minutes,
		"width":   func(p float64) int { return int(math.Round(100 * math.Max(0, math.Min(1, p)))) },
		"join":    strings.Join,
		"few":     few,

		"initials": initials,
		"add":      func(a, b int) int { return a + b },
		"less":     func(a, b float64) float64 { return a - b },
		"one":      func(v float64) string { return fmt.Sprintf("%.1f", v) },
		"fine":     func(p float64) string { return fmt.Sprintf("%.1f %%", 100*p) },
		"money":    func(v float64) string { return fmt.Sprintf("%.0f", v) },
		"share":    share,
		"times":    timesWords,
		"token":    NewToken,
		"clicks":   func() []string { return []string{"click", "nothing"} },
		"head":     func(title, under, back, to string) heading { return heading{title, under, back, to} },
		"circuit":  circuitTabs,
		"pair":     func(a, b any) struct{ A, B any } { return struct{ A, B any }{a, b} },
	}
}

// heading is what stands at the top of a page: its title, a line under it, and where the way back leads.
type heading struct{ Title, Under, Back, To string }

// tab is one of the pages that belong together.
type tab struct {
	Label, URL string
	On         bool
}

// circuitTabs are the pages of one circuit, the one shown marked.
func circuitTabs(name, on string) []tab {
	list := []tab{{Label: "Sheet"}, {Label: "Sockets", URL: "/boxes"}, {Label: "Control", URL: "/logic"}, {Label: "Pin check", URL: "/pins"},
		{Label: "Start", URL: "/start"}, {Label: "Study", URL: "/study"}, {Label: "Edit", URL: "/edit"}}
	for i := range list {
		list[i].On = list[i].Label == on
		list[i].URL = "/harnesses/" + url.PathEscape(name) + list[i].URL
	}
	return list
}

// share is a part of a whole, between nought and one.
func share(done, of int) float64 {
	return math.Max(0, math.Min(1, float64(done)/math.Max(1, float64(of))))
}

// initials are the first letters of a name's first two words.
func initials(name string) string {
	var b strings.Builder
	for k, word := range strings.Fields(name) {
		if k < 2 {
			first, _ := utf8.DecodeRuneInString(word)
			b.WriteRune(unicode.ToUpper(first))
		}
	}
	return b.String()
}

// few lists the first of a list; how many more there are stands behind them.
func few(list []string) string {
	const shown = 6
	if len(list) <= shown+1 {
		return strings.Join(list, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(list[:shown], ", "), len(list)-shown)
}

// NewToken names one form of one page, so that it is taken once however often it is sent.
func NewToken() (string, error) {
	b := make([]byte, 16)
	if _, err := rand.Read(b); err != nil {
		return "", fmt.Errorf("room: a form's token: %w", err)
	}
	return hex.EncodeToString(b), nil
}

// timesWords says by how much a reading changed the odds.
func timesWords(t float64) string {
	switch {
	case t > 1e3:
		return "for it, more than 1000 times"
	case t >= 1.15:
		return fmt.Sprintf("for it, %.2g times", t)
	case t > 1/1.15:
		return "says little"
	case t >= 1e-3:
		return fmt.Sprintf("against it, %.2g times", 1/t)
	}
	return "against it, more than 1000 times"
}

func percent(p float64) string {
	switch {
	case p > 0 && p < 0.01:
		return "<1 %"
	case p > 0.99 && p < 1:
		return ">99 %"
	}
	return fmt.Sprintf("%.0f %%", 100*p)
}

func minutes(m float64) string {
	if m < 1 {
		return "under 1 min"
	}
	return fmt.Sprintf("%.0f min", m)
}
