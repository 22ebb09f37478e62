package sim

import (
	"bufio"
	"context"
	"encoding/binary"
	"fmt"
	"net"
	"strings"
	"sync"
	"time"

	"ironthread/scan/can"
	"ironthread/scan/uds"
	"ironthread/scan/wire"
)

// The vehicle's CAN bus, handed on over the network as a CAN socket's daemon does it: whoever connects hears every frame, and what one
// sends all others hear too. The engine's control unit hangs on it, with emissions diagnostics and with the same services as over IP.

// Identifiers of the engine's control unit (ISO 15765-4).
const (
	canToEngine   uint32 = 0x7E0
	canFromEngine uint32 = 0x7E8
)

// canBus hands frames on between those that hang on it.
type canBus struct {
	mu   sync.Mutex
	hear map[*canPort]bool
}

// canPort is one that hangs on the bus.
type canPort struct {
	bus    *canBus
	frames chan can.Frame
	once   sync.Once
	guest  bool // somebody over the network, not the vehicle
}

func (b *canBus) port() *canPort {
	p := &canPort{bus: b, frames: make(chan can.Frame, 1024)}
	b.mu.Lock()
	defer b.mu.Unlock()
	b.hear[p] = true
	return p
}

// Send puts a frame on the bus: all others hear it.
func (p *canPort) Send(_ context.Context, f can.Frame) error {
	p.bus.mu.Lock()
	defer p.bus.mu.Unlock()
	if !p.bus.hear[p] {
		return can.ErrGone
	}
	if !p.guest {
		wire.Tell(wire.Sent{Way: wire.Bus, ID: f.ID, Extended: f.IsExtended, Data: f.Data[:f.Length]})
	}
	for other := range p.bus.hear {
		if other == p {
			continue
		}
		select {
		case other.frames <- f:
		default: // whoever does not listen misses it
		}
	}
	return nil
}

func (p *canPort) Frames() <-chan can.Frame { return p.frames }

func (p *canPort) Close() {
	p.once.Do(func() {
		p.bus.mu.Lock()
		defer p.bus.mu.Unlock()
		delete(p.bus.hear, p)
		close(p.frames)
	})
}

// ServeCAN hands the vehicle's bus on at a listener until the context ends. With truck it also sends what trucks send (SAE J1939).
func (s *Server) ServeCAN(ctx context.Context, l net.Listener, truck bool) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	bus := &canBus{hear: map[*canPort]bool{}}
	var open sync.WaitGroup
	defer open.Wait()
	context.AfterFunc(ctx, func() { _ = l.Close() }) // ends Accept
	if truck {
		open.Go(func() { s.sendAsTruck(ctx, bus.port()) })
	} else {
		open.Go(func() { s.onCAN(ctx, bus) })
	}
	return accepted(ctx, l, &open, func(c net.Conn) { handOn(ctx, c, bus) })
}

// handOn is one connection to the daemon: a greeting, a bus that is opened, frames as they come.
func handOn(ctx context.Context, c net.Conn, bus *canBus) {
	stop := context.AfterFunc(ctx, func() { _ = c.Close() }) // ends the reading
	defer stop()
	defer c.Close() // it ends here
	var write sync.Mutex
	say := func(text string) bool {
		write.Lock()
		defer write.Unlock()
		_ = c.SetWriteDeadline(time.Now().Add(writeWithin)) // a connection that takes none fails at the write
		_, err := c.Write([]byte(text))
		return err == nil
	}
	if !say("< hi >") {
		return
	}
	r := bufio.NewReader(c)
	var port *canPort
	defer func() {
		if port != nil {
			port.Close()
		}
	}()
	began := time.Now()
	for {
		words, err := can.Message(r)
		if err != nil {
			return
		}
		switch {
		case len(words) == 2 && words[0] == "open":
			say("< ok >")
		case len(words) == 1 && words[0] == "rawmode" && port == nil:
			port = bus.port()
			port.guest = true
			say("< ok >")
			go func(frames <-chan can.Frame) {
				for f := range frames {
					if !say(can.FrameWords(f, time.Since(began).Seconds())) {
						return
					}
				}
			}(port.frames)
		case len(words) > 0 && words[0] == "echo":
			say("< echo >")
		case len(words) > 0 && words[0] == "send" && port != nil:
			f, err := can.SendWords(words)
			if err != nil {
				say(fmt.Sprintf("< error %s >", strings.NewReplacer("<", "", ">", "").Replace(err.Error())))
				continue
			}
			_ = port.Send(ctx, f) // a bus that has gone ends the connection with the context
		default:
			say("< error unknown command >")
		}
	}
}

