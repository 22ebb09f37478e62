package rewire

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"ironthread/core/harness"
)

// What a layout makes of the harness that is there, as a file: old parts and wires under their own names, new ones beside them, and a
// sentence for each thing that is done.

// Operations are what is done to the harness that is there, in sentences. What is moved, tapped, laid and cut is counted; a part that
// comes in, a fuse that changes its rating and what is left in place are listed.
type Operations struct {
	Moved  []string `json:"moved"`
	Tapped []string `json:"tapped"`
	Laid   []string `json:"laid"`
	Cut    []string `json:"cut"`
	New    []string `json:"new"`
	Left   []string `json:"left"`
}

// Count is how many of them are a wire in the hand.
func (o *Operations) Count() int { return len(o.Moved) + len(o.Tapped) + len(o.Laid) + len(o.Cut) }

// adopted is a drawing on the harness that is there.
type adopted struct {
	c     *harness.Circuit
	final map[string]string // names of the drawing to names of the circuit
	there map[*harness.Wire]bool
	was   map[string]float64 // rating of each fuse that is there, by its name
	ops   Operations
	left  []*harness.Wire
	cut   []*harness.Wire
	moved map[*harness.Wire]*harness.Wire // to what they were
	taken map[string]bool                 // old parts that serve
}

// adopt lays a sized drawing on the harness that is there.
func adopt(d *design, old *harness.Circuit, unfit map[string]bool) *adopted {
	a := newAdopter(d, old, unfit)
	made := d.c
	m, l := a.best()
	out := &adopted{c: &harness.Circuit{Title: made.Title, Notes: made.Notes, Supply: made.Supply, Strategy: made.Strategy,
		Boxes: old.Boxes, Places: old.Places}, final: map[string]string{}, there: map[*harness.Wire]bool{}, was: map[string]float64{},
		moved: map[*harness.Wire]*harness.Wire{}, taken: map[string]bool{}}
	out.parts(a, m)
	out.wires(a, l)
	for _, s := range made.States {
		with := *s
		with.Words = map[string]string{}
		for name, word := range s.Words {
			with.Words[out.name(name)] = word
		}
		out.c.States = append(out.c.States, &with)
	}
	out.sentences(a, l)
	return out
}

func (o *adopted) name(drawn string) string {
	if name, ok := o.final[drawn]; ok {
		return name
	}
	return drawn
}

// parts: old ones that serve or stay, under their names, then those that come in.
func (o *adopted) parts(a *adopter, m *match) {
	serves := map[string]*harness.Part{} // by old name, the drawing's
	for k, p := range a.made.Parts {
		if m.to[k] >= 0 {
			name := a.old.Parts[m.to[k]].Name
			o.final[p.Name], o.taken[name] = name, true
			if _, there := serves[name]; !there {
				serves[name] = p
			}
		}
	}
	for _, part := range a.old.Parts {
		drawn, does := serves[part.Name]
		if !does && !stays(part.Kind()) {
			continue
		}
		with := *part
		if does {
			with.Spec = o.merged(a, part, drawn)
		}
		o.c.Parts = append(o.c.Parts, &with)
	}
	fresh := map[string]bool{}
	for k, p := range a.made.Parts {
		if m.to[k] < 0 {
			fresh[p.Name] = true
		}
	}
	for k, p := range a.made.Parts {
		if m.to[k] >= 0 {
			continue
		}
		name := freeName(p.Name, func(name string) bool {
			return a.old.Part(name) != nil || o.c.Part(name) != nil || name != p.Name && fresh[name]
		})
		o.final[p.Name] = name
		with := *p
		with.Name = name
		switch spec := p.Spec.(type) { // what is sized anew
		case *harness.Fuse:
			fresh := *spec
			with.Spec = &fresh
		case *harness.Relay:
			fresh := *spec
			with.Spec = &fresh
		}
		o.c.Parts = append(o.c.Parts, &with)
		if !foreignPart(p.Name) {
			o.ops.New = append(o.ops.New, fmt.Sprintf("%s comes in: %s", name, describe(&with)))
		}
	}
}

// freeName is a name of the same letters that nothing has yet.
func freeName(name string, taken func(string) bool) string {
	letters := strings.TrimRight(name, "0123456789")
	for n := 1; taken(name); n++ {
		name = fmt.Sprintf("%s%d", letters, n)
	}
	return name
}

// merged is what an old part is in the new circuit: itself, but for the fuse in a holder, the fan that is wished and the orders that a
// controller gives.
func (o *adopted) merged(a *adopter, part, drawn *harness.Part) harness.Spec {
	switch spec := part.Spec.(type) {
	case *harness.Fuse:
		with := *spec
		o.was[part.Name] = spec.Amps
		return &with
	case *harness.Relay:
		with := *spec
		return &with
	case *harness.Motor:
		w := drawn.Spec.(*harness.Motor)
		if len(spec.Windings) == 0 && near(spec.Amps, w.Amps) && near(spec.Volts, w.Volts) {
			return spec
		}
		return drawn.Spec
	case *harness.Controller:
		with := &harness.Controller{}
		for _, r := range spec.PinRoles {
			role := *r
			for _, d := range drawn.Spec.(*harness.Controller).PinRoles {
				if a.roles[d.Name] == r.Name {
					role.SinksOn, role.SinksUnless, role.SourcesOn, role.PWMOn = d.SinksOn, d.SinksUnless, d.SourcesOn, d.PWMOn
				}
			}
			with.PinRoles = append(with.PinRoles, &role)
		}
		for _, d := range drawn.Spec.(*harness.Controller).PinRoles {
			if a.roles[d.Name] == "" {
				role := *d
				role.Name = o.freePin(with, d.Name)
				with.PinRoles = append(with.PinRoles, &role)
				a.roles[d.Name] = role.Name
				o.ops.New = append(o.ops.New, fmt.Sprintf("%s needs an output more, drawn as %s: find which is free", part.Name, role.Name))
			}
		}
		return with
	}
	return part.Spec
}

