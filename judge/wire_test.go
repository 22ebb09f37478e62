package judge

import (
	"bufio"
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What goes over the wire, judged by programs that share nothing with the project: python3-scapy and python3-can talk to the simulated
// vehicle, a vehicle of a few lines of Python is talked to by the command line, and tshark dissects every frame of both.

// recorder passes bytes on between a tester and a vehicle, and keeps them.
type recorder struct {
	mu    sync.Mutex
	order []piece
}

// piece is what came at once from one side.
type piece struct {
	from int
	data []byte
}

// between listens in a vehicle's place and gives the address to connect to.
func (r *recorder) between(t *testing.T, vehicle string) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			d, err := net.Dial("tcp", vehicle)
			if err != nil {
				_ = c.Close()
				continue
			}
			for from, pair := range [2][2]net.Conn{{c, d}, {d, c}} {
				go func() {
					defer pair[0].Close() // it ends here
					defer pair[1].Close() // and with it the other
					b := make([]byte, 65536)
					for {
						n, err := pair[0].Read(b)
						if err != nil {
							return
						}
						r.mu.Lock()
						r.order = append(r.order, piece{from, append([]byte{}, b[:n]...)})
						r.mu.Unlock()
						if _, err := pair[1].Write(b[:n]); err != nil {
							return
						}
					}
				}()
			}
		}
	}()
	return l.Addr().String()
}

// capture writes packets as a file that tshark reads.
func capture(t *testing.T, link uint32, packets [][]byte) string {
	t.Helper()
	var b bytes.Buffer
	put := func(v ...any) {
		for _, x := range v {
			require.NoError(t, binary.Write(&b, binary.LittleEndian, x))
		}
	}
	put(uint32(0xA1B2C3D4), uint16(2), uint16(4), int32(0), uint32(0), uint32(65535), link)
	for i, p := range packets {
		put(uint32(i), uint32(0), uint32(len(p)), uint32(len(p)))
		b.Write(p)
	}
	name := filepath.Join(t.TempDir(), "wire.pcap")
	require.NoError(t, os.WriteFile(name, b.Bytes(), 0o600))
	return name
}

// tcp gives the pieces as packets of one connection to port 13400.
func (r *recorder) tcp() [][]byte {
	r.mu.Lock()
	defer r.mu.Unlock()
	next := [2]uint32{1000, 9000}
	var packets [][]byte
	for _, p := range r.order {
		ports := [2]uint16{40000, 13400}
		if p.from == 1 {
			ports = [2]uint16{13400, 40000}
		}
		head := make([]byte, 40)
		head[0], head[8], head[9] = 0x45, 64, 6
		binary.BigEndian.PutUint16(head[2:], uint16(40+len(p.data)))
		copy(head[12:], []byte{127, 0, 0, byte(1 + p.from), 127, 0, 0, byte(2 - p.from)})
		binary.BigEndian.PutUint16(head[20:], ports[0])
		binary.BigEndian.PutUint16(head[22:], ports[1])
		binary.BigEndian.PutUint32(head[24:], next[p.from])
		binary.BigEndian.PutUint32(head[28:], next[1-p.from])
		head[32], head[33] = 0x50, 0x18
		binary.BigEndian.PutUint16(head[34:], 65535)
		next[p.from] += uint32(len(p.data))
		packets = append(packets, append(head, p.data...))
	}
	return packets
}

