// Package scan is the link to a vehicle and to a meter: it asks by published protocols and gives what came back in the
// product's own terms.
//
// In goes an address and a data description, out come values, codes, and what a command came to. The one idea: whatever is
// commanded is given back, on leaving, on a fault, on a lost connection and when its time is over; the vehicle is never
// left with an output that a tester holds.
package scan

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"net"
	"sync"
	"time"

	"ironthread/scan/describe"
	"ironthread/scan/doip"
	"ironthread/scan/uds"
)

// Tester is this tester's own address, one of those that ISO 13400-2 keeps for testers.
const Tester uint16 = 0x0E00

// Times of the link. An answer comes within the first, or, where the control unit says that it is still at work, within
// the second.
const (
	answerWithin  = 2 * time.Second
	pendingWithin = 10 * time.Second
	presentEvery  = 2 * time.Second
	dialWithin    = 4 * time.Second
)

// CommandLasts is how long a command holds at most before it is given back by itself.
const CommandLasts = 45 * time.Second

// ErrLost is a connection that has ended.
var ErrLost = errors.New("the connection to the vehicle is lost; what was commanded is given back by the vehicle itself")

// Vehicle is a connection to one vehicle. Its methods may be called by several goroutines; one request goes after the
// other.
type Vehicle struct {
	data *describe.Vehicle
	conn net.Conn
	id   doip.Identity

	mu        sync.Mutex // one request at a time
	extended  bool
	commanded map[string]byte
	until     time.Time
	last      string // the last command, in words
	lastAt    time.Time
	err       error // once the link is lost

	stop context.CancelFunc
	done chan struct{}
}

// Connect reaches a vehicle, identifies it, and is accepted as its tester. The link lives until Close, or until the
// context ends.
func Connect(ctx context.Context, address string, data *describe.Vehicle) (*Vehicle, error) {
	d := net.Dialer{Timeout: dialWithin}
	conn, err := d.DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, fmt.Errorf("no vehicle answers at %s: %w", address, err)
	}
	v := &Vehicle{data: data, conn: conn, commanded: map[string]byte{}, done: make(chan struct{})}
	if err := v.begin(); err != nil {
		_ = conn.Close() // nothing was asked for yet
		return nil, err
	}
	living, stop := context.WithCancel(ctx)
	v.stop = stop
	go v.keep(living)
	return v, nil
}

// begin identifies the vehicle and asks to be its tester.
func (v *Vehicle) begin() error {
	if err := v.send(doip.Frame{Type: doip.IdentifyRequest}); err != nil {
		return err
	}
	f, err := v.receive(answerWithin, doip.Announcement)
	if err != nil {
		return fmt.Errorf("the vehicle does not identify itself: %w", err)
	}
	if v.id, err = doip.IdentityOf(f); err != nil {
		return err
	}
	if err := v.send(doip.Activation(Tester)); err != nil {
		return err
	}
	if f, err = v.receive(answerWithin, doip.ActivationResponse); err != nil {
		return fmt.Errorf("the vehicle does not answer the tester: %w", err)
	}
	if len(f.Body) < 5 {
		return fmt.Errorf("the vehicle's answer to the tester is too short")
	}
	if f.Body[4] != doip.Activated {
		return &Refused{doip.ActivationWords(f.Body[4])}
	}
	return nil
}

// Refused is a vehicle that answers, and takes no tester now; the text says why.
type Refused struct{ Why string }

func (r *Refused) Error() string { return r.Why }

// Identity is what the vehicle says of itself.
func (v *Vehicle) Identity() doip.Identity { return v.id }

// keep holds the session while something is commanded, and gives it back when its time is over.
func (v *Vehicle) keep(ctx context.Context) {
	defer close(v.done)
	tick := time.NewTicker(presentEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			v.mu.Lock()
			if v.err == nil {
				_ = v.giveBack() // the connection ends with it, and the vehicle gives back by itself
				v.err = ErrLost
			}
			v.mu.Unlock()
			_ = v.conn.Close() // all has been said
			return
		case now := <-tick.C:
			v.mu.Lock()
			switch {
			case v.err != nil || !v.extended:
			case len(v.commanded) > 0 && now.After(v.until):
				v.lose(v.giveBack())
			default:
				v.lose(v.send(doip.Message{From: Tester, To: v.data.Address, Data: uds.Present()}.Frame()))
			}
			v.mu.Unlock()
		}
	}
}

// lose notes that the link has ended.
func (v *Vehicle) lose(err error) {
	var refused *uds.Refused
	if err != nil && !errors.As(err, &refused) && v.err == nil {
		v.err = ErrLost
	}
}

// Close gives back whatever is commanded and ends the link.
func (v *Vehicle) Close() {
	v.stop()
	<-v.done
}

func (v *Vehicle) send(f doip.Frame) error {
	if err := v.conn.SetWriteDeadline(time.Now().Add(answerWithin)); err != nil {
		return ErrLost
	}
	if _, err := v.conn.Write(f.Bytes()); err != nil {
		return ErrLost
	}
	return nil
}

// receive waits for a frame of one of the types; alive checks are answered on the way, other frames are passed over.
func (v *Vehicle) receive(within time.Duration, types ...doip.Type) (doip.Frame, error) {
	deadline := time.Now().Add(within)
	for {
		if err := v.conn.SetReadDeadline(deadline); err != nil {
			return doip.Frame{}, ErrLost
		}
		f, err := doip.Read(v.conn)
		var late net.Error
		switch {
		case errors.As(err, &late) && late.Timeout():
			return f, errors.New("no answer in time")
		case errors.Is(err, doip.ErrPattern), errors.Is(err, doip.ErrTooLarge):
			return f, err
		case err != nil:
			return f, ErrLost
		case f.Type == doip.AliveRequest:
			if err := v.send(doip.Frame{Type: doip.AliveResponse, Body: binary.BigEndian.AppendUint16(nil, Tester)}); err != nil {
				return f, err
			}
			continue
		case f.Type == doip.NegativeAck:
			return f, errors.New("the vehicle does not understand this tester's frames")
		}
		for _, t := range types {
			if f.Type == t {
				return f, nil
			}
		}
	}
}

