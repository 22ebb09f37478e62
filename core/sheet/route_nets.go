package sheet

import (
	"math"
	"slices"

	"ironthread/core/harness"
)

// spot is a pin on the grid.
type spot struct {
	pin    harness.Pin
	net    int
	at     point
	bottom bool
}

// plan is one placement turned into real rows and routed.
type plan struct {
	p      *placer
	grid   *grid
	rowTop []int
	rail   int // y of the battery rail
	ground int // y of the ground rail
	left   int // added to an item's x
	spots  []spot

	paths   [][]path // of each net
	locals  []local  // ground symbols
	failed  []int    // nets without a way
	cramped bool     // a ground symbol has no room
	crossed int
	bends   int
}

// local is a ground symbol at a pin, in place of a drop to the rail.
type local struct {
	spot spot
	up   bool // the pin leaves upwards: the symbol stands on its head
}

// newPlan gives rows and channels their real heights. spare widens every channel.
func newPlan(p *placer, spare int) *plan {
	p.cost(math.Inf(1))
	pl := &plan{p: p, paths: make([][]path, len(p.onNet))}
	heights := make([]int, p.rows)
	trunks := make([]int, p.rows+1)
	for _, it := range p.items {
		heights[it.row] = max(heights[it.row], it.height)
	}
	for c := range trunks {
		trunks[c] = p.busiest(p.tops[c] - channelRise)
	}
	y := 1 + railSpace + perTrunk*trunks[0] + spare
	pl.rail = 1
	for r := range p.rows {
		pl.rowTop = append(pl.rowTop, y)
		y += heights[r] + channel + perTrunk*trunks[r+1] + spare
	}
	pl.ground = y
	low, high := math.MaxInt, math.MinInt
	for _, r := range append(slices.Clone(p.bodies), p.zones...) {
		low, high = min(low, r.x1), max(high, r.x2)
	}
	pl.left = margin - low
	pl.grid = newGrid(high-low+2*margin+1, pl.ground+2)
	pl.grid.above, pl.grid.below = pl.rail, pl.ground
	pl.mark()
	return pl
}

// busiest is the largest number of trunks over one column of a channel.
func (p *placer) busiest(y int) int {
	most := 0
	for _, a := range p.across {
		if a.at != y {
			continue
		}
		n := 0
		for _, b := range p.across {
			if b.at == y && b.from <= a.from && b.to >= a.from {
				n++
			}
		}
		most = max(most, n)
	}
	return most
}

// body gives a glyph's rectangle on the grid.
func (pl *plan) body(it *item, g *glyph) rect {
	left, right := it.extents(g)
	top := pl.rowTop[it.row] + g.dy
	return rect{left + pl.left, top, right + pl.left, top + g.height}
}

func (pl *plan) spot(it *item, t *terminal) spot {
	return spot{t.pin, t.net, point{it.x + it.sign()*t.dx + pl.left, pl.rowTop[it.row] + t.dy}, t.bottom}
}

// mark puts bodies, label zones and the pins' accesses on the grid.
func (pl *plan) mark() {
	for i, it := range pl.p.items {
		for k := range it.glyphs {
			g := &it.glyphs[k]
			b := pl.body(it, g)
			pl.grid.fill(rect{b.x1 - 1, b.y1, b.x2 + 1, b.y2}, pl.grid.tight)
			pl.grid.fill(b, pl.grid.solid)
			if width := pl.p.labels[i]; width > 0 {
				middle := (b.y1 + b.y2) / 2
				zone := rect{b.x2 + 1, middle - 2, b.x2 + width - 1, middle + 2}
				if pl.p.left[i] {
					zone = rect{b.x1 - width + 1, middle - 2, b.x1 - 1, middle + 2}
				}
				pl.grid.fill(zone, pl.grid.label)
			}
		}
		for k := range it.terminals {
			s := pl.spot(it, &it.terminals[k])
			pl.spots = append(pl.spots, s)
			out := s.leave()
			for d := range 2 {
				a := point{s.at.x, s.at.y + d*out.y}
				if pl.grid.inside(a) && len(pl.p.onNet[s.net]) > 1 {
					pl.grid.access[pl.grid.cell(a)] = int32(s.net + 1)
				}
			}
		}
	}
}

