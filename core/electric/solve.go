package electric

import (
	"slices"

	"ironthread/core/harness"
)

// place is where one conductance goes in the matrix: the two diagonals (post for none) and
// the off-diagonal slot (-1 for none).
type place struct {
	a, b node
	slot int32
}

// solver is the numeric half of a Network. Everything is allocated by prepare; entering a
// state allocates nothing.
type solver struct {
	car     Car
	siemens []float64 // of each branch for this car, gate aside
	matrix  *ldl

	diag, off, rhs    []float64 // linear part for the present gates
	diagN, offN, rhsN []float64 // with the motors linearised
	volts             []float64 // per node; what the last solve found
	joined            []int32   // union-find over conducting branches
	live              int32     // root of the battery's island

	// Memory: what history leaves behind, and what the state asks for.
	pulledIn    []bool // relays
	opened      []bool // fuses
	closed      []bool // switches
	powered     []bool // controllers
	driven      []bool // drivers: the command holds
	held        []string
	keyed       bool
	lastHeard   harness.Heard
	hertz       float64 // of pulsed lines, where the state says it
	running     bool
	cranking    bool
	complaining bool                              // states are held for as long as somebody drives before the complaint
	stands      bool                              // the set-up says something of how the vehicle stands, over the states
	asStood     map[*harness.State]*harness.State // each state as that has it, once asked for
	buzzing     []bool
	flipped     []bool
	seen        []uint64
	unsettled   bool // Newton did not come to rest

	onTime  []float64 // share of a period for which each pulsed driver closes its line
	resting []bool    // pulsed drivers whose line is open in the phase being solved
	pulsed  []int     // room for the list of those that pulse
	mean    means
	metered node // where a voltmeter's lead lies, post for nowhere

	// In a run, rotors have the speed they have gathered and fuses take their time.
	spinning bool
	now      float64 // s
}

// prepare lays out the matrix.
func (n *Network) prepare() {
	index := map[pair]int32{}
	var pairs []pair
	slotOf := func(a, b node) int32 {
		if a == post || b == post || a == b {
			return -1
		}
		p := pair{int32(min(a, b)), int32(max(a, b))}
		s, ok := index[p]
		if !ok {
			s = int32(len(pairs))
			index[p] = s
			pairs = append(pairs, p)
		}
		return s
	}
	for i := range n.branches {
		b := &n.branches[i]
		b.slot = slotOf(b.a, b.b)
	}
	n.placeFurther(slotOf)
	for i := range n.motors {
		m := &n.motors[i]
		w := len(m.from)
		m.at, m.found, m.amps = make([]float64, w), make([]float64, w), make([]float64, w)
		m.tuned.windings = make([]winding, w)
		for j := range w {
			m.places = append(m.places, place{m.from[j], m.to[j], slotOf(m.from[j], m.to[j])})
			m.couple(j, slotOf)
		}
	}
	count := n.nodeCount
	n.matrix = newLDL(count, pairs, n.late())
	n.siemens = make([]float64, len(n.branches))
	n.diag, n.rhs = make([]float64, count), make([]float64, count)
	n.diagN, n.rhsN = make([]float64, count), make([]float64, count)
	n.off, n.offN = make([]float64, len(pairs)), make([]float64, len(pairs))
	n.volts = make([]float64, count)
	n.joined = make([]int32, count+1)
	n.pulledIn, n.buzzing = make([]bool, len(n.relays)), make([]bool, len(n.relays))
	n.flipped = make([]bool, len(n.relays))
	n.opened = make([]bool, len(n.fuses))
	n.closed = make([]bool, len(n.switches))
	n.powered = make([]bool, len(n.controllers))
	n.driven = make([]bool, len(n.drivers))
	n.seen = make([]uint64, 0, maxRounds)
	n.metered = post
	n.preparePulses()
	n.Tune(Car{})
}

// late marks the nodes of what is no straight line: motors, lamps and diodes.
func (n *Network) late() []bool {
	late := make([]bool, n.nodeCount)
	mark := func(at node) {
		if at != post {
			late[at] = true
		}
	}
	for i := range n.motors {
		for j := range n.motors[i].from {
			mark(n.motors[i].from[j])
			mark(n.motors[i].to[j])
		}
	}
	for i := range n.curves {
		mark(n.curves[i].a)
		mark(n.curves[i].b)
	}
	return late
}

