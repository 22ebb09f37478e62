package sheet

import (
	"gonum.org/v1/gonum/mat"

	"ironthread/core/harness"
)

// conductor is a path through a part between two of its pins, for finding which way current
// goes. A contact conducts only while its relay is in, or only while it is at rest.
type conductor struct {
	a, b    harness.Pin
	relay   string // empty: always
	whenIn  bool
	ground  bool // b is the negative post
	battery bool // b is the positive post
}

// conductors lists the paths through one part.
func conductors(p *harness.Part) []conductor {
	pin := func(name string) harness.Pin { return harness.Pin{Part: p.Name, Name: name} }
	switch spec := p.Spec.(type) {
	case *harness.Relay:
		list := []conductor{{a: pin("86"), b: pin("85")}}
		for _, pole := range spec.Poles() {
			if spec.HasMake() {
				list = append(list, conductor{a: pin("30" + pole), b: pin("87" + pole), relay: p.Name, whenIn: true})
			}
			if spec.HasRest() {
				list = append(list, conductor{a: pin("30" + pole), b: pin("87a" + pole), relay: p.Name})
			}
		}
		return list
	case *harness.Controller:
		return controllerPaths(p, spec)
	case *harness.Connector:
		var list []conductor
		pins := spec.Pins()
		for i := 0; i+1 < len(pins); i += 2 {
			list = append(list, conductor{a: pin(pins[i]), b: pin(pins[i+1])})
		}
		return list
	case *harness.ResistorCard:
		var list []conductor
		for i, pins := 1, spec.Pins(); i < len(pins); i++ {
			list = append(list, conductor{a: pin(pins[i-1]), b: pin(pins[i])})
		}
		return list
	case *harness.Selector, *harness.Switch2, *harness.StagedSwitch:
		var list []conductor
		for _, name := range p.Spec.Pins()[1:] {
			list = append(list, conductor{a: pin(name), b: pin("c")})
		}
		return list
	case *harness.FanModule:
		return modulePaths(pin, spec.Feeds, append(spec.Outputs(), spec.Inputs...), spec.Grounds)
	case *harness.PWMModule:
		outs := []string{spec.Control}
		for _, o := range spec.Outputs {
			outs = append(outs, o.Plus)
		}
		return modulePaths(pin, spec.Feeds, outs, spec.Grounds)
	case *harness.SpeedController:
		if spec.Side == harness.High {
			return []conductor{{a: pin("+"), b: pin("out")}, {a: pin("+"), b: pin("-")}}
		}
		return []conductor{{a: pin("out"), b: pin("-")}, {a: pin("+"), b: pin("-")}}
	case *harness.Motor:
		if len(spec.Windings) == 0 {
			break
		}
		var list []conductor
		for _, w := range spec.Windings {
			list = append(list, conductor{a: pin(w.Plus), b: pin(w.Minus)})
		}
		return list
	case *harness.Battery, *harness.Splice:
		return nil
	case *harness.Ground:
		return []conductor{{a: pin(""), ground: true}}
	}
	if pins := p.Pins(); len(pins) == 2 {
		return []conductor{{a: pins[0], b: pins[1]}}
	}
	return nil
}

// modulePaths: outputs and inputs come from the feeds; what the module takes goes to ground.
func modulePaths(pin func(string) harness.Pin, feeds, outs, grounds []string) []conductor {
	var list []conductor
	for _, feed := range feeds {
		for _, out := range outs {
			list = append(list, conductor{a: pin(feed), b: pin(out)})
		}
		for _, ground := range grounds {
			list = append(list, conductor{a: pin(feed), b: pin(ground)})
		}
	}
	return list
}

// controllerPaths: a sink pin returns through the controller's real grounds, a source comes
// from its power pins.
func controllerPaths(p *harness.Part, spec *harness.Controller) []conductor {
	var list []conductor
	rails := func(wanted func(*harness.PinRole) bool) []harness.Pin {
		var pins []harness.Pin
		for _, r := range spec.PinRoles {
			if wanted(r) {
				pins = append(pins, harness.Pin{Part: p.Name, Name: r.Name})
			}
		}
		return pins
	}
	grounds := rails(func(r *harness.PinRole) bool { return r.Ground })
	powers := rails(func(r *harness.PinRole) bool { return r.Power })
	for _, r := range spec.PinRoles {
		at := harness.Pin{Part: p.Name, Name: r.Name}
		switch {
		case r.SourcesOn != "":
			for _, power := range powers {
				list = append(list, conductor{a: power, b: at})
			}
			if len(powers) == 0 {
				list = append(list, conductor{a: at, battery: true})
			}
		case r.Ground:
		default:
			for _, ground := range grounds {
				list = append(list, conductor{a: at, b: ground})
			}
			if len(grounds) == 0 {
				list = append(list, conductor{a: at, ground: true})
			}
		}
	}
	return list
}

