package outside

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"fmt"
	"math"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Bars: a pin within a millivolt, a current within a thousandth.
const (
	barVolts  = 1e-3
	barShare  = 1e-3
	leastAmps = 1e-6 // below this a current is a leak's
)

// Where a controller or a module comes alive and dies, and what counts on a control wire, by the format.
const (
	aliveFrom, aliveTo = 0.5, 0.4
	pulledLow          = 1.0 / 3 // of the feed: an input is asserted
	countsHigh         = 0.5     // of the feed: a pulsed wire is high
	openFrom           = 0.985   // of the time high: nobody pulls it
	groundedTo         = 0.015
	idleOnTime         = 0.05
	pushedFrom         = 1e-6 // volts
)

// patience is how long one run of the simulator may take: a second is usual.
const patience = time.Minute

// trial is one operating point: what the product says of it, and what the judge is about to.
type trial struct {
	name   string
	c      *harness.Circuit
	model  *electric.Model
	state  *harness.State
	fault  fault.Fault
	setup  []electric.Action
	load   map[harness.Pin]bool
	point  *electric.Point
	guess  *guess
	phases []phase
	rounds int

	otherwise map[string]float64 // the judge's figures with other leaks, once asked for
	others    []phase
}

// phase is a part of a pulsed period, in which the same lines are closed.
type phase struct {
	prefix string
	share  float64
}

// solve asks ngspice for a whole batch; nothing where it finds no solution for some part of it.
func solve(t testing.TB, text string) map[string]float64 {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	cmd := exec.CommandContext(ctx, "ngspice", "-b")
	cmd.Stdin = strings.NewReader("* wired from the file\n" + text +
		".options reltol=1e-6 abstol=1e-9 vntol=1e-9 gmin=1e-14 itl1=2000\n" +
		".control\nset numdgt=13\nset width=512\nop\nprint all\n.endc\n.end\n")
	out, err := cmd.Output()
	if err != nil && len(out) == 0 {
		t.Fatalf("ngspice (Debian package ngspice): %v", err)
	}
	found := map[string]float64{}
	lines := bufio.NewScanner(bytes.NewReader(out))
	for lines.Scan() {
		name, value, ok := strings.Cut(lines.Text(), " = ")
		if v, err := strconv.ParseFloat(strings.TrimSpace(value), 64); ok && err == nil {
			found[strings.TrimSpace(name)] = v
		}
	}
	return found
}

// solveEach writes trials and has them solved: together, and where that finds no solution in halves, so that one
// that cannot be solved is named and does not hide the others. It gives the figures of each.
func solveEach(t testing.TB, batch []*trial) []map[string]float64 {
	var text strings.Builder
	for n, x := range batch {
		x.write(t, &text, n)
	}
	found := solve(t, text.String())
	if len(found) > 0 {
		return slices.Repeat([]map[string]float64{found}, len(batch))
	}
	if len(batch) == 1 {
		t.Errorf("%s: ngspice finds no solution", batch[0].name)
		return []map[string]float64{nil}
	}
	return append(solveEach(t, batch[:len(batch)/2]), solveEach(t, batch[len(batch)/2:])...)
}

// begin guesses the positions from what the product says; the judge must bear them out.
func (x *trial) begin() {
	g := &guess{pulledIn: map[string]bool{}, blown: map[string]bool{}, alive: map[string]bool{}, shares: map[string]float64{},
		turns: map[string]float64{}, pushed: map[string]bool{}, near: map[string]float64{}, commands: x.state.Commands}
	if g.commands == nil {
		g.commands = x.point.Commands
	}
	for name, word := range x.point.Relays {
		g.pulledIn[name] = word == "pulled in"
	}
	for name, f := range x.point.Fuses {
		g.blown[name] = f.Open
	}
	for name, m := range x.point.Motors {
		g.turns[name], g.near[name] = float64(cmp.Compare(m.RPM, 0)), m.RPM*math.Pi/30
	}
	for _, p := range x.c.Parts {
		switch spec := p.Spec.(type) {
		case *harness.Controller:
			g.alive[p.Name] = true
		case *harness.FanModule, *harness.PWMModule:
			g.alive[p.Name] = x.point.Modules[p.Name] != "no power"
			_ = spec
		case *harness.SolidState: // the judge decides from there
			g.alive[p.Name] = x.state.Key
		}
	}
	x.guess = g
}

