// Package sheet draws a circuit: it decides where parts and lines go. Geometry only, in
// pixels, y downwards; nothing here knows SVG or volts.
//
// In goes a circuit, out comes a [Sheet]: power above, ground below, current running down.
// The one idea: find which way current flows, stack the parts in rows along it, let a seeded
// annealing place them as a person would shift paper slips, then really route the wires and
// keep the best of several tries. Equal circuits give equal sheets.
package sheet

import (
	"cmp"
	"slices"

	"ironthread/core/harness"
)

// Sheet is a drawing.
type Sheet struct {
	Width, Height int
	Rail          Rail // battery positive; absent (X1 == X2) where nothing is fed by it
	Ground        Rail
	Symbols       []Symbol
	Lines         []Line
	Locals        []LocalGround
	Texts         []Text
	Crossings     int
	Bends         int
	Unrouted      []string // pins of nets that found no way; none in a sound drawing
	Places        []harness.Place

	rowTops []int // pixels
	run     []int // of each place: which run of parts it stands in
}

// Rail is a horizontal line across the sheet.
type Rail struct {
	Y, X1, X2 int
	Pin       harness.Pin
}

// Symbol is one part, or one way of a connector, in its box.
type Symbol struct {
	Part       *harness.Part `json:"-"`
	Way        int
	X, Y, W, H int
	Flipped    bool // its second pin, or a relay's 30, is not where the kind usually has it
	CoilUp     bool // a relay's 85 is above
	Pins       []Mark
}

// Mark is where a pin is.
type Mark struct {
	Pin    harness.Pin
	X, Y   int
	Bottom bool
}

// Mark finds a pin of the symbol by name; the zero Mark if it has none.
func (s *Symbol) Mark(name string) Mark {
	for _, m := range s.Pins {
		if m.Pin.Name == name {
			return m
		}
	}
	return Mark{}
}

// Has tells whether the symbol carries a pin, spelled as "K1.87".
func (s *Symbol) Has(pin string) bool {
	return slices.ContainsFunc(s.Pins, func(m Mark) bool { return m.Pin.String() == pin })
}

// Place finds a pin in the line's Pins; -1 where the line does not reach it.
func (l *Line) Place(pin string) int {
	return slices.IndexFunc(l.Pins, func(m Mark) bool { return m.Pin.String() == pin })
}

// Line is one net as drawn: a tree of straight segments. Root is the rail's pin for a drop
// to a rail.
type Line struct {
	Pins     []Mark
	Rail     bool
	Ground   bool
	Segments []Segment
	Dots     []Dot // where three or more meet
}

// Segment is a straight piece. Beyond lists the pins (places in Line.Pins) that hang on its
// second end; the current in it is what those pins take.
type Segment struct {
	X1, Y1, X2, Y2 int
	Beyond         []int
}

// Dot is a joint.
type Dot struct{ X, Y int }

// LocalGround is a ground symbol at a pin, with its ground point's name.
type LocalGround struct {
	Mark Mark
	Name string
	Up   bool
}

// TextKind says what a text is.
type TextKind string

// Kinds of text.
const (
	NameText   TextKind = "name"
	NoteText   TextKind = "note"
	PinText    TextKind = "pin"
	ColourText TextKind = "colour"
	FootText   TextKind = "foot"
)

// Text is a label; X is its left edge, Y its baseline.
type Text struct {
	Kind       TextKind
	Text       string
	X, Y, W, H int
	Part       string // the part it names
	Wire       string // the wire whose colour it tells
	Pin        string
}

// beside is where a second line of a wire's text goes: below the first where the nearest pin is below its part, else above it, so that it
// stays clear of the part.
func (s *Sheet) beside(t Text, line int) (y int) {
	nearest, below := -1, false
	for _, symbol := range s.Symbols {
		for _, m := range symbol.Pins {
			dx, dy := m.X-t.X, m.Y-t.Y
			if d := dx*dx + dy*dy; nearest < 0 || d < nearest {
				nearest, below = d, m.Bottom
			}
		}
	}
	onRail := s.Rail.X1 != s.Rail.X2 && t.Y-2*line < s.Rail.Y && t.Y > s.Rail.Y
	if below || onRail {
		return t.Y + line
	}
	return t.Y - line
}

// Draw draws the circuit: from where its parts stood before, if it says so, else from nothing.
func Draw(c *harness.Circuit) *Sheet {
	nets := newNetlist(c)
	items := len(buildItems(c, nets))
	if items == 0 {
		return Blank() // nothing but rails yet
	}
	warm := len(c.Places) > 0
	var placers []*placer
	if warm {
		placers = settled(c, nets)
	}
	if placers == nil {
		placers = sketched(c, nets, items)
	}
	type result struct {
		plan *plan
		cost float64
	}
	results := make([]result, len(placers))
	parallel(len(placers), func(k int) {
		placers[k].squeezeRows()
		for spare := 0; spare <= 12; spare += 3 {
			pl := newPlan(placers[k], spare)
			if pl.route() || spare == 12 {
				results[k] = result{pl, pl.routedCost()}
				break
			}
		}
	})
	best := results[0]
	for _, r := range results[1:] {
		if r.cost < best.cost {
			best = r
		}
	}
	return best.plan.sheet(c)
}

