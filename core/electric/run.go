package electric

import (
	"fmt"
	"math"

	"ironthread/core/harness"
)

// Stage is a state entered at a time, seconds from the start of a run.
type Stage struct {
	State *harness.State
	At    float64
}

// Run is what happens in time: a fan takes its inrush and picks up speed, fuses warm, a
// limiter without its airflow opens. Equal steps of Seconds; every series is as long as it.
type Run struct {
	Seconds []float64            `json:"seconds"`
	Supply  []float64            `json:"supply"`         // volts at the battery's positive post
	Pack    []float64            `json:"pack,omitempty"` // volts of a battery pack on direct power, where there is one
	Motors  map[string]*MotorRun `json:"motors"`
	Fuses   map[string]*FuseRun  `json:"fuses"`
	Cards   map[string]*CardRun  `json:"cards,omitempty"`
	Events  []Event              `json:"events"`
}

// MotorRun is one fan in time. Settles is when its current last came within a tenth of what it
// ends at, seconds after the stage in which it started; Peak its largest current.
type MotorRun struct {
	Amps    []float64 `json:"amps"`
	RPM     []float64 `json:"rpm"`
	Peak    float64   `json:"peak"`
	Running float64   `json:"running"`
	Settles float64   `json:"settles-s"`
}

// FuseRun is one fuse in time. Used is the share of the time it stands its currents that is
// gone, by the middle of its curve; UsedFast the same for the quickest fuse the standard
// permits: from 1 on such a fuse is open.
type FuseRun struct {
	Amps     []float64 `json:"amps"`
	Peak     float64   `json:"peak"`
	Used     float64   `json:"used"`
	UsedFast float64   `json:"used-fast"`
	OpenedAt *float64  `json:"opened-at-s"`
}

// CardRun is a resistor card in time.
type CardRun struct {
	Celsius  []float64 `json:"celsius"`
	OpenedAt *float64  `json:"opened-at-s"`
}

// Event is something that happened.
type Event struct {
	At   float64 `json:"at-s"`
	Text string  `json:"text"`
}

// Start runs the circuit through its stages for so many seconds in all. The stage at 0 comes
// first; the states of cond.After were held for long before it. airless names resistor cards
// and limiters that are out of their airflow.
func (m *Model) Start(cond Condition, stages []Stage, seconds float64, airless ...string) (*Run, error) {
	switch {
	case len(stages) == 0 || stages[0].At != 0:
		return nil, fmt.Errorf("a run begins with a state at 0 s")
	case !(seconds > 0 && seconds <= longestRun):
		return nil, fmt.Errorf("a run takes up to %.0f s, not %g", longestRun, seconds)
	}
	for i := 1; i < len(stages); i++ {
		if stages[i].At <= stages[i-1].At || stages[i].At >= seconds {
			return nil, fmt.Errorf("the state %s at %g s does not follow the one before it, within the run", stages[i].State.Name, stages[i].At)
		}
	}
	for _, name := range airless {
		if p := m.Circuit.Part(name); p == nil || p.Kind() != harness.KindResistorCard {
			return nil, fmt.Errorf("%s is no resistor card", name)
		}
	}
	r, err := m.beginRun(cond, airless)
	if err != nil {
		return nil, err
	}
	r.play(stages, seconds)
	return r.run, nil
}

// PeakAmps is the largest current at a pin, either way, in the first seconds of a state: what a clamp's peak hold shows of a
// start. The states of cond.After were held for long before it.
func (m *Model) PeakAmps(cond Condition, pin harness.Pin, seconds float64) (float64, error) {
	if !(seconds > 0 && seconds <= longestRun) {
		return 0, fmt.Errorf("a run takes up to %.0f s, not %g", longestRun, seconds)
	}
	r, err := m.beginRun(cond, nil)
	if err != nil {
		return 0, err
	}
	r.clamp = pin
	r.play([]Stage{{State: cond.State}}, seconds)
	return r.held, nil
}

