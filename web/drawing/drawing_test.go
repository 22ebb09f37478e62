package drawing_test

import (
	"encoding/xml"
	"errors"
	"io"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/sheet"
	"ironthread/library"
	"ironthread/web/drawing"
)

// drawn writes one library circuit in a state, with what is laid over it.
func drawn(t *testing.T, name, state string, lay func(*drawing.Look)) string {
	t.Helper()
	e, err := library.Open(name)
	require.NoError(t, err)
	look := &drawing.Look{}
	if state != "" {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		look.Point, err = m.Solve(electric.Condition{State: e.Circuit.State(state)})
		require.NoError(t, err)
	}
	if lay != nil {
		lay(look)
	}
	var b strings.Builder
	b.WriteString(string(drawing.Sheet(sheet.Draw(e.Circuit), look)))
	return b.String()
}

// wellFormed checks that the drawing is XML, that no text carries markup, and that nothing is
// styled in place: the page's policy forbids it.
func wellFormed(t *testing.T, svg string) {
	t.Helper()
	d := xml.NewDecoder(strings.NewReader(svg))
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return
		}
		require.NoError(t, err)
		if start, ok := token.(xml.StartElement); ok {
			for _, a := range start.Attr {
				assert.NotEqual(t, "style", a.Name.Local)
				assert.False(t, strings.HasPrefix(a.Name.Local, "on"), a.Name.Local)
				assert.NotContains(t, a.Value, "NaN")
				assert.NotContains(t, a.Value, "%!")
			}
		}
	}
}

func TestEveryCircuitInEveryState(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		s := sheet.Draw(e.Circuit)
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		for _, state := range e.Circuit.States {
			p, err := m.Solve(electric.Condition{State: state})
			require.NoError(t, err)
			var b strings.Builder
			b.WriteString(string(drawing.Sheet(s, &drawing.Look{Point: p, PinURL: "/x?pin="})))
			wellFormed(t, b.String())
			for _, part := range e.Circuit.Parts {
				if k := part.Kind(); k != "battery" && k != "ground" && k != "splice" {
					assert.True(t, strings.Contains(b.String(), `data-part="`+part.Name+`"`), "%s: %s is not drawn", e.Name, part.Name)
				}
			}
		}
	}
}

func TestPotentialIsTheKindOfLine(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	plain := drawn(t, "f3-twin-series-parallel", "", nil)
	assert.True(t, strings.Contains(plain, `class="wire plain"`))
	assert.False(t, strings.Contains(plain, "thread"))
	low := drawn(t, "f3-twin-series-parallel", "low", nil)
	for _, class := range []string{"wire battery", "wire between", "wire earth", `class="core"`, `class="thread"`, "energised", ">slow<"} {
		assert.True(t, strings.Contains(low, class), class)
	}
	hot := drawn(t, "f11-equipment-fans", "hot", nil)
	assert.True(t, strings.Contains(hot, "wire floating"), "the resistor between two open contacts floats")
}

func TestWhatIsLaidOver(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	svg := drawn(t, "f3-twin-series-parallel", "low", func(l *drawing.Look) {
		l.Parts = map[string]float64{"F3": 0.6, "K3": 0.2, "M1": 0.03, "F1": 0.001}
		l.Wires = map[string]float64{"F3.b - M2.+": 0.12}
		l.Cleared = map[string]bool{"K2": true}
		l.Away = map[string]string{"K1": "out"}
		l.Readings = map[string]string{"F3.a": "12.4 V"}
		l.Next, l.Black = "F3.b", "M2.-"
		l.PinURL = "/jobs/1?pin="
		l.Expected = map[string]string{"M1.+": "12.5 V"}
		l.Title = `<low> & "high"`
	})
	wellFormed(t, svg)
	for _, want := range []string{
		"url(#hatch3)", "url(#hatch2)", "url(#hatch1)", "part cleared", "part away", ">out<", ">12.4 V<",
		`hx-get="/jobs/1?pin=M1.%2B"`, "M1.+, should read 12.5 V", "pin next", "pin black", "&lt;low&gt; &amp; &#34;high&#34;",
	} {
		assert.True(t, strings.Contains(svg, want), want)
	}
	halos := strings.Join(regexp.MustCompile(`<g class="halo".*?</g>`).FindAllString(svg, -1), "")
	assert.Equal(t, 3+2, strings.Count(halos, `<rect`), "three parts and the two ends of a wire")
}

func TestRolesTakeThePlaceOfPotentials(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	svg := drawn(t, "f3-twin-series-parallel", "low", func(l *drawing.Look) {
		l.Roles = map[string]string{"K1.85": "switched-ground", "F1.b": "fixed-feed", "M2.-": "fixed-ground"}
	})
	assert.True(t, strings.Contains(svg, "role switched-ground"))
	assert.True(t, strings.Contains(svg, "ticks sparse"))
	assert.False(t, strings.Contains(svg, `class="thread"`))
}

func TestStandaloneCarriesItsStyle(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	e, err := library.Open("f12-add-on")
	require.NoError(t, err)
	text := drawing.Standalone(sheet.Draw(e.Circuit), &drawing.Look{Title: "Add-on"})
	wellFormed(t, text)
	assert.True(t, strings.Contains(text, "<style>"))
}

func TestABlownFuseAndABuzzingRelay(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	svg := drawn(t, "f3-twin-series-parallel", "low", func(l *drawing.Look) {
		f := l.Point.Fuses["F3"]
		f.Open = true
		l.Point.Fuses["F3"] = f
		l.Point.Relays["K2"] = "buzzes"
	})
	assert.True(t, strings.Contains(svg, `class="break"`))
	assert.True(t, strings.Contains(svg, ">buzzes<"))
}
