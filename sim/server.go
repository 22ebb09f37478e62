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
	"ironthread/scan/wire"
)

// Server answers diagnostics over IP for a vehicle: identification by datagram and by connection, routing activation for
// one tester at a time, and the diagnostic services of its engine controller.
type Server struct {
	vehicle *Vehicle
	data    *describe.Vehicle
	VIN     string

	Manner Manner

	mu     sync.Mutex
	tester *link // the one that is activated
	asked  int   // requests so far, for its manner
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

// Manner is how the control unit behaves towards a tester: as real ones do that have other things to do.
type Manner struct {
	Slow  bool // it says that it is at work, twice, before it answers
	Busy  bool // it asks to be asked again, each third request
	Lossy int  // one answer in so many is lost; 0: none
}

// slowBy is how long a slow control unit works between what it says.
const slowBy = 300 * time.Millisecond

// manner is what goes out for an answer, in the control unit's manner. It waits where that is slow.
func (s *Server) manner(ctx context.Context, request, answer []byte) [][]byte {
	s.mu.Lock()
	s.asked++
	n := s.asked
	s.mu.Unlock()
	switch {
	case answer == nil:
		return nil
	case s.Manner.Lossy > 0 && n%s.Manner.Lossy == 0:
		return nil
	case !s.Manner.Slow:
		return [][]byte{answer}
	}
	work := time.NewTimer(slowBy)
	defer work.Stop()
	select {
	case <-work.C:
	case <-ctx.Done():
		return nil
	}
	still := uds.Refuse(uds.Service(request[0]), uds.Pending)
	return [][]byte{still, still, answer}
}

// isBusy tells whether a control unit in such a manner does not take this request now.
func (s *Server) isBusy(request []byte) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.Manner.Busy && s.asked%3 == 2 && uds.Service(request[0]) != uds.TesterPresent
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
	return accepted(ctx, l, &open, func(c net.Conn) { s.talk(ctx, c) })
}

// accepted takes connections until the context ends, as many at a time as anybody has.
func accepted(ctx context.Context, l net.Listener, open *sync.WaitGroup, talk func(net.Conn)) error {
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
			_ = c.Close() // more than anybody has
			continue
		}
		open.Go(func() {
			defer func() { <-room }()
			talk(c)
		})
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
		if answer := s.datagram(b[:n]); answer != nil {
			_, _ = packets.WriteTo(answer.Bytes(), from) // a datagram may be lost
			wire.Tell(wire.Sent{Way: wire.Datagram, Link: from.String(), Data: answer.Bytes()})
		}
	}
}

// datagram is the answer to one: who is there, whether the vehicle is ready, how many testers it has room for.
func (s *Server) datagram(b []byte) *doip.Frame {
	f, err := doip.Parse(b)
	nack := func(code byte) *doip.Frame { return &doip.Frame{Type: doip.NegativeAck, Body: []byte{code}} }
	id := s.identity()
	switch {
	case errors.Is(err, doip.ErrPattern):
		return nack(doip.BadPattern)
	case errors.Is(err, doip.ErrTooLarge):
		return nack(doip.TooLarge)
	case err != nil:
		return nack(doip.BadLength)
	case f.Type == doip.NegativeAck || f.Type == doip.Announcement || f.Type == doip.StatusResponse || f.Type == doip.PowerResponse:
		return nil // an answer is not answered
	}
	asks := map[doip.Type]int{doip.IdentifyRequest: 0, doip.IdentifyByEntity: len(id.Entity), doip.IdentifyByNumber: len(id.VIN),
		doip.StatusRequest: 0, doip.PowerRequest: 0}
	long, known := asks[f.Type]
	switch {
	case !known:
		return nack(doip.UnknownType)
	case len(f.Body) != long:
		return nack(doip.BadLength)
	case f.Type == doip.IdentifyByEntity && string(f.Body) != string(id.Entity[:]),
		f.Type == doip.IdentifyByNumber && string(f.Body) != id.VIN:
		return nil // somebody else is meant
	case f.Type == doip.PowerRequest:
		return &doip.Frame{Type: doip.PowerResponse, Body: []byte{0x01}} // ready
	case f.Type == doip.StatusRequest:
		s.mu.Lock()
		open := byte(0)
		if s.tester != nil {
			open = 1
		}
		s.mu.Unlock()
		return &doip.Frame{Type: doip.StatusResponse, Body: binary.BigEndian.AppendUint32([]byte{0x00, 1, open}, doip.MostBytes)}
	}
	announced := id.Announce()
	return &announced
}

// link is one connection.
type link struct {
	s         *Server
	ctx       context.Context
	c         net.Conn
	tester    uint16
	activated bool
	session   byte
	commanded time.Time // when an output was last commanded
	commands  bool
	alive     chan struct{} // it has said that it is there
	write     sync.Mutex
}

// talk answers one connection until it ends; what it commanded is then given back.
func (s *Server) talk(ctx context.Context, c net.Conn) {
	l := &link{s: s, ctx: ctx, c: c, session: uds.DefaultSession, alive: make(chan struct{}, 1)}
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
	if l.s.tester == l {
		l.s.tester = nil
	}
	l.giveBack()
}

func (l *link) send(f doip.Frame) error {
	l.write.Lock()
	defer l.write.Unlock()
	if err := l.c.SetWriteDeadline(time.Now().Add(writeWithin)); err != nil {
		return err
	}
	_, err := l.c.Write(f.Bytes())
	if err == nil {
		wire.Tell(wire.Sent{Way: wire.Stream, Link: l.c.RemoteAddr().String(), Data: f.Bytes()})
	}
	return err
}

// take answers one frame; an error ends the connection.
func (l *link) take(f doip.Frame) error {
	switch f.Type {
	case doip.AliveResponse:
		select {
		case l.alive <- struct{}{}:
		default:
		}
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
	switch {
	case l.tester < 0x0E00 || l.tester > 0x0FFF: // the addresses of testers by ISO 13400-2
		code = doip.DeniedUnknown
	case f.Body[2] != 0x00 && f.Body[2] != 0x01: // the default kind, and that of emissions diagnostics
		code = doip.DeniedKind
	case !l.s.freeFor(l):
		code = doip.DeniedNoSocket
	default:
		l.activated = true
	}
	if err := l.send(doip.Activate(l.tester, l.s.data.Address, code)); err != nil || code != doip.Activated {
		return errors.Join(err, errIf(code != doip.Activated, "refused"))
	}
	return nil
}

// freeFor gives the place of the tester to a connection: where it is free, or where the one that has it does not say that it is there.
func (s *Server) freeFor(l *link) bool {
	s.mu.Lock()
	first := s.tester
	if first == nil || first == l {
		s.tester = l
		s.mu.Unlock()
		return true
	}
	s.mu.Unlock()
	for drained := true; drained; { // what it said before counts for nothing
		select {
		case <-first.alive:
		default:
			drained = false
		}
	}
	if first.send(doip.Frame{Type: doip.AliveRequest}) == nil {
		select {
		case <-first.alive:
			return false
		case <-time.After(aliveWithin):
		}
	}
	_ = first.c.Close() // it has gone
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.tester != nil && s.tester != first && s.tester != l {
		return false
	}
	s.tester = l
	return true
}

// aliveWithin is how long a tester has to say that it is there (ISO 13400-2).
const aliveWithin = 500 * time.Millisecond

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
	for _, answer := range l.s.manner(l.ctx, m.Data, l.serve(m.Data)) {
		if err := l.send(doip.Message{From: m.To, To: m.From, Data: answer}.Frame()); err != nil {
			return err
		}
	}
	return nil
}
