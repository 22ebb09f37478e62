package electric

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

func libraryModel(t *testing.T, name string) *Model {
	t.Helper()
	b, err := os.ReadFile("../../library/" + name + ".harness.yaml")
	require.NoError(t, err)
	c, err := harness.Read(b)
	require.NoError(t, err)
	m, err := New(c)
	require.NoError(t, err)
	return m
}

func startRun(t *testing.T, m *Model, seconds float64, state string, words ...string) *Run {
	t.Helper()
	cond := Condition{}
	var airless []string
	for _, w := range words {
		if part, ok := strings.CutSuffix(w, " airless"); ok {
			airless = append(airless, part)
			continue
		}
		if f, err := fault.Parse(m.Circuit, w); err == nil {
			cond.Faults = append(cond.Faults, f)
			continue
		}
		a, err := ParseAction(m.Circuit, w)
		require.NoError(t, err)
		cond.Setup = append(cond.Setup, a)
	}
	r, err := m.Start(cond, []Stage{{State: m.Circuit.State(state)}}, seconds, airless...)
	require.NoError(t, err)
	return r
}

// The start of a fan, point by point, against ngspice's transient analysis of the equations as
// they are written in the netlist, a capacitor for the rotor. ngspice's transient is good to
// about a thousandth.
func TestStartAgainstNgspice(t *testing.T) {
	if _, err := exec.LookPath("ngspice"); err != nil {
		t.Skip("ngspice is not installed")
	}
	m := libraryModel(t, "f3-twin-series-parallel")
	for _, state := range []string{"low", "high"} {
		run := startRun(t, m, 1, state)
		n, err := m.Enter(Condition{State: m.Circuit.State(state)})
		require.NoError(t, err)
		var net bytes.Buffer
		fmt.Fprintln(&net, "* start")
		require.NoError(t, n.SPICE(&net, ""))
		for i := range n.motors {
			fmt.Fprintf(&net, "CJ%d W_%s 0 %.12g IC=0\n", i, n.motors[i].part.Name, n.motors[i].inertia)
		}
		out := filepath.Join(t.TempDir(), "out.txt")
		fmt.Fprintf(&net, "%s\n.control\nset wr_singlescale\nset wr_vecnames\ntran 0.2m 1 0 0.2m uic\nwrdata %s v(W_M1) "+
			"v(W_M2)\n.endc\n.end\n", SPICEOptions, out)
		file := filepath.Join(t.TempDir(), "start.cir")
		require.NoError(t, os.WriteFile(file, net.Bytes(), 0o600))
		said, _ := exec.CommandContext(t.Context(), "ngspice", "-b", file).CombinedOutput() // its status is 1 without a plot
		b, err := os.ReadFile(out)
		require.NoError(t, err, string(said))
		worst := 0.0
		compared := 0
		for _, line := range strings.Split(string(b), "\n")[1:] {
			f := strings.Fields(line)
			if len(f) < 3 {
				continue
			}
			at, _ := strconv.ParseFloat(f[0], 64)
			if at < 0.005 {
				continue
			}
			for k, fan := range []string{"M1", "M2"} {
				omega, _ := strconv.ParseFloat(f[1+k], 64)
				motor := run.Motors[fan]
				top := motor.RPM[len(motor.RPM)-1]
				k, _ := slices.BinarySearch(run.Seconds, at)
				if k == 0 || k >= len(run.Seconds) {
					continue
				}
				share := (at - run.Seconds[k-1]) / (run.Seconds[k] - run.Seconds[k-1])
				ours := motor.RPM[k-1] + share*(motor.RPM[k]-motor.RPM[k-1])
				worst = math.Max(worst, math.Abs(ours-omega*30/math.Pi)/top)
				compared++
			}
		}
		require.Greater(t, compared, 1000)
		assert.Less(t, worst, 3e-3, "of the final speed, in %s", state)
		t.Logf("%s: %d points, largest difference %.1e of the final speed", state, compared, worst)
	}
}

// A radiator fan that settles near 12 A shows about 60 A for under half a second (common
// practice; a clamp's reading, no published source).
func TestInrushOfAFan(t *testing.T) {
	b := `harness: 1
parts: {B: {kind: battery}, M: {kind: motor, volts: 12.6, amps: 12}, F: {kind: fuse, amps: 30}}
wires: {B.+ - F.a: , F.b - M.+: , M.- - B.-: }
states: {on: {}}
`
	c, err := harness.Read([]byte(b))
	require.NoError(t, err)
	m, err := New(c)
	require.NoError(t, err)
	r := startRun(t, m, 2, "on")
	fan := r.Motors["M"]
	assert.InDelta(t, 60, fan.Peak, 8)
	assert.InDelta(t, 12, fan.Running, 0.6)
	assert.Less(t, fan.Settles, 0.5)
	assert.Greater(t, fan.Settles, 0.2)
	assert.Less(t, r.Fuses["F"].Used, 0.5, "the right fuse stands the start")
	assert.Nil(t, r.Fuses["F"].OpenedAt)
	steady, err := m.Solve(Condition{State: c.State("on")})
	require.NoError(t, err)
	assert.InDelta(t, steady.Motors["M"].RPM, fan.RPM[len(fan.RPM)-1], 1, "a run ends at the operating point")
}

