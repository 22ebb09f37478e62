package instruct_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/instruct"
	"ironthread/core/probe"
)

// A relay whose cavities have numbers of their own, with a diode whose cathode is at 85: wires and readings name them
// either way, and every word is by the print. Plus on the wrong end of that coil would be a dead short.
const numbered = `
harness: 1
title: Numbered
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  F1: {kind: fuse, amps: 20}
  K1: {kind: relay, contacts: make, suppression: diode, diode-cathode: "85", pins: {"86": "2", "85": "1", "30": "3", "87": "5"}}
  M1: {kind: motor, volts: 12.6, amps: 10}
wires:
  BAT.+ - F1.a:
  F1.b - K1.3:
  F1.b - K1.85:
  K1.2 - G1:
  K1.5 - M1.+: GN>BU
  M1.- - G1:
states: {on: {key: on}}
`

func TestWordsGoByThePrint(t *testing.T) {
	c, err := harness.Read([]byte(numbered))
	require.NoError(t, err)
	assert.NotNil(t, c.Wire(harness.ParsePin("F1.b"), harness.ParsePin("K1.30")), "one name is kept")
	written, err := harness.Write(c)
	require.NoError(t, err)
	assert.Contains(t, string(written), "F1.b - K1.30")
	words := func(line string) string {
		seen, err := probe.ReadObservations([]byte(line), c)
		require.NoError(t, err)
		test, err := seen[0].Test(c)
		require.NoError(t, err)
		card := instruct.Test(c, test, instruct.Now{State: c.States[0]})
		return card.Title + "\n" + strings.Join(card.Steps, "\n")
	}
	bench := words("- {bench: K1, ohms: 0.2, between: [3, 5], energised: true}")
	assert.Contains(t, bench, "plus on 1 (85), minus on 2 (86)")
	assert.Contains(t, bench, "between terminals 3 (30) and 5 (87), by the print on the relay")
	at := words("- {state: on, volts: 12.4, at: K1.5}")
	assert.Contains(t, at, "Volts at K1.5 (87), in on")
	assert.Contains(t, at, "GN wire", "its colour at this end")
	assert.Contains(t, words("- {state: on, volts: 12.4, at: M1.+}"), "BU wire", "and at the other")
	assert.Contains(t, words("- {state: on, volts: 0.1, at: K1.5, from: M1.+}"), "Voltage drop along the wire K1.5 (87) to M1.+")
	assert.Contains(t, words("- {state: on, volts: 0.1, at: F1.a, from: F1.b}"), "Voltage drop across F1")
	assert.NotContains(t, words("- {bench: F1, ohms: OL, between: [a, b]}"), "on the relay")
}