// frames gives the frames of a daemon's connection.
func (r *recorder) frames(t *testing.T) [][]byte {
	t.Helper()
	r.mu.Lock()
	defer r.mu.Unlock()
	var rest [2]string
	var packets [][]byte
	for _, p := range r.order {
		rest[p.from] += string(p.data)
		for {
			text, after, ok := strings.Cut(rest[p.from], ">")
			if !ok {
				break
			}
			rest[p.from] = after
			words := strings.Fields(strings.TrimPrefix(strings.TrimSpace(text), "<"))
			if len(words) < 4 || words[0] != "send" && words[0] != "frame" {
				continue
			}
			id, err := strconv.ParseUint(words[1], 16, 32)
			require.NoError(t, err)
			if len(words[1]) > 3 {
				id |= 0x80000000
			}
			packet := make([]byte, 8)
			binary.BigEndian.PutUint32(packet, uint32(id))
			hexed := strings.Join(words[3:], "")
			for i := 0; i+1 < len(hexed); i += 2 {
				x, err := strconv.ParseUint(hexed[i:i+2], 16, 8)
				require.NoError(t, err)
				packet = append(packet, byte(x))
			}
			packet[4] = byte(len(packet) - 8)
			packets = append(packets, packet)
		}
	}
	return packets
}

// dissected runs tshark on a capture and gives a line a frame of the fields that are asked for.
func dissected(t *testing.T, name string, as []string, fields ...string) []string {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	args := []string{"-r", name, "-T", "fields", "-E", "separator=|"}
	for _, a := range as {
		args = append(args, "-d", a)
	}
	for _, f := range append(fields, "_ws.malformed", "_ws.expert.severity") {
		args = append(args, "-e", f)
	}
	out, err := exec.CommandContext(ctx, "/usr/bin/tshark", args...).Output()
	require.NoError(t, err, "tshark is one of the packages that the tests need")
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	for _, l := range lines {
		cells := strings.Split(l, "|")
		assert.Empty(t, cells[len(cells)-2], "malformed: %s", l)
	}
	return lines
}

// simulated starts the project's simulated vehicle with its bus, and gives where it answers.
func simulated(t *testing.T, command string, more ...string) (vehicle, bus string) {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	args := append([]string{"sim", "../library/f3-twin-series-parallel.harness.yaml", "--doip", "127.0.0.1:0", "--meter", "127.0.0.1:0",
		"--can", "127.0.0.1:0", "--fault", "wire K1.85 - ECU.61 open"}, more...)
	cmd := exec.CommandContext(ctx, command, args...)
	cmd.Cancel = func() error { return cmd.Process.Signal(os.Interrupt) }
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { stop(); _ = cmd.Wait() })
	r := bufio.NewReader(out)
	for vehicle == "" || bus == "" {
		text, err := r.ReadString('\n')
		require.NoError(t, err)
		if m := regexp.MustCompile(`vehicle at ([\d.:]+)`).FindStringSubmatch(text); m != nil {
			vehicle = m[1]
		}
		if m := regexp.MustCompile(`socketcand://([\d.:]+)/`).FindStringSubmatch(text); m != nil {
			bus = m[1]
		}
	}
	go func() { _, _ = io.Copy(io.Discard, r) }()
	return vehicle, bus
}

const simulatedData = `vehicle-data: 1
title: simulated
controller: 0x1001
values: {coolant: {id: 0xF405, bytes: 1, offset: -40}, supply: {id: 0xF442, bytes: 2, scale: 0.001}}
outputs: {high: {id: 0xFD40}, low: {id: 0xFD41}}
`

// Testers that share nothing with the project find the simulated vehicle as the standards have it.
func TestForeignTesters(t *testing.T) {
	command := built(t)
	vehicle, bus := simulated(t, command)
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	host, port, err := net.SplitHostPort(vehicle)
	require.NoError(t, err)
	_, busPort, err := net.SplitHostPort(bus)
	require.NoError(t, err)
	out, err := exec.CommandContext(ctx, "/usr/bin/python3", "testdata/foreign_tester.py", host, port, busPort).CombinedOutput()
	require.NoError(t, err, string(out))
	t.Logf("python3-scapy and python3-can: %s", strings.TrimSpace(string(out)))
	m := regexp.MustCompile(`exchanges (\d+) failures 0\b`).FindStringSubmatch(string(out))
	require.NotNil(t, m, string(out))
	n, err := strconv.Atoi(m[1])
	require.NoError(t, err)
	assert.Greater(t, n, 40)
}

