package rewire

import (
	"math"
	"strings"

	"ironthread/core/harness"
	"ironthread/core/size"
)

// Where a feed begins: its fuse at the battery's post, and what of the vehicle's own the new harness only hangs on.

// postToFuse is the run of the one piece of a feed that no fuse protects, and how long it may be, metres (common practice).
const (
	postToFuse  = "post to fuse"
	mostUnfused = 0.2
)

// fusePlace is where the next feed's fuse sits: at the battery's post, or in the box that is there while it has feeds left.
func (d *drawing) fusePlace() string {
	if d.feeds++; d.feeds <= d.boxed {
		return "box, as it is there"
	}
	return "battery post"
}

// feedRun is the run from a feed's fuse to what it feeds: from the post to the box, or within the box that is there.
func (d *drawing) feedRun() string {
	if d.feeds <= d.boxed {
		return "in the box"
	}
	return "battery to box"
}

// fedInBox is how many fuses of the harness that is there hang on the battery's post by a wire of their own.
func fedInBox(there *harness.Circuit) int {
	if there == nil {
		return 0
	}
	n := 0
	for _, w := range there.Wires {
		a, b := there.Part(w.From.Part).Kind(), there.Part(w.To.Part).Kind()
		if a == harness.KindBattery && b == harness.KindFuse || b == harness.KindBattery && a == harness.KindFuse {
			n++
		}
	}
	return n
}

// unfused tells whether a wire of a design lies between the battery's post and a fuse.
func (d *design) unfused(w *harness.Wire) bool {
	a, b := d.c.Part(w.From.Part).Kind(), d.c.Part(w.To.Part).Kind()
	return a == harness.KindBattery && b == harness.KindFuse || b == harness.KindBattery && a == harness.KindFuse
}

// foreignPart tells whether a part belongs to the vehicle, and is drawn only because the circuit hangs on it: the controller that
// asks, a line that becomes hot, the fuse of their own supply, the electronics within a fan.
func foreignPart(name string) bool {
	return name == "ECU" || name == "FE" || strings.HasPrefix(name, "EM") || foreignLine(name)
}

// foreignLine tells whether a part is a line of the vehicle that becomes hot, as a compressor clutch's does.
func foreignLine(name string) bool {
	return len(name) > 1 && name[0] == 'L' && strings.Trim(name[1:], "0123456789") == ""
}

// foreign tells whether a wire belongs to the vehicle: the supply and the ground of the controller that asks are there, and are
// never laid, cut or thinned.
func (d *design) foreign(w *harness.Wire) bool {
	if d.on == nil {
		return foreignWire(d.c, w)
	}
	drawn := func(pin harness.Pin) harness.Pin { return harness.Pin{Part: d.role(pin.Part), Name: pin.Name} }
	for _, pin := range []harness.Pin{w.From, w.To} {
		role, part := d.role(pin.Part), d.c.Part(pin.Part)
		if role == "FE" || strings.HasPrefix(role, "EM") && (pin.Name == "o" || pin.Name == "r") {
			return true
		}
		if spec, ok := part.Spec.(*harness.Controller); ok && (role == "ECU" || foreignLine(role) || !d.on.taken[part.Name]) {
			for _, r := range spec.PinRoles {
				if r.Name == pin.Name && (r.Ground || r.Power || r.Command() == "") {
					return true
				}
			}
		}
	}
	a, b := drawn(w.From), drawn(w.To)
	return a == (harness.Pin{Part: "BAT", Name: "+"}) && b.Part == "SW" || b == (harness.Pin{Part: "BAT", Name: "+"}) && a.Part == "SW"
}

// isForeign tells whether a part of the circuit belongs to the vehicle.
func (d *design) isForeign(name string) bool {
	return foreignPart(d.role(name)) || d.on != nil && !d.on.taken[name] && stays(d.c.Part(name).Kind()) && d.role(name)[0] == 0
}

func foreignWire(c *harness.Circuit, w *harness.Wire) bool {
	if c.Part(w.From.Part).Kind() == harness.KindBattery && w.To.Part == "SW" {
		return true // the key's own feed, where its fuse is behind the key as the vehicle has it
	}
	for _, pin := range []harness.Pin{w.From, w.To} {
		if strings.HasPrefix(pin.Part, "EM") && (pin.Name == "o" || pin.Name == "r") {
			return true // within a fan that has electronics of its own
		}
		if pin.Part == "FE" {
			return true
		}
		if spec, ok := c.Part(pin.Part).Spec.(*harness.Controller); ok && (pin.Part == "ECU" || foreignLine(pin.Part)) {
			for _, role := range spec.PinRoles {
				if role.Name == pin.Name && (role.Ground || role.Power) {
					return true
				}
			}
		}
	}
	return false
}

// oneFeed tells whether, in the harness that is there, one fuse feeds all fans, and is large enough for those of the wish.
func (w *Wish) oneFeed() bool {
	if w.There == nil {
		return false
	}
	var loads []float64
	for _, wire := range w.There.Wires {
		for i, pin := range []harness.Pin{wire.From, wire.To} {
			other := []harness.Pin{wire.To, wire.From}[i]
			if f, ok := w.There.Part(pin.Part).Spec.(*harness.Fuse); ok && w.There.Part(other.Part).Kind() == harness.KindBattery &&
				f.Amps > coilFuse {
				loads = append(loads, f.Amps)
			}
		}
	}
	total := 0.0
	for _, f := range w.Fans {
		total += f.Amps
	}
	running := total * math.Pow(w.Supply.Running/w.Supply.Off, 1.5)
	return len(loads) == 1 && running <= size.FuseShare(w.Heat)*loads[0]
}
