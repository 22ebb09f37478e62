package bench_test

import (
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/bench"
	"ironthread/core/harness"
	"ironthread/library/librarytest"
)

func work(t *testing.T, sheet string, typed map[string]string) *bench.Result {
	t.Helper()
	s := bench.Find(sheet)
	require.NotNil(t, s, sheet)
	r, err := s.Work(func(key string) string { return typed[key] })
	require.NoError(t, err, sheet)
	return r
}

func line(t *testing.T, r *bench.Result, label string) string {
	t.Helper()
	for _, l := range r.Lines {
		if strings.HasPrefix(l.Label, label) {
			return l.Value
		}
	}
	t.Fatalf("no line %q among %v", label, r.Lines)
	return ""
}

var figure = regexp.MustCompile(`-?\d+(\.\d+)?`)

// figures are all figures of a line.
func figures(t *testing.T, r *bench.Result, label string) []float64 {
	t.Helper()
	var list []float64
	for _, text := range figure.FindAllString(line(t, r, label), -1) {
		x, err := strconv.ParseFloat(text, 64)
		require.NoError(t, err)
		list = append(list, x)
	}
	return list
}

// Every sheet answers with the answers that are filled in, says where each figure comes from, and no answer is a broken figure.
func TestEverySheetAnswers(t *testing.T) {
	for _, s := range bench.Sheets {
		r := work(t, s.Name, nil)
		require.NotEmpty(t, r.Lines, s.Name)
		assert.True(t,
			r.Circuit != "" || r.Curve != nil,
			"%s has a picture", s.Name)
		for _, l := range r.Lines {
			assert.NotRegexp(t, `NaN|Inf|%!`, l.Value, "%s: %s", s.Name, l.Label)
			assert.NotEmpty(t, l.Label+l.Source, s.Name)
		}
		if r.Circuit != "" {
			c, err := harness.Read([]byte(r.Circuit))
			require.NoError(t, err, s.Name)
			require.NotNil(t, c.State(r.State), s.Name)
		}
		if c := r.Curve; c != nil {
			require.Len(t, c.Y, len(c.X), s.Name)
			for _, y := range c.Y {
				assert.False(t, math.IsNaN(y) || math.IsInf(y, 0), s.Name)
			}
		}
	}
}

// Two resistors in series by hand: 12 V over 3 Ω and 6 Ω is 1.333 A, 4 V and 8 V.
func TestSeries(t *testing.T) {
	r := work(t, "series", map[string]string{"supply": "12", "first": "resistor", "first-amps": "4", "second": "resistor",
		"second-amps": "2"})
	assert.InDelta(t, 1.333, figures(t, r, "Current")[0], 0.01)
	assert.InDelta(t, 1.333, figures(t, r, "Rule of thumb")[0], 0.01)
	assert.InDelta(t, 4, figures(t, r, "Load A")[0], 0.02)
	assert.InDelta(t, 8, figures(t, r, "Load B")[0], 0.02)
	assert.Contains(t, strings.Join(r.Cautions, " "), "B, which takes less current alone")

	// Two equal fans: half the volts each, more than half the speed, well under half the current (common practice).
	r = work(t, "series", nil)
	assert.InDelta(t, 6.3, figures(t, r, "Load A")[0], 0.02)
	assert.Less(t, figures(t, r, "Current")[0], 7.0)
	speed := figures(t, r, "Load A")[2]
	assert.Greater(t, speed, 50.0)
	assert.Less(t, speed, 65.0)
	assert.Equal(t, "14", r.Wish["amps"])

	// A lamp before a motor: its filament's ohms grow, so that it takes nearly all of what is left over; watts are volts times amps.
	r = work(t, "series", map[string]string{"first": "filament lamp", "first-amps": "0.4"})
	x := figures(t, r, "Load A")
	assert.Greater(t, x[0], 11.0)
	assert.InDelta(t, x[0]*figures(t, r, "Current")[0], x[1], 0.2)
}

// A stalled fan through a resistor by Ohm's law: 12.6 / (0.6 + 12.6/70) = 16.15 A, 156.6 W in the resistor.
func TestDroppingResistor(t *testing.T) {
	r := work(t, "dropping", map[string]string{"inrush": "70"})
	x := figures(t, r, "With 0.6 Ω: a stalled fan")
	assert.InDelta(t, 16.15, x[0], 0.06)
	assert.InDelta(t, 156.6, x[1], 1)
	assert.Greater(t, figures(t, r, "With 0.6 Ω: the fan")[0], figures(t, r, "With 0.9 Ω: the fan")[0])
}

