package room_test

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/web/room"
)

// A page that lies askew is made straight: a mark that was drawn at a known place of the page lies there again, whatever the corners.
func TestAPageIsStraightened(t *testing.T) {
	const wide, high = 800, 600
	quad := [4]room.Corner{{X: 0.1, Y: 0.15}, {X: 0.85, Y: 0.05}, {X: 0.95, Y: 0.9}, {X: 0.05, Y: 0.8}}
	// A point of the page lies, on the picture, where two lines through it cross: by hand, the crossing of the page's diagonals.
	m := image.NewNRGBA(image.Rect(0, 0, wide, high))
	for i := range m.Pix {
		m.Pix[i] = 255
	}
	a, b, c, d := quad[0], quad[2], quad[1], quad[3]
	s := ((c.X-a.X)*(d.Y-c.Y) - (c.Y-a.Y)*(d.X-c.X)) / ((b.X-a.X)*(d.Y-c.Y) - (b.Y-a.Y)*(d.X-c.X))
	x, y := int((a.X+s*(b.X-a.X))*(wide-1)), int((a.Y+s*(b.Y-a.Y))*(high-1))
	for dx := -4; dx <= 4; dx++ {
		for dy := -4; dy <= 4; dy++ {
			m.SetNRGBA(x+dx, y+dy, color.NRGBA{A: 255})
		}
	}
	var raw bytes.Buffer
	require.NoError(t, png.Encode(&raw, m))
	taken, err := room.TakenPage(t.Context(), raw.Bytes())
	require.NoError(t, err)
	p, err := room.Straighten(t.Context(), taken.Taken, quad, 0)
	require.NoError(t, err)
	straight, _, err := image.Decode(bytes.NewReader(p.JPEG))
	require.NoError(t, err)
	darkest, at := uint32(1<<17), image.Point{}
	for py := range p.Height {
		for px := range p.Width {
			if r, _, _, _ := straight.At(px, py).RGBA(); r < darkest {
				darkest, at = r, image.Pt(px, py)
			}
		}
	}
	assert.InDelta(t, p.Width/2, at.X, 6, "the diagonals of the page cross in its middle")
	assert.InDelta(t, p.Height/2, at.Y, 6)
	turned, err := room.Straighten(t.Context(), taken.Taken, quad, 1)
	require.NoError(t, err)
	assert.Equal(t, [2]int{p.Height, p.Width}, [2]int{turned.Width, turned.Height})

	for _, bad := range [][4]room.Corner{{{X: -1}}, {{X: 0.1, Y: 0.1}, {X: 0.1, Y: 0.1}, {X: 0.1, Y: 0.1}, {X: 0.1, Y: 0.1}},
		{quad[0], quad[3], quad[2], quad[1]}} {
		_, err := room.Straighten(t.Context(), taken.Taken, bad, 0)
		assert.Error(t, err)
	}
	_, err = room.TakenPage(t.Context(), []byte("no picture"))
	assert.ErrorContains(t, err, "JPEG, PNG and PDF")
}

// A page of 12 megapixels, from the bytes of a phone's photograph to the page that can be tapped, and straightened.
func BenchmarkAPageOfTwelveMegapixels(b *testing.B) {
	m := image.NewNRGBA(image.Rect(0, 0, 4000, 3000))
	for i := range m.Pix {
		m.Pix[i] = byte(i * 31)
	}
	var raw bytes.Buffer
	require.NoError(b, jpeg.Encode(&raw, m, nil))
	b.Run("taken in", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			_, err := room.TakenPage(b.Context(), raw.Bytes())
			require.NoError(b, err)
		}
	})
	taken, err := room.TakenPage(b.Context(), raw.Bytes())
	require.NoError(b, err)
	b.Run("straightened", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			_, err := room.Straighten(b.Context(), taken.Taken, [4]room.Corner{{X: 0.05, Y: 0.04}, {X: 0.9, Y: 0.08}, {X: 0.95, Y: 0.95},
				{X: 0.02, Y: 0.9}}, 0)
			require.NoError(b, err)
		}
	})
}
