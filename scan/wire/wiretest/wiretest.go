// Package wiretest has tshark read every frame that a package's tests send, product and simulated vehicle alike.
//
// The frames are written to one capture while the tests run, and dissected once after them: nothing may be malformed, nothing may be
// unknown, and there have to be frames at all. tshark comes from Debian's package of this name and shares nothing with the project.
package wiretest

import (
	"bytes"
	"context"
	"encoding/binary"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"ironthread/scan/wire"
)

const (
	patience   = 3 * time.Minute
	mostFrames = 200_000 // of one package
)

// Main runs a package's tests and then has what they sent dissected. Ways are those by which something must have gone; where only
// some tests were asked for, nothing must. It gives the code to end with.
func Main(run func() int, ways ...wire.Way) int {
	flag.Parse()
	var k keeper
	wire.Watch(k.take)
	code := run()
	wire.Watch(nil)
	if testing.Short() { // no other program is run then
		return code
	}
	if flag.Lookup("test.run").Value.String() != "" || flag.Lookup("test.list").Value.String() != "" {
		ways = nil
	}
	said, err := k.judge(ways)
	if err != nil {
		fmt.Fprintf(os.Stderr, "tshark on what the tests sent: %v\n", err)
		return max(code, 1)
	}
	if testing.Verbose() {
		fmt.Println("tshark:", said)
	}
	return code
}

// keeper keeps what was sent.
type keeper struct {
	mu    sync.Mutex
	sent  []wire.Sent
	count [3]int
}

func (k *keeper) take(s wire.Sent) {
	s.Data = bytes.Clone(s.Data)
	k.mu.Lock()
	defer k.mu.Unlock()
	k.count[s.Way]++
	if len(k.sent) < mostFrames {
		k.sent = append(k.sent, s)
	}
}

// judge writes the capture and reads what tshark says of it.
func (k *keeper) judge(ways []wire.Way) (string, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	for _, w := range ways {
		if k.count[w] == 0 {
			return "", fmt.Errorf("no frame went by %s", [...]string{"TCP", "UDP", "CAN"}[w])
		}
	}
	if len(k.sent) == 0 {
		return "nothing was sent", nil
	}
	var trucks, others []wire.Sent // tshark reads a bus as the one or as the other
	for _, s := range k.sent {
		if ofATruck(s) {
			trucks = append(trucks, s)
		} else {
			others = append(others, s)
		}
	}
	if err := judge(others, "iso15765"); err != nil {
		return "", err
	}
	if err := judge(trucks, "j1939"); err != nil {
		return "", err
	}
	return fmt.Sprintf("%d frames over TCP, %d over UDP, %d on a bus, 0 malformed", k.count[wire.Stream], k.count[wire.Datagram],
		k.count[wire.Bus]), nil
}

// judge has frames dissected, those on a bus as one protocol.
func judge(sent []wire.Sent, bus string) error {
	if len(sent) == 0 {
		return nil
	}
	dir, err := os.MkdirTemp("", "wire")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir) // what is left there hurts nobody
	name := filepath.Join(dir, "wire.pcapng")
	if err := os.WriteFile(name, capture(sent), 0o600); err != nil {
		return err
	}
	lines, err := dissect(name, bus, len(sent))
	if err != nil {
		return err
	}
	for i, l := range lines {
		if wrong := complaint(sent[i], strings.Split(l, "|")); wrong != "" {
			return fmt.Errorf("frame %d of %d, % X: %s", i+1, len(lines), sent[i].Data, wrong)
		}
	}
	return nil
}

// fields are what tshark is asked for.
var fields = []string{"doip.type", "iso15765.message_type", "j1939.pgn", "_ws.malformed", "_ws.expert.message", "_ws.expert.severity"}

// typesOverIP are the payload types of ISO 13400-2, table 17 (from memory), as tshark writes them.
var typesOverIP = strings.Fields("0x0000 0x0001 0x0002 0x0003 0x0004 0x0005 0x0006 0x0007 0x0008 0x4001 0x4002 0x4003 0x4004 " +
	"0x8001 0x8002 0x8003")

// complaint says what is wrong with how a frame was read; "" where nothing is.
func complaint(s wire.Sent, cells []string) string {
	for len(cells) < len(fields) {
		cells = append(cells, "")
	}
	const severe = 0x00800000 // an error, not a warning
	for v := range strings.SplitSeq(cells[5], ",") {
		if n, err := strconv.ParseInt(v, 0, 64); err == nil && n >= severe {
			return "tshark finds an error: " + cells[4]
		}
	}
	switch {
	case cells[3] != "":
		return "malformed"
	case s.Way != wire.Bus && strings.Count(cells[0], ",") != 0:
		return "more than one frame of diagnostics over IP: types " + cells[0]
	case s.Way != wire.Bus && !slices.Contains(typesOverIP, cells[0]):
		return "no frame of diagnostics over IP, but one of type " + cells[0]
	case s.Way == wire.Bus && ofATruck(s) && cells[2] == "":
		return "no frame of SAE J1939"
	case s.Way == wire.Bus && !ofATruck(s) && cells[1] == "":
		return "no frame of ISO 15765-2"
	}
	return ""
}