func (s spot) dir() int {
	if s.bottom {
		return south
	}
	return north
}

func (s spot) leave() point { return steps[s.dir()] }

// route lays every net. It reports whether all found a way.
func (pl *plan) route() bool {
	pl.rails()
	var nets []int
	for net, refs := range pl.p.onNet {
		if len(refs) > 1 && net != pl.p.nets.battery && !pl.p.nets.ground[net] {
			nets = append(nets, net)
		}
	}
	slices.SortStableFunc(nets, func(a, b int) int { return pl.span(a) - pl.span(b) })
	for round := 0; ; round++ {
		pl.failed = nil
		for _, net := range nets {
			if pl.paths[net] == nil && !pl.connect(net) {
				pl.failed = append(pl.failed, net)
			}
		}
		if len(pl.failed) == 0 || round == 4 {
			break
		}
		// What found no way goes first in the next round.
		for _, net := range nets {
			pl.grid.lift(int32(net + 1))
			pl.paths[net] = nil
		}
		order := slices.Clone(pl.failed)
		for _, net := range nets {
			if !slices.Contains(pl.failed, net) {
				order = append(order, net)
			}
		}
		nets = order
	}
	if len(pl.failed) > 0 {
		return false
	}
	for range 2 {
		for _, net := range nets {
			pl.improve(net)
		}
	}
	if pl.cramped {
		return false
	}
	pl.squeeze()
	pl.count()
	return true
}

// span is how far a net's pins lie apart.
func (pl *plan) span(net int) int {
	spots := pl.spotsOf(net)
	low, high := spots[0].at, spots[0].at
	for _, s := range spots {
		low.x, low.y = min(low.x, s.at.x), min(low.y, s.at.y)
		high.x, high.y = max(high.x, s.at.x), max(high.y, s.at.y)
	}
	return high.x - low.x + high.y - low.y
}

func (pl *plan) spotsOf(net int) []spot {
	var list []spot
	for _, s := range pl.spots {
		if s.net == net {
			list = append(list, s)
		}
	}
	return list
}

// rails drops the ground pins and raises the battery's, straight where the column is free.
func (pl *plan) rails() {
	for _, s := range pl.spots {
		net := int32(s.net + 1)
		switch {
		case pl.p.nets.ground[s.net]:
			if p := pl.straight(s, pl.ground); p != nil && s.bottom {
				pl.grid.lay(p, net)
				pl.paths[s.net] = append(pl.paths[s.net], p)
				continue
			}
			pl.locals = append(pl.locals, local{s, !s.bottom})
			r := rect{s.at.x - 2, s.at.y + 1, s.at.x + 2, s.at.y + localSize}
			if !s.bottom {
				r = rect{s.at.x - 2, s.at.y - localSize, s.at.x + 2, s.at.y - 1}
			}
			if pl.grid.any(r, pl.grid.solid) {
				pl.cramped = true // it would stand on a part
			}
			pl.grid.fill(r, pl.grid.solid)
		case s.net == pl.p.nets.battery:
			p := pl.straight(s, pl.rail)
			if p == nil || s.bottom {
				p = pl.grid.search(s.at, s.dir(), net,
					func(at point) bool { return at.y == pl.rail },
					func(at point) int { return abs(at.y - pl.rail) })
			}
			if p == nil {
				pl.failed = append(pl.failed, s.net)
				continue
			}
			pl.grid.lay(p, net)
			pl.paths[s.net] = append(pl.paths[s.net], p)
		}
	}
}

// straight gives the vertical from a pin to a rail, nil where something stands in the way.
func (pl *plan) straight(s spot, y int) path {
	var p path
	d := 1
	if y < s.at.y {
		d = -1
	}
	for at := s.at; ; at.y += d {
		c := pl.grid.cell(at)
		net := int32(s.net + 1)
		if at != s.at && (pl.grid.solid[c] || pl.grid.label[c] || pl.grid.tight[c] && at.y != s.at.y+d ||
			foreign(pl.grid.access[c], net) || foreign(pl.grid.plumb[c], net) || foreign(pl.grid.corner[c], net)) {
			return nil
		}
		p = append(p, at)
		if at.y == y {
			return p
		}
	}
}