// Tune sets the car the network is on. It forgets nothing else.
func (n *Network) Tune(car Car) {
	n.car = car
	for i := range n.branches {
		b := &n.branches[i]
		ohms := b.ohms
		switch b.stray {
		case coilStrays:
			ohms *= factor(car.Coil, b.part)
		case faultStrays:
			ohms *= orOne(car.FaultOhms)
		}
		n.siemens[i] = 1 / ohms
	}
	for i := range n.motors {
		m := &n.motors[i]
		m.tuned.friction = m.drawn.friction * factor(car.Friction, m.index)
		if m.worn {
			m.tuned.friction *= orOne(car.FaultWear)
		}
		m.tuned.air, m.tuned.seized = m.drawn.air, m.drawn.seized
		for j, w := range m.drawn.windings {
			m.tuned.windings[j] = winding{ohms: w.ohms * factor(car.Armature, m.index), k: w.k}
		}
	}
}

// Rest puts every relay at rest and forgets the commands; blown fuses stay blown.
func (n *Network) Rest() {
	for i := range n.relays {
		n.pulledIn[i] = n.relays[i].stuckIn
	}
	clear(n.closed)
	for i := range n.solids {
		n.solids[i].on = n.solids[i].shorted
	}
	n.restModules()
	n.held = nil
}

// Restore makes every fuse whole again and puts the relays at rest.
func (n *Network) Restore() {
	clear(n.opened)
	n.Rest()
}

// Complain runs the network through every state from whole fuses on, each held for half an hour as somebody drives before
// they complain, and gives what has blown then.
func (n *Network) Complain(states []*harness.State) uint64 {
	n.complaining = true
	n.Restore()
	for _, s := range states {
		n.Rest()
		n.Enter(s)
	}
	n.complaining = false
	return n.Blown()
}

// Blown gives which fuses have blown, a bit a fuse in the order of the circuit.
func (n *Network) Blown() uint64 {
	var bits uint64
	for i, open := range n.opened {
		if open && n.fuses[i].returns == 0 {
			bits |= 1 << (i % 64)
		}
	}
	return bits
}

// SetBlown takes over which fuses have blown.
func (n *Network) SetBlown(bits uint64) {
	for i := range n.opened {
		n.opened[i] = bits&(1<<(i%64)) != 0
	}
}

// Enter puts the car in a state and lets relays, modules and fuses come to rest, from where
// the state before left them.
func (n *Network) Enter(s *harness.State) {
	s = n.under(s)
	for i := range n.switches {
		n.closed[i] = n.switches[i].stuck || n.switches[i].closes(s, n.closed[i])
	}
	n.sense(s)
	n.closeBreakers()
	before := n.held
	n.lastHeard = harness.Heard{}
	n.command(s, n.model.Circuit.CommandsIn(s, before, harness.Heard{}))
	for i := range n.powered {
		n.powered[i] = true
	}
	clear(n.buzzing)
	for i := range n.modules {
		n.modules[i].restless = false
	}
	n.settle()
	n.listen(s, before)
}

// under is a state as the set-up has it, worked out once a state.
func (n *Network) under(s *harness.State) *harness.State {
	if n.stands {
		drawn := s
		if s = n.asStood[drawn]; s == nil {
			s = Under(drawn, n.setup)
			n.asStood[drawn] = s
		}
	}
	n.hertz = s.Hertz
	n.keyed, n.running, n.cranking = s.Key, s.Running, s.Cranking
	return s
}

// command gives the drivers their commands.
func (n *Network) command(s *harness.State, held []string) {
	n.held = held
	for i := range n.drivers {
		d := &n.drivers[i]
		given := slices.Contains(held, d.command)
		n.driven[i] = given != d.inverted
		if d.pulsed {
			n.pulse(i, s, given)
		}
	}
}

