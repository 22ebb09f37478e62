package electric

import (
	"fmt"
	"slices"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// node is a place in the matrix. The battery's negative post is the zero of all volts and
// has no row.
type node int32

const post node = -1

// gate says what makes a branch conduct.
type gate uint8

const (
	always      gate = iota
	never            // broken: kept so that indices stay
	makeContact      // relay index pulled in
	restContact      // relay index at rest
	closedSwitch
	whole // fuse index not open
	driving
	chopping // speed controller index closed outright
	solidly  // solid-state relay index on
)

// stray says which of a car's departures applies to a branch's ohms.
type stray uint8

const (
	asDrawn stray = iota
	coilStrays
	faultStrays
)

// branch is a conductance between two nodes.
type branch struct {
	a, b  node
	ohms  float64
	gate  gate
	index int
	stray stray
	part  int // place in Circuit.Parts
	slot  int32
}

type relay struct {
	part             *harness.Part
	coil             int // branch, -1 when the coil is open
	makeB, restB     int // branches, -1 where there is none
	pullIn, dropOut  float64
	stuck            bool
	stuckIn          bool
	ratedMk, ratedRs float64
}

// switchGate is anything the state itself opens and closes: switch, selector position,
// thermal or pressure contact. before is how it was in the state before.
type switchGate struct {
	stuck  bool // closed whatever the state says
	closes func(s *harness.State, before bool) bool
}

type fuseGate struct {
	name   string // the part's, or "K1 fuse" for one built into a relay
	part   *harness.Part
	style  harness.FuseStyle
	branch int
	amps   float64

	returns, cooled float64 // seconds after which a breaker closes again, and for which it has been open; 0: it does not
}

// driver is a controller's pin that closes to ground or to power.
type driver struct {
	controller int
	command    string
	inverted   bool
	dead       bool
	alwaysOn   bool
	pulsed     bool
	serves     harness.Level // of a pulsed one: the level its module counts
	branch     int
	pin        harness.Pin
}

type controller struct {
	part          *harness.Part
	power, ground node
	hasPower      bool
	dead          bool
}

// motor is a machine between nodes, one pair of nodes a winding.
type motor struct {
	part     *harness.Part
	index    int // place in Circuit.Parts
	drawn    machine
	tuned    machine // to the car
	from, to []node
	worn     bool // friction fault without a figure

	places    []place // of each winding in the matrix
	couplings []coupling
	at        []float64 // winding volts where it is linearised
	found     []float64 // winding volts of the last solve
	amps      []float64
	omega     float64 // rad/s
	inertia   float64 // kg·m²
}

type battery struct {
	plus, minus node
	emfOff      float64
	emfRunning  float64
	ohms        float64
	flat        float64 // open-circuit volts of a flat one, 0 when well
	out         bool
	pack        bool // a battery pack for direct power
	branch      int
}

// Network is a circuit as it stands on the car: set-up and faults built in, ready to be
// solved for any state and any car. It is not for use by several goroutines at once.
type Network struct {
	model  *Model
	faults []fault.Fault
	setup  []Action

	inner       map[harness.Pin]node // the part's side of its pins, once asked for; the cavities are the model's
	nodeCount   int
	branches    []branch
	wires       []int // branch of each wire of the circuit
	relays      []relay
	switches    []switchGate
	fuses       []fuseGate
	solids      []solid
	fits        []bool // the motors that turned when a breaker opened which closes again; nil: none has
	drivers     []driver
	controllers []controller
	motors      []motor
	batteries   []battery
	curves      []curve
	drives      []drive
	modules     []module
	sensors     []sensor
	hears       []ear
	choppers    []chopper
	injected    injection

	solver
}

// build makes the network; connect, where given, adds an instrument.
func (m *Model) build(setup []Action, faults []fault.Fault, connect func(*Network) error) (*Network, error) {
	n := &Network{
		model: m, setup: setup, faults: carried(faults, setup), nodeCount: m.cavities,
		inner: make(map[harness.Pin]node, len(m.pins)),
	}
	if n.stands = slices.ContainsFunc(setup, Action.Stands); n.stands {
		n.asStood = make(map[*harness.State]*harness.State, len(m.Circuit.States))
	}
	c := m.Circuit
	for _, w := range c.Wires {
		n.addWire(w)
	}
	for i, p := range c.Parts {
		n.addPart(i, p)
	}
	for _, a := range setup {
		if err := n.addAction(a); err != nil {
			return nil, err
		}
	}
	if connect != nil {
		if err := connect(n); err != nil {
			return nil, err
		}
	}
	n.prepare()
	return n, nil
}

func (n *Network) newNode() node {
	n.nodeCount++
	return node(n.nodeCount - 1)
}

// nodeOf is a pin's node, on the harness's side or the part's; false where there is no such pin.
func (n *Network) nodeOf(pin harness.Pin) (node, bool) {
	of := n.model.cavity
	if pin.Inner {
		of = n.inner
	}
	found, ok := of[pin]
	return found, ok
}

func (n *Network) add(b branch) int {
	n.branches = append(n.branches, b)
	return len(n.branches) - 1
}

// resist adds a fixed resistance between two nodes.
func (n *Network) resist(a, b node, ohms float64, part int) int {
	return n.add(branch{a: a, b: b, ohms: ohms, part: part})
}

// faultOf finds a fault of these words on a part.
func (n *Network) faultOf(part, words string) (fault.Fault, bool) {
	for _, f := range n.faults {
		if f.On == fault.OnPart && f.Part == part && f.Words == words {
			return f, true
		}
	}
	return fault.Fault{}, false
}

func (n *Network) has(part, words string) bool {
	_, ok := n.faultOf(part, words)
	return ok
}

// jointOhms is a resistance fault's figure, or the default for the circuit the pin lies in,
// and whether it strays from car to car.
func (n *Network) jointOhms(f fault.Fault, pin harness.Pin) (float64, stray) {
	switch {
	case f.Figure > 0:
		return f.Figure, asDrawn
	case n.model.carriesLoad(pin):
		return loadJointOhms, faultStrays
	}
	return coilJointOhms, faultStrays
}

// series adds a branch, whose ohms are those it has when well, with the fault's resistance at a pin in series.
func (n *Network) series(b branch, f fault.Fault, pin harness.Pin) int {
	extra, s := n.jointOhms(f, pin)
	b.ohms, b.stray = b.ohms+extra, s
	return n.add(b)
}

// terminal gives the node on the part's side of a pin: the cavity's own, unless the part is
// out or the terminal does not touch.
func (n *Network) terminal(p *harness.Part, name string) node {
	pin := harness.Pin{Part: p.Name, Name: name}
	inner := pin
	inner.Inner = true
	if known, ok := n.inner[inner]; ok {
		return known
	}
	cavity := n.model.cavity[pin]
	side := cavity
	switch f, faulty := n.pinFault(pin); {
	case n.detached(p.Name):
		side = n.newNode()
	case faulty && f.Words == fault.Open:
		side = n.newNode()
	case faulty:
		side = n.newNode()
		n.series(branch{a: cavity, b: side, part: n.model.place[p.Name]}, f, pin)
	}
	n.inner[inner] = side
	return side
}

func (n *Network) pinFault(pin harness.Pin) (fault.Fault, bool) {
	for _, f := range n.faults {
		if f.On == fault.OnPin && f.Pin == pin {
			return f, true
		}
	}
	return fault.Fault{}, false
}

func (n *Network) detached(part string) bool {
	return slices.ContainsFunc(n.setup, func(a Action) bool { return a.Part == part && a.Detaches() })
}

// addWire adds one wire of the drawing with its fault, if it has one.
func (n *Network) addWire(w *harness.Wire) {
	from, to := n.wireEnd(w, w.From), n.wireEnd(w, w.To)
	ohms := w.Ohms()
	for _, f := range n.faults {
		if f.On != fault.OnWire || f.Wire != [2]harness.Pin{w.From, w.To} {
			continue
		}
		switch f.Words {
		case fault.Open:
			n.wires = append(n.wires, n.add(branch{a: from, b: to, ohms: ohms, gate: never, part: -1}))
		case fault.Resists:
			n.wires = append(n.wires, n.series(branch{a: from, b: to, ohms: ohms, part: -1}, f, w.From))
		default: // chafed half-way
			middle := n.newNode()
			n.wires = append(n.wires, n.resist(from, middle, ohms/2, -1))
			n.resist(middle, to, ohms/2, -1)
			target := post
			if f.Words == fault.ToBattery {
				target = n.batteryPlus()
			}
			n.resist(middle, target, shortOhms, -1)
		}
		return
	}
	n.wires = append(n.wires, n.resist(from, to, ohms, -1))
}

func (n *Network) batteryPlus() node {
	return n.model.plus
}

// wireEnd gives the node a wire ends at: its pin's cavity, the other wire's where the two
// are crossed, and an arm of its own at a splice.
func (n *Network) wireEnd(w *harness.Wire, pin harness.Pin) node {
	for _, f := range n.faults {
		if f.On == fault.OnWires {
			pin = crossedEnd(f, w, pin)
		}
	}
	hub := n.model.cavity[pin]
	part := n.model.Circuit.Part(pin.Part)
	if part.Kind() != harness.KindSplice {
		return hub
	}
	arm := n.newNode()
	ohms := closedOhms / 2
	switch {
	case n.has(pin.Part, fault.Open):
	case n.has(pin.Part, fault.Resists):
		f, _ := n.faultOf(pin.Part, fault.Resists)
		n.series(branch{a: arm, b: hub, ohms: ohms, part: -1}, f, pin)
	default:
		n.resist(arm, hub, ohms, -1)
	}
	return arm
}

// crossedEnd gives the pin at which a crossed wire really ends.
func crossedEnd(f fault.Fault, w *harness.Wire, pin harness.Pin) harness.Pin {
	drawn := [2]harness.Pin{w.From, w.To}
	for k, wire := range [2][2]harness.Pin{f.Wire, f.Other} {
		if end := slices.Index(drawn[:], pin); wire == drawn && end >= 0 {
			return f.Joined()[k][end]
		}
	}
	return pin
}

// addAction stamps what the set-up adds; what it takes away was left out already.
func (n *Network) addAction(a Action) error {
	node := func(pin harness.Pin) (node, error) {
		x, err := n.reach(pin)
		if err != nil {
			err = fmt.Errorf("set-up %q: %w", a, err)
		}
		return x, err
	}
	switch a.Verb {
	case Replaced:
		n.resist(n.model.cavity[harness.Pin{Part: a.Part, Name: "s"}], n.model.cavity[harness.Pin{Part: a.Part, Name: "r"}], a.Ohms, -1)
	case Jumper, GroundPin, Feed, Pack:
		from, err := node(a.From)
		if err != nil {
			return err
		}
		to := post
		switch a.Verb {
		case Jumper, Pack:
			if to, err = node(a.To); err != nil {
				return err
			}
		case Feed:
			to = n.batteryPlus()
		}
		switch {
		case from == to:
		case a.Verb == Pack:
			n.batteries = append(n.batteries, battery{plus: from, minus: to, pack: true, branch: n.resist(from, to, packOhms, -1)})
		default:
			n.addLead(a, from, to)
		}
	}
	return nil
}

// addLead joins two nodes by a lead with a fuse of its own.
func (n *Network) addLead(a Action, from, to node) {
	b := n.add(branch{a: from, b: to, ohms: jumperOhms, gate: whole, index: len(n.fuses), part: -1})
	n.fuses = append(n.fuses, fuseGate{name: "fused lead at " + a.From.String(), branch: b, amps: jumperFuseAmps})
}

// reach gives the node a lead can be put on.
func (n *Network) reach(pin harness.Pin) (node, error) {
	if found, ok := n.nodeOf(pin); ok && (!pin.Inner || n.detached(pin.Part)) {
		return found, nil
	}
	return post, fmt.Errorf("%s can be reached only while %s is out", pin, pin.Part)
}
