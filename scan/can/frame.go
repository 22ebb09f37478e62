// Package can speaks CAN: single frames, the network form in which they are handed on (the open protocol of a CAN socket's daemon), and
// ISO 15765-2, by which messages that are longer than a frame are cut into several.
//
// In goes a bus, out come frames and messages. The one idea: a bus is only frames out and frames in; everything above it, the cutting and
// the waiting, is here once and knows nothing of how a frame travels.
package can

import (
	"context"
	"errors"
	"fmt"

	einride "go.einride.tech/can"

	"ironthread/scan/wire"
)

// Frame is one frame: an identifier of 11 bits, or of 29, and up to eight bytes.
type Frame = einride.Frame

// Bus is where frames go out and come in.
type Bus interface {
	// Send puts a frame on the bus.
	Send(ctx context.Context, f Frame) error
	// Frames gives what is heard, in its order; closed once the bus has gone.
	Frames() <-chan Frame
	// Close leaves the bus.
	Close()
}

// ErrGone is a bus that is not there any more.
var ErrGone = errors.New("the CAN bus is not reached any more")

// tell is for whoever puts a frame on a bus: it has gone out.
func tell(f Frame, tester bool) {
	wire.Tell(wire.Sent{Way: wire.Bus, Tester: tester, ID: f.ID, Extended: f.IsExtended, Data: f.Data[:f.Length]})
}

// frameOf makes a frame of an identifier and its bytes.
func frameOf(id uint32, extended bool, b []byte) (Frame, error) {
	f := Frame{ID: id, IsExtended: extended, Length: uint8(min(len(b), 8))}
	if len(b) > 8 {
		return f, fmt.Errorf("a frame has up to 8 bytes, not %d", len(b))
	}
	copy(f.Data[:], b)
	if err := f.Validate(); err != nil {
		return f, fmt.Errorf("that is no frame: %w", err)
	}
	return f, nil
}
