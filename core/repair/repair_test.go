package repair_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/library"
)

func model(t *testing.T, name string) *electric.Model {
	t.Helper()
	e, err := library.Open(name)
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	return m
}

func faults(t *testing.T, m *electric.Model, words ...string) []fault.Fault {
	t.Helper()
	var list []fault.Fault
	for _, w := range words {
		f, err := fault.Parse(m.Circuit, w)
		require.NoError(t, err)
		list = append(list, f)
	}
	return list
}

// The strategy's own figures, on at 95 and 103 °C, off below 98 and 90 °C, come back out of the
// warm-up.
func TestAWarmUpFollowsTheStrategy(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	steps, err := repair.WarmUp(m, nil, nil)
	require.NoError(t, err)
	var said []string
	for _, s := range steps {
		said = append(said, strings.Join([]string{s.Words(), map[bool]string{true: "up", false: "down"}[s.Rising]}, " "))
	}
	assert.Equal(t, []string{"M1 stopped, M2 stopped up", "M1 slow, M2 slow up", "M1 fast, M2 fast up", "M1 slow, M2 slow down",
		"M1 stopped, M2 stopped down"}, said)
	assert.Equal(t, []float64{95, 103}, []float64{steps[1].Coolant, steps[2].Coolant})
	assert.Equal(t, []float64{97, 89}, []float64{steps[3].Coolant, steps[4].Coolant}, "below 98 and 90 °C")
}

func TestWhatAFaultExplains(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	well, err := repair.WarmUp(m, nil, nil)
	require.NoError(t, err)
	ill, err := repair.WarmUp(m, nil, faults(t, m, "F3 open"))
	require.NoError(t, err)
	list := repair.Explained(well, ill)
	require.NotEmpty(t, list)
	assert.Contains(t, list[0], "Warming up, from 95 °C: M1 stopped instead of slow, M2 stopped instead of slow")
	for _, line := range list {
		assert.NotContains(t, line, "instead of fast", "high does not need the link fuse")
	}
	assert.Empty(t, repair.Explained(well, well))
}

// A thermoswitch keeps its own hysteresis; a circuit that says nothing of temperatures is
// named as such.
func TestWarmUpsOfOtherFamilies(t *testing.T) {
	steps, err := repair.WarmUp(model(t, "f1-one-relay"), nil, nil)
	require.NoError(t, err)
	require.Len(t, steps, 3)
	assert.Greater(t, steps[1].Coolant, steps[2].Coolant, "it opens below where it closed")
	_, err = repair.WarmUp(model(t, "f10-speed-controller"), nil, nil)
	assert.ErrorContains(t, err, "does not say at which temperatures")
}

func TestTheVerificationList(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	list, err := repair.List(m, nil)
	require.NoError(t, err)
	keys := map[string]repair.Check{}
	for _, c := range list {
		keys[c.Key] = c
	}
	assert.Equal(t, "M1 fast, M2 fast", keys["look high"].Expect)
	require.Contains(t, keys, "clamp M1 high")
	assert.NotContains(t, keys, "clamp M1 off", "a fan at rest draws nothing to clamp")
	assert.Contains(t, keys, "codes")
	assert.Contains(t, keys, "warm-up up 95")
	// The healthy figure lies inside its own band, half of it does not.
	p, err := m.Solve(electric.Condition{State: m.Circuit.State("high")})
	require.NoError(t, err)
	band := keys["clamp M1 high"]
	assert.Greater(t, p.Motors["M1"].Amps, band.Low)
	assert.Less(t, p.Motors["M1"].Amps, band.High)
	assert.Less(t, p.Motors["M1"].Amps/2, band.Low)
}

