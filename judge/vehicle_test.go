package judge

import (
	"bufio"
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	frames "ironthread/scan/wire"
	"ironthread/scan/wire/wiretest"
)

// A vehicle made from the standards and from nothing of the project: ISO 13400-2 carries ISO 14229-1 (both from memory). It obeys, and
// misbehaves at one message of the exchange; what counts is whether its output is on when the product says that all is well.

// spoil is what goes wrong with the answer to one message.
type spoil struct {
	name string
	// answer gives what goes out in place of the right answer (nil: nothing), and whether the request was obeyed.
	answer func(right []byte, request []byte, times int) (out [][]byte, obeyed bool)
	delay  time.Duration
	closes bool
	always bool // from that message on
}

func negativeOnce(reason byte) func([]byte, []byte, int) ([][]byte, bool) {
	return func(right, request []byte, times int) ([][]byte, bool) {
		if times > 0 {
			return [][]byte{right}, true
		}
		return [][]byte{{0x7F, request[0], reason}}, false
	}
}

func negativeAlways(reason byte) func([]byte, []byte, int) ([][]byte, bool) {
	return func(_, request []byte, _ int) ([][]byte, bool) { return [][]byte{{0x7F, request[0], reason}}, false }
}

func spoils() []spoil {
	right := func(right, _ []byte, _ int) ([][]byte, bool) { return [][]byte{right}, true }
	return []spoil{
		{name: "nothing wrong", answer: right},
		{name: "obeyed, not answered", answer: func([]byte, []byte, int) ([][]byte, bool) { return nil, true }},
		{name: "not obeyed, not answered", answer: func([]byte, []byte, int) ([][]byte, bool) { return nil, false }},
		{name: "obeyed and silent from then on", answer: func([]byte, []byte, int) ([][]byte, bool) { return nil, true }, always: true},
		{name: "dead from then on", answer: func([]byte, []byte, int) ([][]byte, bool) { return nil, false }, always: true},
		{name: "answered after 2.6 s", answer: right, delay: 2600 * time.Millisecond},
		{name: "busy once", answer: negativeOnce(0x21)},
		{name: "busy for ever", answer: negativeAlways(0x21)},
		{name: "pending, then answered", answer: func(right, request []byte, _ int) ([][]byte, bool) {
			return [][]byte{{0x7F, request[0], 0x78}, {0x7F, request[0], 0x78}, right}, true
		}},
		{name: "pending and nothing more", answer: func(_, request []byte, _ int) ([][]byte, bool) {
			return [][]byte{{0x7F, request[0], 0x78}}, true
		}},
		{name: "conditions not met", answer: negativeAlways(0x22)},
		{name: "out of range", answer: negativeAlways(0x31)},
		{name: "security", answer: negativeAlways(0x33)},
		{name: "not in this session", answer: negativeAlways(0x7F)},
		{name: "another service's refusal first", answer: func(right, _ []byte, _ int) ([][]byte, bool) {
			return [][]byte{{0x7F, 0x3E, 0x12}, right}, true
		}},
		{name: "another identifier first", answer: func(right, _ []byte, _ int) ([][]byte, bool) {
			wrong := append([]byte{}, right...)
			if len(wrong) > 2 {
				wrong[2] ^= 0x40
			}
			return [][]byte{wrong, right}, true
		}},
		{name: "the connection ends, obeyed", answer: func([]byte, []byte, int) ([][]byte, bool) { return nil, true }, closes: true},
		{name: "the connection ends, not obeyed", answer: func([]byte, []byte, int) ([][]byte, bool) { return nil, false }, closes: true},
		{name: "too short", answer: func(right, _ []byte, _ int) ([][]byte, bool) { return [][]byte{right[:1]}, true }},
		{name: "empty", answer: func([]byte, []byte, int) ([][]byte, bool) { return [][]byte{{}}, true }},
	}
}

// Kinds of message of the exchange.
var messages = []string{"session", "on", "return", "default"}

