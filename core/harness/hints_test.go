package harness_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
)

const resting = `harness: 1
title: a module whose inputs rest high
parts:
  BAT: {kind: battery}
  G: {kind: ground}
  FM: {kind: fan-module, inputs: ["1"], outputs: ["2"], feeds: ["3"], grounds: ["4"], rating: 30A,
       table: [{when: [], drive: {"2": 1}}, {when: ["1"], drive: {"2": 0}}]}
  M1: {kind: motor, volts: 12, amps: 10}
wires:
  BAT.+ - FM.3: RD
  FM.4 - G: BN
  FM.2 - M1.+: RD
  M1.- - G: BN
states:
  on: {key: on}
`

// A module that runs while its line rests and stops when that is pulled has a row for no input at all; a rating may be written as
// it stands on the part.
func TestAModuleWhoseInputsRestHigh(t *testing.T) {
	c, err := harness.Read([]byte(resting))
	require.NoError(t, err)
	module := c.Part("FM").Spec.(*harness.FanModule)
	assert.Equal(t, 30.0, module.RatedAmps)
	assert.Equal(t, 1.0, module.Match(func(string) bool { return false }).Drive["2"])
	assert.Equal(t, 0.0, module.Match(func(string) bool { return true }).Drive["2"])
	text, err := harness.Write(c)
	require.NoError(t, err)
	again, err := harness.Read(text)
	require.NoError(t, err)
	assert.Equal(t, module, again.Part("FM").Spec)
	c, err = harness.Read([]byte(strings.Replace(resting, "30A", "400 W", 1)))
	require.NoError(t, err)
	assert.Equal(t, 400.0, c.Part("FM").Spec.(*harness.FanModule).RatedWatts)
	_, err = harness.Read([]byte(strings.Replace(resting, "30A", "30 knots", 1)))
	require.ErrorContains(t, err, "as in 30A or 400W")
}

// What is written the wrong way round is said once, not at each wire that follows from it; what stands twice is said with the
// line in which it stood first.
func TestOneHintForOneMistake(t *testing.T) {
	const text = `harness: 1
title: numbers the wrong way round
parts:
  BAT: {kind: battery}
  G: {kind: ground}
  M1: {kind: motor, volts: 12, amps: 10}
  K1: {kind: relay, contacts: make, pins: {"1": "86", "2": "85", "3": "30", "5": "87"}}
wires:
  BAT.+ - K1.3: RD
  K1.5 - M1.+: RD
  M1.- - G: BN
  K1.1 - BAT.+: RD
  K1.2 - G: BN
states:
  on: {key: on}
`
	_, err := harness.Read([]byte(text))
	require.Error(t, err)
	assert.Equal(t, 0, strings.Count(err.Error(), "\n"), err)
	assert.ErrorContains(t, err, `line 7: K1: pins goes from the standard terminal to the number that is printed: "30": "3"`)
	_, err = harness.Read([]byte(strings.Replace(strings.Replace(text, `{"1": "86", "2": "85", "3": "30", "5": "87"}`,
		`{"86": "1", "85": "2", "30": "3", "87": "5"}`, 1), "  G: {kind: ground}", "  G: {kind: ground}\n  G: {kind: ground}", 1)))
	assert.ErrorContains(t, err, `"G" is given twice, in line 5 already`)
}
