package printed_test

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/printed"
	"ironthread/library"
	"ironthread/library/librarytest"
)

// traced is a circuit of the library as somebody would trace it: names, kinds, pins and wires, and nothing else.
func traced(t *testing.T, name string) *printed.Trace {
	t.Helper()
	e, err := library.Open(name)
	require.NoError(t, err)
	tr := &printed.Trace{Title: "by hand", Volts: 12}
	for i, p := range e.Circuit.Parts {
		part := printed.Part{Name: p.Name, Kind: p.Kind(), Spot: printed.Spot{X: 100 * i, Y: 100}, Pins: map[string]printed.Spot{}}
		for k, pin := range p.Pins() {
			part.Pins[pin.Name] = printed.Spot{X: 100 * i, Y: 100 + 20*k}
		}
		if p.Kind() == harness.KindRelay && p.Spec.(*harness.Relay).Suppression != "" {
			part.Settings = "suppression: resistor"
		}
		tr.Parts = append(tr.Parts, part)
	}
	for _, w := range e.Circuit.Wires {
		tr.Wires = append(tr.Wires, printed.Wire{From: w.From.String(), To: w.To.String(), Colour: w.Colour, Size: "4"})
	}
	return tr
}

// The twin series and parallel circuit, traced: the same words in every state as the one that was drawn with all its figures, with nothing
// missing; what nobody prints is marked as assumed.
func TestATracedCircuitDoesTheSame(t *testing.T) {
	tr := traced(t, "f3-twin-series-parallel")
	s := tr.Look()
	require.Empty(t, s.Wrong, s.Text)
	assert.Empty(t, s.Missing)
	assert.Contains(t, s.Assumed, "M1: volts: 12.6, amps: 15")
	assert.Equal(t, []string{"low", "high"}, s.Asks)
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	require.Len(t, s.Fans, len(e.Circuit.States))
	for _, d := range s.Fans {
		p, err := m.Solve(electric.Condition{State: e.Circuit.State(d.State)})
		require.NoError(t, err)
		for fan, x := range p.Motors {
			assert.Equal(t, string(x.Speed), d.Fans[fan], "%s: %s", d.State, fan)
		}
	}
}

// Every circuit of relays in the library traces to something that solves.
func TestCircuitsTrace(t *testing.T) {
	for _, name := range []string{"f1-one-relay", "f2-staged-pair", "f4-dropping-resistor"} {
		s := traced(t, name).Look()
		assert.Empty(t, s.Wrong, "%s: %v\n%s", name, s.Wrong, s.Text)
		assert.NotEmpty(t, s.Fans, name)
	}
}

// As it grows it says what it lacks, and what is likely to come next; one wire that was forgotten is found by what the fans should do.
func TestWhatIsMissing(t *testing.T) {
	empty := &printed.Trace{Volts: 12}
	assert.Equal(t, "battery", empty.Look().Next[0])
	assert.Contains(t, strings.Join(empty.Look().Missing, "\n"), "no battery")

	tr := traced(t, "f3-twin-series-parallel")
	without := func(from string) *printed.Trace {
		b, err := json.Marshal(tr)
		require.NoError(t, err)
		c, err := printed.Read(b)
		require.NoError(t, err)
		for i, w := range c.Wires {
			if w.From == from {
				c.Wires = append(c.Wires[:i], c.Wires[i+1:]...)
				break
			}
		}
		return c
	}
	for from, says := range map[string]string{"M2.-": "M2 has no ground", "K2.85": "K2 has nothing on its coil's 85",
		"F1.b":  "F1 is wired at one end",
		"K1.87": "K1: nothing goes on from its contact"} {
		assert.Contains(t, strings.Join(without(from).Look().Missing, "\n"), says, from)
	}
	wanted := map[string]map[string]string{"low": {"M1": "slow", "M2": "slow"}, "high": {"M1": "fast", "M2": "fast"}}
	fixes := without("M2.-").Fixes(t.Context(), wanted)
	require.NotEmpty(t, fixes)
	found := false
	for _, w := range fixes {
		found = found || strings.Contains(w.From+" "+w.To, "M2.-")
	}
	assert.True(t, found, "%v", fixes)
}

