package sim_test

import (
	"bufio"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"net"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/library"
	"ironthread/scan"
	"ironthread/scan/describe"
	"ironthread/scan/doip"
	"ironthread/scan/uds"
	"ironthread/sim"
	"ironthread/soak"
)

type bench struct {
	vehicle       *sim.Vehicle
	data          *describe.Vehicle
	model         *electric.Model
	address       string
	meter, packet string
}

// stand puts a vehicle with these faults on loopback.
func stand(t *testing.T, circuit string, o sim.Options, faults ...string) *bench {
	t.Helper()
	return standing(t, sim.Manner{}, circuit, o, faults...)
}

// standing is stand with a control unit of some manner.
func standing(t *testing.T, manner sim.Manner, circuit string, o sim.Options, faults ...string) *bench {
	t.Helper()
	e, err := library.Open(circuit)
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	var list []fault.Fault
	for _, words := range faults {
		f, err := fault.Parse(e.Circuit, words)
		require.NoError(t, err)
		list = append(list, f)
	}
	v, err := sim.New(m, o, list...)
	require.NoError(t, err)
	b := &bench{vehicle: v, data: describe.For(circuit, e.Circuit), model: m}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	p, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	i, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	b.address, b.packet, b.meter = l.Addr().String(), p.LocalAddr().String(), i.Addr().String()
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 2)
	server := sim.NewServer(v, b.data)
	server.Manner = manner
	go func() { ended <- server.Serve(ctx, l, p) }()
	go func() { ended <- sim.NewMeter(v).Serve(ctx, i) }()
	t.Cleanup(func() {
		stop()
		for range 2 {
			select {
			case err := <-ended:
				assert.NoError(t, err)
			case <-time.After(3 * time.Minute):
				t.Error("a server did not end with its context")
			}
		}
	})
	return b
}

func (b *bench) connect(t *testing.T) *scan.Vehicle {
	t.Helper()
	v, err := scan.ConnectIP(t.Context(), b.address, b.data, nil)
	require.NoError(t, err)
	t.Cleanup(v.Close)
	return v
}

// An engine at idle warms up, the fans come on where the strategy says, and cool it to where they go off: the thresholds
// are the harness's own, 95 and 90 °C. Physics of no vehicle in particular, so that only the order is judged.
func TestAWarmUp(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{})
	require.NoError(t, b.vehicle.Drive("engine running"))
	on, off := 0.0, 0.0
	for range 4000 {
		b.vehicle.Advance(0.5)
		s := b.vehicle.Stands()
		turns := s.Fans["M1"].Word != "stopped"
		switch {
		case turns && on == 0:
			on = s.Coolant
		case !turns && on > 0 && off == 0:
			off = s.Coolant
		}
	}
	assert.InDelta(t, 95, on, 0.3)
	assert.InDelta(t, 90, off, 0.3)
	// With the link fuse blown low does nothing, and it gets hotter, until high comes in at 103.
	dead := stand(t, "f3-twin-series-parallel", sim.Options{}, "F3 open")
	require.NoError(t, dead.vehicle.Drive("engine running"))
	hottest := 0.0
	for range 4000 {
		dead.vehicle.Advance(0.5)
		hottest = max(hottest, dead.vehicle.Stands().Coolant)
	}
	assert.InDelta(t, 103, hottest, 1.5)
}

