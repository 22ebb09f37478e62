// Package electric computes the operating point of a fan circuit: harness, set-up on the car
// and faults in, volts at every pin, amps in every wire, fan speeds, relay positions and
// warnings out.
//
// The one idea: what is wrong and what has been done to the car change the circuit that is
// solved, never the answer. A [Model] is a circuit as drawn, a [Network] the same circuit
// with its set-up and faults built in, a [Point] what that network shows in one state.
// Nodal analysis with a sparse Cholesky factor; motors by Newton's method; relays, modules
// and fuses iterated to rest with hysteresis.
package electric

import (
	"fmt"
	"math"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Model is a circuit as drawn, with what its healthy operating points tell about it. It is
// read-only once made.
type Model struct {
	Circuit *harness.Circuit

	pins     []harness.Pin        // every cavity
	cavity   map[harness.Pin]node // each cavity's node, the same in every network of the circuit
	cavityAt []node               // the same in the order of pins
	cavities int                  // so many nodes are cavities
	plus     node                 // the first battery's plus post
	fused    []string             // parts with a fuse, in the order of a network's fuses
	place    map[string]int
	top      map[string]*fanSteps // each fan's healthy speeds
	most     map[harness.Pin]float64
}

// New computes every state of the healthy circuit once.
func New(c *harness.Circuit) (*Model, error) {
	if len(c.OfKind(harness.KindBattery)) == 0 {
		return nil, fmt.Errorf("the circuit has no battery")
	}
	m := &Model{Circuit: c, place: map[string]int{}, top: map[string]*fanSteps{}, most: map[harness.Pin]float64{}}
	for i, p := range c.Parts {
		m.place[p.Name] = i
		m.pins = append(m.pins, p.Pins()...)
	}
	m.number()
	n, err := m.Network(nil, nil)
	if err != nil {
		return nil, err
	}
	for i := range n.fuses {
		m.fused = append(m.fused, n.fuses[i].part.Name)
	}
	m.runHealthy(n)
	return m, nil
}

// number gives each cavity a node of its own; the first battery's negative post is the zero of all volts and has none.
func (m *Model) number() {
	battery := m.Circuit.OfKind(harness.KindBattery)[0].Name
	m.cavity = make(map[harness.Pin]node, len(m.pins))
	for _, pin := range m.pins {
		at := node(m.cavities)
		if pin.Part == battery && pin.Name == "-" {
			at = post
		} else {
			m.cavities++
		}
		m.cavity[pin], m.cavityAt = at, append(m.cavityAt, at)
	}
	m.plus = m.cavity[harness.Pin{Part: battery, Name: "+"}]
}

// Network builds the circuit with a set-up and faults in it.
func (m *Model) Network(setup []Action, faults []fault.Fault) (*Network, error) {
	return m.build(setup, faults, nil)
}

// Pins lists every cavity of the circuit.
func (m *Model) Pins() []harness.Pin { return m.pins }

// TopRPM is a fan's highest healthy speed over all states, as they are drawn.
func (m *Model) TopRPM(fan string) float64 {
	if steps := m.top[fan]; steps != nil {
		return steps.drawn * 30 / math.Pi
	}
	return 0
}

// carriesLoad tells whether a pin lies in a fan's circuit, by its healthy currents.
func (m *Model) carriesLoad(pin harness.Pin) bool { return m.most[pin] >= loadAmps }

// Condition is what an operating point is asked for.
type Condition struct {
	State  *harness.State
	After  []*harness.State // entered first, in order
	Faults []fault.Fault
	Setup  []Action
	Car    Car
}

// Solve computes one operating point from a cold start.
func (m *Model) Solve(cond Condition) (*Point, error) {
	n, err := m.enter(cond, nil)
	if err != nil {
		return nil, err
	}
	p := n.Point(cond.State)
	for _, text := range m.surprises(cond, p) {
		p.Warnings = append(p.Warnings, Warning{"back-feed", "", text})
	}
	return p, nil
}

// enter builds the network for a condition and brings it into the state.
func (m *Model) enter(cond Condition, connect func(*Network) error) (*Network, error) {
	n, err := m.build(cond.Setup, cond.Faults, connect)
	if err != nil {
		return nil, err
	}
	n.Tune(cond.Car)
	n.Restore()
	for _, s := range cond.After {
		n.Enter(s)
	}
	n.Enter(cond.State)
	return n, nil
}
