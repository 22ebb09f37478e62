package rewire_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/rewire"
)

// The build sheets of two fans in series and in parallel: every wire once, with its allowance; the changeover relay needs five
// pins and the others do not; the checks of the build order are what the circuit then shows.
func TestSheets(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := wish(t, mower)
	x := of(plan(t, w), rewire.Series)
	b, err := x.Sheets(w)
	require.NoError(t, err)
	ours := 0
	for _, w := range x.Circuit.Wires {
		if s := w.String(); !strings.Contains(s, "ECU.G") && !strings.Contains(s, "L3.G") && !strings.Contains(s, "FE.") {
			ours++
		}
	}
	require.Len(t, b.Wires, ours, "the controller's own supply and ground are there, and are not laid")
	cut, had := 0.0, 0.0
	for _, l := range b.Wires {
		cut += l.Metres
	}
	for _, l := range b.Lengths {
		had += l.Metres
	}
	assert.InDelta(t, cut, had, 1e-6, "what is to be had is what is cut")
	grouped := 0
	for _, g := range b.Grouped {
		grouped += len(g.Wires)
	}
	assert.Equal(t, len(b.Wires), grouped, "each wire has one function")
	for _, l := range b.Wires {
		if strings.HasPrefix(l.From, "K1.87") && l.To == "M1.+" { // 1.1 m, a tenth for bends, 0.1 m for its ends
			assert.InDelta(t, 1.35, l.Metres, 1e-9)
			assert.True(t, l.Sealed)
			assert.Equal(t, "load", l.Does)
		}
	}
	five := map[string]bool{}
	for _, s := range b.Sockets {
		five[s.Name] = s.FivePin
	}
	assert.Equal(t, map[string]bool{"K1": false, "K2": false, "K3": true, "KI3": false}, five)
	assert.Contains(t, b.Bench[len(b.Bench)-1], "none may remain")
	assert.Contains(t, b.Rules[0].Text, "its own fuse at the battery's post")

	shows := map[string]string{}
	for _, s := range b.Steps {
		for _, c := range s.Checks {
			shows[c.Do] = c.Shows
		}
	}
	// By hand: 12.6 V off the battery, nothing but a voltmeter's own current flowing.
	assert.Equal(t, "0.0 V", shows["parked hot: black lead on the battery's minus, red on K1.86"])
	assert.Equal(t, "12.6 V", shows["off: black lead on the battery's minus, red on K1.86"])
	assert.Regexp(t, `^(9|1[01])\.\d V$`, shows["cranking: black lead on the battery's minus, red on K1.86"])
	assert.Equal(t, "0.0 V", shows["off: K1.85 against the battery's plus"])
	assert.Equal(t, "12.6 V", shows["low: K1.85 against the battery's plus"])
	assert.Equal(t, "0.0 V", shows["low: K2.85 against the battery's plus"])
	assert.Equal(t, "12.6 V", shows["high: across the plug of M1"])
	assert.Equal(t, "12.6 V", shows["low: M1.+ of its plug"])
	assert.Equal(t, "M1 slow, M2 slow", shows["low, engine off: the fans"])
	assert.Equal(t, "M1 stopped, M2 stopped", shows["parked hot, engine off: the fans"])
	for _, other := range plan(t, w).Proposals {
		_, err := other.Sheets(w)
		require.NoError(t, err)
	}
}

// One thing changed at a time: an inverted low line runs the fans with the controller's plug off, and fewer single faults
// leave no cooling.
func TestWhatIf(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	list, err := rewire.Variants(t.Context(), wish(t, mower), rewire.Series)
	require.NoError(t, err)
	require.Equal(t, "as wished", list[0].Change)
	assert.Equal(t, "stopped", list[0].Unplugged["M1"])
	inverted, second := false, false
	for _, v := range list[1:] {
		if v.Change == "a thermal switch asks for high too" {
			assert.LessOrEqual(t, v.LostHot, list[0].LostHot)
			second = true
		}
		if strings.HasPrefix(v.Change, "fan 1 keeps") {
			assert.Equal(t, "slow", v.Unplugged["M1"])
			assert.Equal(t, "stopped", v.Parked["M1"])
			assert.Less(t, v.Lost, list[0].Lost)
			inverted = true
		}
	}
	require.True(t, inverted)
	require.True(t, second)
}
