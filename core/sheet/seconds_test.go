package sheet_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/sheet"
	"ironthread/library"
)

// A second text at each wire, as its size on the drawing that is built from, lies on no other text and on no line. The boxes are worked
// out here by themselves: letters of 11 pixels are 0.63 of that wide.
func TestSecondTextsLieOnNothing(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	entries, err := library.All()
	require.NoError(t, err)
	type box struct {
		x1, y1, x2, y2 float64
		of             string
	}
	boxed := func(t sheet.Text) box {
		wide := 0.63 * 11 * float64(len([]rune(t.Text)))
		if t.W > 0 {
			wide = float64(t.W - 1)
		}
		return box{float64(t.X), float64(t.Y) - 8, float64(t.X) + wide, float64(t.Y) + 2, t.String()}
	}
	wires, touching := 0, 0
	for _, e := range entries {
		s := sheet.Draw(e.Circuit)
		sizes := map[string]string{}
		for n, w := range e.Circuit.Wires {
			sizes[w.String()] = fmt.Sprintf("%g mm²", []float64{0.75, 2.5, 4, 10}[n%4])
		}
		seconds := s.Seconds(func(wire string) string { return sizes[wire] })
		var taken []box
		for _, x := range s.Texts {
			taken = append(taken, boxed(x))
		}
		for _, l := range s.Lines {
			for _, g := range l.Segments {
				taken = append(taken, box{float64(min(g.X1, g.X2)) - 1, float64(min(g.Y1, g.Y2)) - 1, float64(max(g.X1, g.X2)) + 1,
					float64(max(g.Y1, g.Y2)) + 1, "a line"})
			}
		}
		for _, x := range seconds {
			wires++
			b := boxed(x)
			for _, o := range taken {
				if b.x1 < o.x2 && o.x1 < b.x2 && b.y1 < o.y2 && o.y1 < b.y2 {
					touching++
					t.Logf("%s: %s lies on %s", e.Name, b.of, o.of)
					break
				}
			}
			taken = append(taken, b)
		}
	}
	t.Logf("%d of %d sizes lie on something", touching, wires)
	assert.LessOrEqual(t, touching, 3, "where lines lie so close that nothing is free within half a box")
	assert.Greater(t, wires, 150)
}
