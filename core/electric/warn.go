package electric

import (
	"fmt"
	"math"
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
	for i := range n.modules {
		if m := &n.modules[i]; m.restless {
			warn("buzzes", m.part.Name, "%s starts and stops: what feeds it does not carry it", m.part.Name)
		}
	}
	for i := range n.fuses {
		n.warnFuse(i, warn)
	}
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
	n.warnShort(warn)
	for i, w := range n.model.Circuit.Wires {
		amps := math.Abs(n.current(n.wires[i]))
		if square := w.Size.SquareMM(); w.Size.Given() && amps > burnAmpsPerMM2*square*float64(w.Parallel) {
			warn("short", "wire "+w.String(), "wire %s carries %.0f A: it burns unless a fuse opens first", w, amps)
		}
	}
	return list
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
