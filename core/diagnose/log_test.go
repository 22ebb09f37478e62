package diagnose_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
	"ironthread/library"
	"ironthread/library/librarytest"
	"ironthread/soak"
)

func looked(state, m1, m2 string) probe.Observation {
	return probe.Seen(state, probe.Fans{"M1": m1, "M2": m2})
}

func believedIn(a *diagnose.Assessment, fault string) float64 {
	for _, s := range a.Suspects {
		if s.Fault == fault || slices.Contains(s.SameAs, fault) {
			return s.Probability
		}
	}
	return 0
}

func sound(t *testing.T, a *diagnose.Assessment) {
	t.Helper()
	sum := 0.0
	for _, s := range a.Suspects {
		require.False(t, math.IsNaN(s.Probability), s.Fault)
		sum += s.Probability
	}
	assert.Positive(t, sum)
}

// A look written down many times is one witness: it is no surprise, and it says as much as once.
func TestARepeatedLookIsOneWitness(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f3-twin-series-parallel")
	healthy := []probe.Observation{looked("low", "slow", "slow"), looked("high", "fast", "fast"), looked("off", "stopped", "stopped")}
	once, err := g.Assess(t.Context(), healthy, diagnose.Now{})
	require.NoError(t, err)
	var often []probe.Observation
	for range 50 {
		often = append(often, healthy...)
	}
	many, err := g.Assess(t.Context(), often, diagnose.Now{})
	require.NoError(t, err)
	assert.Empty(t, many.Surprising, "150 healthy looks")
	assert.InDelta(t, believedIn(once, diagnose.NoFault), believedIn(many, diagnose.NoFault), 1e-9)
}

// A probe that does not touch reads nothing however often it is read: five wrong readings do not
// outweigh looks that are right.
func TestAWrongReadingRepeatedIsOneWitness(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f3-twin-series-parallel")
	seen := []probe.Observation{looked("low", "slow", "slow"), looked("high", "fast", "fast")}
	for range 5 {
		seen = append(seen, volts("low", "K1.30", 0))
	}
	a, err := g.Assess(t.Context(), seen, diagnose.Now{})
	require.NoError(t, err)
	assert.Less(t, believedIn(a, "F1 open"), 0.05, "both fans ran through it")
	assert.NotEmpty(t, a.Surprising, "the readings contradict the looks")
}

// Four hundred answers that contradict each other leave a belief, and say so.
func TestContradictingRepeatsSaySo(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f3-twin-series-parallel")
	var seen []probe.Observation
	for range 200 {
		seen = append(seen, looked("high", "fast", "fast"), looked("high", "stopped", "stopped"))
	}
	a, err := g.Assess(t.Context(), seen, diagnose.Now{})
	require.NoError(t, err)
	sound(t, a)
	assert.NotEmpty(t, a.Surprising)
	// One wrong reading, taken again as asked, stands alone against the others and is the one named.
	seen = []probe.Observation{looked("high", "fast", "fast"), volts("high", "F4.b", 0), volts("high", "F4.b", 12.4),
		volts("high", "F4.b", 12.5)}
	a, err = g.Assess(t.Context(), seen, diagnose.Now{})
	require.NoError(t, err)
	require.Len(t, a.Surprising, 1)
	assert.Equal(t, 1, a.Surprising[0].Index)
	assert.Contains(t, a.Surprising[0].Text, "contradicts")
}

// longLog is a log of so many answers of a healthy car to every question there is, in turn.
func longLog(t testing.TB, g *diagnose.Guide, n int) []probe.Observation {
	t.Helper()
	c := g.Circuit()
	var round []probe.Observation
	for _, s := range c.States {
		p, err := g.Model().Solve(electric.Condition{State: s})
		require.NoError(t, err)
		o := probe.Seen(s.Name, probe.Fans{})
		for _, fan := range c.Fans() {
			o.Fans()[fan.Name] = string(p.Motors[fan.Name].Speed)
		}
		round = append(round, o)
		for _, pin := range g.Model().Pins() {
			if v := p.Pins[pin.String()]; v != nil && pin.String() != "BAT.-" {
				round = append(round, volts(s.Name, pin.String(), math.Round(10**v)/10))
			}
		}
	}
	var seen []probe.Observation
	for len(seen) < n {
		seen = append(seen, round...)
	}
	return seen[:n]
}

