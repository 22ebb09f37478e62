package sim

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"net"
	"strings"
	"sync"
	"time"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Meter is a simulated meter on a vehicle, spoken to by SCPI (IEEE 488.2 and SCPI-99) over a connection, a command a line.
// Its leads lie on any two pins and have ohms of their own; what is open, or live where ohms are asked, reads 9.9E37.
type Meter struct {
	vehicle *Vehicle

	mu         sync.Mutex
	red, black harness.Pin
	clamp      harness.Pin
	null       bool
	hold       bool // the clamp holds its peak
	function   string
	errors     []string
}

// Overload is what SCPI reads where there is no figure.
const Overload = 9.9e37

// Limits of the meter.
const (
	longestLine  = 512
	lineWithin   = 10 * time.Minute
	continuityTo = 30.0 // Ω below which its buzzer sounds
)

// NewMeter lays a meter's black lead on the battery's negative post.
func NewMeter(v *Vehicle) *Meter {
	return &Meter{vehicle: v, black: harness.Pin{Part: v.model.Circuit.OfKind(harness.KindBattery)[0].Name, Name: "-"}}
}

// Serve answers on a listener until the context ends.
func (m *Meter) Serve(ctx context.Context, l net.Listener) error {
	go func() {
		<-ctx.Done()
		_ = l.Close() // ends Accept
	}()
	var open sync.WaitGroup
	defer open.Wait()
	for {
		c, err := l.Accept()
		if err != nil {
			if ctx.Err() != nil || errors.Is(err, net.ErrClosed) {
				return nil
			}
			return fmt.Errorf("simulated meter: %w", err)
		}
		open.Add(1)
		go func() {
			defer open.Done()
			stop := context.AfterFunc(ctx, func() { _ = c.Close() })
			defer stop()
			m.talk(c)
			_ = c.Close()
		}()
	}
}

// talk answers the lines of one connection.
func (m *Meter) talk(c net.Conn) {
	r := bufio.NewReaderSize(c, longestLine)
	for {
		if err := c.SetReadDeadline(time.Now().Add(lineWithin)); err != nil {
			return
		}
		line, err := r.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) {
			m.fail("-363,\"Input buffer overrun\"")
			for errors.Is(err, bufio.ErrBufferFull) {
				_, err = r.ReadSlice('\n')
			}
			line = nil
		}
		if err != nil && (!errors.Is(err, io.EOF) || len(line) == 0) {
			return
		}
		for _, command := range strings.Split(string(line), ";") {
			answer := m.Do(strings.TrimSpace(command))
			if answer == "" {
				continue
			}
			if err := c.SetWriteDeadline(time.Now().Add(writeWithin)); err != nil {
				return
			}
			if _, err := io.WriteString(c, answer+"\n"); err != nil {
				return
			}
		}
	}
}

func (m *Meter) fail(words string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if len(m.errors) < 20 {
		m.errors = append(m.errors, words)
	}
}

// Do carries out one command; a query has an answer.
func (m *Meter) Do(command string) string {
	head, argument, _ := strings.Cut(command, " ")
	argument = strings.Trim(strings.TrimSpace(argument), `"'`)
	query := strings.HasSuffix(head, "?")
	words := strings.Split(strings.ToUpper(strings.TrimSuffix(strings.TrimPrefix(head, ":"), "?")), ":")
	for i, w := range words { // the long forms of SCPI are read, too
		for _, short := range []string{"MEAS", "VOLT", "CURR", "RES", "CONT", "ROUT", "SYST", "SETUP", "SENS", "CONF", "BLACK", "CLAMP", "ERR",
			"CALC", "AVER", "STAT", "CLE", "MAX"} {
			if strings.HasPrefix(w, short) {
				words[i] = short
			}
		}
	}
	name := strings.Join(words, ":")
	switch {
	case command == "":
		return ""
	case name == "*IDN" && query:
		return "Skerrow County Works,simulated meter,0,1"
	case name == "*RST", name == "*CLS":
		m.mu.Lock()
		m.errors, m.null = nil, false
		m.mu.Unlock()
		return ""
	case name == "SYST:ERR" && query:
		m.mu.Lock()
		defer m.mu.Unlock()
		if len(m.errors) == 0 {
			return `0,"No error"`
		}
		first := m.errors[0]
		m.errors = m.errors[1:]
		return first
	case name == "CONF" && query:
		return `"` + m.function + `"`
	case words[0] == "CONF":
		m.function = name
		return ""
	case name == "SENS:RES:NULL":
		m.null = argument == "ON" || argument == "1"
		return ""
	case name == "CALC:AVER:STAT", name == "CALC:AVER:CLE": // statistics of SCPI-99, of which the largest is a peak hold
		m.mu.Lock()
		m.hold = name == "CALC:AVER:CLE" && m.hold || argument == "ON" || argument == "1"
		m.mu.Unlock()
		return ""
	case name == "CALC:AVER:MAX" && query:
		return m.peak()
	case words[0] == "ROUT":
		m.lay(words, argument)
		return ""
	case name == "SYST:SETUP", name == "SYST:SETUP:UNDO":
		if err := m.vehicle.Setup(argument, name == "SYST:SETUP:UNDO"); err != nil {
			m.fail(fmt.Sprintf("-200,%q", err.Error()))
		}
		return ""
	case words[0] == "MEAS" && query:
		return m.measure(words[1:])
	}
	m.fail(fmt.Sprintf("-113,%q", "Undefined header "+harness.Clipped(head, 40)))
	return ""
}

