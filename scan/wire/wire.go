// Package wire tells whoever asks what is sent to a vehicle, and what a simulated one sends.
//
// In go frames on their way out, as bytes; out they go again to one that watches, and in a workshop nobody does. The one idea: what the
// tests say of a frame is said by the code that made it, so the bytes themselves are shown to a program that shares nothing with it.
package wire

import "sync/atomic"

// Way is how a frame travels.
type Way int

const (
	Stream   Way = iota // in a connection by TCP
	Datagram            // by UDP
	Bus                 // on a CAN bus
)

// Sent is one frame that went out.
type Sent struct {
	Way    Way
	Tester bool   // from the tester, else from the vehicle
	Link   string // the connection, by any name that no other has
	Data   []byte // the frame as it is on the wire; on a bus its bytes alone

	ID       uint32 // on a bus
	Extended bool   // its identifier has 29 bits, not 11
}

var watching atomic.Pointer[func(Sent)]

// Watch has f told of every frame that goes out from now on, from several sides at once; nil ends it.
func Watch(f func(Sent)) {
	if f == nil {
		watching.Store(nil)
		return
	}
	watching.Store(&f)
}

// Tell is for whoever sends: the frame has gone out.
func Tell(s Sent) {
	if f := watching.Load(); f != nil {
		(*f)(s)
	}
}