// foreign is the vehicle.
type foreign struct {
	spoil   spoil
	message string

	mu      sync.Mutex
	on      bool
	onAt    time.Time
	session byte
	asked   time.Time // the last request, for S3
	times   int
	silent  bool
	open    bool

	l net.Listener
	p net.PacketConn
}

const (
	s3       = 5 * time.Second
	its      = 0x1001
	tester   = 0x0E00
	seedByte = 0x3C
)

func newForeign(t *testing.T, s spoil, message string) *foreign {
	t.Helper()
	v := &foreign{spoil: s, message: message, session: 1}
	var err error
	v.l, err = net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	v.p, err = net.ListenPacket("udp", v.l.Addr().String())
	require.NoError(t, err)
	go v.identify()
	go func() {
		for {
			c, err := v.l.Accept()
			if err != nil {
				return
			}
			go v.talk(c)
		}
	}()
	t.Cleanup(func() { _ = v.l.Close(); _ = v.p.Close() })
	return v
}

func doipFrame(kind uint16, body []byte) []byte {
	b := []byte{0x02, 0xFD, byte(kind >> 8), byte(kind), 0, 0, 0, 0}
	binary.BigEndian.PutUint32(b[4:], uint32(len(body)))
	return append(b, body...)
}

// identify answers by datagram alone: the identification is never carried by a connection.
func (v *foreign) identify() {
	b := make([]byte, 512)
	for {
		n, from, err := v.p.ReadFrom(b)
		if err != nil {
			return
		}
		if n >= 8 && binary.BigEndian.Uint16(b[2:]) == 0x0001 {
			body := append([]byte("F0RE1GNVEH1CLE001"), 0x10, 0x01, 2, 0, 0, 0, 0, 1, 2, 0, 0, 0, 0, 1, 0)
			_, _ = v.p.WriteTo(doipFrame(0x0004, body), from)
		}
	}
}

func (v *foreign) talk(c net.Conn) {
	defer c.Close() // it ends here
	r := bufio.NewReader(c)
	for {
		head := make([]byte, 8)
		if _, err := io.ReadFull(r, head); err != nil {
			return
		}
		body := make([]byte, binary.BigEndian.Uint32(head[4:])&0xFFFF)
		if _, err := io.ReadFull(r, body); err != nil {
			return
		}
		// What the product sent is read by tshark, too, after the tests.
		frames.Tell(frames.Sent{Way: frames.Stream, Tester: true, Link: c.RemoteAddr().String(), Data: append(bytes.Clone(head), body...)})
		switch binary.BigEndian.Uint16(head[2:]) {
		case 0x0001: // on a connection it is no message
			_, _ = c.Write(doipFrame(0x0000, []byte{0x01}))
		case 0x0005:
			answer := append([]byte{body[0], body[1], 0x10, 0x01, 0x10}, 0, 0, 0, 0)
			_, _ = c.Write(doipFrame(0x0006, answer))
		case 0x8001:
			if len(body) < 5 || binary.BigEndian.Uint16(body[2:]) != its {
				continue
			}
			_, _ = c.Write(doipFrame(0x8002, []byte{body[2], body[3], body[0], body[1], 0}))
			out, delay, ends := v.serve(body[4:])
			if delay > 0 {
				time.AfterFunc(delay, func() { // the next requests are taken meanwhile
					for _, b := range out {
						_, _ = c.Write(doipFrame(0x8001, append([]byte{body[2], body[3], body[0], body[1]}, b...)))
					}
				})
				continue
			}
			for _, b := range out {
				_, _ = c.Write(doipFrame(0x8001, append([]byte{body[2], body[3], body[0], body[1]}, b...)))
			}
			if ends {
				return
			}
		}
	}
}

// running tells whether the output is on now; the session that nobody keeps alive ends, and its control with it.
func (v *foreign) running() bool {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.session == 3 && !v.asked.IsZero() && time.Since(v.asked) > s3 {
		v.session, v.on, v.open = 1, false, false
	}
	return v.on
}

