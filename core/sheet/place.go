package sheet

import (
	"math"
	"math/rand/v2"
)

type rect struct{ x1, y1, x2, y2 int }

func (r rect) overlap(o rect) (dx, dy int) {
	return min(r.x2, o.x2) - max(r.x1, o.x1), min(r.y2, o.y2) - max(r.y1, o.y1)
}

type run struct{ at, from, to, net int } // at: y of a horizontal, x of a vertical

// placer anneals one placement.
type placer struct {
	items  []*item
	nets   *netlist
	onNet  [][]ref // terminals of each net
	labels []int   // label width of each item
	left   []bool  // its label stands left

	homes []*home // where each item stood before; nil for a first drawing

	rng *rand.Rand

	// Scratch of one evaluation.
	bodies, zones []rect
	owner, zoneOf []int
	across, down  []run
	rows          int
	tops          []int // of each row, and one more below the last
}

type ref struct{ item, terminal int }

func newPlacer(items []*item, nets *netlist, seed uint64) *placer {
	p := &placer{
		items: items, nets: nets, onNet: make([][]ref, len(nets.pins)),
		labels: make([]int, len(items)), left: make([]bool, len(items)),
		rng: rand.New(rand.NewPCG(seed, 0x5EED)),
	}
	for i, it := range items {
		for k, t := range it.terminals {
			p.onNet[t.net] = append(p.onNet[t.net], ref{i, k})
		}
		if it.elastic {
			continue
		}
		for _, g := range it.glyphs {
			p.labels[i] = max(p.labels[i], nameUnits(g.name, g.note)+1)
		}
	}
	return p
}

func (it *item) sign() int {
	if it.mirror {
		return -1
	}
	return 1
}

// extents gives a glyph's sides, mirrored where the item is.
func (it *item) extents(g *glyph) (left, right int) {
	if it.mirror {
		return it.x - g.right, it.x + g.left
	}
	return it.x - g.left, it.x + g.right
}

func (p *placer) at(r ref) (x, y int, bottom bool) {
	it := p.items[r.item]
	t := &it.terminals[r.terminal]
	return it.x + it.sign()*t.dx, p.tops[it.row] + t.dy, t.bottom
}

// start lays the items out by rows: each as far down as the longest way from the battery.
func (p *placer) start() {
	p.assignRows()
	next := map[int]int{}
	for _, i := range p.rng.Perm(len(p.items)) {
		it := p.items[i]
		x := next[it.row]
		g := it.glyphs[0]
		it.mirror = it.relay && p.rng.IntN(2) == 0
		p.left[i] = p.rng.IntN(2) == 0
		left, right := g.left, g.right
		if it.mirror {
			left, right = right, left
		}
		if p.left[i] {
			left += p.labels[i]
		} else {
			right += p.labels[i]
		}
		it.x = x + left + 2
		next[it.row] = it.x + right + 2
	}
}

// assignRows: longest path downwards over nets, from bottom pins to top pins; an edge that
// would close a cycle is left out.
func (p *placer) assignRows() {
	edges := make([][]int, len(p.items))
	for net, refs := range p.onNet {
		if net == p.nets.battery || p.nets.ground[net] {
			continue
		}
		for _, a := range refs {
			for _, b := range refs {
				ta, tb := p.items[a.item].terminals[a.terminal], p.items[b.item].terminals[b.terminal]
				if a.item != b.item && ta.bottom && !tb.bottom {
					edges[a.item] = append(edges[a.item], b.item)
				}
			}
		}
	}
	state := make([]int, len(p.items)) // 0 new, 1 open, 2 done
	var order []int
	var visit func(i int)
	visit = func(i int) {
		state[i] = 1
		kept := edges[i][:0]
		for _, e := range edges[i] {
			if state[e] == 1 {
				continue // closes a cycle
			}
			if state[e] == 0 {
				visit(e)
			}
			kept = append(kept, e)
		}
		edges[i] = kept
		state[i] = 2
		order = append(order, i)
	}
	if p.nets.battery >= 0 {
		for _, r := range p.onNet[p.nets.battery] {
			if state[r.item] == 0 {
				visit(r.item)
			}
		}
	}
	for i := range p.items {
		if state[i] == 0 {
			visit(i)
		}
	}
	for i := range p.items {
		p.items[i].row = 0
	}
	for k := len(order) - 1; k >= 0; k-- {
		i := order[k]
		for _, e := range edges[i] {
			p.items[e].row = max(p.items[e].row, p.items[i].row+1)
		}
	}
}