// Every frame of product and simulated vehicle, over IP and on the bus, is dissected by tshark: none is malformed, and services and
// addresses are those that were meant.
func TestFramesByTshark(t *testing.T) {
	command, dir := built(t), t.TempDir()
	data := filepath.Join(dir, "data.yaml")
	require.NoError(t, os.WriteFile(data, []byte(simulatedData), 0o600))
	vehicle, bus := simulated(t, command)
	var overIP, onBus recorder
	ip := overIP.between(t, vehicle)
	for _, args := range [][]string{{"--values"}, {"--codes"}, {"--clear"}, {"--command", "low", "--hold", "2s"}, {"--codes"}} {
		_, code := scanned(t, command, append([]string{"doip://" + ip, "--data", data, "--json"}, args...)...)
		assert.Zero(t, code, "%v", args)
	}
	lines := dissected(t, capture(t, 101, overIP.tcp()), []string{"tcp.port==13400,doip"}, "doip.type", "doip.source_address",
		"doip.target_address", "uds.sid", "uds.reply")
	services := map[string]int{}
	frames := 0
	for _, l := range lines {
		cells := strings.Split(l, "|")
		if cells[0] != "" {
			frames++
		}
		for sid := range strings.SplitSeq(cells[3], ",") {
			if sid != "" {
				services[sid]++
			}
		}
	}
	t.Logf("%d packets over IP with diagnostics, 0 malformed; services %v", frames, services)
	assert.Greater(t, frames, 30)
	for _, sid := range []string{"0x10", "0x14", "0x19", "0x22", "0x2f"} {
		assert.Positive(t, services[sid], "service %s", sid)
	}
	at := onBus.between(t, bus)
	for _, args := range [][]string{{"--values"}, {"--codes"}, {"--who"}, {"--command", "low", "--hold", "100ms", "--data", data},
		{"--codes", "--data", data}} {
		_, code := scanned(t, command, append([]string{"socketcand://" + at + "/can0", "--json"}, args...)...)
		assert.Zero(t, code, "%v", args)
	}
	packets := onBus.frames(t)
	lines = dissected(t, capture(t, 227, packets), []string{"can.subdissector,iso15765", "iso15765.subdissector,uds"}, "can.id",
		"iso15765.message_type", "uds.sid")
	kinds := map[string]int{}
	for _, l := range lines {
		cells := strings.Split(l, "|")
		require.NotEmpty(t, cells[1], "a frame that is none of ISO 15765: %s", l)
		for kind := range strings.SplitSeq(cells[1], ",") {
			kinds[kind]++
		}
	}
	t.Logf("%d frames on the bus, 0 malformed; single, first, consecutive, flow control: %v", len(packets), kinds)
	assert.Greater(t, len(packets), 40)
	for _, kind := range []string{"0x00", "0x01", "0x02", "0x03"} {
		assert.Positive(t, kinds[kind], "frames of kind %s", kind)
	}
}

// foreignCAN starts the vehicle of Python; On tells how its output stands.
type foreignCAN struct {
	address string
	mu      sync.Mutex
	on      bool
	changes int
}

func startForeignCAN(t *testing.T, how string) *foreignCAN {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	cmd := exec.CommandContext(ctx, "/usr/bin/python3", "testdata/foreign_can.py", how)
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = in.Close(); stop(); _ = cmd.Wait() })
	r := bufio.NewReader(out)
	port, err := r.ReadString('\n')
	require.NoError(t, err)
	v := &foreignCAN{address: "socketcand://127.0.0.1:" + strings.TrimSpace(port) + "/can0"}
	go func() {
		for {
			text, err := r.ReadString('\n')
			if err != nil {
				return
			}
			v.mu.Lock()
			v.on = strings.TrimSpace(text) == "on"
			v.changes++
			v.mu.Unlock()
		}
	}()
	return v
}

