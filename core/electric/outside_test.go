package electric_test

import (
	"bufio"
	"bytes"
	"os/exec"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
)

// Circuits of our own that are in no library file, each beside a netlist written by hand from the
// drawing: the judge (ngspice) never sees anything this package has computed.

// byHand runs a netlist with its own .control lines and gives every "name = figure" it prints.
func byHand(t *testing.T, netlist string) map[string]float64 {
	t.Helper()
	cmd := exec.Command("ngspice", "-b")
	cmd.Stdin = strings.NewReader(netlist)
	out, _ := cmd.Output() // batch mode ends with 1 where nothing is plotted
	found := map[string]float64{}
	lines := bufio.NewScanner(bytes.NewReader(out))
	for lines.Scan() {
		name, value, ok := strings.Cut(lines.Text(), "=")
		if fields := strings.Fields(value); ok && len(fields) > 0 {
			if v, err := strconv.ParseFloat(fields[0], 64); err == nil {
				found[strings.TrimSpace(name)] = v
			}
		}
	}
	require.NotEmpty(t, found, "%.2000s", out)
	return found
}

func pinVolts(t *testing.T, p *electric.Point, pin string) float64 {
	t.Helper()
	require.NotNil(t, p.Pins[pin], "%s floats", pin)
	return *p.Pins[pin]
}

// A line that pulses with a resistor to ground on it: the mean of the volts while it is closed
// and while it is open, as the judge's transient analysis of a real switch finds it.
func TestAPulsedLineIsTheMeanOverTime(t *testing.T) {
	m := circuit(t, `harness: 1
supply: {off: 14.0}
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  PM: {kind: pwm-module, control: c, feeds: [f], grounds: [g], outputs: {fan: {"+": p}}, duty: {min: 10, max: 90}}
  M1: {kind: motor, volts: 12.6, amps: 10}
  R1: {kind: resistor, ohms: 2000}
  ECU: {kind: controller, pins: {"1": {pwm-on: fan}, "2": {ground: true}}}
wires: {BAT.+ - PM.f: , PM.g - G1: , PM.p - M1.+: , M1.- - G1: , ECU.2 - G1: , PM.c - ECU.1: , R1.a - ECU.1: , R1.b - G1: }
states: {idle: {commands: []}, some: {commands: [fan], duty: 40}}
`)
	for state, duty := range map[string]float64{"idle": 0.05, "some": 0.4} {
		// By hand: 1 kΩ from the module's feed, 2 kΩ to ground, the driver 0.25 Ω for a share of
		// each 5 ms. What the motor takes is not drawn: it moves the feed by less than 0.2 V.
		found := byHand(t, `* a pulsed line
V1 b0 0 14.0
RB b0 f 0.027
RP f c 1000
RW c d 0.005
R2 d 0 2000
S1 d 0 p 0 sw
VP p 0 pulse(0 1 0 1u 1u `+strconv.FormatFloat(duty*5e-3, 'g', -1, 64)+` 5m)
.model sw sw(vt=0.5 ron=0.25 roff=1e9)
.tran 1u 50m 0 2u
.control
run
meas tran mean avg v(d) from=10m to=50m
.endc
.end
`)
		p := solve(t, m, state)
		assert.InDelta(t, found["mean"], pinVolts(t, p, "ECU.1"), 0.12, "%s", state)
	}
}

const twoModules = `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  PA: {kind: pwm-module, control: c, feeds: [f], grounds: [g], outputs: {fan: {"+": p}}, on-level: LEVEL, duty: {min: 10, max: 90}}
  PB: {kind: pwm-module, control: c, feeds: [f], grounds: [g], outputs: {fan: {"+": p}}, on-level: high, duty: {min: 10, max: 90}}
  M1: {kind: motor, volts: 12.6, amps: 10}
  M2: {kind: motor, volts: 12.6, amps: 10}
  ECU: {kind: controller, pins: {"1": {pwm-on: main}, "2": {pwm-on: side}, "3": {ground: true}, "4": {power: true}}}
wires: {BAT.+ - PA.f: , BAT.+ - PB.f: , BAT.+ - ECU.4: , PA.g - G1: , PB.g - G1: , PA.p - M1.+: , PB.p - M2.+: , M1.- - G1: ,
  M2.- - G1: , ECU.3 - G1: ,
  PA.c - ECU.1: , PB.c - ECU.2: }
states:
  idle: {commands: []}
  one: {commands: [main], duty: {main: 45}}
  both: {commands: [main, side], duty: {main: 30, side: 60}}
`