// Commanding low and looking: on a healthy vehicle both fans turn slowly, with the link fuse blown neither does, and the
// controller, which sees the coil side only, has no code. With a coil's line broken it has one.
func TestACommandAndWhatComesOfIt(t *testing.T) {
	for _, row := range []struct {
		fault, low string
		code       string
	}{{"", "slow", ""}, {"F3 open", "stopped", ""}, {"wire K1.85 - ECU.61 open", "stopped", "P0480"}} {
		var faults []string
		if row.fault != "" {
			faults = append(faults, row.fault)
		}
		b := stand(t, "f3-twin-series-parallel", sim.Options{}, faults...)
		v := b.connect(t)
		assert.Equal(t, "SKERR0WC0VNTYW0RK", v.Identity().VIN)
		require.NoError(t, v.Command("low", map[string]float64{"low": 100}))
		assert.Equal(t, row.low, b.vehicle.Stands().Fans["M1"].Word, row.fault)
		held, _, until := v.Held()
		assert.Equal(t, "low", held)
		assert.Greater(t, time.Until(until), 30*time.Second)
		codes, err := v.Codes()
		require.NoError(t, err)
		if row.code == "" {
			assert.Empty(t, codes, row.fault)
		} else {
			require.NotEmpty(t, codes)
			assert.Equal(t, row.code, codes[0].Name())
			require.NoError(t, v.ClearCodes())
		}
		r, err := v.Read(t.Context(), "coolant", "speed", "supply", "commanded low", "commanded high")
		require.NoError(t, err)
		assert.InDelta(t, b.vehicle.Stands().Supply, r.Values["supply"], 0.01)
		assert.InDelta(t, 22, r.Values["coolant"], 1)
		assert.Equal(t, 100.0, r.Values["commanded low"])
		assert.Zero(t, r.Values["commanded high"])
		require.NoError(t, v.Return())
		assert.False(t, b.vehicle.Stands().Tester)
	}
}

// What is refused is said in words; the vehicle is left as it was.
func TestConditionsOfACommand(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{})
	v := b.connect(t)
	for drive, want := range map[string]string{
		"speed 40": "not while the vehicle moves", "pedal on": "release the pedal first", "coolant 121": "too hot",
		"key off": "conditions are not met",
	} {
		require.NoError(t, b.vehicle.Drive(drive))
		assert.ErrorContains(t, v.Command("low", map[string]float64{"low": 100}), want)
		assert.False(t, b.vehicle.Stands().Tester, drive)
		for _, back := range []string{"speed 0", "pedal off", "coolant 60", "key on"} {
			require.NoError(t, b.vehicle.Drive(back))
		}
	}
	assert.ErrorContains(t, v.Command("turbo", map[string]float64{"turbo": 100}), `no output "turbo"`)
	_, err := v.Read(t.Context(), "oil")
	assert.ErrorContains(t, err, `no value "oil"`)
	assert.NoError(t, v.Lost())
	_, err = scan.ConnectIP(t.Context(), "127.0.0.1:1", b.data, nil)
	assert.ErrorContains(t, err, "no vehicle answers")
}

// One tester at a time; a connection that is lost in the middle of a command gives it back at once, and the next tester
// is let in.
func TestALostConnection(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{})
	raw := rawTester(t, b.address)
	raw.activate(t)
	raw.ask(t, 0x10, 0x03)
	raw.ask(t, 0x2F, 0xFD, 0x40, 0x03, 0x01)
	require.True(t, b.vehicle.Stands().Tester)
	require.NoError(t, raw.Close())
	soak.Await(t, "control given back", func() bool { return !b.vehicle.Stands().Tester })
	b.connect(t)
	_, err := scan.ConnectIP(t.Context(), b.address, b.data, nil)
	assert.ErrorContains(t, err, "another tester is connected", "one that says that it is there keeps its place")
}

// A tester that does not say that it is there when it is asked loses its place to the next one (ISO 13400-2's alive check), and what it
// commanded is given back.
func TestATesterThatHasGone(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{})
	raw := rawTester(t, b.address)
	raw.activate(t)
	raw.ask(t, 0x10, 0x03)
	raw.ask(t, 0x2F, 0xFD, 0x40, 0x03, 0x01)
	b.connect(t)
	soak.Await(t, "control given back", func() bool { return !b.vehicle.Stands().Tester })
}

