// Package doip speaks diagnostics over IP, ISO 13400-2: the frames that carry a diagnostic message between a tester and a
// vehicle on a network.
//
// In goes a connection, out come messages. The one idea: a frame is eight bytes of header (version, its inverse, a type, a
// length) and a body; everything here is the reading and writing of those, with a bound on every length. What a diagnostic
// message means is said elsewhere (package uds).
package doip

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
)

// Type is what a frame is.
type Type uint16

// Types of frame (ISO 13400-2:2019, table 17; figures from memory).
const (
	NegativeAck        Type = 0x0000 // of the header
	IdentifyRequest    Type = 0x0001
	IdentifyByEntity   Type = 0x0002
	IdentifyByNumber   Type = 0x0003
	Announcement       Type = 0x0004 // and the answer to IdentifyRequest
	ActivationRequest  Type = 0x0005
	ActivationResponse Type = 0x0006
	AliveRequest       Type = 0x0007
	AliveResponse      Type = 0x0008
	StatusRequest      Type = 0x4001 // of the entity: what it is, and how many testers it has
	StatusResponse     Type = 0x4002
	PowerRequest       Type = 0x4003
	PowerResponse      Type = 0x4004
	Diagnostic         Type = 0x8001
	DiagnosticAck      Type = 0x8002
	DiagnosticNack     Type = 0x8003
)

// Version is the protocol version written in frames (ISO 13400-2:2012); 0xFF stands in an identification request of a
// tester that does not know the vehicle's.
const (
	Version    = 0x02
	AnyVersion = 0xFF
)

const headerBytes = 8

// MostBytes bounds a frame's body: the largest diagnostic message that a vehicle of this kind gives is far below it.
const MostBytes = 64 << 10

// Port is the one that the standard gives, TCP and UDP.
const Port = 13400

// Codes of the negative acknowledgement of a header.
const (
	BadPattern  byte = 0x00
	UnknownType byte = 0x01
	TooLarge    byte = 0x02
	BadLength   byte = 0x04
)

// Codes of an answer to a routing activation.
const (
	Activated        byte = 0x10
	Confirming       byte = 0x11 // somebody has to confirm it at the vehicle; another answer follows
	DeniedUnknown    byte = 0x00 // the tester's address is not known
	DeniedNoSocket   byte = 0x01 // another tester is connected
	DeniedInUse      byte = 0x03
	DeniedUnfinished byte = 0x04
	DeniedKind       byte = 0x06
)

// activationWords says what each of them means.
var activationWords = map[byte]string{
	DeniedUnknown:  "the vehicle does not know this tester's address",
	DeniedNoSocket: "another tester is connected to the vehicle", DeniedInUse: "another tester is connected under this address",
	DeniedUnfinished: "the vehicle asks for authentication, which this tester does not have", 0x06: "this kind of activation is not supported",
}

// ActivationWords says why a routing activation was refused.
func ActivationWords(code byte) string {
	if words := activationWords[code]; words != "" {
		return words
	}
	return fmt.Sprintf("the vehicle refuses the connection (code 0x%02X)", code)
}

// NackWords says why a diagnostic message was not delivered.
func NackWords(code byte) string {
	words := map[byte]string{
		0x02: "the tester's address is not the one that was activated", 0x03: "there is no control unit at this address",
		0x04: "the message is too long", 0x05: "the vehicle has no room for the message", 0x06: "the control unit cannot be reached",
	}[code]
	if words == "" {
		return fmt.Sprintf("the vehicle did not deliver the message (code 0x%02X)", code)
	}
	return words
}

// Frame is one frame.
type Frame struct {
	Type Type
	Body []byte
}

// Bytes writes the frame.
func (f Frame) Bytes() []byte { return f.BytesAs(Version) }

// BytesAs writes it under another version: [AnyVersion] in an identification request.
func (f Frame) BytesAs(version byte) []byte {
	b := make([]byte, headerBytes, headerBytes+len(f.Body))
	b[0], b[1] = version, ^version
	binary.BigEndian.PutUint16(b[2:], uint16(f.Type))
	binary.BigEndian.PutUint32(b[4:], uint32(len(f.Body)))
	return append(b, f.Body...)
}

// ErrPattern is a header that is none, after which nothing more can be read from a connection.
var ErrPattern = errors.New("these are no diagnostics over IP: the first two bytes are not a version and its inverse")

// ErrTooLarge is a body longer than [MostBytes].
var ErrTooLarge = fmt.Errorf("a frame is longer than %d bytes", MostBytes)