// Each module reads its own wire: nothing commanded is off whichever part of the period it counts,
// and each command has its own duty.
func TestSeveralPWMModules(t *testing.T) {
	for _, level := range []string{"low", "high"} {
		m := circuit(t, strings.Replace(twoModules, "LEVEL", level, 1))
		for _, c := range []struct {
			state      string
			main, side float64 // share of full volts: duty over the window's upper edge
		}{{"idle", 0, 0}, {"one", 45.0 / 90, 0}, {"both", 30.0 / 90, 60.0 / 90}} {
			p := solve(t, m, c.state)
			for fan, share := range map[string]float64{"M1": c.main, "M2": c.side} {
				assert.InDelta(t, share*12.55, p.Motors[fan].Volts, 0.25, "%s, %s, %s: %v", level, c.state, fan, p.Modules)
			}
		}
	}
}

// A pin stuck on holds its line, with the controller alive and without.
func TestAPulsedPinStuckOnHoldsItsLine(t *testing.T) {
	m := circuit(t, strings.Replace(twoModules, "LEVEL", "low", 1))
	for _, faults := range [][]string{{"ECU.1 always on"}, {"ECU.1 always on", "wire BAT.+ - ECU.4 open"}} {
		p := solve(t, m, "both", faults...)
		assert.Less(t, pinVolts(t, p, "PA.c"), 0.05, "%v", faults)
		assert.Zero(t, p.Motors["M1"].RPM, "the module's line is grounded, so that it is off: %v", p.Modules)
	}
	p := solve(t, m, "both", "ECU.1 dead")
	assert.Greater(t, pinVolts(t, p, "PA.c"), 12.0, "nothing pulls")
	assert.Equal(t, electric.Fast, p.Motors["M1"].Speed, "an open line is full")
}

// A weak ground of the module raises both of its levels alike: it goes on reading the same duty
// and does not start and stop.
func TestAWeakGroundDoesNotMakeAModuleHunt(t *testing.T) {
	m := circuit(t, strings.Replace(twoModules, "LEVEL", "low", 1))
	for _, ohms := range []string{"0.1", "0.3", "0.5", "0.7", "1"} {
		for _, state := range []string{"idle", "one", "both"} {
			p := solve(t, m, state, "wire PA.g - G1 resists "+ohms)
			assert.True(t, p.Settled, "%s Ω, %s: %v", ohms, state, p.Modules)
			assert.NotContains(t, p.Modules["PA"], "starts and stops", "%s Ω, %s", ohms, state)
		}
	}
}

const behindADiode = `harness: 1
parts:
  BAT: {kind: battery}
  G1: {kind: ground}
  F1: {kind: fuse, amps: 10}
  D1: {kind: diode}
  D2: {kind: diode}
  K1: {kind: relay, contacts: make}
  M1: {kind: motor, volts: 12, amps: 8}
  R1: {kind: resistor, ohms: 100}
wires: {BAT.+ - F1.a: , F1.b - D1.k: , D1.a - K1.86: , BAT.+ - D2.a: , D2.k - K1.30: , K1.87 - M1.+: , M1.- - G1: , K1.85 - G1: ,
  F1.b - R1.a: , R1.b - G1: }
states: {on: {}}
`