// cost evaluates the whole placement. It stops early once above limit.
func (p *placer) cost(limit float64) float64 {
	sum := p.layOut() + p.uprooted()
	if sum = p.overlaps(sum, limit); sum > limit {
		return sum
	}
	p.across, p.down = p.across[:0], p.down[:0]
	for net := range p.onNet {
		if sum += p.wire(net); sum > limit {
			return sum
		}
	}
	return p.conflicts(sum, limit)
}

// layOut finds bodies and label zones, and charges for width and height.
func (p *placer) layOut() float64 {
	p.bodies, p.zones, p.owner, p.zoneOf = p.bodies[:0], p.zones[:0], p.owner[:0], p.zoneOf[:0]
	low, high := math.MaxInt, math.MinInt
	p.stackRows()
	for i, it := range p.items {
		for k := range it.glyphs {
			g := &it.glyphs[k]
			left, right := it.extents(g)
			top := p.tops[it.row] + g.dy
			p.bodies = append(p.bodies, rect{left, top, right, top + g.height})
			p.owner = append(p.owner, i)
			if p.labels[i] > 0 {
				zone := rect{right, top, right + p.labels[i], top + g.height}
				if p.left[i] {
					zone = rect{left - p.labels[i], top, left, top + g.height}
				}
				p.zones = append(p.zones, zone)
				p.zoneOf = append(p.zoneOf, i)
				left, right = min(left, zone.x1), max(right, zone.x2)
			}
			low, high = min(low, left), max(high, right)
		}
	}
	return sizeCost(high-low, p.tops[p.rows])
}

// stackRows finds the rows' tops from the highest item of each.
func (p *placer) stackRows() {
	p.rows = 0
	for _, it := range p.items {
		p.rows = max(p.rows, it.row+1)
	}
	p.tops = p.tops[:0]
	for range p.rows + 1 {
		p.tops = append(p.tops, 0)
	}
	for _, it := range p.items {
		p.tops[it.row+1] = max(p.tops[it.row+1], it.height)
	}
	for r := 1; r <= p.rows; r++ {
		p.tops[r] += p.tops[r-1] + channelHeight
	}
}

func sizeCost(width, height int) float64 {
	w, h := float64(width), float64(height)
	return costSize*math.Max(w, aspect*h) + costWidth*w + costHeight*h
}

// overlaps adds what parts and labels over each other cost; it stops once above limit.
func (p *placer) overlaps(sum, limit float64) float64 {
	const apart = 2 // units between bodies
	charge := func(a, b rect, least int) {
		if dx, dy := a.overlap(b); dx > -least && dy > 0 {
			sum += costOverlap + costOverlapBy*float64(dx+least)
		}
	}
	for i, a := range p.bodies {
		if sum > limit {
			return sum
		}
		for j := range i {
			if p.owner[i] != p.owner[j] {
				charge(a, p.bodies[j], apart)
			}
		}
		for j, z := range p.zones {
			if p.zoneOf[j] != p.owner[i] {
				charge(a, z, 1)
			}
		}
	}
	for i, a := range p.zones {
		for j := range i {
			if p.zoneOf[i] != p.zoneOf[j] {
				charge(a, p.zones[j], 1)
			}
		}
	}
	return sum
}

