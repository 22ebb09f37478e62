package probe_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/library"
)

// Every test around every part of the library can be set up, is priced, and is one that an
// observation in a file answers: written, read and asked for again it is the same test.
func TestAroundEveryPart(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		keys := map[string]bool{}
		for _, p := range e.Circuit.Parts {
			for _, made := range probe.Around(e.Circuit, nil, p) {
				_, err := m.Network(made.Setup, nil)
				require.NoError(t, err, "%s: %s", e.Name, made.Key())
				assert.Positive(t, made.Minutes(e.Circuit, nil, nil))
				if made.Do != probe.LookAtFans { // a swap stands beside both of its relays
					assert.False(t, keys[made.Key()], "%s: %s twice", e.Name, made.Key())
				}
				keys[made.Key()] = true
				o := answered(e.Circuit, made)
				b, err := yaml.Marshal([]map[string]any{asMap(t, &o)})
				require.NoError(t, err)
				all, err := probe.ReadObservations(b, e.Circuit)
				require.NoError(t, err, "%s:\n%s", e.Name, b)
				require.Len(t, all, 1)
				again, err := all[0].Test(e.Circuit)
				require.NoError(t, err)
				assert.Equal(t, made.Key(), again.Key(), "%s:\n%s", e.Name, b)
			}
		}
	}
}

// answered is an observation that answers a test, with some answer.
func answered(c *harness.Circuit, made probe.Test) probe.Observation {
	o := probe.Observation{Question: made.Question()}
	switch kind := made.Kind().(type) {
	case probe.Looking:
		o.Answer = probe.Fans{c.Fans()[0].Name: "stopped"}
	case probe.Worded:
		o.Answer = kind.Say(kind.Words(made)[0])
	case probe.Figured:
		o.Answer = kind.Unit().Shows(0)
	}
	return o
}

func asMap(t *testing.T, o *probe.Observation) map[string]any {
	t.Helper()
	var m map[string]any
	b, err := json.Marshal(o)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(b, &m))
	return m
}

// The continuity of a wire wants the battery apart, and says so once.
func TestContinuityWantsThePowerOff(t *testing.T) {
	c := circuit(t)
	w := c.Wires[0]
	for _, now := range [][]string{nil, {"BAT apart"}, {"K1 out"}, {"F3 renewed"}} {
		setup, err := electric.ParseSetup(c, now)
		require.NoError(t, err)
		test := probe.Along(c, setup, w)
		apart := 0
		for _, a := range test.Setup {
			if a.Verb == electric.Apart {
				apart++
			}
		}
		assert.Equal(t, 1, apart, "%v", now)
		assert.Equal(t, w.From, test.At)
	}
}

// Without a scan tool that commands, bringing a state on costs more, a state without commands
// does not; nothing else changes.
func TestWhatAMissingScanToolCosts(t *testing.T) {
	c := circuit(t)
	none := probe.Kit{Scan: probe.NoTool}
	look := probe.Test{Do: probe.LookAtFans, State: c.State("high")}
	assert.Positive(t, none.Extra(c, look, nil))
	assert.Zero(t, none.Extra(c, look, c.State("high")), "it is on already")
	assert.Zero(t, none.Extra(c, probe.Test{Do: probe.LookAtFans, State: c.State("off")}, nil))
	assert.Zero(t, probe.Kit{}.Extra(c, look, nil))
	for _, s := range probe.Schools {
		assert.Positive(t, s.Weight(c, look))
		assert.LessOrEqual(t, s.Weight(c, look), 1.0)
	}
}

// Minutes go by kind and place; a part's own access comes before both.
func TestMinutesByKindPlaceAndAccess(t *testing.T) {
	price := func(at string) float64 {
		c, err := harness.Read([]byte(`harness: 1
title: places
parts:
  BAT: {kind: battery}
  F1: {kind: fuse, amps: 30, ` + at + `}
  M1: {kind: motor, volts: 12.6, amps: 14, rpm: 2400}
wires:
  BAT.+ - F1.a:
  F1.b - M1.+:
  M1.- - BAT.-:
states:
  on: {key: on}
`))
		require.NoError(t, err)
		return probe.Test{Do: probe.Volts, State: c.States[0], At: harness.ParsePin("F1.a")}.Minutes(c, c.States[0], nil)
	}
	plain := price("at: bonnet box")
	assert.Greater(t, price("at: behind the dash"), plain)
	assert.Greater(t, price("at: steering column"), plain)
	assert.InDelta(t, plain, price("label: no place given"), 1e-12)
	assert.InDelta(t, price("access: 9"), price("at: behind the dash, access: 9"), 1e-12)
	assert.Greater(t, price("access: 9"), plain+8)
}

// The power is taken off once; what is out goes back first only where it is still on.
func TestBetweenAndPowerOff(t *testing.T) {
	c := circuit(t)
	one, other := harness.ParsePin("K1.85"), harness.ParsePin("ECU.61")
	for now, want := range map[string]string{"": "BAT apart", "K1 out": "BAT apart", "F3 renewed": "F3 renewed, BAT apart",
		"BAT apart, K1 out": "BAT apart, K1 out"} {
		var words []string
		if now != "" {
			words = strings.Split(now, ", ")
		}
		setup, err := electric.ParseSetup(c, words)
		require.NoError(t, err)
		test := probe.Between(c, setup, one, other)
		var got []string
		for _, a := range test.Setup {
			got = append(got, a.String())
		}
		assert.Equal(t, want, strings.Join(got, ", "), now)
		assert.Len(t, probe.PowerOff(c, test.Setup), len(test.Setup), "off is off")
	}
}

// A clamp round two wires at once shows what both carry together, whichever way the pair is spelled.
func TestAClampRoundTwoWires(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	list, err := probe.ReadObservations([]byte("- {state: high, amps: 30, at: M1.+, with: M2.+}"), m.Circuit)
	require.NoError(t, err)
	test, err := list[0].Test(m.Circuit)
	require.NoError(t, err)
	assert.Contains(t, list[0].String(), "30 A at M1.+ and M2.+ together")
	p, err := m.Solve(electric.Condition{State: m.Circuit.State("high")})
	require.NoError(t, err)
	x, err := m.Instrument(nil, nil, electric.Clamp, test.At, test.From)
	require.NoError(t, err)
	assert.InDelta(t, p.Motors["M1"].Amps+p.Motors["M2"].Amps, x.Shows(test.State), 1e-3)
	_, err = probe.ReadObservations([]byte("- {state: high, amps: 30, at: M1.+, with: M1.+}"), m.Circuit)
	require.ErrorContains(t, err, "round already")
	_, err = probe.ReadObservations([]byte("- {state: high, volts: 12, at: M1.+, with: M2.+}"), m.Circuit)
	require.ErrorContains(t, err, "with goes with")
}
