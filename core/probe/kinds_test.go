package probe_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/car"
	"ironthread/core/electric"
	"ironthread/core/probe"
)

// Every kind of question has exactly one shape of answer, and what is asked of it is what is answered: a test
// becomes an observation, some answer is put in, and the observation asks for the same test.
func TestEveryKindAsksWhatItAnswers(t *testing.T) {
	c := circuit(t)
	tests := probe.Tests(c, nil)
	for _, p := range c.Parts {
		tests = append(tests, probe.Around(c, nil, p)...)
	}
	tests = append(append(tests, probe.AnyTime(c, nil)...), probe.WithoutMeter(tests, probe.Kit{})...)
	buzzer, err := probe.WithLeads(c, string(probe.Buzzer), c.States[0], nil, [2]string{"F1.b", "K1.30"})
	require.NoError(t, err)
	tests = append(tests, buzzer)
	met := map[probe.Do]bool{}
	for _, made := range tests {
		if met[made.Do] {
			continue
		}
		met[made.Do] = true
		q := made.Question()
		again, err := q.Test(c)
		require.NoError(t, err, made.Key())
		assert.Equal(t, made.Key(), again.Key())
	}
	for _, kind := range probe.EveryKind() {
		shapes := 0
		if _, ok := kind.(probe.Looking); ok {
			shapes++
		}
		if worded, ok := kind.(probe.Worded); ok {
			shapes++
			assert.GreaterOrEqual(t, len(worded.Words(probe.Test{})), 2, kind.Do())
		}
		if figured, ok := kind.(probe.Figured); ok {
			shapes++
			assert.NotNil(t, figured.Unit(), kind.Do())
		}
		assert.Equal(t, 1, shapes, kind.Do())
		assert.True(t, met[kind.Do()], "%s was asked", kind.Do())
		assert.Equal(t, kind.Do(), probe.Of(kind.Do()).Do())
	}
	assert.Nil(t, probe.Of("smelt"))
}

// The chances of the words of every kind sum to one on a car, whatever is wrong with it.
func TestChancesOfWordsSumToOne(t *testing.T) {
	c := circuit(t)
	m, err := electric.New(c)
	require.NoError(t, err)
	well, err := car.New(m, car.Options{})
	require.NoError(t, err)
	for _, p := range c.Parts {
		for _, made := range append(probe.Around(c, nil, p), probe.AnyTime(c, nil)...) {
			kind, ok := made.Kind().(probe.Worded)
			if !ok {
				continue
			}
			into := make([]float64, len(kind.Words(made)))
			require.NoError(t, kind.Chances(well, made, into))
			sum := 0.0
			for _, p := range into {
				assert.True(t, p >= 0 && p <= 1, made.Key())
				sum += p
			}
			assert.InDelta(t, 1, sum, 1e-9, made.Key())
		}
	}
}
