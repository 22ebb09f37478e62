package diagnose_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/library"
	"ironthread/soak"
)

func guide(t testing.TB) *diagnose.Guide {
	t.Helper()
	return diagnose.Shared(t, "f3-twin-series-parallel")
}

func look(state, m1, m2 string) probe.Observation {
	return probe.Seen(state, probe.Fans{"M1": m1, "M2": m2})
}

func volts(state, at string, v float64, setup ...string) probe.Observation {
	return probe.Observation{Question: probe.Question{Do: probe.Volts, State: state, At: at, Setup: setup}, Answer: probe.InVolts.Shows(v)}
}

func assess(t testing.TB, g *diagnose.Guide, seen ...probe.Observation) *diagnose.Assessment {
	t.Helper()
	var now diagnose.Now
	if len(seen) > 0 {
		last := seen[len(seen)-1]
		now.State = g.Circuit().State(last.State)
		setup, err := electric.ParseSetup(g.Circuit(), last.Setup)
		require.NoError(t, err)
		now.Setup = setup
	}
	a, err := g.Assess(t.Context(), seen, now)
	require.NoError(t, err)
	return a
}

// car is a vehicle with a fault in it, as drawn otherwise, that answers a guide's moves.
type car struct {
	g     *diagnose.Guide
	fault string
}

func (c car) answer(t testing.TB, m diagnose.Move) probe.Observation {
	t.Helper()
	p := c.g.Drive(t, c.fault)
	return p.Answer(&m)
}

// play follows the guide until its verdict; it gives the verdict and the tests made.
func play(t testing.TB, c car) (*diagnose.Verdict, int) {
	t.Helper()
	var seen []probe.Observation
	var now diagnose.Now
	for range 40 {
		a, err := c.g.Assess(t.Context(), seen, now)
		require.NoError(t, err)
		if len(a.Next) == 0 || a.Verdict != nil && a.Verdict.Proven {
			return a.Verdict, len(seen)
		}
		o := c.answer(t, a.Next[0])
		seen = append(seen, o)
		now.State = c.g.Circuit().State(o.State)
		now.Setup, err = electric.ParseSetup(c.g.Circuit(), o.Setup)
		require.NoError(t, err)
	}
	return nil, len(seen)
}

// A single fault, put in a car that is otherwise as drawn and read without error, ends in a verdict whose group holds it:
// in every run one fault of each kind that the circuit can have, in the soak every fault.
func TestEveryFaultIsNamedOnCleanReadings(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	var wrong []string
	tests, n := 0, 0
	kinds := map[string]bool{}
	for _, s := range fault.All(g.Circuit()) {
		kind := diagnose.KindOf(g.Circuit(), s.Fault)
		if s.Fault.Words == fault.Brushes || kinds[kind] && !soak.Whole() { // brushes come and go: no reading of them is clean
			continue
		}
		kinds[kind] = true
		v, made := play(t, car{g, s.Fault.String()})
		n++
		tests += made
		if v != nil && v.Faults[0] == diagnose.NoFault && harmless(t, g, s.Fault.String()) {
			continue
		}
		if v == nil || !slices.Contains(v.Faults, s.Fault.String()) {
			wrong = append(wrong, fmt.Sprintf("%s -> %v", s.Fault, v))
		}
	}
	t.Logf("%d faults, %.1f tests on average, %d not named", n, float64(tests)/float64(n), len(wrong))
	assert.Empty(t, wrong, strings.Join(wrong, "\n"))
}

