package rewire

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/harness"
)

// Whoever asks is joined to the line of the coils that make its speed, by what its own line gives: what pulls to ground
// straight, what gives plus and what is inverted through a relay that turns it round.

// joinLines joins the coils of a stage, and lets the high line bring low with it: a diode carries the high line's pull to
// the low line's coils, and not the other way.
func (d *drawing) joinLines() {
	for _, line := range d.lines {
		for i := 1; i < len(line); i++ {
			d.wire(line[0], line[i], "GN", "in the box")
		}
	}
	if len(d.lines[0]) > 0 && len(d.lines[1]) > 0 && d.together == "" {
		d.part("D1", `kind: diode, label: high brings low with it, at: new box`)
		d.wire(d.lines[0][0], "D1.a", "GN/WH", "in the box")
		d.wire("D1.k", d.lines[1][0], "GN/WH", "in the box")
	}
}

// requesters joins whoever asks to the line of the speed it asks for, and notes how each is made to ask.
func (d *drawing) requesters() {
	outputs := 0
	output := func(does string, r Requester) string {
		outputs++
		d.pins = append(d.pins, fmt.Sprintf("\"%d\": {%s: %q}", outputs, does, r.Name))
		return fmt.Sprintf("ECU.%d", outputs)
	}
	for k, r := range d.w.Requesters {
		name := fmt.Sprintf("%d", k+1)
		stage := max(0, slices.Index(d.w.Speeds, string(r.Asks)))
		at := ""
		if len(d.lines[stage]) > 0 {
			at = d.lines[stage][0]
		}
		d.asks[r.Name] = fmt.Sprintf("commands: [%q]", r.Name)
		if stage > 0 && d.together != "" {
			d.asks[r.Name] = fmt.Sprintf("commands: [%q, %q]", r.Name, d.together)
		}
		switch {
		case r.Gives == Kill:
		case r.Gives == Pulses && at == "" && d.pulsed() != r.Name: // the first one's line carries every speed
			delete(d.asks, r.Name)
		case r.Gives == Pulses && at == "":
			line := output("pwm-on", r)
			for k, control := range d.controls { // along from one to the next
				if k == 0 {
					d.wire(line, control, "GN", "box to controller")
				} else {
					d.wire(d.controls[k-1], control, "GN", "in the box")
				}
			}
		case r.Gives == Pulses: // no relay listens to them
			delete(d.asks, r.Name)
		case at == "": // a module is told its speed by pulses alone
			delete(d.asks, r.Name)
		default:
			d.request(r, name, at, output)
		}
		d.rule(r, stage)
	}
	if outputs == 0 {
		return
	}
	d.pins = append(d.pins, `"G": {ground: true}`)
	d.part("ECU", fmt.Sprintf("kind: controller, pins: {%s}, label: who asks", strings.Join(d.pins, ", ")))
	d.wire("ECU.G", "G1", "BN", "box to controller")
}

// request draws how one who asks reaches the line of its stage, at: by a driver, a relay, a switch or a box of its own. output gives
// the controller another pin that does so.
func (d *drawing) request(r Requester, name, at string, output func(does string, r Requester) string) {
	plus, minus := d.coil()
	pilot := "KI" + name
	switch {
	case r.Gives == Ground && !d.w.pullsToStop(r) && slices.Contains(d.w.pilots, r.Name): // the coils are too much for its driver
		d.pilot(r, pilot, "make", r.Name+", pilot")
		d.wire(d.coilFeed(), pilot+"."+plus, "OG", "in the box")
		d.wire(pilot+"."+minus, output("sinks-on", r), "GN/OG", "box to controller")
		d.pulls(pilot, "87", at)
	case r.Gives == Ground && !d.w.pullsToStop(r):
		d.wire(at, output("sinks-on", r), "GN/OG", "box to controller")
	case r.Gives == Ground: // it pulls a relay whose rest contact grounds the line: an open line runs the fan
		d.pilot(r, pilot, "break", r.Name+", the other way round")
		d.wire(d.coilFeed(), pilot+"."+plus, "OG", "in the box")
		d.wire(pilot+"."+minus, output("sinks-unless", r), "GN/YE", "box to controller")
		d.pulls(pilot, "87a", at)
	case r.Gives == Supply:
		d.requestBySupply(r, name, at)
	case r.Gives == Switch, r.Gives == Pressure:
		d.requestBySwitch(r, "TS"+name, at)
	case r.Gives == AddOn:
		ao, fuse := "AO"+name, "FA"+name
		d.part(ao, fmt.Sprintf(`kind: controller, pins: {"1": {sinks-on: %q}, P: {power: true}, G: {ground: true}}, label: %q, price: 60`,
			r.Name, r.Name))
		d.part(fuse, fmt.Sprintf("kind: fuse, amps: 5, style: mini, label: %q, at: new box", "feed of "+r.Name))
		d.wire(d.keyed(), fuse+".a", "OG", "in the box")
		d.wire(fuse+".b", ao+".P", "OG", "box to controller")
		d.wire(ao+".G", "G1", "BN", "box to controller")
		d.wire(at, ao+".1", "GN/OG", "box to controller")
	case r.Gives == Toggle:
		d.part("S"+name, fmt.Sprintf("kind: switch, closed-when: asked, label: %q, at: dash", r.Name))
		d.wire(at, "S"+name+".a", "GN/VT", "box to controller")
		d.wire("S"+name+".b", "G1", "BN", "fans to ground")
		d.asks[r.Name] = "S" + name + ": on"
	}
}

