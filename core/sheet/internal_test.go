package sheet

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/library"
)

func placed(t *testing.T, name string, seed uint64) (*placer, *netlist) {
	t.Helper()
	e, err := library.Open(name)
	require.NoError(t, err)
	nets := newNetlist(e.Circuit)
	p := newPlacer(buildItems(e.Circuit, nets), nets, seed)
	p.start()
	return p, nets
}

// Current enters a part at its top: fuses, motors and contacts are the right way up, whatever
// order the file names their pins in.
func TestCurrentRunsDown(t *testing.T) {
	top := func(items []*item, part string) string {
		for _, it := range items {
			for _, term := range it.terminals {
				if term.pin.Part == part && !term.bottom {
					return term.pin.Name
				}
			}
		}
		return ""
	}
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	items := buildItems(e.Circuit, newNetlist(e.Circuit))
	for part, pin := range map[string]string{"F1": "a", "F2": "a", "F4": "a", "M1": "+", "M2": "+", "F3": "a", "SW": "a"} {
		assert.Equal(t, pin, top(items, part), part)
	}
	backwards, err := harness.Read([]byte(`harness: 1
parts: {B: {kind: battery}, F: {kind: fuse, amps: 5}, M: {kind: motor, volts: 12, amps: 4}}
wires: {B.+ - F.b: , F.a - M.-: , M.+ - B.-: }
states: {on: {}}
`))
	require.NoError(t, err)
	items = buildItems(backwards, newNetlist(backwards))
	assert.Equal(t, "b", top(items, "F"))
	assert.Equal(t, "-", top(items, "M"))
}

func TestRunsAreFolded(t *testing.T) {
	p, _ := placed(t, "f3-twin-series-parallel", 1)
	runs := map[string]int{}
	for _, it := range p.items {
		if !it.relay && !it.elastic {
			runs[it.glyphs[0].part.Name] = len(it.glyphs)
		}
	}
	assert.Equal(t, 2, runs["SW"], "the key switch and its fuse are one run")
	assert.Equal(t, 1, runs["F1"])
	assert.NotContains(t, runs, "F4", "the fuse hangs under the switch")
}

func TestNetlist(t *testing.T) {
	_, nets := placed(t, "f3-twin-series-parallel", 1)
	of := func(pin string) int { return nets.of[harness.ParsePin(pin)] }
	assert.Equal(t, of("F4.b"), of("K3.86"))
	assert.Equal(t, nets.battery, of("F1.a"))
	assert.True(t, nets.ground[of("M2.-")])
	assert.NotEqual(t, of("K1.85"), of("K2.85"))
	assert.Equal(t, of("K2.85"), of("K3.85"))
	assert.Len(t, nets.grounds(), 2, "the chassis joint's net and the battery's negative post")
}

func TestAnnealingImprovesAndIsRepeatable(t *testing.T) {
	p, _ := placed(t, "f4-dropping-resistor", 3)
	before := p.cost(math.Inf(1))
	after := p.anneal(4000, hottest, coldest)
	assert.Less(t, after, before)
	assert.InDelta(t, after, p.cost(math.Inf(1)), 1e-9, "what is left is the best found")
	polished := p.polish(after, 4000)
	assert.LessOrEqual(t, polished, after)
	q, _ := placed(t, "f4-dropping-resistor", 3)
	q.anneal(4000, hottest, coldest)
	assert.InDelta(t, after, q.cost(math.Inf(1)), 1e-9, "the same seed, the same sheet")
}

func TestPlacementsAreSavedWhole(t *testing.T) {
	p, _ := placed(t, "f7-discrete-module", 2)
	var kept placement
	p.save(&kept)
	cost := p.cost(math.Inf(1))
	for range 200 {
		p.move()
	}
	p.restore(&kept)
	assert.InDelta(t, cost, p.cost(math.Inf(1)), 1e-9)
}

func TestPinsOfABoxKeepApart(t *testing.T) {
	p, _ := placed(t, "f7-discrete-module", 5)
	p.anneal(3000, hottest, coldest)
	for _, it := range p.items {
		if !it.elastic {
			continue
		}
		for i, a := range it.terminals {
			for _, b := range it.terminals[:i] {
				if a.bottom == b.bottom {
					assert.GreaterOrEqual(t, abs(a.dx-b.dx), pinPitch, "%s and %s", a.pin, b.pin)
				}
			}
			assert.True(t, a.dx >= -it.glyphs[0].left && a.dx <= it.glyphs[0].right, "%s lies within its box", a.pin)
		}
	}
}

// A wall with one gap: the way goes through the gap, and is lost when the gap is shut.
func TestSearchFindsTheGap(t *testing.T) {
	g := newGrid(20, 20)
	g.below = 20
	g.above = -1
	for x := range 20 {
		if x != 15 {
			g.solid[g.cell(point{x, 10})] = true
		}
	}
	goal := point{5, 18}
	far := func(p point) int { return distance(p, goal) }
	at := func(p point) bool { return p == goal }
	way := g.search(point{5, 2}, south, 1, at, far)
	require.NotEmpty(t, way)
	assert.Equal(t, goal, way[len(way)-1])
	assert.Contains(t, way, point{15, 10})
	for i := 1; i < len(way); i++ {
		assert.Equal(t, 1, distance(way[i-1], way[i]), "one unit at a time")
	}
	g.solid[g.cell(point{15, 10})] = true
	assert.Empty(t, g.search(point{5, 2}, south, 1, at, far))
}

func TestWiresCrossButNeverShare(t *testing.T) {
	g := newGrid(20, 20)
	g.below, g.above = 20, -1
	var other path
	for x := 2; x < 18; x++ {
		other = append(other, point{x, 10})
	}
	g.lay(other, 2)
	goal := point{8, 16}
	way := g.search(point{8, 3}, south, 1, func(p point) bool { return p == goal }, func(p point) int { return distance(p, goal) })
	assert.Contains(t, way, point{8, 10}, "straight across")
	goal = point{15, 10}
	assert.Empty(t, g.search(point{3, 9}, south, 1, func(p point) bool { return p == goal },
		func(p point) int { return distance(p, goal) }), "no ending on another's line")
	g.lift(2)
	assert.Zero(t, g.level[g.cell(point{8, 10})])
}

func TestTextWidths(t *testing.T) {
	assert.Greater(t, textWidth("MWM", 16, false), textWidth("ili", 16, false))
	assert.Greater(t, textWidth("K1", 16, true), textWidth("K1", 16, false))
	assert.InDelta(t, 2*monoWidth("12"), monoWidth("1234"), 1e-9)
}
