package diagnose_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/probe"
)

func assessed(t *testing.T, circuit, seen string, setup ...string) *diagnose.Assessment {
	t.Helper()
	g := guideFor(t, circuit)
	list, err := probe.ReadObservations([]byte(seen), g.Circuit())
	require.NoError(t, err)
	now := diagnose.Now{State: g.Circuit().States[0]}
	now.Setup, err = electric.ParseSetup(g.Circuit(), setup)
	require.NoError(t, err)
	a, err := g.Assess(t.Context(), list, now)
	require.NoError(t, err)
	return a
}

// What hand, eye or a meter at both ends shows is proof enough: nothing more is asked. The rows are common practice.
func TestPhysicalEvidenceProves(t *testing.T) {
	const blind = "- {state: low, fans: {M1: stopped, M2: stopped}}\n- {state: high, fans: {M1: fast, M2: fast}}\n"
	for _, row := range []struct{ circuit, before, seen, fault string }{
		{"f3-twin-series-parallel", blind, "- {looked: F3, found: blown}", "F3 open"},
		{"f3-twin-series-parallel", blind, "- {bench: F3, ohms: OL, between: [a, b]}", "F3 open"},
		{"f3-twin-series-parallel", blind, "- {state: off, setup: [BAT apart], ohms: silent, at: F3.a, from: F3.b}", "F3 open"},
		{"f3-twin-series-parallel", blind, "- {looked: wire F3.b - M2.+, found: cut}\n- {state: off, setup: [BAT apart, F3 out, M2 unplugged]," +
			" ohms: OL, at: F3.b, from: M2.+}", "wire F3.b - M2.+ open"},
		{"f2-staged-pair", "- {state: one, fans: {M1: stopped, M2: stopped}}\n- {state: both, fans: {M1: stopped, M2: fast}}\n",
			"- {turned: M1, found: stuck, setup: [M1 unplugged]}\n- {looked: F1, found: blown}", "M1 seized"},
	} {
		a := assessed(t, row.circuit, row.before+row.seen)
		require.NotNil(t, a.Verdict, row.seen)
		assert.Equal(t, row.fault, a.Verdict.Faults[0], row.seen)
		assert.True(t, a.Verdict.Proven, "%s: %v", row.seen, a.Verdict.Lacks)
		assert.False(t, a.Verdict.Untouched)
	}
	// A cartridge that looks whole says next to nothing: it may be blown inside.
	a := assessed(t, "f3-twin-series-parallel", blind+"- {looked: F3, found: looks whole}")
	assert.Equal(t, "F3 open", a.Suspects[0].Fault)
}

// That one of two twins is dead clears neither: the other is cleared by running, not by the first one's guilt.
func TestATwinIsClearedByItself(t *testing.T) {
	// Both stand still; one is found dead by direct power. Nothing was seen of the other.
	const dead = "- {state: one, fans: {M1: stopped, M2: stopped}}\n- {bench: M1, direct: [+, -], found: nothing}\n"
	a := assessed(t, "f2-staged-pair", dead)
	assert.NotContains(t, a.Cleared, "M2")
	ran := assessed(t, "f2-staged-pair", dead+"- {state: both, fans: {M1: stopped, M2: fast}}\n")
	assert.Contains(t, ran.Cleared, "M2")
}

// Six joints cleaned, and only good readings since: one of them was it, and that is what is said.
func TestMendedByCleaning(t *testing.T) {
	setup := []string{"K1 cleaned", "K3 cleaned", "F3 cleaned", "F1 cleaned", "K2 cleaned", "G1 cleaned"}
	const held = "setup: [K1 cleaned, K3 cleaned, F3 cleaned, F1 cleaned, K2 cleaned, G1 cleaned]"
	a := assessed(t, "f3-twin-series-parallel", "- {state: low, fans: {M1: stopped, M2: stopped}}\n"+
		"- {state: high, fans: {M1: fast, M2: fast}}\n- {state: low, "+held+", fans: {M1: slow, M2: slow}}\n"+
		"- {state: high, "+held+", fans: {M1: fast, M2: fast}}\n", setup...)
	require.NotNil(t, a.Mended)
	assert.Contains(t, a.Mended.By, "K3 cleaned", "low needs its rest contact, high does not")
	assert.Contains(t, a.Mended.Text, "watch it")
	assert.Contains(t, a.Mended.Watch, "If the complaint comes back, look there first")
	assert.Empty(t, a.Surprising, "what was seen before is not to be taken again")
	none := assessed(t, "f3-twin-series-parallel", "- {state: low, "+held+", fans: {M1: slow, M2: slow}}\n", setup...)
	assert.Nil(t, none.Mended, "nothing was wrong before")
}

// Both windings of a two-winding motor dead together is a fault of the motor, not of two feeds.
func TestATwoWindingMotorOpenAsAWhole(t *testing.T) {
	a := assessed(t, "f5-two-windings", "- {state: low, fans: {M1: stopped}}\n- {state: high, fans: {M1: stopped}}\n"+
		"- {bench: M1, direct: [L, C], found: nothing}\n- {bench: M1, direct: [H, C], found: nothing}\n")
	require.NotEmpty(t, a.Suspects)
	found := append([]string{a.Suspects[0].Fault}, a.Suspects[0].SameAs...)
	assert.Contains(t, found, "M1 open", "%v", a.Suspects[0])
	assert.Empty(t, a.Surprising)
}

// A test that has just been recorded is never the next move.
func TestNeverTheSameAgain(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, words := range []string{"F3 open", "M1 seized", "wire K1.85 - ECU.61 open", "K3 rest contact burnt"} {
		g := guideFor(t, "f3-twin-series-parallel")
		c := g.Drive(t, words)
		var seen []probe.Observation
		now := diagnose.Now{State: g.Circuit().States[0]}
		last := ""
		for range 12 {
			a, err := g.Assess(t.Context(), seen, now)
			require.NoError(t, err)
			if len(a.Next) == 0 {
				break
			}
			o := c.Answer(&a.Next[0])
			made, err := o.Test(g.Circuit())
			require.NoError(t, err)
			assert.NotEqual(t, last, made.Key(), words)
			last = made.Key()
			seen = append(seen, o)
			now = diagnose.Now{State: made.State, Setup: made.OnTheCar()}
		}
	}
}