// A card of 0.4, 0.5 and 0.9 Ω, terminals 4, 1, 3, 2 in that order, read with leads of 0.3 Ω: every pair by hand.
func TestCard(t *testing.T) {
	r := work(t, "card", map[string]string{"pairs": "1-4 0.7; 1-3 0.8; 2-3 1.2; 2-4 2.1; 3-4 1.2; 1-2 1.7"})
	assert.Equal(t, "4 – 1 – 3 – 2", line(t, r, "Order"))
	assert.InDelta(t, 0.4, figures(t, r, "Step 4 – 1")[0], 0.01)
	assert.InDelta(t, 0.5, figures(t, r, "Step 1 – 3")[0], 0.01)
	assert.InDelta(t, 0.9, figures(t, r, "Step 3 – 2")[0], 0.01)
	assert.Contains(t, line(t, r, "Common"), "4")
	r = work(t, "card", map[string]string{"pairs": "1-2 OL; 1-3 open"})
	assert.Contains(t, strings.Join(r.Cautions, " "), "the limiter")
}

// A motor of 0.21 Ω: 14 A at 12.6 V; at half its volts the curve by hand (friction fifteen hundredths) is some 5.5 A.
func TestMotor(t *testing.T) {
	r := work(t, "motor", map[string]string{"points": "12.6 V 14 A", "start-amps": "55", "start-volts": "11.55"})
	x := figures(t, r, "Armature")
	assert.InDelta(t, 0.21, x[0], 0.001)
	assert.InDelta(t, 60, x[1], 0.5)
	assert.InDelta(t, 12.6-14*0.21, figures(t, r, "Back voltage")[0], 0.01)
	low, high := 0.0, 14.0 // k·I against T0 + c·w² at 6.3 V, by halving
	for range 60 {
		amps := (low + high) / 2
		speed := (6.3 - amps*0.21) / (12.6 - 14*0.21)
		if 14*(0.15+0.85*speed*speed) > amps {
			low = amps
		} else {
			high = amps
		}
	}
	assert.InDelta(t, low, figures(t, r, "At half")[0], 0.1)
	assert.Equal(t, "60", r.Wish["inrush"])
}

// A contact that reads 0.4 Ω on leads of 0.3 Ω; copper warms by 0.393 % a degree: 84.7 Ω are 106.3 Ω at 85 °C.
func TestRelay(t *testing.T) {
	r := work(t, "relay", map[string]string{"coil": "85", "leads": "0.3", "contact": "0.8", "load": "10"})
	assert.InDelta(t, 106, figures(t, r, "Coil")[1], 1)
	assert.InDelta(t, 5, figures(t, r, "It loses")[0], 0.01)
	assert.Contains(t, strings.Join(r.Cautions, " "), "burnt")
	r = work(t, "relay", map[string]string{"contact": "0.4", "leads": "0.3"})
	assert.Contains(t, strings.Join(r.Cautions, " "), "cannot be told from the leads")
}

// AWG 12 has 1.588 Ω per 1000 ft at 20 °C (NBS Handbook 100): 30.48 m of pure copper lose 0.1588 V at an ampere. A wire for
// vehicles may have up to a tenth more (its strands are tinned and twisted), never less, and a quarter more in 85 °C.
func TestWire(t *testing.T) {
	r := work(t, "wire", map[string]string{"size": "12AWG", "amps": "1", "length": "30.48", "drop": "1", "warm": "20"})
	loses := figures(t, r, "It loses")[0]
	assert.Greater(t, loses, 0.1588)
	assert.Less(t, loses, 1.12*0.1588)
	r = work(t, "wire", map[string]string{"size": "12AWG", "amps": "1", "length": "30.48", "drop": "1", "warm": "85"})
	assert.InDelta(t, 1.255*loses, figures(t, r, "It loses")[0], 0.002)
	r = work(t, "wire", map[string]string{"size": "12 AWG", "warm": "50", "amps": "10"})
	assert.InDelta(t, 38, figures(t, r, "It may carry")[0], 0.5) // ABYC E-11, from memory
}

// The widely printed 10 kΩ part (from memory): 25 °C is 10 kΩ by A, B, C; its own points give it back.
func TestSensor(t *testing.T) {
	r := work(t, "sensor", map[string]string{"points": "0 32651; 25 10000; 80 1256", "want": "25"})
	assert.InDelta(t, 10000, figures(t, r, "For 25")[1], 60)
}

