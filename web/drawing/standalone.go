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
func Standalone(s *sheet.Sheet, look *Look) (string, error) {
	var b strings.Builder
	if err := Write(&b, s, look); err != nil {
		return "", err
	}
	head, rest, _ := strings.Cut(b.String(), "</title>")
	return head + "</title><style>" + html.EscapeString(CSS) + "</style>" + rest, nil
}