// Read reads a frame from a stream. A body that is too long is not read.
func Read(r io.Reader) (Frame, error) {
	var h [headerBytes]byte
	if _, err := io.ReadFull(r, h[:]); err != nil {
		return Frame{}, err
	}
	f, length, err := header(h[:])
	if err != nil {
		return f, err
	}
	f.Body = make([]byte, length)
	if _, err := io.ReadFull(r, f.Body); err != nil {
		if errors.Is(err, io.EOF) {
			err = io.ErrUnexpectedEOF
		}
		return f, err
	}
	return f, nil
}

// Parse reads a frame that came as one datagram.
func Parse(b []byte) (Frame, error) {
	if len(b) < headerBytes {
		return Frame{}, fmt.Errorf("a datagram of %d bytes is shorter than a header", len(b))
	}
	f, length, err := header(b)
	if err != nil {
		return f, err
	}
	if int(length) != len(b)-headerBytes {
		return f, fmt.Errorf("the header says %d bytes, and %d came", length, len(b)-headerBytes)
	}
	f.Body = b[headerBytes:]
	return f, nil
}

func header(h []byte) (f Frame, length uint32, err error) {
	if h[0] != ^h[1] {
		return f, 0, ErrPattern
	}
	f.Type = Type(binary.BigEndian.Uint16(h[2:]))
	if length = binary.BigEndian.Uint32(h[4:]); length > MostBytes {
		return f, 0, ErrTooLarge
	}
	return f, length, nil
}

// Message is a diagnostic message from one address to another.
type Message struct {
	From, To uint16
	Data     []byte
}

// Frame writes the message.
func (m Message) Frame() Frame {
	b := make([]byte, 4, 4+len(m.Data))
	binary.BigEndian.PutUint16(b, m.From)
	binary.BigEndian.PutUint16(b[2:], m.To)
	return Frame{Diagnostic, append(b, m.Data...)}
}

// MessageOf reads a diagnostic message.
func MessageOf(f Frame) (Message, error) {
	if f.Type != Diagnostic || len(f.Body) < 5 {
		return Message{}, fmt.Errorf("a diagnostic message has two addresses and at least one byte; this frame has %d bytes", len(f.Body))
	}
	return Message{binary.BigEndian.Uint16(f.Body), binary.BigEndian.Uint16(f.Body[2:]), f.Body[4:]}, nil
}

// Activation asks for a connection to be used for diagnostics: the tester's address, the default kind of activation and
// the four reserved bytes.
func Activation(tester uint16) Frame {
	b := make([]byte, 7)
	binary.BigEndian.PutUint16(b, tester)
	return Frame{ActivationRequest, b}
}

// Activate answers it: the tester's address, the vehicle's own, the code and four reserved bytes.
func Activate(tester, vehicle uint16, code byte) Frame {
	b := make([]byte, 9)
	binary.BigEndian.PutUint16(b, tester)
	binary.BigEndian.PutUint16(b[2:], vehicle)
	b[4] = code
	return Frame{ActivationResponse, b}
}

// Ack tells that a message has reached its control unit, or, with a code, why not. It goes from the control unit to the
// tester.
func Ack(m Message, code byte) Frame {
	f := Frame{DiagnosticAck, make([]byte, 5)}
	if code != 0 {
		f.Type = DiagnosticNack
	}
	binary.BigEndian.PutUint16(f.Body, m.To)
	binary.BigEndian.PutUint16(f.Body[2:], m.From)
	f.Body[4] = code
	return f
}

// Identity is what a vehicle says of itself.
type Identity struct {
	VIN     string // seventeen characters
	Address uint16
	Entity  [6]byte
}

const vinBytes = 17

// Announce writes it: identification number, address, entity and group identification, and no further action.
func (id Identity) Announce() Frame {
	b := make([]byte, vinBytes+2+6+6+1)
	copy(b[:vinBytes], id.VIN)
	binary.BigEndian.PutUint16(b[vinBytes:], id.Address)
	copy(b[vinBytes+2:], id.Entity[:])
	copy(b[vinBytes+8:], id.Entity[:])
	return Frame{Announcement, b}
}

// IdentityOf reads it.
func IdentityOf(f Frame) (Identity, error) {
	if f.Type != Announcement || len(f.Body) < vinBytes+2+6+6+1 {
		return Identity{}, fmt.Errorf("this is no vehicle's announcement (%d bytes)", len(f.Body))
	}
	id := Identity{VIN: string(f.Body[:vinBytes]), Address: binary.BigEndian.Uint16(f.Body[vinBytes:])}
	copy(id.Entity[:], f.Body[vinBytes+2:])
	return id, nil
}
