package sim

import (
	"encoding/binary"

	"ironthread/scan/describe"
	"ironthread/scan/uds"
)

// The diagnostic services of the simulated engine controller. Everything is answered from how the vehicle stands at the
// moment; nil is no answer.

// mostRead bounds how many values one request may ask for.
const mostRead = 16

func (l *link) serve(b []byte) []byte {
	s := uds.Service(b[0])
	if l.s.isBusy(b) {
		return uds.Refuse(s, uds.Busy)
	}
	switch s {
	case uds.SessionControl:
		return l.startSession(b)
	case uds.TesterPresent:
		switch {
		case len(b) != 2:
			return uds.Refuse(s, uds.BadLength)
		case b[1]&0x7F != 0:
			return uds.Refuse(s, uds.SubfunctionUnsupported)
		case b[1]&0x80 != 0:
			return nil
		}
		return uds.Accept(s, 0)
	case uds.ReadData:
		return l.read(b)
	case uds.ReadCodes:
		return l.codes(b)
	case uds.ClearCodes:
		if len(b) != 4 {
			return uds.Refuse(s, uds.BadLength)
		}
		switch group := uint32(b[1])<<16 | uint32(b[2])<<8 | uint32(b[3]); group {
		case 0xFFFFFF, 0xFFFF33: // all, and all of emissions
			l.s.vehicle.ClearCodes()
		default:
			return uds.Refuse(s, uds.OutOfRange)
		}
		return uds.Accept(s)
	case uds.ControlOutput:
		return l.control(b)
	}
	return uds.Refuse(s, uds.NotSupported)
}

// suppress is the bit that asks for no answer where all is well.
const suppress byte = 0x80

func (l *link) startSession(b []byte) []byte {
	switch {
	case len(b) != 2:
		return uds.Refuse(uds.SessionControl, uds.BadLength)
	case b[1]&^suppress != uds.DefaultSession && b[1]&^suppress != uds.ExtendedSession:
		return uds.Refuse(uds.SessionControl, uds.SubfunctionUnsupported)
	}
	if l.session = b[1] &^ suppress; l.session == uds.DefaultSession {
		l.giveBack()
	}
	if b[1]&suppress != 0 {
		return nil
	}
	// P2 of 50 ms, P2* of 5 s in units of 10 ms.
	return uds.Accept(uds.SessionControl, b[1], 0x00, 0x32, 0x01, 0xF4)
}

func (l *link) read(b []byte) []byte {
	if len(b) < 3 || len(b)%2 != 1 || len(b) > 1+2*mostRead {
		return uds.Refuse(uds.ReadData, uds.BadLength)
	}
	stands := l.s.vehicle.Stands()
	var data []byte
	for b = b[1:]; len(b) >= 2; b = b[2:] {
		id := uds.Identifier(binary.BigEndian.Uint16(b))
		value, ok := l.value(id, stands)
		if !ok {
			continue // of several asked for, those that are there are given
		}
		data = append(append(data, byte(id>>8), byte(id)), value...)
	}
	if data == nil {
		return uds.Refuse(uds.ReadData, uds.OutOfRange)
	}
	return uds.Accept(uds.ReadData, data...)
}

// value is what an identifier gives now.
func (l *link) value(id uds.Identifier, now Stand) ([]byte, bool) {
	if id == uds.Number {
		return []byte(l.s.VIN), true
	}
	for name, v := range l.s.data.Values {
		if v.ID != id {
			continue
		}
		figure := 0.0
		switch name {
		case describe.Coolant:
			figure = now.Coolant
		case describe.Speed:
			figure = now.Speed
		case describe.Supply:
			figure = now.Supply
		case describe.Pressure:
			figure = now.Pressure
		case describe.AC:
			if now.AC {
				figure = 1
			}
		default:
			figure = l.s.vehicle.Commanded(commandOf(name))
		}
		return v.Encode(figure), true
	}
	for name, out := range l.s.data.Outputs {
		if out.ID == id {
			return []byte{byte(l.s.vehicle.Commanded(name))}, true
		}
	}
	return nil, false
}

// commandOf is the command that a value "commanded low" is about.
func commandOf(value string) string {
	const before = "commanded "
	if len(value) > len(before) && value[:len(before)] == before {
		return value[len(before):]
	}
	return ""
}

