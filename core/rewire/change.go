package rewire

import (
	"fmt"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/trace"
)

// From the harness that is there to the new one: parts are matched by their kind and what they can do, then the wires are
// compared between matched pins.

// Change is what is done to the harness that is there. Parts and wires are named as they are now, new ones as in the new
// harness.
type Change struct {
	Cut    []string `json:"cut"`    // wires
	Moved  []string `json:"moved"`  // one end stays, the other goes elsewhere
	Added  []string `json:"added"`  // parts
	Wires  []string `json:"wires"`  // added
	Reused []string `json:"reused"` // parts, with what they become
	Capped []string `json:"capped"` // ends that stay live, and parts left without use
}

// changeOf compares; with nothing there everything is added.
func changeOf(old, made *harness.Circuit) Change {
	ch := Change{Cut: []string{}, Moved: []string{}, Added: []string{}, Wires: []string{}, Reused: []string{}, Capped: []string{}}
	if old == nil {
		for _, p := range made.Parts {
			ch.Added = append(ch.Added, p.Name)
		}
		for _, w := range made.Wires {
			ch.Wires = append(ch.Wires, w.String())
		}
		return ch
	}
	was := matched(old, made) // new part's name to the old one's
	taken := map[string]bool{}
	for _, p := range made.Parts {
		name, ok := was[p.Name]
		if !ok {
			ch.Added = append(ch.Added, p.Name)
			continue
		}
		taken[name] = true
		words := name
		if name != p.Name {
			words = fmt.Sprintf("%s becomes %s", name, p.Name)
		}
		if f, ok := p.Spec.(*harness.Fuse); ok && old.Part(name).Spec.(*harness.Fuse).Amps != f.Amps {
			words += fmt.Sprintf(", its holder with a fuse of %g A instead of %g A", f.Amps, old.Part(name).Spec.(*harness.Fuse).Amps)
		}
		ch.Reused = append(ch.Reused, words)
	}
	there := func(pin harness.Pin) harness.Pin { // where a new pin is on the old harness
		if name, ok := was[pin.Part]; ok {
			return harness.Pin{Part: name, Name: pin.Name}
		}
		return harness.Pin{}
	}
	left := slices.Clone(old.Wires)
	var fresh []*harness.Wire
	for _, w := range made.Wires {
		a, b := there(w.From), there(w.To)
		k := slices.IndexFunc(left, func(o *harness.Wire) bool { return o.From == a && o.To == b || o.From == b && o.To == a })
		if k < 0 {
			fresh = append(fresh, w)
			continue
		}
		left = slices.Delete(left, k, k+1)
	}
	for _, w := range fresh {
		a, b := there(w.From), there(w.To)
		k := slices.IndexFunc(left, func(o *harness.Wire) bool {
			return enough(o, w) && (o.From == a || o.To == a || o.From == b || o.To == b) && (a.Part != "" || b.Part != "")
		})
		if k < 0 {
			ch.Wires = append(ch.Wires, w.String())
			continue
		}
		ch.Moved = append(ch.Moved, fmt.Sprintf("%s becomes %s", left[k], w))
		left = slices.Delete(left, k, k+1)
	}
	for _, w := range left {
		ch.Cut = append(ch.Cut, w.String())
	}
	ch.Capped = capped(old, left, taken)
	return ch
}

// enough tells whether an old wire is thick enough to serve as a new one.
func enough(old, made *harness.Wire) bool {
	return old.Size.Given() && old.Size.SquareMM() >= 0.98*made.Size.SquareMM()
}

// matched finds for each new part the old one that can serve: the battery, fans and controllers in their order; relays that
// have the contacts; holders of fuses, resistors of about the same ohms.
func matched(old, made *harness.Circuit) map[string]string {
	was, taken := map[string]string{}, map[string]bool{}
	serves := func(o, p *harness.Part) bool {
		if o.Kind() != p.Kind() || taken[o.Name] {
			return false
		}
		switch spec := p.Spec.(type) {
		case *harness.Relay:
			r := o.Spec.(*harness.Relay)
			return r.Contacts == spec.Contacts || r.Contacts == harness.Changeover && spec.Contacts != harness.DoubleMake
		case *harness.Fuse: // another rating goes into the same holder where it is of the same style
			return o.Spec.(*harness.Fuse).Style == spec.Style
		case *harness.Resistor:
			r := o.Spec.(*harness.Resistor).Ohms
			return r > 0.7*spec.Ohms && r < 1.4*spec.Ohms
		}
		return true
	}
	same := func(o, p *harness.Part) bool { return o.Name == p.Name }
	exact := func(o, p *harness.Part) bool {
		switch spec := p.Spec.(type) {
		case *harness.Relay:
			return o.Spec.(*harness.Relay).Contacts == spec.Contacts
		case *harness.Fuse:
			return o.Spec.(*harness.Fuse).Amps == spec.Amps
		}
		return true
	}
	for _, fits := range []func(o, p *harness.Part) bool{
		func(o, p *harness.Part) bool { return exact(o, p) && same(o, p) }, exact, func(_, _ *harness.Part) bool { return true },
	} {
		for _, p := range made.Parts {
			if _, done := was[p.Name]; done {
				continue
			}
			for _, o := range old.Parts {
				if serves(o, p) && fits(o, p) {
					was[p.Name], taken[o.Name] = o.Name, true
					break
				}
			}
		}
	}
	return was
}

// capped lists the live stubs that cut wires leave, and the parts that have no use any more. A stub that is live is cut as
// far upstream as can be, and capped.
func capped(old *harness.Circuit, cut []*harness.Wire, taken map[string]bool) []string {
	list := []string{}
	m, err := electric.New(old)
	if err == nil {
		if roles, err := trace.Roles(m); err == nil {
			for _, w := range cut {
				for _, pin := range []harness.Pin{w.From, w.To} {
					role := roles[pin].Role
					if role == trace.FixedFeed || role == trace.SwitchedFeed {
						list = append(list, fmt.Sprintf("%s stays live (%s): cut it as near its feed as can be, and cap it", pin, role))
						break
					}
				}
			}
		}
	}
	for _, p := range old.Parts {
		if !taken[p.Name] {
			list = append(list, fmt.Sprintf("%s (%s) has no use any more", p.Name, p.Kind()))
		}
	}
	return list
}