// conducts tells whether a branch's gate lets current through now.
func (n *Network) conducts(b *branch) bool {
	switch b.gate {
	case always:
		return true
	case makeContact:
		return n.pulledIn[b.index]
	case restContact:
		return !n.pulledIn[b.index]
	case closedSwitch:
		return n.closed[b.index]
	case whole:
		return !n.opened[b.index]
	case solidly:
		return n.solids[b.index].on
	case chopping:
		return n.choppers[b.index].outright
	case driving:
		d := &n.drivers[b.index]
		switch {
		case d.alwaysOn:
			return true
		case d.pulsed:
			return !n.resting[b.index] && n.works(b.index)
		}
		return n.driven[b.index] && n.works(b.index)
	}
	return false
}

// at is a node's volts against the battery's negative post.
func (n *Network) at(x node) float64 {
	if x == post {
		return 0
	}
	return n.volts[x]
}

// current is the amps through a branch from its first node to its second.
func (n *Network) current(i int) float64 {
	b := &n.branches[i]
	if !n.conducts(b) {
		return 0
	}
	return (n.at(b.a) - n.at(b.b)) * n.siemens[i]
}

func stamp(diag, off []float64, p place, g float64) {
	if p.a != post {
		diag[p.a] += g
	}
	if p.b != post {
		diag[p.b] += g
	}
	if p.slot >= 0 {
		off[p.slot] -= g
	}
}

// inject adds a current that flows from a to b inside an element.
func inject(rhs []float64, a, b node, amps float64) {
	if a != post {
		rhs[a] -= amps
	}
	if b != post {
		rhs[b] += amps
	}
}

// linear assembles all but the motors for the present gates.
func (n *Network) linear() {
	for i := range n.diag {
		n.diag[i], n.rhs[i] = leakSiemens, 0
	}
	clear(n.off)
	for i := range n.branches {
		b := &n.branches[i]
		if n.conducts(b) {
			stamp(n.diag, n.off, place{b.a, b.b, b.slot}, n.siemens[i])
		}
	}
	for i := range n.drives {
		n.stampDrive(&n.drives[i])
	}
	if n.metered != post {
		n.diag[n.metered] += 1 / meterOhms
	}
	if n.injected.amps != 0 {
		inject(n.rhs, n.injected.b, n.injected.a, n.injected.amps)
	}
	for i := range n.batteries {
		b := &n.batteries[i]
		if !b.out {
			inject(n.rhs, b.minus, b.plus, n.emf(b)*n.siemens[b.branch])
		}
	}
}

// emf is a battery's open-circuit volts on this car in this state.
func (n *Network) emf(b *battery) float64 {
	switch {
	case b.pack:
		return packVolts * n.model.Circuit.Nominal() / 12
	case b.flat > 0:
		return b.flat + n.car.Supply
	case n.running:
		return b.emfRunning + n.car.Charging
	case n.cranking:
		return b.emfOff*crankingShare + n.car.Cranking
	}
	return b.emfOff + n.car.Supply
}

// newton finds the operating point for the present gates: the motors are replaced by their
// tangents until the tangents stay. The characteristics rise everywhere, so there is one
// solution.
func (n *Network) newton() {
	n.linear()
	for i := range n.curves {
		n.curves[i].averaged = false
	}
	n.unsettled = false
	if len(n.motors) == 0 && len(n.curves) == 0 {
		n.unsettled = !n.matrix.factor(n.diag, n.off)
		n.matrix.solve(n.rhs, n.volts)
		return
	}
	if !n.matrix.factorHead(n.diag, n.off) {
		n.unsettled = true
		return
	}
	n.matrix.beginSolve(n.rhs)
	defer n.matrix.solveHead(n.volts)
	for try := range 2 * maxNewton {
		if try == maxNewton { // begin again, with smaller steps
			for i := range n.motors {
				clear(n.motors[i].at)
			}
		}
		least := leastSlope
		if try >= maxNewton {
			least = carefulSlope
		}
		copy(n.diagN, n.diag)
		copy(n.offN, n.off)
		copy(n.rhsN, n.rhs)
		for i := range n.motors {
			n.stampMotor(&n.motors[i], least)
		}
		for i := range n.curves {
			n.stampCurve(&n.curves[i])
		}
		if !n.matrix.factorTail(n.diagN, n.offN) {
			break
		}
		n.matrix.solveTail(n.rhsN, n.rhs, n.volts)
		settled := n.followMotors()
		if n.followCurves() && settled {
			return
		}
	}
	n.unsettled = true
}