// beginRun readies a run: the circuit as it was before it.
func (m *Model) beginRun(cond Condition, airless []string) (*runner, error) {
	n, err := m.build(cond.Setup, cond.Faults, nil)
	if err != nil {
		return nil, err
	}
	n.Tune(cond.Car)
	n.Restore()
	for _, s := range cond.After {
		n.Enter(s)
	}
	if len(cond.After) == 0 { // as cold: nothing turns
		for i := range n.motors {
			n.motors[i].omega = 0
		}
	}
	return newRunner(n, airless), nil
}

// runner plays one run.
type runner struct {
	n     *Network
	run   *Run
	cards []cardHeat
	t     float64
	every float64 // s between kept points
	due   float64
	clamp harness.Pin // where a clamp holds its peak; no part: nowhere
	held  float64
}

type cardHeat struct {
	name    string
	part    int
	opens   float64 // °C, 0: no limiter
	airless bool
	celsius float64
	gate    int // branch of the limiter
}

func newRunner(n *Network, airless []string) *runner {
	r := &runner{n: n, run: &Run{Motors: map[string]*MotorRun{}, Fuses: map[string]*FuseRun{}, Cards: map[string]*CardRun{}}}
	for i := range n.motors {
		r.run.Motors[n.motors[i].part.Name] = &MotorRun{}
	}
	for i := range n.fuses {
		r.run.Fuses[n.fuses[i].name] = &FuseRun{}
	}
	for i, p := range n.model.Circuit.Parts {
		card, ok := p.Spec.(*harness.ResistorCard)
		if !ok {
			continue
		}
		h := cardHeat{name: p.Name, part: i, opens: card.Opens, celsius: ambientCelsius, gate: n.limiterOf(i)}
		for _, name := range airless {
			h.airless = h.airless || name == p.Name
		}
		r.cards = append(r.cards, h)
		r.run.Cards[p.Name] = &CardRun{}
	}
	return r
}

// limiterOf finds the branch of a card's limiter: the first of its part.
func (n *Network) limiterOf(part int) int {
	for i := range n.branches {
		if n.branches[i].part == part {
			return i
		}
	}
	return -1
}

func (r *runner) play(stages []Stage, seconds float64) {
	r.n.spinning = true
	r.every = seconds / keptPoints
	next := 0
	for r.t < seconds-1e-9 {
		if next < len(stages) && r.t >= stages[next].At-1e-9 {
			r.event("%s", stages[next].State.Name)
			r.n.Enter(stages[next].State)
			next++
		}
		until := seconds
		if next < len(stages) {
			until = stages[next].At
		}
		r.n.now = r.t
		step := math.Min(r.step(), until-r.t)
		r.keep()
		r.advance(step)
		r.t += step
	}
	r.n.now = r.t
	r.due = 0
	r.keep()
	r.summarise(stages)
}

func (r *runner) event(format string, args ...any) {
	r.run.Events = append(r.run.Events, Event{r.t, fmt.Sprintf(format, args...)})
}

// step is fine while anything gathers speed, or a module ramps.
func (r *runner) step() float64 {
	for i := range r.n.motors {
		if math.Abs(r.n.motors[i].acceleration()) > steadyOmega {
			return runStep
		}
	}
	for i := range r.n.modules {
		if r.n.modules[i].ramping(r.n.now) {
			return runStep
		}
	}
	return runCoarse
}

// advance moves the rotors by the midpoint rule and warms fuses and cards over one step.
func (r *runner) advance(step float64) {
	n := r.n
	before := make([]float64, len(n.motors))
	for i := range n.motors {
		m := &n.motors[i]
		before[i] = m.omega
		m.omega += m.acceleration() * step / 2
	}
	n.settle()
	for i := range n.motors {
		m := &n.motors[i]
		m.omega = m.held(before[i], before[i]+m.acceleration()*step)
	}
	r.warm(step)
	n.settle()
}

// held stops a rotor that friction holds: it does not turn back through standstill within a
// step.
func (m *motor) held(before, after float64) float64 {
	if before != 0 && before*after < 0 || m.tuned.seized {
		return 0
	}
	return after
}

