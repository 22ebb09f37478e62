package electric

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// warnings lists what a technician should know of the point as it stands.
func (n *Network) warnings() []Warning {
	var list []Warning
	warn := func(kind, at, format string, args ...any) {
		list = append(list, Warning{kind, at, fmt.Sprintf(format, args...)})
	}
	n.warnRelays(warn)
	for i := range n.modules {
		if m := &n.modules[i]; m.restless {
			warn("buzzes", m.part.Name, "%s starts and stops: what feeds it does not carry it", m.part.Name)
		}
	}
	n.warnRatings(warn)
	for i := range n.fuses {
		n.warnFuse(i, warn)
	}
	n.warnSolids(warn)
	for i := range n.drivers {
		d := &n.drivers[i]
		if amps := math.Abs(n.current(d.branch)); amps > driverAmps {
			warn("driver", d.pin.String(), "%s carries %.1f A; a relay driver is good for about %.0f A", d.pin, amps, driverAmps)
		}
	}
	for _, a := range n.setup {
		if a.Verb == Replaced {
			warn("stand-in", a.Part, "%s", n.standInWords(a))
		}
	}
	for i := range n.motors {
		n.warnMotor(&n.motors[i], warn)
	}
	n.warnParked(warn)
	n.warnFeeds(warn)
	n.warnReversed(warn)
	n.warnChoppers(warn)
	n.warnHeat(n.heat(), warn)
	n.warnShort(warn)
	for i, w := range n.model.Circuit.Wires {
		amps := math.Abs(n.current(n.wires[i]))
		if square := w.Size.SquareMM(); w.Size.Given() && amps > burnAmpsPerMM2*square*float64(w.Parallel) {
			warn("short", "wire "+w.String(), "wire %s carries %.0f A: it burns unless a fuse opens first", w, amps)
		}
	}
	return list
}

// warnRelays says of relays that buzz, and of contacts that carry more than they may.
func (n *Network) warnRelays(warn func(kind, at, format string, args ...any)) {
	for i := range n.relays {
		r := &n.relays[i]
		if n.buzzing[i] {
			warn("buzzes", r.part.Name, "%s buzzes: it pulls in and lets go in turn", r.part.Name)
		}
		for _, contact := range []struct {
			branch int
			rated  float64
			name   string
		}{{r.makeB, r.ratedMk, "make"}, {r.restB, r.ratedRs, "rest"}} {
			if contact.branch < 0 {
				continue
			}
			if amps := math.Abs(n.current(contact.branch)); amps > contact.rated {
				warn("contact", r.part.Name, "%s's %s contact carries %.1f A and is rated for %.0f A", r.part.Name, contact.name, amps, contact.rated)
			}
		}
	}
}

// warnParked says of fans that run with the key off how long the battery stands it (common practice: a battery of
// sixty ampere-hours, of which half starts the engine again).
func (n *Network) warnParked(warn func(kind, at, format string, args ...any)) {
	hasKey := slices.ContainsFunc(n.model.Circuit.States, func(s *harness.State) bool { return s.Key })
	if n.keyed || n.running || n.cranking || !hasKey {
		return
	}
	total, names := 0.0, []string{}
	for i := range n.motors {
		if amps := math.Abs(n.motors[i].total()); amps > loadAmps && n.motors[i].omega != 0 {
			total += amps
			names = append(names, n.motors[i].part.Name)
		}
	}
	if len(names) > 0 {
		warn("parked", names[0], "%s %s with the key off: %.1f A, which leaves a usual battery unable to start the engine after about %s",
			strings.Join(names, ", "), map[bool]string{true: "runs", false: "run"}[len(names) == 1], total, hoursWords(parkedAmpHours/total))
	}
}

func hoursWords(hours float64) string {
	if hours < 1.5 {
		return fmt.Sprintf("%.0f minutes", hours*60)
	}
	return fmt.Sprintf("%.0f hours", hours)
}

