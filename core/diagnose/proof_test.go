package diagnose_test

import (
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/probe"
	"ironthread/library"
	"ironthread/soak"
)

// proven plays faults through the guide to its first proven verdict, from a set-up.
func proven(t *testing.T, circuit string, setup []string, faults ...string) (*diagnose.Verdict, []probe.Observation) {
	t.Helper()
	g := diagnose.Shared(t, circuit)
	player := g.Drive(t, faults...)
	var seen []probe.Observation
	now := diagnose.Now{}
	var err error
	now.Setup, err = electric.ParseSetup(g.Circuit(), setup)
	require.NoError(t, err)
	for range 40 {
		a, err := g.Assess(t.Context(), seen, now)
		require.NoError(t, err)
		if a.Verdict != nil && a.Verdict.Proven {
			return a.Verdict, seen
		}
		require.NotEmpty(t, a.Next)
		seen = append(seen, player.Answer(&a.Next[0]))
		now.State = g.Circuit().State(a.Next[0].State)
		now.Setup, err = electric.ParseSetup(g.Circuit(), a.Next[0].Setup)
		require.NoError(t, err)
	}
	t.Fatal("no proven verdict")
	return nil, nil
}

// Two crossed wires are proven by continuity from one's end to the other's cavity, power off: volts
// at their ends seldom tell (common practice).
func TestCrossedWiresAreProvenByContinuity(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	const words = "wires FM.3 - M1.+ and FM.5 - ECU.K1 crossed"
	v, seen := proven(t, "f7-discrete-module", nil, words)
	assert.Contains(t, v.Faults, words)
	e, err := library.Open("f7-discrete-module")
	require.NoError(t, err)
	f, err := fault.Parse(e.Circuit, words)
	require.NoError(t, err)
	for _, o := range seen {
		if o.Do != probe.Ohms {
			continue
		}
		for _, pair := range f.Joined() {
			if o.At == pair[0].String() && o.From == pair[1].String() {
				assert.Less(t, o.Reading().Figure, 0.5, "a short length of wire")
				assert.Contains(t, o.Setup, "BAT apart")
				return
			}
		}
	}
	t.Error("nobody measured where a wire really goes")
}

// A control line at ground and a dead motor together look like two wires crossed, by every fan
// and every volt: the continuity refutes it, and where the wire has been renewed in vain already,
// a new wire is not blamed again.
func TestTwoFaultsThatLookLikeACrossing(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, setup := range soak.Of([][]string{nil}, [][]string{nil, {"wire FM.3 - M1.+ renewed"}}) {
		v, _ := proven(t, "f7-discrete-module", setup, "wire FM.5 - ECU.K1 grounded", "pin M1.- open")
		there := slices.Contains(v.Faults, "wire FM.5 - ECU.K1 grounded") || slices.Contains(v.Faults, "pin M1.- open")
		assert.True(t, there, "one of the two that are there, never the crossing: %v, %v", v.Faults, setup)
	}
}

// Two fans stand still for two reasons of their own: what they share, the controller, explains both
// alone, but neither it nor a terminal of it is condemned with its outputs unread.
func TestNoControllerIsCondemnedWithItsOutputsUnread(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	v, _ := proven(t, "f2-staged-pair", nil, "F1 open", "M2 open")
	assert.True(t, slices.Contains(v.Faults, "F1 open") || slices.Contains(v.Faults, "M2 open"), "%v", v.Faults)
	assert.NotContains(t, strings.Join(v.Faults, " "), "ECU")

	v, seen := proven(t, "f2-staged-pair", nil, "pin ECU.B1 open")
	assert.Contains(t, v.Faults, "pin ECU.B1 open")
	for _, pin := range []string{"ECU.B1", "ECU.B9", "ECU.A4", "ECU.A5"} {
		assert.True(t, slices.ContainsFunc(seen, func(o probe.Observation) bool { return o.At == pin && o.Do == probe.Volts }), "%s unread", pin)
	}
	if !soak.Whole() {
		return // the pin of a feed stands for the others
	}
	v, seen = proven(t, "f2-staged-pair", nil, "pin ECU.A4 open")
	assert.Contains(t, v.Faults, "pin ECU.A4 open")
	assert.True(t, slices.ContainsFunc(seen, func(o probe.Observation) bool { return o.At == "ECU.A4" && o.Do == probe.Volts }))

	// An input's terminal is read itself, on an engine that is cool and has its fans running; the outputs are not its business.
	_, seen = proven(t, "m2-three-relay-two-winding", []string{"coolant 60"}, "pin ECU.33 open")
	assert.True(t, slices.ContainsFunc(seen, func(o probe.Observation) bool { return o.At == "ECU.33" && o.Do == probe.Volts }))
}

// A module is stuck at full; with nothing asked its line idles at nearly the volts that an open one shows. So the line is read
// while half is asked, where an open one reads otherwise; only then is the module condemned.
func TestAModulesLineIsReadWhereAnOpenOneReadsOtherwise(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	v, seen := proven(t, "f8-pwm-module", nil, "PM stuck full")
	require.Contains(t, v.Faults, "PM stuck full")
	m := diagnose.Shared(t, "f8-pwm-module").Model()
	volts := func(state, words string) float64 {
		f, err := fault.Parse(m.Circuit, words)
		require.NoError(t, err)
		p, err := m.Solve(electric.Condition{State: m.Circuit.State(state), Faults: []fault.Fault{f}})
		require.NoError(t, err)
		return *p.Pins["PM.3"]
	}
	told := slices.ContainsFunc(seen, func(o probe.Observation) bool {
		return o.At == "PM.3" && o.From == "" && o.Do == probe.Volts &&
			math.Abs(volts(o.State, "PM stuck full")-volts(o.State, "wire PM.3 - C1.a1 open")) > 3
	})
	assert.True(t, told, "%v", seen)
}
