package diagnose

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/probe"
)

// Of tests that tell as much a minute the safer comes first.
func TestTiesGoToTheSafer(t *testing.T) {
	g := Shared(t, "f3-twin-series-parallel")
	c := g.circuit
	setup := func(words ...string) []electric.Action {
		s, err := electric.ParseSetup(c, words)
		require.NoError(t, err)
		return s
	}
	plain := probe.Test{Do: probe.Volts, State: c.States[1], At: c.Part("F3").Pins()[0]}
	module := probe.Test{Do: probe.Volts, State: c.States[1], At: c.Part("ECU").Pins()[0]}
	bridged := probe.Test{Do: probe.LookAtFans, State: c.States[0], Setup: setup("K1 out", "jumper K1.30 K1.87")}
	turned := probe.Test{Do: probe.Turned, State: c.States[0], Setup: setup("M1 unplugged"), Part: "M1"}
	assert.Less(t, plain.Risk(c), module.Risk(c))
	assert.Less(t, module.Risk(c), bridged.Risk(c))
	assert.Less(t, plain.Risk(c), turned.Risk(c))
	assert.InDelta(t, scored{score: 1}.grade(), scored{score: 1.005}.grade(), 0, "half a per cent is a tie")
	assert.Greater(t, scored{score: 1.1}.grade(), scored{score: 1}.grade())
}