func TestTicking(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	list, err := repair.List(m, nil)
	require.NoError(t, err)
	all := len(list)
	none := repair.Tick(m, list, nil, nil)
	assert.Equal(t, all, repair.Left(none))
	seen := []probe.Observation{
		probe.Seen("high", probe.Fans{"M1": "fast", "M2": "running"}),
		probe.Seen("low", probe.Fans{"M1": "stopped", "M2": "slow"}),
		probe.Read("high", probe.InAmps.Shows(4), "M1.+"),
		{Question: probe.Question{Do: probe.TroubleCodes}, Answer: probe.Codes{}},
	}
	said := map[string]string{"warm-up up 95": repair.AsExpected, "warm-up up 103": "not before 110"}
	ticked := map[string]repair.Ticked{}
	for _, x := range repair.Tick(m, list, seen, said) {
		ticked[x.Key] = x
	}
	assert.True(t, ticked["look high"].Done && !ticked["look high"].Wrong, "an ear's “running” agrees with fast")
	assert.True(t, ticked["look low"].Wrong)
	assert.True(t, ticked["clamp M1 high"].Wrong, "4 A is no fan on high")
	assert.True(t, ticked["codes"].Done && !ticked["codes"].Wrong)
	assert.False(t, ticked["warm-up up 95"].Wrong)
	assert.True(t, ticked["warm-up up 103"].Wrong)
	assert.False(t, ticked["look off"].Done)
	// Seen again, and now right.
	seen = append(seen, probe.Seen("low", probe.Fans{"M1": "slow", "M2": "slow"}))
	for _, x := range repair.Tick(m, list, seen, said) {
		if x.Key == "look low" {
			assert.False(t, x.Wrong)
		}
	}
}

func TestCausesAreAskedWhereTheFaultIsAConsequence(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	keys := func(words string) string {
		var list []string
		for _, c := range repair.Causes(m, faults(t, m, words)[0]) {
			list = append(list, c.Key)
			assert.NotEmpty(t, c.Why)
		}
		return strings.Join(list, "; ")
	}
	link := keys("F3 open")
	assert.Contains(t, link, "cause drag M1")
	assert.Contains(t, link, "cause drag M1 and M2", "the link fuse carries both in series")
	assert.Contains(t, keys("F2 open"), "cause drag M2")
	assert.NotContains(t, keys("F2 open"), "cause drag M1", "fan 1 has its own feed")
	assert.Contains(t, keys("K3 rest contact burnt"), "cause rest K3")
	assert.Contains(t, keys("M1 worn"), "cause joints M1")
	assert.Empty(t, keys("K1 coil open"), "a coil that opens is its own cause")
	card := model(t, "f6-resistor-card")
	var all []string
	for _, c := range repair.Causes(card, faults(t, card, "RC limiter open")[0]) {
		all = append(all, c.Key)
	}
	assert.Contains(t, all, "cause airflow RC")
}

func TestCanItBeDriven(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	d, err := repair.CanDrive(m, nil, faults(t, m, "F3 open"))
	require.NoError(t, err)
	air := map[string]float64{}
	for _, s := range d.States {
		air[s.State] = s.Air
	}
	assert.Zero(t, air["low"])
	assert.InDelta(t, 1, air["high"], 0.01)
	assert.Contains(t, d.Verdict, "Most of the air is left")
	assert.Contains(t, d.Never[0], "Never a larger fuse")

	assert.NotContains(t, strings.Join(d.Helps, " "), "A/C on", "the low speed that it asks for is the one that is dead")
	weak, err := repair.CanDrive(m, nil, faults(t, m, "K2 make contact open"))
	require.NoError(t, err)
	assert.Contains(t, strings.Join(weak.Helps, " "), "A/C on: then M1 slow, M2 slow")

	dead, err := repair.CanDrive(m, nil, faults(t, m, "F4 open"))
	require.NoError(t, err)
	assert.Contains(t, dead.Verdict, "No fan runs in any state")
	assert.Contains(t, strings.Join(dead.Helps, " "), "FUSED lead from 30 to 87 in the socket of K1", "a bridge brings both fans on slowly")

	borrowed, err := repair.CanDrive(m, nil, faults(t, m, "K1 coil open"))
	require.NoError(t, err)
	assert.Contains(t, strings.Join(borrowed.Helps, " "), "Borrow: K1 and K2 change places")

	roars, err := repair.CanDrive(m, nil, faults(t, m, "K2 make contact welded"))
	require.NoError(t, err)
	assert.Contains(t, roars.Verdict, "run when they should not")
}

