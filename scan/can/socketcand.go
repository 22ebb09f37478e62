package can

import (
	"bufio"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Bounds of a bus that is reached over the network.
const (
	dialWithin  = 4 * time.Second
	speakWithin = 2 * time.Second
	mostHeard   = 1024 // frames that nobody has taken yet; what comes beyond them is lost
	longestWord = 512  // bytes of one message of the daemon
)

// netBus is a bus behind a daemon that hands frames on: each message is words between "<" and ">".
type netBus struct {
	conn   net.Conn
	in     *bufio.Reader
	frames chan Frame
	write  sync.Mutex
}

// Dial reaches a bus over the network: the daemon's address, and the name that it has for the bus.
func Dial(ctx context.Context, address, bus string) (Bus, error) {
	if bus == "" || strings.ContainsAny(bus, " <>\t\n") || len(bus) > 32 {
		return nil, fmt.Errorf("%q is no name of a bus; write it as can0", bus)
	}
	d := net.Dialer{Timeout: dialWithin}
	conn, err := d.DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, fmt.Errorf("no CAN bus is handed on at %s: %w", address, err)
	}
	b := &netBus{conn: conn, in: bufio.NewReaderSize(conn, 4096), frames: make(chan Frame, mostHeard)}
	if err := b.open(bus); err != nil {
		_ = conn.Close() // nothing was begun
		return nil, err
	}
	go b.read()
	return b, nil
}

// open greets the daemon, opens the bus, and asks for frames as they come.
func (b *netBus) open(bus string) error {
	if err := b.conn.SetDeadline(time.Now().Add(dialWithin)); err != nil {
		return ErrGone
	}
	for _, step := range []struct{ say, want string }{{"", "hi"}, {"open " + bus, "ok"}, {"rawmode", "ok"}} {
		if step.say != "" {
			if _, err := fmt.Fprintf(b.conn, "< %s >", step.say); err != nil {
				return ErrGone
			}
		}
		words, err := b.message()
		if err != nil {
			return fmt.Errorf("what answers there hands on no CAN bus: %w", err)
		}
		if len(words) == 0 || words[0] != step.want {
			return fmt.Errorf("the bus %s is not handed on there (%s)", bus, strings.Join(words, " "))
		}
	}
	return b.conn.SetDeadline(time.Time{})
}

// message reads what stands between the next "<" and ">".
func (b *netBus) message() ([]string, error) {
	for {
		c, err := b.in.ReadByte()
		if err != nil {
			return nil, err
		}
		if c == '<' {
			break
		}
	}
	var text []byte
	for {
		c, err := b.in.ReadByte()
		switch {
		case err != nil:
			return nil, err
		case c == '>':
			return strings.Fields(string(text)), nil
		case len(text) >= longestWord:
			return nil, errors.New("a message is longer than any is")
		}
		text = append(text, c)
	}
}

func (b *netBus) read() {
	defer close(b.frames)
	for {
		words, err := b.message()
		if err != nil {
			_ = b.conn.Close() // nothing can be read any more
			return
		}
		f, ok := frameIn(words)
		if !ok {
			continue
		}
		select {
		case b.frames <- f:
		default:
		}
	}
}

// frameIn reads "frame 7E8 23.4242 03 41 05 7B": the identifier has eight figures where it is of 29 bits; the bytes may stand apart or
// together.
func frameIn(words []string) (Frame, bool) {
	if len(words) < 3 || words[0] != "frame" {
		return Frame{}, false
	}
	id, err := strconv.ParseUint(words[1], 16, 32)
	if err != nil {
		return Frame{}, false
	}
	data, err := bytesIn(words[3:])
	if err != nil {
		return Frame{}, false
	}
	f, err := frameOf(uint32(id), len(words[1]) > 3, data)
	return f, err == nil
}

// bytesIn reads bytes in hexadecimal figures: each by itself, of one figure or two, or all together.
func bytesIn(words []string) ([]byte, error) {
	if slices.ContainsFunc(words, func(w string) bool { return len(w) > 2 }) {
		return hex.DecodeString(strings.Join(words, ""))
	}
	list := make([]byte, 0, len(words))
	for _, w := range words {
		v, err := strconv.ParseUint(w, 16, 8)
		if err != nil {
			return nil, fmt.Errorf("%q is no byte", w)
		}
		list = append(list, byte(v))
	}
	return list, nil
}

// FrameWords writes a frame as the daemon hands it on; at is seconds.
func FrameWords(f Frame, at float64) string {
	return fmt.Sprintf("< frame %s %.6f %s >", identifier(f), at, strings.ToUpper(hex.EncodeToString(f.Data[:f.Length])))
}

func identifier(f Frame) string {
	if f.IsExtended {
		return fmt.Sprintf("%08X", f.ID)
	}
	return fmt.Sprintf("%03X", f.ID)
}

// SendWords reads "send 7DF 8 02 01 05 ...", as a client of the daemon says it.
func SendWords(words []string) (Frame, error) {
	if len(words) < 3 || words[0] != "send" {
		return Frame{}, errors.New("a frame is sent as: send ID LENGTH and its bytes")
	}
	id, err := strconv.ParseUint(words[1], 16, 32)
	if err != nil {
		return Frame{}, fmt.Errorf("%q is no identifier", words[1])
	}
	length, err := strconv.Atoi(words[2])
	data, wrong := bytesIn(words[3:])
	if err != nil || wrong != nil || length != len(data) {
		return Frame{}, errors.New("the bytes are not as many as is said, or none")
	}
	return frameOf(uint32(id), len(words[1]) > 3, data)
}

// Message reads the words of the next message between "<" and ">" from a stream.
func Message(r *bufio.Reader) ([]string, error) { return (&netBus{in: r}).message() }

func (b *netBus) Send(_ context.Context, f Frame) error {
	var bytes []string
	for _, x := range f.Data[:f.Length] {
		bytes = append(bytes, fmt.Sprintf("%02X", x))
	}
	b.write.Lock()
	defer b.write.Unlock()
	if err := b.conn.SetWriteDeadline(time.Now().Add(speakWithin)); err != nil {
		return ErrGone
	}
	if _, err := io.WriteString(b.conn, fmt.Sprintf("< send %s %d %s >", identifier(f), f.Length, strings.Join(bytes, " "))); err != nil {
		return ErrGone
	}
	tell(f, true)
	return nil
}

func (b *netBus) Frames() <-chan Frame { return b.frames }

func (b *netBus) Close() { _ = b.conn.Close() } // ends the reading
