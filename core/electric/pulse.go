package electric

import (
	"math"
	"slices"

	"ironthread/core/harness"
)

// A driver that works in pulses closes and opens its line some hundred times a second. What a
// meter shows of that is the mean over time, and the mean of a circuit that switches is not the
// circuit of a mean resistance: it is solved once with the line closed and once with it open, and
// the two are weighed by how long each lasts. Several lines that pulse at once are taken to close
// together and to open one after the other, the shortest pulse first. A module does not measure
// volts: it counts how long its own control pin is high, so that a weak ground or a second
// module on the line does not change what it reads.

// means gathers what the phases of a pulsed period add up to, each by its share of the time.
type means struct {
	volts  []float64
	motors []motorMean
	curves []float64 // amps
	lines  []float64 // amps of each driver's branch
}

type motorMean struct {
	found, amps []float64
	omega       float64
}

// relax solves the circuit for the present gates. Where lines pulse it leaves the means over a
// period, and each pulsed driver's branch with the conductance that carries its mean current at
// its mean volts.
func (n *Network) relax() {
	for i := range n.modules {
		n.modules[i].high = 0
	}
	pulsing := n.pulsing()
	if len(pulsing) == 0 {
		n.newton()
		n.count(1)
		return
	}
	n.mean.clear()
	unsettled := false
	n.phases(pulsing, func(share float64) {
		unsettled = unsettled || n.unsettled
		n.count(share)
		n.gather(share)
	})
	n.unsettled = unsettled
	n.leaveMeans(pulsing)
}

// phases solves the circuit in each phase of a pulsed period in turn, all lines closed first, and calls
// visit in each with its share of the time.
func (n *Network) phases(pulsing []int, visit func(share float64)) {
	begin := 0.0
	for k := 0; k <= len(pulsing); k++ {
		end := 1.0
		if k < len(pulsing) {
			end = n.onTime[pulsing[k]]
		}
		if end > begin {
			n.newton()
			visit(end - begin)
		}
		if k < len(pulsing) {
			n.resting[pulsing[k]], begin = true, end
		}
	}
}

// EachPhase brings the network into each phase of a pulsed period in turn, with its share of the
// time, and leaves it at the means again, so that another solver can be asked about each. Without pulsed
// lines there is one phase.
func (n *Network) EachPhase(visit func(share float64)) {
	n.phases(slices.Clone(n.pulsing()), visit)
	n.relax()
}

