package pincheck

import (
	"context"
	"fmt"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Every mistake that a conversion makes is a circuit of its own: two wires crossed, a wire open, two joined, one on ground, a
// coil the wrong way round. Those that explain all that was read are named, with the move that puts them right.

// Found is what the readings come to.
type Found struct {
	Right, Of int       // cells that read as drawn, of those read
	Wrong     []Entry   // those that do not
	Mistakes  []Mistake // single mistakes that explain every reading; else pairs of them
	Next      *Entry    // the cell that tells most of what remains apart; nil where nothing does
}

// Mistake is one thing wrong, or two, and what puts it right.
type Mistake struct {
	What, Move string
	with       []change
}

// change makes a mistake in a circuit's wires.
type change struct {
	what, move string
	make       func(c *harness.Circuit) []*harness.Wire
	// crossed are the two cavities of a crossing: that is named only where a reading shows one of them at the other's end.
	crossed [2]harness.Pin
}

// Bounds of the search.
const (
	mostNamed = 6
	mostPairs = 4000
)

// Find names the mistakes that explain what was read.
func (c *Check) Find(ctx context.Context, entries []Entry) (*Found, error) {
	if len(entries) == 0 {
		return nil, errNoEntries
	}
	f := &Found{Of: len(entries)}
	for _, e := range entries {
		cell, err := c.read(c.model, e.Row, e.Column)
		if err != nil {
			return nil, err
		}
		if e.Fits(cell) {
			f.Right++
		} else {
			f.Wrong = append(f.Wrong, e)
		}
	}
	if len(f.Wrong) == 0 {
		return f, nil
	}
	// What reads wrong is asked first: most mistakes fail there at once.
	ordered := append(slices.Clone(f.Wrong), slices.DeleteFunc(slices.Clone(entries),
		func(e Entry) bool { return slices.Contains(f.Wrong, e) })...)
	all := c.changes()
	var helps []change // those that explain some of what reads wrong: pairs are made of these
	for _, x := range all {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if x.crossed[0].Part != "" && !c.shows(x, entries) {
			continue
		}
		m, err := c.with(x)
		if err != nil {
			continue // such a mistake leaves no circuit
		}
		fits := c.fits(m, ordered)
		if fits == len(ordered) {
			f.Mistakes = append(f.Mistakes, Mistake{x.what, x.move, []change{x}})
		} else if c.explains(m, f.Wrong) {
			helps = append(helps, x)
		}
	}
	if len(f.Mistakes) == 0 {
		if err := c.pairs(ctx, f, helps, ordered); err != nil {
			return nil, err
		}
	}
	f.Mistakes = f.Mistakes[:min(len(f.Mistakes), mostNamed)]
	return f, c.next(ctx, f, entries)
}

// shows tells whether a reading shows a wire at the far end of the other one: a beep, or hardly any ohms.
func (c *Check) shows(x change, entries []Entry) bool {
	rows := [2]int{}
	for i, r := range c.Rows {
		for k := range x.crossed {
			if r.Pin == x.crossed[k] {
				rows[k] = i
			}
		}
	}
	return slices.ContainsFunc(entries, func(e Entry) bool {
		if e.Open || e.Buzz == Silent || e.Buzz == "" && e.Ohms > buzzSurely {
			return false
		}
		end := c.Columns[e.Column]
		return e.Row == rows[0] && slices.Contains(c.Rows[rows[1]].Goes, end) && !slices.Contains(c.Rows[rows[0]].Goes, end) ||
			e.Row == rows[1] && slices.Contains(c.Rows[rows[0]].Goes, end) && !slices.Contains(c.Rows[rows[1]].Goes, end)
	})
}

// pairs looks for two mistakes that explain everything together.
func (c *Check) pairs(ctx context.Context, f *Found, helps []change, entries []Entry) error {
	tried := 0
	for i, x := range helps {
		for _, y := range helps[i+1:] {
			if err := ctx.Err(); err != nil {
				return err
			}
			if tried++; tried > mostPairs || len(f.Mistakes) >= mostNamed {
				return nil
			}
			m, err := c.with(x, y)
			if err == nil && c.fits(m, entries) == len(entries) {
				f.Mistakes = append(f.Mistakes, Mistake{x.what + "; and " + y.what, x.move + "; then " + y.move, []change{x, y}})
			}
		}
	}
	return nil
}

// fits counts the entries that a circuit gives, up to the first that it does not.
func (c *Check) fits(m *electric.Model, entries []Entry) int {
	for n, e := range entries {
		cell, err := c.read(m, e.Row, e.Column)
		if err != nil || !e.Fits(cell) {
			return n
		}
	}
	return len(entries)
}

// explains tells whether a circuit gives any of some entries.
func (c *Check) explains(m *electric.Model, entries []Entry) bool {
	return slices.ContainsFunc(entries, func(e Entry) bool { return c.fits(m, []Entry{e}) == 1 })
}

// with is the circuit with mistakes made in it, one after the other.
func (c *Check) with(list ...change) (*electric.Model, error) {
	circuit := *c.model.Circuit
	for _, x := range list {
		circuit.Wires = x.make(&circuit)
	}
	m, err := electric.New(&circuit)
	if err != nil {
		return nil, fmt.Errorf("pin check: %w", err)
	}
	return m, nil
}

// changes lists the mistakes that are looked for.
func (c *Check) changes() []change {
	var list []change
	circuit := c.model.Circuit
	wired := make([]Row, 0, len(c.Rows))
	for _, r := range c.Rows {
		if len(r.Goes) > 0 {
			wired = append(wired, r)
		}
	}
	// What is simplest, and met most, stands first: a plug that is not home, a wire that is open. Crossings come last.
	if len(wired) > 1 {
		list = append(list, c.notHome(wired))
	}
	for _, r := range wired {
		list = append(list, opened(r.Pin, c.Controller))
	}
	for _, r := range wired {
		list = append(list, joined(r.Pin, ground(circuit), fmt.Sprintf("the wire of cavity %s touches "+
			"ground", r.Pin.Name),
			fmt.Sprintf("follow the wire of cavity %s to where it is chafed or wrongly joined to ground", r.Pin.Name)))
	}
	for _, p := range circuit.OfKind(harness.KindRelay) {
		a, b := harness.Pin{Part: p.Name, Name: "85"}, harness.Pin{Part: p.Name, Name: "86"}
		list = append(list, swapped(a, b, fmt.Sprintf("the coil of %s is the wrong way round", p.Name),
			fmt.Sprintf("in the socket of %s put the wire that is in 85 into 86 and that in 86 into 85", p.Name)))
	}
	for i, a := range wired {
		for _, b := range wired[i+1:] {
			list = append(list, joined(a.Pin, b.Pin, fmt.Sprintf("the wires of cavities %s and %s touch", a.Pin.Name, b.Pin.Name),
				fmt.Sprintf("part the wires of cavities %s and %s where they touch", a.Pin.Name, b.Pin.Name)))
		}
	}
	for i, a := range wired {
		for _, b := range wired[i+1:] {
			x := swapped(a.Pin, b.Pin,
				fmt.Sprintf("the wires of cavities %s and %s are crossed", a.Pin.Name, b.Pin.Name),
				fmt.Sprintf("at the plug of %s put the wire that is in cavity %s into %s and that in %s into %s, or cross back their far ends "+
					"(look where the colours change)", c.Controller, a.Pin.Name, b.Pin.Name, b.Pin.Name, a.Pin.Name))
			x.crossed = [2]harness.Pin{a.Pin, b.Pin}
			list = append(list, x)
		}
	}
	return list
}

// notHome is a plug none of whose cavities reaches its far end.
func (c *Check) notHome(wired []Row) change {
	pins := map[harness.Pin]bool{}
	for _, r := range wired {
		pins[r.Pin] = true
	}
	return change{what: fmt.Sprintf("nothing of the plug of %s arrives: a plug between is not home, or this is another plug", c.Controller),
		move: "look whether every plug between here and the far ends is home, and whether this is the plug that is drawn",
		make: func(circuit *harness.Circuit) []*harness.Wire {
			return slices.DeleteFunc(slices.Clone(circuit.Wires), func(w *harness.Wire) bool { return pins[w.From] || pins[w.To] })
		}}
}

// ground is where chassis is.
func ground(c *harness.Circuit) harness.Pin {
	if list := c.OfKind(harness.KindGround); len(list) > 0 {
		return harness.Pin{Part: list[0].Name, Name: list[0].Pins()[0].Name}
	}
	return harness.Pin{Part: c.OfKind(harness.KindBattery)[0].Name, Name: "-"}
}

// swapped crosses the wires of two pins.
func swapped(a, b harness.Pin, what, move string) change {
	return change{what: what, move: move, make: func(c *harness.Circuit) []*harness.Wire {
		list := make([]*harness.Wire, len(c.Wires))
		across := func(p harness.Pin) harness.Pin {
			switch p {
			case a:
				return b
			case b:
				return a
			}
			return p
		}
		for i, w := range c.Wires {
			with := *w
			with.From, with.To = across(w.From), across(w.To)
			list[i] = &with
		}
		return list
	}}
}

// opened takes a pin's wires away.
func opened(pin harness.Pin, controller string) change {
	return change{what: fmt.Sprintf("the wire of cavity %s is open, or not in its cavity", pin.Name),
		move: fmt.Sprintf("look whether the terminal of cavity %s is home in the plug of %s and at its far end; then follow the wire", pin.Name,
			controller),
		make: func(c *harness.Circuit) []*harness.Wire {
			return slices.DeleteFunc(slices.Clone(c.Wires), func(w *harness.Wire) bool { return w.From == pin || w.To == pin })
		}}
}

// joined joins two pins.
func joined(a, b harness.Pin, what, move string) change {
	return change{what: what, move: move, make: func(c *harness.Circuit) []*harness.Wire {
		return append(slices.Clone(c.Wires), &harness.Wire{From: a, To: b, Parallel: 1, Size: harness.Size{Figure: 1}})
	}}
}

// next picks the cell, not read yet, in which the mistakes that remain differ most.
func (c *Check) next(ctx context.Context, f *Found, entries []Entry) error {
	if len(f.Mistakes) < 2 {
		return nil
	}
	models := make([]*electric.Model, 0, len(f.Mistakes))
	for _, x := range f.Mistakes {
		m, err := c.with(x.with...)
		if err != nil {
			return err
		}
		models = append(models, m)
	}
	best := 1
	for i := range c.Rows {
		for k := range c.Columns {
			if err := ctx.Err(); err != nil {
				return err
			}
			if slices.ContainsFunc(entries, func(e Entry) bool { return e.Row == i && e.Column == k }) {
				continue
			}
			kinds := map[string]bool{}
			for _, m := range models {
				cell, err := c.read(m, i, k)
				if err != nil {
					return err
				}
				kinds[coarse(cell)] = true
			}
			if len(kinds) > best {
				best = len(kinds)
				f.Next = &Entry{Row: i, Column: k}
			}
		}
	}
	return nil
}

// coarse is a cell as a person tells it apart at a glance.
func coarse(c Cell) string {
	switch {
	case c.Ohms == nil:
		return "open"
	case *c.Ohms < buzzSurely:
		return Beeps
	}
	return fmt.Sprintf("%.0e", *c.Ohms)
}
