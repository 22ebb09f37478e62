package sheet_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/sheet"
)

// Half-typed circuits are drawn as far as they go: nothing panics, nothing is lost.
func TestHalfTypedCircuits(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for parts, symbols := range map[string]int{
		"{B: {kind: battery}}":                                                                      0,
		"{B: {kind: battery}, G: {kind: ground}}":                                                   0,
		"{B: {kind: battery}, F: {kind: fuse, amps: 5}}":                                            1,
		"{B: {kind: battery}, C: {kind: battery}}":                                                  1,
		"{B: {kind: battery}, S: {kind: splice}, K: {kind: relay, contacts: make}}":                 1,
		`{B: {kind: battery}, E: {kind: controller, pins: {"1": {ground: true}}}}`:                  1,
		"{B: {kind: battery}, C: {kind: connector, ways: 3}, M: {kind: motor, volts: 12, amps: 5}}": 4,
	} {
		c, err := harness.Read([]byte("harness: 1\nparts: " + parts + "\nstates: {on: {}}\n"))
		require.NoError(t, err, parts)
		s := sheet.Draw(c)
		assert.Len(t, s.Symbols, symbols, parts)
		assert.True(t, s.Width >= 0 && s.Width < 5000 && s.Height >= 0 && s.Height < 5000, "%s: %d×%d", parts, s.Width, s.Height)
	}
}
