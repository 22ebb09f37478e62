package electric

import (
	"math"

	"ironthread/core/harness"
)

// What turns current into heat beside the motors: resistors in the fans' circuits, and the switches of modules and speed
// controllers. A resistor's rating is what it stands in the air that it needs; a fan that stands behind one takes current for as
// long as it is switched on, and no fuse knows of it.

// HeatPoint is the heat that a part makes.
type HeatPoint struct {
	Watts float64 `json:"watts"`
	// AboveAir is about how much hotter than the air around it the part gets, °C; 0 where that is not known.
	AboveAir float64 `json:"above-air,omitempty"`
}

// heat lists the parts that get warm, by name. Of a switch: what it loses while closed, by its ohms, and what the diode beside
// it loses while the motor's current goes on.
func (n *Network) heat() map[string]HeatPoint {
	list := map[string]HeatPoint{}
	add := func(part string, watts, perWatt float64) {
		if watts < leastWatts {
			return
		}
		h := list[part]
		h.Watts += watts
		h.AboveAir += watts * perWatt
		list[part] = h
	}
	for i := range n.branches {
		b := &n.branches[i]
		if b.part < 0 || !n.conducts(b) {
			continue
		}
		part := n.model.Circuit.Parts[b.part]
		if kind := part.Kind(); kind == harness.KindResistor || kind == harness.KindResistorCard {
			amps := n.current(i)
			add(part.Name, amps*amps/n.siemens[i], 0)
		}
	}
	for i := range n.solids {
		amps := n.current(n.solids[i].branch)
		add(n.solids[i].part.Name, amps*amps/n.siemens[n.solids[i].branch], degreesPerWatt)
	}
	for i := range n.modules {
		for _, k := range n.modules[i].drives {
			add(n.modules[i].part.Name, n.drives[k].loss(n), degreesPerWatt)
		}
	}
	for i := range n.choppers {
		c := &n.choppers[i]
		body, wheel := n.curves[c.body].through(), n.curves[c.wheel].through()
		add(c.part.Name, n.drives[c.drive].loss(n)+(body+wheel)*diodeLoses, degreesPerWatt)
	}
	return list
}

// loss is the heat of a drive's switch and diode, watts.
func (d *drive) loss(n *Network) float64 {
	if d.share <= 0 {
		return 0
	}
	w := d.weights()
	amps := math.Abs(d.siemens * (w[0]*n.at(d.feed) + w[1]*n.at(d.out) + w[2]*n.at(d.ground)))
	return d.share*amps*amps/d.siemens + (1-d.share)*amps*diodeLoses
}

// What a resistor that is made for moving air stands in still air, as a share of its watts, and what nobody would call hot, W (common
// practice).
const (
	stillAir  = 0.1
	warmWatts = 3.0
)

// warnHeat says of a resistor that gets hotter than it stands, and of a module or a knob that wants a place to get rid of its
// heat.
func (n *Network) warnHeat(heat map[string]HeatPoint, warn func(kind, at, format string, args ...any)) {
	standing := ""
	for i := range n.motors {
		if m := &n.motors[i]; m.omega == 0 && math.Abs(m.total()) > loadAmps {
			standing = m.part.Name
		}
	}
	for _, p := range n.model.Circuit.Parts {
		h, warm := heat[p.Name]
		spec, resistor := p.Spec.(*harness.Resistor)
		switch {
		case !warm:
		case resistor && spec.Watts > 0 && h.Watts > spec.Watts:
			warn("heat", p.Name, "%s turns %.0f W into heat and stands %.0f W", p.Name, h.Watts, spec.Watts)
		case standing != "" && (resistor && h.Watts > stillAir*spec.Watts || p.Kind() == harness.KindResistorCard) && h.Watts > warmWatts:
			warn("heat", p.Name, "%s stands behind %s, which turns %.0f W into heat for as long as that is on, without the air that it "+
				"cools itself in; no fuse ends that", standing, p.Name, h.Watts)
		case h.AboveAir > hotAbove:
			warn("heat", p.Name, "%s turns %.0f W into heat: about %.0f °C above the air around it without a heat sink", p.Name, h.Watts,
				h.AboveAir)
		}
	}
}
