package livelog_test

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/livelog"
	"ironthread/library"
	"ironthread/library/librarytest"
)

// written makes a log with thresholds that are known: the coolant rises and falls between them, low on at 95 and off at
// 90, high on at 103 where it is let rise so far.
type written struct {
	rows                  int
	noise                 float64
	separator, point      string
	fahrenheit, timeOfDay bool
	gapAt                 int
}

func (w written) log() []byte {
	var b bytes.Buffer
	s := w.separator
	figure := func(v float64) string { return strings.Replace(fmt.Sprintf("%.2f", v), ".", w.point, 1) }
	head := "Coolant temperature (°C)"
	if w.fahrenheit {
		head = "Coolant temperature (°F)"
	}
	b.WriteString("\uFEFF" + strings.Join([]string{"Time", head, "Vehicle speed (km/h)", "Fan low", "Fan high"}, s) + "\n")
	rng := rand.New(rand.NewPCG(7, 7))
	coolant, low := 70.0, false
	clock := time.Date(2026, 11, 26, 23, 50, 0, 0, time.UTC)
	for i := range w.rows {
		seconds := float64(i) * 0.5
		if w.gapAt > 0 && i > w.gapAt {
			seconds += 60
		}
		if low {
			coolant -= 0.05
		} else {
			coolant += 0.1
		}
		if coolant >= 95 {
			low = true
		} else if coolant < 90 {
			low = false
		}
		shown := coolant + w.noise*(2*rng.Float64()-1)
		if w.fahrenheit {
			shown = shown*9/5 + 32
		}
		at := figure(seconds)
		if w.timeOfDay {
			at = clock.Add(time.Duration(seconds * float64(time.Second))).Format("15:04:05.0")
		}
		on := "off"
		if low {
			on = "on"
		}
		b.WriteString(strings.Join([]string{at, figure(shown), "0", on, "0"}, s) + "\n")
	}
	return b.Bytes()
}

func TestThresholdsOutOfLogs(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	for name, w := range map[string]written{
		"plain":                     {rows: 6000, separator: ",", point: "."},
		"noise":                     {rows: 6000, noise: 0.4, separator: ",", point: "."},
		"semicolons and commas, °F": {rows: 6000, separator: ";", point: ",", fahrenheit: true},
		"tabs and a time of day":    {rows: 6000, separator: "\t", point: ".", timeOfDay: true},
		"a gap":                     {rows: 6000, separator: ",", point: ".", gapAt: 1500},
	} {
		text := w.log()
		head, err := livelog.ReadHead(bytes.NewReader(text), e.Circuit.Commands())
		require.NoError(t, err)
		assert.Equal(t, "Time", head.Guess.Time, name)
		assert.Equal(t, w.fahrenheit, head.Guess.Fahrenheit, name)
		assert.Equal(t, "Fan low", head.Guess.Commands["low"], name)
		a, err := livelog.Analyse(bytes.NewReader(text), head.Guess)
		require.NoError(t, err, name)
		require.Len(t, a.Stages, 2)
		low := a.Stages[1]
		require.Equal(t, "low", low.Command)
		assert.InDelta(t, 95, low.On, 0.6, name)
		assert.InDelta(t, 90, low.Off, 0.6, name)
		assert.InDelta(t, 50, low.Cools, 3, "%s: five degrees at a tenth a second", name)
		assert.Greater(t, len(low.Switches), 10, name)
		assert.Zero(t, low.Short, name)
		if w.gapAt > 0 {
			assert.Equal(t, 1, a.Gaps)
		}
		said := ""
		for _, f := range livelog.Findings(e.Circuit, a) {
			assert.False(t, f.Wrong, f.Text)
			said += f.Text + "\n"
		}
		assert.Contains(t, said, "low came on at 95 °C")
		assert.Contains(t, said, "the strategy says 95 °C")
		assert.Contains(t, said, "high was never due")
	}
}

