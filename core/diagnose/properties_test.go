package diagnose

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat"

	"ironthread/core/probe"
	"ironthread/soak"
)

// The information of a test is the mutual information of suspect and answer: the entropy of the
// answers less that of the answers of each suspect, by gonum's stat.Entropy (in nats).
func TestBitsAreMutualInformation(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		suspects, classes := 2+rng.IntN(6), 2+rng.IntN(5)
		o := &outcomes{total: make([]float64, classes), chance: make([][]float64, suspects)}
		belief := make([]float64, suspects)
		sum := 0.0
		for i := range belief {
			belief[i] = rng.Float64()
			sum += belief[i]
		}
		want := 0.0
		answers := make([]float64, classes)
		for i := range belief {
			belief[i] /= sum
			row := make([]float64, classes)
			rest := 0.0
			for k := range row {
				row[k] = rng.Float64()
				rest += row[k]
			}
			for k := range row {
				row[k] /= rest
				answers[k] += belief[i] * row[k]
			}
			o.chance[i] = row
			want -= belief[i] * stat.Entropy(row)
		}
		want = (want + stat.Entropy(answers)) / math.Ln2
		assert.InDelta(t, want, o.bits(belief, nil), 1e-9)
		// Taking suspects as one loses information, never gains any.
		assert.LessOrEqual(t, o.bits(belief, []int{0, 1}), o.bits(belief, nil)+1e-9)
		everyone := make([]int, suspects)
		for i := range everyone {
			everyone[i] = i
		}
		assert.InDelta(t, 0, o.bits(belief, everyone), 1e-9, "nothing is gained among those taken as one")
	}
}

// Whatever is recorded, in whatever order: belief sums to one, nothing is ever ruled out
// entirely, and the order does not matter (but of two looks at one thing: the later one counts).
func TestAnyEvidenceLeavesABelief(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, name := range []string{"f1-one-relay", "f6-resistor-card", "f8-pwm-module"} {
		g := Shared(t, name)
		rng := rand.New(rand.NewPCG(7, uint64(len(name))))
		for range soak.Count(4, 12) {
			var seen []probe.Observation
			for range 1 + rng.IntN(6) {
				o := anything(t, g, rng)
				again := func(x probe.Observation) bool { return o.Do == probe.Looked && x.Do == o.Do && x.Part == o.Part }
				if !slices.ContainsFunc(seen, again) {
					seen = append(seen, o)
				}
			}
			b, e, _, err := g.asking(t, Now{}).evidence(seen)
			require.NoError(t, err, "%v", seen)
			sum := 0.0
			for i, p := range b.of {
				require.False(t, math.IsNaN(p) || p < 0, "%s: %v", g.suspects[i].Name, seen)
				sum += p
			}
			assert.InDelta(t, 1, sum, 1e-3)
			for _, q := range e.questions {
				for i := range g.suspects {
					assert.Positive(t, q.best(i), "a misread is always kept: %s", g.suspects[i].Name)
				}
			}
			rng.Shuffle(len(seen), func(i, j int) { seen[i], seen[j] = seen[j], seen[i] })
			again, _, _, err := g.asking(t, Now{}).evidence(seen)
			require.NoError(t, err)
			for i := range b.of {
				require.InDelta(t, b.of[i], again.of[i], 1e-4, "%s: %v", g.suspects[i].Name, seen)
			}
		}
	}
}

// anything is some observation that the circuit permits, right or wrong.
func anything(t *testing.T, g *Guide, rng *rand.Rand) probe.Observation {
	t.Helper()
	tests := probe.Tests(g.circuit, nil)
	for _, p := range g.circuit.Parts {
		tests = append(tests, probe.Around(g.circuit, nil, p)...)
	}
	tests = append(tests, probe.Test{Do: probe.TroubleCodes, State: g.circuit.States[0]})
	test := tests[rng.IntN(len(tests))]
	m, err := g.Look(t.Context(), nil, Now{}, test)
	require.NoError(t, err)
	o := probe.Observation{Question: m.Question}
	figure := probe.Reading{Figure: math.Round(1000*rng.Float64()) / 70, Open: rng.IntN(8) == 0}
	switch kind := probe.Of(m.Do).(type) {
	case probe.Looking:
		fans := probe.Fans{}
		for _, fan := range g.fans {
			fans[fan] = probe.FanWords[rng.IntN(len(probe.FanWords))]
		}
		o.Answer = fans
	case probe.Figured:
		o.Answer = probe.Figure{Reading: figure, Unit: kind.Unit()}
	case probe.Worded:
		words := kind.Words(test)
		o.Answer = kind.Say(words[rng.IntN(len(words))])
	}
	return o
}

// A likelihood by hand: one relay, one fan; the look at a standing fan weighs "fuse open"
// against "no fault" as the chance of the word on their cars says, misread chance included.
func TestALikelihoodByHand(t *testing.T) {
	g := Shared(t, "f1-one-relay")
	o := probe.Seen("hot", probe.Fans{"M1": "stopped"})
	test, err := o.Test(g.circuit)
	require.NoError(t, err)
	fits, err := g.asking(t, Now{}).likelihood(test, &o)
	require.NoError(t, err)
	at := func(name string) *fit {
		for i, s := range g.suspects {
			if s.Name == name {
				return &fits[i]
			}
		}
		t.Fatal(name)
		return nil
	}
	floor := misread / 4 // four words
	assert.InDelta(t, 0.98*1+floor, at("F1 open").mean(), 0.05, "a fan without its fuse stands")
	assert.InDelta(t, gross*floor, at(NoFault).mean(), 1e-5, "a healthy one stands only for a tired eye, and seldom for that")
	assert.InDelta(t, likelyUnknown, at(SomethingElse).mean(), 1e-12)
	// Bayes' rule on the two, by hand.
	b, _, _, err := g.asking(t, Now{}).evidence([]probe.Observation{o})
	require.NoError(t, err)
	var fuse, none, pFuse, pNone float64
	for i, s := range g.suspects {
		switch s.Name {
		case "F1 open":
			fuse, pFuse = b.of[i], s.base*at("F1 open").mean()
		case NoFault:
			none, pNone = b.of[i], s.base*at(NoFault).mean()
		}
	}
	assert.InDelta(t, pFuse/pNone, fuse/none, 1e-6*pFuse/pNone)
}