// Every circuit of the library has a verification that a healthy car passes, and says for every
// sampled fault whether it can be driven and why it may have failed.
func TestEveryCircuitOfTheLibrary(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		list, err := repair.List(m, nil)
		require.NoError(t, err, e.Name)
		keys := map[string]bool{}
		for _, c := range list {
			assert.False(t, keys[c.Key], "%s: two checks %s", e.Name, c.Key)
			keys[c.Key] = true
			assert.NotEmpty(t, c.Expect, "%s: %s", e.Name, c.Text)
			if c.Test == nil {
				continue
			}
			o := probe.Observation{Question: c.Test.Question(), Answer: probe.Codes{}}
			p, err := m.Solve(electric.Condition{State: c.Test.State})
			require.NoError(t, err)
			switch c.Test.Do {
			case probe.LookAtFans:
				fans := probe.Fans{}
				for _, fan := range e.Circuit.Fans() {
					fans[fan.Name] = string(p.Motors[fan.Name].Speed)
				}
				o.Answer = fans
			case probe.Amps:
				o.Answer = probe.InAmps.Shows(p.Motors[c.Test.At.Part].Amps)
			}
			ticked := repair.Tick(m, []repair.Check{c}, []probe.Observation{o}, nil)
			assert.True(t, ticked[0].Done && !ticked[0].Wrong, "%s: a healthy car fails at %s (%s): %s", e.Name, c.Text, c.Expect, o.String())
		}
		all := fault.All(e.Circuit)
		for k := 0; k < len(all); k += 9 {
			f := all[k].Fault
			d, err := repair.CanDrive(m, nil, []fault.Fault{f})
			require.NoError(t, err, "%s: %s", e.Name, f)
			assert.Len(t, d.States, len(e.Circuit.States))
			assert.NotEmpty(t, d.Verdict)
			assert.NotEmpty(t, d.Never)
			for _, s := range d.States {
				assert.True(t, s.Air >= 0 && s.Air < 3, "%s, %s: %v", e.Name, f, s)
			}
			for _, c := range repair.Causes(m, f) {
				assert.NotEmpty(t, c.Text)
				assert.NotEmpty(t, c.Why)
			}
		}
	}
}

// A warm-up and the way home go by the set-up that is on the car: a borrowed relay brings low
// back and takes high away.
func TestTheSetupCounts(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	broken := faults(t, m, "K1 coil open")
	swap, err := electric.ParseSetup(m.Circuit, []string{"swapped K1 K2"})
	require.NoError(t, err)
	plain, err := repair.WarmUp(m, nil, broken)
	require.NoError(t, err)
	borrowed, err := repair.WarmUp(m, swap, broken)
	require.NoError(t, err)
	well, err := repair.WarmUp(m, nil, nil)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(repair.Explained(well, plain), " "), "from 95 °C", "no low")
	assert.NotContains(t, strings.Join(repair.Explained(well, borrowed), " "), "from 95 °C")
	assert.Contains(t, strings.Join(repair.Explained(well, borrowed), " "), "from 103 °C", "now high is what lacks")
	d, err := repair.CanDrive(m, swap, broken)
	require.NoError(t, err)
	for _, s := range d.States {
		if s.State == "low" {
			assert.InDelta(t, s.Full, s.Air, 0.05)
		}
	}
	assert.NotContains(t, strings.Join(d.Helps, " "), "Borrow: K1 and K2", "they have changed places already")
	list, err := repair.List(m, swap)
	require.NoError(t, err)
	for _, c := range list {
		if c.Test != nil {
			assert.Equal(t, swap, c.Test.Setup, "what lasts of the repair stands in every check")
		}
	}
}

