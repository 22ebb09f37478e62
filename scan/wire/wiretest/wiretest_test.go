package wiretest

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/scan/wire"
)

// Frames typed as bytes from ISO 13400-2, ISO 15765-2 and SAE J1939 (from memory), whole and then spoiled: what is spoiled is found.
func TestWhatIsSpoiledIsFound(t *testing.T) {
	if testing.Short() {
		t.Skip("another program is run")
	}
	session := []byte{0x02, 0xFD, 0x80, 0x01, 0, 0, 0, 6, 0x0E, 0x00, 0x10, 0x01, 0x10, 0x03}
	stream := wire.Sent{Way: wire.Stream, Tester: true, Link: "a", Data: session}
	bus := wire.Sent{Way: wire.Bus, ID: 0x7E0, Data: []byte{2, 1, 5, 0xCC, 0xCC, 0xCC, 0xCC, 0xCC}}
	truck := wire.Sent{Way: wire.Bus, Extended: true, ID: 0x18FEEE00, Data: []byte{130, 255, 255, 255, 255, 255, 255, 255}}
	good := keeper{sent: []wire.Sent{stream, bus, truck}, count: [3]int{1, 0, 1}}
	said, err := good.judge([]wire.Way{wire.Stream, wire.Bus})
	require.NoError(t, err)
	assert.Contains(t, said, "0 malformed")
	for what, spoil := range map[string]func() wire.Sent{
		"a version whose inverse is another": func() wire.Sent { return with(stream, 1, 0x00) },
		"a length beyond the frame":          func() wire.Sent { return with(stream, 7, 60) },
		"a type that there is none of":       func() wire.Sent { return with(stream, 2, 0x55) },
		"a frame of no kind on a bus":        func() wire.Sent { return with(bus, 0, 0xF0) },
	} {
		k := keeper{sent: []wire.Sent{spoil()}, count: [3]int{1, 0, 1}}
		_, err := k.judge(nil)
		assert.Error(t, err, what)
	}
	_, err = good.judge([]wire.Way{wire.Datagram})
	assert.ErrorContains(t, err, "no frame went by UDP")
}

// with is a frame with another byte at a place.
func with(s wire.Sent, at int, b byte) wire.Sent {
	s.Data = append([]byte{}, s.Data...)
	s.Data[at] = b
	return s
}
