package scan

import (
	"context"
	"encoding/binary"
	"slices"
	"sync"
	"time"

	"ironthread/scan/can"
)

// Trucks, buses and machines send their values by themselves, again and again, by SAE J1939. They are listened to, and nothing is ever
// sent there: a frame on that bus may be an order to somebody.

// Parameter groups that are heard (SAE J1939-71, -73 and -21; figures from memory).
const (
	engineTemperature = 65262 // coolant: first byte, 1 °C a bit from -40
	fanDrive          = 65213 // estimated speed: first byte, 0.4 % a bit; its state: lower half of the second; rpm: bytes 3 and 4, 1/8 a bit
	vehiclePower      = 65271 // battery potential: bytes 5 and 6, 0.05 V a bit
	engineSpeed       = 61444 // bytes 4 and 5, 1/8 rpm a bit
	ambient           = 65269 // bytes 4 and 5, 1/32 °C a bit from -273
	activeCodes       = 65226 // DM1
	transportBegins   = 60416 // a message of several packets
	transportData     = 60160
)

// fanStates are the states of a fan drive (SAE J1939-71, from memory).
var fanStates = map[byte]string{0: "off", 1: "engine: coolant", 2: "manual", 3: "transmission oil", 4: "A/C", 5: "timer", 6: "brake",
	15: "not available"}

// TruckCode is an active code: what is suspected, how it fails, how often it has.
type TruckCode struct {
	Suspect uint32
	Failure byte
	Count   byte
}

// Truck is what has been heard so far.
type Truck struct {
	Values map[string]float64
	Fan    string // the state of the fan drive, in words
	Codes  []TruckCode
	Heard  bool // active codes have been sent at least once
}

// Listener hears a bus.
type Listener struct {
	bus can.Bus

	mu     sync.Mutex
	truck  Truck
	frames int
	parts  map[byte]*packets
	done   chan struct{}
}

// packets is a message of several, on its way from one sender.
type packets struct {
	group uint32
	bytes []byte
	want  int
	next  byte
	since time.Time
}

// Bounds of messages of several packets.
const (
	mostSenders   = 64
	longestPacket = 1785
	packetWithin  = 750 * time.Millisecond
)

// Listen hears a bus until it is gone, or the context ends.
func Listen(ctx context.Context, bus can.Bus) *Listener {
	l := &Listener{bus: bus, truck: Truck{Values: map[string]float64{}}, parts: map[byte]*packets{}, done: make(chan struct{})}
	go func() {
		defer close(l.done)
		defer bus.Close()
		for {
			select {
			case <-ctx.Done():
				return
			case f, open := <-bus.Frames():
				if !open {
					return
				}
				l.hear(f, time.Now())
			}
		}
	}()
	return l
}

// Done is closed when nothing more is heard.
func (l *Listener) Done() <-chan struct{} { return l.done }

// Truck is what has been heard so far.
func (l *Listener) Truck() Truck {
	l.mu.Lock()
	defer l.mu.Unlock()
	t := Truck{Values: map[string]float64{}, Fan: l.truck.Fan, Codes: slices.Clone(l.truck.Codes), Heard: l.truck.Heard}
	for name, v := range l.truck.Values {
		t.Values[name] = v
	}
	return t
}

// groupOf is the parameter group and the sender of a frame of 29 bits.
func groupOf(id uint32) (group uint32, sender byte) {
	group = id >> 8 & 0x3FFFF
	if group>>8&0xFF < 240 { // to one receiver: its address is no part of the group
		group &^= 0xFF
	}
	return group, byte(id)
}