// lay lays a lead, or the clamp, on a pin.
func (m *Meter) lay(words []string, at string) {
	pin, err := m.vehicle.model.Circuit.FindPin(at)
	m.mu.Lock()
	defer m.mu.Unlock()
	which := map[string]*harness.Pin{"RED": &m.red, "BLACK": &m.black, "CLAMP": &m.clamp}[words[len(words)-1]]
	switch {
	case which == nil:
		m.errors = append(m.errors, `-113,"Undefined header"`)
	case err != nil:
		m.errors = append(m.errors, fmt.Sprintf("-224,%q", err.Error()))
	default:
		*which = pin
	}
}

// peak answers the largest current since the clamp was told to hold.
func (m *Meter) peak() string {
	m.mu.Lock()
	clamp, hold := m.clamp, m.hold
	m.mu.Unlock()
	if !hold {
		m.fail(`-221,"Settings conflict"`)
		return fmt.Sprintf("%.4E", Overload)
	}
	v, err := m.vehicle.Peak(clamp)
	if err != nil {
		m.fail(fmt.Sprintf("-200,%q", err.Error()))
		v = Overload
	}
	return fmt.Sprintf("%.6E", v)
}

// measure reads what is asked: volts, ohms, continuity, amps, or the largest amps since the clamp was laid.
func (m *Meter) measure(what []string) string {
	m.mu.Lock()
	red, black, clamp, null := m.red, m.black, m.clamp, m.null
	m.mu.Unlock()
	say := func(v float64, err error) string {
		if err != nil {
			m.fail(fmt.Sprintf("-200,%q", err.Error()))
			return fmt.Sprintf("%.4E", Overload)
		}
		if math.IsNaN(v) || math.IsInf(v, 0) {
			v = Overload
		}
		return fmt.Sprintf("%.6E", v)
	}
	switch {
	case len(what) > 0 && what[0] == "VOLT":
		return say(m.vehicle.Measures(electric.Voltmeter, red, black))
	case len(what) > 0 && what[0] == "CURR":
		return say(m.vehicle.Measures(electric.Clamp, clamp, harness.Pin{}))
	case len(what) > 0 && (what[0] == "RES" || what[0] == "CONT"):
		v, err := m.vehicle.Measures(electric.Ohmmeter, red, black)
		if !null {
			v += m.vehicle.leads
		}
		if what[0] == "CONT" && v > continuityTo {
			v = math.Inf(1)
		}
		return say(v, err)
	}
	m.fail(`-113,"Undefined header"`)
	return ""
}

// Peak is the largest current at a pin in the last start of a fan, amps; what flows now where none has begun to turn.
func (v *Vehicle) Peak(at harness.Pin) (float64, error) {
	now, err := v.Measures(electric.Clamp, at, harness.Pin{})
	if err != nil {
		return 0, err
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.before.Name == "" {
		return math.Abs(now), nil
	}
	state, before := v.state, v.before
	peak, err := v.model.PeakAmps(electric.Condition{State: &state, Setup: v.setup, Faults: v.faults, Car: v.tuned,
		After: []*harness.State{&before}}, at, peakSeconds)
	return math.Max(peak, math.Abs(now)), err
}

// Measures is what an instrument on two pins shows now: volts, amps, or ohms (+Inf for an open line, NaN on a live one).
func (v *Vehicle) Measures(with electric.Instrument, at, from harness.Pin) (float64, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if at.Part == "" {
		return 0, errors.New("the lead lies nowhere yet")
	}
	x, err := v.model.Instrument(v.setup, v.faults, with, at, from)
	if err != nil {
		return 0, err
	}
	x.Tune(v.tuned)
	x.SetBlown(v.net.Blown())
	return x.Shows(&v.state), nil
}