// The same for every family of the library: what changes what a fan does must be named. In every run one fault of each
// circuit, of a kind that no circuit before it has shown; in the soak nine of each, spread over its parts.
func TestEveryFamilyOnCleanReadings(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	const perCircuit = 9
	entries, err := library.All()
	require.NoError(t, err)
	kinds := map[string]bool{}
	for _, e := range entries {
		g := diagnose.Shared(t, e.Name)
		all := fault.All(e.Circuit)
		step := 1
		if soak.Whole() {
			step = len(all)/perCircuit + 1
		}
		for i := 0; i < len(all); i += step {
			words := all[i].Fault.String()
			kind := diagnose.KindOf(e.Circuit, all[i].Fault)
			if all[i].Fault.Words == fault.Brushes || kinds[kind] && !soak.Whole() || harmless(t, g, words) {
				continue
			}
			kinds[kind] = true
			v, tests := play(t, car{g, words})
			if v == nil || !slices.Contains(v.Faults, words) {
				t.Errorf("%s: %s was not named in %d tests: %+v", e.Name, words, tests, v)
			}
			if !soak.Whole() {
				break
			}
		}
	}
}

// harmless tells whether a fault leaves every fan doing what it should in every state.
func harmless(t testing.TB, g *diagnose.Guide, words string) bool {
	for _, s := range g.Circuit().States {
		p, err := g.Suppose(words, probe.Test{State: s})
		require.NoError(t, err)
		well, err := g.Model().Solve(electric.Condition{State: s})
		require.NoError(t, err)
		for fan := range p.Motors {
			if p.Motors[fan].Speed != well.Motors[fan].Speed {
				return false
			}
		}
	}
	return true
}

func TestTheBlownLinkFuse(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	a := assess(t, g)
	require.NotEmpty(t, a.Next)
	assert.Equal(t, probe.LookAtFans, a.Next[0].Do, "the best first test is always to command the highest speed and look")
	assert.Equal(t, "high", a.Next[0].State)
	assert.Nil(t, a.Verdict)

	seen := []probe.Observation{look("high", "fast", "fast"), look("low", "stopped", "stopped")}
	a = assess(t, g, seen...)
	assert.Equal(t, "F3 open", a.Suspects[0].Fault)
	assert.Subset(t, a.Cleared, []string{"F2", "K2"})
	assert.NotContains(t, a.Cleared, "K3")

	seen = append(seen, volts("low", "F3.a", 12.4))
	a = assess(t, g, seen...)
	assert.Nil(t, a.Verdict, "one side of a fuse does not condemn it")

	seen = append(seen, volts("low", "F3.b", 0))
	a = assess(t, g, seen...)
	require.NotNil(t, a.Verdict)
	assert.Equal(t, []string{"F3 open", "F3 resists"}, a.Verdict.Faults,
		"no current passes 20 Ω that a meter would see: the same fuse is renewed")
	assert.True(t, a.Verdict.Proven)
	assert.Empty(t, a.Verdict.Lacks)
}

func TestAVerdictListsWhatItsProofLacks(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	c := car{g, "wire K1.87 - M1.+ open"}
	var seen []probe.Observation
	var now diagnose.Now
	lacked := false
	for range 30 {
		a, err := g.Assess(t.Context(), seen, now)
		require.NoError(t, err)
		require.NotEmpty(t, a.Next, "%v", a.Verdict)
		if a.Verdict != nil {
			lacked = true
			require.NotEmpty(t, a.Verdict.Lacks)
			assert.NotEmpty(t, a.Next[0].Proof)
			assert.Contains(t, a.Verdict.Lacks, a.Next[0].Proof)
		}
		seen = append(seen, c.answer(t, a.Next[0]))
		now.State = g.Circuit().State(a.Next[0].State)
		if a, err = g.Assess(t.Context(), seen, now); err == nil && a.Verdict != nil && a.Verdict.Proven {
			assert.Contains(t, a.Verdict.Faults, "wire K1.87 - M1.+ open")
			assert.True(t, lacked, "it was certain before it was proven")
			for _, pin := range []string{"K1.87", "M1.+"} {
				read := slices.ContainsFunc(seen, func(o probe.Observation) bool { return o.At == pin })
				assert.True(t, read, "%s was never read", pin)
			}
			return
		}
	}
	t.Error("no proven verdict")
}

