package diagnose_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	vehicles "ironthread/core/car"
	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/library/librarytest"
)

// Parts that are drawn nowhere else: the guide finds what is wrong with them, and a fan that starts and stops behind a breaker
// speaks for what is too much for it.
func TestABreakerAndASolidStateRelayAreDiagnosed(t *testing.T) {
	c, err := harness.Read([]byte(librarytest.Returning))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	g, err := diagnose.New(m)
	require.NoError(t, err)
	for _, words := range []string{"Q1 always on", "Q1 dead", "CB1 open", "M1 seized", "SW open"} {
		f, err := fault.Parse(c, words)
		require.NoError(t, err)
		v, err := vehicles.New(m, vehicles.Options{}, f)
		require.NoError(t, err)
		var seen []probe.Observation
		named := func() bool {
			a, err := g.Assess(t.Context(), seen, diagnose.Now{})
			require.NoError(t, err)
			if len(a.Next) == 0 || a.Verdict != nil && a.Verdict.Proven {
				require.NotNil(t, a.Verdict, "%s: %v", words, seen)
				assert.Contains(t, append(a.Verdict.Faults, a.Suspects[0].SameAs...), words, "%v", seen)
				return true
			}
			o, err := v.Answer(a.Next[0].Question)
			require.NoError(t, err)
			seen = append(seen, o)
			return false
		}
		for range 20 {
			if named() {
				break
			}
		}
	}
	a, err := g.Assess(t.Context(), []probe.Observation{probe.Seen("off", probe.Fans{"M1": "stopped"}),
		probe.Seen("run", probe.Fans{"M1": probe.Cycling})}, diagnose.Now{})
	require.NoError(t, err)
	heavy := 0.0
	for _, s := range a.Suspects {
		if s.Fault == "M1 worn" || s.Fault == "M1 shorted turns" || s.Fault == "M1 seized" {
			heavy += s.Probability
		}
	}
	t.Logf("too much for the breaker: %.2f", heavy)
	assert.Greater(t, heavy, 0.3)
}
