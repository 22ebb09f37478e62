// Package uds writes and reads unified diagnostic services, ISO 14229-1: the requests that a tester puts to a control unit
// and what it answers.
//
// In goes a request, out come its bytes, and the other way round. The one idea: a service is a byte, its answer the same
// byte with 0x40 added, a refusal 0x7F with the service and a reason; the reasons are here in words. How the bytes travel
// is said elsewhere (package doip).
package uds

import (
	"encoding/binary"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Service is the first byte of a request (ISO 14229-1:2020, table 2; figures from memory).
type Service byte

// The services that are used.
const (
	SessionControl   Service = 0x10
	ClearCodes       Service = 0x14
	ReadCodes        Service = 0x19
	ReadData         Service = 0x22
	SecurityAccess   Service = 0x27
	ControlOutput    Service = 0x2F
	Routine          Service = 0x31
	TesterPresent    Service = 0x3E
	positive                 = 0x40
	negative         byte    = 0x7F
	suppressPositive         = 0x80
)

// Services of emissions diagnostics (ISO 15031-5, SAE J1979), which nearly every car has.
const (
	CurrentData    Service = 0x01
	FrozenData     Service = 0x02
	StoredCodes    Service = 0x03
	ClearEmissions Service = 0x04
	PendingCodes   Service = 0x07
	VehicleData    Service = 0x09
	PermanentCodes Service = 0x0A
)

// Sessions.
const (
	DefaultSession  byte = 0x01
	ExtendedSession byte = 0x03
)

// Subfunctions of ReadCodes.
const (
	ByStatusMask byte = 0x02
	SnapshotOf   byte = 0x04
	ExtendedOf   byte = 0x06
)

// Parameters of ControlOutput.
const (
	ReturnControl   byte = 0x00
	ShortTermAdjust byte = 0x03
)

// Reason is why a request was refused.
type Reason byte

// Reasons (ISO 14229-1, annex A.1; figures from memory).
const (
	GeneralReject          Reason = 0x10
	NotSupported           Reason = 0x11
	SubfunctionUnsupported Reason = 0x12
	BadLength              Reason = 0x13
	Busy                   Reason = 0x21
	ConditionsNotMet       Reason = 0x22
	SequenceError          Reason = 0x24
	OutOfRange             Reason = 0x31
	AccessDenied           Reason = 0x33
	Pending                Reason = 0x78
	NotInThisSession       Reason = 0x7F
	EngineRunning          Reason = 0x83
	EngineNotRunning       Reason = 0x84
	TemperatureTooHigh     Reason = 0x86
	TemperatureTooLow      Reason = 0x87
	SpeedTooHigh           Reason = 0x88
	PedalNotReleased       Reason = 0x8A
	VoltageTooHigh         Reason = 0x92
	VoltageTooLow          Reason = 0x93
)

var reasonWords = map[Reason]string{
	GeneralReject: "the control unit refuses it without a reason", NotSupported: "the control unit does not know this service",
	SubfunctionUnsupported: "the control unit does not know this form of the service", BadLength: "the request has a wrong length",
	Busy: "the control unit is busy; ask again", ConditionsNotMet: "the conditions are not met (vehicle moving, engine, temperature, A/C)",
	SequenceError: "another request must come first", OutOfRange: "the control unit does not have this value or this output",
	AccessDenied: "the control unit asks for a key that this tester does not have", Pending: "the control unit has not finished yet",
	NotInThisSession: "not in this session: start the extended one first", EngineRunning: "not while the engine runs",
	EngineNotRunning: "only while the engine runs", TemperatureTooHigh: "the engine is too hot for it",
	TemperatureTooLow: "the engine is too cold for it", SpeedTooHigh: "not while the vehicle moves",
	PedalNotReleased: "release the pedal first", VoltageTooHigh: "the supply is too high for it",
	VoltageTooLow: "the supply is too low for it",
}

func (r Reason) String() string {
	if words := reasonWords[r]; words != "" {
		return words
	}
	return fmt.Sprintf("the control unit refuses it (reason 0x%02X)", byte(r))
}

// Refused is a request that was refused.
type Refused struct {
	Service Service
	Reason  Reason
}

func (r *Refused) Error() string { return r.Reason.String() }

// Refuse writes a refusal.
func Refuse(s Service, r Reason) []byte { return []byte{negative, byte(s), byte(r)} }

// Accept writes an answer.
func Accept(s Service, data ...byte) []byte { return append([]byte{byte(s) | positive}, data...) }

// Answer reads an answer to a service: what follows its first byte, or a [Refused].
func Answer(s Service, b []byte) ([]byte, error) {
	switch {
	case len(b) == 0:
		return nil, fmt.Errorf("the control unit gave an empty answer")
	case b[0] == negative && len(b) >= 3:
		return nil, &Refused{Service(b[1]), Reason(b[2])}
	case b[0] != byte(s)|positive:
		return nil, fmt.Errorf("the control unit answers something else than was asked (0x%02X to 0x%02X)", b[0], byte(s))
	}
	return b[1:], nil
}

// Refuses tells whether an answer refuses just this request's service.
func Refuses(request, b []byte) bool {
	return len(b) >= 3 && b[0] == negative && b[1] == request[0] && Reason(b[2]) != Pending
}

// Answers tells whether an answer is one to just this request: the same service, and about the same thing, which each service repeats in
// its own way (ISO 14229-1; SAE J1979 for the services below 0x10).
func Answers(request, b []byte) bool {
	if len(b) == 0 || b[0] != request[0]|positive {
		return false
	}
	echoed := 0
	switch Service(request[0]) {
	case SessionControl, TesterPresent, SecurityAccess, CurrentData, VehicleData:
		echoed = 1
	case ReadCodes:
		if echoed = 1; len(request) > 1 && (request[1] == SnapshotOf || request[1] == ExtendedOf) {
			echoed = 4 // and the code that they are of
		}
	case FrozenData:
		echoed = 2
	case ReadData:
		echoed = 2
	case ControlOutput, Routine:
		echoed = 3
	}
	if len(request) < 1+echoed || len(b) < 1+echoed {
		return false
	}
	for i := 1; i <= echoed; i++ {
		want := request[i]
		if i == 1 && (Service(request[0]) == SessionControl || Service(request[0]) == TesterPresent) {
			want &^= suppressPositive
		}
		if b[i] != want {
			return false
		}
	}
	return true
}

// PendingOf is how long a control unit may ask to be waited for, P2* of its answer to a session, in units of ten milliseconds; false where
// it says nothing of it.
func PendingOf(session []byte) (time.Duration, bool) {
	if len(session) < 5 {
		return 0, false
	}
	p := time.Duration(binary.BigEndian.Uint16(session[3:])) * 10 * time.Millisecond
	return min(max(p, leastPending), mostPending), p > 0
}

// Bounds of what a P2* is believed.
const (
	leastPending = 500 * time.Millisecond
	mostPending  = 10 * time.Second
)

// StillPending tells whether a refusal only says that the answer is to come.
func StillPending(b []byte) bool { return len(b) >= 3 && b[0] == negative && Reason(b[2]) == Pending }

// Identifier names a value or an output.
type Identifier uint16

// Identifiers of the emissions data that every vehicle has (SAE J1979-2 puts its data at 0xF400 and above), and of the
// vehicle's number (ISO 14229-1, annex C).
const (
	Coolant Identifier = 0xF405
	Speed   Identifier = 0xF40D
	Supply  Identifier = 0xF442
	Number  Identifier = 0xF190
)

// Read asks for values.
func Read(ids ...Identifier) []byte {
	b := []byte{byte(ReadData)}
	for _, id := range ids {
		b = binary.BigEndian.AppendUint16(b, uint16(id))
	}
	return b
}

// Control commands an output for a time, or gives it back.
func Control(id Identifier, parameter byte, state ...byte) []byte {
	b := binary.BigEndian.AppendUint16([]byte{byte(ControlOutput)}, uint16(id))
	return append(append(b, parameter), state...)
}

// Present keeps a session alive without an answer.
func Present() []byte { return []byte{byte(TesterPresent), suppressPositive} }

// Session starts one.
func Session(which byte) []byte { return []byte{byte(SessionControl), which} }

// Code is a stored fault code with its status.
type Code struct {
	Number uint32 // three bytes: the code of SAE J2012 and the kind of failure
	Status byte

	Permanent bool // kept until the control unit itself has seen that it is mended (SAE J1979, service 0x0A)
}

// Bits of a code's status (ISO 14229-1, annex D).
const (
	FailsNow     byte = 0x01
	FailedCycle  byte = 0x02 // in this operation cycle
	PendingNow   byte = 0x04
	Confirmed    byte = 0x08
	FailedOnce   byte = 0x20 // since it was cleared
	WarningLight byte = 0x80
)

// Name spells the code as SAE J2012 does: a letter, and four hexadecimal figures.
func (c Code) Name() string {
	two := uint16(c.Number >> 8)
	return fmt.Sprintf("%c%04X", "PCBU"[two>>14], two&0x3FFF)
}

// Failure is the last byte of a code, the kind of failure of SAE J2012, in two figures; empty where it has none.
func (c Code) Failure() string {
	if kind := byte(c.Number); kind != 0 {
		return fmt.Sprintf("%02X", kind)
	}
	return ""
}

// StatusWords says what a code's status means.
func (c Code) StatusWords() string {
	var words []string
	for _, x := range []struct {
		bit  byte
		word string
	}{{FailsNow, "fails now"}, {FailedCycle, "failed in this cycle"}, {PendingNow, "pending"}, {Confirmed, "stored"},
		{FailedOnce, "failed since it was cleared"}, {WarningLight, "warning light"}} {
		if c.Status&x.bit != 0 {
			words = append(words, x.word)
		}
	}
	if c.Permanent {
		words = append(words, "permanent")
	}
	return strings.Join(words, ", ")
}

// EmissionsCodesOf reads an answer of the services 0x03, 0x07 and 0x0A: on CAN a count and two bytes a code.
func EmissionsCodesOf(b []byte, status byte, permanent bool) ([]Code, error) {
	if len(b) < 2 || len(b) != 2+2*int(b[1]) {
		return nil, fmt.Errorf("the list of fault codes has a wrong length (%d bytes)", len(b))
	}
	var list []Code
	for b = b[2:]; len(b) >= 2; b = b[2:] {
		list = append(list, Code{Number: uint32(b[0])<<16 | uint32(b[1])<<8, Status: status, Permanent: permanent})
	}
	return list, nil
}

// CodeNamed is the code with a name, its kind of failure left open; false for what is none.
func CodeNamed(name string) (Code, bool) {
	if len(name) != 5 {
		return Code{}, false
	}
	letter := -1
	for i, l := range "PCBU" {
		if rune(name[0]) == l {
			letter = i
		}
	}
	figures, err := strconv.ParseUint(name[1:], 16, 16)
	if err != nil || letter < 0 || figures > 0x3FFF {
		return Code{}, false
	}
	return Code{Number: (uint32(letter)<<14 | uint32(figures)) << 8}, true
}

// Codes asks for all codes that have these bits in their status.
func Codes(mask byte) []byte { return []byte{byte(ReadCodes), ByStatusMask, mask} }

// Detail asks for all that is kept beside one code: its snapshots, or its extended data.
func Detail(form byte, c Code) []byte {
	return []byte{byte(ReadCodes), form, byte(c.Number >> 16), byte(c.Number >> 8), byte(c.Number), 0xFF}
}

// CodesOf reads the answer to Codes.
func CodesOf(b []byte) ([]Code, error) {
	b, err := Answer(ReadCodes, b)
	if err != nil {
		return nil, err
	}
	if len(b) < 2 || b[0] != ByStatusMask || (len(b)-2)%4 != 0 {
		return nil, fmt.Errorf("the list of fault codes has a wrong length (%d bytes)", len(b))
	}
	var list []Code
	for b = b[2:]; len(b) >= 4; b = b[4:] {
		list = append(list, Code{Number: uint32(b[0])<<16 | uint32(b[1])<<8 | uint32(b[2]), Status: b[3]})
	}
	return list, nil
}

// Clear asks for all codes to be cleared.
func Clear() []byte { return []byte{byte(ClearCodes), 0xFF, 0xFF, 0xFF} }