// Two thousand entries leave a belief without a false surprise, and the healthy car is named.
func TestBeliefSurvivesALongLog(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f3-twin-series-parallel")
	a, err := g.Assess(t.Context(), longLog(t, g, 2000), diagnose.Now{})
	require.NoError(t, err)
	sound(t, a)
	assert.Empty(t, a.Surprising)
	assert.Equal(t, diagnose.NoFault, a.Suspects[0].Fault)
}

func BenchmarkLongLog(b *testing.B) {
	g := guideFor(b, "f3-twin-series-parallel")
	seen := longLog(b, g, 2000)
	_, err := g.Assess(b.Context(), seen, diagnose.Now{})
	require.NoError(b, err)
	for b.Loop() {
		if _, err := g.Assess(b.Context(), seen, diagnose.Now{}); err != nil {
			b.Fatal(err)
		}
	}
}

// A short that has blown its fuse blows the new one too, in the state in which it lies; what has
// blown stays blown in the next state, and the short leads.
func TestAFuseThatBlowsAgainIsAShort(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f3-twin-series-parallel")
	renewed := []string{"F1 renewed"}
	with := func(o probe.Observation) probe.Observation {
		o.Setup = renewed
		return o
	}
	seen := []probe.Observation{
		looked("low", "stopped", "stopped"), looked("high", "stopped", "fast"), volts("low", "F1.a", 12.5), volts("low", "F1.b", 0),
		with(looked("low", "stopped", "stopped")), with(looked("high", "stopped", "fast")), with(volts("off", "F1.a",
			12.6)), with(volts("off", "F1.b", 0)),
	}
	setup, err := electric.ParseSetup(g.Circuit(), renewed)
	require.NoError(t, err)
	a, err := g.Assess(t.Context(), seen, diagnose.Now{Setup: setup})
	require.NoError(t, err)
	shorts := 0.0
	for _, s := range a.Suspects {
		if strings.HasSuffix(s.Fault, "grounded") || s.Fault == "M1 seized" {
			shorts += s.Probability
		}
	}
	assert.Greater(t, shorts, 0.7, "%v", a.Suspects[:min(6, len(a.Suspects))])
	assert.Less(t, believedIn(a, "F1 open"), 0.2, "a second bad fuse is rare")
}

// Every inspection that is named as deciding between a fuse and the short that blew it does decide:
// measured on the circuit, the short reads next to nothing there and the fuse alone reads much.
func TestTheInspectionDecidesBetweenFuseAndShort(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	entries, err := library.All()
	require.NoError(t, err)
	tried := 0
	for _, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		for _, short := range diagnose.ShortInspections(t, m) {
			tried++
			ohms := func(words ...string) float64 {
				r, err := m.Measure(electric.Measurement{
					Condition:  electric.Condition{State: short.Test.State, Setup: short.Test.Setup, Faults: parse(t, e.Circuit, words...)},
					Instrument: electric.Ohmmeter, At: short.Test.At, From: short.Test.From,
				})
				require.NoError(t, err, "%s: %s", e.Name, short.Fault)
				if r.Figure == nil {
					return math.Inf(1)
				}
				return *r.Figure
			}
			assert.Less(t, ohms(short.Fault), 0.2, "%s: %s", e.Name, short.Fault)
			assert.Greater(t, ohms(short.Fuse+" open"), 5.0, "%s: %s beside %s", e.Name, short.Fuse, short.Fault)
		}
	}
	assert.Greater(t, tried, 25)
}

