package demo

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/printed"
	"ironthread/demo/pages"
	"ironthread/library"
)

func picture(t *testing.T, name string) image.Image {
	t.Helper()
	b, err := pictures.ReadFile("printed/" + name)
	require.NoError(t, err)
	m, err := jpeg.Decode(bytes.NewReader(b))
	require.NoError(t, err)
	return m
}

// darkest is the darkest grey within so many pixels of a place.
func darkest(m image.Image, x, y, within int) uint8 {
	least := uint8(255)
	for dx := -within; dx <= within; dx++ {
		for dy := -within; dy <= within; dy++ {
			least = min(least, color.GrayModel.Convert(m.At(x+dx, y+dy)).(color.Gray).Y)
		}
	}
	return least
}

// Every pin of a circuit with pages has its place on one of them, and there is ink where it stands, on the page that was photographed
// askew and straightened, too: what is printed at a place was drawn by another hand than what finds it.
func TestPinsStandWhereTheyArePrinted(t *testing.T) {
	for _, l := range allLaid() {
		e, err := library.Open(l.circuit)
		require.NoError(t, err)
		places := l.places().Of(e.Circuit)
		var sheets []image.Image
		for _, name := range l.files {
			sheets = append(sheets, picture(t, name))
		}
		used := map[string]bool{}
		for _, w := range e.Circuit.Wires {
			used[w.From.String()], used[w.To.String()] = true, true
		}
		for pin := range used {
			s, there := places[pin]
			if !there && !strings.Contains(pin, ".") {
				s, there = places[pin+".g"]
			}
			if assert.True(t, there, "%s: %s has no place", l.circuit, pin) {
				m := sheets[s.Page-1]
				size := m.Bounds().Size()
				x, y := s.X*size.X/printed.Whole, s.Y*size.Y/printed.Whole
				assert.Less(t, darkest(m, x, y, 6), uint8(120), "%s: nothing is printed at %s", l.circuit, pin)
				assert.Greater(t, darkest(m, size.X-20, 20, 6), uint8(120), "%s: and in an empty corner there is nothing", l.circuit)
			}
		}
	}
}

// The pictures that ship are those that the scenes draw; "go generate ./demo" makes them anew.
func TestPagesAreCurrent(t *testing.T) {
	staged := pages.Staged()
	for name, scene := range map[string]*pages.Scene{"twin": pages.Twin(), "staged-1": staged[0], "staged-2": staged[1]} {
		kept, fresh := picture(t, name+".jpg"), scene.Draw()
		require.Equal(t, fresh.Bounds().Size(), kept.Bounds().Size(), name)
		off, n := 0.0, 0.0
		for y := 0; y < scene.High; y += 3 {
			for x := 0; x < scene.Wide; x += 3 {
				a, b := color.GrayModel.Convert(kept.At(x, y)).(color.Gray).Y, color.GrayModel.Convert(fresh.At(x, y)).(color.Gray).Y
				off, n = off+float64(max(a, b)-min(a, b)), n+1
			}
		}
		assert.Less(t, off/n, 2.0, "%s is not what its scene draws now", name)
	}
}
