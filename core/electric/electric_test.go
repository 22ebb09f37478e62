package electric_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

const twin = "f3-twin-series-parallel"

// solve computes one state of the three-relay circuit; faults and set-up by their words.
func solve(t testing.TB, m *electric.Model, state string, words ...string) *electric.Point {
	t.Helper()
	cond := electric.Condition{State: m.Circuit.State(state)}
	for _, w := range words {
		if f, err := fault.Parse(m.Circuit, w); err == nil {
			cond.Faults = append(cond.Faults, f)
			continue
		}
		a, err := electric.ParseAction(m.Circuit, w)
		require.NoError(t, err)
		cond.Setup = append(cond.Setup, a)
	}
	p, err := m.Solve(cond)
	require.NoError(t, err)
	return p
}

func circuit(t testing.TB, text string) *electric.Model {
	t.Helper()
	c, err := harness.Read([]byte(text))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	return m
}

// Two 12.6 V, 14 A, 2400 rpm fans straight on a battery, and in series (figures of the
// project's feasibility study: 4.85 A and 54 % of full speed).
const seriesFans = `harness: 1
supply: {off: 12.6}
parts:
  BAT: {kind: battery, ohms: 0.0001}
  G1: {kind: ground}
  SW: {kind: switch, closed-when: series}
  S2: {kind: switch, closed-when: single}
  M1: {kind: motor, volts: 12.6, amps: 14, rpm: 2400}
  M2: {kind: motor, volts: 12.6, amps: 14, rpm: 2400}
  M3: {kind: motor, volts: 12.6, amps: 14, rpm: 2400}
wires:
  BAT.+ - SW.a: 50mm2 0.1m
  SW.b - M1.+: 50mm2 0.1m
  M1.- - M2.+: 50mm2 0.1m
  M2.- - G1: 50mm2 0.1m
  BAT.+ - S2.a: 50mm2 0.1m
  S2.b - M3.+: 50mm2 0.1m
  M3.- - G1: 50mm2 0.1m
states:
  series: {}
  single: {}
`

// bisect solves the machine's two equations by halving, at given winding volts: the outside
// check of the closed form.
func bisect(volts, ratedVolts, ratedAmps, ratedRPM, inrush float64) (amps, rpm float64) {
	ohms, rated := ratedVolts/inrush, ratedRPM*math.Pi/30
	k := (ratedVolts - ratedAmps*ohms) / rated
	friction := 0.15 * k * ratedAmps
	air := 0.85 * k * ratedAmps / (rated * rated)
	low, high := 0.0, 2*rated
	for range 200 {
		omega := (low + high) / 2
		if k*(volts-k*omega)/ohms > friction+air*omega*omega {
			low = omega
		} else {
			high = omega
		}
	}
	return (volts - k*low) / ohms, low * 30 / math.Pi
}

func TestFanLaw(t *testing.T) {
	m := circuit(t, seriesFans)
	rated := solve(t, m, "single").Motors["M3"]
	amps, rpm := bisect(rated.Volts, 12.6, 14, 2400, 70)
	assert.InDelta(t, amps, rated.Amps, 1e-6)
	assert.InDelta(t, rpm, rated.RPM, 1e-4)
	assert.InDelta(t, 2400, rated.RPM, 12, "the rated point is reproduced")

	series := solve(t, m, "series").Motors["M1"]
	amps, rpm = bisect(series.Volts, 12.6, 14, 2400, 70)
	assert.InDelta(t, amps, series.Amps, 1e-6)
	assert.InDelta(t, rpm, series.RPM, 1e-4)
	assert.InDelta(t, 0.53, series.RPM/2400, 0.01, "the feasibility study's 0.54 was with a tenth friction")
	assert.Less(t, series.Amps, 0.4*14, "well under half of the full current, not half (common practice)")
}

func TestSeizedFanInSeriesMakesTheOtherRunFaster(t *testing.T) {
	m := loadModel(t, twin)
	p := solve(t, m, "low", "M1 seized")
	assert.Zero(t, p.Motors["M1"].RPM)
	share := p.Motors["M2"].RPM / m.TopRPM("M2")
	well := solve(t, m, "low").Motors["M2"].RPM / m.TopRPM("M2")
	assert.Greater(t, share, well+0.2)
	assert.Less(t, share, 1.0)
}

