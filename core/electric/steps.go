package electric

import (
	"math"

	"ironthread/core/harness"
)

// A fan is slow or fast by the steps of its own circuit, at the supply of the moment: a fan that runs at what is its full speed
// on a resting battery is not slow because it would turn faster with the engine running, and the lower of two speeds that lie
// near each other is slow all the same.

// fanSteps are a fan's healthy speeds over all states, rad/s.
type fanSteps struct {
	drawn float64    // the highest, in the states as they are drawn
	top   [3]float64 // the highest with the engine off, running and cranking, whatever the states say of it
	step  float64    // the highest that is below it by more than a step, as a share of it; 0 where there is none
}

// What the engine does, as an index.
const (
	engineOff = iota
	engineRunning
	engineCranking
)

// runHealthy runs the healthy circuit through every state, with the engine as drawn and in each of the ways that it can be.
func (m *Model) runHealthy(n *Network) {
	for i := range n.motors {
		m.top[n.motors[i].part.Name] = &fanSteps{}
	}
	speeds := map[string][]float64{}
	for _, s := range m.Circuit.States {
		n.Restore()
		n.Enter(s)
		for i := range n.motors {
			motor := &n.motors[i]
			name, omega := motor.part.Name, math.Abs(motor.omega)
			speeds[name] = append(speeds[name], omega)
			m.top[name].drawn = math.Max(m.top[name].drawn, omega)
		}
		for i, w := range m.Circuit.Wires {
			amps := math.Abs(n.current(n.wires[i]))
			for _, pin := range []harness.Pin{w.From, w.To} {
				m.most[pin] = math.Max(m.most[pin], amps)
			}
		}
		for engine := range 3 {
			m.noteTop(n, s, engine)
		}
	}
	for name, steps := range m.top {
		for _, omega := range speeds[name] {
			if share := omega / steps.drawn; share < oneStep && share > steps.step {
				steps.step = share
			}
		}
	}
}

// noteTop notes how fast the fans run in a state with the engine off, running or cranking.
func (m *Model) noteTop(n *Network, s *harness.State, engine int) {
	under := *s
	under.Running, under.Cranking = engine == engineRunning, engine == engineCranking
	n.Restore()
	n.Enter(&under)
	for i := range n.motors {
		motor := &n.motors[i]
		top := &m.top[motor.part.Name].top[engine]
		*top = math.Max(*top, math.Abs(motor.omega))
	}
}

// share is a fan's speed as a share of its highest at the supply of the moment; the edge between slow and fast lies between
// its own two steps where the lower of them is near the higher.
func (n *Network) share(m *motor) float64 {
	steps, engine := n.model.top[m.part.Name], engineOff
	switch {
	case n.cranking:
		engine = engineCranking
	case n.running:
		engine = engineRunning
	}
	top := steps.top[engine]
	if top == 0 { // the controller keeps it off then
		top = steps.drawn
	}
	if top == 0 {
		return 0
	}
	share := m.omega / top
	edge := (steps.step + 1) / 2
	switch {
	case steps.step < FastFrom-besideEdge:
		return share
	case share <= edge:
		return share * FastFrom / edge
	}
	return FastFrom + (share-edge)*(1-FastFrom)/(1-edge)
}
