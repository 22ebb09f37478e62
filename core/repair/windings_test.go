package repair_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/repair"
)

const apart = `harness: 1
title: two windings with no wire in common
parts:
  BAT: {kind: battery}
  G: {kind: ground}
  S1: {kind: switch, closed-when: one}
  S2: {kind: switch, closed-when: two}
  M1:
    kind: motor
    volts: 12.6
    windings: {slow: {+: "1", -: "2", amps: 7, rpm: 1500}, quick: {+: "3", -: "4", amps: 12}}
wires:
  BAT.+ - S1.a: RD 4mm2 0.5m
  BAT.+ - S2.a: RD 4mm2 0.5m
  S1.b - M1.1: GN 4mm2 1m
  S2.b - M1.3: BU 4mm2 1m
  M1.2 - G: BN 4mm2 1m
  M1.4 - G: BN 4mm2 1m
states:
  low: {one: on}
  high: {two: on}
`

// Where the windings of a fan have no wire in common, each is clamped at its own, in the state in which it runs.
func TestEachWindingIsClamped(t *testing.T) {
	c, err := harness.Read([]byte(apart))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	list, err := repair.List(m, nil)
	require.NoError(t, err)
	var clamps []string
	for _, check := range list {
		if strings.HasPrefix(check.Key, "clamp") {
			clamps = append(clamps, check.Text)
			assert.Less(t, check.Low, check.High)
		}
	}
	assert.Equal(t, []string{"Clamp on M1 slow in low", "Clamp on M1 quick in high"}, clamps)
}
