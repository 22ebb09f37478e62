package electric_test

import (
	"bufio"
	"bytes"
	"fmt"
	"math"
	"os/exec"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/library"
	"ironthread/soak"
)

// The outside judge: ngspice (Debian package ngspice), operating point analysis. It gets the
// circuit with its contacts where this package left them and must find the same volts and
// amps, by its own equations for the motors; and coil currents that justify the contacts.

// judged is one operating point to be compared. Where a line pulses the judge solves the circuit
// with the line closed and with it open, and its figures are weighed by time here.
type judged struct {
	name    string
	network *electric.Network
	point   *electric.Point
	phases  []phase
}

type phase struct {
	prefix string
	share  float64
}

// said is the judge's figure; false where it gives none in any phase.
func (j judged) said(found map[string]float64, name func(prefix string) string) (float64, bool) {
	sum, known := 0.0, false
	for _, p := range j.phases {
		v, ok := found[strings.ToLower(name(p.prefix))]
		sum += p.share * v
		known = known || ok
	}
	return sum, known
}

// deck is a batch of operating points for one run of ngspice.
type deck struct {
	text   bytes.Buffer
	points []judged
}

func (d *deck) add(t *testing.T, name string, n *electric.Network, s *harness.State) {
	t.Helper()
	j := judged{name: name, network: n, point: n.Point(s)}
	n.EachPhase(func(share float64) {
		p := phase{fmt.Sprintf("c%d_%d_", len(d.points), len(j.phases)), share}
		require.NoError(t, n.SPICE(&d.text, p.prefix))
		j.phases = append(j.phases, p)
	})
	d.points = append(d.points, j)
}

// run gives every node voltage and source current by its lower-case name.
func (d *deck) run(t testing.TB) map[string]float64 {
	t.Helper()
	text := "* fan circuits\n" + d.text.String() +
		electric.SPICEOptions + "\n" +
		".control\nset numdgt=13\nset width=512\nop\nprint all\n.endc\n.end\n"
	cmd := exec.Command("ngspice", "-b")
	cmd.Stdin = strings.NewReader(text)
	out, err := cmd.Output()
	if err != nil && !bytes.Contains(out, []byte(" = ")) {
		t.Fatalf("ngspice (Debian package ngspice): %v\n%.2000s", err, out)
	}
	found := map[string]float64{}
	lines := bufio.NewScanner(bytes.NewReader(out))
	for lines.Scan() {
		name, value, ok := strings.Cut(lines.Text(), " = ")
		if v, err := strconv.ParseFloat(strings.TrimSpace(value), 64); ok && err == nil {
			found[strings.TrimSpace(name)] = v
		}
	}
	if len(found) == 0 {
		t.Fatalf("ngspice gave no figures:\n%.3000s", out)
	}
	return found
}

// difference is the largest departure from the judge.
type difference struct {
	volts, share  float64
	wherePin, wAt string
	compared      int
}

const (
	limitVolts = 1e-3 // a millivolt
	limitShare = 1e-3 // a thousandth
	leastAmps  = 1e-6 // below this a current is the leak's
)

func (d *deck) compare(t *testing.T, c *harness.Circuit, found map[string]float64, worst *difference) {
	t.Helper()
	for _, j := range d.points {
		for name, volts := range j.point.Pins {
			if volts == nil {
				continue
			}
			judge, ok := j.said(found, func(prefix string) string { return prefix + electric.SPICEName(harness.ParsePin(name)) })
			if !ok {
				if *volts != 0 { // the reference post has no node of its own
					t.Errorf("%s: ngspice has no %s", j.name, name)
				}
				continue
			}
			worst.compared++
			if diff := math.Abs(*volts - judge); diff > worst.volts {
				worst.volts, worst.wherePin = diff, j.name+" "+name
			}
			if math.Abs(*volts-judge) > limitVolts {
				t.Errorf("%s: %s reads %.6f V here, %.6f V in ngspice", j.name, name, *volts, judge)
			}
		}
		for i, w := range j.point.Wires {
			judge, ok := j.said(found, func(prefix string) string { return fmt.Sprintf("v%sw%d#branch", prefix, i) })
			if !ok && w.Amps != 0 { // a broken wire has no source
				t.Errorf("%s: ngspice has no current for %s - %s", j.name, w.From, w.To)
				continue
			}
			diff := math.Abs(w.Amps - judge)
			if math.Abs(judge) < leastAmps && math.Abs(w.Amps) < leastAmps {
				continue
			}
			worst.compared++
			if share := diff / math.Abs(judge); share > worst.share {
				worst.share, worst.wAt = share, j.name+" "+w.From+"-"+w.To
			}
			if diff > limitShare*math.Abs(judge) {
				t.Errorf("%s: %s - %s carries %.6g A here, %.6g A in ngspice", j.name, w.From, w.To, w.Amps, judge)
			}
		}
		judgeContacts(t, c, j, found)
	}
}

