package can

import (
	"context"
	"fmt"

	"go.einride.tech/can/pkg/socketcan"
)

// linuxBus is an interface of this machine, by Linux's own sockets. It has never been run on hardware here.
type linuxBus struct {
	out    *socketcan.Transmitter
	in     *socketcan.Receiver
	frames chan Frame
}

// Open reaches a CAN interface of this machine, such as can0.
func Open(ctx context.Context, name string) (Bus, error) {
	conn, err := socketcan.DialContext(ctx, "can", name)
	if err != nil {
		return nil, fmt.Errorf("this machine has no CAN interface %q that can be used: %w", name, err)
	}
	b := &linuxBus{socketcan.NewTransmitter(conn), socketcan.NewReceiver(conn), make(chan Frame, mostHeard)}
	go func() {
		defer close(b.frames)
		for b.in.Receive() {
			if b.in.HasErrorFrame() {
				continue
			}
			select {
			case b.frames <- b.in.Frame():
			default:
			}
		}
	}()
	return b, nil
}

func (b *linuxBus) Send(ctx context.Context, f Frame) error {
	ctx, cancel := context.WithTimeout(ctx, speakWithin)
	defer cancel()
	if err := b.out.TransmitFrame(ctx, f); err != nil {
		return ErrGone
	}
	tell(f, true)
	return nil
}

func (b *linuxBus) Frames() <-chan Frame { return b.frames }

func (b *linuxBus) Close() { _ = b.in.Close() } // ends the receiving