// What was looked at is not asked again: fans seen one by one, with the engine running or not, a current with the engine
// running against what it is then; one fan that was seen is no answer for the other.
func TestWhatWasSeenIsNotAskedAgain(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	list, err := repair.List(m, nil)
	require.NoError(t, err)
	tick := func(key string, seen ...probe.Observation) repair.Ticked {
		for _, x := range repair.Tick(m, list, seen, nil) {
			if x.Key == key {
				return x
			}
		}
		t.Fatal(key)
		return repair.Ticked{}
	}
	one := probe.Seen("high", probe.Fans{"M1": "fast"})
	other := probe.Seen("high", probe.Fans{"M2": "fast"}, "engine running")
	half := tick("look high", one)
	assert.False(t, half.Done || half.Wrong, "%+v", half)
	whole := tick("look high", one, other)
	assert.True(t, whole.Done && !whole.Wrong, "%+v", whole)
	assert.Contains(t, whole.Read, "M1 fast, M2 fast")
	other.Answer = probe.Fans{"M2": "stopped"}
	assert.True(t, tick("look high", one, other).Wrong)
	assert.False(t, tick("look low", one, other).Done)

	p, err := m.Solve(electric.Condition{State: m.Circuit.State("high"), Setup: []electric.Action{{Verb: electric.Engine,
		Runs: electric.EngineRunning}}})
	require.NoError(t, err)
	clamp := probe.Observation{Question: probe.Question{Do: probe.Amps, State: "high", At: "M1.+", Setup: []string{"engine running"}},
		Answer: probe.InAmps.Shows(p.Motors["M1"].Amps)}
	running := tick("clamp M1 high", clamp)
	assert.True(t, running.Done && !running.Wrong, "%+v", running)
	clamp.Answer = probe.InAmps.Shows(1.4 * p.Motors["M1"].Amps)
	assert.True(t, tick("clamp M1 high", clamp).Wrong)
	clamp.Setup = []string{"engine running", "M2 unplugged"}
	assert.False(t, tick("clamp M1 high", clamp).Done, "not as the car drives")
}

// What was felt or clamped on the way answers why a fuse blew; on a fan that has been renewed since it is felt anew.
func TestCausesSeenOnTheWayAreNotAskedAgain(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	f, err := fault.Parse(m.Circuit, "F3 open")
	require.NoError(t, err)
	causes := repair.Causes(m, f)
	list, err := repair.List(m, nil)
	require.NoError(t, err)
	tick := func(kept []electric.Action, seen ...probe.Observation) map[string]repair.Ticked {
		ticked := map[string]repair.Ticked{}
		said := map[string]string{"cause start M1 and M2": "90 A"}
		for _, x := range repair.TickCauses(causes, repair.Tick(m, list, seen, nil), seen, kept, said) {
			ticked[x.Key] = x
		}
		return ticked
	}
	felt := probe.Told(probe.Turned, "M1", "free", "M1 unplugged")
	drags := probe.Told(probe.Turned, "M2", "drags", "M2 unplugged")
	clamp := probe.Read("high", probe.InAmps.Shows(40), "M2.+")
	const drag, running, start = "cause drag M1 and M2", "cause running M1 and M2", "cause start M1 and M2"
	assert.False(t, tick(nil, felt)[drag].Done, "the other one has not been turned")
	free := drags
	free.Answer = probe.Word("free")
	assert.True(t, tick(nil, felt, free)[drag].Done && !tick(nil, felt, free)[drag].Wrong)
	x := tick(nil, felt, drags, clamp)
	assert.True(t, x[drag].Wrong)
	assert.True(t, x[running].Wrong, "%+v", x[running])
	assert.False(t, tick(nil, felt)[running].Done)
	assert.True(t, x[start].Wrong, "what was said")
	renewed, err := electric.ParseSetup(m.Circuit, []string{"M1 renewed"})
	require.NoError(t, err)
	assert.False(t, tick(renewed, felt, free)[drag].Done)
}
