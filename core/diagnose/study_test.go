package diagnose_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Two burnt things at once: no single fault explains it, the pair is named, and once the one is
// mended the other is found.
func TestAPairIsSearchedWhereNoSingleFaultExplainsTheLog(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	seen := []probe.Observation{
		look("high", "stopped", "fast"), look("low", "stopped", "stopped"),
		volts("high", "F1.a", 12.2), volts("high", "F1.b", 0), volts("low", "F1.b", 0),
		volts("high", "F3.a", 0), volts("high", "F3.b", 12.1), // the link is open too: else the second fan's feed would show on both sides
	}
	a := assess(t, g, seen...)
	require.NotEmpty(t, a.Pairs)
	assert.ElementsMatch(t, []string{"F1 open", "F3 open"}, a.Pairs[0].Faults[:])
	for _, p := range a.Pairs[1:] {
		assert.LessOrEqual(t, p.Probability, a.Pairs[0].Probability)
	}
	// With a lead that feeds the first relay, a car with the one fuse open would run slow; with both it stands still.
	feed, err := electric.ParseAction(g.Circuit(), "feed K1.30")
	require.NoError(t, err)
	fed := probe.Test{Do: probe.LookAtFans, State: g.Circuit().State("low"), Setup: []electric.Action{feed}}
	m, err := g.Look(t.Context(), seen, diagnose.Now{}, fed)
	require.NoError(t, err)
	assert.Equal(t, "M1 stopped, M2 stopped", m.Outcomes[0].Reading)
	assert.Greater(t, m.Outcomes[0].Probability, a.Pairs[0].Probability*0.9)
	assert.Equal(t, "F1 open and F3 open", m.Outcomes[0].Leaves[0], "the pair's own forecast")
	one := assess(t, g, look("high", "fast", "fast"), look("low", "stopped", "stopped"))
	assert.Empty(t, one.Pairs, "one fault explains it all")
}

// After a repair only what was seen since counts; a new part is exonerated, a used one not
// quite.
func TestARepairBeginsAnew(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	before := []probe.Observation{look("high", "fast", "fast"), look("low", "stopped", "stopped"), volts("low", "F3.a", 12.3),
		volts("low", "F3.b", 0)}
	belief := func(repair string, since ...probe.Observation) (found, all float64) {
		setup, err := electric.ParseSetup(g.Circuit(), []string{repair})
		require.NoError(t, err)
		seen := before
		for _, o := range since {
			o.Setup = []string{repair}
			seen = append(seen, o)
		}
		a, err := g.Assess(t.Context(), seen, diagnose.Now{Setup: setup})
		require.NoError(t, err)
		assert.Equal(t, []string{repair}, a.Repaired)
		for _, s := range a.Suspects {
			for _, name := range append([]string{s.Fault}, s.SameAs...) {
				if name == "F3 open" {
					found += s.Probability
				}
			}
			all += s.Probability
		}
		return found, all
	}
	still := []probe.Observation{look("high", "fast", "fast"), look("low", "stopped", "stopped")}
	fresh, _ := belief("F3 renewed", still...)
	used, _ := belief("F3 renewed used", still...)
	other, _ := belief("K3 renewed", still...)
	assert.Less(t, fresh, 0.1, "the new link fuse is not blown again")
	assert.Greater(t, used, 2*fresh)
	assert.Greater(t, other, used)
}

func TestProveMeWrong(t *testing.T) {
	g := guide(t)
	seen := []probe.Observation{look("high", "fast", "fast"), look("low", "stopped", "stopped")}
	now := diagnose.Now{State: g.Circuit().State("low")}
	s, err := g.Refute(t.Context(), seen, now, "K3")
	require.NoError(t, err)
	assert.Greater(t, s.Belief, 0.02)
	assert.Less(t, s.Belief, 0.6)
	require.NotEmpty(t, s.Else)
	assert.Equal(t, "F3 open", s.Else[0].Fault)
	require.NotNil(t, s.Refute)
	assert.InDelta(t, s.Price*(1-s.Belief), s.Loss, 1e-9)
	assert.Greater(t, s.Refuted, 0.3)
	// The test does refute it where the truth is the link fuse: the answer leaves less of K3.
	after := append(slices.Clone(seen), car{g, "F3 open"}.answer(t, *s.Refute))
	again, err := g.Refute(t.Context(), after, now, "K3")
	require.NoError(t, err)
	assert.Less(t, again.Belief, s.Belief/2)
	_, err = g.Refute(t.Context(), seen, now, "K9")
	assert.ErrorContains(t, err, "there is no part K9")
}

