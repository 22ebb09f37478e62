package diagnose

import (
	"math"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/probe"
)

func of(g *Guide, b *belief, name string) float64 {
	for i, s := range g.suspects {
		if s.Name == name {
			return b.of[i]
		}
	}
	return -1
}

// What ran before a repair still clears what it cleared, at most about six to one; what failed
// says nothing of the car as it is now.
func TestWhatARepairLeavesOfTheEvidence(t *testing.T) {
	g := Shared(t, "f3-twin-series-parallel")
	renewed, err := electric.ParseSetup(g.circuit, []string{"K3 renewed"})
	require.NoError(t, err)
	ran := probe.Seen("high", probe.Fans{"M1": "fast", "M2": "fast"})
	failed := probe.Seen("low", probe.Fans{"M1": "stopped", "M2": "stopped"})
	after := func(seen ...probe.Observation) *belief {
		b, _, _, err := g.asking(t, Now{Setup: renewed}).evidence(seen)
		require.NoError(t, err)
		return b
	}
	none := after()
	odds := func(b *belief, name string) float64 { return of(g, b, name) / of(g, b, NoFault) }
	cleared := odds(after(ran), "F2 open") / odds(none, "F2 open")
	assert.InDelta(t, olderFloor, cleared, 0.05, "both fans ran fast: its fuse is cleared, softly")
	assert.InDelta(t, odds(none, "F3 open"), odds(after(ran), "F3 open"), 0.2*odds(none, "F3 open"), "the link is not needed at high")
	assert.InDelta(t, odds(none, "F3 open"), odds(after(failed), "F3 open"), 1e-9, "what failed may have been the relay")
	assert.InDelta(t, odds(none, "K3 coil open"), odds(after(ran), "K3 coil open"), 1e-9, "the relay then was another one")

	before, _, _, err := g.asking(t, Now{}).evidence([]probe.Observation{ran})
	require.NoError(t, err)
	first, _, _, err := g.asking(t, Now{}).evidence(nil)
	require.NoError(t, err)
	assert.Less(t, odds(before, "F2 open"), 0.05*odds(first, "F2 open"), "without a repair it speaks in full")
}

// A swap may itself have mended a bad joint: a fan that runs after it does not clear the joint as
// it clears the fuse.
func TestAnInterventionMayHaveMended(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := Shared(t, "f3-twin-series-parallel")
	plain := probe.Seen("low", probe.Fans{"M1": "slow", "M2": "slow"})
	also := probe.Seen("high", probe.Fans{"M1": "fast", "M2": "fast"})
	in := func(o probe.Observation, setup string) probe.Observation {
		o.Setup = []string{setup}
		return o
	}
	// left is how well what was seen fits a suspect, against a car with nothing wrong.
	left := func(name string, seen ...probe.Observation) float64 {
		q := g.asking(t, Now{})
		e, err := q.read(seen)
		require.NoError(t, err)
		sums := q.weigh(e)
		mean := func(i int) (sum float64) {
			for _, l := range sums[i] {
				sum += math.Exp(l) / cars
			}
			return sum
		}
		i := slices.IndexFunc(g.suspects, func(s *suspect) bool { return s.Name == name })
		require.GreaterOrEqual(t, i, 0)
		return mean(i) / mean(g.suspects.nobody())
	}
	const joint, swap, clean = "pin K1.30 open", "swapped K1 K2", "K1 cleaned"
	assert.Less(t, left(joint, plain), 0.05)
	assert.InDelta(t, mendedByChance, left(joint, in(plain, swap)), 0.05)
	assert.InDelta(t, mendedByCleaning, left(joint, in(plain, clean)), 0.05)
	assert.InDelta(t, mendedByCleaning, left(joint, in(plain, clean), in(also, clean)), 0.05, "once and for good, not with every reading")
	assert.Less(t, left("F1 open", in(plain, swap)), 0.05, "no swap mends a fuse")
}

// A guide may be asked by many at once; each gets what it would have got alone.
func TestManyAtOnce(t *testing.T) {
	g := Shared(t, "f1-one-relay")
	ask := func(k int) string {
		word := []string{"stopped", "fast"}[k%2]
		a, err := g.Assess(t.Context(), []probe.Observation{probe.Seen("hot", probe.Fans{"M1": word})},
			Now{Learnt: Experience{"fuse open": k % 3}})
		if err != nil || len(a.Suspects) == 0 {
			return "nothing"
		}
		return a.Suspects[0].Fault
	}
	alone := []string{ask(0), ask(1), ask(2), ask(3), ask(4), ask(5)}
	together := make([]string, 24)
	var group sync.WaitGroup
	for k := range together {
		group.Go(func() { together[k] = ask(k) })
	}
	group.Wait()
	for k, got := range together {
		assert.Equal(t, alone[k%6], got)
	}
}
