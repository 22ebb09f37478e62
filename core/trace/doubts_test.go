package trace_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/trace"
	"ironthread/library"
	"ironthread/library/librarytest"
)

// A circuit with everything that a look at the drawing should find: a module fed past every fuse and the wrong way
// round, a coil's diode against its feed, a fuse of 40 A on a thin wire, two fuses on one point, a fan that the key does
// not stop.
const doubtful = `
harness: 1
title: Doubtful
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  SW: {kind: switch, closed-when: key}
  F1: {kind: fuse, amps: 40}
  F2: {kind: fuse, amps: 30}
  F3: {kind: fuse, amps: 7.5}
  F4: {kind: fuse, amps: 20}
  K1: {kind: relay, contacts: make, suppression: diode, diode-cathode: "85"}
  M1: {kind: motor, volts: 12.6, amps: 10}
  M2: {kind: motor, volts: 12.6, amps: 5}
  L1: {kind: lamp, volts: 12, watts: 4}
  PM: {kind: pwm-module, control: c, feeds: [f], grounds: [g], outputs: {a: {"+": o}}, duty: {min: 10, max: 90}}
wires:
  BAT.+ - F1.a: RD 6mm2 1m
  BAT.+ - F2.a: RD 6mm2 1m
  BAT.+ - SW.a: RD 2.5mm2 1m
  BAT.+ - F4.a: RD 2.5mm2 1m
  BAT.+ - PM.g: RD 4mm2 1m
  PM.f - G1: BN 4mm2 1m
  F1.b - K1.30: RD 1.5mm2 1m
  F2.b - K1.30: RD 6mm2 1m
  SW.b - F3.a: OG 1mm2 1m
  F3.b - K1.86: OG 1mm2 1m
  K1.85 - G1: BN 1mm2 1m
  K1.87 - M1.+: VT 6mm2 1m
  M1.- - G1: BN 6mm2 1m
  F4.b - M2.+: GN 2.5mm2 1m
  M2.- - G1: BN 2.5mm2 1m
  F3.b - L1.a: GY 1mm2 1m
  L1.b - G1: BN 1mm2 1m
states:
  off: {}
  on: {key: on}
`

func TestWhatIsDoubtfulInADrawing(t *testing.T) {
	c, err := harness.Read([]byte(doubtful))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	said := map[string]string{}
	for _, w := range trace.Doubts(m) {
		said[w.Kind] += w.Text + "\n"
	}
	assert.Contains(t, said["unfused"], "PM.g is fed from BAT with no fuse on the way")
	assert.NotContains(t, said["unfused"], "M2", "its fuse is on the way")
	assert.Contains(t, said["large fuse"], "F1 is a fuse of 40 A, and the wire F1.b - K1.30 behind it")
	assert.NotContains(t, said["large fuse"], "F3 is a fuse")
	assert.Contains(t, said["diode"], "K1's coil is fed the wrong way round for its diode")
	assert.Contains(t, said["feeds"], "F1 and F2 feed the same point")
	assert.Contains(t, said["reversed"], "PM is fed the wrong way round")
	assert.Contains(t, said["parked"], "off: M2 runs with the key off: ")

	// A fuse that is pulled and does not stop the fan is named where it is pulled.
	out, err := electric.ParseSetup(c, []string{"F1 out"})
	require.NoError(t, err)
	p, err := m.Solve(electric.Condition{State: c.State("off"), Setup: out})
	require.NoError(t, err)
	found := false
	for _, w := range p.Warnings {
		found = found || strings.Contains(w.Text, "with F1 out M2 still has current (through F4): unplug it")
	}
	assert.True(t, found, "%v", p.Warnings)
}

// The circuits that ship raise no doubt but what their own states teach.
func TestTheLibraryRaisesNoDoubt(t *testing.T) {
	all, err := library.All()
	require.NoError(t, err)
	for _, e := range all {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		for _, w := range trace.Doubts(m) {
			assert.Equal(t, "parked", w.Kind, "%s: %s", e.Name, w.Text)
		}
	}
}

// A breaker protects what is behind it as a fuse does, and is held against the wires there.
func TestABreakerProtects(t *testing.T) {
	thin := strings.Replace(librarytest.Returning, "Q1.out - M1.+: BK 4mm2", "Q1.out - M1.+: BK 0.35mm2", 1)
	c, err := harness.Read([]byte(thin))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	p, err := trace.Protects(m)
	require.NoError(t, err)
	require.Len(t, p.Guards, 1)
	assert.Equal(t, "CB1", p.Guards[0].Fuse)
	var said []string
	for _, w := range trace.Doubts(m) {
		said = append(said, w.Text)
	}
	assert.Contains(t, strings.Join(said, "\n"), "CB1 is a breaker of 25 A, and the wire Q1.out - M1.+ behind it")
}
