package electric_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/library"
)

// What is written in few words is said in whole ones, done and taken back; "replaced" is understood for "renewed".
func TestActionsAsTheyAreSaid(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	for _, c := range []struct{ words, done, back string }{
		{"BAT apart", "battery negative is off", "battery lead is back on"},
		{"K1 out", "K1 is out", "K1 is back in"},
		{"M2 unplugged", "M2 is unplugged", "M2 is plugged in again"},
		{"jumper K1.30 K1.87", "a lead bridges K1.30 and K1.87", "the lead between K1.30 and K1.87 is off"},
		{"ground K1.85", "a lead grounds K1.85", "the lead is off K1.85"},
		{"F3 replaced", "F3 replaced", "F3 replaced: taken back"},
		{"F3 renewed used", "F3 replaced by a used one", "F3 replaced by a used one: taken back"},
		{"wire M2.- - G1 replaced", "wire M2.- - G1 replaced", "wire M2.- - G1 replaced: taken back"},
		{"pin K1.30 renewed", "terminal K1.30 replaced", "terminal K1.30 replaced: taken back"},
		{"G1 renewed", "G1 made anew", "G1 made anew: taken back"},
		{"swapped K1 K2", "K1 and K2 swapped", "K1 and K2 are back in their places"},
		{"engine running", "engine running", "the engine is as the state has it"},
		{"no such thing", "no such thing", "no such thing"},
	} {
		assert.Equal(t, c.done, electric.DoneSpoken(e.Circuit, c.words))
		assert.Equal(t, c.back, electric.BackSpoken(e.Circuit, c.words))
	}
	a, err := electric.ParseAction(e.Circuit, "F3 replaced")
	require.NoError(t, err)
	assert.Equal(t, "F3 renewed", a.String())
}
