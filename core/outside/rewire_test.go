package outside

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/fault"
	"ironthread/core/rewire"
	"ironthread/core/rewire/rewiretest"
)

// every is how many wishes of the grid lie between two that are judged; a wish whose proposals are broken too is one in so
// many of those.
const (
	every  = 5
	broken = 24
)

// TestProposals judges what wishes come to: every proposal of a third of the grid, well, in every state, and of some wishes
// with every single fault.
func TestProposals(t *testing.T) {
	var trials []*trial
	n, wishes, proposals := 0, 0, 0
	rewiretest.Grid(func(name, text string) {
		if n++; n%every != 0 {
			return
		}
		wishes++
		w, err := rewire.Read([]byte(text))
		require.NoError(t, err, name)
		plan, err := rewire.Propose(t.Context(), w, nil)
		require.NoError(t, err, name)
		for _, p := range plan.Proposals {
			proposals++
			load := loads(t, p.Model)
			for _, s := range p.Circuit.States {
				trials = append(trials, aTrial(t, p.Model, load, s, fault.Fault{}, nil))
				if wishes%broken != 0 {
					continue
				}
				for _, f := range fault.All(p.Circuit) {
					if x := aTrial(t, p.Model, load, s, f.Fault, nil); x.point.Settled {
						trials = append(trials, x)
					}
				}
			}
		}
	})
	var sum tally
	hold(t, trials, &sum)
	t.Logf("%d wishes, %d proposals, %d operating points judged: %+v", wishes, proposals, len(trials), sum)
	assert.GreaterOrEqual(t, len(trials), 500)
	assert.False(t, slices.ContainsFunc(trials, func(x *trial) bool { return !x.point.Settled }))
}
