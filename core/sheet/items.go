package sheet

import (
	"fmt"
	"strconv"
	"strings"

	"ironthread/core/harness"
)

// terminal is a pin of a symbol, placed relative to its item.
type terminal struct {
	pin    harness.Pin
	net    int
	dx     int  // before mirroring
	dy     int  // below the item's top
	bottom bool // leaves downwards
}

// glyph is one symbol of an item: a fuse, a relay's box, a controller.
type glyph struct {
	part        *harness.Part
	way         int    // connector way, 0 otherwise
	left, right int    // extent either side of the item's x, before mirroring
	dy, height  int    // below the item's top
	name, note  string // label: name in bold, note under it
	labelWide   int    // units that the wider of the two takes
	flipped     bool   // drawn upside down: pin b at the top
	coilFlipped bool
}

// item is what is placed as one: a vertical run of two-ended parts, a relay, an elastic box.
type item struct {
	glyphs    []glyph
	terminals []terminal
	elastic   bool
	relay     bool
	height    int

	// The placement.
	x, row int
	mirror bool
}

// buildItems turns the circuit into items, orients them by the flow and folds runs.
func buildItems(c *harness.Circuit, nets *netlist) []*item {
	var list []conductor
	owner := map[harness.Pin][]int{}
	for _, p := range c.Parts {
		for _, d := range conductors(p) {
			owner[d.a] = append(owner[d.a], len(list))
			if !d.ground && !d.battery {
				owner[d.b] = append(owner[d.b], len(list))
			}
			list = append(list, d)
		}
	}
	amps := flows(c, nets, list)
	// into is the current that enters the part at a pin.
	into := func(pin harness.Pin) float64 {
		sum := 0.0
		for _, i := range owner[pin] {
			if list[i].a == pin {
				sum += amps[i]
			} else {
				sum -= amps[i]
			}
		}
		return sum
	}
	var items []*item
	batteries := 0
	for _, p := range c.Parts {
		switch spec := p.Spec.(type) {
		case *harness.Battery:
			// The first battery is the rails.
			if batteries++; batteries > 1 {
				items = append(items, twoPin(p, 0, [2]string{"+", "-"}, nets, into))
			}
		case *harness.Ground, *harness.Splice:
		case *harness.Relay:
			items = append(items, relayItem(p, spec, nets, into))
		case *harness.Controller:
			items = append(items, boxItem(p, nets, into))
		case *harness.Connector:
			for way := 1; way <= spec.Ways; way++ {
				n := strconv.Itoa(way)
				items = append(items, twoPin(p, way, [2]string{"a" + n, "b" + n}, nets, into))
			}
		default:
			if pins := spec.Pins(); Boxed(p) || len(pins) != 2 {
				items = append(items, boxItem(p, nets, into))
			} else {
				items = append(items, twoPin(p, 0, [2]string{pins[0], pins[1]}, nets, into))
			}
		}
	}
	return fold(items, nets)
}

// twoPin makes a symbol with a pin at its top and one at its bottom.
func twoPin(p *harness.Part, way int, pins [2]string, nets *netlist, into func(harness.Pin) float64) *item {
	top, bottom := harness.Pin{Part: p.Name, Name: pins[0]}, harness.Pin{Part: p.Name, Name: pins[1]}
	flipped := into(top) < -1e-9
	if flipped {
		top, bottom = bottom, top
	}
	g := glyph{part: p, way: way, left: 2, right: 2, height: twoPinHeight, flipped: flipped}
	g.caption(p, way)
	if p.Kind() == harness.KindMotor {
		g.left, g.right, g.height = 4, 4, motorHeight
	}
	return &item{
		glyphs: []glyph{g}, height: g.height,
		terminals: []terminal{{pin: top, net: nets.of[top]}, {pin: bottom, net: nets.of[bottom], bottom: true, dy: g.height}},
	}
}

func relayItem(p *harness.Part, spec *harness.Relay, nets *netlist, into func(harness.Pin) float64) *item {
	pin := func(name string) harness.Pin { return harness.Pin{Part: p.Name, Name: name} }
	g := glyph{part: p, left: 7, right: 7, height: relayHeight}
	g.caption(p, 0)
	g.coilFlipped = into(pin("86")) < -1e-9
	g.flipped = into(pin("30")) < -1e-9
	it := &item{relay: true, height: relayHeight}
	put := func(name string, dx int, bottom bool) {
		t := terminal{pin: pin(name), net: nets.of[pin(name)], dx: dx, bottom: bottom}
		if bottom {
			t.dy = relayHeight
		}
		it.terminals = append(it.terminals, t)
	}
	put("86", coilAt, g.coilFlipped)
	put("85", coilAt, !g.coilFlipped)
	switch spec.Contacts {
	case harness.Changeover, harness.DoubleChangeover:
		for k, pole := range spec.Poles() {
			by := k * poleWidth
			g.right = 11 + by
			put("30"+pole, changeFeed+by, g.flipped)
			put("87"+pole, changeLeft+by, !g.flipped)
			put("87a"+pole, changeRight+by, !g.flipped)
		}
	case harness.DoubleMake:
		for k, pole := range spec.Poles() {
			by := k * poleWidth * 2 / 3
			g.right = 7 + by
			put("30"+pole, makeAlone+by, g.flipped)
			put("87"+pole, makeAlone+by, !g.flipped)
		}
	case harness.Break:
		put("30", makeAlone, g.flipped)
		put("87a", makeAlone, !g.flipped)
	default:
		put("30", makeAlone, g.flipped)
		put("87", makeAlone, !g.flipped)
	}
	it.glyphs = []glyph{g}
	return it
}

