package electric_test

import (
	"fmt"
	"math"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/library"
)

// The judge of a speed controller with two leads changed over: ngspice on netlists typed here, with the two diodes of such a stage
// (a transistor's own and the motor's) where its drawing has them. Ohms are those of the circuit by hand: copper of 0.017241
// Ω·mm²/m, the fuse 0.09 V by its rating, the battery 12 mΩ, the switch and the ground joint 2 mΩ, the transistor 20 mΩ at half
// duty and 10 mΩ fully on, each diode with 10 mΩ of its own. The motor stands still, as it does behind a short.
const changedOver = `* two leads changed over
VB e 0 12.4
RB e batp 0.012
RF batp f 0.0070862
RW f swb 0.0088964
RM swb mp 0.0124135
RA mp mm 0.2755556
RO mm mo 0.0124135
RG g1 0 0.002
.model d D(IS=1e-9 N=1.6)
%s
.options reltol=1e-7 gmin=1e-15
.control
op
print all
.endc
.end
`

func TestASpeedControllerWithTwoLeadsChangedOver(t *testing.T) {
	e, err := library.Open("f10-speed-controller")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	amps := regexp.MustCompile(`([0-9.]+) A`)
	for _, c := range []struct {
		crossed, state, says string
		parts                string // the controller's pins: pl, mi and mo
		through              string // what carries the current
		blows                bool
	}{
		{"wires SW.b - SC.+ and SC.- - G1 crossed", "half", "plus and minus changed over",
			"R1 swb mi 0.0020689\nR2 pl g1 0.0055171\nD1 mi x1 d\nRX1 x1 mo 0.01\nD2 mo x2 d\nRX2 x2 y 0.01\nVX y pl 0", "vx#branch", true},
		{"wires SW.b - SC.+ and M1.- - SC.out crossed", "half", "plus and out changed over",
			"R1 swb so 0.0020689\nR2 mi g1 0.0055171\nRS so y 0.02\nVX y mi 0", "vx#branch", true},
		{"wires SW.b - SC.+ and M1.- - SC.out crossed", "full", "plus and out changed over",
			"R1 swb so 0.0020689\nR2 mi g1 0.0055171\nRS so y 0.01\nVX y mi 0", "vx#branch", true},
	} {
		f, err := fault.Parse(e.Circuit, c.crossed)
		require.NoError(t, err)
		p, err := m.Solve(electric.Condition{State: e.Circuit.State(c.state), Faults: []fault.Fault{f}})
		require.NoError(t, err)
		said := ""
		for _, w := range p.Warnings {
			if strings.Contains(w.Text, c.says) {
				said = w.Text
			}
		}
		require.NotEmpty(t, said, "%s: %v", c.crossed, p.Warnings)
		assert.Equal(t, c.blows, p.Fuses["F1"].Open)
		assert.LessOrEqual(t, mostVolts(p), 12.4+1e-6, "no more than the battery has")
		ours, err := strconv.ParseFloat(amps.FindStringSubmatch(said)[1], 64)
		require.NoError(t, err)
		cmd := exec.Command("ngspice", "-b")
		cmd.Stdin = strings.NewReader(fmt.Sprintf(changedOver, c.parts))
		out, _ := cmd.Output() // it reports the batch as ended by its own script
		found := regexp.MustCompile(`(?m)^` + regexp.QuoteMeta(c.through) + ` = ([-+0-9.e]+)`).FindSubmatch(out)
		require.NotNil(t, found, "%s", out)
		theirs, err := strconv.ParseFloat(string(found[1]), 64)
		require.NoError(t, err)
		t.Logf("%s, %s: %.0f A here, %.1f A in ngspice", c.crossed, c.state, ours, theirs)
		assert.InEpsilon(t, theirs, ours, 0.02)
	}

	// Out and minus: the motor runs full, whatever the knob says, through the transistor's own diode.
	f, err := fault.Parse(e.Circuit, "wires M1.- - SC.out and SC.- - G1 crossed")
	require.NoError(t, err)
	rpm := map[string]float64{}
	for _, state := range []string{"half", "full"} {
		p, err := m.Solve(electric.Condition{State: e.Circuit.State(state), Faults: []fault.Fault{f}})
		require.NoError(t, err)
		rpm[state] = p.Motors["M1"].RPM
		assert.Contains(t, fmt.Sprint(p.Warnings), "whatever the knob says")
		assert.Equal(t, electric.Fast, p.Motors["M1"].Speed)
	}
	assert.InDelta(t, rpm["full"], rpm["half"], 1)
}

func mostVolts(p *electric.Point) float64 {
	most := 0.0
	for _, v := range p.Pins {
		if v != nil {
			most = math.Max(most, math.Abs(*v))
		}
	}
	return most
}