// pulsed lists the drivers that pulse, with the share of the time for which each closes its line; the
// shortest first.
func (x *trial) pulsed() (names []string, share map[string]float64) {
	share = map[string]float64{}
	for _, p := range x.c.OfKind(harness.KindController) {
		for _, role := range p.Spec.(*harness.Controller).PinRoles {
			if role.PWMOn == "" {
				continue
			}
			on := idleOnTime
			if duty, known := x.state.DutyOf(role.PWMOn); known && slices.Contains(x.guess.commands, role.PWMOn) {
				on = duty / 100
			}
			if x.servesHigh(harness.Pin{Part: p.Name, Name: role.Name}) {
				on = 1 - on
			}
			name := p.Name + "." + role.Name
			share[name] = on
			names = append(names, name)
		}
	}
	slices.SortStableFunc(names, func(a, b string) int { return cmp.Compare(share[a], share[b]) })
	return names, share
}

// servesHigh tells whether the module at the other end of a pulsed wire counts the high part of a period.
func (x *trial) servesHigh(from harness.Pin) bool {
	seen := map[harness.Pin]bool{}
	var walk func(at harness.Pin) bool
	walk = func(at harness.Pin) bool {
		if seen[at] {
			return false
		}
		seen[at] = true
		part := x.c.Part(at.Part)
		if spec, ok := part.Spec.(*harness.PWMModule); ok && spec.Control == at.Name {
			return spec.OnLevel == harness.High
		}
		if spec, ok := part.Spec.(*harness.Connector); ok {
			pins := spec.Pins()
			k := slices.Index(pins, at.Name)
			if walk(harness.Pin{Part: at.Part, Name: pins[k^1]}) {
				return true
			}
		}
		for _, w := range x.c.Wires {
			if w.From == at && walk(w.To) || w.To == at && walk(w.From) {
				return true
			}
		}
		return false
	}
	return walk(from)
}

// write puts the trial's netlists into a batch, one for each phase.
func (x *trial) write(t testing.TB, batch *strings.Builder, number int) {
	x.leaking(t, batch, number, usualLeak)
}

// leaking is write with another leak than the usual from every node.
func (x *trial) leaking(t testing.TB, batch *strings.Builder, number int, leak float64) {
	names, on := x.pulsed()
	x.phases = nil
	begin := 0.0
	for k := 0; k <= len(names); k++ {
		end := 1.0
		if k < len(names) {
			end = on[names[k]]
		}
		if end <= begin {
			continue
		}
		closed := map[string]bool{}
		for _, name := range names[k:] {
			closed[name] = true
		}
		s := &sheet{
			t: t, c: x.c, fault: x.fault, apart: map[string]bool{}, plug: map[string]float64{}, state: x.state, load: x.load,
			guess: x.guess, closed: closed, leak: leak, prefix: fmt.Sprintf("q%d_%d_", number, k), text: batch, written: map[string]bool{},
		}
		x.setUp(t, s)
		s.write()
		x.phases = append(x.phases, phase{s.prefix, end - begin})
		begin = end
	}
}

// setUp says what is done to the car, by the words of the format.
func (x *trial) setUp(t testing.TB, s *sheet) {
	at := func(p harness.Pin) string { return s.cavity(p) }
	for _, a := range x.setup {
		switch words := strings.Fields(a.String()); words[0] {
		case "jumper":
			s.leads = append(s.leads, [2]string{at(harness.ParsePin(words[1])), at(harness.ParsePin(words[2]))})
		case "ground":
			s.leads = append(s.leads, [2]string{at(harness.ParsePin(words[1])), "0"})
		case "feed":
			s.leads = append(s.leads, [2]string{at(harness.ParsePin(words[1])), at(harness.Pin{Part: s.battery().Name, Name: "+"})})
		case "sensor":
			ohms, err := strconv.ParseFloat(words[3], 64)
			require.NoError(t, err)
			s.apart[words[1]], s.plug[words[1]] = true, ohms
		default:
			s.apart[words[0]] = true
		}
	}
}

