package outside

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/library"
	"ironthread/library/librarytest"
	"ironthread/soak"
)

// Every circuit of the library, in every state, with every single fault and in a sample of set-ups: wired
// straight from the file it reads what the product says. In every run each circuit is tried well, and with the kinds of
// faults and set-ups that no circuit before it had; in the soak with all.
func TestTheWiringIsThatOfTheFile(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	entries, err := library.All()
	require.NoError(t, err)
	var sum tally
	kinds := soak.Kinds{}
	for _, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		hold(t, trialsOf(t, m, &sum, kinds), &sum)
	}
	t.Logf("%d operating points, %d figures, %d rounds at most; %d left out that do not come to rest or blow a lead's fuse; "+
		"%d figures that hang on the simulator's leaks alone; "+
		"largest difference %.3g V (%s), %.3g of a current (%s)",
		sum.points, sum.figures, sum.rounds, sum.restless, sum.onLeaks, sum.volts, sum.worstPin, sum.share, sum.worstWire)
	least := 150
	if soak.Whole() {
		least = 5000
	}
	assert.Greater(t, sum.points, least)
}

// odd is a circuit of kinds and contacts that no circuit of the library has, at 24 volts.
const odd = `harness: 1
title: Odd ends
supply: {off: 25.2, running: 28.0}
parts:
  BAT: {kind: battery, ohms: 0.02}
  G1: {kind: ground}
  F1: {kind: fuse, amps: 40, style: maxi}
  SP: {kind: splice}
  LM: {kind: limiter, opens: 180}
  S3: {kind: switch2}
  K1: {kind: relay, contacts: double-changeover, suppression: diode, diode-cathode: "86", fuse: 30}
  K2: {kind: relay, contacts: double-make, suppression: resistor}
  K3: {kind: relay, contacts: break, suppression: diode, diode-cathode: "85"}
  D1: {kind: diode}
  L1: {kind: lamp, volts: 24, watts: 5}
  R1: {kind: resistor, ohms: 0.9}
  M1: {kind: motor, volts: 25, amps: 9, rpm: 2400, ohms: 0.6}
  M2: {kind: motor, volts: 25, windings: {low: {"+": "1", "-": "3", amps: 5, rpm: 1500}, high: {"+": "2", "-": "3", amps: 11}}}
wires:
  BAT.+ - F1.a: 10mm2 1m
  F1.b - SP: 6mm2 1m
  SP - K1.30: 4mm2 1m
  SP - K1.30b: 2x 2.5mm2 1m
  SP - S3.c: 1mm2 2m
  SP - L1.a: 10AWG 3ft
  L1.b - G1:
  S3.a - D1.a: 1mm2 1m
  D1.k - K1.86: 1mm2 1m
  S3.b - K2.86: 1mm2 1m
  S3.b - K3.85: 1mm2 1m
  K3.86 - G1: 1mm2 1m
  K1.85 - G1: 1mm2 1m
  K2.85 - G1: 1mm2 1m
  K1.87 - M1.+: 4mm2 1m
  K1.87a - LM.a: 4mm2 1m
  LM.b - R1.a: 4mm2 1m
  R1.b - M1.+: 4mm2 1m
  K1.87b - K2.30: 4mm2 1m
  K1.87ab - K3.30: 4mm2 1m
  K2.87 - M2.1: 4mm2 1m
  K2.87b - M2.2: 2.5mm2 1m
  K3.87a - K2.30b: 2.5mm2 1m
  M1.- - G1: 4mm2 1m
  M2.3 - G1: 4mm2 1m
states:
  rest: {}
  left: {S3: a}
  right: {S3: b, engine: running}
`

// Kinds and contacts that the library has none of.
func TestOddEnds(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	c, err := harness.Read([]byte(odd))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	var sum tally
	hold(t, trialsOf(t, m, &sum, soak.Kinds{}), &sum)
	t.Logf("%d operating points, largest difference %.3g V (%s), %.3g of a current (%s)", sum.points, sum.volts, sum.worstPin,
		sum.share, sum.worstWire)
	assert.Greater(t, sum.points, 60)
}

// A breaker and a solid-state relay, in every state, with every fault and set-up.
func TestASolidStateRelayAndABreaker(t *testing.T) {
	c, err := harness.Read([]byte(librarytest.Returning))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	var sum tally
	hold(t, trialsOf(t, m, &sum, soak.Kinds{}), &sum)
	t.Logf("%d operating points, largest difference %.3g V (%s), %.3g of a current (%s)", sum.points, sum.volts, sum.worstPin,
		sum.share, sum.worstWire)
	assert.Greater(t, sum.points, 20)
}

// counted counts what would have failed.
type counted int

func (c *counted) Errorf(string, ...any) { *c++ }

// A wire that runs elsewhere than the file says is seen.
func TestAWrongWireIsSeen(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	x := aTrial(t, m, loads(t, m), e.Circuit.State("low"), fault.Fault{}, nil)
	judged := func() counted {
		var wrong counted
		var text strings.Builder
		x.write(t, &text, 0)
		x.compare(t, &wrong, solve(t, text.String()), &tally{})
		return wrong
	}
	assert.Zero(t, judged())
	drawn := *e.Circuit
	wires := append([]*harness.Wire{}, e.Circuit.Wires...)
	for i, w := range wires {
		if w.From.String() == "M2.-" {
			moved := *w
			moved.From = harness.ParsePin("M2.+")
			wires[i] = &moved
		}
	}
	drawn.Wires = wires
	x.c = &drawn
	assert.Positive(t, judged(), "the second fan's ground is on its feed")
}