// Twice its rating opens a blade fuse in 0.15 to 5 s, a cartridge in 2 to 60 s (ISO 8820-3 and -4, from memory).
func TestFuse(t *testing.T) {
	r := work(t, "fuse", map[string]string{"mm2": "1"})
	x := figures(t, r, "It opens after")
	assert.InDelta(t, 0.15, x[0], 0.001)
	assert.InDelta(t, 5, x[1], 0.01)
	assert.Contains(t, strings.Join(r.Cautions, " "), "does not protect it")
	r = work(t, "fuse", map[string]string{"style": "cartridge"})
	assert.Equal(t, []float64{2, 60}, figures(t, r, "It opens after"))
	assert.Equal(t, "all day", line(t, work(t, "fuse", map[string]string{"amps": "20"}), "It holds"))
}

// What is no figure, out of bounds, or no vehicle's is refused in a sentence that names the field.
func TestRefusals(t *testing.T) {
	for _, x := range []struct{ sheet, key, value, want string }{
		{"series", "supply", "230", "mains and high-voltage work belongs to licensed people"},
		{"series", "first-amps", "many", `First load alone takes: "many" is no figure`},
		{"series", "first", "oven", `First load: "oven" is none of`},
		{"dropping", "ohms", "0", "Resistor: from 0.02 to 50 Ω, not 0"},
		{"dropping", "inrush", "15", "a start takes more than running does"},
		{"pwm", "from", "95", "goes upwards"},
		{"card", "pairs", "1 2 3", "pairs such as"},
		{"motor", "points", "12 V", "pairs such as"},
		{"wire", "size", "thick", "is no wire's"},
		{"sensor", "points", "20 2500", "two points at least"},
		{"battery", "full", "40", "below what is to be left"},
		{"relay", "coil", "0.1", "no more than the leads"},
	} {
		_, err := bench.Find(x.sheet).Work(func(key string) string {
			if key == x.key {
				return x.value
			}
			return ""
		})
		require.ErrorContains(t, err, x.want, x.sheet)
		assert.NotContains(t, err.Error(), "\n")
	}
}

func FuzzSheets(f *testing.F) {
	f.Add("card", "1-2 0.7; 1-3 OL")
	f.Add("sensor", "20 2500; 60 600")
	f.Add("wire", "1e9")
	f.Fuzz(func(_ *testing.T, sheet, text string) {
		if s := bench.Find(sheet); s != nil {
			for _, field := range s.Fields {
				_, _ = s.Work(func(key string) string { // nothing panics, whatever is typed
					if key == field.Key {
						return text
					}
					return ""
				})
			}
		}
	})
}

// Millions of changed figures in every field of every sheet: nothing panics, and a refusal is one line.
func TestManyFigures(t *testing.T) {
	seeds := [][]byte{[]byte("1-2 0.7; 1-3 OL"), []byte("20 2500; 60 600"), []byte("1e9"), []byte("4mm2"), []byte("12.6"), []byte("AWG 12")}
	librarytest.Many(t, seeds, func(b []byte) {
		s := bench.Sheets[len(b)%len(bench.Sheets)]
		field := s.Fields[int(b0(b))%len(s.Fields)]
		if _, err := s.Work(func(key string) string {
			if key == field.Key {
				return string(b)
			}
			return ""
		}); err != nil && strings.Contains(err.Error(), "\n") {
			t.Errorf("%q: %v", b, err)
		}
	})
}

// b0 is the first byte, which chooses the field.
func b0(b []byte) byte {
	if len(b) == 0 {
		return 0
	}
	return b[0]
}

// By hand: 20 A through 10 mΩ lose 0.2 V and make 4 W, twelve degrees on a heat sink of 3 °C a watt; a leak of 1 mA at 12 V is 12 kΩ,
// behind which ten megohms read all but a seventieth of a volt.
func TestASolidStateRelay(t *testing.T) {
	r := work(t, "solid", map[string]string{"supply": "12", "amps": "20", "on": "10", "leak": "1", "sink": "3", "warm": "60"})
	assert.Equal(t, "0.20 V", line(t, r, "It drops"))
	assert.Equal(t, "4.0 W for as long as it is on", line(t, r, "It makes"))
	assert.Equal(t, "72 °C", line(t, r, "It gets"))
	assert.Equal(t, "12.0 V", line(t, r, "A meter behind"))
	hot := work(t, "solid", map[string]string{"amps": "100", "on": "10"})
	assert.Contains(t, strings.Join(hot.Cautions, " "), "Above 125 °C")
}
