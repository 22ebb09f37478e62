package scan

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Meter is a meter on the network that speaks SCPI.
type Meter struct {
	mu   sync.Mutex
	conn net.Conn
	in   *bufio.Reader
	name string
	told []string // the set-up that a simulated vehicle was given through it
}

// Simulated tells whether the meter says that it is one: then it can be told where its leads lie and what is done to the
// vehicle, which a real meter cannot.
func (m *Meter) Simulated() bool { return strings.Contains(m.name, "simulated meter") }

// SetUp brings a simulated vehicle into a set-up: what was told before and is not in it is taken back.
func (m *Meter) SetUp(words []string) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, w := range slices.Backward(m.told) {
		if !slices.Contains(words, w) {
			if err := m.tell(fmt.Sprintf("SYST:SETUP:UNDO %q", w)); err != nil {
				return err
			}
		}
	}
	for _, w := range words {
		if !slices.Contains(m.told, w) {
			if err := m.tell(fmt.Sprintf("SYST:SETUP %q", w)); err != nil {
				return err
			}
		}
	}
	m.told = slices.Clone(words)
	_, err := m.ask("*IDN?") // it has been done once this is answered
	return err
}

// Limits of the meter's link, and what its readings mean.
const (
	meterWithin  = 3 * time.Second
	longestReply = 4096
	overload     = 9.8e37 // from here on a figure is none (SCPI-99 gives 9.9E37)
	steadyOf     = 3      // readings that agree make a stable one
	steadyMost   = 8      // readings taken to find it
	steadyShare  = 0.01
	steadyAtAll  = 0.02
)

// ConnectMeter reaches a meter and asks its name.
func ConnectMeter(ctx context.Context, address string) (*Meter, error) {
	d := net.Dialer{Timeout: dialWithin}
	conn, err := d.DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, fmt.Errorf("no meter answers at %s: %w", address, err)
	}
	m := &Meter{conn: conn, in: bufio.NewReaderSize(conn, longestReply)}
	if m.name, err = m.Ask("*IDN?"); err != nil {
		_ = conn.Close() // it is no meter
		return nil, fmt.Errorf("what answers at %s is no meter: %w", address, err)
	}
	// Maker, model, serial number, version (IEEE 488.2, 10.14); whatever else answers a line is no meter.
	if fields := strings.Split(m.name, ","); len(fields) != 4 || strings.ContainsFunc(m.name, func(r rune) bool {
		return r < ' ' ||
			r > '~'
	}) {
		_ = conn.Close()
		return nil, fmt.Errorf("what answers at %s is no meter: it names itself %q", address, clipped(m.name))
	}
	return m, nil
}

// Name is what the meter says of itself.
func (m *Meter) Name() string { return m.name }

// Close ends the link.
func (m *Meter) Close() { _ = m.conn.Close() }

// Tell gives a command that has no answer.
func (m *Meter) Tell(command string) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.tell(command)
}

func (m *Meter) tell(command string) error {
	if strings.ContainsAny(command, "\r\n") {
		return errors.New("a command to a meter is one line")
	}
	if err := m.conn.SetDeadline(time.Now().Add(meterWithin)); err != nil {
		return fmt.Errorf("the connection to the meter is lost: %w", err)
	}
	if _, err := m.conn.Write([]byte(command + "\n")); err != nil {
		return fmt.Errorf("the connection to the meter is lost: %w", err)
	}
	return nil
}

// Ask puts a query and reads its line.
func (m *Meter) Ask(query string) (string, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.ask(query)
}

func (m *Meter) ask(query string) (string, error) {
	if err := m.tell(query); err != nil {
		return "", err
	}
	line, err := m.in.ReadSlice('\n')
	if err != nil {
		return "", fmt.Errorf("the meter does not answer: %w", err)
	}
	return strings.TrimSpace(string(line)), nil
}

// Read takes one reading: "MEAS:VOLT:DC?" in volts, "MEAS:RES?" and "MEAS:CONT?" in ohms, "MEAS:CURR:DC?" in amps; +Inf is
// an overload, an open line.
func (m *Meter) Read(query string) (float64, error) {
	line, err := m.Ask(query)
	if err != nil {
		return 0, err
	}
	v, err := strconv.ParseFloat(line, 64)
	if err != nil || math.IsNaN(v) {
		return 0, fmt.Errorf("the meter answers %q, which is no figure", clipped(line))
	}
	if math.Abs(v) >= overload {
		return math.Inf(1), nil
	}
	return v, nil
}

func clipped(s string) string {
	if len(s) > 40 {
		return strings.ToValidUTF8(s[:40], "") + "…"
	}
	return s
}

// Stable reads until three readings one after the other agree, or gives the last with false.
func (m *Meter) Stable(ctx context.Context, query string) (v float64, stable bool, err error) {
	same, last := 0, math.NaN()
	for range steadyMost {
		if err := ctx.Err(); err != nil {
			return v, false, err
		}
		if v, err = m.Read(query); err != nil {
			return v, false, err
		}
		if v == last || math.Abs(v-last) <= steadyAtAll+steadyShare*math.Abs(v) {
			same++
		} else {
			same = 1
		}
		if last = v; same >= steadyOf {
			return v, true, nil
		}
	}
	return v, false, nil
}