// A tester that falls silent in a session loses it after five seconds (ISO 14229-2's S3), with what it commanded.
func TestASilentTester(t *testing.T) {
	if testing.Short() {
		t.Skip("waits")
	}
	b := stand(t, "f3-twin-series-parallel", sim.Options{})
	raw := rawTester(t, b.address)
	raw.activate(t)
	raw.ask(t, 0x10, 0x03)
	silent := time.Now() // before the last word, so that a busy machine can only lengthen what is measured
	raw.ask(t, 0x2F, 0xFD, 0x40, 0x03, 0x01)
	soak.Await(t, "the session's end", func() bool { return !b.vehicle.Stands().Tester })
	took := time.Since(silent)
	t.Logf("control given back after %v", took.Round(100*time.Millisecond))
	assert.Greater(t, took, 4500*time.Millisecond, "not before its time")
	assert.Equal(t, []byte{0x7F, 0x2F, 0x7F}, raw.ask(t, 0x2F, 0xFD, 0x40, 0x03, 0x01), "the session is over")
}

// Garbage, frames that are too long, wrong addresses and services that are none: an answer where the standard has one, and
// the vehicle goes on for the next.
func TestFramesOfNobody(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{})
	for _, bytes := range [][]byte{[]byte("GET / HTTP/1.1\r\n\r\n"), {0x02, 0xFD, 0x80, 0x01, 0xFF, 0xFF, 0xFF, 0xFF}, {0x02}, {}} {
		c, err := net.Dial("tcp", b.address)
		require.NoError(t, err)
		_, err = c.Write(bytes)
		require.NoError(t, err)
		require.NoError(t, c.Close())
	}
	raw := rawTester(t, b.address)
	raw.write(t, doip.Frame{Type: 0x4242})
	assert.Equal(t, []byte{doip.UnknownType}, raw.read(t, doip.NegativeAck).Body)
	raw.activate(t)
	raw.write(t, doip.Message{From: raw.address, To: 0x1234, Data: []byte{0x3E, 0}}.Frame())
	assert.Equal(t, byte(3), raw.read(t, doip.DiagnosticNack).Body[4])
	for request, want := range map[string][]byte{
		"\x31\x01": {0x7F, 0x31, 0x11}, "\x22\xFF\xFF": {0x7F, 0x22, 0x31}, "\x22\xF4": {0x7F, 0x22, 0x13}, "\x19\x55\x00": {0x7F, 0x19, 0x12},
		"\x2F\xFD\x40\x03\x01": {0x7F, 0x2F, 0x7F}, "\x10\x55": {0x7F, 0x10, 0x12}, "\x14": {0x7F, 0x14, 0x13},
	} {
		assert.Equal(t, want, raw.ask(t, []byte(request)...), "% X", request)
	}
	vin := raw.ask(t, 0x22, 0xF1, 0x90)
	assert.Equal(t, "SKERR0WC0VNTYW0RK", string(vin[3:]))

	// By datagram, too.
	c, err := net.Dial("udp", b.packet)
	require.NoError(t, err)
	_, err = c.Write(doip.Frame{Type: doip.IdentifyRequest}.Bytes())
	require.NoError(t, err)
	require.NoError(t, c.SetReadDeadline(time.Now().Add(soak.Longest)))
	buffer := make([]byte, 200)
	n, err := c.Read(buffer)
	require.NoError(t, err)
	f, err := doip.Parse(buffer[:n])
	require.NoError(t, err)
	id, err := doip.IdentityOf(f)
	require.NoError(t, err)
	assert.Equal(t, uint16(0x1001), id.Address)
	require.NoError(t, c.Close())
}

// A clamp that holds its peak shows a start's: five times the running current and more for a fan by itself (its file's own
// inrush), less what the wires and the battery take of it; without a start, what flows.
func TestThePeakOfAStart(t *testing.T) {
	b := stand(t, "f1-one-relay", sim.Options{})
	m, err := scan.ConnectMeter(t.Context(), b.meter)
	require.NoError(t, err)
	defer m.Close()
	require.NoError(t, m.Tell(`ROUT:CLAMP "F1.b"`))
	v, err := m.Read("CALC:AVER:MAX?")
	require.NoError(t, err)
	assert.True(t, math.IsInf(v, 1), "it was not told to hold")
	require.NoError(t, m.Tell("CALC:AVER:STAT ON"))
	require.NoError(t, b.vehicle.Drive("coolant 105"))
	running, err := m.Read("MEAS:CURR:DC?")
	require.NoError(t, err)
	running = math.Abs(running) // the clamp was put on the other way round
	require.Greater(t, running, 5.0)
	peak, err := m.Read("CALC:AVER:MAX?")
	require.NoError(t, err)
	assert.Greater(t, peak, 3*running)
	assert.Less(t, peak, 7*running)
}