// acceleration is dω/dt in rad/s² at the present currents.
func (m *motor) acceleration() float64 {
	if m.tuned.seized {
		return 0
	}
	torque := 0.0
	for j, w := range m.tuned.windings {
		torque += w.k * m.amps[j]
	}
	drag := m.tuned.friction
	switch {
	case m.omega < 0:
		drag = -drag
	case m.omega == 0 && math.Abs(torque) <= drag:
		return 0
	case m.omega == 0 && torque < 0:
		drag = -drag
	}
	return (torque - drag - m.tuned.air*m.omega*math.Abs(m.omega)) / m.inertia
}

// warm uses up fuses and heats cards over one step.
func (r *runner) warm(step float64) {
	n := r.n
	r.closeAgain(step)
	for i := range n.fuses {
		f := &n.fuses[i]
		if n.opened[i] {
			continue
		}
		load := math.Abs(n.current(f.branch)) / f.amps
		run := r.run.Fuses[f.name]
		run.UsedFast += step / opensAtEdge(f.style, load)
		if run.Used += step / OpensInSeconds(f.style, load); run.Used >= 1 {
			n.opened[i] = true
			at := r.t + step
			run.OpenedAt = &at
			r.event("%s opens", f.name)
		}
	}
	for i := range r.cards {
		c := &r.cards[i]
		watts := 0.0
		for k := range n.branches {
			if n.branches[k].part == c.part {
				amps := n.current(k)
				watts += amps * amps / n.siemens[k]
			}
		}
		fold := cardKelvinPerWattIn
		if c.airless {
			fold = cardKelvinPerWattNo
		}
		c.celsius += step * (watts - (c.celsius-ambientCelsius)/fold) / cardJoulesPerKelvin
		run := r.run.Cards[c.name]
		if c.opens > 0 && c.celsius >= c.opens && run.OpenedAt == nil {
			at := r.t + step
			run.OpenedAt = &at
			n.branches[c.gate].gate = never // one-shot
			r.event("%s's limiter opens at %.0f °C", c.name, c.opens)
		}
	}
}

// keep notes the present figures where one is due.
func (r *runner) keep() {
	n := r.n
	r.peaks()
	if r.clamp.Part != "" {
		r.held = math.Max(r.held, math.Abs(n.ampsInto(r.clamp)))
	}
	if r.t < r.due-1e-9 {
		return
	}
	r.due = r.t + r.every
	r.run.Seconds = append(r.run.Seconds, r.t)
	r.run.Supply = append(r.run.Supply, n.at(n.batteryPlus()))
	if b := n.batteries[len(n.batteries)-1]; b.pack {
		r.run.Pack = append(r.run.Pack, n.at(b.plus)-n.at(b.minus))
	}
	for i := range n.motors {
		m := &n.motors[i]
		run := r.run.Motors[m.part.Name]
		run.Amps = append(run.Amps, m.total())
		run.RPM = append(run.RPM, m.omega*30/math.Pi)
	}
	for i := range n.fuses {
		run := r.run.Fuses[n.fuses[i].name]
		run.Amps = append(run.Amps, math.Abs(n.current(n.fuses[i].branch)))
	}
	for _, c := range r.cards {
		run := r.run.Cards[c.name]
		run.Celsius = append(run.Celsius, c.celsius)
	}
}

func (r *runner) peaks() {
	for i := range r.n.motors {
		m := &r.n.motors[i]
		run := r.run.Motors[m.part.Name]
		run.Peak = math.Max(run.Peak, math.Abs(m.total()))
	}
	for i := range r.n.fuses {
		run := r.run.Fuses[r.n.fuses[i].name]
		run.Peak = math.Max(run.Peak, math.Abs(r.n.current(r.n.fuses[i].branch)))
	}
}

// total is the current of all windings.
func (m *motor) total() float64 {
	sum := 0.0
	for _, amps := range m.amps {
		sum += amps
	}
	return sum
}

// summarise finds what each fan ends at and when it came there.
func (r *runner) summarise(stages []Stage) {
	for _, run := range r.run.Motors {
		last := len(run.Amps) - 1
		run.Running = run.Amps[last]
		k := last
		for k > 0 && math.Abs(run.Amps[k]-run.Running) <= 0.1*math.Abs(run.Running)+0.05 {
			k--
		}
		at := r.run.Seconds[k]
		began := 0.0
		for _, s := range stages {
			if s.At <= at {
				began = s.At
			}
		}
		run.Settles = at - began
	}
}
