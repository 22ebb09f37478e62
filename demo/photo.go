package demo

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"math/rand/v2"

	"ironthread/core/socket"
	"ironthread/library"
	"ironthread/store"
)

// The demo's picture of a box is painted, not taken: the workshop is invented.
const boxWidth, boxHeight, boxMargin = 1200, 800, 70

// paintBox paints a fuse and relay box from above, a slot for every place of its grid.
func paintBox(box *socket.Box) image.Image {
	img := image.NewRGBA(image.Rect(0, 0, boxWidth, boxHeight))
	fill := func(r image.Rectangle, c color.Color) {
		draw.Draw(img, r, image.NewUniform(c), image.Point{}, draw.Src)
	}
	fill(img.Bounds(), color.RGBA{112, 108, 100, 255})
	fill(img.Bounds().Inset(boxMargin/2), color.RGBA{42, 42, 46, 255})
	cell := image.Pt((boxWidth-2*boxMargin)/box.Columns, (boxHeight-2*boxMargin)/box.Rows)
	at := func(row, column int) image.Rectangle {
		corner := image.Pt(boxMargin+column*cell.X, boxMargin+row*cell.Y)
		return image.Rectangle{corner, corner.Add(cell)}.Inset(8)
	}
	for r := range box.Rows {
		for c := range box.Columns {
			fill(at(r, c), color.RGBA{54, 54, 59, 255})
		}
	}
	for _, s := range box.Placed {
		fill(at(s.Row, s.Column), color.RGBA{80, 80, 86, 255})
		fill(at(s.Row, s.Column).Inset(10), color.RGBA{66, 66, 71, 255})
	}
	rng := rand.New(rand.NewPCG(7, 7))
	for range 30000 { // grit
		x, y := rng.IntN(boxWidth), rng.IntN(boxHeight)
		p := img.RGBAAt(x, y)
		d := uint8(rng.IntN(22))
		img.SetRGBA(x, y, color.RGBA{p.R + d, p.G + d, p.B + d, 255})
	}
	return img
}

// photograph lays the painted box under the twin-fan circuit's sockets and marks them.
func photograph(ctx context.Context, keep *store.Store, harness int64) error {
	e, err := library.Open("f3-twin-series-parallel")
	if err != nil {
		return err
	}
	box := socket.Boxes(e.Circuit)[0]
	var b bytes.Buffer
	if err := jpeg.Encode(&b, paintBox(box), &jpeg.Options{Quality: 70}); err != nil {
		return err
	}
	if err := keep.PutPhoto(ctx, harness, store.Photo{Box: box.Name, JPEG: b.Bytes(), Width: boxWidth, Height: boxHeight}); err != nil {
		return err
	}
	for k, s := range box.Placed {
		tag := store.Tag{
			Part: s.Part.Name, Wide: 106, Turn: k % 2 * 2,
			X: 1000 * (boxMargin + (2*s.Column+1)*(boxWidth-2*boxMargin)/box.Columns/2) / boxWidth,
			Y: 1000 * (boxMargin + (2*s.Row+1)*(boxHeight-2*boxMargin)/box.Rows/2) / boxHeight,
		}
		if err := keep.TagPhoto(ctx, harness, box.Name, tag); err != nil {
			return err
		}
	}
	return nil
}