// What next asks can be answered and appended as it stands: the keys of each move, with an answer put
// in, read back as the same test.
func TestAMoveIsAnObservationWithoutItsAnswer(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f3-twin-series-parallel")
	c := g.Circuit()
	keys := []string{"state", "setup", "at", "from", "with", "bench", "between", "energised", "relay", "turned", "looked", "wiggled"}
	done := map[probe.Do]bool{}
	for _, p := range c.Parts {
		for _, test := range append(probe.Around(c, nil, p), probe.Tests(c, nil)[:40]...) {
			if done[test.Do] && test.Do != probe.Ohms {
				continue
			}
			m, err := g.Look(t.Context(), nil, diagnose.Now{}, test)
			require.NoError(t, err)
			b, err := json.Marshal(m)
			require.NoError(t, err)
			var all, kept map[string]any
			require.NoError(t, json.Unmarshal(b, &all))
			assert.NotContains(t, all, "part")
			kept = map[string]any{}
			for _, k := range keys {
				if v, ok := all[k]; ok {
					kept[k] = v
				}
			}
			switch kind := probe.Of(m.Do).(type) {
			case probe.Looking:
				kept["fans"] = map[string]string{"M1": "slow"}
			case probe.Figured:
				kept[string(m.Do)] = 1.5
			case probe.Worded:
				test, err := m.Test(g.Circuit())
				require.NoError(t, err)
				said, err := json.Marshal(probe.Observation{Question: m.Question, Answer: kind.Say(kind.Words(test)[0])})
				require.NoError(t, err)
				require.NoError(t, json.Unmarshal(said, &kept))
			}
			line, err := json.Marshal([]any{kept})
			require.NoError(t, err)
			seen, err := probe.ReadObservations(line, c)
			require.NoError(t, err, "%s", line)
			again, err := seen[0].Test(c)
			require.NoError(t, err)
			assert.Equal(t, test.Key(), again.Key(), "%s", line)
			done[test.Do] = true
		}
	}
	assert.Greater(t, len(done), 5, "%v", done)
}

// The steps name every condition in which the state differs from a parked vehicle.
func TestStepsNameEveryCondition(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	c, err := harness.Read([]byte(`harness: 1
title: A probe thermostat with a master switch
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  S1: {kind: switch, closed-when: master}
  TS: {kind: thermoswitch, stages: {"1": {closes: 95, opens: 90}}}
  M1: {kind: motor, volts: 12, amps: 8}
  ECU: {kind: controller, pins: {"1": {sinks-on: lamp}, "2": {ground: true}}}
  L1: {kind: lamp, volts: 12, watts: 5}
wires: {BAT.+ - S1.a: , S1.b - TS.1: , TS.c - M1.+: , M1.- - G1: , BAT.+ - L1.a: , L1.b - ECU.1: , ECU.2 - G1: }
states:
  parked: {}
  hot: {key: on, engine: running, coolant: 99, ac: on, master: on, commands: []}
  lit: {key: on, commands: [lamp]}
`))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	g, err := diagnose.New(m)
	require.NoError(t, err)
	move, err := g.Look(t.Context(), nil, diagnose.Now{}, probe.Test{Do: probe.LookAtFans, State: c.State("hot")})
	require.NoError(t, err)
	steps := strings.Join(move.Steps, " ")
	for _, condition := range []string{"ey on", "engine running", "A/C on", "coolant at 99 °C", "master on"} {
		assert.Contains(t, steps, condition)
	}
	assert.NotContains(t, move.Title, "commanded", "it is hot, with the engine running")
}

// Two faults at once do not make a renewed part guilty for ever: named again, it says that the new one
// would be bad.
func TestARenewedPartIsNamedAsTheNewOne(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f1-one-relay")
	setup, err := electric.ParseSetup(g.Circuit(), []string{"F1 renewed"})
	require.NoError(t, err)
	dead := probe.Seen("hot", probe.Fans{"M1": "stopped"}, "F1 renewed")
	a, err := g.Assess(t.Context(), []probe.Observation{dead}, diagnose.Now{Setup: setup})
	require.NoError(t, err)
	for _, s := range a.Suspects {
		assert.Equal(t, strings.HasPrefix(s.Fault, "F1 "), s.Again, s.Fault)
	}
	assert.NotEqual(t, "F1 open", a.Suspects[0].Fault)
}