// requestBySupply draws the vehicle's own line that gives plus, as it is there and only listened to, and the relay that turns that
// into a pull to ground.
func (d *drawing) requestBySupply(r Requester, name, at string) {
	plus, minus := d.coil()
	line, pilot := "L"+name, "KI"+name
	d.part(line, fmt.Sprintf("kind: controller, pins: {\"1\": {sources-on: %q}, P: {power: true}, G: {ground: true}}, label: %q", r.Name,
		r.Name+", there already"))
	if !d.listens {
		d.part("FE", "kind: fuse, amps: 10, style: mini, label: \"the vehicle's own, there already\"")
		d.wire("BAT.+", "FE.a", "RD", "box to controller")
	}
	d.listens = true
	d.wire("FE.b", line+".P", "RD", "box to controller")
	d.wire(line+".G", "G1", "BN", "box to controller")
	d.pilot(r, pilot, "make", r.Name+", turned to ground")
	d.wire(line+".1", pilot+"."+plus, "BU", "box to controller")
	d.wire(pilot+"."+minus, "G1", "BN", "fans to ground")
	d.pulls(pilot, "87", at)
}

// requestBySwitch draws a thermal switch in the radiator or a pressure switch in the refrigerant line.
func (d *drawing) requestBySwitch(r Requester, part, at string) {
	kind, key, where := "thermoswitch", "coolant", "radiator"
	if r.Gives == Pressure {
		kind, key, where = "pressure-switch", "pressure", "refrigerant line"
	}
	d.part(part, fmt.Sprintf("kind: %s, stages: {\"1\": {closes: %g, opens: %g}}, label: %q, at: %s", kind, r.Closes, r.Opens, r.Name, where))
	d.wire(at, part+".1", "GN/BU", "box to fans")
	d.wire(part+".c", "G1", "BN", "fans to ground")
	d.asks[r.Name] = fmt.Sprintf("%s: %g", key, r.Closes+1)
}

// pulls lets a relay's contact pull the line of a stage to ground.
func (d *drawing) pulls(relay, contact, line string) {
	d.wire(line, relay+"."+contact, "GN", "in the box")
	d.wire(relay+".30", "G1", "BN", "fans to ground")
}

// rule is when a controller's output asks, left to itself: settings to begin from (common practice), to be set to the
// controller's own.
func (d *drawing) rule(r Requester, stage int) {
	on := 95 + 8*stage
	switch {
	case d.asks[r.Name] == "" || !strings.HasPrefix(d.asks[r.Name], "commands"):
	case r.Gives == AddOn:
		d.rules = append(d.rules, fmt.Sprintf("  %q: {on-above: %g, off-below: %g}", r.Name, r.Closes, r.Opens))
	case r.Gives == Ground:
		with := ""
		if stage > 0 && d.together != "" {
			with = fmt.Sprintf(", with: [%q]", d.together)
		}
		d.rules = append(d.rules, fmt.Sprintf("  %q: {on-above: %d, off-below: %d%s}", r.Name, on, on-5, with))
	case r.Gives == Supply:
		d.rules = append(d.rules, fmt.Sprintf("  %q: {or: [ac]}", r.Name))
	case r.Gives == Pulses:
		d.rules = append(d.rules, fmt.Sprintf("  %q: {from: {at: 92, duty: 25}, to: {at: 104, duty: 90}}", r.Name))
	}
}

// pullsToStop tells whether an output pulls its line to keep the fans off: where it does so by itself, and where the fans are wished
// to run with a line broken, for which it is then to be set.
func (w *Wish) pullsToStop(r Requester) bool {
	return r.Inverted || r.Gives == Ground && w.OpenLine == Runs
}

// together is who asks for low whenever anybody asks for high, since the controller that is there gives both orders then: so that
// nothing need bring low with high. Nobody where any other asks for high.
func (w *Wish) together() string {
	if w.There == nil || len(w.Speeds) != 2 {
		return ""
	}
	was := w.ordersThere()
	low := ""
	for _, r := range w.Requesters {
		if string(r.Asks) == w.Speeds[0] && r.Gives == Ground && !w.pullsToStop(r) && was[r.Name] != "" && low == "" {
			low = r.Name
		}
	}
	for _, r := range w.Requesters {
		if string(r.Asks) != w.Speeds[1] || r.Gives == Kill {
			continue
		}
		if r.Gives != Ground || w.pullsToStop(r) || low == "" || was[r.Name] == "" {
			return ""
		}
		given := 0
		for _, s := range w.There.States {
			if slices.Contains(s.Commands, was[r.Name]) {
				if given++; !slices.Contains(s.Commands, was[low]) {
					return ""
				}
			}
		}
		if given == 0 {
			return ""
		}
	}
	return low
}

// ordersThere is which order of the controller that is there each output of the wish gives: of the same name, else in their order.
func (w *Wish) ordersThere() map[string]string {
	var orders []string
	if list := w.There.OfKind(harness.KindController); len(list) > 0 {
		for _, r := range list[0].Spec.(*harness.Controller).PinRoles {
			if r.SinksOn != "" {
				orders = append(orders, r.SinksOn)
			}
		}
	}
	was := map[string]string{}
	for _, named := range []bool{true, false} {
		for _, r := range w.Requesters {
			if r.Gives != Ground || r.Inverted || was[r.Name] != "" {
				continue
			}
			if k := slices.IndexFunc(orders, func(o string) bool { return o == r.Name || !named }); k >= 0 {
				was[r.Name] = orders[k]
				orders = slices.Delete(orders, k, k+1)
			}
		}
	}
	return was
}
