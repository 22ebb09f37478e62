package predict

import (
	"context"
	"slices"
	"sync"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Page is one set-up of a table: for each suspect what its cars show in every state. A suspect's
// figures are made when first needed, once for each way in which its fuses may have blown before.
type Page struct {
	table *Table
	name  string
	setup []electric.Action
	cells []cell
}

type cell struct {
	mu      sync.Mutex
	figures []*Figures
}

// Figures is what one suspect's cars show in one set-up, by state. It is read-only once made.
type Figures struct {
	table  *Table
	before Blown
	after  []Blown // by state entered
	values []float32
	bins   []uint8      // of volts at each pin
	speeds [][4]float32 // chances of words, by state, fan and car
	soft   []bool       // by state and pin: it hangs on a diode on some car
	lowest []uint8      // of bins, by state and pin, over the cars
	most   []uint8
}

// Page finds or begins the page of a set-up; the error says that such a set-up cannot be.
func (t *Table) Page(setup []electric.Action) (*Page, error) {
	name := probe.SetupKey(setup)
	v, err := t.budget.find(key{t, name}, func() (any, error) {
		if _, err := t.model.Network(setup, nil); err != nil {
			return nil, err
		}
		return &Page{table: t, name: name, setup: setup, cells: make([]cell, len(t.suspects))}, nil
	})
	if err != nil {
		return nil, err
	}
	return v.(*Page), nil
}

// Setup is the page's set-up.
func (p *Page) Setup() []electric.Action { return p.setup }

// Need makes the figures of these suspects with what has blown on their cars before, and puts them
// into of.
func (p *Page) Need(ctx context.Context, which []int, blown []Blown, of []*Figures) error {
	var missing []int
	for _, i := range which {
		if of[i] != nil || p.table.suspects[i].Unknown {
			continue
		}
		if of[i] = p.cells[i].find(blown[i]); of[i] == nil {
			missing = append(missing, i)
		}
	}
	slices.Sort(missing)
	missing = slices.Compact(missing) // whoever asks may name a suspect twice
	return p.table.each(ctx, missing, func(i int) (err error) {
		of[i], err = p.fill(ctx, i, blown[i])
		return err
	})
}

func (c *cell) find(blown Blown) *Figures {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.found(blown)
}

func (c *cell) found(blown Blown) *Figures {
	for _, f := range c.figures {
		if f.before == blown {
			return f
		}
	}
	return nil
}

// fill computes one suspect's figures. An intermittent fault shows on some of the cars only.
func (p *Page) fill(ctx context.Context, i int, blown Blown) (*Figures, error) {
	c := &p.cells[i]
	c.mu.Lock()
	defer c.mu.Unlock()
	if f := c.found(blown); f != nil {
		return f, nil // made by another while this one waited
	}
	t := p.table
	n, err := t.network(i, p.setup)
	if err != nil {
		return nil, err
	}
	well := n
	if t.suspects[i].ComesAndGoes() {
		if well, err = t.model.Network(p.setup, nil); err != nil {
			return nil, err
		}
	}
	f := t.newFigures(blown)
	for k := range t.cars {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		net, fuses := n, blown[k]
		if well != n && t.cars[k].Dormant {
			net, fuses = well, 0
		}
		net.Tune(t.cars[k])
		f.sample(net, k, fuses)
	}
	if len(c.figures) >= keptVariants {
		c.figures = slices.Delete(c.figures, 0, 1)
		t.budget.grow(key{t, p.name}, -t.bytesOf())
	}
	f.span()
	c.figures = append(c.figures, f)
	t.budget.grow(key{t, p.name}, t.bytesOf())
	return f, nil
}

func (t *Table) newFigures(before Blown) *Figures {
	states := len(t.states)
	return &Figures{
		table: t, before: before, after: make([]Blown, states), values: make([]float32, states*t.width()*Cars),
		bins: make([]uint8, states*t.pins*Cars), speeds: make([][4]float32, states*t.fans*Cars), soft: make([]bool, states*t.pins),
	}
}

// sample writes what one car shows in every state.
func (f *Figures) sample(n *electric.Network, car int, blown uint64) {
	t := f.table
	row, soft := make([]float32, t.width()), make([]bool, t.pins)
	for j, state := range t.states {
		n.SetBlown(blown)
		n.Rest()
		n.Enter(state)
		n.MeterVolts(row[:t.pins], soft)
		n.FanShares(row[t.pins : t.pins+t.fans])
		n.FanAmps(row[t.pins+t.fans : t.pins+2*t.fans])
		n.PulledIn(row[t.pins+2*t.fans:])
		f.after[j][car] = n.Blown()
		for q, v := range row {
			f.values[(j*t.width()+q)*Cars+car] = v
		}
		for pin := range t.pins {
			f.bins[(j*t.pins+pin)*Cars+car] = InBins.Bin(probe.Meter(float64(row[pin])))
			f.soft[j*t.pins+pin] = f.soft[j*t.pins+pin] || soft[pin]
		}
		for fan := range t.fans {
			for w, p := range probe.SpeedChances(float64(row[t.pins+fan])) {
				f.speeds[(j*t.fans+fan)*Cars+car][w] = float32(p)
			}
		}
	}
}

// span notes the lowest and the highest bin of each pin's volts.
func (f *Figures) span() {
	f.lowest, f.most = make([]uint8, len(f.soft)), make([]uint8, len(f.soft))
	for at := range f.soft {
		of := f.bins[at*Cars : (at+1)*Cars]
		f.lowest[at], f.most[at] = slices.Min(of), slices.Max(of)
	}
}

// ClearlyApart tells whether, at some pin in some state, every car of one suspect reads clearly more than
// every car of another.
func (f *Figures) ClearlyApart(other *Figures) bool {
	for at, low := range f.lowest {
		if int(low) >= int(other.most[at])+clearBins || int(other.lowest[at]) >= int(f.most[at])+clearBins {
			return true
		}
	}
	return false
}

func (f *Figures) row(state, quantity int) []float32 {
	at := (state*f.table.width() + quantity) * Cars
	return f.values[at : at+Cars]
}

// Volts are a meter's figures at a pin, from battery negative; NaN where the pin floats. A figure for
// each car, here and below.
func (f *Figures) Volts(state, pin int) []float32 { return f.row(state, pin) }

// Bins are the bins that the volts at a pin fall into (see [InBins]).
func (f *Figures) Bins(state, pin int) []uint8 {
	at := (state*f.table.pins + pin) * Cars
	return f.bins[at : at+Cars]
}

// Soft tells whether a pin hangs on a diode alone, so that a meter between it and another pin reads
// otherwise than the difference of two readings.
func (f *Figures) Soft(state, pin int) bool { return f.soft[state*f.table.pins+pin] }

// FanAmps is a fan's current.
func (f *Figures) FanAmps(state, fan int) []float32 {
	return f.row(state, f.table.pins+f.table.fans+fan)
}

// PulledIn is 1 where a relay is pulled in, 0 at rest, a half where it buzzes.
func (f *Figures) PulledIn(state, relay int) []float32 {
	return f.row(state, f.table.pins+2*f.table.fans+relay)
}

// Speeds are the chances of the words for a fan's speed, in the order of [probe.SpeedWords].
func (f *Figures) Speeds(state, fan int) [][4]float32 {
	at := (state*f.table.fans + fan) * Cars
	return f.speeds[at : at+Cars]
}

// After is what has blown once the state has been entered.
func (f *Figures) After(state int) Blown { return f.after[state] }

// Bins divide the figures of a range for choosing where answers fall into classes.
type Bins struct{ Lowest, Width float64 }

// InBins are those of volts from battery negative: from -2 V to 33 V.
var InBins = Bins{probe.VoltsFine.Lowest, probe.VoltsFine.Bin}

// Bin is the one that a figure falls into.
func (b Bins) Bin(v float64) uint8 {
	return uint8(max(0, min(Number-1, int((v-b.Lowest)/b.Width+0.5)))) // between 0 and 139; below zero either way is 0
}

// Showing is what an instrument shows on the suspects' cars in one test that pages do not hold: a lamp,
// an LED tester, an ohmmeter, a clamp on a wire, a drop at a pin that hangs on a diode.
type Showing struct {
	table *Table
	name  string
	state *harness.State
	lay   func(setup []electric.Action, s Suspect) (*electric.Instrumented, error)
	setup []electric.Action
	cells []suspectShowing
}

// Shown is an instrument's figure for each car; +Inf an open line, NaN nothing.
type Shown [Cars]float32

type suspectShowing struct {
	mu     sync.Mutex
	before []Blown
	shown  []*Shown
}

// Showing finds or begins the figures of an instrument laid on in a test; name is the test's own, and lay
// puts the instrument on the circuit.
func (t *Table) Showing(name string, setup []electric.Action, state *harness.State,
	lay func(setup []electric.Action, s Suspect) (*electric.Instrumented, error)) (*Showing, error) {
	v, err := t.budget.find(key{t, name}, func() (any, error) {
		if _, err := lay(setup, Suspect{}); err != nil {
			return nil, err
		}
		return &Showing{table: t, name: name, state: state, lay: lay, setup: setup, cells: make([]suspectShowing, len(t.suspects))}, nil
	})
	if err != nil {
		return nil, err
	}
	return v.(*Showing), nil
}

// Need makes the figures of these suspects and puts them into of.
func (c *Showing) Need(ctx context.Context, which []int, blown []Blown, of []*Shown) error {
	var missing []int
	for _, i := range which {
		if of[i] != nil || c.table.suspects[i].Unknown {
			continue
		}
		if of[i] = c.cells[i].find(blown[i]); of[i] == nil {
			missing = append(missing, i)
		}
	}
	return c.table.each(ctx, missing, func(i int) (err error) {
		of[i], err = c.fill(i, blown[i])
		return err
	})
}

func (c *suspectShowing) find(blown Blown) *Shown {
	c.mu.Lock()
	defer c.mu.Unlock()
	if k := slices.Index(c.before, blown); k >= 0 {
		return c.shown[k]
	}
	return nil
}

func (c *Showing) fill(i int, blown Blown) (*Shown, error) {
	t, s := c.table, c.table.suspects[i]
	with, err := c.lay(s.Unmended(c.setup), s)
	if err != nil {
		return nil, err
	}
	well := with
	if s.ComesAndGoes() {
		if well, err = c.lay(c.setup, Suspect{}); err != nil {
			return nil, err
		}
	}
	shown := &Shown{}
	for k := range t.cars {
		x, fuses := with, blown[k]
		if well != with && t.cars[k].Dormant {
			x, fuses = well, 0
		}
		x.Tune(t.cars[k])
		x.SetBlown(fuses)
		shown[k] = float32(x.Shows(c.state))
	}
	cell := &c.cells[i]
	cell.mu.Lock()
	defer cell.mu.Unlock()
	if len(cell.shown) < keptVariants {
		cell.before, cell.shown = append(cell.before, blown), append(cell.shown, shown)
		t.budget.grow(key{t, c.name}, Cars*(4+8)+64)
	}
	return shown, nil
}