// wire lays a net out: a trunk in the best channel and verticals at its pins.
func (p *placer) wire(net int) float64 {
	refs := p.onNet[net]
	switch {
	case net == p.nets.battery:
		return p.railWire(net, refs)
	case p.nets.ground[net]:
		return p.groundWire(net, refs)
	case len(refs) < 2:
		return 0
	}
	// Straight down from one pin to the other.
	if len(refs) == 2 {
		x1, y1, b1 := p.at(refs[0])
		x2, y2, b2 := p.at(refs[1])
		if y1 > y2 {
			y1, y2, b1, b2 = y2, y1, b2, b1
		}
		if x1 == x2 && b1 && !b2 {
			p.down = append(p.down, run{x1, y1, y2, net})
			return costDown * float64(y2-y1)
		}
	}
	low, high := math.MaxInt, math.MinInt
	for _, r := range refs {
		x, _, _ := p.at(r)
		low, high = min(low, x), max(high, x)
	}
	best, channel := math.Inf(1), 0
	for c := 0; c <= p.rows; c++ {
		y := p.tops[c] - channelRise
		sum := 0.0
		var sides [2]trunkEnd
		for _, r := range refs {
			x, py, bottom := p.at(r)
			length := y - py
			if !bottom {
				length = -length
			}
			if length < 0 {
				sum += costWrongSide
				length = -length
			}
			sum += costDown * float64(length)
			switch x {
			case low:
				sides[0].see(py < y)
			case high:
				sides[1].see(py < y)
			}
		}
		for _, side := range sides {
			// A trunk's end turns, unless the line goes straight on there.
			if side.above != side.below {
				sum += costBend
			}
		}
		if sum < best {
			best, channel = sum, y
		}
	}
	p.across = append(p.across, run{channel, low, high, net})
	for _, r := range refs {
		x, y, _ := p.at(r)
		p.down = append(p.down, run{x, min(y, channel), max(y, channel), net})
	}
	if high > low && high-low < jogUnits {
		best += costJog
	}
	return best + costAcross*float64(high-low)
}

// trunkEnd is where lines leave a trunk's end.
type trunkEnd struct{ above, below bool }

func (e *trunkEnd) see(above bool) {
	e.above, e.below = e.above || above, e.below || !above
}

func (p *placer) railWire(net int, refs []ref) float64 {
	sum := 0.0
	for _, r := range refs {
		x, y, bottom := p.at(r)
		if bottom {
			sum += costWrongSide
		}
		p.down = append(p.down, run{x, -railRise, y, net})
		sum += costDown*float64(y+railRise) + costLowFeed*float64(p.items[r.item].row)
	}
	return sum
}

func (p *placer) groundWire(net int, refs []ref) float64 {
	sum := 0.0
	ground := p.tops[p.rows]
	for _, r := range refs {
		x, y, bottom := p.at(r)
		if !bottom {
			sum += costWrongSide / 2
			continue
		}
		if p.blocked(x, y, ground) {
			sum += costLocal
			continue
		}
		p.down = append(p.down, run{x, y, ground, net})
		sum += costDown * float64(ground-y)
	}
	return sum
}

// blocked tells whether a part or its label stands in a column between two heights.
func (p *placer) blocked(x, from, to int) bool {
	for _, b := range p.bodies {
		if x >= b.x1-1 && x <= b.x2+1 && b.y1 > from-1 && b.y1 < to {
			return true
		}
	}
	return false
}

// conflicts adds crossings, wires through parts and labels, and shared columns; it stops once
// above limit.
func (p *placer) conflicts(sum, limit float64) float64 {
	for _, h := range p.across {
		if sum > limit {
			return sum
		}
		for _, v := range p.down {
			if h.net != v.net && v.at >= h.from && v.at <= h.to && h.at > v.from && h.at < v.to {
				sum += costCrossing
			}
		}
		for _, b := range p.bodies {
			if h.at > b.y1 && h.at < b.y2 && h.from < b.x2 && h.to > b.x1 {
				sum += costThrough
			}
		}
	}
	for i, v := range p.down {
		if sum > limit {
			return sum
		}
		for _, o := range p.down[:i] {
			if v.net != o.net && v.to > o.from && o.to > v.from {
				switch v.at - o.at {
				case 0:
					sum += costSameColumn
				case 1, -1:
					sum += costSameColumn / 4
				}
			}
		}
		for _, b := range p.bodies {
			switch {
			case v.at < b.x1-1 || v.at > b.x2+1 || v.from >= b.y2 || v.to <= b.y1:
			case v.at >= b.x1 && v.at <= b.x2:
				sum += costThrough
			default:
				sum += costTight
			}
		}
		for _, z := range p.zones {
			if v.at > z.x1 && v.at < z.x2 && v.from < z.y2 && v.to > z.y1 {
				sum += costLabelZone
			}
		}
	}
	return sum
}
