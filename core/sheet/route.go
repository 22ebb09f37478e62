package sheet

import "slices"

// point is a place on the grid, in units.
type point struct{ x, y int }

// Directions of travel.
const (
	north = iota
	east
	south
	west
)

var steps = [4]point{{0, -1}, {1, 0}, {0, 1}, {-1, 0}}

// grid is the routing plane. Values are net numbers plus one; zero is free.
type grid struct {
	w, h   int
	above  int    // the battery's rail: nothing runs over it
	below  int    // the ground rail: nothing runs under it
	solid  []bool // bodies and ground symbols
	label  []bool
	tight  []bool  // beside a body
	level  []int32 // net running horizontally through the cell
	plumb  []int32 // net running vertically
	corner []int32 // net that turns, ends or branches here
	access []int32 // kept free for a pin of this net

	// Scratch of one search.
	best, came []int32
	open       frontier
	far        []int32 // of every cell: steps to the nearest of what is laid
}

func newGrid(w, h int) *grid {
	n := w * h
	return &grid{
		w: w, h: h, solid: make([]bool, n), label: make([]bool, n), tight: make([]bool, n),
		level: make([]int32, n), plumb: make([]int32, n), corner: make([]int32, n), access: make([]int32, n),
		best: make([]int32, 4*n), came: make([]int32, 4*n), far: make([]int32, n),
	}
}

func (g *grid) inside(p point) bool { return p.x >= 0 && p.y >= 0 && p.x < g.w && p.y < g.h }
func (g *grid) cell(p point) int    { return p.y*g.w + p.x }

func (g *grid) fill(r rect, mark []bool) {
	for y := max(0, r.y1); y <= min(g.h-1, r.y2); y++ {
		for x := max(0, r.x1); x <= min(g.w-1, r.x2); x++ {
			mark[y*g.w+x] = true
		}
	}
}

// any tells whether any cell of a rectangle is marked.
func (g *grid) any(r rect, mark []bool) bool {
	for y := max(0, r.y1); y <= min(g.h-1, r.y2); y++ {
		for x := max(0, r.x1); x <= min(g.w-1, r.x2); x++ {
			if mark[y*g.w+x] {
				return true
			}
		}
	}
	return false
}

// path is a way from cell to cell, one unit at a time.
type path []point

// lay marks a path as taken.
func (g *grid) lay(p path, net int32) {
	for i, at := range p {
		c := g.cell(at)
		if i == 0 || i == len(p)-1 {
			g.corner[c] = net
		}
		for _, j := range []int{i - 1, i + 1} {
			if j < 0 || j >= len(p) {
				continue
			}
			if p[j].x != at.x {
				g.level[c] = net
			} else {
				g.plumb[c] = net
			}
		}
		if g.level[c] == net && g.plumb[c] == net {
			g.corner[c] = net
		}
	}
}

// lift frees what a net has taken.
func (g *grid) lift(net int32) {
	for c := range g.level {
		if g.level[c] == net {
			g.level[c] = 0
		}
		if g.plumb[c] == net {
			g.plumb[c] = 0
		}
		if g.corner[c] == net {
			g.corner[c] = 0
		}
	}
}

type place struct {
	cost, guess int
	state       int32 // cell*4 + direction
}

type frontier []place

// before tells which of two places is looked at first.
func (f frontier) before(i, j int) bool {
	if f[i].guess != f[j].guess {
		return f[i].guess < f[j].guess
	}
	return f[i].state < f[j].state
}

// add and take keep the most promising place in front, as package container/heap does; that one would put every place
// of the grid into an interface of its own.
func (f *frontier) add(p place) {
	*f = append(*f, p)
	h := *f
	for at := len(h) - 1; at > 0; {
		above := (at - 1) / 2
		if !h.before(at, above) {
			break
		}
		h[at], h[above] = h[above], h[at]
		at = above
	}
}

func (f *frontier) take() place {
	h := *f
	top, last := h[0], len(h)-1
	h[0] = h[last]
	h = h[:last]
	for at := 0; ; {
		least := at
		for _, below := range [2]int{2*at + 1, 2*at + 2} {
			if below < last && h.before(below, least) {
				least = below
			}
		}
		if least == at {
			break
		}
		h[at], h[least] = h[least], h[at]
		at = least
	}
	*f = h
	return top
}

