package sheet

import (
	"math"
	"slices"

	"ironthread/core/harness"
)

// home is where an item stood on the drawing before.
type home struct {
	x, row int
	mirror bool
	put    bool // by hand: it stays
	pins   map[string]float64
}

// settleIn puts every item where it stood; one that is new beside what it is wired to. It
// reports false where none has a home.
func (p *placer) settleIn(c *harness.Circuit) bool {
	p.homes = make([]*home, len(p.items))
	known := false
	for i, it := range p.items {
		for k := range it.glyphs {
			g := &it.glyphs[k]
			place := c.PlaceOf(g.part.Name, g.way)
			if place == nil || k > 0 && !place.Put {
				continue
			}
			if p.homes[i] == nil || place.Put {
				put := place.Put || p.homes[i] != nil && p.homes[i].put
				p.homes[i] = &home{x: place.X, row: max(0, place.Row-k), mirror: place.Mirror && it.relay, put: put, pins: place.Pins}
				p.left[i], known = place.Left, true
			}
		}
	}
	if !known {
		p.homes = nil
		return false
	}
	p.assignRows()
	for i, it := range p.items {
		if h := p.homes[i]; h != nil {
			it.x, it.row, it.mirror = h.x, h.row, h.mirror
			it.pinsAt(h.pins)
		}
	}
	for i := range p.items {
		if p.homes[i] == nil {
			p.besideNeighbour(i)
		}
	}
	return true
}

// pinsAt slides an elastic box's pins to where they were, as far as they keep apart.
func (it *item) pinsAt(pins map[string]float64) {
	if !it.elastic {
		return
	}
	for k := range it.terminals {
		if dx, ok := pins[it.terminals[k].pin.Name]; ok {
			it.terminals[k].dx = int(dx)
		}
	}
	for k := range it.terminals { // one that is new stands clear of the others
		t := &it.terminals[k]
		for slices.ContainsFunc(it.terminals[:k], func(o terminal) bool {
			return o.bottom == t.bottom && abs(o.dx-t.dx) < pinPitch
		}) {
			t.dx++
		}
	}
	it.stretch()
}

// besideNeighbour places a new item under, or over, one it is wired to.
func (p *placer) besideNeighbour(i int) {
	it := p.items[i]
	right := 0
	for j, h := range p.homes {
		if h != nil {
			right = max(right, p.items[j].x+p.items[j].glyphs[0].right)
		}
	}
	it.x = right + it.glyphs[0].left + 4
	for _, t := range it.terminals {
		if t.net == p.nets.battery || p.nets.ground[t.net] {
			continue
		}
		for _, r := range p.onNet[t.net] {
			if h := p.homes[r.item]; h != nil && r.item != i {
				other := p.items[r.item]
				pin := other.terminals[r.terminal]
				it.x = other.x + other.sign()*pin.dx - it.sign()*t.dx
				it.row = h.row + 1
				if !pin.bottom {
					it.row = max(0, h.row-1)
				}
				return
			}
		}
	}
}

// uprooted charges for what has left its place.
func (p *placer) uprooted() float64 {
	sum := 0.0
	for i, h := range p.homes {
		if h == nil {
			continue
		}
		it := p.items[i]
		moved := costMovedAcross*float64(abs(it.x-h.x)) + costMovedRow*float64(abs(it.row-h.row))
		if it.mirror != h.mirror {
			moved += costMovedMirror
		}
		if moved > 0 {
			moved += costMovedAtAll
		}
		if h.put {
			moved *= costMovedPut
		}
		if it.elastic {
			for _, t := range it.terminals {
				if dx, ok := h.pins[t.pin.Name]; ok {
					moved += costMovedPin * math.Abs(float64(t.dx)-dx)
				}
			}
		}
		sum += moved
	}
	return sum
}

// places tells where every part stands, for the next drawing.
func (pl *plan) places() []harness.Place {
	var list []harness.Place
	left := 0 // a first drawing begins at nought; a later one keeps to its figures
	if pl.p.homes == nil {
		left = margin - pl.left
	}
	for i, it := range pl.p.items {
		for k := range it.glyphs {
			g := &it.glyphs[k]
			p := harness.Place{Part: g.part.Name, Way: g.way, X: it.x - left, Row: it.row + k, Mirror: it.mirror, Left: pl.p.left[i]}
			if pl.p.homes != nil && pl.p.homes[i] != nil && k == 0 {
				p.Put = pl.p.homes[i].put
			}
			if it.elastic {
				p.Pins = map[string]float64{}
				for _, t := range it.terminals {
					p.Pins[t.pin.Name] = float64(t.dx)
				}
			}
			list = append(list, p)
		}
	}
	return list
}

// Put gives the places with one part moved by so many pixels and held there: the others are
// where the next drawing begins. It reports false for a part that is not drawn.
func (s *Sheet) Put(part string, way, dx, dy int) ([]harness.Place, bool) {
	places := slices.Clone(s.Places)
	for i := range places {
		p := &places[i]
		if p.Part != part || p.Way != way {
			continue
		}
		head := i // of the run the part stands in: it moves as one
		for head > 0 && s.run[head-1] == s.run[i] {
			head--
		}
		h := &places[head]
		h.X += int(math.Round(float64(dx) / Unit))
		h.Row = s.rowAt(h.Row, dy)
		h.Put = true
		return places, true
	}
	return nil, false
}

// rowAt is the row a part lands in when moved by dy pixels from a row.
func (s *Sheet) rowAt(row, dy int) int {
	if len(s.rowTops) == 0 || row >= len(s.rowTops) {
		return row
	}
	y := s.rowTops[row] + dy
	best := 0
	for r, top := range s.rowTops {
		if abs(top-y) < abs(s.rowTops[best]-y) {
			best = r
		}
	}
	last := len(s.rowTops) - 1
	if y > s.rowTops[last]+rowPixels {
		return last + 1
	}
	return best
}