// onCAN is the engine's control unit on the bus.
func (s *Server) onCAN(ctx context.Context, bus *canBus) {
	physical, functional := bus.port(), bus.port()
	unit := can.NewLink(physical, can.Ends{To: canFromEngine, From: canToEngine})
	defer functional.Close()
	defer unit.Close()
	l := &link{s: s, ctx: ctx, session: uds.DefaultSession}
	defer l.giveBack()
	quiet := time.NewTicker(time.Second)
	defer quiet.Stop()
	last := time.Now()
	answer := func(request []byte, all bool) {
		last = time.Now()
		out := l.onBus(request)
		if all && len(out) > 2 && out[0] == 0x7F {
			return // what all are asked is not refused
		}
		for _, out := range s.manner(ctx, request, out) {
			_ = unit.Send(ctx, out) // nobody may wait for it any more
		}
	}
	for {
		select {
		case <-ctx.Done():
			return
		case <-quiet.C:
			l.quiet(time.Since(last))
		case request, open := <-unit.Messages():
			if !open {
				return
			}
			answer(request, false)
		case f, open := <-functional.Frames():
			if !open {
				return
			}
			if n := int(f.Data[0]); f.ID == can.ToAll && !f.IsExtended && n >= 1 && n <= 7 && n < int(f.Length) {
				answer(append([]byte{}, f.Data[1:1+n]...), true)
			}
		}
	}
}

// onBus answers emissions diagnostics (ISO 15031-5; figures from memory), and what is asked over IP too.
func (l *link) onBus(b []byte) []byte {
	now := l.s.vehicle.Stands()
	accept := func(data ...byte) []byte { return append([]byte{b[0] | 0x40}, data...) }
	switch uds.Service(b[0]) {
	case uds.CurrentData:
		if len(b) != 2 {
			return uds.Refuse(uds.CurrentData, uds.BadLength)
		}
		data := emissionsData(b[1], now)
		if data == nil {
			return uds.Refuse(uds.CurrentData, uds.OutOfRange)
		}
		return accept(append([]byte{b[1]}, data...)...)
	case uds.FrozenData:
		return l.frozenData(b)
	case uds.StoredCodes, uds.PendingCodes, uds.PermanentCodes:
		var data []byte
		n := byte(0)
		for _, c := range l.s.vehicle.Codes() {
			stored, pending := c.Status&uds.Confirmed != 0, c.Status&uds.FailsNow != 0
			if uds.Service(b[0]) == uds.StoredCodes && stored || uds.Service(b[0]) == uds.PendingCodes && pending {
				data = append(data, byte(c.Number>>16), byte(c.Number>>8))
				n++
			}
		}
		return accept(append([]byte{n}, data...)...)
	case uds.ClearEmissions:
		l.s.vehicle.ClearCodes()
		return accept()
	case uds.VehicleData:
		switch {
		case len(b) == 2 && b[1] == 0x00:
			return accept(0x00, 0x40, 0, 0, 0)
		case len(b) == 2 && b[1] == 0x02:
			return accept(append([]byte{0x02, 0x01}, l.s.VIN...)...)
		}
		return uds.Refuse(uds.VehicleData, uds.OutOfRange)
	}
	return l.serve(b)
}