// A pin that hangs on a diode alone is read with the meter on it: what leaks through a diode the
// wrong way is no volts to a meter, what passes the right way nearly all.
func TestAMeterLoadsWhatHangsOnADiode(t *testing.T) {
	m := circuit(t, behindADiode)
	// By hand: the judge's own junction with the figures of the format, 10 MΩ from each pin in turn
	// to the negative post. The coil is open, so that K1.86 hangs on D1 blocking, and K1.30 on D2
	// conducting.
	found := byHand(t, `* two diodes and two meters
V1 p 0 12.6
D1 a p j
RA a 0 10meg
D2 p k j
RK k 0 10meg
.model j D(IS=1e-9 N=1.6)
.options reltol=1e-7 abstol=1e-14 vntol=1e-9 gmin=1e-16
.control
op
print v(a) v(k)
.endc
.end
`)
	n, err := m.Network(nil, parseFaults(t, m, "K1 coil open"))
	require.NoError(t, err)
	n.Enter(m.Circuit.States[0])
	volts, soft := make([]float32, len(m.Pins())), make([]bool, len(m.Pins()))
	n.MeterVolts(volts, soft)
	for i, pin := range m.Pins() {
		want, judged := map[string]float64{"K1.86": found["v(a)"], "D1.a": found["v(a)"], "K1.30": found["v(k)"],
			"D2.k": found["v(k)"]}[pin.String()]
		if judged {
			assert.InDelta(t, want, float64(volts[i]), 2e-3, "%s", pin)
		}
		assert.Equal(t, judged, soft[i], "%s", pin)
		measured, err := m.Measure(electric.Measurement{
			Condition: electric.Condition{State: m.Circuit.States[0], Faults: parseFaults(t, m,
				"K1 coil open")}, Instrument: electric.Voltmeter, At: pin,
		})
		require.NoError(t, err)
		if judged {
			assert.InDelta(t, *measured.Figure, float64(volts[i]), 1e-4, "%s: the same as measure says", pin)
		}
	}
}

// What no one does on purpose is refused as a set-up, with the reason; a lead into a short of the
// circuit's own blows the lead's fuse.
func TestLeadsAndDeadShorts(t *testing.T) {
	m := loadModel(t, twin)
	for _, words := range []string{"jumper BAT.+ BAT.-", "ground BAT.+", "feed BAT.-", "feed G1", "jumper BAT.+ G1", "ground F1.a",
		"jumper M2.- F2.a"} {
		_, err := electric.ParseAction(m.Circuit, words)
		require.Error(t, err, words)
		assert.Contains(t, err.Error(), "dead short", words)
	}
	for _, words := range []string{"jumper K1.30 K1.87", "ground K1.85", "feed M1.+", "ground F1.b"} {
		_, err := electric.ParseAction(m.Circuit, words)
		assert.NoError(t, err, words)
	}
	p := solve(t, m, "off", "ground F1.b")
	assert.True(t, p.Fuses["fused lead at F1.b"].Open, "15 A against F1's 30")
	assert.False(t, p.Fuses["F1"].Open)
}

// A short as drawn is told: how many amps, through what, and what opens or burns.
func TestADrawnDeadShortIsTold(t *testing.T) {
	m := circuit(t, `harness: 1
parts: {BAT: {kind: battery}, G1: {kind: ground}, M1: {kind: motor, volts: 12, amps: 8}}
wires: {BAT.+ - G1: , BAT.+ - M1.+: , M1.- - G1: }
states: {on: {}}
`)
	p := solve(t, m, "on")
	assert.Contains(t, warnings(p), "a dead short: ")
	assert.Contains(t, warnings(p), "through BAT.+ - G1")
	assert.Contains(t, warnings(p), "no fuse stands in its way")
	// By hand: 12.6 V over 12 mΩ of battery beside 5 mΩ of wire and 2 mΩ of joint is 663 A.
	for _, w := range p.Wires {
		if w.To == "G1" && w.From == "BAT.+" {
			assert.InDelta(t, 12.6/0.019, w.Amps, 5)
		}
	}
}

func parseFaults(t *testing.T, m *electric.Model, words ...string) []fault.Fault {
	t.Helper()
	var list []fault.Fault
	for _, w := range words {
		f, err := fault.Parse(m.Circuit, w)
		require.NoError(t, err)
		list = append(list, f)
	}
	return list
}