// The meter reads what the solver says of the present set-up, through leads with ohms of their own; a fuse seen from both
// sides tells which it is.
func TestTheMeter(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{Seed: 5}, "F3 open")
	v := b.connect(t)
	require.NoError(t, v.Command("low", map[string]float64{"low": 100}))
	m, err := scan.ConnectMeter(t.Context(), b.meter)
	require.NoError(t, err)
	defer m.Close()
	assert.Contains(t, m.Name(), "simulated meter")
	volts := func(pin string) float64 {
		require.NoError(t, m.Tell(fmt.Sprintf("ROUT:RED %q", pin)))
		x, stable, err := m.Stable(t.Context(), "MEAS:VOLT:DC?")
		require.NoError(t, err)
		assert.True(t, stable)
		return x
	}
	assert.Greater(t, volts("F3.a"), 11.0)
	assert.InDelta(t, 0, volts("F3.b"), 0.2)
	require.NoError(t, m.Tell(`ROUT:CLAMP "F1.b"`))
	amps, err := m.Read("MEAS:CURR:DC?")
	require.NoError(t, err)
	assert.InDelta(t, 0, amps, 0.01)
	live, err := m.Read("MEAS:RES?")
	require.NoError(t, err)
	assert.True(t, math.IsInf(live, 1) || live < 1e7, "what is live reads no ohms")

	require.NoError(t, v.Return())
	require.NoError(t, m.Tell(`SYST:SETUP "BAT apart"`))
	ohms := func(at, from string) float64 {
		require.NoError(t, m.Tell(fmt.Sprintf("ROUT:RED %q", at)))
		require.NoError(t, m.Tell(fmt.Sprintf("ROUT:BLACK %q", from)))
		x, err := m.Read("MEAS:RES?")
		require.NoError(t, err)
		return x
	}
	wire := ohms("F3.b", "M2.+")
	assert.Greater(t, wire, 0.1, "leads that nobody has nulled")
	assert.Less(t, wire, 1.1)
	require.NoError(t, m.Tell("SENS:RES:NULL ON"))
	assert.Less(t, ohms("F3.b", "M2.+"), 0.05)
	assert.True(t, math.IsInf(ohms("F3.a", "F3.b"), 1))
	require.NoError(t, m.Tell(`SYST:SETUP "F3 renewed"`))
	assert.Less(t, ohms("F3.a", "F3.b"), 0.05)
	require.NoError(t, m.Tell(`SYST:SETUP:UNDO "BAT apart"`))
	require.NoError(t, m.Tell("NONSENSE"))
	said, err := m.Ask("SYST:ERR?")
	require.NoError(t, err)
	assert.Contains(t, said, "Undefined header")
	require.NoError(t, v.Command("low", map[string]float64{"low": 100}))
	assert.Equal(t, "slow", b.vehicle.Stands().Fans["M1"].Word, "the new fuse is whole")
	c, err := net.Dial("tcp", b.meter)
	require.NoError(t, err)
	_, err = c.Write([]byte(strings.Repeat("x", 5000) + "\n*IDN?\n"))
	require.NoError(t, err)
	line, err := bufio.NewReader(c).ReadString('\n')
	require.NoError(t, err)
	assert.Contains(t, line, "simulated meter", "a line longer than any is passed over")
	require.NoError(t, c.Close())
}