// settled places a circuit from where its parts stood before; nil where none of them has a place.
func settled(c *harness.Circuit, nets *netlist) []*placer {
	placers := make([]*placer, warmTries)
	known := make([]bool, warmTries)
	parallel(warmTries, func(k int) {
		p := newPlacer(buildItems(c, nets), nets, uint64(k+1))
		if known[k] = p.settleIn(c); known[k] {
			steps := min(warmSteps, annealSteps(len(p.items)))
			p.polish(p.anneal(steps, warmHottest, warmColdest), steps)
		}
		placers[k] = p
	})
	if !known[0] {
		return nil
	}
	return placers
}

// sketched places a circuit from nothing: many quick sketches, of which the most promising are worked out.
func sketched(c *harness.Circuit, nets *netlist, items int) []*placer {
	type sketch struct {
		p    *placer
		cost float64
	}
	steps := annealSteps(items)
	sketches := make([]sketch, tries)
	parallel(tries, func(k int) {
		p := newPlacer(buildItems(c, nets), nets, uint64(k+1))
		p.start()
		sketches[k] = sketch{p, p.anneal(max(steps/sketchShare, 1), hottest, coldest)}
	})
	slices.SortStableFunc(sketches, func(a, b sketch) int { return cmp.Compare(a.cost, b.cost) })
	placers := make([]*placer, workedOut)
	parallel(workedOut, func(k int) {
		p := sketches[k].p
		p.polish(p.anneal(max(steps/workShare, 1), workHottest, coldest), steps)
		placers[k] = p
	})
	return placers
}

// Blank is the sheet of a circuit with no part to draw.
func Blank() *Sheet { return &Sheet{Width: 2 * margin * Unit, Height: 2 * margin * UnitY} }

// annealSteps bounds the work: an evaluation costs about the square of the items, so that a
// very large circuit gets fewer, and a less polished drawing in reasonable time.
func annealSteps(items int) int {
	if items <= 16 {
		return stepsLarge
	}
	fold := float64(manyItems) / float64(max(items, manyItems))
	return max(stepsLeast, int(stepsSmall*fold*fold))
}

// squeezeRows takes out rows that nothing stands in.
func (p *placer) squeezeRows() {
	used := map[int]bool{}
	last := 0
	for _, it := range p.items {
		used[it.row] = true
		last = max(last, it.row)
	}
	shift := 0
	moved := make([]int, last+1)
	for r := range moved {
		if !used[r] {
			shift++
		}
		moved[r] = r - shift
	}
	for _, it := range p.items {
		it.row = moved[it.row]
	}
}

// sheet turns the plan into the drawing.
func (pl *plan) sheet(c *harness.Circuit) *Sheet {
	s := &Sheet{Width: pl.grid.w * Unit, Height: (pl.grid.h + 2) * UnitY, Crossings: pl.crossed, Bends: pl.bends}
	for i, it := range pl.p.items {
		for k := range it.glyphs {
			s.Symbols = append(s.Symbols, pl.symbol(it, k))
			s.run = append(s.run, i)
		}
	}
	s.Places = pl.places()
	for _, top := range pl.rowTop {
		s.rowTops = append(s.rowTops, top*UnitY)
	}
	if net := pl.p.nets.battery; net >= 0 {
		battery := c.OfKind(harness.KindBattery)[0]
		s.Rail = Rail{Y: pl.rail * UnitY, Pin: harness.Pin{Part: battery.Name, Name: "+"}}
		s.Rail.X1, s.Rail.X2 = pl.feet(func(net int) bool { return net == pl.p.nets.battery })
	}
	s.Ground = Rail{Y: pl.ground * UnitY}
	s.Ground.X1, s.Ground.X2 = pl.feet(func(net int) bool { return pl.p.nets.ground[net] })
	for net, paths := range pl.paths {
		switch {
		case net == pl.p.nets.battery, pl.p.nets.ground[net]:
			for _, p := range paths {
				s.Lines = append(s.Lines, pl.line(net, []path{p}))
			}
		case len(paths) > 0:
			s.Lines = append(s.Lines, pl.line(net, paths))
		}
	}
	for _, l := range pl.locals {
		s.Locals = append(s.Locals, LocalGround{Mark: l.spot.mark(), Name: pl.groundName(l.spot.net), Up: l.up})
	}
	if pl.cramped {
		s.Unrouted = append(s.Unrouted, "a ground symbol")
	}
	for _, net := range pl.failed {
		for _, spot := range pl.spotsOf(net) {
			s.Unrouted = append(s.Unrouted, spot.pin.String())
		}
	}
	pl.write(s, c)
	return s
}

