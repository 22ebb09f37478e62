package worked

import (
	"ironthread/core/electric"
	"ironthread/core/probe"
)

// Expected words every pin's volts for its label.
func Expected(point *electric.Point) map[string]string {
	words := map[string]string{}
	for pin, v := range point.Pins {
		words[pin] = "nothing, it floats"
		if v != nil {
			words[pin] = probe.FormatVolts(*v)
		}
	}
	return words
}