// pulsing lists the drivers that pulse now, the shortest pulse first, and puts every pulsed line
// back to where a period begins.
func (n *Network) pulsing() []int {
	list := n.pulsed[:0]
	for i := range n.drivers {
		d := &n.drivers[i]
		if !d.pulsed {
			continue
		}
		n.siemens[d.branch] = 1 / driverOhms
		n.resting[i] = n.onTime[i] <= 0
		if share := n.onTime[i]; share > 0 && share < 1 && n.works(i) && !d.alwaysOn {
			list = append(list, i)
		}
	}
	slices.SortStableFunc(list, func(a, b int) int {
		switch x, y := n.onTime[a], n.onTime[b]; {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	})
	return list
}

// works tells whether a driver's controller is alive and the driver itself not dead.
func (n *Network) works(driver int) bool {
	d := &n.drivers[driver]
	return !d.dead && !n.controllers[d.controller].dead && n.powered[d.controller]
}

// count lets every module see, for this share of the time, whether its control pin is high.
func (n *Network) count(share float64) {
	for i := range n.modules {
		m := &n.modules[i]
		if m.pwm == nil {
			continue
		}
		if n.at(m.control)-n.at(m.ground) > highAbove*(n.at(m.logic)-n.at(m.ground)) {
			m.high += share
		}
	}
}

// gather adds what this phase shows, by its share of the time.
func (n *Network) gather(share float64) {
	for i, v := range n.volts {
		n.mean.volts[i] += share * v
	}
	for i := range n.motors {
		m, sum := &n.motors[i], &n.mean.motors[i]
		sum.omega += share * m.omega
		for j := range m.found {
			sum.found[j] += share * m.found[j]
			sum.amps[j] += share * m.amps[j]
		}
	}
	for i := range n.curves {
		n.mean.curves[i] += share * n.curves[i].through()
	}
	for i := range n.drivers {
		if d := &n.drivers[i]; d.pulsed {
			n.mean.lines[i] += share * n.current(d.branch)
		}
	}
}

// leaveMeans puts the gathered means in the place of the last phase.
func (n *Network) leaveMeans(pulsing []int) {
	copy(n.volts, n.mean.volts)
	for i := range n.motors {
		m, mean := &n.motors[i], &n.mean.motors[i]
		m.omega = mean.omega
		copy(m.found, mean.found)
		copy(m.amps, mean.amps)
	}
	for i := range n.curves {
		n.curves[i].found = n.at(n.curves[i].a) - n.at(n.curves[i].b)
		n.curves[i].mean, n.curves[i].averaged = n.mean.curves[i], true
	}
	for _, i := range pulsing {
		b := n.drivers[i].branch
		n.resting[i] = false
		if volts := n.at(n.branches[b].a) - n.at(n.branches[b].b); volts != 0 {
			n.siemens[b] = n.mean.lines[i] / volts
		}
	}
}

func (m *means) clear() {
	clear(m.volts)
	clear(m.curves)
	clear(m.lines)
	for i := range m.motors {
		m.motors[i].omega = 0
		clear(m.motors[i].found)
		clear(m.motors[i].amps)
	}
}

// preparePulses makes room for the means; a circuit without pulsed drivers needs none.
func (n *Network) preparePulses() {
	n.onTime, n.resting = make([]float64, len(n.drivers)), make([]bool, len(n.drivers))
	n.pulsed = make([]int, 0, len(n.drivers))
	if !slices.ContainsFunc(n.drivers, func(d driver) bool { return d.pulsed }) {
		return
	}
	n.mean = means{volts: make([]float64, n.nodeCount), curves: make([]float64, len(n.curves)), lines: make([]float64, len(n.drivers))}
	for i := range n.motors {
		w := len(n.motors[i].from)
		n.mean.motors = append(n.mean.motors, motorMean{found: make([]float64, w), amps: make([]float64, w)})
	}
}

// pulse sets the share of the time for which a pulsed driver closes its line: the duty where the
// module it serves counts the low part of a period, the rest of it where it counts the high one.
func (n *Network) pulse(i int, s *harness.State, given bool) {
	d := &n.drivers[i]
	duty, known := n.model.Circuit.DutyIn(s, d.command, n.lastHeard)
	switch {
	case !given:
		duty = idleDuty
	case !known: // a command without a figure asks for all
		duty = mostDuty
	}
	n.onTime[i] = math.Min(duty, mostDuty) / 100 // a controller never gives what its module reads as a line held for good
	if d.serves == harness.High {
		n.onTime[i] = 1 - n.onTime[i]
	}
}

// servedLevel is the level that the module on a pulsed line counts; low where there is none. The
// module is looked for on the circuit as drawn, through whatever joins two ends.
func (m *Model) servedLevel(pin harness.Pin) harness.Level {
	level := harness.Low
	m.along(pin, passesPulses, func(at harness.Pin) bool {
		spec, ok := m.Circuit.Part(at.Part).Spec.(*harness.PWMModule)
		if !ok || spec.Control != at.Name {
			return false
		}
		if spec.OnLevel == harness.High {
			level = harness.High
		}
		return true
	})
	return level
}

func passesPulses(kind harness.Kind) bool { return kind.Traits().Passes }

// along walks from a pin over wires, and through parts of the kinds that pass, and shows each pin
// it comes to until found says that this was the one.
func (m *Model) along(from harness.Pin, passes func(harness.Kind) bool, found func(harness.Pin) bool) {
	seen := map[harness.Pin]bool{from: true}
	queue := []harness.Pin{from}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		if at != from && found(at) {
			return
		}
		var next []harness.Pin
		part := m.Circuit.Part(at.Part)
		if at == from || passes(part.Kind()) {
			for _, w := range m.Circuit.Wires {
				switch at {
				case w.From:
					next = append(next, w.To)
				case w.To:
					next = append(next, w.From)
				}
			}
		}
		if at != from && passes(part.Kind()) {
			next = append(next, otherEnds(part, at)...)
		}
		for _, p := range next {
			if !seen[p] {
				seen[p] = true
				queue = append(queue, p)
			}
		}
	}
}

// otherEnds are the pins that a passing part joins to one of its own.
func otherEnds(part *harness.Part, at harness.Pin) []harness.Pin {
	if part.Kind() == harness.KindConnector {
		side := map[byte]string{'a': "b", 'b': "a"}[at.Name[0]]
		return []harness.Pin{{Part: at.Part, Name: side + at.Name[1:]}}
	}
	return slices.DeleteFunc(part.Pins(), func(p harness.Pin) bool { return p == at })
}
