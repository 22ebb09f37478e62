package electric_test

import (
	"bytes"
	"fmt"
	"math"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/library"
)

// Kirchhoff's laws on the links of every library circuit in every state: what flows into a node
// flows out of it, and each resistive link carries what its volts and ohms say.
func TestKirchhoffOnTheLinks(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		for _, s := range e.Circuit.States {
			n, err := m.Enter(electric.Condition{State: s})
			require.NoError(t, err)
			sum := map[int]float64{}
			most := 0.0
			for _, l := range n.Links() {
				sum[l.A] -= l.Amps
				sum[l.B] += l.Amps
				most = math.Max(most, math.Abs(l.Amps))
				if strings.HasPrefix(l.Name, "wire ") {
					assert.InDelta(t, (n.VoltsAt(l.A)-n.VoltsAt(l.B))/l.Ohms, l.Amps, 1e-6*math.Max(1, most), "%s, %s: %s", e.Name, s.Name, l.Name)
				}
			}
			for _, pins := range n.PinsAt() {
				x := n.NodeOf(pins[0])
				inside := e.Circuit.Part(pins[0].Part).Kind()
				// A battery's and a module's own nodes have sources that are no links.
				if x == electric.Post || x == n.FeedNode() || feedsOrDrives(e.Circuit, pins) {
					continue
				}
				assert.InDelta(t, 0, sum[x], 1e-6*math.Max(1, most), "%s, %s: node of %s (%s)", e.Name, s.Name, pins[0], inside)
			}
		}
	}
}

// feedsOrDrives tells whether a node touches a module, whose average-value transformer and
// electronics are no links of their own.
func feedsOrDrives(c *harness.Circuit, pins []harness.Pin) bool {
	for _, pin := range pins {
		switch c.Part(pin.Part).Kind() {
		case harness.KindFanModule, harness.KindPWMModule, harness.KindSpeedController, harness.KindController, harness.KindDiode:
			return true
		}
	}
	return false
}

// The short answers for many cars at once are those of the full operating point.
func TestShortAnswersAgreeWithThePoint(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		fans, relays := e.Circuit.Fans(), e.Circuit.OfKind(harness.KindRelay)
		volts := make([]float32, len(m.Pins()))
		shares, amps := make([]float32, len(fans)), make([]float32, len(fans))
		in := make([]float32, len(relays))
		for _, s := range e.Circuit.States {
			n, err := m.Enter(electric.Condition{State: s})
			require.NoError(t, err)
			p := n.Point(s)
			n.MeterVolts(volts, nil)
			n.FanShares(shares)
			n.FanAmps(amps)
			n.PulledIn(in)
			for k, pin := range m.Pins() {
				want := p.Pins[pin.String()]
				if want == nil {
					assert.True(t, math.IsNaN(float64(volts[k])) || math.Abs(float64(volts[k])) < 0.5, "%s, %s: %s floats", e.Name, s.Name, pin)
					continue
				}
				// A 10 MΩ meter hardly loads it.
				assert.InDelta(t, *want, float64(volts[k]), 0.05, "%s, %s: %s", e.Name, s.Name, pin)
			}
			for k, fan := range fans {
				assert.Equal(t, p.Motors[fan.Name].Speed, electric.SpeedWord(float64(shares[k])), "%s, %s: %s", e.Name, s.Name, fan.Name)
				assert.InDelta(t, math.Abs(p.Motors[fan.Name].Amps), math.Abs(float64(amps[k])), 0.02, "%s, %s: %s", e.Name, s.Name, fan.Name)
			}
			for k, relay := range relays {
				assert.Equal(t, p.Relays[relay.Name] == "pulled in", in[k] >= 0.5, "%s, %s: %s", e.Name, s.Name, relay.Name)
			}
		}
	}
}