// frozenData is how the vehicle stood when the first code was set: service 0x02, frame 0.
func (l *link) frozenData(b []byte) []byte {
	if len(b) != 3 {
		return uds.Refuse(uds.FrozenData, uds.BadLength)
	}
	codes := l.s.vehicle.Codes()
	if b[2] != 0 || len(codes) == 0 {
		return uds.Refuse(uds.FrozenData, uds.OutOfRange)
	}
	var data []byte
	frozen, _ := l.s.vehicle.Frozen(codes[0].Name())
	switch b[1] {
	case 0x00:
		data = []byte{0x48, 0x08, 0x00, 0x01} // 02, 05, 0D and what follows
	case 0x20:
		data = []byte{0x00, 0x00, 0x00, 0x01}
	case 0x40:
		data = []byte{0x40, 0x00, 0x00, 0x00}
	case 0x02:
		data = []byte{byte(codes[0].Number >> 16), byte(codes[0].Number >> 8)}
	default:
		data = emissionsData(b[1], Stand{Coolant: frozen.Coolant, Speed: frozen.Speed, Supply: frozen.Supply})
	}
	if data == nil {
		return uds.Refuse(uds.FrozenData, uds.OutOfRange)
	}
	return uds.Accept(uds.FrozenData, append([]byte{b[1], b[2]}, data...)...)
}

// emissionsData is what an identifier of service 0x01 gives now; nil for one that is not there.
func emissionsData(pid byte, now Stand) []byte {
	degrees := func(c float64) []byte { return []byte{byte(min(255, max(0, c+40)))} }
	word := func(v float64) []byte { return binary.BigEndian.AppendUint16(nil, uint16(min(65535, max(0, v)))) }
	switch pid {
	case 0x00:
		return []byte{0x08, 0x1A, 0x00, 0x01} // 05, 0C, 0D, 0F and what follows
	case 0x20:
		return []byte{0x00, 0x00, 0x00, 0x01}
	case 0x40:
		return []byte{0x44, 0x00, 0x00, 0x00} // 42 and 46
	case 0x05:
		return degrees(now.Coolant)
	case 0x0C:
		rpm := 0.0
		if now.Running {
			rpm = idleRPM
		}
		return word(4 * rpm)
	case 0x0D:
		return []byte{byte(min(255, now.Speed))}
	case 0x0F, 0x46:
		return degrees(airDegrees)
	case 0x42:
		return word(1000 * now.Supply)
	}
	return nil
}

// What the simulated engine does at idle, and the air about it.
const (
	idleRPM    = 800.0
	airDegrees = 20.0
)

// sendAsTruck sends what a truck's control units send again and again (SAE J1939-71; figures from memory).
func (s *Server) sendAsTruck(ctx context.Context, p *canPort) {
	defer p.Close()
	tick := time.NewTicker(100 * time.Millisecond)
	defer tick.Stop()
	send := func(id uint32, data ...byte) {
		f := can.Frame{ID: id, IsExtended: true, Length: 8}
		for i := range f.Data {
			f.Data[i] = 0xFF // not available
		}
		copy(f.Data[:], data)
		_ = p.Send(ctx, f) // it goes with the context
	}
	for n := 0; ; n++ {
		now := s.vehicle.Stands()
		rpm := 0.0
		if now.Running {
			rpm = idleRPM
		}
		revolutions := uint16(8 * rpm)
		send(0x0CF00400, 0xFF, 0xFF, 0xFF, byte(revolutions), byte(revolutions>>8))
		if n%10 == 0 {
			send(0x18FEEE00, byte(min(250, max(0, now.Coolant+40))))
			supply := uint16(now.Supply / 0.05)
			send(0x18FEF700, 0xFF, 0xFF, 0xFF, 0xFF, byte(supply), byte(supply>>8))
			share := 0.0
			for _, fan := range now.Fans {
				share = max(share, fan.Share)
			}
			state := byte(0)
			if share > 0.05 {
				state = 1
			}
			send(0x18FEBD00, byte(min(250, 100*share/0.4)), 0xF0|state)
			send(0x18FECA00, 0, 0xFF, 0, 0, 0, 0)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}