func TestWhyStillHereAndWhyCleared(t *testing.T) {
	g := guide(t)
	seen := []probe.Observation{look("high", "fast", "fast"), look("low", "stopped", "stopped"), volts("low", "F3.a", 12.3)}
	here, err := g.Why(t.Context(), seen, diagnose.Now{}, "F3 open")
	require.NoError(t, err)
	require.Len(t, here.Reasons, 3)
	assert.Greater(t, here.Now, here.Prior)
	assert.Equal(t, "M1 fast, M2 fast", here.Reasons[0].Expected)
	assert.Greater(t, here.Reasons[1].Times, 1.0)
	gone, err := g.Why(t.Context(), seen, diagnose.Now{}, "F2 open")
	require.NoError(t, err)
	assert.Less(t, gone.Now, gone.Prior/10)
	assert.Less(t, gone.Reasons[0].Times, 0.1, "both fans fast on high: its fuse is whole")
	_, err = g.Why(t.Context(), seen, diagnose.Now{}, "F3 melted")
	assert.ErrorContains(t, err, "F3")
}

// The workshop's own jobs move the priors, never by more than they weigh, and can be set back.
func TestExperienceMovesThePriors(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	share := func(e diagnose.Experience) (usual, now, all float64) {
		for _, p := range g.Priors(e) {
			all += p.Now
			if p.Kind == "fuse open" {
				usual, now = p.Usual, p.Now
			}
		}
		return usual, now, all
	}
	usual, now, all := share(nil)
	assert.InDelta(t, usual, now, 1e-12)
	learnt := diagnose.Experience{"fuse open": 20, "no such kind": 50}
	_, now, after := share(learnt)
	assert.Greater(t, now, usual)
	assert.Less(t, now, 0.6, "twenty jobs are not all there is to know")
	assert.InDelta(t, all, after, 1e-9, "the sum stays")
	with, err := g.Assess(t.Context(), nil, diagnose.Now{Learnt: learnt})
	require.NoError(t, err)
	without, err := g.Assess(t.Context(), nil, diagnose.Now{})
	require.NoError(t, err)
	assert.Greater(t, with.Belief.Parts["F3"], without.Belief.Parts["F3"])
	_, now, _ = share(nil)
	assert.InDelta(t, usual, now, 1e-12)
}

// Tools and school change what is offered, never what a reading proves.
func TestToolsAndSchools(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	seen := []probe.Observation{look("high", "fast", "fast"), look("low", "stopped", "stopped")}
	at := func(kit probe.Kit, school probe.School) *diagnose.Assessment {
		a, err := g.Assess(t.Context(), seen, diagnose.Now{State: g.Circuit().State("low"), Kit: kit, School: school})
		require.NoError(t, err)
		return a
	}
	all := at(probe.Kit{}, probe.PlainBest)
	for _, kit := range []probe.Kit{{NoMeter: true}, {NoMeter: true, NoLamp: true}, {NoJumper: true, NoClamp: true, Scan: probe.NoTool}} {
		a := at(kit, probe.PlainBest)
		require.NotEmpty(t, a.Next)
		for _, m := range a.Next {
			if kit.NoMeter {
				assert.NotContains(t, []probe.Do{probe.Volts, probe.Ohms}, m.Do)
			}
			if kit.NoLamp {
				assert.NotEqual(t, probe.Lamp, m.Do)
			}
			if kit.Scan == probe.NoTool {
				assert.NotEqual(t, probe.TroubleCodes, m.Do)
			}
		}
		require.Equal(t, len(all.Suspects), len(a.Suspects))
		for k := range a.Suspects {
			assert.InDelta(t, all.Suspects[k].Probability, a.Suspects[k].Probability, 1e-9)
		}
	}
	sensed := guideFor(t, "m2-three-relay-two-winding")
	c := sensed.Circuit()
	untooled := diagnose.Now{Kit: probe.Kit{Scan: probe.NoTool}}
	warm, err := sensed.Look(t.Context(), nil, untooled, probe.Test{Do: probe.LookAtFans, State: c.State("high")})
	require.NoError(t, err)
	assert.Contains(t, strings.Join(warm.Steps, " "), "a resistor of about", "%v", warm.Steps)
	quick, err := sensed.Look(t.Context(), nil, diagnose.Now{}, probe.Test{Do: probe.LookAtFans, State: c.State("high")})
	require.NoError(t, err)
	assert.Greater(t, warm.Minutes, quick.Minutes)

	swap := at(probe.Kit{}, probe.SwapFirst)
	fuse := at(probe.Kit{}, probe.FuseFirst)
	assert.Contains(t, fuse.Next[0].At, "F", "a fuse-first technician goes to the fuses")
	assert.Equal(t, all.Suspects[0].Fault, swap.Suspects[0].Fault)
}

