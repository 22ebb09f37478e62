package diagnose_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/probe"
)

func guideFor(t testing.TB, name string) *diagnose.Guide {
	t.Helper()
	return diagnose.Shared(t, name)
}

// tops names the suspects down to a probability.
func tops(a *diagnose.Assessment, least float64) []string {
	var names []string
	for _, s := range a.Suspects {
		if s.Probability >= least {
			names = append(append(names, s.Fault), s.SameAs...)
		}
	}
	return names
}

// What a table of commands and fans says about each family, as the trade reads it: parts
// shared by a working speed are cleared, parts only in the failing path are suspect.
func TestWhatTheTableOfCommandsSays(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	one := func(state, m1 string) probe.Observation {
		return probe.Seen(state, probe.Fans{"M1": m1})
	}
	for _, c := range []struct {
		circuit  string
		seen     []probe.Observation
		suspect  string
		innocent string
	}{
		{"f4-dropping-resistor", []probe.Observation{one("low", "stopped"), one("high", "fast")}, "R1 open", "F1 open"},
		{"f4-dropping-resistor", []probe.Observation{one("low", "slow"), one("high", "slow")}, "K2 make contact burnt", "R1 open"},
		{"f6-resistor-card", []probe.Observation{one("1", "stopped"), one("2", "stopped"), one("3", "stopped"), one("4", "fast")},
			"RC limiter open", "M1 open"},
		{"f6-resistor-card", []probe.Observation{one("1", "stopped"), one("2", "slow"), one("4", "fast")}, "RC step 3 open", "RC limiter open"},
		{"f5-two-windings", []probe.Observation{one("low", "stopped"), one("high", "fast")}, "M1 low open", "K3 coil open"},
		{"f1-one-relay", []probe.Observation{one("cold", "fast"), one("hot", "fast")}, "K1 make contact welded", "F1 open"},
		{"f9-inverted-low", []probe.Observation{one("off", "slow"), one("high", "fast")}, "wire K1.85 - ECU.7 open", "R1 open"},
		{"f10-speed-controller", []probe.Observation{one("half", "fast"), one("full", "fast")}, "SC stuck full", "SC dead"},
		{"f12-add-on", []probe.Observation{one("auto, hot", "stopped"), one("override", "fast")}, "TS stage 1 open", "M1 open"},
	} {
		g := guideFor(t, c.circuit)
		a, err := g.Assess(t.Context(), c.seen, diagnose.Now{State: g.Circuit().State(c.seen[len(c.seen)-1].State)})
		require.NoError(t, err)
		assert.Contains(t, tops(a, 0.01), c.suspect, c.circuit)
		assert.NotContains(t, tops(a, 0.05), c.innocent, c.circuit)
		assert.Empty(t, a.Surprising, c.circuit)
	}
}

// A fail-safe module that roars with the key on: its control line before the module itself.
func TestARoaringPWMFan(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f8-pwm-module")
	a, err := g.Assess(t.Context(), []probe.Observation{probe.Seen("off", probe.Fans{"M1": "fast", "M2": "fast"})}, diagnose.Now{})
	require.NoError(t, err)
	names := tops(a, 0.01)
	assert.Contains(t, names, "C1 way 1 open")
	assert.Contains(t, names, "PM stuck full")
	require.NotEmpty(t, a.Next)
	assert.NotEqual(t, "M1.+", a.Next[0].At, "the outputs say nothing new")
}

// A module is condemned only with its powers and grounds read under load.
func TestAModuleAsksForItsProof(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f2-staged-pair")
	v, _ := play(t, car{g, "ECU.A4 dead"})
	require.NotNil(t, v)
	assert.Contains(t, v.Faults, "ECU.A4 dead")
	// Played again by hand, up to where it is certain: the proof names power and ground.
	c := car{g, "ECU.A4 dead"}
	var seen []probe.Observation
	var now diagnose.Now
	var asked []string
	for range 30 {
		a, err := g.Assess(t.Context(), seen, now)
		require.NoError(t, err)
		if a.Verdict != nil && a.Verdict.Proven {
			break
		}
		require.NotEmpty(t, a.Next)
		asked = append(asked, a.Next[0].At)
		seen = append(seen, c.answer(t, a.Next[0]))
		now.State = g.Circuit().State(a.Next[0].State)
	}
	assert.True(t, slices.Contains(asked, "ECU.B9"), "its ground under load: %v", asked)
	assert.True(t, slices.Contains(asked, "ECU.B1"), "its power under load: %v", asked)
	assert.True(t, slices.Contains(asked, "ECU.A4"), "the output itself: %v", asked)
}

// A circuit without a fan has nothing to diagnose, and a look that names no fan of it is
// refused.
func TestRefusals(t *testing.T) {
	g := guideFor(t, "f1-one-relay")
	_, err := g.Assess(t.Context(), []probe.Observation{probe.Seen("hot", probe.Fans{"M9": "fast"})}, diagnose.Now{})
	assert.ErrorContains(t, err, "observation 1: there is no part M9")
	_, err = g.Suppose("M1 melted", probe.Test{State: g.Circuit().State("hot")})
	assert.ErrorContains(t, err, "cannot be")
}

