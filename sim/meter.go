package sim

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"net"
	"slices"
	"strconv"
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
	last       string // what was measured last
	errors     []string
	events     int // the standard event status register
}

// Overload is what SCPI reads where there is no figure.
const Overload = 9.9e37

// Limits of the meter.
const (
	longestLine  = 512
	mostErrors   = 20
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
		if answer := m.Line(string(line)); answer != "" {
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
	m.note(words)
}

// note keeps an error, with the lock held.
func (m *Meter) note(words string) {
	if m.events |= event(words); len(m.errors) < mostErrors {
		m.errors = append(m.errors, words)
	}
}

// Line carries out a line: commands one after the other with semicolons between, and the answers of its queries in one line, in their
// order, with semicolons between them too (IEEE 488.2, 8.4).
func (m *Meter) Line(line string) string {
	var answers []string
	for _, command := range split(line) {
		if answer := m.Do(strings.TrimSpace(command)); answer != "" {
			answers = append(answers, answer)
		}
	}
	return strings.Join(answers, ";")
}

// split parts a line at its semicolons, but not at those within quotes.
func split(line string) []string {
	var quote rune
	return strings.FieldsFunc(line, func(r rune) bool {
		switch {
		case quote != 0:
			if r == quote {
				quote = 0
			}
		case r == '"' || r == '\'':
			quote = r
		default:
			return r == ';'
		}
		return false
	})
}

// Bits of the standard event status register (IEEE 488.2, 11.5.1), and of the status byte where an error waits (SCPI-99).
const (
	eventDone      = 1
	eventQuery     = 4
	eventExecution = 16
	eventCommand   = 32
	errorWaits     = 4
)

// event is the bit that an error sets: command errors are -1xx, execution errors -2xx, query errors -4xx, the rest the device's own.
func event(words string) int {
	if len(words) > 1 {
		switch words[1] {
		case '1':
			return eventCommand
		case '2':
			return eventExecution
		case '4':
			return eventQuery
		}
	}
	return 8
}

// common answers the commands that every instrument has (IEEE 488.2); false where it is none of them.
func (m *Meter) common(name string, query bool) (answer string, is bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	switch {
	case name == "*IDN" && query:
		return "Skerrow County Works,simulated meter,0,1", true
	case name == "*RST" && !query:
		m.null, m.hold, m.function, m.last = false, false, "", ""
	case name == "*CLS" && !query:
		m.errors, m.events = nil, 0
	case name == "*OPC" && query:
		return "1", true // nothing here goes on while the next is read
	case name == "*OPC":
		m.events |= eventDone
	case name == "*WAI" && !query:
	case name == "*TST" && query:
		return "0", true
	case name == "*ESR" && query:
		was := m.events
		m.events = 0
		return strconv.Itoa(was), true
	case name == "*STB" && query:
		byteOf := 0
		if len(m.errors) > 0 {
			byteOf = errorWaits
		}
		return strconv.Itoa(byteOf), true
	default:
		return "", false
	}
	return "", true
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
	if answer, is := m.common(name, query); is {
		return answer
	}
	switch {
	case command == "":
		return ""
	case slices.Contains(words, "AC"):
		m.fail(`-113,"Undefined header; this meter measures direct volts and amps"`)
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
		m.mu.Lock()
		defer m.mu.Unlock()
		return `"` + m.function + `"`
	case words[0] == "CONF":
		m.mu.Lock()
		m.function = name
		m.mu.Unlock()
		return ""
	case name == "READ" && query:
		return m.again()
	case (name == "FETC" || name == "FETCH") && query:
		m.mu.Lock()
		last := m.last
		m.mu.Unlock()
		if last == "" {
			m.fail(`-230,"Data corrupt or stale"`)
		}
		return last
	case name == "INIT":
		_ = m.again()
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
		m.mu.Lock()
		m.function = strings.Join(append([]string{"CONF"}, words[1:]...), ":")
		m.mu.Unlock()
		return m.again()
	}
	m.fail(fmt.Sprintf("-113,%q", "Undefined header "+harness.Clipped(head, 40)))
	return ""
}

// again measures what is configured, volts where nothing was said, and keeps it to be fetched.
func (m *Meter) again() string {
	m.mu.Lock()
	words := strings.Split(m.function, ":")
	m.mu.Unlock()
	if len(words) < 2 {
		words = []string{"CONF", "VOLT"}
	}
	answer := m.measure(words[1:])
	m.mu.Lock()
	m.last = answer
	m.mu.Unlock()
	return answer
}

// lay lays a lead, or the clamp, on a pin.
func (m *Meter) lay(words []string, at string) {
	pin, err := m.vehicle.model.Circuit.FindPin(at)
	m.mu.Lock()
	defer m.mu.Unlock()
	which := map[string]*harness.Pin{"RED": &m.red, "BLACK": &m.black, "CLAMP": &m.clamp}[words[len(words)-1]]
	switch {
	case which == nil:
		m.note(`-113,"Undefined header"`)
	case err != nil:
		m.note(fmt.Sprintf("-224,%q", err.Error()))
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
