package rewire

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/trace"
)

// What is done to the harness that is there, part by part and wire by wire, and what that leaves live.

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

// changed is what is done to the harness that is there; with nothing there everything is added.
func (d *design) changed() (Change, *Operations) {
	ch := Change{Cut: []string{}, Moved: []string{}, Added: []string{}, Wires: []string{}, Reused: []string{}, Capped: []string{},
		Bridged: []string{}}
	for _, p := range d.c.Parts {
		if d.on == nil || d.w.There.Part(p.Name) == nil {
			ch.Added = append(ch.Added, p.Name)
		} else if d.on.taken[p.Name] {
			ch.Reused = append(ch.Reused, p.Name)
		}
	}
	for _, w := range d.c.Wires {
		if !d.isThere(w) && (d.on == nil || !d.foreign(w)) {
			ch.Wires = append(ch.Wires, w.String())
		}
	}
	if d.on == nil {
		return ch, d.allNew()
	}
	ch.Reused = append(ch.Reused, d.on.ratingsChanged()...)
	for _, w := range d.c.Wires {
		was := d.on.moved[w]
		if was == nil {
			continue
		}
		ch.Moved = append(ch.Moved, fmt.Sprintf("%s becomes %s", was, w))
		if words := bridged(d.w.There, was, w.From, w.To); words != "" {
			ch.Bridged = append(ch.Bridged, words)
		}
	}
	for _, w := range d.on.cut {
		ch.Cut = append(ch.Cut, w.String())
	}
	ch.Capped = capped(d.w.There, slices.Concat(d.on.cut, d.on.left), d.c)
	ops := d.on.ops
	ops.New = append(slices.Clone(ops.New), d.on.ratingsChanged()...)
	return ch, &ops
}

// bridged says what the harness that is there does with one wire at its new place and all else as it was: the fans that
// then run otherwise, and what is overloaded. Nothing where the new place is not there yet, or where nothing changes.
func bridged(old *harness.Circuit, moved *harness.Wire, a, b harness.Pin) string {
	if old.Part(a.Part) == nil || old.Part(b.Part) == nil {
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

// capped lists the live stubs that cut wires leave, and the parts that have no use any more. A stub that is live is cut as
// far upstream as can be, and capped.
func capped(old *harness.Circuit, cut []*harness.Wire, made *harness.Circuit) []string {
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
		if made.Part(p.Name) == nil {
			list = append(list, fmt.Sprintf("%s (%s) has no use any more", p.Name, p.Kind()))
		}
	}
	return list
}

// allNew are the operations where nothing is there: every part comes in, and every wire is laid.
func (d *design) allNew() *Operations {
	ops := &Operations{Moved: []string{}, Tapped: []string{}, Laid: []string{}, Cut: []string{}, New: []string{}, Left: []string{}}
	for _, p := range d.c.Parts {
		if !d.isForeign(p.Name) && p.Kind() != harness.KindBattery {
			ops.New = append(ops.New, fmt.Sprintf("%s comes in: %s", p.Name, describe(p)))
		}
	}
	for _, w := range d.c.Wires {
		if !d.foreign(w) {
			ops.Laid = append(ops.Laid, fmt.Sprintf("%s: %s is laid", w, w.Description()))
		}
	}
	return ops
}
