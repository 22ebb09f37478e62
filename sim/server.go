package sim

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

// Server answers diagnostics over IP for a vehicle: identification by datagram and by connection, routing activation for
// one tester at a time, and the diagnostic services of its engine controller.
type Server struct {
	vehicle *Vehicle
	data    *describe.Vehicle
	VIN     string

	mu     sync.Mutex
	tester net.Conn // the one that is activated
}

// Times of the server (ISO 14229-2's S3 of 5 s; the rest is ours).
const (
	sessionLasts   = 5 * time.Second  // without a request, then the default session and control returned
	commandLasts   = 60 * time.Second // an output is commanded no longer than that without a new request
	idleConnection = 5 * time.Minute
	writeWithin    = 5 * time.Second
	mostConnected  = 8
)

// VIN of a simulated vehicle (invented; seventeen characters without I, O and Q as ISO 3779 asks).
const simulatedVIN = "SKERR0WC0VNTYW0RK"

// NewServer makes the answers for a vehicle by its data description.
func NewServer(v *Vehicle, data *describe.Vehicle) *Server {
	return &Server{vehicle: v, data: data, VIN: simulatedVIN}
}

func (s *Server) now() time.Time { return time.Now() }

// Serve answers on a listener and a packet connection until the context ends; packets may be nil.
func (s *Server) Serve(ctx context.Context, l net.Listener, packets net.PacketConn) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	go func() {
		<-ctx.Done()
		_ = l.Close() // ends Accept
		if packets != nil {
			_ = packets.Close() // ends ReadFrom
		}
	}()
	var open sync.WaitGroup
	defer open.Wait()
	if packets != nil {
		open.Add(1)
		go func() { defer open.Done(); s.answerPackets(packets) }()
	}
	room := make(chan struct{}, mostConnected)
	for {
		c, err := l.Accept()
		if err != nil {
			if ctx.Err() != nil || errors.Is(err, net.ErrClosed) {
				return nil
			}
			return fmt.Errorf("simulated vehicle: %w", err)
		}
		select {
		case room <- struct{}{}:
		default:
			_ = c.Close() // more testers than anybody has
			continue
		}
		open.Add(1)
		go func() {
			defer func() { <-room; open.Done() }()
			s.talk(ctx, c)
		}()
	}
}

func (s *Server) identity() doip.Identity {
	return doip.Identity{VIN: s.VIN, Address: s.data.Address, Entity: [6]byte{0x02, 0x53, 0x4B, 0x45, 0x52, 0x52}}
}

// answerPackets announces the vehicle to whoever asks.
func (s *Server) answerPackets(packets net.PacketConn) {
	b := make([]byte, 2048)
	for {
		n, from, err := packets.ReadFrom(b)
		if err != nil {
			return
		}
		f, err := doip.Parse(b[:n])
		if err == nil && f.Type == doip.IdentifyRequest {
			_, _ = packets.WriteTo(s.identity().Announce().Bytes(), from) // a datagram may be lost
		}
	}
}

// link is one connection.
type link struct {
	s         *Server
	c         net.Conn
	tester    uint16
	activated bool
	session   byte
	commanded time.Time // when an output was last commanded
	commands  bool
}

// talk answers one connection until it ends; what it commanded is then given back.
func (s *Server) talk(ctx context.Context, c net.Conn) {
	l := &link{s: s, c: c, session: uds.DefaultSession}
	ended := make(chan struct{})
	defer func() {
		close(ended)
		l.end()
		_ = c.Close() // it has ended already, or is ended by this
	}()
	go func() {
		select {
		case <-ctx.Done():
			_ = c.Close() // ends the read below
		case <-ended:
		}
	}()
	frames := make(chan doip.Frame)
	failed := make(chan error, 1)
	go func() {
		for {
			f, err := doip.Read(c)
			if err != nil {
				failed <- err
				return
			}
			select {
			case frames <- f:
			case <-ended:
				return
			}
		}
	}()
	quiet := time.NewTimer(sessionLasts)
	defer quiet.Stop()
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case err := <-failed:
			l.complain(err)
			return
		case <-quiet.C:
			l.quiet(time.Since(last))
			if time.Since(last) > idleConnection {
				return
			}
			quiet.Reset(time.Second)
			continue
		case f := <-frames:
			if err := l.take(f); err != nil {
				return
			}
			last = time.Now()
			if !quiet.Stop() {
				select {
				case <-quiet.C:
				default:
				}
			}
			quiet.Reset(min(sessionLasts, time.Second))
		}
	}
}

