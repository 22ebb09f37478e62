package rewire

import (
	"fmt"
	"slices"
	"strings"

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
	// Bridged is what the harness that is there does while one wire is at its new place and the rest is not changed yet.
	Bridged []string `json:"bridged"`
}

// changeOf compares; with nothing there everything is added.
func changeOf(old, made *harness.Circuit) Change {
	ch := Change{Cut: []string{}, Moved: []string{}, Added: []string{}, Wires: []string{}, Reused: []string{}, Capped: []string{},
		Bridged: []string{}}
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
		name, ok := was[pin.Part]
		if !ok {
			return harness.Pin{}
		}
		if spec, ok := made.Part(pin.Part).Spec.(*harness.Controller); ok {
			return harness.Pin{Part: name, Name: pinAs(spec, old.Part(name).Spec.(*harness.Controller), pin.Name)}
		}
		return harness.Pin{Part: name, Name: pin.Name}
	}
	left := slices.DeleteFunc(slices.Clone(old.Wires), func(w *harness.Wire) bool { return suppliesController(old, w) })
	var fresh []*harness.Wire
	for _, w := range made.Wires {
		if foreignWire(made, w) {
			continue // as it is there
		}
		a, b := there(w.From), there(w.To)
		k := slices.IndexFunc(left, func(o *harness.Wire) bool { return o.From == a && o.To == b || o.From == b && o.To == a })
		if k < 0 || !serves(left[k], w) { // one that is too thin or too short is cut, and a new one comes
			fresh = append(fresh, w)
			continue
		}
		left = slices.Delete(left, k, k+1)
	}
	for _, w := range fresh {
		a, b := there(w.From), there(w.To)
		k := slices.IndexFunc(left, func(o *harness.Wire) bool {
			if !o.Size.Given() || !serves(o, w) {
				return false
			}
			// One end stays where it is, and the other goes to a part of the same kind: the same job at another place.
			same := func(x, y harness.Pin, with harness.Pin) bool {
				return x == y && x.Part != "" && old.Part(with.Part).Kind() == made.Part(other(w, there, x).Part).Kind()
			}
			return same(o.From, a, o.To) || same(o.From, b, o.To) || same(o.To, a, o.From) || same(o.To, b, o.From)
		})
		if k < 0 {
			ch.Wires = append(ch.Wires, w.String())
			continue
		}
		ch.Moved = append(ch.Moved, fmt.Sprintf("%s becomes %s", left[k], w))
		if words := bridged(old, left[k], a, b); words != "" {
			ch.Bridged = append(ch.Bridged, words)
		}
		left = slices.Delete(left, k, k+1)
	}
	for _, w := range left {
		ch.Cut = append(ch.Cut, w.String())
	}
	ch.Capped = capped(old, left, taken)
	return ch
}

// suppliesController tells whether a wire of the harness that is there is the supply or the ground of the vehicle's own controller:
// whoever asks stays as it is.
func suppliesController(c *harness.Circuit, w *harness.Wire) bool {
	for _, pin := range []harness.Pin{w.From, w.To} {
		if spec, ok := c.Part(pin.Part).Spec.(*harness.Controller); ok {
			for _, role := range spec.PinRoles {
				if role.Name == pin.Name && (role.Ground || role.Power) {
					return true
				}
			}
		}
	}
	return false
}

// bridged says what the harness that is there does with one wire at its new place and all else as it was: the fans that
// then run otherwise, and what is overloaded. Nothing where the new place is not there yet, or where nothing changes.
func bridged(old *harness.Circuit, moved *harness.Wire, a, b harness.Pin) string {
	if a.Part == "" || b.Part == "" {
		return ""
	}
	before, err := electric.New(old)
	if err != nil {
		return ""
	}
	changed := *old
	changed.Wires = slices.Clone(old.Wires)
	at := slices.Index(old.Wires, moved)
	with := *moved
	with.From, with.To = a, b
	changed.Wires[at] = &with
	after, err := electric.New(&changed)
	if err != nil {
		return fmt.Sprintf("with %s at %s and %s nothing is a circuit any more", moved, a, b)
	}
	var does []string
	for _, s := range old.States {
		was, err := before.Solve(electric.Condition{State: s})
		if err != nil {
			continue
		}
		is, err := after.Solve(electric.Condition{State: s})
		if err != nil {
			continue
		}
		var words []string
		for _, m := range old.OfKind(harness.KindMotor) {
			if is.Motors[m.Name].Speed != was.Motors[m.Name].Speed {
				words = append(words, fmt.Sprintf("%s %s", m.Name, is.Motors[m.Name].Speed))
			}
		}
		for _, x := range is.Warnings {
			if x.Kind == "short" || x.Kind == "fuse" || x.Kind == "feeds" {
				words = append(words, x.Text)
			}
		}
		if len(words) > 0 {
			does = append(does, s.Name+": "+strings.Join(words, ", "))
		}
	}
	if len(does) == 0 {
		return ""
	}
	return fmt.Sprintf("%s at its new place and the rest not changed yet: %s; so the feeds' fuses stay out until all wires are moved",
		moved,
		strings.Join(does, "; "))
}

// other is the end of a new wire that is not where an old pin is.
func other(w *harness.Wire, there func(harness.Pin) harness.Pin, at harness.Pin) harness.Pin {
	if there(w.From) == at {
		return w.To
	}
	return w.From
}

// serves tells whether an old wire is thick and long enough to serve as a new one; one of which nothing is known is looked
// at when it is there.
func serves(old, made *harness.Wire) bool {
	if old.Size.Given() && old.Size.SquareMM() < 0.98*made.Size.SquareMM() {
		return false
	}
	return old.Length.Metres() == 0 || old.Length.Metres() >= 0.9*made.Length.Metres()
}

// pinAs is the pin of the controller that is there which does what a pin of the new one does: the same role, and of several
// the one that comes as late. A pin that does what none did gets its own name.
func pinAs(made, old *harness.Controller, name string) string {
	kind := func(r *harness.PinRole) string {
		switch {
		case r.Ground:
			return "ground"
		case r.Power:
			return "power"
		}
		return fmt.Sprint(r.SinksOn != "", r.SinksUnless != "", r.SourcesOn != "", r.PWMOn != "")
	}
	nth, does := 0, ""
	for _, r := range made.PinRoles {
		if r.Name == name {
			does = kind(r)
		}
	}
	for _, r := range made.PinRoles {
		if r.Name == name {
			break
		}
		if kind(r) == does {
			nth++
		}
	}
	for _, r := range old.PinRoles {
		if kind(r) == does {
			if nth == 0 {
				return r.Name
			}
			nth--
		}
	}
	return "new " + name
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
					if old.Part(pin.Part).Kind() == harness.KindBattery {
						continue // its post has its cover
					}
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