// What has blown stays blown until it is renewed.
func TestFusesStayBlown(t *testing.T) {
	m := loadModel(t, twin)
	short, err := fault.Parse(m.Circuit, "wire K1.87 - M1.+ grounded")
	require.NoError(t, err)
	n, err := m.Network(nil, []fault.Fault{short})
	require.NoError(t, err)
	assert.Zero(t, n.Blown())
	low := m.Circuit.State("low")
	n.Enter(low)
	blown := n.Blown()
	require.NotZero(t, blown, "a dead short behind F1")
	n.Rest()
	n.Enter(m.Circuit.State("off"))
	assert.Equal(t, blown, n.Blown())
	assert.True(t, n.Point(m.Circuit.State("off")).Fuses["F1"].Open)
	n.Restore()
	assert.Zero(t, n.Blown())

	renewed, err := electric.ParseSetup(m.Circuit, []string{"F1 renewed"})
	require.NoError(t, err)
	other, err := m.Network(renewed, nil)
	require.NoError(t, err)
	other.SetBlown(m.Carry(blown, nil, renewed))
	assert.Zero(t, other.Blown(), "a new fuse is whole")
	other.SetBlown(m.Carry(blown, renewed, renewed))
	assert.Equal(t, blown, other.Blown(), "and stays blown once it has blown again")
	twice := append(slices.Clone(renewed), renewed...)
	assert.Zero(t, m.Carry(blown, renewed, twice), "until it is renewed again")
	plain, err := m.Network(nil, nil)
	require.NoError(t, err)
	plain.SetBlown(blown)
	plain.Enter(low)
	assert.Equal(t, electric.Stopped, plain.Point(low).Motors["M1"].Speed)
}

// The words of lamps have the edges that the format gives, twice as high on 24 V; an LED lights
// from a few volts on.
func TestWordsOfLamps(t *testing.T) {
	twelve := loadModel(t, twin)
	for volts, word := range map[float64]string{0: "off", 1.9: "off", 2.1: "dim", 8.9: "dim", 9.1: "bright", 12.6: "bright", -12.6: "bright"} {
		assert.Equal(t, word, twelve.LampWord(volts), "%g V", volts)
	}
	bus := loadModel(t, "m1-bus-mixture")
	require.InDelta(t, 24, bus.Circuit.Nominal(), 0)
	for volts, word := range map[float64]string{3.8: "off", 4.2: "dim", 17.8: "dim", 18.2: "bright", 25: "bright"} {
		assert.Equal(t, word, bus.LampWord(volts), "%g V", volts)
	}
}

// The exported netlist runs unchanged in ngspice and finds the same volts.
func TestTheExportedNetlistRuns(t *testing.T) {
	m := loadModel(t, twin)
	cond := electric.Condition{State: m.Circuit.State("low")}
	var text bytes.Buffer
	require.NoError(t, m.Netlist(&text, cond))
	cmd := exec.Command("ngspice", "-b")
	cmd.Stdin = bytes.NewReader(text.Bytes())
	out, _ := cmd.Output() // batch mode ends with 1 where nothing is plotted
	p, err := m.Solve(cond)
	require.NoError(t, err)
	found := 0
	for _, line := range strings.Split(string(out), "\n") {
		name, value, ok := strings.Cut(line, " = ")
		if !ok {
			continue
		}
		for pin, volts := range p.Pins {
			if volts != nil && strings.EqualFold(strings.TrimSpace(name), electric.SPICEName(harness.ParsePin(pin))) {
				found++
				assert.InDelta(t, *volts, figure(t, value), 1e-3, pin)
			}
		}
	}
	assert.Greater(t, found, 20)
}

func figure(t *testing.T, text string) float64 {
	t.Helper()
	var v float64
	_, err := fmt.Sscan(strings.TrimSpace(text), &v)
	require.NoError(t, err, text)
	return v
}

// A relay with a fuse of its own opens it like any other.
func TestAFuseInARelay(t *testing.T) {
	text := `harness: 1
title: fused relay
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  K1: {kind: relay, contacts: make, fuse: 10}
  SW: {kind: switch, closed-when: key}
  M1: {kind: motor, volts: 12.6, amps: 30, rpm: 2000}
wires:
  BAT.+ - SW.a:
  SW.b - K1.86:
  K1.85 - G1:
  BAT.+ - K1.30:
  K1.87 - M1.+:
  M1.- - G1:
states:
  off: {key: off}
  on: {key: on}
`
	c, err := harness.Read([]byte(text))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	p, err := m.Solve(electric.Condition{State: c.State("on")})
	require.NoError(t, err)
	require.Contains(t, p.Fuses, "K1 fuse")
	assert.True(t, p.Fuses["K1 fuse"].Open, "thirty amps through ten: open within ten seconds")
	assert.Equal(t, electric.Stopped, p.Motors["M1"].Speed)
}