func near(a, b float64) bool { return a > 0.97*b && a < 1.03*b }

func (o *adopted) freePin(c *harness.Controller, name string) string {
	for n := 1; slices.ContainsFunc(c.PinRoles, func(r *harness.PinRole) bool { return r.Name == name }); n++ {
		name = fmt.Sprintf("N%d", n)
	}
	return name
}

// pin is a pin of the layout in the new circuit.
func (o *adopted) pin(a *adopter, n int) harness.Pin {
	pin := a.pins[n]
	if n < len(a.oldPins) {
		return pin
	}
	if pin.Part == "ECU" && a.roles[pin.Name] != "" {
		pin.Name = a.roles[pin.Name]
	}
	pin.Part = o.name(pin.Part)
	return pin
}

// wires: those that stay, those of which one end is moved, those that come in.
func (o *adopted) wires(a *adopter, l *layout) {
	count := map[harness.Pin]int{}
	add := func(w *harness.Wire, there bool) {
		o.c.Wires = append(o.c.Wires, w)
		o.there[w] = there
		count[w.From]++
		count[w.To]++
	}
	for _, k := range l.kept {
		with := *a.old.Wires[k]
		if o.c.Part(with.From.Part) != nil && o.c.Part(with.To.Part) != nil {
			add(&with, true)
		}
	}
	for _, mv := range l.moved {
		was := a.old.Wires[mv.wire]
		with := *was
		to := o.pin(a, mv.to)
		if a.oldPins[was.From] == mv.from {
			with.From = to
		} else {
			with.To = to
		}
		if need := a.made.Wires[mv.as].Length; with.Length.Figure > 0 && with.Length.Metres() < 0.9*need.Metres() {
			with.Length = need
		}
		add(&with, true)
		o.moved[&with] = was
	}
	for _, j := range l.joined {
		with := *a.made.Wires[j.wire]
		with.From, with.To = o.pin(a, j.a), o.pin(a, j.b)
		add(&with, false)
	}
	for _, k := range l.left {
		o.left = append(o.left, a.old.Wires[k])
	}
	for _, k := range l.cut {
		o.cut = append(o.cut, a.old.Wires[k])
	}
}

// sentences say what is done, in the order in which the wires stand.
func (o *adopted) sentences(a *adopter, l *layout) {
	o.ops.Moved, o.ops.Tapped, o.ops.Laid, o.ops.Cut = []string{}, []string{}, []string{}, []string{}
	for _, w := range o.c.Wires {
		was := o.moved[w]
		if was == nil {
			continue
		}
		end, to := was.From, w.From
		if was.From == w.From {
			end, to = was.To, w.To
		}
		longer := ""
		if w.Length != was.Length {
			longer = fmt.Sprintf("; it is lengthened to %.2g m with a sealed crimp", w.Length.Metres())
		}
		o.ops.Moved = append(o.ops.Moved, fmt.Sprintf("%s (%s): its end at %s goes to %s%s", was, was.Description(), end, to, longer))
		if (was.From == w.From) == (was.To == w.To) { // at both ends it is two
			o.ops.Moved = append(o.ops.Moved, fmt.Sprintf("%s: its other end too", was))
		}
	}
	for _, j := range l.joined {
		if j.foreign {
			continue
		}
		from, to := o.pin(a, j.a), o.pin(a, j.b)
		w := o.c.Wire(from, to)
		if w == nil {
			continue
		}
		if !j.tapped {
			o.ops.Laid = append(o.ops.Laid, fmt.Sprintf("%s: %s is laid", w, w.Description()))
			continue
		}
		at, other := from, to
		if k := o.wireAt(at); k == nil {
			at, other = to, from
		}
		into := "the wire there"
		if k := o.wireAt(at); k != nil {
			into = k.String()
		}
		o.ops.Tapped = append(o.ops.Tapped, fmt.Sprintf("%s (%s): from %s, tapped into %s near %s", w, w.Description(), other, into, at))
	}
	for _, w := range o.cut {
		o.ops.Cut = append(o.ops.Cut, fmt.Sprintf("%s (%s) is cut, its ends capped", w, w.Description()))
	}
	o.ops.Left = []string{}
	for _, p := range a.old.Parts {
		if o.c.Part(p.Name) == nil {
			o.ops.Left = append(o.ops.Left, fmt.Sprintf("%s is taken out or left without use, its wires capped in place", p.Name))
		}
	}
	for _, w := range o.left {
		o.ops.Left = append(o.ops.Left, fmt.Sprintf("%s stays in place, capped at both ends", w))
	}
	if o.ops.New == nil {
		o.ops.New = []string{}
	}
}

// wireAt is a wire that is there and ends at a pin.
func (o *adopted) wireAt(pin harness.Pin) *harness.Wire {
	for _, w := range o.c.Wires {
		if o.there[w] && (w.From == pin || w.To == pin) {
			return w
		}
	}
	return nil
}

// ratingsChanged lists the fuses that go into a holder instead of another.
func (o *adopted) ratingsChanged() []string {
	var list []string
	for _, name := range slices.Sorted(maps.Keys(o.was)) {
		if f, ok := o.c.Part(name).Spec.(*harness.Fuse); ok && f.Amps != o.was[name] {
			list = append(list, fmt.Sprintf("%s: its holder takes a fuse of %g A instead of %g A", name, f.Amps, o.was[name]))
		}
	}
	return list
}
