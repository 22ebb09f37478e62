package diagnose

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/probe"
	"ironthread/library"
)

// Why suspects read alike is physics; what decides is an inspection, not a reading.
func TestWhySuspectsCannotBeToldApart(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	g, err := New(m)
	require.NoError(t, err)
	for _, c := range []struct {
		names           []string
		reason, decides string
	}{
		{[]string{"F1 open", "wire K1.87 - M1.+ grounded"}, "has blown the fuse", "ohms from K1.87 to battery negative"},
		{[]string{"ECU.62 always on", "wire K3.85 - ECU.62 grounded"}, "reads as it does when ECU.62 holds it", "ECU unplugged"},
		{[]string{"K1 make contact open", "pin K1.30 open"}, "no place to touch between them", "terminal K1.30"},
		{[]string{"wire K1.87 - M1.+ resists", "K1 make contact burnt"}, "adds its ohms", "Open the loom"},
		{[]string{"K1 coil open", "K1 make contact open"}, "same part is renewed", "on the bench"},
		{[]string{NoFault, "F2 wrong"}, "changes what a fan does", "Nothing need be done"},
		{[]string{"M1 seized", "BAT flat"}, "within what a meter", "Look at M1 first"},
	} {
		var members []int
		for _, name := range c.names {
			for i, s := range g.suspects {
				if s.Name == name {
					members = append(members, i)
				}
			}
		}
		if !assert.Len(t, members, len(c.names), "%v", c.names) {
			continue
		}
		why := g.asking(t, Now{}).alikeness(members)
		require.NotNil(t, why, "%v", c.names)
		assert.Contains(t, why.Reason, c.reason)
		assert.Contains(t, why.Decides, c.decides)
	}
	assert.Nil(t, g.asking(t, Now{}).alikeness([]int{0}))
}

// Of tests that tell as much a minute the safer comes first.
func TestTiesGoToTheSafer(t *testing.T) {
	g := small(t, "f3-twin-series-parallel")
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
	assert.Less(t, g.risk(plain), g.risk(module))
	assert.Less(t, g.risk(module), g.risk(bridged))
	assert.Less(t, g.risk(plain), g.risk(turned))
	assert.InDelta(t, scored{score: 1}.grade(), scored{score: 1.005}.grade(), 0, "half a per cent is a tie")
	assert.Greater(t, scored{score: 1.1}.grade(), scored{score: 1}.grade())
}
