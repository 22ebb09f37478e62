package fault_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/library"
)

// Every fault of every library circuit reads back from its own words.
func TestWordsRoundTrip(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		seen := map[fault.Fault]bool{}
		for _, s := range fault.All(e.Circuit) {
			back, err := fault.Parse(e.Circuit, s.Fault.String())
			require.NoError(t, err)
			assert.Equal(t, s.Fault, back)
			assert.False(t, seen[s.Fault], "%s is listed twice", s.Fault)
			assert.Positive(t, s.Weight)
			seen[s.Fault] = true
		}
		assert.Greater(t, len(seen), 20, e.Name)
	}
}

func TestParse(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	for words, want := range map[string]string{
		"K1 make contact burnt 0.7":                       "K1 make contact burnt 0.7",
		"  M1   worn 4 ":                                  "M1 worn 4",
		"wire M1.+ - K1.87 open":                          "wire K1.87 - M1.+ open", // as drawn
		"wire M2.- - G1 resists 0.5 intermittent":         "wire M2.- - G1 resists 0.5 intermittent",
		"M1 brushes intermittent":                         "M1 brushes intermittent",
		"ECU.61 dead":                                     "ECU.61 dead",
		"pin M1.- open":                                   "pin M1.- open",
		"wires K1.85 - ECU.61 and K2.85 - ECU.62 crossed": "wires K1.85 - ECU.61 and K2.85 - ECU.62 crossed",
	} {
		f, err := fault.Parse(e.Circuit, words)
		require.NoError(t, err, words)
		assert.Equal(t, want, f.String())
	}
	for words, want := range map[string]string{
		"F9 open":                "there is no part F9",
		"F3 melted":              `a fuse cannot be "melted" (open, resists, wrong)`,
		"K1 rest contact burnt":  "a relay cannot be", // a make relay has none
		"F3 open 5":              `nothing is expected after "open"`,
		"F3 resists much":        "is no figure in ohms",
		"wire K1.87 - M2.+ open": "there is no wire K1.87 - M2.+",
		"wire K1.87":             "FROM - TO",
		"K1.30 dead":             "driving pin fails by itself",
		"":                       "there is no part",
	} {
		_, err := fault.Parse(e.Circuit, words)
		require.Error(t, err, words)
		assert.Contains(t, err.Error(), want)
	}
}

// Crossed wires change places in the plug they share; where they share both, in one of them only,
// the same for either wire.
func TestJoined(t *testing.T) {
	pins := func(a, b string) [2]harness.Pin { return [2]harness.Pin{harness.ParsePin(a), harness.ParsePin(b)} }
	for _, c := range []struct{ wire, other, first, second [2]harness.Pin }{
		{pins("K1.85", "ECU.61"), pins("K2.85", "ECU.62"), pins("K1.85", "ECU.62"), pins("K2.85", "ECU.61")},
		{pins("ECU.61", "K1.85"), pins("K2.85", "ECU.62"), pins("ECU.62", "K1.85"), pins("K2.85", "ECU.61")},
		{pins("X1.1", "ECU.61"), pins("ECU.62", "X1.2"), pins("X1.2", "ECU.61"), pins("ECU.62", "X1.1")},
		{pins("K1.85", "ECU.61"), pins("K2.86", "F1.b"), pins("K1.85", "ECU.61"), pins("K2.86", "F1.b")},
	} {
		f := fault.Fault{On: fault.OnWires, Wire: c.wire, Other: c.other}
		assert.Equal(t, [2][2]harness.Pin{c.first, c.second}, f.Joined())
	}
}
