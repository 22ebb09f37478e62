package scan

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"ironthread/scan/can"
	"ironthread/scan/describe"
	"ironthread/scan/doip"
	"ironthread/scan/uds"
)

// A vehicle whose diagnostics are CAN at a socket: by an interface of this machine, or handed on over the network. With a description it
// is commanded as over IP; with none it gives what nearly every car gives, emissions diagnostics.

// canChannel carries requests by ISO 15765-2.
type canChannel struct {
	link    *can.Link
	answers chan Answer
	ctx     context.Context
	stop    context.CancelFunc
}

func newCANChannel(ctx context.Context, link *can.Link) *canChannel {
	ctx, stop := context.WithCancel(context.WithoutCancel(ctx)) // what is given back on leaving is still sent
	c := &canChannel{link: link, answers: make(chan Answer, mostWaiting), ctx: ctx, stop: stop}
	go func() {
		defer close(c.answers)
		for b := range link.Messages() {
			select {
			case c.answers <- Answer{Data: b}:
			default:
			}
		}
	}()
	return c
}

func (c *canChannel) Send(request []byte) error {
	ctx, cancel := context.WithTimeout(c.ctx, answerWithin)
	defer cancel()
	return c.link.Send(ctx, request)
}

func (c *canChannel) Answers() <-chan Answer { return c.answers }

func (c *canChannel) Close() {
	c.stop()
	c.link.Close()
}

// functionalWithin is how long control units may take to answer what all are asked.
const functionalWithin = 500 * time.Millisecond

// OpenBus reaches the bus of an address: can:can0 for an interface of this machine, socketcand://host:29536/can0 for one that is handed on.
func OpenBus(ctx context.Context, address string) (can.Bus, error) {
	if name, ok := strings.CutPrefix(address, "can:"); ok {
		return can.Open(ctx, name)
	}
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "socketcand" || u.Host == "" {
		return nil, fmt.Errorf("%q is no CAN bus; write it as can:can0 or socketcand://192.168.0.10:29536/can0", clipped(address))
	}
	return can.Dial(ctx, u.Host, strings.Trim(u.Path, "/"))
}

// ConnectCAN reaches a vehicle over a CAN bus. Without a description it asks all control units for emissions diagnostics, with 11 bits
// and then with 29, and takes the one that answers; with one, the control unit that the description names (0x7E0 and on, or an address of
// 29 bits), or the one that answers. Keys may be nil.
func ConnectCAN(ctx context.Context, bus can.Bus, data *describe.Vehicle, keys Keys) (*Vehicle, error) {
	ends, supported, err := whoAnswers(ctx, bus, data)
	if err != nil {
		bus.Close()
		return nil, err
	}
	ch := newCANChannel(ctx, can.NewLink(bus, ends))
	emissions := data == nil
	if emissions {
		data = &describe.Vehicle{Version: 1, Title: "emissions diagnostics", Values: map[string]describe.Value{}, Emissions: true}
	}
	v := Over(ctx, ch, data, keys)
	v.id = doip.Identity{Address: uint16(ends.To)}
	if emissions {
		if err := v.supported(ctx, supported); err != nil {
			v.Close()
			return nil, err
		}
	}
	v.id.VIN = v.number(ctx)
	return v, nil
}

// whoAnswers finds the ends of the conversation.
func whoAnswers(ctx context.Context, bus can.Bus, data *describe.Vehicle) (can.Ends, []byte, error) {
	if data != nil && data.Address >= 0x700 && data.Address <= 0x7F7 {
		return can.Ends{To: uint32(data.Address), From: uint32(data.Address) + 8}, nil, nil
	}
	if data != nil && data.Address > 0 && data.Address <= 0xFF {
		return can.EndsOf(0x18DAF100|uint32(data.Address), true), nil, nil
	}
	for _, extended := range []bool{false, true} {
		to := can.ToAll
		if extended {
			to = can.ToAllExtended
		}
		found, err := can.Functional(ctx, bus, can.Ends{To: to, Extended: extended}, []byte{byte(uds.CurrentData), 0}, functionalWithin)
		if err != nil {
			return can.Ends{}, nil, err
		}
		if len(found) == 0 {
			continue
		}
		var ids []uint32
		for id := range found {
			ids = append(ids, id)
		}
		slices.Sort(ids) // the engine's is the first
		return can.EndsOf(ids[0], extended), found[ids[0]], nil
	}
	return can.Ends{}, nil, errors.New("no control unit answers on this bus: is the ignition on? Older sockets (K-line, J1850) are not read " +
		"here, and trucks are only listened to")
}

