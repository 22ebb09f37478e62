package main

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const twin = "../../library/f3-twin-series-parallel.harness.yaml"

func command(in string, args ...string) (code int, out, errs string) {
	var o, e bytes.Buffer
	code = run(args, strings.NewReader(in), &o, &e)
	return code, o.String(), e.String()
}

func TestCheck(t *testing.T) {
	code, out, errs := command("", "check", twin)
	assert.Zero(t, code, errs)
	assert.Contains(t, out, "13 parts, 20 wires, 3 states")
	code, _, errs = command("harness: 1\nparts:\n  F1: {kind: fuze}\n", "check", "-")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "-: harness: line 3: F1: there is no kind \"fuze\"")
	assert.Equal(t, 1, strings.Count(strings.TrimSpace(errs), "\n")+1, "one clear line")
	_, _, errs = command("harness: 1\nparts:\n  F1: {kind: fuze}\n  F2: {kind: fuse, amps: x}\n", "check", "-")
	assert.Contains(t, errs, "line 3: F1")
	assert.Contains(t, errs, "line 4: F2: amps", "every line that is wrong, so that one look mends them all")
}

func TestSolveJSON(t *testing.T) {
	code, out, errs := command("", "solve", twin, "--state", "low", "--fault", "F3 open", "--json")
	require.Zero(t, code, errs)
	var p struct {
		State   string
		Settled bool
		Supply  float64
		Pins    map[string]*float64
		Wires   []struct {
			From, To string
			Amps     float64
		}
		Motors map[string]struct {
			Volts, Amps, RPM float64
			Speed            string
		}
		Relays map[string]string
		Fuses  map[string]struct {
			Amps, Load float64
			Open       bool
			OpensInS   *float64 `json:"opens-in-s"`
		}
		Warnings []any
	}
	require.NoError(t, json.Unmarshal([]byte(out), &p))
	assert.Equal(t, "low", p.State)
	assert.True(t, p.Settled)
	assert.InDelta(t, 12.6, p.Supply, 1e-9)
	assert.InDelta(t, 12.5, *p.Pins["F3.a"], 0.2)
	assert.Len(t, p.Wires, 20)
	assert.Equal(t, "stopped", p.Motors["M1"].Speed)
	assert.Equal(t, "pulled in", p.Relays["K1"])
	assert.True(t, p.Fuses["F3"].Open)
	assert.NotNil(t, p.Warnings)

	_, out, _ = command("", "solve", twin, "--state", "off", "--setup", "K3 out", "--setup", "M1 unplugged", "--json")
	require.NoError(t, json.Unmarshal([]byte(out), &p))
	assert.Nil(t, p.Pins["M1.-"], "floating is null")
}

func TestSolveTable(t *testing.T) {
	code, out, _ := command("", "solve", twin, "--state", "high", "--after", "off,low")
	assert.Zero(t, code)
	assert.Contains(t, out, "nearside fan")
}

func TestDiagnoseJSON(t *testing.T) {
	seen := "- {state: high, fans: {M1: fast, M2: fast}}\n- {state: low, fans: {M1: stopped, M2: stopped}}\n- {state: low, volts: 12.4, " +
		"at: F3.a}\n"
	code, out, errs := command(seen, "diagnose", twin, "--seen", "-", "--json")
	require.Zero(t, code, errs)
	var a struct {
		Suspects []struct {
			Fault       string
			Probability float64
			SameAs      []string `json:"same-as"`
		}
		Cleared []string
		Next    []map[string]any
		Verdict any
	}
	require.NoError(t, json.Unmarshal([]byte(out), &a))
	assert.Equal(t, "F3 open", a.Suspects[0].Fault)
	assert.NotNil(t, a.Suspects[0].SameAs)
	assert.Contains(t, a.Cleared, "F2")
	assert.Nil(t, a.Verdict)
	require.NotEmpty(t, a.Next)
	for _, key := range []string{"do", "state", "at", "setup", "minutes", "bits", "good", "outcomes"} {
		assert.Contains(t, a.Next[0], key)
	}
	code, out, _ = command(seen, "diagnose", twin, "--seen", "-")
	assert.Zero(t, code)
	assert.Contains(t, out, "next 1: Volts at F3.b")
}

// An answer can be appended to the observations as it stands: the move's own keys.
func TestAMoveIsAnObservationToBe(t *testing.T) {
	_, out, _ := command("", "diagnose", twin, "--json")
	var a struct{ Next []struct{ Do, State string } }
	require.NoError(t, json.Unmarshal([]byte(out), &a))
	assert.Equal(t, "fans", a.Next[0].Do)
	answer := "- {state: " + a.Next[0].State + ", fans: {M1: fast, M2: fast}}"
	code, _, errs := command(answer, "diagnose", twin, "--seen", "-", "--json")
	assert.Zero(t, code, errs)
}

func TestBadInputExitsWithTwo(t *testing.T) {
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"solve", twin}, "--state is needed"},
		{[]string{"solve", twin, "--state", "flying"}, `no state "flying"`},
		{[]string{"solve", twin, "--state", "low", "--fault", "F9 open"}, "there is no part F9"},
		{[]string{"solve", twin, "--state", "low", "--setup", "K9 out"}, "there is no part K9"},
		{[]string{"solve", "none.yaml", "--state", "low"}, "none.yaml"},
		{[]string{"solve"}, "name one harness file"},
		{[]string{"check"}, "name a harness file"},
		{[]string{"solve", twin, "--speed", "1"}, "unknown flag"},
		{[]string{"diagnose", twin, "--seen", "none.yaml"}, "none.yaml"},
		{[]string{"serve", "--dsn", ""}, "--dsn"},
		{[]string{"demo", "--port", "0"}, "a port lies between"},
	} {
		code, out, errs := command("", c.args...)
		assert.Equal(t, 2, code, "%v", c.args)
		assert.Contains(t, errs, c.want)
		assert.Empty(t, out)
		assert.Equal(t, 1, strings.Count(errs, "\n"), "one line: %s", errs)
	}
}

