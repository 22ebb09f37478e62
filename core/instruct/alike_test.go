package instruct_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/instruct"
	"ironthread/library"
)

// Why suspects read alike is physics; what decides is an inspection, not a reading.
func TestWhySuspectsCannotBeToldApart(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	for _, c := range []struct {
		names           []string
		reason, decides string
	}{
		{[]string{"F1 open", "wire K1.87 - M1.+ grounded"}, "has blown the fuse", "ohms from K1.87 to battery negative"},
		{[]string{"ECU.62 always on", "wire K3.85 - ECU.62 grounded"}, "reads as it does when ECU.62 holds it", "ECU unplugged"},
		{[]string{"K1 make contact open", "pin K1.30 open"}, "no place to touch between them", "terminal K1.30"},
		{[]string{"wire K1.87 - M1.+ resists", "K1 make contact burnt"}, "adds its ohms", "Open the loom"},
		{[]string{"K1 coil open", "K1 make contact open"}, "same part is replaced", "on the bench"},
		{[]string{"no fault", "F2 wrong"}, "changes what a fan does", "The fans need no repair"},
		{[]string{"M1 seized", "BAT flat"}, "within what a meter", "Look at M1 first"},
	} {
		var faults []fault.Fault
		for _, name := range c.names {
			if f, err := fault.Parse(m.Circuit, name); err == nil {
				faults = append(faults, f)
			}
		}
		why := instruct.WhyAlike(m, faults, len(faults) < len(c.names))
		require.NotNil(t, why, "%v", c.names)
		assert.Contains(t, why.Reason, c.reason)
		assert.Contains(t, why.Decides, c.decides)
	}
	assert.Nil(t, instruct.WhyAlike(m, make([]fault.Fault, 1), false), "one alone is like nothing")
}