// Kirchhoff's current law holds at every pin of every state with every fault: what flows in
// through wires flows on through other wires or into the part, so over all pins of a part
// that stores nothing the sum is zero.
func TestCurrentsBalance(t *testing.T) {
	m := loadModel(t, twin)
	for _, f := range fault.All(m.Circuit) {
		shorted := f.Fault.Words == fault.Grounded || f.Fault.Words == fault.ToBattery
		if shorted || f.Fault.On == fault.OnWires {
			continue // a chafed wire loses current on the way; a crossed one ends elsewhere
		}
		for _, s := range m.Circuit.States {
			p, err := m.Solve(electric.Condition{State: s, Faults: []fault.Fault{f.Fault}})
			require.NoError(t, err)
			into := map[string]float64{}
			for _, w := range p.Wires {
				from, to := harness.ParsePin(w.From), harness.ParsePin(w.To)
				into[from.Part] -= w.Amps
				into[to.Part] += w.Amps
			}
			for _, part := range m.Circuit.Parts {
				if k := part.Kind(); k == harness.KindBattery || k == harness.KindGround {
					continue
				}
				assert.InDelta(t, 0, into[part.Name], 1e-6, "%s in %s with %s", part.Name, s.Name, f.Fault)
			}
		}
	}
}

func TestStatesOfTheTwinFan(t *testing.T) {
	m := loadModel(t, twin)
	for _, c := range []struct {
		state, m1, m2 string
		words         []string
	}{
		{"off", "stopped", "stopped", nil},
		{"low", "slow", "slow", nil},
		{"high", "fast", "fast", nil},
		{"low", "stopped", "stopped", []string{"F3 open"}},
		{"high", "fast", "fast", []string{"F3 open"}},
		{"high", "stopped", "fast", []string{"K1 coil open"}},
		{"high", "stopped", "fast", []string{"K3 sticks at rest"}}, // feasibility study
		{"low", "stopped", "fast", []string{"K2 make contact welded"}},
		{"low", "stopped", "stopped", []string{"K1 out"}},
		{"low", "stopped", "stopped", []string{"M2 unplugged"}},
		{"high", "fast", "stopped", []string{"M2 unplugged"}},
		{"off", "fast", "stopped", []string{"jumper F1.b K1.87", "ground M1.-"}},
	} {
		p := solve(t, m, c.state, c.words...)
		got := fmt.Sprint(p.Motors["M1"].Speed, " ", p.Motors["M2"].Speed)
		assert.Equal(t, c.m1+" "+c.m2, got, "%s %v", c.state, c.words)
	}
}

func TestBackFeedThroughAParallelCoil(t *testing.T) {
	m := loadModel(t, twin)
	p := solve(t, m, "off", "ground K2.85")
	assert.Equal(t, "pulled in", p.Relays["K2"])
	assert.Equal(t, "pulled in", p.Relays["K3"], "K3's coil shares the line")
}

func TestFloatingIsNotZero(t *testing.T) {
	m := loadModel(t, twin)
	p := solve(t, m, "off", "K3 out", "M1 unplugged")
	assert.Nil(t, p.Pins["M1.-"], "a wire between two empty cavities")
	assert.Nil(t, p.Pins["M1.-'"], "the motor on the bench")
	require.NotNil(t, p.Pins["M2.+"])
	assert.InDelta(t, 0, *p.Pins["M2.+"], 1e-6, "grounded through the motor")
}

func TestFusesBlowAndStayBlown(t *testing.T) {
	m := loadModel(t, twin)
	c := m.Circuit
	f, err := fault.Parse(c, "wire K1.87 - M1.+ grounded")
	require.NoError(t, err)
	p, err := m.Solve(electric.Condition{
		State: c.State("off"), After: []*harness.State{c.State("low")}, Faults: []fault.Fault{f},
	})
	require.NoError(t, err)
	assert.True(t, p.Fuses["F1"].Open, "blown in low, still blown in off")
	assert.False(t, p.Fuses["F2"].Open)
	assert.Contains(t, warnings(p), "F1 has blown")
}

func TestWarnings(t *testing.T) {
	m := loadModel(t, twin)
	assert.Contains(t, warnings(solve(t, m, "low", "wire BAT.+ - F1.a grounded")), "it burns unless a fuse opens")
	assert.Contains(t, warnings(solve(t, m, "high", "M1 seized")), "M1 has")
	assert.Contains(t, warnings(solve(t, m, "high", "wire M2.- - G1 resists 0.05")), "lost on M2's ground side")
	assert.Contains(t, warnings(solve(t, m, "low", "K1 coil shorted")), "ECU.61 carries")
}

func warnings(p *electric.Point) string {
	var list []string
	for _, w := range p.Warnings {
		list = append(list, w.Text)
	}
	return strings.Join(list, "\n")
}

// A relay whose own rest contact feeds its coil pulls in, loses its feed, lets go and so on.
func TestARelayThatBuzzesIsNamed(t *testing.T) {
	m := circuit(t, `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  K1: {kind: relay, contacts: break}
  M1: {kind: motor, volts: 12, amps: 5}
wires:
  BAT.+ - K1.30:
  K1.87a - K1.86:
  K1.85 - G1:
  BAT.+ - M1.+:
  M1.- - G1:
states:
  on: {}
`)
	p := solve(t, m, "on")
	assert.Equal(t, "buzzes", p.Relays["K1"])
	assert.False(t, p.Settled)
	assert.Contains(t, warnings(p), "K1 buzzes")
}