// warnFeeds says where two fuses feed one point, and what still runs with a fuse pulled: dead by the one, alive by the
// other.
func (n *Network) warnFeeds(warn func(kind, at, format string, args ...any)) {
	find := n.joints()
	supply := find(n.batteryPlus())
	feeds := map[node][]string{}
	for i := range n.fuses {
		b := &n.branches[n.fuses[i].branch]
		if n.opened[i] || !n.conducts(b) {
			continue
		}
		for _, ends := range [][2]node{{b.a, b.b}, {b.b, b.a}} {
			if x := find(ends[1]); find(ends[0]) == supply && x != supply {
				feeds[x] = append(feeds[x], n.fuses[i].name)
			}
		}
	}
	for i := range n.fuses { // in the order of the circuit
		for x, names := range feeds {
			if len(names) > 1 && names[0] == n.fuses[i].name {
				warn("feeds", names[0], "%s feed the same point, %s: each takes over when the other is out or blown, and neither alone makes it dead",
					strings.Join(names, " and "), n.someCavity(x, find))
			}
		}
	}
	for _, a := range n.setup {
		part := n.model.Circuit.Part(a.Part)
		if a.Verb != Out || part == nil || part.Kind() != harness.KindFuse {
			continue
		}
		for i := range n.motors {
			m := &n.motors[i]
			if math.Abs(m.total()) < loadAmps {
				continue
			}
			var through []string
			for k := range n.fuses {
				if math.Abs(n.current(n.fuses[k].branch)) >= loadAmps {
					through = append(through, n.fuses[k].name)
				}
			}
			warn("pulled", m.part.Name, "with %s out %s still has current (through %s): unplug it before a hand goes in", a.Part, m.part.Name,
				listOr(through, "no fuse at all"))
		}
	}
}

// joints joins the nodes between which nothing but wire and closed contacts lies; what it gives names a node's group.
func (n *Network) joints() func(node) node {
	root := map[node]node{}
	find := func(x node) node {
		for {
			up, ok := root[x]
			if !ok {
				return x
			}
			x = up
		}
	}
	for i := range n.branches {
		b := &n.branches[i]
		if b.gate == whole || b.ohms > jointOhms || b.ohms <= 0 || !n.conducts(b) {
			continue
		}
		if x, y := find(b.a), find(b.b); x != y {
			root[x] = y
		}
	}
	return find
}

// someCavity names a pin of a group of joined nodes: a fan's, where one is there.
func (n *Network) someCavity(group node, find func(node) node) string {
	found := ""
	for _, pin := range n.model.Pins() {
		if find(n.model.cavity[pin]) != group {
			continue
		}
		if found == "" || n.model.Circuit.Part(pin.Part).Kind() == harness.KindMotor {
			found = pin.String()
		}
	}
	return found
}

// warnReversed says of controllers and modules that are fed the wrong way round, and of a coil's diode that is.
func (n *Network) warnReversed(warn func(kind, at, format string, args ...any)) {
	for i := range n.controllers {
		c := &n.controllers[i]
		if c.hasPower && n.at(c.ground)-n.at(c.power) > reversedVolts {
			warn("reversed", c.part.Name, "%s is fed the wrong way round: it is spoilt by that", c.part.Name)
		}
	}
	for i := range n.modules {
		m := &n.modules[i]
		if n.at(m.ground)-n.at(m.feed) > reversedVolts {
			warn("reversed", m.part.Name, "%s is fed the wrong way round: it is spoilt by that", m.part.Name)
		}
	}
	for i := range n.relays {
		p := n.relays[i].part
		spec := p.Spec.(*harness.Relay)
		plus, minus := n.at(n.model.cavity[harness.Pin{Part: p.Name, Name: "86"}]), n.at(n.model.cavity[harness.Pin{Part: p.Name, Name: "85"}])
		if spec.Cathode == "85" {
			plus, minus = minus, plus
		}
		if spec.Suppression == harness.DiodeSuppr && minus-plus > diodeConducts && !n.detached(p.Name) {
			warn("diode", p.Name, "%s", DiodeWords(p.Name))
		}
	}
}

// warnRatings says of a module's output that carries more than it may, and of a control line at a frequency that the
// module does not read.
func (n *Network) warnRatings(warn func(kind, at, format string, args ...any)) {
	for i := range n.modules {
		m := &n.modules[i]
		var rated harness.Electronics
		switch {
		case m.fan != nil:
			rated = m.fan.Electronics
		case m.pwm != nil:
			rated = m.pwm.Electronics
		}
		for k, index := range m.drives {
			d := &n.drives[index]
			w := d.weights()
			amps := math.Abs(d.siemens * (w[0]*n.at(d.feed) + w[1]*n.at(d.out) + w[2]*n.at(d.ground)))
			watts := amps * math.Abs(n.at(d.out)-n.at(d.ground))
			at := m.part.Name + "." + m.outputs[k]
			switch {
			case d.share == 0:
			case rated.RatedAmps > 0 && amps > rated.RatedAmps:
				warn("rating", at, "%s gives %.1f A and is rated for %.0f A", at, amps, rated.RatedAmps)
			case rated.RatedWatts > 0 && watts > rated.RatedWatts:
				warn("rating", at, "%s gives %.0f W and is rated for %.0f W", at, watts, rated.RatedWatts)
			}
		}
		if hz := n.hertz; m.pwm != nil && hz > 0 && m.pwm.HzTo > 0 && (hz < m.pwm.HzFrom || hz > m.pwm.HzTo) {
			warn("hertz", m.part.Name, "%s reads from %.0f to %.0f Hz; the line comes at %.0f Hz", m.part.Name, m.pwm.HzFrom, m.pwm.HzTo, hz)
		}
	}
}