func (l *Listener) hear(f can.Frame, now time.Time) {
	if !f.IsExtended || f.IsRemote {
		return
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	group, sender := groupOf(f.ID)
	b := f.Data[:f.Length]
	switch group {
	case transportBegins:
		l.begins(sender, b, now)
	case transportData:
		l.packet(sender, b, now)
	default:
		l.take(group, b)
	}
}

// begins notes a message of several packets that is sent to all; one that is sent to somebody is not ours.
func (l *Listener) begins(sender byte, b []byte, now time.Time) {
	if len(b) < 8 || b[0] != 0x20 {
		return
	}
	want := int(binary.LittleEndian.Uint16(b[1:]))
	group := uint32(b[5]) | uint32(b[6])<<8 | uint32(b[7])<<16
	if want < 9 || want > longestPacket || len(l.parts) >= mostSenders {
		return
	}
	l.parts[sender] = &packets{group: group, want: want, next: 1, since: now}
}

func (l *Listener) packet(sender byte, b []byte, now time.Time) {
	p := l.parts[sender]
	if p == nil || len(b) < 2 {
		return
	}
	if b[0] != p.next || now.Sub(p.since) > packetWithin {
		delete(l.parts, sender) // one was lost, and with it the message
		return
	}
	p.next, p.since = p.next+1, now
	p.bytes = append(p.bytes, b[1:]...)
	if len(p.bytes) >= p.want {
		delete(l.parts, sender)
		l.take(p.group, p.bytes[:p.want])
	}
}

// take reads a parameter group. A byte of 0xFF is not available, one of 0xFE an error.
func (l *Listener) take(group uint32, b []byte) {
	known := func(i int) bool { return len(b) > i && b[i] < 0xFB }
	wide := func(i int) (uint16, bool) {
		if len(b) < i+2 || b[i+1] >= 0xFB {
			return 0, false
		}
		return binary.LittleEndian.Uint16(b[i:]), true
	}
	switch group {
	case engineTemperature:
		if known(0) {
			l.truck.Values["coolant"] = float64(b[0]) - 40
		}
	case fanDrive:
		if known(0) {
			l.truck.Values["fan"] = 0.4 * float64(b[0])
		}
		if len(b) > 1 && b[1]&0x0F != 0x0F {
			l.truck.Fan = fanStates[b[1]&0x0F]
		}
		if v, ok := wide(2); ok {
			l.truck.Values["fan rpm"] = float64(v) / 8
		}
	case vehiclePower:
		if v, ok := wide(4); ok {
			l.truck.Values["supply"] = 0.05 * float64(v)
		}
	case engineSpeed:
		if v, ok := wide(3); ok {
			l.truck.Values["rpm"] = float64(v) / 8
		}
	case ambient:
		if v, ok := wide(3); ok {
			l.truck.Values["ambient"] = float64(v)/32 - 273
		}
	case activeCodes:
		l.codes(b)
	default:
		return
	}
	l.frames++
}

// codes reads DM1: two bytes of lamps, then four bytes a code. One code of noughts is none.
func (l *Listener) codes(b []byte) {
	if len(b) < 6 {
		return
	}
	l.truck.Codes, l.truck.Heard = nil, true
	for b = b[2:]; len(b) >= 4; b = b[4:] {
		c := TruckCode{Suspect: uint32(b[0]) | uint32(b[1])<<8 | uint32(b[2]>>5)<<16, Failure: b[2] & 0x1F, Count: b[3] & 0x7F}
		if c.Suspect == 0 && c.Failure == 0 || c.Suspect == 0x7FFFF {
			continue
		}
		l.truck.Codes = append(l.truck.Codes, c)
	}
}

// heardWithin is how long a bus is listened to before anything is sent on it: a truck sends its engine's values several times in that.
const heardWithin = 1200 * time.Millisecond

// SpeaksJ1939 listens for a moment, and tells whether a truck's values are sent on a bus. Nothing is to be sent where they are.
func SpeaksJ1939(ctx context.Context, bus can.Bus) (*Listener, bool) {
	timer := time.NewTimer(heardWithin)
	defer timer.Stop()
	l := &Listener{bus: bus, truck: Truck{Values: map[string]float64{}}, parts: map[byte]*packets{}, done: make(chan struct{})}
	for {
		select {
		case f, open := <-bus.Frames():
			if !open {
				return nil, false
			}
			if l.hear(f, time.Now()); l.frames > 0 {
				return Listen(ctx, bus), true
			}
		case <-timer.C:
			return nil, false
		case <-ctx.Done():
			return nil, false
		}
	}
}