// complain answers what cannot be read, where the standard has an answer.
func (l *link) complain(err error) {
	switch {
	case errors.Is(err, doip.ErrPattern):
		_ = l.send(doip.Frame{Type: doip.NegativeAck, Body: []byte{doip.BadPattern}}) // the connection ends with it
	case errors.Is(err, doip.ErrTooLarge):
		_ = l.send(doip.Frame{Type: doip.NegativeAck, Body: []byte{doip.TooLarge}})
	}
}

// quiet is a moment without a request: after a while the session ends, and what was commanded is given back.
func (l *link) quiet(since time.Duration) {
	if l.session != uds.DefaultSession && since >= sessionLasts || l.commands && time.Since(l.commanded) > commandLasts {
		l.session = uds.DefaultSession
		l.giveBack()
	}
}

func (l *link) giveBack() {
	if l.commands {
		l.commands = false
		l.s.vehicle.Return()
	}
}

// end is the connection lost or closed.
func (l *link) end() {
	l.s.mu.Lock()
	defer l.s.mu.Unlock()
	if l.s.tester == l.c {
		l.s.tester = nil
	}
	l.giveBack()
}

func (l *link) send(f doip.Frame) error {
	if err := l.c.SetWriteDeadline(time.Now().Add(writeWithin)); err != nil {
		return err
	}
	_, err := l.c.Write(f.Bytes())
	return err
}

// take answers one frame; an error ends the connection.
func (l *link) take(f doip.Frame) error {
	switch f.Type {
	case doip.IdentifyRequest:
		return l.send(l.s.identity().Announce())
	case doip.AliveResponse:
		return nil
	case doip.AliveRequest:
		return l.send(doip.Frame{Type: doip.AliveResponse, Body: binary.BigEndian.AppendUint16(nil, l.s.data.Address)})
	case doip.ActivationRequest:
		return l.activate(f)
	case doip.Diagnostic:
		return l.diagnose(f)
	}
	return l.send(doip.Frame{Type: doip.NegativeAck, Body: []byte{doip.UnknownType}})
}

func (l *link) activate(f doip.Frame) error {
	if len(f.Body) < 7 {
		return l.send(doip.Frame{Type: doip.NegativeAck, Body: []byte{doip.BadLength}})
	}
	l.tester = binary.BigEndian.Uint16(f.Body)
	code := doip.Activated
	l.s.mu.Lock()
	switch {
	case l.tester < 0x0E00 || l.tester > 0x0FFF: // the addresses of testers by ISO 13400-2
		code = doip.DeniedUnknown
	case l.s.tester != nil && l.s.tester != l.c:
		code = doip.DeniedNoSocket
	default:
		l.s.tester, l.activated = l.c, true
	}
	l.s.mu.Unlock()
	if err := l.send(doip.Activate(l.tester, l.s.data.Address, code)); err != nil || code != doip.Activated {
		return errors.Join(err, errIf(code != doip.Activated, "refused"))
	}
	return nil
}

func errIf(is bool, words string) error {
	if is {
		return errors.New(words)
	}
	return nil
}

func (l *link) diagnose(f doip.Frame) error {
	m, err := doip.MessageOf(f)
	switch {
	case err != nil:
		return l.send(doip.Frame{Type: doip.NegativeAck, Body: []byte{doip.BadLength}})
	case !l.activated || m.From != l.tester:
		return errors.Join(l.send(doip.Ack(m, 0x02)), errors.New("not activated"))
	case m.To != l.s.data.Address:
		return l.send(doip.Ack(m, 0x03))
	}
	if err := l.send(doip.Ack(m, 0)); err != nil {
		return err
	}
	answer := l.serve(m.Data)
	if answer == nil {
		return nil
	}
	return l.send(doip.Message{From: m.To, To: m.From, Data: answer}.Frame())
}