// After a repair every state is asked again, with the new part in.
func TestAfterTheRepairEveryStateIsAskedAgain(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	seen := []probe.Observation{
		look("high", "fast", "fast"), look("low", "stopped", "stopped"), volts("low", "F3.a", 12.4), volts("low", "F3.b", 0),
	}
	renewed, err := electric.ParseSetup(g.Circuit(), []string{"F3 renewed"})
	require.NoError(t, err)
	a, err := g.Assess(t.Context(), seen, diagnose.Now{State: g.Circuit().State("low"), Setup: renewed})
	require.NoError(t, err)
	assert.Equal(t, []string{"F3 renewed"}, a.Repaired)
	var states []string
	for _, m := range a.Next {
		assert.Equal(t, probe.LookAtFans, m.Do)
		assert.Equal(t, []string{"F3 renewed"}, m.Setup)
		assert.Contains(t, m.Proof, "after the repair")
		states = append(states, m.State)
	}
	assert.ElementsMatch(t, []string{"off", "low", "high"}, states)
}

func TestInstructionsAPersonCanFollow(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	out, err := electric.ParseSetup(g.Circuit(), []string{"K1 out"})
	require.NoError(t, err)
	c := g.Circuit()
	m, err := g.Look(t.Context(), nil, diagnose.Now{State: c.State("high"), Setup: out},
		probe.Test{Do: probe.Volts, State: c.State("low"), At: c.Part("F3").Pins()[0]})
	require.NoError(t, err)
	assert.Equal(t, "Volts at F3.a, the side facing K3, low commanded", m.Title)
	assert.Equal(t, []string{
		"Refit K1 (bonnet box D1).", "Low: key on; command low.", "Black lead: battery negative post.",
		"Red lead: F3.a, the side facing K3, bonnet box C7, TQ/BN wire.",
	}, m.Steps)
	assert.Equal(t, "6.2 V", m.Good)
	assert.NotEmpty(t, m.Cautions)
	sum := 0.0
	for _, o := range m.Outcomes {
		sum += o.Probability
		assert.NotEmpty(t, o.Leaves)
	}
	assert.InDelta(t, 1, sum, 0.05)
	module, err := g.Look(t.Context(), nil, diagnose.Now{}, probe.Test{Do: probe.Volts, State: c.State("low"), At: c.Part("ECU").Pins()[0]})
	require.NoError(t, err)
	assert.Contains(t, module.Cautions, "Module pin: a high-impedance meter only, no lamp.")
	behind, err := g.Look(t.Context(), nil, diagnose.Now{}, probe.Test{Do: probe.Volts, State: c.State("low"), At: c.Part("K1").Pins()[0]})
	require.NoError(t, err)
	assert.Contains(t, behind.Cautions[len(behind.Cautions)-1], "Back-probe")
}

// What is done to the car before a test, and put back after it, is said so that a person can do
// it.
func TestSetupStepsAPersonCanFollow(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	c := g.Circuit()
	steps := func(from []string, to ...string) []string {
		now, err := electric.ParseSetup(c, from)
		require.NoError(t, err)
		setup, err := electric.ParseSetup(c, to)
		require.NoError(t, err)
		m, err := g.Look(t.Context(), nil, diagnose.Now{State: c.State("low"), Setup: now},
			probe.Test{Do: probe.LookAtFans, State: c.State("low"), Setup: setup})
		require.NoError(t, err)
		return m.Steps
	}
	assert.Equal(t, []string{"Pull K1 (bonnet box D1).", "Bridge K1.30 to K1.87 with a fused lead."},
		steps(nil, "K1 out", "jumper K1.30 K1.87")[:2])
	assert.Equal(t, []string{"Refit K1 (bonnet box D1).", "Take the lead off K1.30."}, steps([]string{"K1 out", "jumper K1.30 K1.87"})[:2])
	assert.Equal(t, "Let K1 and K2 change places (bonnet box D1).", steps(nil, "swapped K1 K2")[0])
	assert.Equal(t, "Put K1 and K2 back in their places.", steps([]string{"swapped K1 K2"})[0])
	assert.Equal(t, "Take the negative lead off BAT (nearside wing).", steps(nil, "BAT apart")[0])
	assert.Equal(t, "Put the negative lead back on BAT (nearside wing).", steps([]string{"BAT apart"})[0])
	assert.Equal(t, "Undo the ground joint G1 (cross-member stud).", steps(nil, "G1 apart")[0])
	direct := steps(nil, "M1 unplugged", "pack M1.+' M1.-'")
	assert.Equal(t, "Unplug M1 (radiator).", direct[0])
	assert.Equal(t, "Battery pack, fused, on the part itself: plus to terminal +, minus to terminal -.", direct[1])
	assert.Contains(t, steps(nil, "ground K1.85")[0], "proven to be no hard feed")
	bench := probe.Around(c, nil, c.Part("K1"))
	for _, test := range bench {
		if test.Do != probe.Ohms {
			continue
		}
		m, err := g.Look(t.Context(), nil, diagnose.Now{}, test)
		require.NoError(t, err)
		assert.NotContains(t, strings.Join(m.Steps, " "), "Battery pack", "said once: %s", m.Title)
		assert.NotContains(t, strings.Join(m.Cautions, " "), "hesitates")
	}
}