// connect grows a net as a tree: each further pin goes to the nearest place of what is laid.
func (pl *plan) connect(net int) bool {
	spots := pl.spotsOf(net)
	id := int32(net + 1)
	// Begin with the two pins nearest each other.
	first, second, least := 0, 1, math.MaxInt
	for i := range spots {
		for j := range i {
			if d := distance(spots[i].at, spots[j].at); d < least {
				first, second, least = j, i, d
			}
		}
	}
	out := spots[first].leave()
	door := point{spots[first].at.x + out.x, spots[first].at.y + out.y}
	tree := map[point]bool{door: true}
	left := slices.Clone(spots)
	left = slices.Delete(left, first, first+1)
	if second > first {
		second--
	}
	next := second
	var paths []path
	for len(left) > 0 {
		s := left[next]
		left = slices.Delete(left, next, next+1)
		goal := func(at point) bool { return tree[at] && !isPin(at, spots) }
		pl.grid.measure(tree)
		far := func(at point) int { return int(pl.grid.far[pl.grid.cell(at)]) }
		p := pl.grid.search(s.at, s.dir(), id, goal, far)
		if p == nil {
			pl.grid.lift(id)
			return false
		}
		if len(paths) == 0 {
			p = append(p, spots[first].at)
		}
		pl.grid.lay(p, id)
		paths = append(paths, p)
		for _, at := range p {
			tree[at] = true
		}
		next = 0
		least = math.MaxInt
		for i, l := range left {
			for t := range tree {
				if d := distance(l.at, t); d < least || d == least && i < next {
					next, least = i, d
				}
			}
		}
	}
	pl.paths[net] = paths
	return true
}

func isPin(at point, spots []spot) bool {
	return slices.ContainsFunc(spots, func(s spot) bool { return s.at == at })
}

func distance(a, b point) int { return abs(a.x-b.x) + abs(a.y-b.y) }

// improve lays a net again now that the others lie, and keeps the better.
func (pl *plan) improve(net int) {
	old := pl.paths[net]
	before := pl.price(net)
	id := int32(net + 1)
	pl.grid.lift(id)
	if pl.connect(net) && pl.price(net) < before {
		return
	}
	pl.grid.lift(id)
	pl.paths[net] = old
	for _, p := range old {
		pl.grid.lay(p, id)
	}
}

// price is what a net costs as it lies: length, bends, crossings.
func (pl *plan) price(net int) int {
	sum := 0
	for _, p := range pl.paths[net] {
		bends, crossings := pl.look(p, int32(net+1))
		sum += routeStep*len(p) + routeBend*bends + routeCross*crossings
		for _, at := range p {
			if pl.grid.label[pl.grid.cell(at)] {
				sum += routeLabel
			}
		}
	}
	return sum
}

func (pl *plan) look(p path, net int32) (bends, crossings int) {
	for i := 1; i < len(p)-1; i++ {
		if (p[i-1].x == p[i].x) != (p[i].x == p[i+1].x) {
			bends++
		}
		c := pl.grid.cell(p[i])
		if foreign(pl.grid.level[c], net) || foreign(pl.grid.plumb[c], net) {
			crossings++
		}
	}
	return bends, crossings
}

func (pl *plan) count() {
	pl.crossed, pl.bends = 0, 0
	for net, paths := range pl.paths {
		for _, p := range paths {
			b, c := pl.look(p, int32(net+1))
			pl.bends += b
			pl.crossed += c
		}
	}
	pl.crossed /= 2 // each is seen from both nets
}

// routedCost compares placements by what really was drawn.
func (pl *plan) routedCost() float64 {
	length := 0
	for _, paths := range pl.paths {
		for _, p := range paths {
			length += len(p)
		}
	}
	return costCrossing*float64(pl.crossed) + costBend*float64(pl.bends) + costAcross*float64(length) +
		costLocal*float64(len(pl.locals)) + sizeCost(pl.grid.w, pl.grid.h) +
		costOverlap*float64(len(pl.failed))*10
}