// What is not as it should be: late, cycling, commanded and not cooling.
func TestFindingsThatAreWrong(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	var b strings.Builder
	b.WriteString("seconds,coolant,fan low\n")
	for i := range 400 {
		on := 0
		if i >= 100 {
			on = 1
		}
		fmt.Fprintf(&b, "%d,%.1f,%d\n", i, 92+0.1*float64(i), on)
	}
	for i := range 60 { // on and off every five seconds
		fmt.Fprintf(&b, "%d,131,%d\n", 400+i, i/5%2)
	}
	m := livelog.Mapping{Time: "seconds", Coolant: "coolant", Commands: map[string]string{"low": "fan low"}}
	a, err := livelog.Analyse(strings.NewReader(b.String()), m)
	require.NoError(t, err)
	wrong := ""
	for _, f := range livelog.Findings(e.Circuit, a) {
		if f.Wrong {
			wrong += f.Text + "\n"
		}
	}
	assert.Contains(t, wrong, "commanded, and not cooling")
	assert.Contains(t, wrong, "it cycles")
	never, err := livelog.Analyse(strings.NewReader("coolant,low\n80,0\n110,0\n"), livelog.Mapping{Coolant: "coolant",
		Commands: map[string]string{"low": "low"}})
	require.NoError(t, err)
	assert.Contains(t, livelog.Findings(e.Circuit, never)[0].Text, "low never came on, though the coolant reached 110 °C")
}

func TestLogsThatAreNone(t *testing.T) {
	m := livelog.Mapping{Coolant: "a", Commands: map[string]string{"low": "b"}}
	for text, want := range map[string]string{
		"": "the log is empty", "a,b\n": "no row of the log can be read", "x,b\n1,2\n": `no column "a"`, "a,b\nhot,on\n": "the first in " +
			"line 2",
		"a,b\n999,1\n": "no row",
	} {
		_, err := livelog.Analyse(strings.NewReader(text), m)
		assert.ErrorContains(t, err, want, "%q", text)
	}
	_, err := livelog.Analyse(strings.NewReader("a,b\n80,0\n"), livelog.Mapping{Coolant: "a"})
	assert.ErrorContains(t, err, "at least one stage")
	_, err = livelog.Analyse(strings.NewReader("a,b\n80,0\n"), livelog.Mapping{})
	assert.ErrorContains(t, err, "coolant")
	a, err := livelog.Analyse(strings.NewReader("a,b\n80,0\n81\n82,on\n,,\n\"83,1\n84,1\n"), m)
	require.NoError(t, err)
	assert.Positive(t, a.Bad)
}

// 200,000 rows: bounded in time and in what is kept.
func TestALongLog(t *testing.T) {
	text := written{rows: 200_000, separator: ",", point: "."}.log()
	runtime.GC()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	start := time.Now()
	a, err := livelog.Analyse(bytes.NewReader(text), livelog.Mapping{Time: "Time", Coolant: "Coolant temperature (°C)",
		Commands: map[string]string{"low": "Fan low", "high": "Fan high"}})
	took := time.Since(start)
	require.NoError(t, err)
	runtime.ReadMemStats(&after)
	assert.Equal(t, 200_000, a.Rows)
	assert.LessOrEqual(t, len(a.Points), 2400)
	kept := float64(after.HeapAlloc-min(after.HeapAlloc, before.HeapAlloc)) / (1 << 20)
	t.Logf("200,000 rows in %v, %.1f MB more on the heap", took.Round(time.Millisecond), kept)
	assert.Less(t, kept, 150.0)
	assert.False(t, math.IsNaN(a.Stages[1].On))
}

func FuzzLogs(f *testing.F) {
	f.Add([]byte("a,b\n80,0\n96,1\n"))
	f.Add([]byte("a;b\n80,5;on\n"))
	f.Fuzz(func(_ *testing.T, text []byte) {
		_, _ = livelog.Analyse(bytes.NewReader(text), livelog.Mapping{Coolant: "a", Commands: map[string]string{"low": "b"}})
	})
}

// Millions of changed logs: nothing panics.
func TestManyLogs(t *testing.T) {
	seeds := [][]byte{[]byte("a,b\n80,0\n96,1\n"), []byte("a;b\n80,5;on\n81;off\n"), []byte("time\ta\tb\n0\t90\t0\n1\t97\t1\n2\t88\t0\n")}
	librarytest.Many(t, seeds, func(b []byte) {
		_, _ = livelog.ReadHead(bytes.NewReader(b), []string{"low"})
		_, _ = livelog.Analyse(bytes.NewReader(b), livelog.Mapping{Coolant: "a", Commands: map[string]string{"low": "b"}})
	})
}
