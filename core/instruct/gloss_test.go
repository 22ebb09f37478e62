package instruct_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/instruct"
	"ironthread/library"
)

// Beside a fault's spelling stands what it is called at the car.
func TestGlosses(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	for words, want := range map[string]string{
		"F3 open": "link fuse: blown", "K1 sticks at rest": "low relay: does not pull in",
		"K3 rest contact burnt": "high relay: 30 to 87a closes and carries nothing", "F2 wrong": "wrong rating fitted",
		"wire M2.- - G1 resists": "high resistance", "wire K1.85 - ECU.61 grounded": "shorted to ground",
		"pin M1.- open": "nearside fan: terminal spread or backed out", "no fault": "", "nonsense": "",
	} {
		assert.Equal(t, want, instruct.Gloss(e.Circuit, words), words)
	}
}
