package electric_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// measure takes one reading of the three-relay circuit.
func measure(t *testing.T, m *electric.Model, instrument electric.Instrument, state, at, from string,
	words ...string) (*electric.Measured, error) {
	t.Helper()
	q := electric.Measurement{Instrument: instrument, At: harness.ParsePin(at), Condition: electric.Condition{State: m.Circuit.State(state)}}
	if from != "" {
		q.From = harness.ParsePin(from)
	}
	for _, w := range words {
		if f, err := fault.Parse(m.Circuit, w); err == nil {
			q.Faults = append(q.Faults, f)
			continue
		}
		a, err := electric.ParseAction(m.Circuit, w)
		require.NoError(t, err)
		q.Setup = append(q.Setup, a)
	}
	return m.Measure(q)
}

func TestInstruments(t *testing.T) {
	m := loadModel(t, twin)
	for _, c := range []struct {
		instrument      electric.Instrument
		state, at, from string
		words           []string
		figure          float64
		within          float64
		word            string
	}{
		{electric.Voltmeter, "low", "F3.a", "", nil, 6.24, 0.05, ""},
		{electric.Voltmeter, "low", "M1.+", "M1.-", nil, 6.17, 0.05, ""},
		{electric.Voltmeter, "off", "M1.-", "", []string{"K3 out", "M1 unplugged"}, 0, 1e-3, ""},
		// A bad joint of a megohm: the voltmeter shows a ghost, the lamp does not light.
		{electric.Voltmeter, "off", "K1.30", "", []string{"wire F1.b - K1.30 resists 100000", "K1 out"}, 12.47, 0.05, ""},
		{electric.Lamp, "off", "K1.30", "", []string{"wire F1.b - K1.30 resists 100000", "K1 out"}, 0, 0.01, "off"},
		{electric.Lamp, "off", "K1.30", "", []string{"K1 out"}, 12.5, 0.2, "bright"},
		// A joint of 10 Ω: a light lamp dims a little, a heavy one goes dim.
		{electric.HeavyLamp, "off", "K1.30", "", []string{"wire F1.b - K1.30 resists 10", "K1 out"}, 5, 4, "dim"},
		{electric.LEDTester, "off", "K1.30", "", []string{"wire F1.b - K1.30 resists 1000", "K1 out"}, 7.2, 0.2, "lights"},
		{electric.LEDTester, "off", "M1.+", "", nil, 0, 0.01, "off"},
		{electric.Clamp, "high", "M1.+", "", nil, 14.6, 0.1, ""},
		{electric.Ohmmeter, "off", "K1.86", "K1.85", []string{"BAT apart", "K2 out", "K3 out"}, 85, 0.5, ""},
		// Two coils in parallel beside it: parallel paths count.
		{electric.Ohmmeter, "off", "K2.86", "K2.85", []string{"BAT apart"}, 42.5, 0.5, ""},
		{electric.Ohmmeter, "off", "M1.+'", "M1.-'", []string{"M1 unplugged"}, 12.6 / 66, 1e-3, ""},
	} {
		r, err := measure(t, m, c.instrument, c.state, c.at, c.from, c.words...)
		require.NoError(t, err, "%v", c)
		require.NotNil(t, r.Figure, "%v", c)
		assert.InDelta(t, c.figure, *r.Figure, c.within, "%v", c)
		assert.Equal(t, c.word, r.Word, "%v", c)
	}
}

func TestOhmmeterOpenAndLive(t *testing.T) {
	m := loadModel(t, twin)
	r, err := measure(t, m, electric.Ohmmeter, "off", "F3.b", "M2.+", "BAT apart", "wire F3.b - M2.+ open", "M2 unplugged")
	require.NoError(t, err)
	assert.Equal(t, "open", r.Word)
	assert.Nil(t, r.Figure)
	_, err = measure(t, m, electric.Ohmmeter, "off", "F1.b", "", "K1 out")
	assert.ErrorContains(t, err, `the circuit is live at F1.b (12.6 V): no ohmmeter on it; take the battery off first (set-up "BAT apart")`)
	_, err = measure(t, m, electric.Voltmeter, "off", "K1.30'", "")
	assert.ErrorContains(t, err, "only while K1 is out")
}

func TestALampOnACoilLinePullsTheRelayIn(t *testing.T) {
	m := loadModel(t, twin)
	r, err := measure(t, m, electric.HeavyLamp, "off", "K1.85", "")
	require.NoError(t, err)
	assert.Contains(t, r.Notes, "the heavy lamp here passes enough to pull K1 in")
	r, err = measure(t, m, electric.Voltmeter, "off", "K1.85", "")
	require.NoError(t, err)
	assert.Empty(t, r.Notes)
}

func TestBackFeedIsNamed(t *testing.T) {
	m := loadModel(t, twin)
	assert.Contains(t, warnings(solve(t, m, "off", "ground K2.85")), "ground K2.85 also pulls in K3: their coils share this line")
	assert.NotContains(t, warnings(solve(t, m, "off", "ground K1.85")), "also pulls in")
}