// A vehicle of Python on a CAN bus, with 11 bits and 29, that sends long answers, takes long requests two frames at a time, and
// misbehaves: values, codes of all three kinds, a number, a command given back.
func TestAForeignVehicleOnCAN(t *testing.T) {
	command, dir := built(t), t.TempDir()
	data := filepath.Join(dir, "data.yaml")
	require.NoError(t, os.WriteFile(data, []byte("vehicle-data: 1\ntitle: foreign\ncontroller: 0x1001\nvalues: {}\noutputs:\n  fan: "+
		"{id: 0x4101, at: 19, bytes: 20}\n"), 0o600))
	want := map[string]string{"coolant": "83", "rpm": "850", "speed": "0", "supply": "14.1"}
	for _, how := range []string{"well", "29 bits", "bytes apart", "waits first", "silent on permanent codes", "loses a frame",
		"obeys and is silent", "silent"} {
		t.Run(how, func(t *testing.T) {
			t.Parallel()
			v := startForeignCAN(t, how)
			lines, code := scanned(t, command, v.address, "--values", "--json")
			if how == "silent" {
				assert.Equal(t, 1, code)
				assert.Contains(t, lines[0].Because, "no control unit answers")
				return
			}
			assert.Zero(t, code)
			got := map[string]string{}
			for _, l := range lines {
				if l.Value != nil {
					got[l.What] = fmt.Sprintf("%.3g", *l.Value)
				}
			}
			assert.Equal(t, want, got)
			lines, code = scanned(t, command, v.address, "--codes", "--json")
			if how == "loses a frame" {
				assert.Equal(t, 1, code, "a list that is not whole is none: %v", lines)
			} else {
				assert.Zero(t, code)
				var names []string
				for _, l := range lines {
					names = append(names, l.What+" "+l.Because)
				}
				permanent := "P0481 stored, permanent"
				if how == "silent on permanent codes" {
					permanent = "P0481 stored"
				}
				assert.Equal(t, []string{"P0480 pending, stored", permanent, "P0117 stored", "P0118 stored", "P0485 stored", "C0123 stored",
					"U0100 stored"}, names)
				lines, _ = scanned(t, command, v.address, "--who", "--json")
				assert.Equal(t, "F0RE1GNCANVEH1C02", lines[0].Because)
			}
			lines, code = scanned(t, command, v.address, "--data", data, "--command", "fan", "--hold", "200ms", "--json")
			v.mu.Lock()
			defer v.mu.Unlock()
			assert.False(t, v.on, "%v", lines)
			assert.GreaterOrEqual(t, v.changes, 2, "it was on")
			if how == "obeys and is silent" {
				assert.Equal(t, 1, code)
				assert.Contains(t, lines[len(lines)-1].Because, "control was given back")
			} else {
				assert.Zero(t, code, "%v", lines)
				assert.Equal(t, "given back", lines[len(lines)-1].Event)
			}
		})
	}
}

// A truck's bus is listened to: its values are heard, and not one frame is sent there, whatever is asked.
func TestATruckIsListenedTo(t *testing.T) {
	command, dir := built(t), t.TempDir()
	data := filepath.Join(dir, "data.yaml")
	require.NoError(t, os.WriteFile(data, []byte(simulatedData), 0o600))
	_, bus := simulated(t, command, "--j1939", "--running")
	var r recorder
	at := "socketcand://" + r.between(t, bus) + "/can0"
	lines, code := scanned(t, command, at, "--values", "--json")
	assert.Zero(t, code)
	got := map[string]float64{}
	for _, l := range lines {
		if l.Value != nil {
			got[l.What] = *l.Value
		}
	}
	assert.InDelta(t, 800, got["rpm"], 1)
	assert.InDelta(t, 14.2, got["supply"], 0.2)
	assert.Contains(t, got, "coolant")
	for _, args := range [][]string{{"--clear"}, {"--command", "low", "--data", data}} {
		_, code := scanned(t, command, append([]string{at, "--json"}, args...)...)
		assert.Equal(t, 1, code)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, p := range r.order {
		if p.from == 0 {
			assert.NotContains(t, string(p.data), "send", "a frame on a truck's bus")
		}
	}
}