// Half an ohm in a ground strap lifts the coils' ground when the fans run; hysteresis keeps
// the relays in.
func TestHysteresisPreventsFalseChatter(t *testing.T) {
	m := loadModel(t, twin)
	p := solve(t, m, "high", "G1 resists 0.3")
	assert.True(t, p.Settled, "%v", p.Relays)
}

func TestOpeningTimes(t *testing.T) {
	// ISO 8820-3 and -4, figures from memory: between the fastest and the slowest.
	for _, c := range []struct {
		style    harness.FuseStyle
		load     float64
		fast, sl float64
	}{
		{harness.StyleBlade, 1.35, 0.75, 1800}, {harness.StyleMini, 2, 0.15, 5}, {harness.StyleBlade, 6, 0.02, 0.1},
		{harness.StyleCartridge, 1.35, 60, 1800}, {harness.StyleCartridge, 2, 2, 60}, {harness.StyleCartridge, 6, 0.04, 1},
	} {
		got := electric.OpensInSeconds(c.style, c.load)
		assert.Greater(t, got, c.fast, "%s at %g", c.style, c.load)
		assert.Less(t, got, c.sl, "%s at %g", c.style, c.load)
	}
	assert.True(t, math.IsInf(electric.OpensInSeconds(harness.StyleBlade, 1), 1))
	last := math.Inf(1)
	for load := 1.1; load < 12; load += 0.1 {
		now := electric.OpensInSeconds(harness.StyleBlade, load)
		assert.Less(t, now, last, "more current opens sooner")
		last = now
	}
}

func TestCarsAreRepeatableAndWithinTolerance(t *testing.T) {
	m := loadModel(t, twin)
	assert.Equal(t, electric.RandomCar(m.Circuit, 7), electric.RandomCar(m.Circuit, 7))
	for seed := range uint64(200) {
		car := electric.RandomCar(m.Circuit, seed)
		supply := 12.6 + car.Supply
		assert.True(t, supply >= 11.9 && supply <= 12.8, "%.2f V", supply)
		for i := range car.Armature {
			assert.InDelta(t, 1, car.Armature[i], 0.15)
			assert.True(t, car.Friction[i] >= 0.6 && car.Friction[i] <= 1.7)
		}
	}
}

func TestActionsAreChecked(t *testing.T) {
	c := loadModel(t, twin).Circuit
	for words, want := range map[string]string{
		"K9 out":                 "there is no part K9",
		"M1 out":                 `"out" is nothing done to a motor (unplugged`,
		"jumper K1.30":           "a jumper joins two pins",
		"jumper K1.30 K1.30":     "both ends are K1.30",
		"ground K1.99":           `no pin "99"`,
		"swapped K1 K3":          "not identical",
		"out":                    "an action is as in",
		"K1 polished thoroughly": "is nothing done to a relay",
	} {
		_, err := electric.ParseAction(c, words)
		require.Error(t, err, words)
		assert.Contains(t, err.Error(), want)
	}
	for _, words := range []string{"K1 out", "M2 unplugged", "BAT apart", "jumper K1.30 K1.87", "ground K1.85", "feed M1.+",
		"F3 renewed", "K1 renewed used", "swapped K1 K2"} {
		a, err := electric.ParseAction(c, words)
		require.NoError(t, err)
		assert.Equal(t, words, a.String())
	}
	_, err := loadModel(t, twin).Network([]electric.Action{{Verb: electric.GroundPin, From: harness.ParsePin("K1.30'")}}, nil)
	assert.ErrorContains(t, err, "only while K1 is out")
}

func TestSwappingMovesTheFault(t *testing.T) {
	m := loadModel(t, twin)
	p := solve(t, m, "low", "K1 make contact burnt 5", "swapped K1 K2")
	assert.Equal(t, electric.Slow, p.Motors["M1"].Speed, "low is well with the good relay in K1's socket")
	assert.InDelta(t, solve(t, m, "low").Motors["M1"].RPM, p.Motors["M1"].RPM, 1)
	healthy := solve(t, m, "low", "F3 open", "F3 renewed")
	assert.Equal(t, electric.Slow, healthy.Motors["M2"].Speed)
}

func BenchmarkPoint(b *testing.B) {
	m := loadModel(b, twin)
	n, err := m.Network(nil, nil)
	require.NoError(b, err)
	high := m.Circuit.State("high")
	b.ReportAllocs()
	for b.Loop() {
		n.Restore()
		n.Enter(high)
	}
}

func BenchmarkBuildAndSolve(b *testing.B) {
	m := loadModel(b, twin)
	low := m.Circuit.State("low")
	for b.Loop() {
		if _, err := m.Solve(electric.Condition{State: low}); err != nil {
			b.Fatal(err)
		}
	}
}