func (l *link) codes(b []byte) []byte {
	switch {
	case len(b) < 2:
		return uds.Refuse(uds.ReadCodes, uds.BadLength)
	case b[1] == uds.ByStatusMask && len(b) == 3:
		data := []byte{uds.ByStatusMask, 0xFF}
		for _, c := range l.s.vehicle.Codes() {
			if c.Status&b[2] != 0 {
				data = append(data, byte(c.Number>>16), byte(c.Number>>8), byte(c.Number), c.Status)
			}
		}
		return uds.Accept(uds.ReadCodes, data...)
	case b[1] == uds.SnapshotOf && len(b) == 6:
		return l.snapshot(b)
	case b[1] == uds.ExtendedOf && len(b) == 6:
		return l.extended(b)
	case b[1] == uds.ByStatusMask || b[1] == uds.SnapshotOf || b[1] == uds.ExtendedOf:
		return uds.Refuse(uds.ReadCodes, uds.BadLength)
	}
	return uds.Refuse(uds.ReadCodes, uds.SubfunctionUnsupported)
}

// snapshot gives how the vehicle stood when a code was set: coolant, speed and supply.
func (l *link) snapshot(b []byte) []byte {
	number := uint32(b[2])<<16 | uint32(b[3])<<8 | uint32(b[4])
	data := []byte{uds.SnapshotOf, b[2], b[3], b[4]}
	for _, c := range l.s.vehicle.Codes() {
		frozen, ok := l.s.vehicle.Frozen(c.Name())
		if c.Number != number || !ok {
			continue
		}
		data = append(data, c.Status, 1, 3)
		for _, v := range []struct {
			name   string
			figure float64
		}{{describe.Coolant, frozen.Coolant}, {describe.Speed, frozen.Speed}, {describe.Supply, frozen.Supply}} {
			value := l.s.data.Values[v.name]
			data = append(append(data, byte(value.ID>>8), byte(value.ID)), value.Encode(v.figure)...)
		}
		return uds.Accept(uds.ReadCodes, data...)
	}
	return uds.Refuse(uds.ReadCodes, uds.OutOfRange)
}

// extended gives a code's extended data: one record, how many minutes of its own time ago it was set.
func (l *link) extended(b []byte) []byte {
	number := uint32(b[2])<<16 | uint32(b[3])<<8 | uint32(b[4])
	for _, c := range l.s.vehicle.Codes() {
		frozen, ok := l.s.vehicle.Frozen(c.Name())
		if c.Number != number || !ok || b[5] != 0xFF && b[5] != 1 {
			continue
		}
		ago := (l.s.vehicle.Stands().Seconds - frozen.Seconds) / 60
		return uds.Accept(uds.ReadCodes, uds.ExtendedOf, b[2], b[3], b[4], c.Status, 1, byte(min(255, max(0, ago))))
	}
	return uds.Refuse(uds.ReadCodes, uds.OutOfRange)
}

func (l *link) control(b []byte) []byte {
	const s = uds.ControlOutput
	if len(b) < 4 {
		return uds.Refuse(s, uds.BadLength)
	}
	if l.session != uds.ExtendedSession {
		return uds.Refuse(s, uds.NotInThisSession)
	}
	id := uds.Identifier(binary.BigEndian.Uint16(b[1:]))
	for name, out := range l.s.data.Outputs {
		if out.ID != id {
			continue
		}
		switch {
		case b[3] == uds.ReturnControl && len(b) == 4:
			if l.s.vehicle.ReturnOne(name) {
				l.commands = false
			}
			return uds.Accept(s, b[1:4]...)
		case b[3] == uds.ShortTermAdjust && len(b) == 5:
			if b[4] > 1 && !out.Percent || b[4] > 100 {
				return uds.Refuse(s, uds.OutOfRange)
			}
			duty := 0.0
			if out.Percent {
				duty = float64(b[4])
			}
			if reason := l.s.vehicle.Command(name, b[4] > 0, duty); reason != 0 {
				return uds.Refuse(s, reason)
			}
			l.commands, l.commanded = true, l.s.now()
			return uds.Accept(s, b[1:5]...)
		case b[3] != uds.ReturnControl && b[3] != uds.ShortTermAdjust:
			return uds.Refuse(s, uds.SubfunctionUnsupported)
		}
		return uds.Refuse(s, uds.BadLength)
	}
	return uds.Refuse(s, uds.OutOfRange)
}