// Nothing goes on computing once nobody waits.
func TestAnAssessmentStopsWithItsContext(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := diagnose.Fresh(t, "m2-three-relay-two-winding")
	ctx, stop := context.WithCancel(t.Context())
	stop()
	_, err := g.Assess(ctx, nil, diagnose.Now{})
	require.ErrorIs(t, err, context.Canceled)
	_, err = g.Look(ctx, nil, diagnose.Now{}, probe.Test{Do: probe.TroubleCodes, State: g.Circuit().States[0]})
	require.ErrorIs(t, err, context.Canceled)
	_, err = g.Assess(t.Context(), nil, diagnose.Now{})
	require.NoError(t, err, "and it can be asked again")
}

// What all guides keep together stays within the budget that they share.
func TestGuidesShareABudget(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	const most = 3 << 20
	budget := predict.NewBudget(most)
	for n := range 4 {
		e, err := library.Open("f1-one-relay")
		require.NoError(t, err)
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		g, err := diagnose.NewWithin(m, budget)
		require.NoError(t, err)
		for _, words := range [][]string{nil, {"K1 out"}, {"M1 unplugged"}} {
			setup, err := electric.ParseSetup(e.Circuit, words)
			require.NoError(t, err)
			seen := probe.Seen("hot", probe.Fans{"M1": "stopped"}, words...)
			_, err = g.Assess(t.Context(), []probe.Observation{seen}, diagnose.Now{Setup: setup})
			require.NoError(t, err)
			assert.LessOrEqual(t, budget.Bytes(), int64(most)+1<<20, "guide %d, %v", n, words)
		}
	}
}

// Twelve fans have sixteen million combinations of words; only those that can be are followed.
func TestTwelveFans(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	soak.Only(t, "TestManyFans")
	manyFans(t, 12)
}

// A fan that stands still among several is found by the look at all of them.
func TestManyFans(t *testing.T) { manyFans(t, 5) }

func manyFans(t *testing.T, n int) {
	c, err := harness.Read([]byte(librarytest.ManyFans(n)))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	g, err := diagnose.New(m)
	require.NoError(t, err)
	a, err := g.Assess(t.Context(), nil, diagnose.Now{})
	require.NoError(t, err)
	require.NotEmpty(t, a.Next)
	assert.Equal(t, probe.LookAtFans, a.Next[0].Do, "the look at all fans tells most")
	o := probe.Seen("run", probe.Fans{})
	for i := 1; i <= n; i++ {
		o.Fans()[fmt.Sprintf("M%d", i)] = "fast"
	}
	o.Fans()["M4"] = "stopped"
	a, err = g.Assess(t.Context(), []probe.Observation{o}, diagnose.Now{})
	require.NoError(t, err)
	assert.Contains(t, a.Suspects[0].Fault, "4")
}

// A circuit that no machine of a workshop could foretell is refused with a sentence.
func TestACircuitTooLargeIsRefused(t *testing.T) {
	text := strings.Replace(librarytest.ManyFans(24), "states: {off: {commands: []}, run: {commands: [run]}}\n", "states:\n", 1)
	for i := range 40 {
		text += fmt.Sprintf("  s%d: {commands: [run]}\n", i)
	}
	c, err := harness.Read([]byte(text))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	_, err = diagnose.New(m)
	require.Error(t, err)
	assert.Contains(t, err.Error(), "too large to be diagnosed")
}

func parse(t *testing.T, c *harness.Circuit, words ...string) []fault.Fault {
	t.Helper()
	var list []fault.Fault
	for _, w := range words {
		f, err := fault.Parse(c, w)
		require.NoError(t, err)
		list = append(list, f)
	}
	return list
}
