package drawing

import (
	_ "embed"
	"html"
	"strings"

	"ironthread/core/sheet"
)

// CSS is the style sheet of the drawing.
//
//go:embed sheet.css
var CSS string

// Standalone is the drawing as a file of its own, with the style it needs inside.
func Standalone(s *sheet.Sheet, look *Look) string {
	head, rest, _ := strings.Cut(string(Sheet(s, look)), "</title>")
	return head + "</title><style>" + html.EscapeString(CSS) + "</style>" + rest
}
