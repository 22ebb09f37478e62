package scan

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"net"
	"sync"
	"time"

	"ironthread/scan/doip"
	"ironthread/scan/wire"
)

// Channel carries requests to one control unit and its answers back, whatever lies between: a network, or a CAN bus. Send may be
// called while somebody waits for an answer.
type Channel interface {
	// Send puts a request on its way. The error is one of the connection.
	Send(request []byte) error
	// Answers gives what comes back, in its order; closed once the connection has ended.
	Answers() <-chan Answer
	// Close ends the connection.
	Close()
}

// Answer is what came back, or why a request did not reach the control unit.
type Answer struct {
	Data []byte
	Err  error
}

// mostWaiting bounds the answers that nobody has taken yet; what comes beyond them is lost, as on any busy link.
const mostWaiting = 64

// Times of a connection over IP.
const (
	identifyWithin = 800 * time.Millisecond
	confirmWithin  = 30 * time.Second // while somebody confirms the tester at the vehicle
)

// ipChannel is a connection by diagnostics over IP.
type ipChannel struct {
	conn    net.Conn
	to      uint16
	answers chan Answer
	write   sync.Mutex
}

// Identify asks who is at an address, by a datagram as the standard has it; false where nobody says so. Nothing needs it: a vehicle that
// does not identify itself can be connected all the same.
func Identify(ctx context.Context, address string) (doip.Identity, bool) {
	d := net.Dialer{Timeout: identifyWithin}
	conn, err := d.DialContext(ctx, "udp", address)
	if err != nil {
		return doip.Identity{}, false
	}
	defer conn.Close() // a datagram has no end to be told
	if err := conn.SetDeadline(time.Now().Add(identifyWithin)); err != nil {
		return doip.Identity{}, false
	}
	asks := doip.Frame{Type: doip.IdentifyRequest}.BytesAs(doip.AnyVersion)
	if _, err := conn.Write(asks); err != nil {
		return doip.Identity{}, false
	}
	wire.Tell(wire.Sent{Way: wire.Datagram, Tester: true, Link: conn.LocalAddr().String(), Data: asks})
	b := make([]byte, 2048)
	for {
		n, err := conn.Read(b)
		if err != nil {
			return doip.Identity{}, false
		}
		f, err := doip.Parse(b[:n])
		if err != nil {
			continue
		}
		if id, err := doip.IdentityOf(f); err == nil {
			return id, true
		}
	}
}

// Discover asks a whole network by broadcast and lists who answers within the time of the context, by address.
func Discover(ctx context.Context, broadcast string) (map[string]doip.Identity, error) {
	to, err := net.ResolveUDPAddr("udp4", broadcast)
	if err != nil {
		return nil, fmt.Errorf("%q is no address to ask a network at; write it as 192.168.0.255:13400", clipped(broadcast))
	}
	conn, err := net.ListenPacket("udp4", ":0")
	if err != nil {
		return nil, fmt.Errorf("no network can be asked: %w", err)
	}
	defer conn.Close() // a datagram has no end to be told
	until, limited := ctx.Deadline()
	if !limited {
		until = time.Now().Add(identifyWithin)
	}
	if err := conn.SetDeadline(until); err != nil {
		return nil, fmt.Errorf("no network can be asked: %w", err)
	}
	asks := doip.Frame{Type: doip.IdentifyRequest}.BytesAs(doip.AnyVersion)
	if _, err := conn.WriteTo(asks, to); err != nil {
		return nil, fmt.Errorf("the network cannot be asked: %w", err)
	}
	wire.Tell(wire.Sent{Way: wire.Datagram, Tester: true, Link: conn.LocalAddr().String(), Data: asks})
	found, b := map[string]doip.Identity{}, make([]byte, 2048)
	for len(found) < mostFound {
		n, from, err := conn.ReadFrom(b)
		if err != nil {
			break
		}
		if f, err := doip.Parse(b[:n]); err == nil {
			if id, err := doip.IdentityOf(f); err == nil {
				found[from.String()] = id
			}
		}
	}
	return found, nil
}

