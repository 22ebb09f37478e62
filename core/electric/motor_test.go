package electric_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

const dutied = `harness: 1
title: two fans on one module
supply: {off: 13.5, running: 13.5}
parts:
  BAT: {kind: battery, ohms: 0.001}
  G: {kind: ground}
  SC: {kind: speed-controller, share: 0.24, side: high}
  M1: {kind: motor, volts: 13.5, amps: 10, rpm: 2400%s}
wires:
  BAT.+ - SC.+: 50mm2 0.1m
  SC.out - M1.+: 50mm2 0.1m
  SC.- - G: 50mm2 0.1m
  M1.- - G: 50mm2 0.1m
states:
  on: {}
`

// At 24 % of its volts a fan of 10 A draws about 1.5 A (common practice: a clamp at a fan of this size; a tenth friction would
// have it draw less than one). Where the fan itself was measured at other volts, that decides, and is found again.
func TestALittleVoltsDrawWhatFrictionTakes(t *testing.T) {
	usual := solve(t, circuit(t, fmt.Sprintf(dutied, "")), "on").Motors["M1"]
	t.Logf("%.2f A", usual.Amps)
	assert.InDelta(t, 1.5, usual.Amps, 0.6)
	own := solve(t, circuit(t, fmt.Sprintf(dutied, ", points: {3.24: 2.2}")), "on").Motors["M1"]
	assert.InDelta(t, 2.2, own.Amps, 0.05)
	assert.Greater(t, own.Amps, usual.Amps)
	assert.Less(t, own.RPM, usual.RPM)
}
