package logic_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/logic"
)

// Which way a tied output falls, by the trade: an output that pulls to run both leaves a hot engine without a fan when its line is
// open, and never runs one on a cold engine for that; one that pulls to keep them off does the opposite, and a dead output runs both.
func TestWhatTheFailuresOfATiedOutputDo(t *testing.T) {
	c := circuit(t, "f9-inverted-low")
	high, low := harness.Pin{Part: "ECU", Name: "8"}, harness.Pin{Part: "ECU", Name: "7"}
	for _, inverted := range []bool{false, true} {
		tied, err := logic.Tie(c, high, low, inverted)
		require.NoError(t, err)
		_, m := of(t, tied.Circuit)
		list, err := logic.Fails(m, high)
		require.NoError(t, err)
		assert.Equal(t, "nothing wrong", list[0].What)
		assert.Equal(t, "stopped", list[0].Cold["M1"])
		assert.Equal(t, "fast", list[0].Hot["M1"])
		found := 0
		for _, f := range list[1:] {
			if f.What == "ECU.8 dead" || strings.HasSuffix(f.What, "ECU.8 open") && strings.HasPrefix(f.What, "wire") {
				found++
				assert.Equal(t, !inverted, f.NoCooling, "%s, inverted %t: %v", f.What, inverted, f)
				assert.Equal(t, inverted, f.RunsOn, "%s, inverted %t: %v", f.What, inverted, f)
			}
		}
		assert.Equal(t, 2, found)
		assert.Greater(t, len(list), 8, "the relay between fails in ways of its own")
	}
}

// The circuit's own switches stand as at work: the pump house runs as it gets hot.
func TestASwitchedCircuitIsLaidOutAtWork(t *testing.T) {
	table, _ := of(t, circuit(t, "f11-equipment-fans"))
	running := false
	for _, row := range table.Rows {
		for _, word := range row.Fans {
			running = running || word != "stopped"
		}
	}
	assert.True(t, running, "a fan runs in some condition")
}