// boxItem makes an elastic box: pins into which current flows at the top, others below.
func boxItem(p *harness.Part, nets *netlist, into func(harness.Pin) float64) *item {
	g := glyph{part: p, height: boxHeight}
	g.caption(p, 0)
	it := &item{elastic: true, height: boxHeight}
	var top, bottom int
	for _, pin := range p.Pins() {
		if len(nets.pins[nets.of[pin]]) < 2 {
			continue // not wired
		}
		t := terminal{pin: pin, net: nets.of[pin]}
		if into(pin) < -1e-9 || nets.ground[nets.of[pin]] {
			t.bottom, t.dx, t.dy = true, bottom*pinPitch, boxHeight
			bottom++
		} else {
			t.dx = top * pinPitch
			top++
		}
		it.terminals = append(it.terminals, t)
	}
	it.glyphs = []glyph{g}
	it.stretch()
	return it
}

// stretch fits an elastic box to its pins and to its name.
func (it *item) stretch() {
	g := &it.glyphs[0]
	low, high := 0, 0
	for i, t := range it.terminals {
		if i == 0 || t.dx < low {
			low = t.dx
		}
		if i == 0 || t.dx > high {
			high = t.dx
		}
	}
	g.left, g.right = boxMargin-low, high+boxMargin
	if lack := g.labelWide + 2 - (g.left + g.right); lack > 0 {
		g.right += lack
	}
}

func nameUnits(name, note string) int {
	return max(int(textWidth(name, nameSize, true)), int(textWidth(note, noteSize, false)))/Unit + 1
}

// caption gives the symbol its label, and measures it once: the placer asks for the width at every step.
func (g *glyph) caption(p *harness.Part, way int) {
	g.name, g.note = captions(p, way)
	g.labelWide = nameUnits(g.name, g.note)
}

// captions gives a symbol's name and the note under it.
func captions(p *harness.Part, way int) (name, note string) {
	name, note = p.Name, p.Label
	switch spec := p.Spec.(type) {
	case *harness.Fuse:
		note = strconv.FormatFloat(spec.Amps, 'f', -1, 64) + " A"
		if p.Label != "" {
			note += " " + p.Label
		}
	case *harness.Switch:
		if note == "" {
			note = spec.ClosedWhen
		}
	case *harness.StagedSwitch, *harness.Sensor, *harness.Diode, *harness.Lamp, *harness.Limiter, *harness.SpeedController:
		if note == "" {
			note = strings.ReplaceAll(string(p.Kind()), "-", " ")
		}
		if staged, ok := spec.(*harness.StagedSwitch); ok && len(staged.Stages) == 1 {
			note = stageNote(staged)
		}
	case *harness.Resistor:
		note = strconv.FormatFloat(spec.Ohms, 'f', -1, 64) + " Ω"
	case *harness.Connector:
		name, note = fmt.Sprintf("%s/%d", p.Name, way), ""
	}
	return name, note
}

// stageNote says when a switch with one stage closes.
func stageNote(s *harness.StagedSwitch) string {
	unit := " °C"
	if s.Senses == harness.Pressure {
		unit = " bar"
	}
	return strconv.FormatFloat(s.Stages[0].Closes, 'f', -1, 64) + unit
}

// Boxed tells whether a part is drawn as a box with named pins.
func Boxed(p *harness.Part) bool {
	switch p.Kind() {
	case harness.KindRelay, harness.KindConnector, harness.KindBattery:
		return false
	case harness.KindController:
		return true
	}
	return len(p.Spec.Pins()) > 2
}

// fold joins two-ended symbols that meet at a net of just two pins into vertical runs.
func fold(items []*item, nets *netlist) []*item {
	upper := map[int]*item{} // net -> run whose bottom ends there
	lower := map[int]*item{}
	foldable := func(net int) bool {
		return len(nets.pins[net]) == 2 && !nets.ground[net] && net != nets.battery
	}
	for _, it := range items {
		if it.relay || it.elastic {
			continue
		}
		if foldable(it.terminals[1].net) {
			upper[it.terminals[1].net] = it
		}
		if foldable(it.terminals[0].net) {
			lower[it.terminals[0].net] = it
		}
	}
	gone := map[*item]bool{}
	for _, it := range items {
		if it.relay || it.elastic || gone[it] {
			continue
		}
		if foldable(it.terminals[0].net) && upper[it.terminals[0].net] != nil && upper[it.terminals[0].net] != it {
			continue // not the head of its run
		}
		for {
			end := it.terminals[len(it.terminals)-1].net
			next := lower[end]
			if !foldable(end) || next == nil || next == it || gone[next] {
				break
			}
			below := it.height + runGap
			for _, g := range next.glyphs {
				g.dy += below
				it.glyphs = append(it.glyphs, g)
			}
			for _, t := range next.terminals {
				t.dy += below
				it.terminals = append(it.terminals, t)
			}
			it.height = below + next.height
			gone[next] = true
		}
	}
	kept := items[:0]
	for _, it := range items {
		if !gone[it] {
			kept = append(kept, it)
		}
	}
	return kept
}
