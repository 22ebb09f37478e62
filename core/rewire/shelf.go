package rewire

import (
	"fmt"
	"slices"
)

// What a workshop has on its shelf is taken before anything is bought, as long as it is no worse and not much too large: a fuse up to the
// next rating or two, which its wires then stand; a wire up to a size or two; a relay of any larger rating.

// Shelf is what a workshop keeps: make contacts and fuses in A, wire in mm². What is empty is bought.
type Shelf struct {
	Relays []float64 `yaml:"relays,omitempty,flow"`
	Fuses  []float64 `yaml:"fuses,omitempty,flow"`
	Wires  []float64 `yaml:"wires,omitempty,flow"`
}

// Bounds of a shelf: how many sizes it holds of a kind, the largest of them, and how many times too large what is taken from it may be.
const (
	mostOnShelf  = 20
	largestSized = 300.0
	fuseToo      = 1.7
	wireToo      = 2.7
)

// sound holds a shelf against its bounds.
func (s *Shelf) sound() error {
	for name, list := range map[string][]float64{"relays": s.Relays, "fuses": s.Fuses, "wires": s.Wires} {
		if len(list) > mostOnShelf {
			return fmt.Errorf("shelf: %s: %d sizes, and %d are the most", name, len(list), mostOnShelf)
		}
		for _, v := range list {
			if !(v >= 0.1 && v <= largestSized) {
				return fmt.Errorf("shelf: %s: %g is no size that one keeps", name, v)
			}
		}
	}
	return nil
}

// shelved is the smallest on a shelf that is no smaller than what is needed and at most so many times as large; what is needed where
// there is none.
func shelved(shelf []float64, needed, times float64) float64 {
	best := 0.0
	for _, v := range shelf {
		if v >= needed-1e-9 && v <= times*needed && (best == 0 || v < best) {
			best = v
		}
	}
	if best == 0 {
		return needed
	}
	return best
}

// fromShelf gives what comes in the sizes that the workshop keeps.
func (d *design) fromShelf() {
	for _, w := range d.c.Wires {
		if !d.isThere(w) && !d.foreign(w) {
			w.Size.Figure = shelved(d.w.Shelf.Wires, w.Size.Figure, wireToo)
		}
	}
}

// onShelf tells whether a size is among those that are kept.
func onShelf(shelf []float64, v float64) bool { return slices.Contains(shelf, v) }
