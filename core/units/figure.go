package units

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// plainFigure is a figure as people write one: with a point or a comma, with an exponent at the most. No 0x1F, no 1_000, no
// 0777, which some programs take for other figures than people do.
var plainFigure = regexp.MustCompile(`^[+-]?(?:0|[1-9]\d*)?(?:[.,]\d*)?(?:[eE][+-]?\d{1,3})?$`)

// Figure is the one reader of figures that somebody types, in a form, a file or on the command line: what is no figure, not
// finite, or spelled in a way that can be taken for another figure is refused. The error names the text.
func Figure(text string) (float64, error) {
	bare := strings.Replace(strings.TrimSpace(text), "−", "-", 1)
	if !plainFigure.MatchString(bare) || !strings.ContainsAny(bare, "0123456789") {
		return 0, fmt.Errorf("%q is not a figure", clip(text))
	}
	v, err := strconv.ParseFloat(strings.Replace(bare, ",", ".", 1), 64)
	if err != nil || math.IsInf(v, 0) || math.IsNaN(v) {
		return 0, fmt.Errorf("%q is not a figure", clip(text))
	}
	return v, nil
}