// ofATruck tells a frame of SAE J1939 from one of ISO 15765-2, whose identifiers of 29 bits begin with 18DA and 18DB.
func ofATruck(s wire.Sent) bool { return s.Extended && s.ID>>16 != 0x18DA && s.ID>>16 != 0x18DB }

// dissect gives a line of fields for each of n frames.
func dissect(name, bus string, n int) ([]string, error) {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	args := []string{"-r", name, "-2", "-T", "fields", "-E", "separator=|", "-d", "tcp.port==13400,doip", "-d", "udp.port==13400,doip",
		"-d", "iso15765.subdissector,uds", "-d", "can.subdissector," + bus}
	for _, f := range fields {
		args = append(args, "-e", f)
	}
	var complains bytes.Buffer
	cmd := exec.CommandContext(ctx, "/usr/bin/tshark", args...) //nolint:gosec // no shell; a file of our own and fields of our own
	cmd.Stderr = &complains
	out, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("tshark is one of the packages that the tests need: %w: %s", err, complains.String())
	}
	lines := strings.Split(strings.TrimSuffix(string(out), "\n"), "\n")
	if len(lines) != n {
		return nil, fmt.Errorf("%d frames were sent, and %d lines are said of them", n, len(lines))
	}
	return lines, nil
}

// Kinds of link in a capture: packets of IP, and frames as Linux has them.
const (
	linkIP  = 101
	linkCAN = 227
)

// capture writes frames in the format pcapng (draft-ietf-opsawg-pcapng, sections 4.1 to 4.3).
func capture(sent []wire.Sent) []byte {
	var b bytes.Buffer
	block := func(kind uint32, body []byte) {
		body = append(body, make([]byte, (4-len(body)%4)%4)...)
		head := binary.LittleEndian.AppendUint32(nil, kind)
		head = binary.LittleEndian.AppendUint32(head, uint32(len(body)+12))
		b.Write(head)
		b.Write(body)
		b.Write(head[4:])
	}
	section := binary.LittleEndian.AppendUint32(nil, 0x1A2B3C4D)
	section = binary.LittleEndian.AppendUint16(section, 1)
	section = binary.LittleEndian.AppendUint16(section, 0)
	block(0x0A0D0D0A, binary.LittleEndian.AppendUint64(section, ^uint64(0)))
	for _, link := range []uint16{linkIP, linkCAN} {
		block(1, binary.LittleEndian.AppendUint32(binary.LittleEndian.AppendUint16(binary.LittleEndian.AppendUint16(nil, link), 0), 0))
	}
	var streams streams
	for i, s := range sent {
		at, packet := uint32(1), onBus(s)
		if s.Way != wire.Bus {
			at, packet = 0, streams.packet(s)
		}
		body := binary.LittleEndian.AppendUint32(nil, at)
		for _, v := range []uint32{0, uint32(i), uint32(len(packet)), uint32(len(packet))} {
			body = binary.LittleEndian.AppendUint32(body, v)
		}
		block(6, append(body, packet...))
	}
	return b.Bytes()
}

// onBus is a frame as Linux has it: the identifier with a flag for its 29 bits, the length, the bytes.
func onBus(s wire.Sent) []byte {
	id := s.ID
	if s.Extended {
		id |= 0x80000000
	}
	return append(append(binary.BigEndian.AppendUint32(nil, id), byte(len(s.Data)), 0, 0, 0), s.Data...)
}

// streams puts frames into packets of IP: each connection has a port of its own on the tester's side, and 13400 on the vehicle's.
type streams struct {
	ports map[string]uint16
	next  map[string]uint32
}

func (c *streams) packet(s wire.Sent) []byte {
	if c.ports == nil {
		c.ports, c.next = map[string]uint16{}, map[string]uint32{}
	}
	if c.ports[s.Link] == 0 {
		c.ports[s.Link] = uint16(20000 + len(c.ports)%40000)
	}
	from, to, side := c.ports[s.Link], uint16(13400), byte(1)
	if !s.Tester {
		from, to, side = to, from, 2
	}
	var over []byte
	protocol := byte(17)
	if s.Way == wire.Datagram {
		over = binary.BigEndian.AppendUint16(binary.BigEndian.AppendUint16(nil, from), to)
		over = binary.BigEndian.AppendUint32(over, uint32(8+len(s.Data))<<16)
	} else {
		protocol = 6
		way := func(tester bool) string { return fmt.Sprint(s.Link, tester) }
		over = binary.BigEndian.AppendUint16(binary.BigEndian.AppendUint16(nil, from), to)
		over = binary.BigEndian.AppendUint32(over, 1+c.next[way(s.Tester)])
		over = binary.BigEndian.AppendUint32(over, 1+c.next[way(!s.Tester)])
		over = append(over, 0x50, 0x18, 0xFF, 0xFF, 0, 0, 0, 0)
		c.next[way(s.Tester)] += uint32(len(s.Data))
	}
	head := make([]byte, 20)
	head[0], head[8], head[9] = 0x45, 64, protocol
	binary.BigEndian.PutUint16(head[2:], uint16(20+len(over)+len(s.Data)))
	copy(head[12:], []byte{127, 0, 0, side, 127, 0, 0, 3 - side})
	return append(append(head, over...), s.Data...)
}