// flows sums, for each conductor, the current from a to b over several sets of relays pulled
// in (none, all, each, each pair), every conductor a unit resistance. Its sign tells which
// end is the upper one.
func flows(c *harness.Circuit, nets *netlist, list []conductor) []float64 {
	relays := c.OfKind(harness.KindRelay)
	sets := []map[string]bool{{}, {}}
	for _, k := range relays {
		sets[1][k.Name] = true
		sets = append(sets, map[string]bool{k.Name: true})
	}
	for i := range relays {
		for j := range i {
			sets = append(sets, map[string]bool{relays[i].Name: true, relays[j].Name: true})
		}
	}
	sum := make([]float64, len(list))
	for _, set := range sets {
		for i, amps := range flow(nets, list, set) {
			sum[i] += amps
		}
	}
	return sum
}

// flow solves one set with the positive post at one volt.
func flow(nets *netlist, list []conductor, in map[string]bool) []float64 {
	n := len(nets.pins)
	if n == 0 {
		return make([]float64, len(list))
	}
	conducts := func(d conductor) bool { return d.relay == "" || in[d.relay] == d.whenIn }
	m := mat.NewSymDense(n, nil)
	rhs := mat.NewVecDense(n, nil)
	bump := func(i, j int, g float64) { m.SetSym(i, j, m.At(i, j)+g) }
	for i := range n {
		bump(i, i, 1e-6)
	}
	const firm = 1e3 // conductance that ties a net to a post
	if nets.battery >= 0 {
		bump(nets.battery, nets.battery, firm)
		rhs.SetVec(nets.battery, firm)
	}
	for _, g := range nets.grounds() {
		bump(g, g, firm)
	}
	for _, d := range list {
		if !conducts(d) {
			continue
		}
		a := nets.of[d.a]
		switch {
		case d.ground, d.battery:
			bump(a, a, 1)
			if d.battery {
				rhs.SetVec(a, rhs.AtVec(a)+1)
			}
		default:
			b := nets.of[d.b]
			if a != b {
				bump(a, a, 1)
				bump(b, b, 1)
				bump(a, b, -1)
			}
		}
	}
	amps := make([]float64, len(list))
	var chol mat.Cholesky
	var x mat.VecDense
	if !chol.Factorize(m) || chol.SolveVecTo(&x, rhs) != nil {
		return amps
	}
	for i, d := range list {
		if !conducts(d) {
			continue
		}
		b := 0.0
		switch {
		case d.battery:
			b = 1
		case !d.ground:
			b = x.AtVec(nets.of[d.b])
		}
		amps[i] = x.AtVec(nets.of[d.a]) - b
	}
	return amps
}

// netlist is which pins are joined by wires. Splices vanish into their net.
type netlist struct {
	of      map[harness.Pin]int
	pins    [][]harness.Pin // of each net, splices and grounds included
	battery int             // the net of the first battery's positive post, -1 if none
	ground  []bool          // nets with a chassis joint or the negative post on them
}

func newNetlist(c *harness.Circuit) *netlist {
	parent := map[harness.Pin]harness.Pin{}
	var root func(harness.Pin) harness.Pin
	root = func(p harness.Pin) harness.Pin {
		if parent[p] == p {
			return p
		}
		r := root(parent[p])
		parent[p] = r
		return r
	}
	var all []harness.Pin
	for _, p := range c.Parts {
		for _, pin := range p.Pins() {
			parent[pin] = pin
			all = append(all, pin)
		}
	}
	for _, w := range c.Wires {
		parent[root(w.From)] = root(w.To)
	}
	n := &netlist{of: map[harness.Pin]int{}, battery: -1}
	index := map[harness.Pin]int{}
	for _, pin := range all {
		r := root(pin)
		i, known := index[r]
		if !known {
			i = len(n.pins)
			index[r] = i
			n.pins = append(n.pins, nil)
			n.ground = append(n.ground, false)
		}
		n.of[pin] = i
		n.pins[i] = append(n.pins[i], pin)
		switch part := c.Part(pin.Part); {
		case part.Kind() == harness.KindGround, part.Kind() == harness.KindBattery && pin.Name == "-":
			n.ground[i] = true
		case part.Kind() == harness.KindBattery && pin.Name == "+" && n.battery < 0:
			n.battery = i
		}
	}
	return n
}

func (n *netlist) grounds() []int {
	var list []int
	for i, g := range n.ground {
		if g {
			list = append(list, i)
		}
	}
	return list
}
