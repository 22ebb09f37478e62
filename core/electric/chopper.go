package electric

import (
	"math"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// A speed controller with three wires is a switch that closes and opens some thousand times a second, and two diodes that are
// always there: the switch's own, across it, and one that carries the fan's current on while the switch is open. Connected as it
// is drawn, that makes a share of the supply out of it, and the diodes block on the mean. With two of its leads changed over the
// diodes decide: plus and minus make a short through both; the lead of the motor and the one that the switch lies at make the
// motor run full, past the knob; the third pair makes the switch a short each time it closes. Which diode lies where is common
// practice for such stages (one transistor, its body diode and one for the motor).

// chopper is one of them.
type chopper struct {
	part  *harness.Part
	drive int
	share func(*harness.State) float64 // of its knob

	body, wheel int  // curves: across the switch, and the motor's current on
	closed      int  // branch: the switch, closed across the supply
	outright    bool // it is
	tried       bool // half on, which shows how it is connected
	most        chopped
}

// chopped is what its diodes and its switch have carried in the state, amps, before a fuse ended it.
type chopped struct{ short, past, outright float64 }

// addSpeedController: its drive's share follows the knob; dead it gives nothing, but its diodes are there.
func (n *Network) addSpeedController(i int, p *harness.Part, spec *harness.SpeedController) {
	d := drive{feed: n.terminal(p, "+"), ground: n.terminal(p, "-"), out: n.terminal(p, "out"), siemens: 1 / driveOhms,
		low: spec.Side != harness.High}
	c := chopper{part: p, drive: len(n.drives), share: func(s *harness.State) float64 { return spec.ShareIn(s, p.Name) }}
	switch {
	case n.has(p.Name, fault.Dead):
		c.share = func(*harness.State) float64 { return 0 }
	case n.has(p.Name, fault.StuckFull):
		c.share = func(*harness.State) float64 { return 1 }
	}
	n.drives = append(n.drives, d)
	at, to := d.feed, d.out
	upper, lower := len(n.curves), len(n.curves)+1
	for _, ends := range [2][2]node{{d.out, d.feed}, {d.ground, d.out}} {
		within := n.newNode() // behind the junction: its own leads and silicon
		n.addCurve(curve{a: ends[0], b: within, part: i})
		n.resist(within, ends[1], driveOhms, i)
	}
	c.body, c.wheel = upper, lower
	if d.low {
		at, to = d.out, d.ground
		c.body, c.wheel = lower, upper
	}
	n.resist(at, to, stageOhms, i) // what leaks across the open switch
	c.closed = n.add(branch{a: at, b: to, ohms: driveOhms, gate: chopping, index: len(n.choppers), part: i})
	n.choppers = append(n.choppers, c)
}

// rest lets every controller begin anew.
func (n *Network) restChoppers(s *harness.State) {
	for i := range n.choppers {
		c := &n.choppers[i]
		c.outright, c.tried, c.most = false, false, chopped{}
		n.drives[c.drive].share, n.drives[c.drive].wanted = 0, c.share(s)
	}
}

// moveChopper gives a controller's share where it is connected as it is drawn; true where something changed. What makes more
// volts at its plus than the battery has is no controller as drawn: its switch lies across the supply.
func (n *Network) moveChopper(c *chopper) bool {
	d := &n.drives[c.drive]
	volts := n.at(d.feed) - n.at(d.ground)
	switch {
	case c.outright:
		return false
	case volts > n.highest()+boostVolts:
		c.outright, d.share = true, 0
		n.siemens[c.closed] = d.wanted / driveOhms // closed for that share of the time
		return true
	case volts < unpoweredShare*n.model.Circuit.Nominal()/2:
		return n.give(c.drive, 0)
	}
	if half := math.Min(d.wanted, 0.5); !c.tried && d.share == 0 && !n.pushedBack(c.drive, half) {
		return n.give(c.drive, half) // full on, a short and a motor at full volts would look alike
	}
	c.tried = true
	return n.give(c.drive, d.wanted)
}

// highest is the most that any battery of the circuit gives now, volts.
func (n *Network) highest() float64 {
	most := 0.0
	for i := range n.batteries {
		if b := &n.batteries[i]; !b.out {
			most = math.Max(most, n.emf(b))
		}
	}
	return most
}

// noteChoppers keeps what the controllers carry, before a fuse opens.
func (n *Network) noteChoppers() {
	for i := range n.choppers {
		c := &n.choppers[i]
		body, wheel := n.curves[c.body].through(), n.curves[c.wheel].through()
		c.most.short = math.Max(c.most.short, math.Min(body, wheel))
		c.most.past = math.Max(c.most.past, body-wheel)
		c.most.outright = math.Max(c.most.outright, math.Abs(n.current(c.closed)))
	}
}

// warnChoppers says of a controller with two leads changed over what it does, and what ends it.
func (n *Network) warnChoppers(warn func(kind, at, format string, args ...any)) {
	n.noteChoppers()
	for i := range n.choppers {
		c, name := &n.choppers[i], n.choppers[i].part.Name
		free := "out and minus" // the lead that the switch lies at, beside the motor's
		shorted := "plus and out"
		if !n.drives[c.drive].low {
			free, shorted = shorted, free
		}
		switch {
		case c.most.short > loadAmps:
			warn("reversed", name, "%s has its plus and minus changed over: a short through its own diodes, %.0f A; it burns unless a fuse "+
				"opens first", name, c.most.short)
		case c.most.outright > loadAmps:
			warn("reversed", name, "%s has its %s changed over: a short each time it switches on, %.0f A; it burns unless a fuse opens first",
				name, shorted, c.most.outright)
		case c.most.past > loadAmps:
			warn("reversed", name, "%s has its %s changed over: the motor's %.1f A run through its own diode, whatever the knob says; it gets "+
				"hot and is spoilt by that", name, free, c.most.past)
		}
	}
}
