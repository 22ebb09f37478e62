package sheet

import "strings"

// textWidth estimates a text's width in pixels in Atkinson Hyperlegible Next, on the wide
// side, so that what is kept clear is enough. Bold is about an eighth wider.
func textWidth(s string, size float64, bold bool) float64 {
	width := 0.0
	for _, r := range s {
		switch {
		case strings.ContainsRune("iljt.,:;|'/ 1", r):
			width += 0.36
		case strings.ContainsRune("MWm%@", r):
			width += 0.90
		case r >= 'A' && r <= 'Z':
			width += 0.68
		default:
			width += 0.58
		}
	}
	if bold {
		width *= 1.12
	}
	return width * size
}

// monoWidth is the width in Atkinson Hyperlegible Mono at the size of pin numbers and colours;
// there every character is as wide.
func monoWidth(s string) float64 { return 0.63 * pinSize * float64(len([]rune(s))) }
