package probe_test

import (
	"encoding/json"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/car"
	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/library/librarytest"
)

// What is lost in a contact by Ohm's law is what warms it: the steps that are expected are worked by hand. The coil's 1.9 W make
// the relay 15 degrees warmer than the 30 about it. A sound contact of some milliohms loses 2 W more at 20 A: 61 °C. One of 0.05 Ω
// loses I²R = 19 W: far above 100. One of 200 Ω takes all the volts itself, V²/R = 0.8 W: 51 °C.
func TestAContactGetsAsWarmAsWhatItLoses(t *testing.T) {
	c, err := harness.Read([]byte(librarytest.OneFan))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	made, err := probe.OfPart(c, "infrared", c.State("run"), nil, "K1")
	require.NoError(t, err)
	kind := made.Kind().(probe.Typed)
	for words, step := range map[string]string{"": "45 to 70 °C", "K1 make contact burnt 0.05": "above 100 °C",
		"K1 make contact burnt 200": "45 to 70 °C"} {
		var faults []fault.Fault
		if words != "" {
			f, err := fault.Parse(c, words)
			require.NoError(t, err)
			faults = append(faults, f)
		}
		v, err := car.New(m, car.Options{}, faults...)
		require.NoError(t, err)
		into := make([]float64, len(kind.Words(made)))
		require.NoError(t, kind.Chances(v, made, into))
		sum, best := 0.0, 0
		for k, p := range into {
			if sum += p; p > into[best] {
				best = k
			}
		}
		assert.InDelta(t, 1, sum, 1e-9)
		t.Logf("%s: %.2f", words, into)
		assert.Equal(t, step, kind.Words(made)[best], words)
	}
}

// It is asked for only where it is at hand; what it shows speaks for the contact that loses what the figure says, and the answer
// goes into a file and a log and comes back.
func TestAWarmRelayIsEvidence(t *testing.T) {
	c, err := harness.Read([]byte(librarytest.OneFan))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	g, err := diagnose.New(m)
	require.NoError(t, err)
	made, err := probe.OfPart(c, "infrared", c.State("run"), nil, "K1")
	require.NoError(t, err)
	assert.False(t, probe.Kit{}.Can(made))
	assert.True(t, probe.Kit{Infrared: true}.Can(made))
	move, err := g.Look(t.Context(), nil, diagnose.Now{}, made)
	require.NoError(t, err)
	assert.Contains(t, move.Title, "How warm is K1")
	assert.Contains(t, move.Steps[len(move.Steps)-1], "bright metal reflects")

	o, err := made.Question().Answered("121 °C")
	require.NoError(t, err)
	assert.Equal(t, "run: 121 °C at K1", o.String())
	b, err := json.Marshal([]probe.Observation{o})
	require.NoError(t, err)
	assert.JSONEq(t, `[{"state":"run","infrared":"K1","celsius":121}]`, string(b))
	read, err := probe.ReadObservations(b, c)
	require.NoError(t, err)
	assert.Equal(t, o.String(), read[0].String())
	for typed, want := range map[string]string{"hot": "is not a reading in celsius", "900": "more than 400 °C",
		"OL": "type what the thermometer"} {
		_, err := made.Question().Answered(typed)
		assert.ErrorContains(t, err, want)
	}
	american, err := made.Question().Answered("142 F")
	require.NoError(t, err)
	assert.Equal(t, "run: 61 °C at K1", american.String())
	_, err = probe.Question{Do: probe.Infrared, State: "run", Part: "M1"}.Test(c)
	require.ErrorContains(t, err, "how warm M1 is")

	belief := func(seen ...probe.Observation) map[string]float64 {
		a, err := g.Assess(t.Context(), append(seen, probe.Seen("run", probe.Fans{"M1": "slow"})), diagnose.Now{})
		require.NoError(t, err)
		all := map[string]float64{}
		for _, s := range a.Suspects {
			all[s.Fault] = s.Probability
		}
		return all
	}
	cool, err := made.Question().Answered("31")
	require.NoError(t, err)
	none, warm, cold := belief(), belief(o), belief(cool)
	burnt := "K1 make contact burnt"
	t.Logf("burnt contact: %.3f without, %.3f at 121 °C, %.3f at 31 °C", none[burnt], warm[burnt], cold[burnt])
	assert.Greater(t, warm[burnt], 1.5*none[burnt])
	assert.Less(t, cold[burnt], none[burnt])
	assert.Less(t, math.Abs(1-total(warm)), 0.05)
}

func total(all map[string]float64) float64 {
	sum := 0.0
	for _, p := range all {
		sum += p
	}
	return sum
}
