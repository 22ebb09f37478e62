package can_test

import (
	"bufio"
	"bytes"
	"context"
	"io"
	"net"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/library/librarytest"
	"ironthread/scan/can"
	sent "ironthread/scan/wire"
	"ironthread/scan/wire/wiretest"
	"ironthread/soak"
)

func TestMain(m *testing.M) { os.Exit(wiretest.Main(m.Run, sent.Bus)) }

// wire is a bus that a test holds both ends of.
type wire struct {
	in, out chan can.Frame
}

// Send is told as a bus of the product's tells it.
func (w *wire) Send(_ context.Context, f can.Frame) error {
	sent.Tell(sent.Sent{Way: sent.Bus, ID: f.ID, Extended: f.IsExtended, Data: f.Data[:f.Length]})
	w.out <- f
	return nil
}

func (w *wire) Frames() <-chan can.Frame { return w.in }
func (w *wire) Close()                   {}

func newWire() *wire { return &wire{make(chan can.Frame, 4096), make(chan can.Frame, 4096)} }

func frame(id uint32, data ...byte) can.Frame {
	f := can.Frame{ID: id, Length: uint8(len(data))}
	copy(f.Data[:], data)
	return f
}

var ends = can.Ends{To: 0x7E0, From: 0x7E8}

// A message of three frames, byte for byte as ISO 15765-2 cuts it (from memory): a first frame with its twelve bits of length, a flow
// control that lets two come at a time, consecutive frames numbered from one.
func TestFramesByteForByte(t *testing.T) {
	w := newWire()
	l := can.NewLink(w, ends)
	done := make(chan error, 1)
	go func() { done <- l.Send(t.Context(), []byte("ABCDEFGHIJKLMNOPQRST")) }()
	assert.Equal(t, [8]byte{0x10, 20, 'A', 'B', 'C', 'D', 'E', 'F'}, [8]byte((<-w.out).Data))
	w.in <- frame(0x7E8, 0x31, 0, 0) // wait
	w.in <- frame(0x7E8, 0x30, 1, 0) // one
	assert.Equal(t, [8]byte{0x21, 'G', 'H', 'I', 'J', 'K', 'L', 'M'}, [8]byte((<-w.out).Data))
	w.in <- frame(0x7E8, 0x30, 0, 0) // all
	assert.Equal(t, [8]byte{0x22, 'N', 'O', 'P', 'Q', 'R', 'S', 'T'}, [8]byte((<-w.out).Data))
	require.NoError(t, <-done)
	require.NoError(t, l.Send(t.Context(), []byte{0x3E, 0x80}))
	assert.Equal(t, [8]byte{2, 0x3E, 0x80, 0xCC, 0xCC, 0xCC, 0xCC, 0xCC}, [8]byte((<-w.out).Data))
	go func() { done <- l.Send(t.Context(), make([]byte, 30)) }()
	<-w.out
	w.in <- frame(0x7E8, 0x32, 0, 0) // no room
	require.ErrorContains(t, <-done, "does not take a long message")

	// The other way: what comes in is asked for, put together, and given; a frame that is missing loses the message, not the link.
	w.in <- frame(0x7E8, 0x10, 10, 1, 2, 3, 4, 5, 6)
	assert.Equal(t, [8]byte{0x30, 0, 0, 0xCC, 0xCC, 0xCC, 0xCC, 0xCC}, [8]byte((<-w.out).Data))
	w.in <- frame(0x7E8, 0x21, 7, 8, 9, 10, 0x55, 0x55, 0x55)
	assert.Equal(t, []byte{1, 2, 3, 4, 5, 6, 7, 8, 9, 10}, <-l.Messages())
	w.in <- frame(0x7E8, 0x10, 20, 1, 2, 3, 4, 5, 6)
	<-w.out
	w.in <- frame(0x7E8, 0x22, 7, 8, 9, 10, 11, 12, 13)
	w.in <- frame(0x7E9, 2, 0x41, 0)
	w.in <- frame(0x7E8, 2, 0x41, 1)
	assert.Equal(t, []byte{0x41, 1}, <-l.Messages())
	assert.Error(t, l.Send(t.Context(), nil))
	assert.Error(t, l.Send(t.Context(), make([]byte, can.MostBytes+1)))
}

// The longest message there is goes out and comes in whole.
func TestTheLongestMessage(t *testing.T) {
	a, b := newWire(), &wire{}
	b.in, b.out = a.out, a.in
	one, two := can.NewLink(a, ends), can.NewLink(b, can.Ends{To: ends.From, From: ends.To})
	long := make([]byte, can.MostBytes)
	for i := range long {
		long[i] = byte(i * 7)
	}
	require.NoError(t, one.Send(t.Context(), long))
	assert.Equal(t, long, <-two.Messages())
}

func TestEnds(t *testing.T) {
	assert.Equal(t, can.Ends{To: 0x7E2, From: 0x7EA}, can.EndsOf(0x7EA, false))
	assert.Equal(t, can.Ends{To: 0x18DA10F1, From: 0x18DAF110, Extended: true}, can.EndsOf(0x18DAF110, true))
}

// The words of the daemon, and what is none of them.
func TestWordsOfTheDaemon(t *testing.T) {
	f, err := can.SendWords(strings.Fields("send 7DF 3 2 1 5"))
	require.NoError(t, err)
	assert.Equal(t, "< frame 7DF 1.500000 020105 >", can.FrameWords(f, 1.5))
	f, err = can.SendWords(strings.Fields("send 18DB33F1 2 01FF"))
	require.NoError(t, err)
	assert.True(t, f.IsExtended)
	for _, bad := range []string{"", "send", "send 7DF 8 1 2", "send XYZ 1 1", "send 7DF 1 GG", "send FFFFFFFFF 1 1",
		"send 7DF 9 1 2 3 4 5 6 7 8 9"} {
		_, err := can.SendWords(strings.Fields(bad))
		assert.Error(t, err, bad)
	}
	for _, greeting := range []string{"HTTP/1.1 400 Bad Request\r\n\r\n", "< no >", "< " + strings.Repeat("x", 2000) + " >", ""} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		go func() {
			c, err := l.Accept()
			if err == nil {
				_, _ = io.WriteString(c, greeting)
				_ = c.Close()
			}
		}()
		_, err = can.Dial(t.Context(), l.Addr().String(), "can0")
		assert.Error(t, err, greeting)
		require.NoError(t, l.Close())
	}
	_, err = can.Dial(t.Context(), "127.0.0.1:1", "can 0")
	require.ErrorContains(t, err, "no name of a bus")
}

// Frames and the daemon's messages by chance do not stop anything.
func TestManyFrames(t *testing.T) {
	w := newWire()
	l := can.NewLink(w, ends)
	go func() {
		for range w.out { // flow controls
		}
	}()
	go func() {
		for range l.Messages() {
		}
	}()
	seeds := [][]byte{{0x10, 20, 1, 2, 3, 4, 5, 6}, {0x21, 1, 2, 3, 4, 5, 6, 7}, {0x30, 2, 10}, {3, 0x41, 5, 0x7B},
		[]byte("< send 7DF 3 2 1 5 >")}
	librarytest.Many(t, seeds, func(b []byte) {
		w.in <- frame(0x7E8, b[:min(len(b), 8)]...)
		if words, err := can.Message(bufio.NewReader(bytes.NewReader(b))); err == nil {
			_, _ = can.SendWords(words)
		}
	})
	soak.Await(t, "the frames taken", func() bool { return len(w.in) == 0 })
}