// mostFound bounds how many vehicles a network is asked for.
const mostFound = 64

// dialIP connects by TCP and is accepted as a tester. Controller is the address of the control unit, 0 for the one that answers for the
// vehicle.
func dialIP(ctx context.Context, address string, controller uint16) (*ipChannel, error) {
	d := net.Dialer{Timeout: dialWithin}
	conn, err := d.DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, fmt.Errorf("no vehicle answers at %s: %w", address, err)
	}
	c := &ipChannel{conn: conn, to: controller, answers: make(chan Answer, mostWaiting)}
	stop := context.AfterFunc(ctx, func() { _ = conn.Close() }) // nobody waits for it any more
	defer stop()
	if err := c.activate(); err != nil {
		_ = conn.Close() // nothing was asked for yet
		return nil, err
	}
	go c.read()
	return c, nil
}

// activate asks to be the vehicle's tester, and waits where somebody has to confirm it there.
func (c *ipChannel) activate() error {
	if err := c.frame(doip.Activation(Tester)); err != nil {
		return err
	}
	within := time.Now().Add(answerWithin)
	for {
		if err := c.conn.SetReadDeadline(within); err != nil {
			return ErrLost
		}
		f, err := doip.Read(c.conn)
		if err != nil {
			return fmt.Errorf("the vehicle does not answer the tester: %w", err)
		}
		switch {
		case f.Type == doip.AliveRequest:
			if err := c.alive(); err != nil {
				return err
			}
		case f.Type == doip.NegativeAck:
			return errors.New("the vehicle does not understand this tester's frames")
		case f.Type != doip.ActivationResponse:
		case len(f.Body) < 5:
			return errors.New("the vehicle's answer to the tester is too short")
		case f.Body[4] == doip.Confirming:
			within = time.Now().Add(confirmWithin)
		case f.Body[4] != doip.Activated:
			return &Refused{doip.ActivationWords(f.Body[4])}
		default:
			if c.to == 0 {
				c.to = binary.BigEndian.Uint16(f.Body[2:])
			}
			return c.conn.SetReadDeadline(time.Time{})
		}
	}
}

func (c *ipChannel) frame(f doip.Frame) error {
	c.write.Lock()
	defer c.write.Unlock()
	if err := c.conn.SetWriteDeadline(time.Now().Add(answerWithin)); err != nil {
		return ErrLost
	}
	if _, err := c.conn.Write(f.Bytes()); err != nil {
		return ErrLost
	}
	wire.Tell(wire.Sent{Way: wire.Stream, Tester: true, Link: c.conn.LocalAddr().String(), Data: f.Bytes()})
	return nil
}

func (c *ipChannel) alive() error {
	return c.frame(doip.Frame{Type: doip.AliveResponse, Body: binary.BigEndian.AppendUint16(nil, Tester)})
}

// read takes frames until the connection ends. A message of another control unit, or to another tester, is none of ours.
func (c *ipChannel) read() {
	defer close(c.answers)
	for {
		f, err := doip.Read(c.conn)
		if err != nil {
			_ = c.conn.Close() // nothing can be read any more
			return
		}
		switch f.Type {
		case doip.AliveRequest:
			_ = c.alive() // where it cannot be said the next read fails
		case doip.DiagnosticNack:
			code := byte(0)
			if len(f.Body) > 4 {
				code = f.Body[4]
			}
			c.give(Answer{Err: errors.New(doip.NackWords(code))})
		case doip.Diagnostic:
			if m, err := doip.MessageOf(f); err == nil && m.From == c.to && m.To == Tester {
				c.give(Answer{Data: m.Data})
			}
		}
	}
}

func (c *ipChannel) give(a Answer) {
	select {
	case c.answers <- a:
	default:
	}
}

func (c *ipChannel) Send(request []byte) error {
	return c.frame(doip.Message{From: Tester, To: c.to, Data: request}.Frame())
}

func (c *ipChannel) Answers() <-chan Answer { return c.answers }

func (c *ipChannel) Close() { _ = c.conn.Close() } // ends the reading
