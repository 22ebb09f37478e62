package study_test

import (
	"context"
	"encoding/json"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/study"
	"ironthread/library"
	"ironthread/soak"
)

// guides are made once for all tests.
var guides = map[string]*diagnose.Guide{}

func guideFor(t testing.TB, name string) *diagnose.Guide {
	t.Helper()
	if g := guides[name]; g != nil {
		return g
	}
	e, err := library.Open(name)
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	g, err := diagnose.New(m)
	require.NoError(t, err)
	guides[name] = g
	return g
}

// some is how many faults lie between two that are played: many in every run, few in the soak.
func some(many, few int) int {
	if soak.Whole() {
		return few
	}
	return many
}

// A sample of the study, held to a little less than what the whole library reaches (see
// docs/decisions.md): a sample scatters.
func TestAStudyInSmall(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f3-twin-series-parallel")
	every := some(36, 6)
	clean, err := study.Play(t.Context(), g, study.Options{Every: every}, nil)
	require.NoError(t, err)
	book, err := study.Play(t.Context(), g, study.Options{Every: every, Policy: study.Textbook}, nil)
	require.NoError(t, err)
	assert.InDelta(t, 1, clean.Right, 1e-9, "every fault on clean readings: %+v", clean.Trials)
	assert.Zero(t, clean.ConfidentWrong)
	assert.Less(t, clean.MeanMinutes, 0.75*book.MeanMinutes)
	assert.Less(t, clean.MeanToName, 2.5*clean.BoundTests)
	assert.Greater(t, clean.EntropyBits, 4.0, "some hundred faults, not all equally likely")
	assert.Less(t, clean.EntropyBits, 7.0)
	spread, err := study.Play(t.Context(), g, study.Options{Every: every, Spread: 1, Misread: 0.02}, nil)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, spread.Right, 0.9, "%+v", spread.Trials)
}

func TestTwoFaultsAreRepairedInTheEnd(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f8-pwm-module")
	doubles := 3
	if soak.Whole() {
		doubles = 10
	}
	r, err := study.Play(t.Context(), g, study.Options{Doubles: doubles}, nil)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, r.Right, 0.9, "%+v", r.Trials)
	assert.LessOrEqual(t, r.WrongRepairs, 0.5)
}

// A study tells how far it is and can be stopped.
func TestAStudyCanBeStopped(t *testing.T) {
	g := guideFor(t, "f10-speed-controller")
	told := 0
	ctx, stop := context.WithCancel(t.Context())
	r, err := study.Play(ctx, g, study.Options{}, func(done, of int) {
		told = done
		assert.Greater(t, of, 10)
		if done == 3 {
			stop()
		}
	})
	require.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, 3, told)
	assert.Len(t, r.Trials, 3)
}

// Every wire of a circuit that lies against ground and blows a fuse is found and mended, the fuse
// renewed with it; the car is judged by solving it, not by the guide.
func TestShortsArePlayedToTheirRepair(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, name := range soak.Of([]string{"f1-one-relay"}, []string{"f1-one-relay", "f2-staged-pair"}) {
		r, err := study.Play(t.Context(), guideFor(t, name), study.Options{Shorts: true, Repair: true, Every: some(4, 1)}, nil)
		require.NoError(t, err)
		require.NotEmpty(t, r.Trials)
		for _, trial := range r.Trials {
			assert.True(t, trial.Found, "%s: %s after %v", name, trial.Fault, trial.Asked)
		}
		assert.LessOrEqual(t, r.WrongRepairs, 0.2, name)
	}
}

// The same study gives the same report: seeds decide, nothing else.
func TestAStudyIsRepeatable(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	run := func() string {
		r, err := study.Play(t.Context(), guideFor(t, "f10-speed-controller"), study.Options{Every: 5, Spread: 1, Misread: 0.05, Seed: 3}, nil)
		require.NoError(t, err)
		b, err := json.Marshal(r)
		require.NoError(t, err)
		return string(b)
	}
	if first, second := run(), run(); first != second {
		t.Error("two runs of one study differ")
	}
}

// The entropy of a circuit's faults lies between that of one fault and that of as many equal
// ones, and counts those alike once (gonum's stat.Entropy over the groups).
func TestEntropyOfACircuit(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	g := guideFor(t, "f10-speed-controller")
	most := math.Log2(float64(len(g.Hypotheses())))
	entropy, err := study.Entropy(t.Context(), g)
	require.NoError(t, err)
	assert.Greater(t, entropy, 2.0)
	assert.Less(t, entropy, most)
	all := make([]float64, 0, len(g.Hypotheses()))
	sum := 0.0
	for _, h := range g.Hypotheses() {
		all = append(all, h.Prior)
		sum += h.Prior
	}
	for i := range all {
		all[i] /= sum
	}
	assert.LessOrEqual(t, entropy, stat.Entropy(all)/math.Ln2+1e-9, "taking some together lowers it")
}

// Readings as people take them: the engine running, leads not nulled, a buzzer, rounded figures, a joint cleaned
// before in one job of ten. The bars are those of the whole library; the judge is a car of the same model.
func TestReadingsAsTaken(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	r, err := study.Play(t.Context(), guideFor(t, "f1-one-relay"), study.Options{Spread: 1, Misread: 0.02, AsTaken: true, Every: some(8, 1)},
		nil)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, r.Right, 0.97)
	assert.LessOrEqual(t, r.ConfidentWrong, 0.02)
	assert.Less(t, r.MaxTests, 45, "each came to an end")
}
