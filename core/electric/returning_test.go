package electric_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/library/librarytest"
)

func solids(t *testing.T) *electric.Model {
	t.Helper()
	c, err := harness.Read([]byte(librarytest.Returning))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	return m
}

func faultsOf(t *testing.T, c *harness.Circuit, words ...string) []fault.Fault {
	t.Helper()
	var list []fault.Fault
	for _, w := range words {
		f, err := fault.Parse(c, w)
		require.NoError(t, err)
		list = append(list, f)
	}
	return list
}

// On, it drops its ohms times the current and warms by the square of it. Off, it leaks: with the fan unplugged a meter of ten
// megohms reads nearly all the volts behind it, 12 kΩ against 10 MΩ; with the fan there, next to nothing (all by Ohm's law).
func TestASolidStateRelayLeaksAndGetsWarm(t *testing.T) {
	m := solids(t)
	c := m.Circuit
	p, err := m.Solve(electric.Condition{State: c.State("run")})
	require.NoError(t, err)
	amps := p.Motors["M1"].Amps
	assert.Equal(t, electric.Fast, p.Motors["M1"].Speed)
	assert.InDelta(t, 0.01*amps, *p.Pins["Q1.in"]-*p.Pins["Q1.out"], 0.002)
	assert.InDelta(t, 0.01*amps*amps, p.Heat["Q1"].Watts, 0.1)
	off, err := m.Solve(electric.Condition{State: c.State("off")})
	require.NoError(t, err)
	assert.Equal(t, electric.Stopped, off.Motors["M1"].Speed)
	assert.Less(t, *off.Pins["Q1.out"], 0.01)
	setup, err := electric.ParseSetup(c, []string{"M1 unplugged"})
	require.NoError(t, err)
	read, err := m.Instrument(setup, nil, electric.Voltmeter, harness.ParsePin("M1.+"), harness.Pin{})
	require.NoError(t, err)
	supply := *off.Pins["BAT.+"]
	assert.InDelta(t, supply*1e7/(1e7+12/0.001), read.Shows(c.State("off")), 0.05, "it looks fed, and is not")
	for words, want := range map[string][2]electric.Speed{"Q1 always on": {electric.Fast, electric.Fast},
		"Q1 dead": {electric.Stopped, electric.Stopped}} {
		for k, state := range []string{"off", "run"} {
			p, err := m.Solve(electric.Condition{State: c.State(state), Faults: faultsOf(t, c, words)})
			require.NoError(t, err)
			assert.Equal(t, want[k], p.Motors["M1"].Speed, "%s, %s", words, state)
		}
	}
	hot := strings.Replace(librarytest.Returning, "ohms: 0.01,", "ohms: 0.05,", 1)
	h, err := harness.Read([]byte(hot))
	require.NoError(t, err)
	model, err := electric.New(h)
	require.NoError(t, err)
	p, err = model.Solve(electric.Condition{State: h.State("run")})
	require.NoError(t, err)
	assert.True(t, warns(p, "Q1 makes "), "%v", p.Warnings)
}

func warns(p *electric.Point, words string) bool {
	for _, w := range p.Warnings {
		if strings.Contains(w.Text, words) {
			return true
		}
	}
	return false
}

// A fan that is too much for its breaker runs in fits: it opens, closes after half a minute, and opens again. It is no blown fuse:
// the next state finds it closed.
func TestABreakerComesBackByItself(t *testing.T) {
	m := solids(t)
	c := m.Circuit
	dragging := faultsOf(t, c, "M1 worn 10")
	n, err := m.Network(nil, dragging)
	require.NoError(t, err)
	n.Enter(c.State("run"))
	require.Equal(t, []bool{true}, n.InFits())
	assert.Zero(t, n.Blown(), "nothing has to be renewed")
	p, err := m.Solve(electric.Condition{State: c.State("run"), Faults: dragging})
	require.NoError(t, err)
	assert.True(t, warns(p, "runs in fits"), "%v", p.Warnings)
	assert.Equal(t, electric.Cycling, p.Motors["M1"].Speed)
	well, err := m.Network(nil, nil)
	require.NoError(t, err)
	well.Enter(c.State("run"))
	assert.Nil(t, well.InFits())
	n.Enter(c.State("off"))
	assert.Nil(t, n.InFits())

	seized := electric.Condition{State: c.State("run"), Faults: faultsOf(t, c, "M1 seized")}
	run, err := m.Start(seized, []electric.Stage{{State: c.State("run")}}, 90)
	require.NoError(t, err)
	opens, closes := 0, 0
	for _, e := range run.Events {
		opens += strings.Count(e.Text, "CB1 opens")
		closes += strings.Count(e.Text, "CB1 closes again")
	}
	assert.GreaterOrEqual(t, opens, 2, "%v", run.Events)
	assert.Equal(t, 2, closes, "every half minute of the ninety seconds but the last")
	welded, err := m.Solve(electric.Condition{State: c.State("run"), Faults: faultsOf(t, c, "M1 seized", "CB1 stuck closed")})
	require.NoError(t, err)
	assert.False(t, welded.Fuses["CB1"].Open)
	assert.False(t, math.IsNaN(welded.Fuses["CB1"].Load))
}