func TestStudy(t *testing.T) {
	code, out, errs := command("", "study", "../../library/f10-speed-controller.harness.yaml", "--every", "6", "--doubles", "2", "--json")
	require.Zero(t, code, errs)
	var list []struct {
		Circuit string
		Guide   struct {
			Right  float64
			Faults []struct {
				Fault   string
				Found   bool
				Tests   int
				Minutes float64
			}
		}
		Textbook struct{ Policy string }
		Doubles  struct{ Faults []any }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &list))
	require.Len(t, list, 1)
	assert.InDelta(t, 1, list[0].Guide.Right, 1e-9)
	require.NotEmpty(t, list[0].Guide.Faults)
	assert.Positive(t, list[0].Guide.Faults[0].Tests)
	assert.Equal(t, "textbook", list[0].Textbook.Policy)
	assert.Len(t, list[0].Doubles.Faults, 2)
	code, out, _ = command("", "study", "../../library/f10-speed-controller.harness.yaml", "--every", "9", "--doubles", "0")
	assert.Zero(t, code)
	assert.Contains(t, out, "Shed fan")
	for _, bad := range [][]string{{"study"}, {"study", twin, "--every", "0"}, {"study", "none.yaml"}} {
		code, _, errs := command("", bad...)
		assert.Equal(t, 2, code, "%v: %s", bad, errs)
	}
}

// What no single fault explains is said to be two; after a repair only the new car counts.
func TestDiagnoseTwoFaultsAndAfterARepair(t *testing.T) {
	two := `
- {state: high, fans: {M1: stopped, M2: fast}}
- {state: low, fans: {M1: stopped, M2: stopped}}
- {state: high, volts: 12.2, at: F1.a}
- {state: high, volts: 0, at: F1.b}
- {state: low, volts: 0, at: F1.b}
- {state: high, volts: 0, at: F3.a}
- {state: high, volts: 12.1, at: F3.b}
`
	code, out, errs := command(two, "diagnose", twin, "--seen", "-")
	require.Zero(t, code, errs)
	assert.Contains(t, out, "two at once")
	assert.Contains(t, out, "F1 open and F3 open")
	code, out, errs = command(two+"- {state: high, setup: [F1 renewed], fans: {M1: fast, M2: fast}}\n", "diagnose", twin, "--seen",
		"-", "--json")
	require.Zero(t, code, errs)
	var a struct {
		Repaired []string
		Next     []struct{ Setup []string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &a))
	assert.Equal(t, []string{"F1 renewed"}, a.Repaired)
	require.NotEmpty(t, a.Next)
	for _, m := range a.Next {
		assert.Contains(t, m.Setup, "F1 renewed", "what was renewed stays so")
	}
}

func TestSchemaIsPrinted(t *testing.T) {
	code, out, errs := command("", "schema")
	require.Zero(t, code, errs)
	var schema map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &schema))
	assert.Contains(t, schema, "$schema")
}

// A guide is kept between the questions; a bad line is answered with a sentence and the next one goes on.
func TestStream(t *testing.T) {
	in := `[]
[{"state": "high", "fans": {"M1": "fast", "M2": "fast"}}, {"state": "low", "fans": {"M1": "stopped", "M2": "stopped"}}]
[{"state": "sideways", "fans": {"M1": "fast"}}]

` + strings.Repeat("[", 3<<20) + `
[{"state": "low", "volts": 12.4, "at": "F3.a"}, {"state": "low", "volts": 0, "at": "F3.b"}]`
	code, out, errs := command(in, "diagnose", twin, "--stream")
	require.Zero(t, code, errs)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	require.Len(t, lines, 5, "one answer a line")
	type answer struct {
		Error    string
		Suspects []struct{ Fault string }
		Next     []map[string]any
	}
	answers := make([]answer, len(lines))
	for i, l := range lines {
		require.NoError(t, json.Unmarshal([]byte(l), &answers[i]), "%.200s", l)
	}
	assert.NotEmpty(t, answers[0].Next)
	assert.NotEmpty(t, answers[1].Suspects)
	assert.Contains(t, answers[2].Error, "sideways")
	assert.Contains(t, answers[3].Error, "longer")
	assert.Equal(t, "F3 open", answers[4].Suspects[0].Fault)
}

// A drawn dead short is read, since a car may have one, and said: what burns and what opens. Codes that
// would steer the terminal are not printed.
func TestCheckSaysWhatBurns(t *testing.T) {
	short := "harness: 1\ntitle: \"short\\e[31m\"\nparts: {BAT: {kind: battery}, G1: {kind: ground}, M1: {kind: motor, volts: 12, amps: " +
		"10}}\n" +
		"wires: {BAT.+ - G1: RD 4mm2 1m, BAT.+ - M1.+: , M1.- - G1: }\nstates: {on: {}}\n"
	code, out, errs := command(short, "check", "-")
	assert.Zero(t, code, errs)
	assert.Contains(t, out+errs, "short")
	assert.Regexp(t, `\d+ A`, out+errs)
	assert.NotContains(t, out+errs, "\x1b")
}
