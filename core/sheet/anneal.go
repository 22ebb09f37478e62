package sheet

import "math"

// placement is what annealing decides; it can be saved and put back.
type placement struct {
	x, row []int
	mirror []bool
	left   []bool
	dx     [][]int // elastic pins
}

func (p *placer) save(into *placement) {
	into.x, into.row, into.mirror = into.x[:0], into.row[:0], into.mirror[:0]
	into.left = append(into.left[:0], p.left...)
	for len(into.dx) < len(p.items) {
		into.dx = append(into.dx, nil)
	}
	for i, it := range p.items {
		into.x = append(into.x, it.x)
		into.row = append(into.row, it.row)
		into.mirror = append(into.mirror, it.mirror)
		into.dx[i] = into.dx[i][:0]
		for _, t := range it.terminals {
			into.dx[i] = append(into.dx[i], t.dx)
		}
	}
}

func (p *placer) restore(from *placement) {
	copy(p.left, from.left)
	for i, it := range p.items {
		it.x, it.row, it.mirror = from.x[i], from.row[i], from.mirror[i]
		if it.elastic {
			for k := range it.terminals {
				it.terminals[k].dx = from.dx[i][k]
			}
			it.stretch()
		}
	}
}

// anneal improves the placement over so many steps, cooling from one temperature to another, and leaves the
// best one found.
func (p *placer) anneal(steps int, hottest, coldest float64) float64 {
	var before, best placement
	current := p.cost(math.Inf(1))
	lowest := current
	p.save(&best)
	for step := range steps {
		t := hottest * math.Pow(coldest/hottest, float64(step)/float64(steps))
		limit := current - t*math.Log(1-p.rng.Float64())
		p.save(&before)
		if !p.move() {
			p.restore(&before)
			continue
		}
		cost := p.cost(limit)
		if cost > limit {
			p.restore(&before)
			continue
		}
		if current = cost; cost < lowest {
			lowest = cost
			p.save(&best)
		}
	}
	p.restore(&best)
	return lowest
}

// polish tries every small change of every item in turn and keeps what is better, until
// nothing is or so many have been tried.
func (p *placer) polish(current float64, budget int) float64 {
	var before placement
	try := func(change func() bool) {
		if budget--; budget < 0 {
			return
		}
		p.save(&before)
		if !change() {
			p.restore(&before)
			return
		}
		if cost := p.cost(current); cost < current-1e-9 {
			current = cost
			return
		}
		p.restore(&before)
	}
	for range 8 {
		start := current
		for i, it := range p.items {
			for d := -8; d <= 8; d++ {
				try(func() bool { it.x += d; return d != 0 })
				for k := range it.terminals {
					try(func() bool { return it.elastic && d != 0 && it.slide(k, d) })
				}
			}
			for _, d := range []int{-1, 1} {
				try(func() bool { it.row += d; return it.row >= 0 })
			}
			try(func() bool { it.mirror = !it.mirror; return it.relay })
			try(func() bool { p.left[i] = !p.left[i]; return p.labels[i] > 0 })
			for _, o := range p.items {
				try(func() bool { it.x, o.x = o.x, it.x; return o != it })
			}
		}
		// Whole columns move together, so that a straight line need not be broken on the way.
		for _, it := range p.items {
			from := it.x
			for _, d := range []int{-4, -3, -2, -1, 1, 2, 3, 4} {
				try(func() bool { return p.shift(d, func(o *item) bool { return o.x >= from }) })
				try(func() bool { return p.shift(d, func(o *item) bool { return o.x == from }) })
			}
		}
		if current > start-1e-9 {
			break
		}
	}
	return current
}

func (p *placer) shift(d int, which func(*item) bool) bool {
	var moved []*item
	for _, o := range p.items {
		if which(o) {
			moved = append(moved, o)
		}
	}
	for _, o := range moved {
		o.x += d
	}
	return len(moved) > 0
}

// move changes the placement at random; false when the change made no sense.
func (p *placer) move() bool {
	n := len(p.items)
	i := p.rng.IntN(n)
	it := p.items[i]
	switch k := p.rng.IntN(100); {
	case k < 40:
		return p.align()
	case k < 55:
		it.x += p.nudge(4)
	case k < 62:
		other := p.items[p.rng.IntN(n)]
		if other == it {
			return false
		}
		it.x, other.x = other.x, it.x
		if p.rng.IntN(3) == 0 {
			it.row, other.row = other.row, it.row
		}
	case k < 70:
		it.mirror = it.relay && !it.mirror
		return it.relay
	case k < 75:
		p.left[i] = !p.left[i]
		return p.labels[i] > 0
	case k < 83:
		d := p.nudge(6)
		from := it.x
		return p.shift(d, func(o *item) bool { return o.x >= from })
	case k < 91:
		d := 1 - 2*p.rng.IntN(2)
		if it.row+d < 0 {
			return false
		}
		it.row += d
	case k < 94:
		d := 1 - 2*p.rng.IntN(2)
		for _, o := range p.items {
			if o.row >= it.row {
				if o.row+d < 0 {
					return false
				}
				o.row += d
			}
		}
	default:
		return p.swapPins()
	}
	return true
}

func (p *placer) nudge(most int) int {
	d := 1 + p.rng.IntN(most)
	if p.rng.IntN(2) == 0 {
		return -d
	}
	return d
}

// align brings two pins of a net into one column: by moving the item, or the pin of an
// elastic box.
func (p *placer) align() bool {
	net := p.rng.IntN(len(p.onNet))
	refs := p.onNet[net]
	if len(refs) < 2 || net == p.nets.battery || p.nets.ground[net] {
		return false
	}
	a, b := refs[p.rng.IntN(len(refs))], refs[p.rng.IntN(len(refs))]
	if a.item == b.item {
		return false
	}
	ax, _, _ := p.at(a)
	bx, _, _ := p.at(b)
	if ax == bx {
		return false
	}
	it := p.items[a.item]
	if it.elastic && p.rng.IntN(4) > 0 {
		return it.slide(a.terminal, bx-ax)
	}
	it.x += bx - ax
	return true
}

// slide moves one pin of an elastic box along its side; false where it would come too near
// another.
func (it *item) slide(k, d int) bool {
	t := &it.terminals[k]
	for j, o := range it.terminals {
		if j != k && o.bottom == t.bottom && abs(o.dx-t.dx-d) < pinPitch {
			return false
		}
	}
	t.dx += d
	it.stretch()
	return true
}

// swapPins exchanges the places of two pins on one side of a box, or slides one a little.
func (p *placer) swapPins() bool {
	var boxes []*item
	for _, it := range p.items {
		if it.elastic && len(it.terminals) > 1 {
			boxes = append(boxes, it)
		}
	}
	if len(boxes) == 0 {
		return false
	}
	it := boxes[p.rng.IntN(len(boxes))]
	a, b := p.rng.IntN(len(it.terminals)), p.rng.IntN(len(it.terminals))
	if a == b || it.terminals[a].bottom != it.terminals[b].bottom {
		return it.slide(a, p.nudge(5))
	}
	it.terminals[a].dx, it.terminals[b].dx = it.terminals[b].dx, it.terminals[a].dx
	return true
}

func abs(x int) int {
	if x < 0 {
		return -x
	}
	return x
}