func TestBeliefSumsToOneAndOrderDoesNotMatter(t *testing.T) {
	g := guide(t)
	seen := []probe.Observation{look("high", "fast", "fast"), look("low", "stopped", "stopped"), volts("low", "K1.87", 12.4)}
	sum := func(a *diagnose.Assessment) (total float64) {
		for _, s := range a.Suspects {
			total += s.Probability
		}
		return total
	}
	a := assess(t, g, seen...)
	assert.InDelta(t, 1, sum(a), 0.02, "all but the suspects below a thousandth")
	slices.Reverse(seen)
	b, err := g.Assess(t.Context(), seen, diagnose.Now{State: g.Circuit().State("low")})
	require.NoError(t, err)
	assert.InDelta(t, a.Suspects[0].Probability, b.Suspects[0].Probability, 1e-9)
	assert.Equal(t, a.Cleared, b.Cleared)
}

// A reading that only one suspect explains never makes that suspect less likely.
func TestClearingNeverRaises(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	before := assess(t, g, look("low", "stopped", "stopped")).Belief.Parts
	after := assess(t, g, look("low", "stopped", "stopped"), look("high", "fast", "fast")).Belief.Parts
	assert.Less(t, after["F1"], before["F1"], "F1 feeds a fan that ran")
	assert.Greater(t, after["F3"], before["F3"])
}

func TestAContradictionIsSaid(t *testing.T) {
	g := guide(t)
	a := assess(t, g, look("high", "fast", "fast"), look("low", "stopped", "stopped"),
		volts("low", "F3.a", 12.4), volts("low", "F3.b", 0), volts("high", "F2.b", 0.1))
	require.NotEmpty(t, a.Surprising)
	assert.Equal(t, 4, a.Surprising[0].Index)
	assert.Contains(t, a.Surprising[0].Text, "take it again")
	assert.Equal(t, "F3 open", a.Suspects[0].Fault, "one misread does not overturn four readings")
}

func TestTheSetupIsPartOfTheEvidence(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	// A fan that stands because it is unplugged is no evidence against it.
	a := assess(t, g, probe.Seen("high", probe.Fans{"M1": "stopped", "M2": "fast"}, "M1 unplugged"))
	assert.Empty(t, a.Surprising)
	assert.Less(t, a.Belief.Parts["M1"], 0.15)
	// A part renewed is out of suspicion while it is the new one that does not help.
	a = assess(t, g, look("high", "fast", "fast"),
		probe.Seen("low", probe.Fans{"M1": "stopped", "M2": "stopped"}, "K3 renewed"))
	assert.Equal(t, "F3 open", a.Suspects[0].Fault)
	for _, s := range a.Suspects {
		if strings.HasPrefix(s.Fault, "K3 ") {
			assert.Less(t, s.Probability, 0.01, "the new K3 is suspected: %s", s.Fault)
		}
	}
}

func TestSuspectsThatNoTestTellsApartStandTogether(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guide(t)
	a := assess(t, g, look("high", "fast", "fast"), look("low", "stopped", "fast"))
	for _, s := range a.Suspects {
		if s.Fault == "K2 make contact welded" || slices.Contains(s.SameAs, "K2 make contact welded") {
			all := append([]string{s.Fault}, s.SameAs...)
			assert.Contains(t, all, "K2 sticks pulled in")
			return
		}
	}
	t.Error("the welded contact is not among the suspects")
}

func TestIncrementalMinutes(t *testing.T) {
	g := guide(t)
	c := g.Circuit()
	out := []electric.Action{{Verb: electric.Out, Part: "K1"}}
	test := probe.Test{Do: probe.Volts, State: c.State("low"), Setup: out, At: harness.ParsePin("K1.30")}
	fresh := test.Minutes(c, c.State("low"), nil)
	already := test.Minutes(c, c.State("low"), out)
	assert.Less(t, already, fresh, "the relay is out already")
}

