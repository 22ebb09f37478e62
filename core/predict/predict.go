// Package predict foretells what every suspect would show: volts at each pin, what each fan does,
// which relay is pulled in, what an instrument reads, in any set-up and state.
//
// In goes a circuit's model and a list of suspects, out come figures for sixteen random cars within
// tolerance: one car as drawn is not what stands in the yard. The one idea: nothing is foretold
// before somebody asks for it, everything foretold is kept within a budget of bytes that all
// circuits share, and what is no longer waited for stops at once.
package predict

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Suspect is one hypothesis: a fault in the car, none (the zero Fault), or something that cannot be
// foretold.
type Suspect struct {
	Name    string
	Fault   fault.Fault
	Unknown bool
}

// Faults is the suspect's fault as a list; empty for none.
func (s Suspect) Faults() []fault.Fault {
	if s.Fault.Words == "" {
		return nil
	}
	return []fault.Fault{s.Fault}
}

// ComesAndGoes tells whether the suspect shows on only some of the cars.
func (s Suspect) ComesAndGoes() bool {
	return s.Fault.Intermittent || s.Fault.Words == fault.Brushes
}

// Unmended is a set-up without the repairs that would mend the suspect: where its part has been renewed,
// the suspect now is that the new one has the same fault.
func (s Suspect) Unmended(setup []electric.Action) []electric.Action {
	if s.Fault.Words == "" || electric.RepairIn(setup, s.Fault).Verb != "" {
		return setup
	}
	return slices.DeleteFunc(slices.Clone(setup), func(a electric.Action) bool {
		return electric.RepairIn([]electric.Action{a}, s.Fault).Verb == ""
	})
}

// Blown says for each car which fuses have blown (see [electric.Model.Carry]).
type Blown [Cars]uint64

// Carry takes what has blown from one set-up to the next.
func (b Blown) Carry(m *electric.Model, from, to []electric.Action) Blown {
	for k := range b {
		b[k] = m.Carry(b[k], from, to)
	}
	return b
}

// Table foretells for one circuit. It is safe for use by many goroutines.
type Table struct {
	model    *electric.Model
	suspects []Suspect
	cars     [Cars]electric.Car
	states   []*harness.State
	pins     int
	fans     int
	relays   int
	pinAt    map[harness.Pin]int
	fanAt    map[string]int
	relayAt  map[string]int
	history  []history
	budget   *Budget
	progress atomic.Pointer[progress]
}

// history is what has blown on a suspect's cars once each state has been run with everything
// fitted: the complaint has happened.
type history struct {
	mu    sync.Mutex
	ran   bool
	blown Blown
}

// New prepares a table; the error says that the circuit is too large for one.
func New(m *electric.Model, suspects []Suspect, b *Budget) (*Table, error) {
	c := m.Circuit
	t := &Table{
		model: m, suspects: suspects, states: c.States, pins: len(m.Pins()), fans: len(c.Fans()), relays: len(c.OfKind(harness.KindRelay)),
		history: make([]history, len(suspects)), budget: b,
		pinAt: map[harness.Pin]int{}, fanAt: map[string]int{}, relayAt: map[string]int{},
	}
	for i, pin := range m.Pins() {
		t.pinAt[pin] = i
	}
	for i, p := range c.Fans() {
		t.fanAt[p.Name] = i
	}
	for i, p := range c.OfKind(harness.KindRelay) {
		t.relayAt[p.Name] = i
	}
	if need := int64(len(suspects)) * t.bytesOf(); need > mostPageBytes {
		return nil, fmt.Errorf("the circuit is too large to be diagnosed: %d suspects in %d states at %d pins would take %d MB in each "+
			"set-up, and at most %d are kept; "+
			"leave out what is not part of the fan circuit", len(suspects), len(t.states), t.pins, need>>20, mostPageBytes>>20)
	}
	for i := range t.cars {
		t.cars[i] = electric.RandomCar(c, uint64(firstSeed+i))
	}
	return t, nil
}

// Car is one of the cars that suspects are foretold on.
func (t *Table) Car(k int) electric.Car { return t.cars[k] }

// Close lets go of all that is kept.
func (t *Table) Close() { t.budget.drop(t) }

