package logic_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/logic"
	"ironthread/library"
)

func of(t *testing.T, c *harness.Circuit) (*logic.Table, *electric.Model) {
	t.Helper()
	m, err := electric.New(c)
	require.NoError(t, err)
	table, err := logic.Of(m)
	require.NoError(t, err)
	return table, m
}

func row(t *testing.T, table *logic.Table, condition string) logic.Row {
	t.Helper()
	for _, r := range table.Rows {
		if strings.HasPrefix(r.Condition, condition) {
			return r
		}
	}
	var have []string
	for _, r := range table.Rows {
		have = append(have, r.Condition)
	}
	t.Fatalf("there is no condition %q among %q", condition, have)
	return logic.Row{}
}

func circuit(t *testing.T, name string) *harness.Circuit {
	t.Helper()
	e, err := library.Open(name)
	require.NoError(t, err)
	return e.Circuit
}

// The inverted low line (91 on, 87 off; high 99 on, 94 off): read off the file by hand, with hysteresis on the way down.
func TestATableWithAnInvertedLine(t *testing.T) {
	table, _ := of(t, circuit(t, "f9-inverted-low"))
	assert.Equal(t, []logic.Output{{"ECU.7", "low: to ground keeps it off"}, {"ECU.8", "high: to ground runs it"}}, table.Outputs)
	for condition, want := range map[string]string{
		"cold, 20":            "stopped",
		"warming, 91.5":       "slow",
		"warming, 99.5":       "fast",
		"cooling, still 94.5": "fast",
		"cooling, 93.5":       "slow",
		"cooling, still 87.5": "slow",
		"cooling, 86.5":       "stopped",
		"cold, A/C on":        "slow",
		"ECU unplugged":       "slow",
		"ECU rebooting":       "slow",
		"key off, hot":        "stopped",
	} {
		assert.Equal(t, want, row(t, table, condition).Fans["M1"], condition)
	}
	// Held down while the fan is off; at the battery's volts through the coil while it runs.
	assert.Regexp(t, `^0\.\d V$`, row(t, table, "cold, 20").Volts["ECU.7"])
	assert.Regexp(t, `^14\.\d V$`, row(t, table, "warming, 91.5").Volts["ECU.7"])
	assert.Regexp(t, `^14\.\d V$`, row(t, table, "warming, 91.5").Volts["ECU.8"])
	assert.Regexp(t, `^0\.\d V$`, row(t, table, "warming, 99.5").Volts["ECU.8"])
}

// Every circuit of the library has its table, and each row's condition is there once.
func TestEveryCircuitHasItsTable(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		table, _ := of(t, e.Circuit)
		seen := map[string]bool{}
		for _, r := range table.Rows {
			assert.False(t, seen[r.Condition], "%s: %s", e.Name, r.Condition)
			seen[r.Condition] = true
		}
		assert.NotEmpty(t, table.Rows, e.Name)
	}
}

// One output for an inverted low and a normal high: a changeover relay whose rest contact holds the low line down. Off and
// full, nothing between; inverted, the controller's plug off means full.
func TestTwoStagesOnOneOutput(t *testing.T) {
	c := circuit(t, "f9-inverted-low")
	high, low := harness.Pin{Part: "ECU", Name: "8"}, harness.Pin{Part: "ECU", Name: "7"}
	for _, inverted := range []bool{false, true} {
		tied, err := logic.Tie(c, high, low, inverted)
		require.NoError(t, err)
		assert.Equal(t, "ECU.7", tied.Spare)
		assert.Contains(t, tied.How, "changeover relay KT")
		table, m := of(t, tied.Circuit)
		require.Len(t, table.Outputs, 1)
		assert.Equal(t, "stopped", row(t, table, "cold, 20").Fans["M1"])
		assert.Equal(t, "fast", row(t, table, "warming, 99.5").Fans["M1"])
		want := "stopped"
		if inverted {
			want = "fast"
		}
		assert.Equal(t, want, row(t, table, "ECU unplugged").Fans["M1"], "inverted: %t", inverted)
		assert.Equal(t, "stopped", row(t, table, "key off").Fans["M1"])
		// What the two lines show: the low line to ground keeps it off, and both follow the one output.
		p, err := m.Solve(electric.Condition{State: tied.Circuit.State("off")})
		require.NoError(t, err)
		assert.InDelta(t, 0, *p.Pins["K1.85"], 0.2)
		assert.Greater(t, *p.Pins["K2.85"], 11.0)
		p, err = m.Solve(electric.Condition{State: tied.Circuit.State("high")})
		require.NoError(t, err)
		assert.Greater(t, *p.Pins["K1.85"], 11.0)
		assert.InDelta(t, 0, *p.Pins["K2.85"], 0.2)
		assert.False(t, slices.ContainsFunc(tied.Circuit.States, func(s *harness.State) bool { return s.Name == "low" }))
	}
}

// Two lines of one kind are joined by a wire; what cannot be tied is said.
func TestTyingLinesOfOneKind(t *testing.T) {
	c := circuit(t, "f2-staged-pair")
	outputs, _ := of(t, c)
	require.Len(t, outputs.Outputs, 2)
	a, b := harness.ParsePin(outputs.Outputs[1].Pin), harness.ParsePin(outputs.Outputs[0].Pin)
	tied, err := logic.Tie(c, a, b, false)
	require.NoError(t, err)
	assert.Contains(t, tied.How, "a wire joins")
	_, m := of(t, tied.Circuit)
	last := tied.Circuit.States[len(tied.Circuit.States)-1]
	p, err := m.Solve(electric.Condition{State: last})
	require.NoError(t, err)
	for _, k := range c.OfKind(harness.KindRelay) {
		assert.Equal(t, "pulled in", p.Relays[k.Name], "%s in %s", k.Name, last.Name)
	}
	_, err = logic.Tie(c, a, a, false)
	require.ErrorContains(t, err, "not two outputs")
}