// switched is when its output last came on.
func (v *foreign) switched() time.Time {
	v.mu.Lock()
	defer v.mu.Unlock()
	return v.onAt
}

// kindOf is which message of the exchange a request is.
func kindOf(request []byte) string {
	switch {
	case bytes.HasPrefix(request, []byte{0x10, 0x03}):
		return "session"
	case bytes.HasPrefix(request, []byte{0x10, 0x01}):
		return "default"
	case request[0] == 0x2F && len(request) > 3 && request[3] == 0x03, request[0] == 0x31 && request[1] == 0x01:
		return "on"
	case request[0] == 0x2F, request[0] == 0x31:
		return "return"
	}
	return ""
}

// serve answers a request by ISO 14229-1, or spoils it.
func (v *foreign) serve(request []byte) (out [][]byte, delay time.Duration, ends bool) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.session == 3 && !v.asked.IsZero() && time.Since(v.asked) > s3 {
		v.session, v.on, v.open = 1, false, false
	}
	v.asked = time.Now()
	kind := kindOf(request)
	on, session, open := v.on, v.session, v.open
	right := v.obey(request)
	if v.on && !on {
		v.onAt = time.Now()
	}
	if kind != "" && (kind == v.message || v.silent) {
		var obeyed bool
		out, obeyed = v.spoil.answer(right, request, v.times)
		if !obeyed {
			v.on, v.session, v.open = on, session, open
		}
		v.times++
		v.silent = v.spoil.always
		return out, v.spoil.delay, v.spoil.closes
	}
	if right == nil {
		return nil, 0, false
	}
	return [][]byte{right}, 0, false
}

// obey does what is asked and gives the right answer.
func (v *foreign) obey(request []byte) []byte {
	no := func(reason byte) []byte { return []byte{0x7F, request[0], reason} }
	switch request[0] {
	case 0x10:
		if v.session = request[1]; v.session == 1 {
			v.on, v.open = false, false
		}
		return []byte{0x50, request[1], 0x00, 0x32, 0x00, 0xC8}
	case 0x3E:
		if request[1] == 0x80 {
			return nil
		}
		return []byte{0x7E, 0}
	case 0x22:
		switch binary.BigEndian.Uint16(request[1:]) {
		case 0x2001: // a signed degree
			return []byte{0x62, 0x20, 0x01, 0xF6} // -10
		case 0x2002: // bits 4 to 6 of a byte: 5
			return []byte{0x62, 0x20, 0x02, 0xD3}
		case 0x2003: // a scaled word, signed: -125 × 0.1
			return []byte{0x62, 0x20, 0x03, 0xFF, 0x83}
		case 0x2004: // a word for 1
			return []byte{0x62, 0x20, 0x04, 0x01}
		}
		return no(0x31)
	case 0x27:
		if request[1] == 1 {
			return []byte{0x67, 1, seedByte, seedByte + 1}
		}
		if bytes.Equal(request[2:], []byte{seedByte ^ 0x5A, (seedByte + 1) ^ 0x5A}) {
			v.open = true
			return []byte{0x67, 2}
		}
		return no(0x35)
	case 0x2F:
		if v.session != 3 {
			return no(0x7F)
		}
		switch id := binary.BigEndian.Uint16(request[1:]); {
		case id == 0x4101 && request[3] == 0x03 && len(request) == 5:
			v.on = request[4] == 1
			return append([]byte{0x6F}, request[1:5]...)
		case id == 0x4101 && request[3] == 0x00:
			v.on = false
			return append([]byte{0x6F}, request[1:4]...)
		case id == 0x4102 && request[3] == 0x03 && bytes.Equal(request[6:], []byte{0x40}) && len(request) == 7: // within a record, with its mask
			v.on = request[5] == 1
			return append([]byte{0x6F}, request[1:6]...)
		case id == 0x4102 && request[3] == 0x00 && bytes.Equal(request[4:], []byte{0x40}):
			v.on = false
			return append([]byte{0x6F}, request[1:4]...)
		case id == 0x4103 && !v.open:
			return no(0x33)
		case id == 0x4103:
			v.on = request[3] == 0x03 && request[4] == 75
			return append([]byte{0x6F}, request[1:]...)
		}
		return no(0x31)
	case 0x31:
		if v.session != 3 || binary.BigEndian.Uint16(request[2:]) != 0x0203 {
			return no(0x31)
		}
		v.on = request[1] == 1
		return append([]byte{0x71}, request[1:4]...)
	}
	return no(0x11)
}

