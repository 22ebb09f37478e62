package diagnose

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/probe"
	"ironthread/library"
)

func TestEdgesLieInGaps(t *testing.T) {
	weight := make([]float64, 80)
	weight[8], weight[9] = 0.3, 0.1 // about 0 V
	weight[33] = 0.4                // about 6 V
	weight[57] = 0.2                // about 12 V
	edges := gaps(weight)
	require.Len(t, edges, 2)
	assert.True(t, edges[0] > 12 && edges[0] < 30, "%d", edges[0])
	assert.True(t, edges[1] > 36 && edges[1] < 54, "%d", edges[1])
	weight[20] = emptyShare / 2 // next to nothing does not make a class
	assert.Equal(t, edges, gaps(weight))
	assert.Empty(t, gaps(make([]float64, 80)))
	comb := make([]float64, 80)
	for b := 0; b < 80; b += 8 {
		comb[b] = 0.1
	}
	assert.Len(t, gaps(comb), maxClasses-1, "no more classes than a person keeps apart")
}

func TestLabels(t *testing.T) {
	inVolts := probe.Of(probe.Volts).(probe.Figured)
	assert.Equal(t, []string{"under 3.1 V", "3.1 to 9.4 V", "over 9.4 V"}, figureLabels(inVolts, []float64{3.1, 9.4}, nil))
	assert.Equal(t, []string{"about 6.2 V"}, figureLabels(inVolts, nil, []float64{6.2}))
	assert.Equal(t, "0.0 V", probe.FormatVolts(-0.001))
}

func TestSpeedChancesSumToOne(t *testing.T) {
	for share := -1.2; share <= 1.2; share += 0.01 {
		c := probe.SpeedChances(share)
		sum := 0.0
		for _, p := range c {
			assert.True(t, p >= 0 && p <= 1)
			sum += p
		}
		assert.InDelta(t, 1, sum, 0.01, "at %.2f", share)
	}
	// The words mean what the format says, well away from their edges.
	for share, word := range map[float64]int{0: 0, 0.5: 1, 1: 2, -0.8: 3} {
		assert.Greater(t, probe.SpeedChances(share)[word], 0.95, "%.1f is %s", share, probe.SpeedWords[word])
	}
}

func TestBitsOfKnownTests(t *testing.T) {
	even := &outcomes{total: []float64{0.5, 0.5}, chance: [][]float64{{1, 0}, {0, 1}}}
	assert.InDelta(t, 1, even.bits([]float64{0.5, 0.5}, nil), 1e-12, "a test that halves is worth one bit")
	same := &outcomes{total: []float64{1, 0}, chance: [][]float64{{1, 0}, {1, 0}}}
	assert.InDelta(t, 0, same.bits([]float64{0.5, 0.5}, nil), 1e-12)
	noise := &outcomes{total: []float64{0.5, 0.5}, chance: [][]float64{{0.5, 0.5}, {0.5, 0.5}}}
	assert.InDelta(t, 0, noise.bits([]float64{0.5, 0.5}, nil), 1e-12, "chance is no information")
	four := &outcomes{total: make([]float64, 4), chance: [][]float64{{1, 0, 0, 0}, {0, 1, 0, 0}, {0, 0, 1, 0}, {0, 0, 0, 1}}}
	assert.InDelta(t, 2, four.bits([]float64{0.25, 0.25, 0.25, 0.25}, nil), 1e-12)
}

func TestAMisreadIsAlwaysKept(t *testing.T) {
	o := &outcomes{chance: [][]float64{{1, 0, 0}, nil}}
	o.soften()
	assert.InDelta(t, misread/3, o.chance[0][1], 1e-12)
	sum := 0.0
	for _, p := range o.chance[0] {
		sum += p
	}
	assert.InDelta(t, 1, sum, 1e-12)
}

// No class edge of any first test lies near what a healthy car reads: a reading there would
// fall on either side.
func TestEdgesKeepAwayFromHealthyReadings(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries[:6] {
		g := Shared(t, e.Name)
		q := g.asking(t, Now{})
		b := q.believe(make(logs, len(g.suspects)))
		well := len(g.suspects) - 2 // no fault
		require.Equal(t, NoFault, g.suspects[well].Name)
		for _, test := range g.tests {
			if test.Do != probe.Volts || test.From.Part != "" {
				continue
			}
			live := b.live(g.suspects)
			answers := q.answers(test, live)
			o, err := answers.classes(b, live)
			require.NoError(t, err)
			// All cars of the healthy suspect fall into one class, but for a stray few.
			best := 0.0
			for _, p := range o.chance[well] {
				best = math.Max(best, p)
			}
			assert.Greater(t, best, 0.8, "%s: %s at %s", e.Name, test.State.Name, test.At)
		}
	}
}
