package units

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What people type is read, what they cannot mean is refused.
func TestFigure(t *testing.T) {
	for text, want := range map[string]float64{"12": 12, "12,5": 12.5, "-0.4": -0.4, "−3": -3, ".5": 0.5, "1e3": 1000, "+7": 7, "0": 0,
		"0.35": 0.35, "12.": 12} {
		got, err := Figure(" " + text + " ")
		assert.NoError(t, err, text)
		assert.InDelta(t, want, got, 1e-12, text)
	}
	for _, text := range []string{"", " ", "NaN", "nan", "Inf", "-inf", "+Inf", "infinity", "1e999", "0x1p4", "0777", "1_000", "1,2,3",
		"1.2.3",
		"12 V", "e5", "--1", ".", "١٢"} {
		_, err := Figure(text)
		assert.ErrorContains(t, err, "is not a figure", "%q", text)
	}
}