const plainData = "vehicle-data: 1\ntitle: foreign\ncontroller: 0x1001\nvalues: {}\noutputs:\n  fan: {id: 0x4101}\n"

// line is an event of the command line.
type line struct {
	At                   float64
	Event, What, Because string
	Value                *float64
}

// scanned runs the command line as a stranger would.
func scanned(t *testing.T, command string, args ...string) (lines []line, code int) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	cmd := exec.CommandContext(ctx, command, append([]string{"scan"}, args...)...)
	var errs strings.Builder
	cmd.Stderr = &errs
	out, err := cmd.Output()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(t, err)
	}
	for text := range strings.SplitSeq(strings.TrimSpace(string(out)), "\n") {
		var l line
		if text != "" && json.Unmarshal([]byte(text), &l) == nil {
			lines = append(lines, l)
		}
	}
	if len(lines) == 0 {
		lines = append(lines, line{Because: errs.String()})
	}
	return lines, cmd.ProcessState.ExitCode()
}

// built is the command line, made once for all tests here.
func built(t *testing.T) string {
	t.Helper()
	t.Parallel() // most of what is judged is waiting
	require.NoError(t, buildFailed, buildSays)
	return filepath.Join(builtIn, "ironthread")
}

var (
	builtIn, buildSays string
	buildFailed        error
)

func TestMain(m *testing.M) {
	code := func() int {
		if builtIn, buildFailed = os.MkdirTemp("", "judge"); buildFailed == nil {
			defer os.RemoveAll(builtIn) // what is left there hurts nobody
			ctx, cancel := context.WithTimeout(context.Background(), patience)
			defer cancel()
			out, err := exec.CommandContext(ctx, "go", "build", "-ldflags", "-s -w", "-o", // without what only a debugger reads
				filepath.Join(builtIn, "ironthread"), "../cmd/ironthread").CombinedOutput()
			buildFailed, buildSays = err, string(out)
		}
		return wiretest.Main(m.Run, frames.Stream)
	}()
	os.Exit(code)
}

// At every message of the exchange and for each misbehaviour: when the product ends and says nothing else (exit code 0 or 1), the output is
// off; where it may be on, it says so (exit code 3).
func TestNothingIsLeftRunning(t *testing.T) {
	command := built(t)
	data := filepath.Join(t.TempDir(), "foreign.yaml")
	require.NoError(t, os.WriteFile(data, []byte(plainData), 0o600))
	type outcome struct {
		what    string
		code    int
		on      bool
		last    line
		seconds float64
	}
	var mu sync.Mutex
	var list []outcome
	var group errgroup.Group
	group.SetLimit(12) // nearly all of it is waiting
	n := 0
	for _, message := range messages {
		for _, s := range spoils() {
			if n++; s.name == "nothing wrong" && message != "on" {
				continue
			}
			v := newForeign(t, s, message)
			group.Go(func() error {
				began := time.Now()
				lines, code := scanned(t, command, "doip://"+v.l.Addr().String(), "--data", data, "--command", "fan", "--hold", "200ms", "--json")
				mu.Lock()
				defer mu.Unlock()
				list = append(list, outcome{message + ": " + s.name, code, v.running(), lines[len(lines)-1], time.Since(began).Seconds()})
				return nil
			})
		}
	}
	require.NoError(t, group.Wait())
	loose := 0
	for _, o := range list {
		t.Logf("%-46s exit %d, on %-5v %4.1f s  %s: %s", o.what, o.code, o.on, o.seconds, o.last.Event, o.last.Because)
		if o.code == 3 {
			loose++
			assert.Contains(t, o.last.Because, "key off", o.what)
			continue
		}
		assert.False(t, o.on, "%s: it ends with %d, and the fan runs", o.what, o.code)
		if strings.HasSuffix(o.what, "nothing wrong") {
			assert.Equal(t, 0, o.code)
		}
	}
	t.Logf("%d misbehaviours, %d of which say that control may not be given back", len(list), loose)
	assert.Greater(t, len(list), 60)
}