// mean is the judge's figure over the phases; false where it has none.
func (x *trial) mean(found map[string]float64, name func(prefix string) string) (float64, bool) {
	sum, known := 0.0, false
	for _, p := range x.phases {
		v, ok := found[strings.ToLower(name(p.prefix))]
		sum += p.share * v
		known = known || ok
	}
	return sum, known
}

// volts is the judge's volts at a pin, on the part's side where it has one of its own.
func (x *trial) volts(found map[string]float64, part, pin string, inner bool) float64 {
	v, ok := 0.0, false
	if inner {
		v, ok = x.mean(found, func(prefix string) string { return prefix + "t_" + spelled.Replace(part+"."+pin) })
	}
	if !ok {
		v, _ = x.mean(found, func(prefix string) string { return prefix + "c_" + spelled.Replace(part+"."+pin) })
	}
	return v
}

// borneOut holds the guess against the judge's figures alone, and mends it; false where it had to. What it
// cannot mend (a relay that should stand otherwise) is an error of the product's.
func (x *trial) borneOut(found map[string]float64) bool {
	nominal := 12.0
	if x.c.SupplyVolts(false) > 18 {
		nominal = 24
	}
	steady := true
	set := func(at map[string]bool, name string, v bool) {
		if at[name] != v {
			at[name], steady = v, false
		}
	}
	railVolts := func(p *harness.Part, plus, minus []string) float64 {
		rail := func(pins []string, without float64) float64 {
			if len(pins) == 0 {
				return without
			}
			v, _ := x.mean(found, func(prefix string) string {
				return prefix + "r_" + spelled.Replace(p.Name) + "_" + spelled.Replace(strings.Join(pins, "_"))
			})
			return v
		}
		return rail(plus, nominal) - rail(minus, 0)
	}
	lives := func(p *harness.Part, volts float64) {
		was := x.guess.alive[p.Name]
		set(x.guess.alive, p.Name, volts > aliveFrom*nominal || was && volts > aliveTo*nominal)
	}
	share := func(p *harness.Part, pin string, v float64) {
		name := p.Name + "." + pin
		dead := x.fault.On == fault.OnRole && x.fault.Pin == harness.Pin{Part: p.Name, Name: pin} && x.fault.Words == fault.Dead
		if !x.guess.alive[p.Name] || dead || x.fault.On == fault.OnPart && x.fault.Part == p.Name && x.fault.Words == fault.NoPower {
			v = 0
		}
		if v > 0 && x.pushedBack(found, p, pin, v, false) {
			v = 0
		}
		if math.Abs(x.guess.shares[name]-v) > 1e-9 {
			x.guess.shares[name], steady = v, false
		}
	}
	deadInput := func(p *harness.Part, pin string) bool {
		return x.fault.On == fault.OnRole && x.fault.Pin == harness.Pin{Part: p.Name, Name: pin} && x.fault.Words == fault.Dead
	}
	for _, p := range x.c.Parts {
		switch spec := p.Spec.(type) {
		case *harness.SolidState:
			volts := x.volts(found, p.Name, "c+", true) - x.volts(found, p.Name, "c-", true)
			set(x.guess.alive, p.Name, volts >= solidOn || x.guess.alive[p.Name] && volts > solidOff)
		case *harness.Controller:
			if power, ground := rolesOf(spec); len(power) > 0 {
				lives(p, railVolts(p, power, ground))
			}
		case *harness.FanModule:
			volts := railVolts(p, livesOn(spec.Feeds, spec.Logic), spec.Grounds)
			lives(p, volts)
			ground := railVolts(p, livesOn(spec.Feeds, spec.Logic), nil) - volts // of the ground rail
			row := x.row(p, spec, func(pin string) bool {
				return !deadInput(p, pin) && x.volts(found, p.Name, pin, true)-ground < pulledLow*volts
			})
			for _, out := range spec.Outputs() {
				if row == nil {
					share(p, out, 0)
				} else {
					share(p, out, row.Drive[out])
				}
			}
		case *harness.PWMModule:
			lives(p, railVolts(p, livesOn(spec.Feeds, spec.Logic), spec.Grounds))
			high := 0.0
			for _, ph := range x.phases {
				alone := *x
				alone.phases = []phase{{ph.prefix, 1}}
				feed, _ := alone.mean(found, func(prefix string) string {
					return prefix + "r_" + spelled.Replace(p.Name) + "_" + spelled.Replace(strings.Join(livesOn(spec.Feeds, spec.Logic), "_"))
				})
				ground, _ := alone.mean(found, func(prefix string) string {
					return prefix + "r_" + spelled.Replace(p.Name) + "_" + spelled.Replace(strings.Join(spec.Grounds, "_"))
				})
				if alone.volts(found, p.Name, spec.Control, true)-ground > countsHigh*(feed-ground) {
					high += ph.share
				}
			}
			v := pwmShare(spec, high, deadInput(p, spec.Control), x.fault.On == fault.OnPart && x.fault.Part == p.Name &&
				x.fault.Words == fault.StuckFull)
			for _, o := range spec.Outputs {
				share(p, o.Plus, v)
			}
		case *harness.SpeedController:
			v := spec.ShareIn(x.state, p.Name)
			if x.fault.On == fault.OnPart && x.fault.Part == p.Name && x.fault.Words == fault.StuckFull {
				v = 1
			}
			set(x.guess.pushed, p.Name+".out", x.pushedBack(found, p, "out", v, spec.Side != harness.High))
		}
	}
	return steady
}

