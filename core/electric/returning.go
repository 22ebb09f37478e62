package electric

import (
	"math"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Two switches that are no contacts of a relay: a semiconductor that a few volts switch, and a breaker that opens from too much
// current and closes again by itself. A breaker that opens is no blown fuse: nobody renews it, and the next state finds it closed.

// Usual figures of a solid-state relay (common practice, and unmeasured), and of a breaker.
const (
	solidOhms     = 0.008 // on
	solidLeak     = 0.001 // amps, off
	solidInput    = 1500  // ohms between its control terminals
	solidOn       = 3.5   // volts there from which it is on,
	solidOff      = 1.0   // and below which it is off
	breakerCloses = 30.0  // seconds (SAE J553 type I, from memory)
	// solidCool is the watts that one stands bolted to thin sheet metal, without a heat sink of its own.
	solidCool = 8.0
)

// solid is a semiconductor that is on or off.
type solid struct {
	part        *harness.Part
	plus, minus node
	branch      int
	shorted     bool
	on          bool
}

func (n *Network) addSolid(i int, p *harness.Part, spec *harness.SolidState) {
	x := solid{part: p, plus: n.terminal(p, "c+"), minus: n.terminal(p, "c-"), shorted: n.has(p.Name, fault.AlwaysOn)}
	in, out := n.terminal(p, "in"), n.terminal(p, "out")
	n.resist(x.plus, x.minus, solidInput, i)
	b := branch{a: in, b: out, ohms: orDefault(spec.Ohms, solidOhms), gate: solidly, index: len(n.solids), part: i}
	if n.has(p.Name, fault.Dead) {
		b.gate = never
	} else {
		n.resist(in, out, n.model.Circuit.Nominal()/orDefault(spec.Leak, solidLeak), i)
	}
	if f, ok := n.faultOf(p.Name, fault.Resists); ok {
		extra, s := n.jointOhms(f, harness.Pin{Part: p.Name, Name: "in"})
		b.ohms += extra
		b.stray = s
	}
	x.branch = n.add(b)
	n.solids = append(n.solids, x)
}

// moveSolids switches those whose control volts have changed; it reports whether any did.
func (n *Network) moveSolids() bool {
	moved := false
	for i := range n.solids {
		x := &n.solids[i]
		volts := n.at(x.plus) - n.at(x.minus)
		want := x.shorted || volts >= solidOn || x.on && volts > solidOff
		moved = moved || want != x.on
		x.on = want
	}
	return moved
}

// warnSolids says of those that get too hot, or carry more than they are made for.
func (n *Network) warnSolids(warn func(kind, at, format string, args ...any)) {
	for i := range n.solids {
		x := &n.solids[i]
		amps := math.Abs(n.current(x.branch))
		name, rated := x.part.Name, x.part.Spec.(*harness.SolidState).Amps
		watts := amps * amps / n.siemens[x.branch]
		switch {
		case !x.on:
		case amps > rated:
			warn("contact", name, "%s carries %.1f A and is made for %.0f A", name, amps, rated)
		case watts > solidCool:
			warn("heat", name, "%s makes %.0f W for as long as it is on: it needs a heat sink", name, watts)
		}
	}
}

func (n *Network) addBreaker(i int, p *harness.Part, spec *harness.Breaker) {
	b := n.addPlain(i, p, orDefault(spec.Ohms, fuseVolts/spec.Amps), whole, len(n.fuses))
	n.fuses = append(n.fuses, fuseGate{name: p.Name, part: p, style: harness.StyleBreaker, branch: b, amps: spec.Amps,
		returns: orDefault(spec.Returns, breakerCloses)})
	if n.has(p.Name, fault.StuckClosed) {
		n.fuses[len(n.fuses)-1].amps = math.Inf(1) // it has welded, and protects nothing
	}
}

// closeBreakers closes every breaker that closes by itself: it has cooled since the state before.
func (n *Network) closeBreakers() {
	n.fits = nil
	for i := range n.fuses {
		n.opened[i] = n.opened[i] && n.fuses[i].returns == 0
	}
}

// keepRunning keeps which fans turn just before a breaker opens that will close again.
func (n *Network) keepRunning(opening int) {
	if n.fuses[opening].returns == 0 {
		return
	}
	if n.fits == nil {
		n.fits = make([]bool, len(n.motors))
	}
	for i := range n.motors {
		n.fits[i] = n.fits[i] || math.Abs(n.share(&n.motors[i])) >= SlowFrom
	}
}

// InFits tells of each fan, in the order of Circuit.Fans, whether it starts and stops as a breaker opens and closes again; nil
// where none does.
func (n *Network) InFits() []bool {
	if n.fits == nil {
		return nil
	}
	list := make([]bool, len(n.motors))
	for i := range n.motors {
		list[i] = n.fits[i] && math.Abs(n.share(&n.motors[i])) < SlowFrom
	}
	return list
}

// closeAgain closes the breakers that have cooled, in a run.
func (r *runner) closeAgain(step float64) {
	for i := range r.n.fuses {
		f := &r.n.fuses[i]
		if f.returns == 0 || !r.n.opened[i] {
			continue
		}
		if f.cooled += step; f.cooled >= f.returns {
			f.cooled, r.n.opened[i] = 0, false
			r.run.Fuses[f.name].Used = 0
			r.event("%s closes again", f.name)
		}
	}
}