// A line that goes on somewhere else is joined by its name; one that stands on one page only is said to be missing.
func TestLinesThatGoOn(t *testing.T) {
	tr := traced(t, "f1-one-relay")
	for i, w := range tr.Wires {
		if strings.HasSuffix(w.To, ".+") && strings.HasPrefix(w.To, "M") {
			tr.Wires[i].To = ">page 2/A"
			assert.Contains(t, strings.Join(tr.Look().Missing, "\n"), "page 2/A goes on somewhere else")
			tr.Wires = append(tr.Wires, printed.Wire{From: ">page 2/A", To: w.To})
			break
		}
	}
	s := tr.Look()
	assert.Empty(t, s.Missing)
	assert.Empty(t, s.Wrong)
}

// What cannot be kept is refused in a sentence.
func TestBadTraces(t *testing.T) {
	for text, why := range map[string]string{
		"{": "cannot be read", `{"parts":[{"name":"1K","kind":"relay"}]}`: "no name of a part",
		`{"parts":[{"name":"K1","kind":"rocket"}]}`:                                                          "no kind of part",
		`{"parts":[{"name":"K1","kind":"relay"},{"name":"k1","kind":"fuse"}]}`:                               "twice",
		`{"parts":[{"name":"K1","kind":"relay","pins":{"30":{"x":20000}}}]}`:                                 "beside the page",
		`{"parts":[{"name":"K1","kind":"relay","settings":"a\nb"}]}`:                                         "one line each",
		`{"wires":[{"from":"K1.30","to":"` + strings.Repeat("x", 300) + `"}]}`:                               "cannot be read",
		`{"wires":[{"from":"A","to":"B","size":"4; x"}]}`:                                                    "cannot be read",
		`{"states":[{"name":"a: b"}]}`:                                                                       "no name of a state",
		`{"title":"` + strings.Repeat("x", 300) + `"}`:                                                       "too long",
		`{"parts":[` + strings.Repeat(`{"name":"K1","kind":"relay"},`, 130) + `{"name":"K","kind":"fuse"}]}`: "up to 120 parts",
	} {
		_, err := printed.Read([]byte(text))
		assert.ErrorContains(t, err, why, text[:min(60, len(text))])
	}
}

// The library's own wire lists read back, wire by wire with colour, size and length; a head in other words and another order, with
// semicolons and decimal commas, is the same list; rows that cannot be read are named, and the others stay.
func TestListsReadBack(t *testing.T) {
	for _, name := range []string{"f1-one-relay", "f2-staged-pair", "f3-twin-series-parallel", "f4-dropping-resistor"} {
		e, err := library.Open(name)
		require.NoError(t, err)
		var b strings.Builder
		require.NoError(t, e.Circuit.WriteWireList(&b))
		l, err := printed.ReadList(b.String())
		require.NoError(t, err, b.String())
		assert.Empty(t, l.Wrong)
		require.Len(t, l.Trace.Wires, len(e.Circuit.Wires), name)
		text, _ := l.Trace.Text()
		c, wrong := harness.Sketch([]byte(text))
		for _, w := range e.Circuit.Wires {
			got := c.Wire(w.From, w.To)
			require.NotNil(t, got, "%s: %s in\n%s\n%v", name, w, text, wrong)
			assert.Equal(t, w.Colour, got.Colour)
			assert.InDelta(t, w.Size.SquareMM(), got.Size.SquareMM(), 1e-9)
			assert.InDelta(t, w.Length.Metres(), got.Length.Metres(), 1e-9)
		}
		for _, p := range e.Circuit.Parts {
			if k := p.Kind(); k == harness.KindRelay || k == harness.KindFuse || k == harness.KindMotor || k == harness.KindGround ||
				k == harness.KindBattery || k == harness.KindController {
				assert.Equal(t, k, c.Part(p.Name).Kind(), "%s: %s", name, p.Name)
			}
		}
	}
	odd, err := harness.Read([]byte(librarytest.Returning))
	require.NoError(t, err)
	var b strings.Builder
	require.NoError(t, odd.WriteWireList(&b))
	back, err := printed.ReadList(b.String())
	require.NoError(t, err)
	for _, p := range back.Trace.Parts {
		if p.Name == "CB1" || p.Name == "Q1" {
			assert.Equal(t, odd.Part(p.Name).Kind(), p.Kind)
		}
	}
	l, err := printed.ReadList("Loom 7, issued in spring\nCol;To component;To pin;From component;From pin;Section;Length\n" +
		"rd;F1;a;BAT;+;2,5;0,4\n;;;;;;\nbk/wh;K1;30;F1;b;4 mm²;0,2 m\nno such colour;K1;87;M1;+;4;\n")
	require.NoError(t, err)
	assert.Equal(t, []printed.Wire{{From: "BAT.+", To: "F1.a", Colour: "RD", Size: "2.5", Length: "0.4m"},
		{From: "F1.b", To: "K1.30", Colour: "BK/WH", Size: "4", Length: "0.2m"}}, l.Trace.Wires)
	require.Len(t, l.Wrong, 1)
	assert.Contains(t, l.Wrong[0], `"NO SUCH COLOUR" is no colour`)
	assert.Equal(t, "Section", l.Columns["size"])
	_, err = printed.ReadList("a,b\n1,2\n")
	assert.ErrorContains(t, err, "no head was found")
}

