package units_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/units"
)

func TestFiguresAsPeopleTypeThem(t *testing.T) {
	for text, want := range map[string]float64{"185 F": 85, "185°F": 85, "85": 85, "85,5 °C": 85.5, "-40 F": -40, "−40 C": -40} {
		v, err := units.Celsius(text)
		require.NoError(t, err, text)
		assert.InDelta(t, want, v, 1e-6, text)
	}
	for text, want := range map[string]float64{"17": 17, "250 psi": 17.2369, "1700 kPa": 17} {
		v, err := units.Bar(text)
		require.NoError(t, err, text)
		assert.InDelta(t, want, v, 1e-3, text)
	}
	for text, want := range map[string]float64{"4 ft": 1.2192, "1.2m": 1.2, "12 in": 0.3048} {
		v, err := units.Metres(text)
		require.NoError(t, err, text)
		assert.InDelta(t, want, v, 1e-6, text)
	}
	for _, bad := range []string{"", "F", "12 V", "hot", "1e9999", "85 85"} {
		_, err := units.Celsius(bad)
		assert.ErrorContains(t, err, "is no temperature", bad)
	}
}

// The copper wire tables (NBS Handbook 100, from ASTM B258's diameters): mm² of a gauge, from the table's circular mils
// (1 circular mil = 5.067e-4 mm²): AWG 10 10380, 12 6530, 14 4110, 16 2580, 18 1620.
func TestGauges(t *testing.T) {
	for gauge, mils := range map[float64]float64{10: 10380, 12: 6530, 14: 4110, 16: 2580, 18: 1620} {
		assert.InEpsilon(t, mils*5.067e-4, units.FromAWG(gauge), 0.003, "AWG %g", gauge)
	}
	for text, want := range map[string]string{"2.5 mm²": "13 AWG", "14 AWG": "14 AWG", "awg 12": "12 AWG", "107 mm2": "4/0 AWG"} {
		v, err := units.SquareMillimetres(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, units.ToAWG(v), text)
	}
}

func TestWords(t *testing.T) {
	all := units.System{Fahrenheit: true, PSI: true, Feet: true, AWG: true}
	assert.Equal(t, "from 203 °F, at 247 psi, 3.9 ft of 11 AWG", all.Words("from 95 °C, at 17 bar, 1.2 m of 4 mm²"))
	assert.Equal(t, "196 to 210 °F", all.Words("91 to 99 °C"))
	assert.Equal(t, "12.6 V at M1.+, 5 min", all.Words("12.6 V at M1.+, 5 min"), "other figures stay")
	assert.Equal(t, "95 °C", units.System{}.Words("95 °C"))
}
