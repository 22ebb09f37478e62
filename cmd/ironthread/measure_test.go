package main

import (
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"errors"
	"io"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestMeasure(t *testing.T) {
	for _, c := range []struct{ args, want string }{
		{"--state low --volts F3.a", "6.238 V"},
		{"--state low --volts M1.+ --from M1.-", "6.159 V"},
		{"--state high --amps M1.+", "14.66 A"},
		{"--state high --amps M1.+ --zero 0.4", "14.66 A (the display shows 15.06 A)"},
		{"--state off --setup BAT_apart --ohms K1.86 K1.85 --leads 0.3", "85 Ω (the display shows 85.3 Ω)"},
		{"--state off --setup BAT_apart --ohms K1.86 K1.85", "85 Ω"},
		{"--state off --setup BAT_apart --setup K3_out --setup M1_unplugged --ohms M1.- K3.87", "open"},
		{"--state off --lamp F1.b", "bright (12.59 V)"},
		{"--state off --led M1.+", "off"},
		{"--state off --heavy-lamp K1.85", "passes enough to pull K1 in"},
	} {
		var args []string
		for _, a := range strings.Fields(c.args) {
			args = append(args, strings.ReplaceAll(a, "_", " "))
		}
		code, out, errs := command("", append([]string{"measure", twin}, args...)...)
		assert.Zero(t, code, "%s: %s", c.args, errs)
		assert.Contains(t, out, c.want, c.args)
	}
	code, out, _ := command("", "measure", twin, "--state", "low", "--volts", "F3.a", "--json")
	assert.Zero(t, code)
	var r struct {
		Instrument, At, Unit string
		Figure               *float64
	}
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	assert.Equal(t, "volts", r.Instrument)
	assert.InDelta(t, 6.238, *r.Figure, 0.001)
}

func TestMeasureBadInput(t *testing.T) {
	for args, want := range map[string]string{
		"--state low":                               "name an instrument and a pin",
		"--state low --volts Q.1":                   "there is no part Q",
		"--state low --volts K1.30 --lamp K1.30":    "one instrument at a time",
		"--state off --ohms F1.b G1":                "no ohmmeter on it",
		"--state low --volts K1.30 --from K1.1":     `no pin "1"`,
		"--state low --volts K1.30'":                "only while K1 is out",
		"--state low --volts K1.30 another.harness": "name one harness file, not",
	} {
		code, _, errs := command("", append([]string{"measure", twin}, strings.Fields(args)...)...)
		assert.Equal(t, 2, code, args)
		assert.Contains(t, errs, want)
	}
}

func TestExport(t *testing.T) {
	code, out, _ := command("", "export", twin, "--as", "csv")
	require.Zero(t, code)
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 21)

	code, out, _ = command("", "export", twin, "--as", "json")
	require.Zero(t, code)
	var content map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &content))
	assert.Contains(t, content, "wires")

	code, out, _ = command("", "export", twin, "--as", "svg", "--state", "low")
	require.Zero(t, code)
	d := xml.NewDecoder(strings.NewReader(out))
	for {
		if _, err := d.Token(); errors.Is(err, io.EOF) {
			break
		} else {
			require.NoError(t, err)
		}
	}
	code, _, errs := command("", "export", twin, "--as", "dxf")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "--as is one of spice, csv, svg, json")
}

// The exported netlist runs in ngspice unchanged and gives the same operating point.
func TestTheNetlistRunsUnchanged(t *testing.T) {
	code, netlist, errs := command("", "export", twin, "--as", "spice", "--state", "low")
	require.Zero(t, code, errs)
	cmd := exec.Command("ngspice", "-b")
	cmd.Stdin = strings.NewReader(netlist)
	out, err := cmd.Output()
	var status *exec.ExitError // in batch mode without a plot ngspice ends with 1
	if err != nil {
		require.ErrorAs(t, err, &status)
	}
	found := regexp.MustCompile(`(?m)^f3_a = (\S+)`).FindStringSubmatch(string(out))
	require.NotNil(t, found)
	volts, err := strconv.ParseFloat(found[1], 64)
	require.NoError(t, err)
	_, reading, _ := command("", "measure", twin, "--state", "low", "--volts", "F3.a")
	assert.Contains(t, reading, strconv.FormatFloat(volts, 'g', 4, 64))
}

func TestStart(t *testing.T) {
	code, out, errs := command("", "start", twin, "--state", "high")
	require.Zero(t, code, errs)
	assert.Regexp(t, `M1 +peak \d\d\.\d A +runs at 14\.6`, out)
	assert.Contains(t, out, "0.00 s")
	code, out, _ = command("", "start", twin, "--state", "high", "--fault", "M1 seized", "--for", "60")
	require.Zero(t, code)
	assert.Regexp(t, `F1 +peak .* opens after`, out)
	code, out, _ = command("", "start", twin, "--state", "low", "--json")
	require.Zero(t, code)
	var run struct {
		Seconds []float64
		Motors  map[string]struct{ Amps []float64 }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &run))
	assert.Len(t, run.Motors["M1"].Amps, len(run.Seconds))
	for _, bad := range [][]string{{"--state", "low", "--for", "0"}, {"--state", "low", "--airless", "M1"}, {"--state", "up"}} {
		code, _, errs := command("", append([]string{"start", twin}, bad...)...)
		assert.Equal(t, 2, code, "%v", bad)
		assert.Contains(t, errs, "ironthread: ")
	}
}
