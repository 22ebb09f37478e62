package sheet

import (
	"math"
	"math/rand/v2"
	"slices"
)

type rect struct{ x1, y1, x2, y2 int }

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
	boxes         []claim // bodies and zones from left to right
	slots         []int   // of each body and zone, in the items' order: its place in boxes
	across, down  []run
	columns       columns
	rows          int
	tops          []int // of each row, and one more below the last
	laid          []laid
	stacked       []int // the tops that nets are laid out by, and how often they have changed
	restacked     int
}

// laid is a net as it was laid out last. A step moves few parts: every net whose pins stand where they stood, under rows of the same
// heights, is taken as it was.
type laid struct {
	restacked    int // by which tops
	ends         []end
	across, down []run
	cost         float64
}

// claim is the room that a part takes, or its label.
type claim struct {
	rect
	owner int
	label bool
	nth   int // in the items' order
}

// end is where a wire of a net leaves a part.
type end struct {
	x, y   int
	bottom bool
}

type ref struct{ item, terminal int }

func newPlacer(items []*item, nets *netlist, seed uint64) *placer {
	p := &placer{
		items: items, nets: nets, onNet: make([][]ref, len(nets.pins)),
		labels: make([]int, len(items)), left: make([]bool, len(items)),
		rng: rand.New(rand.NewPCG(seed, 0x5EED)), laid: make([]laid, len(nets.pins)),
	}
	for i, it := range items {
		for k, t := range it.terminals {
			p.onNet[t.net] = append(p.onNet[t.net], ref{i, k})
		}
		if it.elastic {
			continue
		}
		for _, g := range it.glyphs {
			p.labels[i] = max(p.labels[i], g.labelWide+1)
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
	p.bodies, p.zones = p.bodies[:0], p.zones[:0]
	n := 0
	low, high := math.MaxInt, math.MinInt
	p.stackRows()
	for i, it := range p.items {
		for k := range it.glyphs {
			g := &it.glyphs[k]
			left, right := it.extents(g)
			top := p.tops[it.row] + g.dy
			body := rect{left, top, right, top + g.height}
			p.bodies = append(p.bodies, body)
			p.claim(&n, claim{rect: body, owner: i})
			if p.labels[i] > 0 {
				zone := rect{right, top, right + p.labels[i], top + g.height}
				if p.left[i] {
					zone = rect{left - p.labels[i], top, left, top + g.height}
				}
				p.zones = append(p.zones, zone)
				p.claim(&n, claim{rect: zone, owner: i, label: true})
				left, right = min(left, zone.x1), max(right, zone.x2)
			}
			low, high = min(low, left), max(high, right)
		}
	}
	p.sortBoxes()
	return sizeCost(high-low, p.tops[p.rows])
}

// claim notes the nth room that is taken, where it stood from left to right at the evaluation before.
func (p *placer) claim(n *int, c claim) {
	c.nth = *n
	if *n == len(p.slots) {
		p.slots = append(p.slots, len(p.boxes))
		p.boxes = append(p.boxes, c)
	} else {
		p.boxes[p.slots[*n]] = c
	}
	*n++
}

// sortBoxes puts the rooms in order from left to right. A change moves few of them, so that each is looked for near where it was.
func (p *placer) sortBoxes() {
	for i := 1; i < len(p.boxes); i++ {
		b := p.boxes[i]
		k := i
		for ; k > 0 && p.boxes[k-1].x1 > b.x1; k-- {
			p.boxes[k] = p.boxes[k-1]
			p.slots[p.boxes[k].nth] = k
		}
		if k < i {
			p.boxes[k] = b
			p.slots[b.nth] = k
		}
	}
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
	if !slices.Equal(p.tops, p.stacked) {
		p.stacked = append(p.stacked[:0], p.tops...)
		p.restacked++
	}
}

func sizeCost(width, height int) float64 {
	w, h := float64(width), float64(height)
	return costSize*math.Max(w, aspect*h) + costWidth*w + costHeight*h
}

// overlaps adds what parts and labels over each other cost; it stops once above limit. From left to right, each is
// held only against those that begin before it ends.
func (p *placer) overlaps(sum, limit float64) float64 {
	for i := range p.boxes {
		if sum > limit {
			return sum
		}
		a := &p.boxes[i]
		for j := i + 1; j < len(p.boxes); j++ {
			b := &p.boxes[j]
			gap := b.x1 - a.x2
			if gap >= bodiesApart {
				break
			}
			least := bodiesApart
			if a.label || b.label {
				least = labelsApart
			}
			if gap < least && a.y1 < b.y2 && b.y1 < a.y2 && a.owner != b.owner {
				sum += costOverlap + costOverlapBy*float64(min(a.x2, b.x2)-b.x1+least)
			}
		}
	}
	return sum
}

// wire lays a net out, or takes it as it was laid out last.
func (p *placer) wire(net int) float64 {
	refs := p.onNet[net]
	rail := net == p.nets.battery
	if !rail && p.nets.ground[net] { // what stands in its way counts, too
		return p.groundWire(net, refs)
	}
	l := &p.laid[net]
	if !p.stands(l, refs) {
		across, down := len(p.across), len(p.down)
		if rail {
			l.cost = p.railWire(net, refs)
		} else {
			l.cost = p.netWire(net, l.ends)
		}
		l.across = append(l.across[:0], p.across[across:]...)
		l.down = append(l.down[:0], p.down[down:]...)
		return l.cost
	}
	p.across = append(p.across, l.across...)
	p.down = append(p.down, l.down...)
	return l.cost
}

// stands tells whether a net's pins and the rows are where they were when it was laid out, and notes where they are.
func (p *placer) stands(l *laid, refs []ref) bool {
	same := l.restacked == p.restacked && len(l.ends) == len(refs)
	l.restacked = p.restacked
	l.ends = slices.Grow(l.ends[:0], len(refs))[:len(refs)]
	for k, r := range refs {
		x, y, bottom := p.at(r)
		if e := (end{x, y, bottom}); l.ends[k] != e {
			l.ends[k], same = e, false
		}
	}
	return same
}

// netWire lays a net out: a trunk in the best channel and verticals at its pins.
func (p *placer) netWire(net int, ends []end) float64 {
	if len(ends) < 2 {
		return 0
	}
	// Straight down from one pin to the other.
	if len(ends) == 2 {
		upper, lower := ends[0], ends[1]
		if upper.y > lower.y {
			upper, lower = lower, upper
		}
		if upper.x == lower.x && upper.bottom && !lower.bottom {
			p.down = append(p.down, run{upper.x, upper.y, lower.y, net})
			return costDown * float64(lower.y-upper.y)
		}
	}
	low, high := math.MaxInt, math.MinInt
	for _, e := range ends {
		low, high = min(low, e.x), max(high, e.x)
	}
	best, channel := math.Inf(1), 0
	for c := 0; c <= p.rows; c++ {
		y := p.tops[c] - channelRise
		if sum := trunkCost(ends, y, low, high, best); sum < best {
			best, channel = sum, y
		}
	}
	p.across = append(p.across, run{channel, low, high, net})
	for _, e := range ends {
		p.down = append(p.down, run{e.x, min(e.y, channel), max(e.y, channel), net})
	}
	if high > low && high-low < jogUnits {
		best += costJog
	}
	return best + costAcross*float64(high-low)
}

// trunkCost is what a net costs with its trunk at a height; it stops once it is no better than the best.
func trunkCost(ends []end, y, low, high int, best float64) float64 {
	sum := 0.0
	var sides [2]trunkEnd
	for _, e := range ends {
		length := y - e.y
		if !e.bottom {
			length = -length
		}
		if length < 0 {
			sum += costWrongSide
			length = -length
		}
		if sum += costDown * float64(length); sum >= best {
			return sum
		}
		switch e.x {
		case low:
			sides[0].see(e.y < y)
		case high:
			sides[1].see(e.y < y)
		}
	}
	for _, side := range sides {
		// A trunk's end turns, unless the line goes straight on there.
		if side.above != side.below {
			sum += costBend
		}
	}
	return sum
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

// columns finds the wires that run down a column.
type columns struct {
	low    int
	first  []int32 // of each column from low on: the place in down of its first, plus one
	beside []int32 // of each of down: the next in its column, plus one
}

// fill sorts the wires that run down by their columns.
func (c *columns) fill(down []run) {
	low, high := math.MaxInt, math.MinInt
	for i := range down {
		low, high = min(low, down[i].at), max(high, down[i].at)
	}
	c.low = low
	if n := high - low + 1; len(down) == 0 {
		c.first = c.first[:0]
	} else if cap(c.first) < n {
		c.first = make([]int32, n, 2*n)
	} else {
		c.first = c.first[:n]
		clear(c.first)
	}
	c.beside = slices.Grow(c.beside[:0], len(down))[:len(down)]
	for i := range down {
		at := &c.first[down[i].at-low]
		c.beside[i], *at = *at, int32(i+1)
	}
}

// span gives the columns between two, both included, that have been filled.
func (c *columns) span(from, to int) []int32 {
	from, to = max(from-c.low, 0), min(to-c.low, len(c.first)-1)
	if from > to {
		return nil
	}
	return c.first[from : to+1]
}

// conflicts adds crossings, wires through parts and labels, and shared columns; it stops once
// above limit.
func (p *placer) conflicts(sum, limit float64) float64 {
	p.columns.fill(p.down)
	if sum += p.crossings(limit - sum); sum > limit {
		return sum
	}
	next := p.columns.beside
	for _, first := range p.columns.first {
		for i := first; i > 0; i = next[i-1] {
			v := &p.down[i-1]
			sum += p.shared(v, next[i-1], costSameColumn) + p.shared(v, p.columns.at(v.at+1), costSameColumn/4)
		}
	}
	if sum > limit {
		return sum
	}
	for j := range p.bodies {
		if sum > limit {
			return sum
		}
		b := &p.bodies[j]
		for _, first := range p.columns.span(b.x1-1, b.x2+1) {
			for i := first; i > 0; i = next[i-1] {
				v := &p.down[i-1]
				switch {
				case v.from >= b.y2 || v.to <= b.y1:
				case v.at >= b.x1 && v.at <= b.x2:
					sum += costThrough
				default:
					sum += costTight
				}
			}
		}
	}
	for j := range p.zones {
		if sum > limit {
			return sum
		}
		z := &p.zones[j]
		for _, first := range p.columns.span(z.x1+1, z.x2-1) {
			for i := first; i > 0; i = next[i-1] {
				if v := &p.down[i-1]; v.from < z.y2 && v.to > z.y1 {
					sum += costLabelZone
				}
			}
		}
	}
	return sum
}

// at is the first wire down a column, plus one; nought where there is none.
func (c *columns) at(x int) int32 {
	if x -= c.low; x < 0 || x >= len(c.first) {
		return 0
	}
	return c.first[x]
}

// shared is what a wire costs beside those of one column, from one of them on.
func (p *placer) shared(v *run, from int32, each float64) float64 {
	sum := 0.0
	for i := from; i > 0; i = p.columns.beside[i-1] {
		if o := &p.down[i-1]; v.net != o.net && v.to > o.from && o.to > v.from {
			sum += each
		}
	}
	return sum
}

// crossings is what the wires across cost where they meet wires that run down. They run in channels, where no part
// stands. It stops once above limit.
func (p *placer) crossings(limit float64) float64 {
	sum := 0.0
	for i := range p.across {
		if sum > limit {
			return sum
		}
		h := &p.across[i]
		for _, first := range p.columns.span(h.from, h.to) {
			for k := first; k > 0; k = p.columns.beside[k-1] {
				if v := &p.down[k-1]; h.net != v.net && h.at > v.from && h.at < v.to {
					sum += costCrossing
				}
			}
		}
	}
	return sum
}