// Room is how many set-ups' full tables the budget can keep at once beside others' work: half of it.
func (t *Table) Room() int {
	return max(2, int(t.budget.most/2/max(1, int64(len(t.suspects))*t.bytesOf())))
}

// width is the number of figures a car shows in one state.
func (t *Table) width() int { return t.pins + 2*t.fans + t.relays }

// bytesOf is what one suspect's figures take in one set-up.
func (t *Table) bytesOf() int64 {
	figures := Cars * len(t.states) * t.width()
	return int64(4*figures + Cars*len(t.states)*(t.pins+16*t.fans+8) + 3*len(t.states)*t.pins)
}

// progress counts the suspects whose figures one piece of work makes. Several may be on their way at once: each counts its own.
type progress struct {
	done atomic.Int64
	of   int
}

// Progress tells how many suspects of how many have been foretold in the set-up being worked on; it
// does not wait. Where several pieces of work are on their way it tells of the one begun last.
func (t *Table) Progress() (done, of int) {
	p := t.progress.Load()
	if p == nil {
		return 0, 0
	}
	return int(p.done.Load()), p.of
}

// each does independent pieces of work on all cores; a panic in one is the caller's error, and so is
// that nobody waits any more.
func (t *Table) each(ctx context.Context, list []int, work func(i int) error) error {
	own := &progress{of: len(list)}
	if len(list) > 0 {
		t.progress.Store(own)
	}
	one := func(i int) (err error) {
		defer func() {
			if p := recover(); p != nil {
				err = fmt.Errorf("predict: %s: %v", t.suspects[i].Name, p)
			}
			own.done.Add(1)
		}()
		if err := ctx.Err(); err != nil {
			return err
		}
		return work(i)
	}
	if len(list) < 4 {
		for _, i := range list {
			if err := one(i); err != nil {
				return err
			}
		}
		return nil
	}
	group, _ := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for _, i := range list {
		group.Go(func() error { return one(i) })
	}
	return group.Wait()
}

// Each is each for whoever has work of the same kind: f is called for every number below n.
func (t *Table) Each(ctx context.Context, n int, f func(i int) error) error {
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	const chunk = 8
	for from := 0; from < n; from += chunk {
		group.Go(func() (err error) {
			defer func() {
				if p := recover(); p != nil {
					err = fmt.Errorf("predict: %v", p)
				}
			}()
			for i := from; i < min(n, from+chunk); i++ {
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := f(i); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return group.Wait()
}

// network gives a suspect's network in a set-up.
func (t *Table) network(i int, setup []electric.Action) (*electric.Network, error) {
	s := t.suspects[i]
	return t.model.Network(s.Unmended(setup), s.Faults())
}

// BlownBefore is what has blown on a suspect's cars before anybody looked.
func (t *Table) BlownBefore(i int) (Blown, error) {
	h := &t.history[i]
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.ran || t.suspects[i].Unknown {
		return h.blown, nil
	}
	n, err := t.network(i, nil)
	if err != nil {
		return h.blown, err
	}
	for k := range t.cars {
		n.Tune(t.cars[k])
		h.blown[k] = n.Complain(t.states)
	}
	h.ran = true
	return h.blown, nil
}

// BlownBeforeAll is BlownBefore for every suspect.
func (t *Table) BlownBeforeAll(ctx context.Context) ([]Blown, error) {
	all := make([]Blown, len(t.suspects))
	var missing []int
	for i := range t.history {
		h := &t.history[i]
		h.mu.Lock()
		all[i] = h.blown
		if !h.ran && !t.suspects[i].Unknown {
			missing = append(missing, i)
		}
		h.mu.Unlock()
	}
	err := t.each(ctx, missing, func(i int) (err error) {
		all[i], err = t.BlownBefore(i)
		return err
	})
	return all, err
}

// StateIndex is a state's place in the circuit; -1 for none of its own.
func (t *Table) StateIndex(state *harness.State) int { return slices.Index(t.states, state) }

// PinIndex is a pin's place among the model's pins.
func (t *Table) PinIndex(pin harness.Pin) int { return t.pinAt[pin] }

// FanIndex is a fan's place among the circuit's fans.
func (t *Table) FanIndex(name string) int { return t.fanAt[name] }

// RelayIndex is a relay's place among the circuit's relays.
func (t *Table) RelayIndex(name string) int { return t.relayAt[name] }