// ask puts a request and waits for its answer; v.mu is held.
func (v *Vehicle) ask(request []byte) ([]byte, error) {
	if v.err != nil {
		return nil, v.err
	}
	m := doip.Message{From: Tester, To: v.data.Address, Data: request}
	if err := v.send(m.Frame()); err != nil {
		v.err = ErrLost
		return nil, v.err
	}
	within := answerWithin
	for {
		f, err := v.receive(within, doip.DiagnosticAck, doip.DiagnosticNack, doip.Diagnostic)
		if err != nil {
			v.lose(err)
			return nil, err
		}
		switch f.Type {
		case doip.DiagnosticAck:
			continue
		case doip.DiagnosticNack:
			code := byte(0)
			if len(f.Body) > 4 {
				code = f.Body[4]
			}
			return nil, errors.New(doip.NackWords(code))
		}
		answer, err := doip.MessageOf(f)
		switch {
		case err != nil:
			return nil, err
		case uds.StillPending(answer.Data):
			within = pendingWithin
			continue
		case len(answer.Data) > 0 && (answer.Data[0] == request[0]|0x40 || answer.Data[0] == 0x7F):
			return answer.Data, nil
		}
	}
}

func (v *Vehicle) service(s uds.Service, request []byte) ([]byte, error) {
	b, err := v.ask(request)
	if err != nil {
		return nil, err
	}
	return uds.Answer(s, b)
}

// Values reads values by their names in the data description; those that the vehicle does not have are left out.
func (v *Vehicle) Values(names ...string) (map[string]float64, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	found := map[string]float64{}
	for _, name := range names {
		value, ok := v.data.Values[name]
		if !ok {
			return nil, fmt.Errorf("the data description has no value %q", name)
		}
		b, err := v.service(uds.ReadData, uds.Read(value.ID))
		var refused *uds.Refused
		switch {
		case errors.As(err, &refused) && refused.Reason == uds.OutOfRange:
			continue
		case err != nil:
			return nil, err
		case len(b) < 2:
			return nil, fmt.Errorf("%s: the answer is too short", name)
		}
		if found[name], err = value.Decode(b[2:]); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
	}
	return found, nil
}

// Codes reads the stored fault codes.
func (v *Vehicle) Codes() ([]uds.Code, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	b, err := v.ask(uds.Codes(0xFF))
	if err != nil {
		return nil, err
	}
	return uds.CodesOf(b)
}

// ClearCodes has them forgotten. Whoever calls has kept them before.
func (v *Vehicle) ClearCodes() error {
	v.mu.Lock()
	defer v.mu.Unlock()
	_, err := v.service(uds.ClearCodes, uds.Clear())
	return err
}

// Command brings the vehicle's outputs to just these commands, each with its duty in percent (an output that is only on or
// off takes any above zero for on). It holds until the next command, Return, Close, or CommandLasts.
func (v *Vehicle) Command(name string, commands map[string]float64) error {
	v.mu.Lock()
	defer v.mu.Unlock()
	for command := range commands {
		if _, ok := v.data.Outputs[command]; !ok {
			return fmt.Errorf("the data description has no output %q", command)
		}
	}
	if !v.extended {
		if _, err := v.service(uds.SessionControl, uds.Session(uds.ExtendedSession)); err != nil {
			return fmt.Errorf("the vehicle starts no session for tests: %w", err)
		}
		v.extended = true
	}
	for command, out := range v.data.Outputs {
		state := byte(0)
		if duty := commands[command]; duty > 0 {
			state = 1
			if out.Percent {
				state = byte(min(100, duty))
			}
		}
		if _, err := v.service(uds.ControlOutput, uds.Control(out.ID, uds.ShortTermAdjust, state)); err != nil {
			back := v.giveBack()
			v.lose(errors.Join(back))
			return fmt.Errorf("%s is not commanded: %w", command, err)
		}
		v.commanded[command] = state
	}
	v.last, v.lastAt, v.until = name, time.Now(), time.Now().Add(CommandLasts)
	return nil
}

// Return gives all outputs back.
func (v *Vehicle) Return() error {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.err != nil {
		return v.err
	}
	err := v.giveBack()
	v.lose(err)
	return err
}

// giveBack gives all outputs back and ends the session; v.mu is held.
func (v *Vehicle) giveBack() error {
	var first error
	for command := range v.commanded {
		if _, err := v.service(uds.ControlOutput, uds.Control(v.data.Outputs[command].ID, uds.ReturnControl)); err != nil && first == nil {
			first = err
		}
		delete(v.commanded, command)
	}
	if v.extended {
		v.extended = false
		if _, err := v.service(uds.SessionControl, uds.Session(uds.DefaultSession)); err != nil && first == nil {
			first = err
		}
	}
	return first
}

// Held is the last command that still holds, when it was given, and when it is given back by itself; empty where none does.
func (v *Vehicle) Held() (name string, at, until time.Time) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if len(v.commanded) == 0 {
		return "", at, until
	}
	return v.last, v.lastAt, v.until
}

// Lost is why the link has ended; nil while it lives.
func (v *Vehicle) Lost() error {
	v.mu.Lock()
	defer v.mu.Unlock()
	return v.err
}
