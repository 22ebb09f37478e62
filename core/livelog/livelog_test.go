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
	b.WriteString("seconds,coolant,fan low,speed\n")
	for i := range 400 {
		on := 0
		if i >= 100 {
			on = 1
		}
		fmt.Fprintf(&b, "%d,%.1f,%d,0\n", i, 92+0.1*float64(i), on)
	}
	for i := range 60 { // on and off every five seconds
		fmt.Fprintf(&b, "%d,131,%d,0\n", 400+i, i/5%2)
	}
	m := livelog.Mapping{Time: "seconds", Coolant: "coolant", Commands: map[string]string{"low": "fan low"}}
	unknown, err := livelog.Analyse(strings.NewReader(b.String()), m)
	require.NoError(t, err)
	for _, f := range livelog.Findings(e.Circuit, unknown) {
		assert.NotContains(t, f.Text, "standstill", "a speed that nobody wrote is none")
	}
	m.Speed = "speed"
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

// Logs as tools write them, each the same warm-up: 80 to 100 degrees at a degree in two seconds, low on from 95; at 40 s it is on. What is
// what is guessed from the headings alone.
func TestShapesOfLogs(t *testing.T) {
	const rows = 41
	row := func(i int) (seconds, coolant float64, on bool) { return 2 * float64(i), 80 + 0.5*float64(i), i >= 30 }
	build := func(head string, line func(i int) string) string {
		var b strings.Builder
		b.WriteString(head)
		for i := range rows {
			b.WriteString(line(i) + "\n")
		}
		return b.String()
	}
	yes := func(on bool, is, not string) string {
		if on {
			return is
		}
		return not
	}
	comma := func(v float64) string { return strings.Replace(fmt.Sprintf("%.1f", v), ".", ",", 1) }
	shapes := map[string]string{
		"plain": build("time,coolant,fan low\n", func(i int) string {
			s, c, on := row(i)
			return fmt.Sprintf("%g,%.1f,%s", s, c, yes(on, "1", "0"))
		}),
		"milliseconds, degrees F, an idle duty, and the air's flow": build("Time (ms),Airflow (g/s),Coolant (°F),Fan low duty (%)\n",
			func(i int) string {
				s, c, on := row(i)
				return fmt.Sprintf("%.0f,%d,%.1f,%s", 1000*s, 4+i%3, c*9/5+32, yes(on, "62.5", "5.1"))
			}),
		"ISO times": build("timestamp;coolant;low\n", func(i int) string {
			s, c, on := row(i)
			return fmt.Sprintf("%s;%.1f;%s", time.Date(2026, 11, 30, 23, 59, 30, 0, time.UTC).Add(time.Duration(s)*time.Second).
				Format("2006-01-02T15:04:05.000Z07:00"), c, yes(on, "on", "off"))
		}),
		"a clock": build("Time\tEngine coolant temp\tLow\n", func(i int) string {
			s, c, on := row(i)
			return fmt.Sprintf("%s\t%.1f\t%s", time.Date(2026, 11, 30, 9, 0, 0, 0, time.UTC).Add(time.Duration(s)*time.Second).
				Format("15:04:05"), c, yes(on, "Active", "Inactive"))
		}),
		"remarks before the headings": build("# written by a tool\n# vehicle, with a comma\nSession 4\n\ntime,coolant,low\n",
			func(i int) string {
				s, c, on := row(i)
				return fmt.Sprintf("%g,%.1f,%s", s, c, yes(on, "1", "0"))
			}),
		"a row of units": build("Time,Coolant,Low\nms,degF,%\n", func(i int) string {
			s, c, on := row(i)
			return fmt.Sprintf("%.0f,%.1f,%s", 1000*s, c*9/5+32, yes(on, "100", "0"))
		}),
		"decimal commas in quotes": build("time,coolant,low\n", func(i int) string {
			s, c, on := row(i)
			return fmt.Sprintf(`"%s","%s",%s`, comma(s), comma(c), yes(on, "1", "0"))
		}),
		"decimal commas and semicolons": build("Zeit;Coolant;Low\n", func(i int) string {
			s, c, on := row(i)
			return fmt.Sprintf("%s;%s;%s", comma(s), comma(c), yes(on, "100,0", "7,8"))
		}),
		"only what changes": build("time,coolant,low\n", func(i int) string {
			s, c, on := row(i)
			switch {
			case i%2 == 1:
				return fmt.Sprintf("%g,,%s", s, yes(on, "1", "0"))
			case i%3 == 0:
				return fmt.Sprintf("%g,%.1f,%s", s, c, yes(on, "1", "0"))
			}
			return fmt.Sprintf("%g,%.1f,", s, c)
		}),
		"a value a row": build("Time,Signal,Value\n", func(i int) string {
			s, c, on := row(i)
			return fmt.Sprintf("%g,Coolant,%.1f\n%g,Fan low,%s", s, c, s, yes(on, "1", "0"))
		}),
	}
	for name, text := range shapes {
		h, err := livelog.ReadHead(strings.NewReader(text), []string{"low", "high"})
		require.NoError(t, err, name)
		a, err := livelog.Analyse(strings.NewReader(text), h.Guess)
		require.NoError(t, err, "%s: %+v", name, h.Guess)
		require.Len(t, a.Stages, 1, "%s: %+v", name, h.Guess)
		require.Len(t, a.Stages[0].Switches, 1, "%s: %+v", name, a)
		assert.InDelta(t, 95, a.Stages[0].On, 1.1, name)
		assert.InDelta(t, 80, a.To-a.From, 4.1, name)
		assert.Zero(t, a.Bad, name)
	}
	assert.Len(t, shapes, 10)
}

// A gap may hide what is not seen: nothing is claimed of it.
func TestNothingIsClaimedOfAGap(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	a, err := livelog.Analyse(strings.NewReader("time,coolant,low\n0,80,0\n1,81,0\n90,111,0\n91,112,0\n"), livelog.Mapping{Time: "time",
		Coolant: "coolant", Commands: map[string]string{"low": "low"}})
	require.NoError(t, err)
	f := livelog.Findings(e.Circuit, a)[0]
	assert.False(t, f.Wrong)
	assert.Contains(t, f.Text, "may have been on in a gap")
}