// BenchmarkNextMove plays a job on the library's largest circuit and weighs it again after each
// reading, the table being there; it reports the slowest step.
func BenchmarkNextMove(b *testing.B) {
	entries, err := library.All()
	require.NoError(b, err)
	var g *diagnose.Guide
	for _, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(b, err)
		other, err := diagnose.New(m)
		require.NoError(b, err)
		if g == nil || len(other.Faults()) > len(g.Faults()) {
			g = other
		}
	}
	player := g.Drive(b, "K1 make contact open")
	var seen []probe.Observation
	nows := []diagnose.Now{{}}
	for range 6 {
		a, err := g.Assess(b.Context(), seen, nows[len(nows)-1])
		require.NoError(b, err)
		if len(a.Next) == 0 {
			break
		}
		seen = append(seen, player.Answer(&a.Next[0]))
		setup, err := electric.ParseSetup(g.Circuit(), a.Next[0].Setup)
		require.NoError(b, err)
		nows = append(nows, diagnose.Now{State: g.Circuit().State(a.Next[0].State), Setup: setup})
	}
	took := make([]time.Duration, len(nows)) // all rounds of each step
	n := 0
	for b.Loop() {
		k := n % len(nows)
		n++
		start := time.Now()
		_, err := g.Assess(b.Context(), seen[:k], nows[k])
		if took[k] += time.Since(start); err != nil {
			b.Fatal(err)
		}
	}
	rounds := float64(n) / float64(len(nows))
	b.ReportMetric(float64(len(g.Faults())), "suspects")
	b.ReportMetric(float64(slices.Max(took).Microseconds())/1000/rounds, "slowest-step-ms")
}

func BenchmarkFirstAssessment(b *testing.B) {
	for b.Loop() {
		assess(b, diagnose.Fresh(b, "f3-twin-series-parallel"))
	}
}

// BenchmarkContradiction is the step at which two faults' readings first contradict each other,
// over the library: everything else is known, no pair has been weighed. It reports the mean and
// the slowest.
func BenchmarkContradiction(b *testing.B) {
	entries, err := library.All()
	require.NoError(b, err)
	var took []time.Duration
	for b.Loop() {
		took = took[:0]
		for _, e := range entries {
			m, err := electric.New(e.Circuit)
			require.NoError(b, err)
			g, err := diagnose.New(m)
			require.NoError(b, err)
			for _, pair := range pairsOf(g, 10) {
				player := g.Drive(b, pair[:]...)
				var seen []probe.Observation
				var now diagnose.Now
				for range 12 {
					_, err := g.Assess(b.Context(), seen, now) // so that the table is there
					require.NoError(b, err)
					searched := g.ForgetPairs()
					start := time.Now()
					a, err := g.Assess(b.Context(), seen, now)
					require.NoError(b, err)
					if searched {
						took = append(took, time.Since(start))
						break
					}
					if len(a.Next) == 0 {
						break
					}
					seen = append(seen, player.Answer(&a.Next[0]))
					setup, err := electric.ParseSetup(g.Circuit(), a.Next[0].Setup)
					require.NoError(b, err)
					now = diagnose.Now{State: g.Circuit().State(a.Next[0].State), Setup: setup}
				}
			}
		}
	}
	require.NotEmpty(b, took)
	sum := time.Duration(0)
	for _, t := range took {
		sum += t
	}
	b.ReportMetric(float64(sum.Milliseconds())/float64(len(took)), "ms/step")
	b.ReportMetric(float64(slices.Max(took).Milliseconds()), "ms/slowest")
	b.ReportMetric(float64(len(took)), "steps")
}

// pairsOf picks pairs of faults spread over a circuit's.
func pairsOf(g *diagnose.Guide, n int) [][2]string {
	faults := g.Faults()
	rng := rand.New(rand.NewPCG(5, 9))
	var list [][2]string
	for len(list) < n {
		one, other := faults[rng.IntN(len(faults)-2)], faults[rng.IntN(len(faults)-2)] // the last two are no faults
		if one != other {
			list = append(list, [2]string{one, other})
		}
	}
	return list
}