// judgeContacts checks from ngspice's volts alone that each healthy coil's current allows
// the position its contacts are in.
func judgeContacts(t *testing.T, c *harness.Circuit, j judged, found map[string]float64) {
	t.Helper()
	at := func(p harness.Pin) float64 {
		v, _ := j.said(found, func(prefix string) string { return prefix + electric.SPICEName(p) })
		return v
	}
	for _, p := range c.OfKind(harness.KindRelay) {
		if strings.Contains(j.name, p.Name+" ") || strings.Contains(j.name, p.Name+".") {
			continue // the fault may be in this relay
		}
		across := math.Abs(at(harness.Pin{Part: p.Name, Name: "86"}) - at(harness.Pin{Part: p.Name, Name: "85"}))
		position := j.point.Relays[p.Name]
		// The format: pulls in at 7.5 V across the nominal coil, lets go below 2 V, at 12 V;
		// unless the drawing says otherwise.
		spec := p.Spec.(*harness.Relay)
		pullIn, dropOut := 7.5*c.Nominal()/12, 2*c.Nominal()/12
		if spec.PullIn > 0 {
			pullIn = spec.PullIn
		}
		if spec.DropOut > 0 {
			dropOut = spec.DropOut
		}
		if position == "at rest" && across > pullIn || position == "pulled in" && across < dropOut {
			t.Errorf("%s: %s is %s with %.2f V across its coil", j.name, p.Name, position, across)
		}
	}
}

func loadModel(t testing.TB, name string) *electric.Model {
	t.Helper()
	entry, err := library.Open(name)
	require.NoError(t, err)
	m, err := electric.New(entry.Circuit)
	require.NoError(t, err)
	return m
}

// TestAgreesWithNgspice compares every state of every library harness, healthy and with single faults, run through all
// states first so that what blows has blown: in every run with the kinds of faults that no circuit before had, in the soak
// with every fault.
func TestAgreesWithNgspice(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	entries, err := library.All()
	require.NoError(t, err)
	var worst difference
	runs := 0
	kinds := soak.Kinds{}
	for _, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		faults := []fault.Suspect{{}}
		for _, f := range fault.All(e.Circuit) {
			if kinds.Stands(diagnose.KindOf(e.Circuit, f.Fault)) {
				faults = append(faults, f)
			}
		}
		for len(faults) > 0 {
			batch := faults[:min(40, len(faults))]
			faults = faults[len(batch):]
			d := &deck{}
			for _, f := range batch {
				list := []fault.Fault{f.Fault}
				if f.Fault.Words == "" {
					list = nil
				}
				for _, s := range e.Circuit.States {
					n, err := m.Network(nil, list)
					require.NoError(t, err)
					for _, before := range e.Circuit.States {
						n.Rest()
						n.Enter(before)
					}
					n.Rest()
					n.Enter(s)
					d.add(t, e.Name+", "+f.Fault.String()+" , "+s.Name, n, s)
				}
			}
			d.compare(t, e.Circuit, d.run(t), &worst)
			runs += len(d.points)
		}
	}
	t.Logf("%d operating points, %d figures; largest difference %.3g V (%s), %.3g of a current (%s)",
		runs, worst.compared, worst.volts, worst.wherePin, worst.share, worst.wAt)
	require.Greater(t, runs, 60)
}

// BenchmarkNgspice is one batch run of the judge on one operating point, for the ratio.
func BenchmarkNgspice(b *testing.B) {
	m := loadModel(b, twin)
	n, err := m.Network(nil, nil)
	require.NoError(b, err)
	s := m.Circuit.State("high")
	n.Enter(s)
	d := &deck{}
	require.NoError(b, n.SPICE(&d.text, "c0_"))
	for b.Loop() {
		d.run(b)
	}
}
