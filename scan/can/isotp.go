package can

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"
)

// MostBytes is the longest message of ISO 15765-2 with a length of twelve bits.
const MostBytes = 4095

// Times of ISO 15765-2: until a flow control comes (N_Bs), until the next frame of a message comes (N_Cr), and how often a receiver may
// ask to be waited for.
const (
	flowWithin = time.Second
	nextWithin = time.Second
	mostWaits  = 10
)

// Kinds of frame, the upper half of the first byte, and states of flow control.
const (
	single      = 0x0
	first       = 0x1
	consecutive = 0x2
	flow        = 0x3

	goOn     = 0x0
	wait     = 0x1
	overflow = 0x2

	padding = 0xCC // what fills a frame up; every frame here has eight bytes (ISO 15765-4)
)

// Ends are the identifiers of a conversation: to the control unit and back.
type Ends struct {
	To, From uint32
	Extended bool // of 29 bits
}

// Link carries messages to one control unit over a bus, by ISO 15765-2 with normal addressing.
type Link struct {
	bus      Bus
	ends     Ends
	messages chan []byte

	mu   sync.Mutex // one message out at a time
	flow chan [3]byte

	part []byte // of the message that comes in
	want int
	next byte
	late *time.Timer
}

// NewLink begins a conversation on a bus that nobody else reads from; it ends with the bus, or by Close.
func NewLink(bus Bus, ends Ends) *Link {
	l := &Link{bus: bus, ends: ends, messages: make(chan []byte, 64), flow: make(chan [3]byte, 1), late: time.NewTimer(time.Hour)}
	go l.read()
	return l
}

// Messages gives what comes back, in its order; closed once the bus has gone.
func (l *Link) Messages() <-chan []byte { return l.messages }

// Close leaves the bus.
func (l *Link) Close() { l.bus.Close() }

func (l *Link) read() {
	defer close(l.messages)
	for {
		select {
		case f, open := <-l.bus.Frames():
			if !open {
				return
			}
			if f.ID == l.ends.From && f.IsExtended == l.ends.Extended && !f.IsRemote && f.Length > 0 {
				l.hear(f.Data[:f.Length])
			}
		case <-l.late.C:
			l.part = nil // the rest of a message did not come
		}
	}
}

// hear takes one frame of the control unit.
func (l *Link) hear(b []byte) {
	switch b[0] >> 4 {
	case single:
		if n := int(b[0] & 0x0F); n > 0 && n < len(b) {
			l.part = nil
			l.give(b[1 : 1+n])
		}
	case first:
		if len(b) < 8 {
			return
		}
		n := int(b[0]&0x0F)<<8 | int(b[1])
		if n <= 7 {
			return // it would have been a single frame
		}
		l.part, l.want, l.next = append([]byte{}, b[2:8]...), n, 1
		l.late.Reset(nextWithin)
		_ = l.frame(context.Background(), []byte{flow<<4 | goOn, 0, 0}) // all of them, as fast as can be; a lost bus ends the reading
	case consecutive:
		if l.part == nil {
			return
		}
		if b[0]&0x0F != l.next {
			l.part = nil // one was lost, and with it the message
			return
		}
		l.next = (l.next + 1) & 0x0F
		l.part = append(l.part, b[1:min(len(b), 1+l.want-len(l.part))]...)
		l.late.Reset(nextWithin)
		if len(l.part) >= l.want {
			l.give(l.part)
			l.part = nil
		}
	case flow:
		if len(b) >= 3 {
			select {
			case l.flow <- [3]byte{b[0] & 0x0F, b[1], b[2]}:
			default:
			}
		}
	}
}

func (l *Link) give(b []byte) {
	select {
	case l.messages <- append([]byte{}, b...):
	default:
	}
}

// frame puts bytes on the bus, filled up to eight.
func (l *Link) frame(ctx context.Context, b []byte) error { return l.frameTo(ctx, l.ends.To, b) }

func (l *Link) frameTo(ctx context.Context, id uint32, b []byte) error {
	full := append([]byte{}, b...)
	for len(full) < 8 {
		full = append(full, padding)
	}
	f, err := frameOf(id, l.ends.Extended, full)
	if err != nil {
		return err
	}
	return l.bus.Send(ctx, f)
}