// Every circuit of the library that has a controller can be commanded, state by state, and its fans do what the solver says.
func TestEveryCircuitCanBeCommanded(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		if len(e.Circuit.Commands()) == 0 {
			continue
		}
		b := stand(t, e.Name, sim.Options{})
		v := b.connect(t)
		for _, s := range e.Circuit.States {
			if s.Commands == nil || !s.Key || len(s.Words) > 0 || s.Pressure != nil || s.Coolant != nil {
				continue
			}
			commands := map[string]float64{}
			for _, c := range s.Commands {
				commands[c] = 100
				if duty, known := s.DutyOf(c); known {
					commands[c] = duty
				}
			}
			require.NoError(t, v.Command(s.Name, commands), "%s: %s", e.Name, s.Name)
			p, err := b.model.Solve(electric.Condition{State: s})
			require.NoError(t, err)
			for fan, does := range b.vehicle.Stands().Fans {
				assert.Equal(t, string(p.Motors[fan].Speed), does.Word, "%s: %s: %s", e.Name, s.Name, fan)
			}
		}
		v.Close()
	}
}

// What a description says is what is read; one that makes no sense is said in a sentence.
func TestDescriptions(t *testing.T) {
	e, err := library.Open("f8-pwm-module")
	require.NoError(t, err)
	text, err := describe.Write(describe.For("f8-pwm-module", e.Circuit))
	require.NoError(t, err)
	v, err := describe.Read(text)
	require.NoError(t, err)
	assert.True(t, v.Outputs["fan"].Percent)
	assert.Equal(t, uds.Coolant, v.Values["coolant"].ID)
	for figure, want := range map[float64][]byte{83: {123}, -60: {0}, 400: {255}} {
		assert.Equal(t, want, v.Values["coolant"].Encode(figure))
	}
	for text, want := range map[string]string{
		"": "the file is empty", "vehicle-data: 2": "vehicle-data: 1", "vehicle-data: 1": "address of the engine controller",
		"vehicle-data: 1\ncontroller: 1\nwhim: 2": "whim", "vehicle-data: 1\ncontroller: 1\nvalues: {a: {id: 1, bytes: 9}}": "bytes (1 to 4)",
	} {
		_, err := describe.Read([]byte(text))
		assert.ErrorContains(t, err, want, text)
	}
	_, err = describe.Read(make([]byte, describe.MostBytes+1))
	assert.ErrorContains(t, err, "larger than")
	_, err = harness.Read(nil)
	assert.Error(t, err)
	assert.Equal(t, "9.9E+37", strings.ToUpper(strconv.FormatFloat(sim.Overload, 'e', 1, 64)))
}

// raw is a tester that is written byte by byte.
type raw struct {
	net.Conn
	address uint16
}

func rawTester(t *testing.T, address string) *raw {
	t.Helper()
	c, err := net.Dial("tcp", address)
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	return &raw{c, 0x0E01}
}

func (r *raw) write(t *testing.T, f doip.Frame) {
	t.Helper()
	_, err := r.Write(f.Bytes())
	require.NoError(t, err)
}

func (r *raw) read(t *testing.T, want doip.Type) doip.Frame {
	t.Helper()
	require.NoError(t, r.SetReadDeadline(time.Now().Add(soak.Longest)))
	for {
		f, err := doip.Read(r)
		require.NoError(t, err)
		if f.Type == want {
			return f
		}
	}
}

func (r *raw) activate(t *testing.T) {
	t.Helper()
	r.write(t, doip.Activation(r.address))
	f := r.read(t, doip.ActivationResponse)
	assert.Equal(t, r.address, binary.BigEndian.Uint16(f.Body))
	require.Equal(t, doip.Activated, f.Body[4])
}

func (r *raw) ask(t *testing.T, request ...byte) []byte {
	t.Helper()
	r.write(t, doip.Message{From: r.address, To: 0x1001, Data: request}.Frame())
	m, err := doip.MessageOf(r.read(t, doip.Diagnostic))
	require.NoError(t, err)
	return m.Data
}

