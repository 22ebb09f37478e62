package drawing

import (
	"fmt"
	"html"
	"html/template"
	"reflect"
	"strings"
)

// Picture is an <svg> element, ready to stand on a page: every text in it has been escaped by the pen that
// wrote it.
type Picture = template.HTML

// pen writes SVG. It is the one place where a text becomes part of a page's markup: whatever string a format
// takes is escaped here, so that a part's name with a bracket in it is a name and no element.
type pen struct {
	b    strings.Builder
	mute bool // its texts are for the eye: the page says the same in words beside it
}

// f writes markup; texts among the arguments are escaped.
func (p *pen) f(format string, args ...any) {
	for i, arg := range args {
		if v := reflect.ValueOf(arg); v.Kind() == reflect.String {
			args[i] = html.EscapeString(v.String())
		}
	}
	if p.mute {
		format = strings.ReplaceAll(format, "<text ", `<text aria-hidden="true" `)
	}
	fmt.Fprintf(&p.b, format, args...)
}

// picture gives what has been written.
func (p *pen) picture() Picture { return Picture(p.b.String()) }