// Send puts a message on its way: in one frame, or in several as the receiver lets them come.
func (l *Link) Send(ctx context.Context, b []byte) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(b) == 0 || len(b) > MostBytes {
		return fmt.Errorf("a message has 1 to %d bytes, not %d", MostBytes, len(b))
	}
	if len(b) <= 7 {
		return l.frame(ctx, append([]byte{byte(len(b))}, b...))
	}
	select {
	case <-l.flow: // one that nobody waits for any more
	default:
	}
	if err := l.frame(ctx, append([]byte{first<<4 | byte(len(b)>>8), byte(len(b))}, b[:6]...)); err != nil {
		return err
	}
	rest, number := b[6:], byte(1)
	for len(rest) > 0 {
		block, pause, err := l.mayGoOn(ctx)
		if err != nil {
			return err
		}
		for n := 0; len(rest) > 0 && (block == 0 || n < block); n++ {
			if pause > 0 && number != 1 {
				if err := sleep(ctx, pause); err != nil {
					return err
				}
			}
			k := min(7, len(rest))
			if err := l.frame(ctx, append([]byte{consecutive<<4 | number}, rest[:k]...)); err != nil {
				return err
			}
			rest, number = rest[k:], (number+1)&0x0F
		}
	}
	return nil
}

// errFlow is a control unit that does not take a message.
var errFlow = errors.New("the control unit does not take a long message")

// mayGoOn waits for a flow control: how many frames may come, and how long lies between two.
func (l *Link) mayGoOn(ctx context.Context) (block int, pause time.Duration, err error) {
	for range mostWaits {
		timer := time.NewTimer(flowWithin)
		select {
		case f := <-l.flow:
			timer.Stop()
			switch f[0] {
			case goOn:
				return int(f[1]), separation(f[2]), nil
			case wait:
				continue
			}
			return 0, 0, errFlow
		case <-timer.C:
			return 0, 0, errFlow
		case <-ctx.Done():
			timer.Stop()
			return 0, 0, ctx.Err()
		}
	}
	return 0, 0, errFlow
}

// separation is STmin: milliseconds, or hundreds of microseconds; a reserved figure counts as the longest.
func separation(b byte) time.Duration {
	switch {
	case b <= 0x7F:
		return time.Duration(b) * time.Millisecond
	case b >= 0xF1 && b <= 0xF9:
		return time.Duration(b-0xF0) * 100 * time.Microsecond
	}
	return 127 * time.Millisecond
}

func sleep(ctx context.Context, d time.Duration) error {
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-timer.C:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Functional asks all control units at once, in a single frame, and lists the identifiers of those that answer within a time, each with
// the message that it began with. It reads the bus itself, before a link does. ends.From says nothing here: it is what is found.
func Functional(ctx context.Context, bus Bus, ends Ends, request []byte, within time.Duration) (map[uint32][]byte, error) {
	if len(request) == 0 || len(request) > 7 {
		return nil, fmt.Errorf("what all are asked fits into one frame; %d bytes do not", len(request))
	}
	l := &Link{bus: bus, ends: Ends{To: ends.To, Extended: ends.Extended}}
	if err := l.frame(ctx, append([]byte{byte(len(request))}, request...)); err != nil {
		return nil, err
	}
	found := map[uint32][]byte{}
	timer := time.NewTimer(within)
	defer timer.Stop()
	for {
		select {
		case f, open := <-bus.Frames():
			if !open {
				return found, ErrGone
			}
			if f.IsExtended != ends.Extended || f.IsRemote || f.Length < 2 || !answersFunctional(f.ID, ends.Extended) {
				continue
			}
			if n := int(f.Data[0]); n >= 1 && n < int(f.Length) && f.Data[1] == request[0]|0x40 {
				found[f.ID] = append([]byte{}, f.Data[1:1+n]...)
			}
		case <-timer.C:
			return found, nil
		case <-ctx.Done():
			return found, ctx.Err()
		}
	}
}

// Identifiers of emissions diagnostics (ISO 15765-4): to all, and from those that answer.
const (
	ToAll         uint32 = 0x7DF
	ToAllExtended uint32 = 0x18DB33F1

	firstAnswers uint32 = 0x7E8
	lastAnswers  uint32 = 0x7EF
)

func answersFunctional(id uint32, extended bool) bool {
	if extended {
		return id&0xFFFFFF00 == 0x18DAF100
	}
	return id >= firstAnswers && id <= lastAnswers
}

// EndsOf are the ends of a conversation with the control unit that answers under an identifier.
func EndsOf(from uint32, extended bool) Ends {
	if extended { // its own address and the tester's change places
		return Ends{To: 0x18DA0000 | from&0xFF<<8 | from>>8&0xFF, From: from, Extended: true}
	}
	return Ends{To: from - 8, From: from}
}