// Two fans started together draw about twice one's start; staged, the second starts while the
// first only runs (common practice: staging spares the alternator).
func TestTogetherAndStaged(t *testing.T) {
	m := libraryModel(t, "f2-staged-pair")
	both, first := m.Circuit.States[len(m.Circuit.States)-1], m.Circuit.States[1]
	sum := func(r *Run) float64 {
		most := 0.0
		for k := range r.Seconds {
			amps := 0.0
			for _, motor := range r.Motors {
				amps += motor.Amps[k]
			}
			most = math.Max(most, amps)
		}
		return most
	}
	together, err := m.Start(Condition{}, []Stage{{State: both}}, 3)
	require.NoError(t, err)
	staged, err := m.Start(Condition{}, []Stage{{State: first}, {State: both, At: 1.5}}, 3)
	require.NoError(t, err)
	assert.Greater(t, sum(together), 1.5*sum(staged))
	assert.Less(t, slices.Min(together.Supply), slices.Min(staged.Supply), "the lights dip more")
}

// A module with a start-up ramp never exceeds the running current (common practice).
func TestASoftStart(t *testing.T) {
	m := libraryModel(t, "f8-pwm-module")
	state := m.Circuit.States[len(m.Circuit.States)-1]
	r, err := m.Start(Condition{}, []Stage{{State: state}}, 8)
	require.NoError(t, err)
	for name, fan := range r.Motors {
		assert.Less(t, fan.Peak, 1.1*fan.Running, name)
		assert.Greater(t, fan.Running, 3.0, "%s runs", name)
		assert.Greater(t, fan.Settles, 1.0, name)
	}
}

// Run outside its airflow a card's limiter opens within seconds; in it, not (common practice).
func TestALimiterOutOfItsAirflow(t *testing.T) {
	m := libraryModel(t, "f6-resistor-card")
	var low string
	for _, s := range m.Circuit.States {
		if p, err := m.Solve(Condition{State: s}); err == nil && p.Motors[m.Circuit.Fans()[0].Name].Speed == Slow {
			low = s.Name
			break
		}
	}
	card := m.Circuit.OfKind(harness.KindResistorCard)[0].Name
	out := startRun(t, m, 100, low, card+" airless")
	require.NotNil(t, out.Cards[card].OpenedAt)
	assert.Less(t, *out.Cards[card].OpenedAt, 40.0)
	assert.Zero(t, math.Round(out.Motors[m.Circuit.Fans()[0].Name].Running), "then the fan stops")
	in := startRun(t, m, 100, low)
	assert.Nil(t, in.Cards[card].OpenedAt)
	assert.Greater(t, slices.Max(in.Cards[card].Celsius), 40.0)
}

// A small battery pack sags at the start, and condemns good motors (common practice).
func TestABatteryPackSags(t *testing.T) {
	m := libraryModel(t, "f3-twin-series-parallel")
	r := startRun(t, m, 3, "off", "M1 unplugged", "pack M1.+' M1.-'")
	assert.Less(t, slices.Min(r.Pack), 8.0)
	fan := r.Motors["M1"]
	assert.Less(t, fan.Peak, 40.0, "the car's own battery gives 60 and more")
	assert.Greater(t, fan.Running, 9.0)
	car := startRun(t, m, 3, "high")
	whole := car.Motors["M1"].RPM
	assert.Less(t, fan.RPM[len(fan.RPM)-1], 0.95*whole[len(whole)-1])
}

func TestASeizedFanOpensItsFuse(t *testing.T) {
	m := libraryModel(t, "f1-one-relay")
	on := ""
	for _, s := range m.Circuit.States {
		if p, err := m.Solve(Condition{State: s}); err == nil && p.Motors[m.Circuit.Fans()[0].Name].Speed == Fast {
			on = s.Name
		}
	}
	r := startRun(t, m, 60, on, m.Circuit.Fans()[0].Name+" seized")
	var opened *FuseRun
	for _, f := range r.Fuses {
		if f.OpenedAt != nil {
			opened = f
		}
	}
	require.NotNil(t, opened, "%+v", r.Events)
	assert.Greater(t, opened.Peak, 30.0)
	assert.Zero(t, r.Motors[m.Circuit.Fans()[0].Name].RPM[len(r.Seconds)-1])
	assert.InDelta(t, 1, opened.Used, 0.05)
}

func TestRunsThatAreRefused(t *testing.T) {
	m := libraryModel(t, "f2-staged-pair")
	s := m.Circuit.States[1]
	for _, c := range []struct {
		stages  []Stage
		seconds float64
		airless string
		want    string
	}{
		{nil, 1, "", "begins with a state at 0 s"},
		{[]Stage{{s, 1}}, 2, "", "begins with a state at 0 s"},
		{[]Stage{{s, 0}}, 0, "", "takes up to"},
		{[]Stage{{s, 0}}, 1e6, "", "takes up to"},
		{[]Stage{{s, 0}}, math.NaN(), "", "takes up to"},
		{[]Stage{{s, 0}, {s, 5}}, 3, "", "does not follow"},
		{[]Stage{{s, 0}}, 3, "M1", "no resistor card"},
	} {
		var airless []string
		if c.airless != "" {
			airless = append(airless, c.airless)
		}
		_, err := m.Start(Condition{}, c.stages, c.seconds, airless...)
		assert.ErrorContains(t, err, c.want)
	}
}

func BenchmarkStart(b *testing.B) {
	file, err := os.ReadFile("../../library/f3-twin-series-parallel.harness.yaml")
	require.NoError(b, err)
	c, err := harness.Read(file)
	require.NoError(b, err)
	m, err := New(c)
	require.NoError(b, err)
	for b.Loop() {
		if _, err := m.Start(Condition{}, []Stage{{State: c.State("high")}}, 2); err != nil {
			b.Fatal(err)
		}
	}
}