// Each kind of test is worded with its steps, tools and cautions.
func TestWordsOfEveryKindOfTest(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	c := g.Circuit()
	words := map[probe.Do]int{}
	for _, part := range []string{"K1", "K3", "M1"} {
		for _, test := range probe.Around(c, nil, c.Part(part)) {
			m, err := g.Look(t.Context(), nil, diagnose.Now{}, test)
			require.NoError(t, err, "%v", test)
			assert.NotEmpty(t, m.Title)
			assert.NotEmpty(t, m.Steps, m.Title)
			assert.NotEmpty(t, m.Good, m.Title)
			assert.NotContains(t, m.Good, "NaN", m.Title)
			made, err := m.Test(c)
			require.NoError(t, err, m.Title)
			assert.Equal(t, test.Key(), made.Key(), "the move's own keys name the same test: %s", m.Title)
			words[m.Do]++
			if m.Do == probe.Ohms && !test.At.Inner {
				assert.Contains(t, m.Cautions[len(m.Cautions)-1], "Power off")
			}
		}
	}
	for _, do := range []probe.Do{probe.LookAtFans, probe.Relay, probe.Ohms, probe.Amps, probe.Turned, probe.Looked, probe.Wiggled} {
		assert.Positive(t, words[do], do)
	}
	turned, err := g.Look(t.Context(), nil, diagnose.Now{}, probe.Around(c, nil, c.Part("M1"))[2])
	require.NoError(t, err)
	assert.Equal(t, []string{"M1 unplugged"}, turned.Setup, "before a hand goes to a fan its motor is unplugged")
}

// A sensor on its own plug: its ohms against the curve at the temperature of the state
// that the harness gives.
func TestASensorAgainstItsCurve(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "m2-three-relay-two-winding")
	c := g.Circuit()
	sensors := c.OfKind(harness.KindSensor)
	require.NotEmpty(t, sensors)
	sensor := sensors[0]
	n := 0
	for _, test := range probe.Around(c, nil, sensor) {
		if test.Do != probe.Ohms {
			continue
		}
		n++
		m, err := g.Look(t.Context(), nil, diagnose.Now{}, test)
		require.NoError(t, err)
		assert.Contains(t, m.Title, "unplugged: ohms from")
		assert.NotEqual(t, "open", m.Good)
		assert.Equal(t, []string{sensor.Name + " unplugged"}, m.Setup)
		o := car{g, sensor.Name + " open"}.answer(t, m)
		require.Equal(t, probe.Ohms, o.Do)
		assert.True(t, o.Reading().Open, "a broken sensor reads open")
		a, err := g.Assess(t.Context(), []probe.Observation{o}, diagnose.Now{Setup: test.Setup})
		require.NoError(t, err)
		assert.Contains(t, tops(a, 0.3), sensor.Name+" open")
	}
	assert.Positive(t, n)
}

// Whoever has neither meter nor lamp still comes to a proven verdict, with an LED tester.
func TestAProofWithAnLEDTester(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	player := g.Drive(t, "F3 open")
	now := diagnose.Now{Kit: probe.Kit{NoMeter: true, NoLamp: true, NoClamp: true, NoJumper: true}}
	var seen []probe.Observation
	for range 25 {
		a, err := g.Assess(t.Context(), seen, now)
		require.NoError(t, err)
		if a.Verdict != nil && a.Verdict.Proven {
			assert.Contains(t, a.Verdict.Faults, "F3 open")
			return
		}
		require.NotEmpty(t, a.Next)
		seen = append(seen, player.Answer(&a.Next[0]))
		now.State = g.Circuit().State(a.Next[0].State)
		now.Setup, err = electric.ParseSetup(g.Circuit(), a.Next[0].Setup)
		require.NoError(t, err)
	}
	t.Error("no proven verdict in 25 tests")
}