// What every instrument answers (IEEE 488.2; SCPI-99): several queries in one line give one line of answers; what was measured can be
// fetched again; an error sets its bit; what this meter cannot measure it refuses, and does not answer with something else.
func TestTheMeterSpeaksTheStandard(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{})
	m, err := scan.ConnectMeter(t.Context(), b.meter)
	require.NoError(t, err)
	defer m.Close()
	ask := func(line string) string {
		answer, err := m.Ask(line)
		require.NoError(t, err)
		return answer
	}
	require.NoError(t, m.Tell(`ROUT:RED "BAT.+"`))
	assert.Equal(t, "1", ask("*OPC?"))
	assert.Regexp(t, `^1\.2\d+E\+01;0,"No error";0$`, ask("MEAS:VOLT:DC?;:SYST:ERR?;*STB?"))
	assert.Equal(t, ask("FETC?"), ask("FETCH?"))
	assert.Regexp(t, `^1\.2\d+E\+01$`, ask("CONF:VOLT:DC;READ?"))
	assert.Equal(t, "0", ask("*ESR?"))
	for line, event := range map[string]string{"MEAS:VOLT:AC?": "32", "NONSENSE 1": "32", `ROUT:RED "X9.1"`: "16"} {
		require.NoError(t, m.Tell(line))
		assert.Equal(t, event, ask("*ESR?"), line)
		assert.Equal(t, "4", ask("*STB?"), line)
		assert.NotContains(t, ask("SYST:ERR?"), "No error", line)
		assert.Equal(t, `0,"No error"`, ask("SYST:ERR?"), line)
	}
	require.NoError(t, m.Tell("*RST;*OPC"))
	assert.Equal(t, "1", ask("*ESR?"))
	require.NoError(t, m.Tell("FETC?"))
	assert.Contains(t, ask("SYST:ERR?"), "stale", "after a reset there is nothing to be fetched")
	require.NoError(t, m.Tell(`SYST:SETUP "no; such"`))
	assert.Contains(t, ask("SYST:ERR?"), "-200", "a semicolon within quotes parts nothing")
}

// A control unit that is slow, that asks to be asked again, and a line that loses answers: values come, commands are obeyed, and what
// is commanded is given back.
func TestAControlUnitInItsManner(t *testing.T) {
	for name, manner := range map[string]sim.Manner{"slow": {Slow: true}, "busy": {Busy: true}, "lossy": {Lossy: 9}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b := standing(t, manner, "f3-twin-series-parallel", sim.Options{})
			v := b.connect(t)
			require.NoError(t, v.Command("low", map[string]float64{"low": 100}))
			assert.True(t, b.vehicle.Stands().Tester)
			r, err := v.Read(t.Context(), describe.Coolant)
			require.NoError(t, err)
			if len(r.Stale) == 0 {
				assert.InDelta(t, 22, r.Values[describe.Coolant], 1)
			}
			require.NoError(t, v.Return())
			assert.False(t, b.vehicle.Stands().Tester)
		})
	}
}

// How the vehicle stood when a code was set is asked for code by code, over IP as over CAN.
func TestWhatIsKeptBesideACode(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{}, "K1 coil open")
	v := b.connect(t)
	require.NoError(t, v.Command("low", map[string]float64{"low": 100}))
	require.NoError(t, b.vehicle.Drive("coolant 87"))
	var codes []uds.Code
	soak.Await(t, "the code", func() bool {
		b.vehicle.Advance(1)
		var err error
		codes, err = v.Codes()
		return err == nil && len(codes) > 0
	})
	s, err := v.Snapshot(codes[0])
	require.NoError(t, err)
	require.Len(t, s.Values, 3)
	assert.Contains(t, s.Words(), "coolant ")
	assert.Contains(t, s.Words(), "the maker's record 1: 00")
	other := codes[0]
	other.Number ^= 0x100
	s, err = v.Snapshot(other)
	require.NoError(t, err, "a code that is not there keeps nothing, which is no error")
	assert.Empty(t, s.Words())
}