// What outputs and values there are beside the plain ones: within a record with its mask, by a routine, behind a key; signed, of single
// bits, scaled, with words.
func TestOutputsAndValuesOfAllKinds(t *testing.T) {
	command, dir := built(t), t.TempDir()
	key := filepath.Join(dir, "key")
	require.NoError(t, os.WriteFile(key, []byte("#!/usr/bin/python3\nimport sys\nprint(bytes(b ^ 0x5A for b in "+
		"bytes.fromhex(sys.stdin.readline())).hex())\n"), 0o700))
	data := filepath.Join(dir, "foreign.yaml")
	require.NoError(t, os.WriteFile(data, []byte(`vehicle-data: 1
title: foreign
controller: 0x1001
values:
  cold: {id: 0x2001, bytes: 1, signed: true, unit: °C}
  step: {id: 0x2002, bytes: 1, bits: [4, 6]}
  tilt: {id: 0x2003, bytes: 2, signed: true, scale: 0.1}
  door: {id: 0x2004, bytes: 1, values: {0: shut, 1: open}}
  none: {id: 0x2FFF, bytes: 1}
outputs:
  plain: {id: 0x4101}
  masked: {id: 0x4102, at: 1, bytes: 2, mask: [0x40]}
  keyed: {id: 0x4103, percent: true, security: {level: 1, key: shed}}
  routine: {routine: 0x0203}
`), 0o600))
	v := newForeign(t, spoil{}, "nothing")
	at := "doip://" + v.l.Addr().String()
	lines, code := scanned(t, command, at, "--data", data, "--values", "--json")
	assert.Zero(t, code)
	got := map[string]string{}
	for _, l := range lines {
		if l.Value != nil {
			got[l.What] = fmt.Sprintf("%.4g %s", *l.Value, l.Because)
		}
	}
	assert.Equal(t, map[string]string{"cold": "-10 ", "step": "5 ", "tilt": "-12.5 ", "door": "1 open"}, got)
	one := func(output string) string { // the others are left out of the file, so that only this one is asked for
		name := filepath.Join(dir, output+".yaml")
		text, err := os.ReadFile(data)
		require.NoError(t, err)
		head, outputs, _ := strings.Cut(string(text), "outputs:\n")
		for text := range strings.SplitSeq(outputs, "\n") {
			if strings.HasPrefix(text, "  "+output+":") {
				head += "outputs:\n" + text + "\n"
			}
		}
		require.NoError(t, os.WriteFile(name, []byte(head), 0o600))
		return name
	}
	for output, duty := range map[string]string{"plain": "100", "masked": "100", "routine": "100", "keyed": "75"} {
		lines, code = scanned(t, command, at, "--data", one(output), "--command", output+"="+duty, "--hold", "100ms", "--key-program",
			"shed="+key, "--json")
		assert.Zero(t, code, "%s: %v", output, lines)
		assert.Equal(t, "given back", lines[len(lines)-1].Event, output)
		assert.False(t, v.running())
	}
	lines, code = scanned(t, command, at, "--data", one("keyed"), "--command", "keyed=75", "--hold", "100ms", "--json")
	assert.Equal(t, 1, code)
	assert.Contains(t, lines[0].Because, "nobody has set a program")
	lines, code = scanned(t, command, at, "--who", "--json")
	assert.Zero(t, code)
	assert.Equal(t, "F0RE1GNVEH1CLE001", lines[0].Because)
	_, code = scanned(t, command, at, "--json")
	assert.Equal(t, 2, code)
}