// feet is how far a rail must reach.
func (pl *plan) feet(on func(net int) bool) (x1, x2 int) {
	first := true
	for net, paths := range pl.paths {
		if !on(net) {
			continue
		}
		for _, p := range paths {
			x := p[len(p)-1].x * Unit
			if first {
				x1, x2, first = x, x, false
			}
			x1, x2 = min(x1, x), max(x2, x)
		}
	}
	if first {
		return 0, 0
	}
	const overhang = 4 * Unit
	return x1 - overhang, x2 + overhang
}

func (s spot) mark() Mark {
	return Mark{Pin: s.pin, X: s.at.x * Unit, Y: s.at.y * UnitY, Bottom: s.bottom}
}

func (pl *plan) symbol(it *item, k int) Symbol {
	g := &it.glyphs[k]
	b := pl.body(it, g)
	s := Symbol{
		Part: g.part, Way: g.way, X: b.x1 * Unit, Y: b.y1 * UnitY, W: (b.x2 - b.x1) * Unit, H: (b.y2 - b.y1) * UnitY,
		Flipped: g.flipped, CoilUp: g.coilFlipped,
	}
	for i := range it.terminals {
		if t := &it.terminals[i]; t.dy >= g.dy && t.dy <= g.dy+g.height {
			s.Pins = append(s.Pins, pl.spot(it, t).mark())
		}
	}
	return s
}

// groundName names the ground points of a net.
func (pl *plan) groundName(net int) string {
	for _, pin := range pl.p.nets.pins[net] {
		if pin.Name == "" {
			return pin.Part
		}
	}
	return "−"
}

// line cuts a net's paths into straight segments that know what hangs beyond them.
func (pl *plan) line(net int, paths []path) Line {
	l := Line{Rail: net == pl.p.nets.battery, Ground: pl.p.nets.ground[net]}
	links := map[point][]point{}
	link := func(a, b point) {
		if !slices.Contains(links[a], b) {
			links[a] = append(links[a], b)
			links[b] = append(links[b], a)
		}
	}
	var order []point
	for _, p := range paths {
		order = append(order, p...)
		for i := 1; i < len(p); i++ {
			link(p[i-1], p[i])
		}
	}
	for _, s := range pl.spotsOf(net) {
		if _, on := links[s.at]; on {
			l.Pins = append(l.Pins, s.mark())
		}
	}
	key := func(p point) bool {
		n := links[p]
		return len(n) != 2 || (n[0].x != n[1].x && n[0].y != n[1].y)
	}
	done := map[[2]point]bool{}
	seen := map[point]bool{}
	for _, p := range order {
		if !key(p) || seen[p] {
			continue
		}
		seen[p] = true
		if len(links[p]) > 2 {
			l.Dots = append(l.Dots, Dot{p.x * Unit, p.y * UnitY})
		}
		for _, next := range links[p] {
			end, before := next, p
			for !key(end) {
				n := links[end]
				if n[0] == before {
					before, end = end, n[1]
				} else {
					before, end = end, n[0]
				}
			}
			if done[[2]point{end, p}] {
				continue
			}
			done[[2]point{p, end}] = true
			l.Segments = append(l.Segments, Segment{p.x * Unit, p.y * UnitY, end.x * Unit, end.y * UnitY, nil})
		}
	}
	l.hang()
	return l
}

// hang finds, for each segment, the pins on its second end's side.
func (l *Line) hang() {
	ends := map[Dot][]int{}
	for i, s := range l.Segments {
		ends[Dot{s.X1, s.Y1}] = append(ends[Dot{s.X1, s.Y1}], i)
		ends[Dot{s.X2, s.Y2}] = append(ends[Dot{s.X2, s.Y2}], i)
	}
	for i := range l.Segments {
		s := &l.Segments[i]
		visited := map[int]bool{i: true}
		queue := []Dot{{s.X2, s.Y2}}
		for len(queue) > 0 {
			at := queue[0]
			queue = queue[1:]
			for k, pin := range l.Pins {
				if pin.X == at.X && pin.Y == at.Y {
					s.Beyond = append(s.Beyond, k)
				}
			}
			for _, j := range ends[at] {
				if visited[j] {
					continue
				}
				visited[j] = true
				o := l.Segments[j]
				other := Dot{o.X1, o.Y1}
				if other == at {
					other = Dot{o.X2, o.Y2}
				}
				queue = append(queue, other)
			}
		}
		slices.Sort(s.Beyond)
	}
}