// search finds the cheapest way from a pin, leaving in direction dir, to a goal. tree tells
// whether a cell is already part of the same net, far gives a lower bound of the distance.
func (g *grid) search(from point, dir int, net int32, goal func(point) bool, far func(point) int) path {
	best, came := g.best[:g.w*g.h*4], g.came[:g.w*g.h*4]
	clear(best)
	start := int32(g.cell(from)*4 + dir)
	best[start], came[start] = 1, -1
	open := g.open[:0]
	open = append(open, place{0, 0, start})
	defer func() { g.open = open }()
	for len(open) > 0 {
		top := open.take()
		if int32(top.cost)+1 > best[top.state] {
			continue
		}
		at := point{int(top.state/4) % g.w, int(top.state/4) / g.w}
		heading := int(top.state % 4)
		if at != from && goal(at) {
			return g.trace(came, top.state)
		}
		for d := range 4 {
			if (d+2)%4 == heading || (at == from && d != dir) {
				continue
			}
			next := point{at.x + steps[d].x, at.y + steps[d].y}
			if !g.inside(next) {
				continue
			}
			cost, ok := g.stepCost(gridStep{at, next, heading, d, at == from, goal(next)}, net)
			if !ok {
				continue
			}
			total := top.cost + cost
			state := int32(g.cell(next)*4 + d)
			if best[state] == 0 || int32(total)+1 < best[state] {
				best[state], came[state] = int32(total)+1, top.state
				open.add(place{total, total + routeStep*far(next), state})
			}
		}
	}
	return nil
}

// gridStep is a step from a cell to the next: which way the line came, which way it goes, whether it is the first, whether it arrives.
type gridStep struct {
	at, next       point
	heading, d     int
	first, arrives bool
}

// stepCost prices one step; false where it may not be taken.
func (g *grid) stepCost(s gridStep, net int32) (int, bool) {
	at, next, heading, d, first, arrives := s.at, s.next, s.heading, s.d, s.first, s.arrives
	if (next.y <= g.above || next.y >= g.below) && !arrives {
		return 0, false
	}
	cost := routeStep
	here := g.cell(at)
	if d != heading {
		// A turn may not stand on another net's line.
		if foreign(g.level[here], net) || foreign(g.plumb[here], net) {
			return 0, false
		}
		cost += routeBend
	}
	c := g.cell(next)
	switch {
	case g.solid[c] && !arrives:
		return 0, false
	case foreign(g.corner[c], net), foreign(g.access[c], net):
		return 0, false
	}
	along, across := g.level[c], g.plumb[c]
	if d == north || d == south {
		along, across = across, along
	}
	if foreign(along, net) {
		return 0, false
	}
	if foreign(across, net) {
		if arrives {
			return 0, false
		}
		cost += routeCross
	}
	if g.label[c] {
		cost += routeLabel
	}
	if g.tight[c] && !first {
		cost += routeTight
	}
	side := steps[(d+1)%4]
	for _, s := range []point{{next.x + side.x, next.y + side.y}, {next.x - side.x, next.y - side.y}} {
		if !g.inside(s) {
			continue
		}
		beside := g.level[g.cell(s)]
		if d == north || d == south {
			beside = g.plumb[g.cell(s)]
		}
		if foreign(beside, net) {
			cost += routeBeside
		}
	}
	return cost, true
}

func foreign(taken, net int32) bool { return taken != 0 && taken != net }

func (g *grid) trace(came []int32, state int32) path {
	var p path
	for ; state >= 0; state = came[state] {
		p = append(p, point{int(state/4) % g.w, int(state/4) / g.w})
	}
	slices.Reverse(p)
	return p
}

// measure finds how many steps every cell is from the nearest one of a tree, walls left aside: one sweep down, one up.
func (g *grid) measure(tree map[point]bool) {
	far := g.far[:g.w*g.h]
	for c := range far {
		far[c] = farthest
	}
	for at := range tree {
		far[g.cell(at)] = 0
	}
	for y := range g.h {
		row := far[y*g.w : (y+1)*g.w]
		if y > 0 {
			above := far[(y-1)*g.w : y*g.w]
			for x := range row {
				row[x] = min(row[x], above[x]+1)
			}
		}
		for x := 1; x < len(row); x++ {
			row[x] = min(row[x], row[x-1]+1)
		}
	}
	for y := g.h - 1; y >= 0; y-- {
		row := far[y*g.w : (y+1)*g.w]
		if y < g.h-1 {
			below := far[(y+1)*g.w : (y+2)*g.w]
			for x := range row {
				row[x] = min(row[x], below[x]+1)
			}
		}
		for x := len(row) - 2; x >= 0; x-- {
			row[x] = min(row[x], row[x+1]+1)
		}
	}
}
