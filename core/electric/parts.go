package electric

import (
	"strconv"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// addPart stamps one part as it is, healthy or not.
func (n *Network) addPart(i int, p *harness.Part) {
	switch spec := p.Spec.(type) {
	case *harness.Battery:
		n.addBattery(i, p, spec)
	case *harness.Ground:
		n.addGround(i, p)
	case *harness.Fuse:
		n.addFuse(i, p, spec)
	case *harness.Relay:
		n.addRelay(i, p, spec)
	case *harness.Motor:
		n.addMotor(i, p, spec)
	case *harness.Resistor:
		n.addPlain(i, p, spec.Ohms, always, 0)
	case *harness.Switch:
		n.addSwitch(i, p, spec)
	case *harness.Controller:
		n.addController(i, p, spec)
	case *harness.Connector:
		n.addConnector(i, p, spec)
	default:
		n.addFurther(i, p)
	}
}

func (n *Network) addBattery(i int, p *harness.Part, spec *harness.Battery) {
	c := n.model.Circuit
	b := battery{
		plus: n.model.cavity[harness.Pin{Part: p.Name, Name: "+"}], minus: n.model.cavity[harness.Pin{Part: p.Name, Name: "-"}],
		emfOff: c.SupplyVolts(false), emfRunning: c.SupplyVolts(true),
		ohms: orDefault(spec.Ohms, batteryOhms), out: n.detached(p.Name),
	}
	if f, ok := n.faultOf(p.Name, fault.Flat); ok {
		b.flat = orDefault(f.Figure, flatVolts*c.Nominal()/12)
	}
	g := always
	if b.out {
		g = never
	}
	b.branch = n.add(branch{a: b.plus, b: b.minus, ohms: b.ohms, gate: g, part: i})
	if f, ok := n.faultOf(p.Name, fault.PostResists); ok {
		extra, s := n.jointOhms(f, harness.Pin{Part: p.Name, Name: "+"})
		n.branches[b.branch].ohms += extra
		n.branches[b.branch].stray = s
	}
	n.batteries = append(n.batteries, b)
}

// addGround joins a chassis joint to the battery's negative post.
func (n *Network) addGround(i int, p *harness.Part) {
	pin := harness.Pin{Part: p.Name}
	at := n.model.cavity[pin]
	f, resists := n.faultOf(p.Name, fault.Resists)
	switch {
	case n.has(p.Name, fault.Open) || n.detached(p.Name):
	case resists:
		n.series(branch{a: at, b: post, ohms: groundOhms, part: i}, f, pin)
	default:
		n.resist(at, post, groundOhms, i)
	}
}

// addPlain adds the path from a to b of a part that can be open or resist.
func (n *Network) addPlain(i int, p *harness.Part, ohms float64, g gate, index int) int {
	path := branch{a: n.terminal(p, "a"), b: n.terminal(p, "b"), ohms: ohms, gate: g, index: index, part: i}
	f, resists := n.faultOf(p.Name, fault.Resists)
	switch {
	case n.has(p.Name, fault.Open):
		path.gate, path.index = never, 0
	case resists:
		return n.series(path, f, harness.Pin{Part: p.Name, Name: "a"})
	}
	return n.add(path)
}

func (n *Network) addFuse(i int, p *harness.Part, spec *harness.Fuse) {
	amps := spec.Amps
	if f, ok := n.faultOf(p.Name, fault.Wrong); ok {
		amps = orDefault(f.Figure, wrongFuse*spec.Amps)
	}
	b := n.addPlain(i, p, orDefault(spec.Ohms, fuseVolts/amps), whole, len(n.fuses))
	n.fuses = append(n.fuses, fuseGate{name: p.Name, part: p, style: spec.Style, branch: b, amps: amps})
}

func (n *Network) addSwitch(i int, p *harness.Part, spec *harness.Switch) {
	n.addPlain(i, p, orDefault(spec.Ohms, closedOhms), closedSwitch, len(n.switches))
	n.switches = append(n.switches, switchGate{
		stuck:  n.has(p.Name, fault.StuckClosed),
		closes: func(s *harness.State, _ bool) bool { return s.Closes(p) },
	})
}

func (n *Network) addConnector(i int, p *harness.Part, spec *harness.Connector) {
	pins := spec.Pins()
	ohms := orDefault(spec.Ohms, closedOhms)
	for way := 1; way <= spec.Ways; way++ {
		a, b := pins[2*way-2], pins[2*way-1]
		from := n.model.cavity[harness.Pin{Part: p.Name, Name: a}]
		to := n.model.cavity[harness.Pin{Part: p.Name, Name: b}]
		broken, extra := n.detached(p.Name), fault.Fault{}
		for _, f := range n.faults {
			if f.On == fault.OnPart && f.Part == p.Name && f.Item == strconv.Itoa(way) {
				broken = broken || f.Words == fault.WayOpen
				if f.Words == fault.WayResists {
					extra = f
				}
			}
		}
		switch {
		case broken:
		case extra.Words != "":
			n.series(branch{a: from, b: to, ohms: ohms, part: i}, extra, harness.Pin{Part: p.Name, Name: a})
		default:
			n.resist(from, to, ohms, i)
		}
	}
}

func (n *Network) addRelay(i int, p *harness.Part, spec *harness.Relay) {
	scale := n.model.Circuit.Nominal() / 12
	nominal := orDefault(spec.CoilOhms, coilOhms*scale*scale)
	r := relay{
		part: p, coil: -1, makeB: -1, restB: -1,
		pullIn:  orDefault(spec.PullIn, pullInVolts*scale) / nominal,
		dropOut: orDefault(spec.DropOut, dropVolts*scale) / nominal,
		ratedMk: orDefault(spec.Make, ratedMake), ratedRs: orDefault(spec.Rest, ratedRest),
	}
	index := len(n.relays)
	switch {
	case n.has(p.Name, fault.SticksAtRest):
		r.stuck = true
	case n.has(p.Name, fault.SticksIn), n.has(p.Name, fault.MakeWelded):
		r.stuck, r.stuckIn = true, true
	}
	coil := nominal
	if n.has(p.Name, fault.CoilShorted) {
		coil = shortedCoil * scale * scale
	}
	start, end := n.terminal(p, "86"), n.terminal(p, "85")
	if !n.has(p.Name, fault.CoilOpen) {
		r.coil = n.add(branch{a: start, b: end, ohms: coil, stray: coilStrays, part: i})
	}
	n.suppress(i, spec, start, end, nominal)
	contact := orDefault(spec.ContactOhms, contactOhms)
	for _, pole := range spec.Poles() {
		common := n.terminal(p, "30"+pole)
		if pole == "" && spec.Fuse > 0 {
			common = n.builtInFuse(i, p, spec.Fuse, common)
		}
		prefix := ""
		if pole != "" {
			prefix = pole + " "
		}
		if spec.HasMake() {
			made := branch{a: common, b: n.terminal(p, "87"+pole), ohms: contact, gate: makeContact, index: index, part: i}
			b := n.contact(made, p, prefix+fault.MakeOpen, prefix+fault.MakeBurnt)
			if pole == "" {
				r.makeB = b
			}
		}
		if spec.HasRest() {
			rests := branch{a: common, b: n.terminal(p, "87a"+pole), ohms: contact, gate: restContact, index: index, part: i}
			b := n.contact(rests, p, prefix+fault.RestOpen, prefix+fault.RestBurnt)
			if pole == "" {
				r.restB = b
			}
		}
	}
	n.relays = append(n.relays, r)
}

// contact adds one contact of a relay, as it is when well, with the words of the faults that it may have.
func (n *Network) contact(b branch, p *harness.Part, open, burnt string) int {
	if n.has(p.Name, open) {
		b.gate = never
	}
	if f, ok := n.faultOf(p.Name, burnt); ok {
		b.ohms = f.Figure
		if b.ohms == 0 {
			b.ohms, b.stray = loadJointOhms, faultStrays
		}
	}
	return n.add(b)
}

func (n *Network) addMotor(i int, p *harness.Part, spec *harness.Motor) {
	m := motor{part: p, index: i, drawn: newMachine(spec)}
	if len(spec.Windings) == 0 {
		plus, minus := n.terminal(p, "+"), n.terminal(p, "-")
		if n.has(p.Name, fault.Reversed) {
			plus, minus = minus, plus
		}
		if n.has(p.Name, fault.Open) || n.has(p.Name, fault.Brushes) {
			minus = n.newNode()
		}
		m.from, m.to = []node{plus}, []node{minus}
	}
	for _, w := range spec.Windings {
		plus, minus := n.terminal(p, w.Plus), n.terminal(p, w.Minus)
		if f, ok := n.faultOf(p.Name, fault.WindingOpen); ok && f.Item == w.Name || n.has(p.Name, fault.Open) {
			minus = n.newNode()
		}
		m.from, m.to = append(m.from, plus), append(m.to, minus)
	}
	m.inertia = m.drawn.inertia(spec.Volts, spec.SpinUp)
	m.drawn.seized = n.has(p.Name, fault.Seized)
	if f, ok := n.faultOf(p.Name, fault.Worn); ok {
		m.drawn.friction *= orDefault(f.Figure, wornFriction)
		m.worn = f.Figure == 0
	}
	if f, ok := n.faultOf(p.Name, fault.ShortedTurns); ok {
		left := 1 - min(0.95, orDefault(f.Figure, shortedTurns))
		for j := range m.drawn.windings {
			m.drawn.windings[j].ohms *= left
			m.drawn.windings[j].k *= left
		}
	}
	n.motors = append(n.motors, m)
}

func (n *Network) addController(i int, p *harness.Part, spec *harness.Controller) {
	index := len(n.controllers)
	ctl := controller{part: p, ground: post, power: n.batteryPlus(), dead: n.has(p.Name, fault.Dead)}
	for _, role := range spec.PinRoles {
		// The controller's own rails join all its power pins, and all its ground pins.
		switch {
		case role.Ground:
			if ctl.ground == post {
				ctl.ground = n.newNode()
			}
			n.resist(ctl.ground, n.terminal(p, role.Name), moduleOhms, i)
		case role.Power:
			if !ctl.hasPower {
				ctl.power, ctl.hasPower = n.newNode(), true
			}
			n.resist(ctl.power, n.terminal(p, role.Name), moduleOhms, i)
		}
	}
	if ctl.hasPower && ctl.ground != post {
		n.resist(ctl.power, ctl.ground, electronicsOhms, i)
	}
	for _, role := range spec.PinRoles {
		pin := harness.Pin{Part: p.Name, Name: role.Name}
		at := n.terminal(p, role.Name)
		if role.PullUp > 0 {
			n.resist(at, ctl.power, role.PullUp, i)
		}
		if role.Input != "" {
			n.addEar(index, p, role, at)
		}
		if role.Command() == "" {
			continue
		}
		d := driver{controller: index, command: role.Command(), inverted: role.SinksUnless != "", pulsed: role.PWMOn != "", pin: pin}
		for _, f := range n.faults {
			if f.On == fault.OnRole && f.Pin == pin {
				d.dead, d.alwaysOn = f.Words == fault.Dead, f.Words == fault.AlwaysOn
			}
		}
		if d.pulsed {
			d.serves = n.model.servedLevel(pin)
		}
		rail := ctl.ground
		if role.SourcesOn != "" {
			rail = ctl.power
		}
		d.branch = n.add(branch{a: at, b: rail, ohms: driverOhms, gate: driving, index: len(n.drivers), part: i})
		n.drivers = append(n.drivers, d)
	}
	n.controllers = append(n.controllers, ctl)
}

func orDefault(given, otherwise float64) float64 {
	if given > 0 {
		return given
	}
	return otherwise
}