// DiodeWords says of a relay that its coil's diode is fed the wrong way round.
func DiodeWords(relay string) string {
	return relay + "'s coil is fed the wrong way round for its diode: that is a dead short through the diode, which blows the fuse or " +
		"spoils what pulls the coil"
}

// standInWords says what a resistor in a sensor's place makes the controller and the gauge
// believe, and what to beware of (common practice).
func (n *Network) standInWords(a Action) string {
	spec := n.model.Circuit.Part(a.Part).Spec.(*harness.Sensor)
	return fmt.Sprintf("%s is replaced by %s Ω: gauge and controller believe %.0f °C and are blind to the real heat; engine off if "+
		"possible, else a second thermometer and a time limit",
		a.Part, strconv.FormatFloat(a.Ohms, 'f', -1, 64), spec.Curve.Celsius(a.Ohms))
}

// warnShort says of a battery that is shorted through what, what opens and what burns.
func (n *Network) warnShort(warn func(kind, at, format string, args ...any)) {
	for i := range n.batteries {
		b := &n.batteries[i]
		if b.out || b.pack {
			continue
		}
		amps := math.Abs(n.current(b.branch) - n.emf(b)*n.siemens[b.branch])
		if amps < deadShortAmps {
			continue
		}
		var through []string
		opens := "no fuse stands in its way: the wires burn, and the battery with them"
		for k, w := range n.model.Circuit.Wires {
			if math.Abs(n.current(n.wires[k])) > amps/2 {
				through = append(through, w.String())
			}
		}
		for k := range n.fuses {
			f := &n.fuses[k]
			if through := math.Abs(n.current(f.branch)); !n.opened[k] && through > amps/2 {
				opens = fmt.Sprintf("%s opens in about %.2g s", f.name, OpensInSeconds(f.style, through/f.amps))
			}
		}
		warn("short", n.batteryName(), "a dead short: %.0f A out of the battery, through %s; %s", amps,
			listOr(through, "leads put on by hand"), opens)
	}
}

func (n *Network) batteryName() string { return n.model.Circuit.OfKind(harness.KindBattery)[0].Name }

func listOr(words []string, none string) string {
	if len(words) == 0 {
		return none
	}
	return strings.Join(words, ", ")
}

func (n *Network) warnFuse(i int, warn func(kind, at, format string, args ...any)) {
	f := &n.fuses[i]
	load := math.Abs(n.current(f.branch)) / f.amps
	seconds := OpensInSeconds(f.style, load)
	name := f.name
	switch {
	case n.opened[i] && f.returns > 0:
		warn("fuse", name, "%s opens and closes again about every %.0f s: what it feeds runs in fits", name, f.returns)
	case n.opened[i]:
		warn("fuse", name, "%s has blown", name)
	case !math.IsInf(seconds, 1):
		warn("fuse", name, "%s carries %.0f %% of its rating and opens in about %.3g s", name, 100*load, seconds)
	case load > fuseLoadShare:
		warn("fuse", name, "%s carries %.0f %% of its rating; 80 %% is the usual limit", name, 100*load)
	}
}

func (n *Network) warnMotor(m *motor, warn func(kind, at, format string, args ...any)) {
	name := m.part.Name
	for j := range m.from {
		if m.omega == 0 && math.Abs(m.amps[j]) > loadAmps {
			warn("stalled", name, "%s has %.1f V and does not turn: %.1f A", name, m.found[j], math.Abs(m.amps[j]))
		}
	}
	if m.omega < 0 && !n.has(name, fault.Reversed) {
		warn("backwards", name, "%s is fed the wrong way round and turns backwards", name)
	}
	// Drop on the feed and on the ground, where the fan has a feed and a ground of its own.
	plus, minus := n.at(m.from[0]), n.at(m.to[0])
	if math.Abs(m.amps[0]) < loadAmps {
		return
	}
	supply := n.at(n.batteryPlus())
	if minus > groundDropVolts && minus < 0.2*supply {
		warn("drop", name, "%.2f V lost on %s's ground side; %.1f V is the usual limit", minus, name, groundDropVolts)
	}
	if lost := supply - plus; lost > feedDropVolts && lost < 0.2*supply {
		warn("drop", name, "%.2f V lost on %s's feed; %.1f V is the usual limit", lost, name, feedDropVolts)
	}
}
