package drawing_test

import (
	"encoding/json"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/socket"
	"ironthread/library"
	"ironthread/web/drawing"
)

// Every socket of the library in every turn: each cavity once, with its number and reading.
func TestCardsOfEverySocket(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		p, err := m.Solve(electric.Condition{State: e.Circuit.States[0]})
		require.NoError(t, err)
		for _, part := range e.Circuit.Parts {
			for turn := range 4 {
				card, err := socket.Lay(part, socket.View{Turn: turn, Under: turn%2 == 1})
				if err != nil {
					continue // it has no socket
				}
				look := &drawing.CardLook{Point: p, Reads: map[string]string{}, Wires: map[string]string{}, Title: part.Name + " <its socket>"}
				for _, c := range card.Cavities {
					look.Reads[c.Pin.String()] = "reads " + c.Pin.String()
					look.Wires[c.Pin.String()] = "RD/WH & more"
				}
				var b strings.Builder
				b.WriteString(string(drawing.Card(card, look)))
				wellFormed(t, b.String())
				for _, c := range card.Cavities {
					assert.Equal(t, 1, strings.Count(b.String(), ">reads "+c.Pin.String()+"<"), "%s: %s", e.Name, c.Pin)
				}
				assert.Equal(t, len(card.Cavities), strings.Count(b.String(), `class="number"`))
			}
		}
		for _, box := range socket.Boxes(e.Circuit) {
			var b strings.Builder
			b.WriteString(string(drawing.Box(box, "K1", "/harnesses/x/boxes/")))
			wellFormed(t, b.String())
		}
	}
}

var number = regexp.MustCompile(`-?\d+(\.\d+)?`)

// A plot keeps its lines inside its frame, names its series, and bears empty and flat ones.
func TestPlots(t *testing.T) {
	seconds := make([]float64, 2000)
	rising, flat := make([]float64, len(seconds)), make([]float64, len(seconds))
	for i := range seconds {
		seconds[i] = float64(i) / 1000
		rising[i] = 60 * math.Exp(-4*seconds[i])
		flat[i] = 12
	}
	for name, p := range map[string]*drawing.Plot{
		"a start": {
			Title: "Amps <of M1>", Unit: "A", From: 0, To: 2, Origin: true,
			Lines: []drawing.PlotLine{{Name: "M1", Seconds: seconds, Values: rising}, {Name: "M2", Seconds: seconds, Values: flat}},
			Marks: []drawing.PlotMark{{At: 0.5, Text: "F1 opens"}},
		},
		"flat":    {Title: "Volts", Unit: "V", From: 0, To: 2, Lines: []drawing.PlotLine{{Name: "BAT", Seconds: seconds, Values: flat}}},
		"nothing": {Title: "Volts", Unit: "V", From: 0, To: 1},
		"one": {Title: "Volts", Unit: "V", From: 0, To: 1, Lines: []drawing.PlotLine{{Name: "BAT", Seconds: []float64{0},
			Values: []float64{3}}}},
	} {
		var b strings.Builder
		b.WriteString(string(p.Picture()))
		svg := b.String()
		wellFormed(t, svg)
		assert.NotContains(t, svg, "NaN", name)
		assert.NotContains(t, svg, "Inf", name)
		var data struct {
			X     []float64
			Lines []struct{ Values []float64 }
		}
		require.NoError(t, json.Unmarshal([]byte(p.Data()), &data), name)
		for _, l := range data.Lines {
			assert.Len(t, l.Values, len(data.X), name)
		}
		for _, l := range p.Lines {
			assert.Contains(t, svg, ">"+l.Name+"<", name)
		}
		for _, m := range p.Marks {
			assert.Contains(t, svg, m.Text)
		}
		for _, path := range regexp.MustCompile(`class="series[^"]*" d="([^"]*)"`).FindAllStringSubmatch(svg, -1) {
			for _, figure := range number.FindAllString(path[1], -1) {
				v, err := strconv.ParseFloat(figure, 64)
				require.NoError(t, err)
				assert.True(t, v >= 0 && v <= 720, "%s: %s lies outside", name, figure)
			}
		}
	}
}