// livesOn are the pins that a module's electronics live on.
func livesOn(feeds, logic []string) []string {
	if len(logic) > 0 {
		return logic
	}
	return feeds
}

// pushedBack tells whether an output is held above what its share would give, and so carries nothing: a
// switch is no transformer that works backwards.
func (x *trial) pushedBack(found map[string]float64, p *harness.Part, pin string, share float64, low bool) bool {
	feeds, grounds := []string{"+"}, []string{"-"}
	rail := func(pins []string) float64 { return x.volts(found, p.Name, pins[0], true) }
	switch spec := p.Spec.(type) {
	case *harness.FanModule:
		feeds, grounds = spec.Feeds, spec.Grounds
	case *harness.PWMModule:
		feeds, grounds = spec.Feeds, spec.Grounds
	}
	if p.Kind() != harness.KindSpeedController {
		rail = func(pins []string) float64 {
			v, _ := x.mean(found, func(prefix string) string {
				return prefix + "r_" + spelled.Replace(p.Name) + "_" + spelled.Replace(strings.Join(pins, "_"))
			})
			return v
		}
	}
	feed, ground, out := rail(feeds), rail(grounds), x.volts(found, p.Name, pin, true)
	if low {
		return (1-share)*feed+share*ground-out > pushedFrom
	}
	return out-share*feed-(1-share)*ground > pushedFrom
}

// row finds the row of a module's table whose inputs, and no others, are asserted.
func (x *trial) row(p *harness.Part, spec *harness.FanModule, asserted func(pin string) bool) *harness.Row {
	for k, row := range spec.Table {
		fits := true
		for _, pin := range spec.Inputs {
			fits = fits && asserted(pin) == slices.Contains(row.When, pin)
		}
		if !fits {
			continue
		}
		dead := x.fault.On == fault.OnPart && x.fault.Part == p.Name && x.fault.Words == fault.StepDead &&
			x.fault.Item == strconv.Itoa(k+1)
		if dead {
			return nil
		}
		return row
	}
	return nil
}

// pwmShare is what a module makes of the share of the time for which its control wire is high.
func pwmShare(spec *harness.PWMModule, high float64, dead, stuck bool) float64 {
	from, to := or(spec.Min, 10), or(spec.Max, 90)
	fall := func(word harness.Fallback, otherwise float64) float64 {
		switch word {
		case harness.FallFull:
			return 1
		case "":
			return otherwise
		}
		return 0
	}
	duty := 100 * (1 - high)
	if spec.OnLevel == harness.High {
		duty = 100 * high
	}
	switch {
	case stuck:
		return 1
	case dead, high > openFrom:
		return fall(spec.Open, 1)
	case high < groundedTo:
		return fall(spec.Grounded, 0)
	case duty < from:
		return 0
	}
	return min(1, duty/to)
}
