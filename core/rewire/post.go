package rewire

import (
	"slices"
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
	return foreignBy(d.c, w, d.role, func(part string) bool { return d.on != nil && !d.on.taken[part] })
}

// foreignWire is the same of a drawing by itself.
func foreignWire(c *harness.Circuit, w *harness.Wire) bool {
	return foreignBy(c, w, func(name string) string { return name }, func(string) bool { return false })
}

// foreignBy tells it by what each part is in the drawing, and by which parts are none of it.
func foreignBy(c *harness.Circuit, w *harness.Wire, role func(string) string, apart func(string) bool) bool {
	ends := [2]harness.Pin{w.From, w.To}
	for i, pin := range ends {
		part, is := c.Part(pin.Part), role(pin.Part)
		switch {
		case is == "FE", strings.HasPrefix(is, "EM") && (pin.Name == "o" || pin.Name == "r"): // the second: within a fan
			return true
		case is == "SW" && c.Part(ends[1-i].Part).Kind() == harness.KindBattery:
			return true // the key's own feed, where its fuse is behind the key as the vehicle has it
		}
		spec, controls := part.Spec.(*harness.Controller)
		if controls && (is == "ECU" || foreignLine(is) || apart(part.Name)) && !commands(part, pin.Name) &&
			slices.ContainsFunc(spec.PinRoles, func(r *harness.PinRole) bool { return r.Name == pin.Name }) {
			return true
		}
	}
	return false
}

// isForeign tells whether a part of the circuit belongs to the vehicle.
func (d *design) isForeign(name string) bool {
	return foreignPart(d.role(name)) || d.on != nil && !d.on.taken[name] && stays(d.c.Part(name).Kind()) && d.role(name)[0] == 0
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
	running := 0.0
	for _, f := range w.Fans {
		running += w.running(f)
	}
	return len(loads) == 1 && running <= size.FuseShare(w.Heat)*loads[0]
}