// emissionsValue is a value of emissions diagnostics (ISO 15031-5, SAE J1979; figures from memory).
type emissionsValue struct {
	pid   byte
	name  string
	value describe.Value
}

var emissionsValues = []emissionsValue{
	{0x05, describe.Coolant, describe.Value{Bytes: 1, Offset: -40, Unit: "°C", Label: "coolant"}},
	{0x0C, "rpm", describe.Value{Bytes: 2, Scale: 0.25, Unit: "rpm", Label: "engine"}},
	{0x0D, describe.Speed, describe.Value{Bytes: 1, Unit: "km/h", Label: "road speed"}},
	{0x0F, "intake", describe.Value{Bytes: 1, Offset: -40, Unit: "°C", Label: "intake air"}},
	{0x42, describe.Supply, describe.Value{Bytes: 2, Scale: 0.001, Unit: "V", Label: "control module supply"}},
	{0x46, "ambient", describe.Value{Bytes: 1, Offset: -40, Unit: "°C", Label: "ambient air"}},
}

// supported reads the bit maps of what the control unit gives, the first of which has been answered already.
func (v *Vehicle) supported(ctx context.Context, first []byte) error {
	has := map[byte]bool{}
	b := first
	for base := byte(0); ; base += 0x20 {
		if base > 0 {
			var err error
			turn, end, taken := v.take(ctx)
			if taken != nil {
				return taken
			}
			b, err = v.ask(turn, []byte{byte(uds.CurrentData), base})
			end()
			if err != nil {
				break // what it does not say it does not have
			}
		}
		if len(b) < 6 {
			break
		}
		for i := range 32 {
			if b[2+i/8]>>(7-i%8)&1 == 1 {
				has[base+byte(i)+1] = true
			}
		}
		if !has[base+0x20] || base >= 0xC0 {
			break
		}
	}
	for _, x := range emissionsValues {
		if has[x.pid] {
			value := x.value
			value.PID = x.pid
			v.data.Values[x.name] = value
		}
	}
	return nil
}

// number asks for the identification number, in the way that the control unit has; empty where it does not say.
func (v *Vehicle) number(ctx context.Context) string {
	turn, end, err := v.take(ctx)
	if err != nil {
		return ""
	}
	defer end()
	if v.data.Emissions {
		b, err := v.ask(turn, []byte{byte(uds.VehicleData), 0x02})
		if err != nil || len(b) < 3 {
			return ""
		}
		return strings.Trim(string(b[3:]), "\x00 ")
	}
	b, err := v.service(turn, uds.ReadData, uds.Read(uds.Number))
	if err != nil || len(b) < 2 {
		return ""
	}
	return string(b[2:])
}

// emissionsCodes reads stored, pending and permanent codes (ISO 15031-5).
func (v *Vehicle) emissionsCodes(ctx context.Context) ([]uds.Code, error) {
	var list []uds.Code
	for _, kind := range []struct {
		service uds.Service
		status  byte
	}{{uds.StoredCodes, uds.Confirmed}, {uds.PendingCodes, uds.PendingNow}, {uds.PermanentCodes, 0}} {
		b, err := v.ask(ctx, []byte{byte(kind.service)})
		var refused *uds.Refused
		if errors.As(err, &refused) || errors.Is(err, errNoAnswer) && kind.service == uds.PermanentCodes {
			continue // an older one has none
		}
		if err != nil {
			return nil, err
		}
		codes, err := uds.EmissionsCodesOf(b, kind.status, kind.service == uds.PermanentCodes)
		if err != nil {
			return nil, err
		}
		for _, c := range codes {
			k := slices.IndexFunc(list, func(o uds.Code) bool { return o.Number == c.Number })
			if k < 0 {
				list = append(list, c)
				continue
			}
			list[k].Status |= c.Status
			list[k].Permanent = list[k].Permanent || c.Permanent
		}
	}
	return list, nil
}