// A fan behind a thermal switch, traced: its states are those of the switch, by figures that can be typed; the fan does in them what the
// library's own does. By hand: closed at and above 92 °C, open below 87.
func TestAThermalSwitchIsTraced(t *testing.T) {
	tr := traced(t, "f1-one-relay")
	s := tr.Look()
	require.Empty(t, s.Wrong, s.Text)
	assert.Contains(t, s.Assumed, "TS: 1: 92/87")
	does := func(state, word string) printed.Does {
		return printed.Does{State: state, Fans: map[string]string{"M1": word}}
	}
	assert.Equal(t, []printed.Does{does("cold", "stopped"), does("hot", "fast")}, s.Fans)
	assert.InDelta(t, 67, *s.Circuit.State("cold").Coolant, 1e-9)
	assert.InDelta(t, 94, *s.Circuit.State("hot").Coolant, 1e-9)

	at := slices.IndexFunc(tr.Parts, func(p printed.Part) bool { return p.Name == "TS" })
	tr.Parts[at].Settings = "1: 101/96"
	s = tr.Look()
	require.Empty(t, s.Wrong, s.Text)
	assert.InDelta(t, 103, *s.Circuit.State("hot").Coolant, 1e-9)
	assert.NotContains(t, strings.Join(s.Assumed, "\n"), "TS", "what is typed is not assumed")

	tr.Parts[at].Settings, tr.Parts[at].Pins["2"] = "", printed.Spot{X: 9, Y: 9}
	s = tr.Look()
	assert.Contains(t, s.Assumed, "TS: 1: 92/87, 2: 99/94")
	require.Len(t, s.Fans, 3)
	assert.Equal(t, []string{"cold", "warm", "hot"}, []string{s.Fans[0].State, s.Fans[1].State, s.Fans[2].State})
	assert.InDelta(t, 94, *s.Circuit.State("warm").Coolant, 1e-9)
	assert.InDelta(t, 101, *s.Circuit.State("hot").Coolant, 1e-9)

	tr.Parts[at].Settings = "at a hundred"
	assert.Contains(t, strings.Join(tr.Look().Wrong, "\n"), "TS", "what cannot be read is said, and where")
	for _, odd := range []string{"1: 5/5e99", "1: -/5", "1: 92/87, 1: 92/87", "c: 90/80", strings.Repeat("1: 92/87, ", 60)} {
		tr.Parts[at].Settings = odd
		assert.NotPanics(t, func() { tr.Look() }, odd)
	}
}
