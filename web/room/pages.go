package room

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"sync"
	"time"

	"github.com/disintegration/imaging"
	"github.com/gin-gonic/gin"

	"ironthread/store"
)

// A page of somebody's manual comes as a photograph, a picture or a PDF. A picture is written anew without what it carried beside the
// picture; a PDF is made a picture by poppler's pdftoppm, a page at a time, in a folder of its own, bounded in time and memory. A page
// that was photographed from the side is straightened by its four corners: each point of the straight page is fetched from where it lies
// on the photograph, and nothing is repainted.

// Limits of a page.
const (
	MaxPageBytes  = 24 << 20
	maxPagePixels = 50e6 // of what is taken in
	keptPageSide  = 3000 // of what is kept, its longer side: small print of a page of A3 is legible
	pageQuality   = 85
	pdfWithin     = 20 * time.Second
	pdfBytes      = 512 << 20 // of memory
	pdfSide       = 3000
	mostPDFPage   = 500
)

// ReadPage reads a page that was chosen in a form; of a PDF the page that is asked for.
func ReadPage(c *gin.Context) (*store.PrintedPage, error) {
	file, err := c.FormFile("page")
	if err != nil {
		return nil, fmt.Errorf("choose a photograph, a picture or a PDF of at most %d MB", MaxPageBytes>>20)
	}
	f, err := file.Open()
	if err != nil {
		return nil, errors.New("the page could not be read")
	}
	defer f.Close() // it was only read
	raw, err := io.ReadAll(io.LimitReader(f, MaxPageBytes+1))
	switch {
	case err != nil:
		return nil, errors.New("the page could not be read")
	case len(raw) > MaxPageBytes:
		return nil, fmt.Errorf("the page is larger than %d MB", MaxPageBytes>>20)
	}
	if bytes.HasPrefix(raw, []byte("%PDF-")) {
		number, err := strconv.Atoi(c.DefaultPostForm("number", "1"))
		if err != nil || number < 1 || number > mostPDFPage {
			return nil, fmt.Errorf("say which page of the PDF, from 1 to %d", mostPDFPage)
		}
		if raw, err = pageOfPDF(c.Request.Context(), raw, number); err != nil {
			return nil, err
		}
	}
	return TakenPage(c.Request.Context(), raw)
}

// pageOfPDF makes a picture of one page.
func pageOfPDF(ctx context.Context, pdf []byte, number int) ([]byte, error) {
	program, err := exec.LookPath("pdftoppm")
	if err != nil {
		return nil, errors.New("PDF pages are made pictures by pdftoppm of the package poppler-utils, which is not on this machine; " +
			"take a photograph or a screenshot of the page instead")
	}
	dir, err := os.MkdirTemp("", "page")
	if err != nil {
		return nil, errors.New("the PDF could not be read")
	}
	defer os.RemoveAll(dir) // what is left there hurts nobody
	in := filepath.Join(dir, "in.pdf")
	if err := os.WriteFile(in, pdf, 0o600); err != nil {
		return nil, errors.New("the PDF could not be read")
	}
	ctx, cancel := context.WithTimeout(ctx, pdfWithin)
	defer cancel()
	args := []string{program, "-f", strconv.Itoa(number), "-l", strconv.Itoa(number), "-singlefile", "-scale-to", strconv.Itoa(pdfSide),
		"-jpeg", in, filepath.Join(dir, "out")}
	if limit, err := exec.LookPath("prlimit"); err == nil { // of util-linux, which every Debian has
		args = append([]string{limit, "--as=" + strconv.Itoa(pdfBytes), "--"}, args...)
	}
	cmd := exec.CommandContext(ctx, args[0], args[1:]...) //nolint:gosec // no shell; only the page's number comes from outside, a figure
	cmd.Dir, cmd.Env = dir, []string{"HOME=" + dir, "LC_ALL=C"}
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return nil, errors.New("that page of the PDF takes too long to be made a picture; take a screenshot of it instead")
		}
		return nil, fmt.Errorf("page %d of the PDF cannot be made a picture: is there such a page, and is it not locked by a password?", number)
	}
	b, err := os.ReadFile(filepath.Join(dir, "out.jpg"))
	if err != nil {
		return nil, fmt.Errorf("the PDF has no page %d", number)
	}
	return b, nil
}

// TakenPage writes a picture anew, as it is and as it is shown before it is straightened.
func TakenPage(ctx context.Context, raw []byte) (*store.PrintedPage, error) {
	config, format, err := image.DecodeConfig(bytes.NewReader(raw))
	switch {
	case err != nil || format != "jpeg" && format != "png":
		return nil, errors.New("this is no page that can be read; JPEG, PNG and PDF can")
	case config.Width > maxPhotoSide || config.Height > maxPhotoSide:
		return nil, fmt.Errorf("the page is %d by %d pixels, and no side may be longer than %d", config.Width, config.Height, maxPhotoSide)
	case config.Width < 50 || config.Height < 50:
		return nil, errors.New("the page is too small to be read")
	case config.Width*config.Height > maxPagePixels, format == "png" && config.Width*config.Height > maxPNGPixels:
		return nil, errors.New("the page has too many pixels; make it smaller")
	}
	select {
	case photoSlot <- struct{}{}:
		defer func() { <-photoSlot }()
	case <-ctx.Done():
		return nil, errors.New("too many pictures are being taken in just now; try again in a moment")
	}
	picture, err := imaging.Decode(bytes.NewReader(raw), imaging.AutoOrientation(true))
	if err != nil {
		return nil, errors.New("the picture is damaged")
	}
	if size := picture.Bounds().Size(); max(size.X, size.Y) > keptPageSide {
		picture = imaging.Fit(picture, keptPageSide, keptPageSide, imaging.Box)
	}
	p := &store.PrintedPage{Width: picture.Bounds().Dx(), Height: picture.Bounds().Dy()}
	if p.JPEG, err = jpegOf(picture); err != nil {
		return nil, err
	}
	p.Taken = p.JPEG // until it is straightened
	return p, nil
}

func jpegOf(picture image.Image) ([]byte, error) {
	var out bytes.Buffer
	if err := imaging.Encode(&out, picture, imaging.JPEG, imaging.JPEGQuality(pageQuality)); err != nil {
		return nil, errors.New("the page could not be kept")
	}
	return out.Bytes(), nil
}

// Corner is a corner of the page on the picture that was taken, in shares of its width and height.
type Corner struct{ X, Y float64 }

// Straighten makes the page straight by its corners: upper left, upper right, lower right, lower left; and turns it by quarter turns,
// clockwise.
func Straighten(ctx context.Context, taken []byte, corners [4]Corner, turns int) (*store.PrintedPage, error) {
	select {
	case photoSlot <- struct{}{}:
		defer func() { <-photoSlot }()
	case <-ctx.Done():
		return nil, errors.New("too many pictures are being taken in just now; try again in a moment")
	}
	picture, err := imaging.Decode(bytes.NewReader(taken))
	if err != nil {
		return nil, errors.New("the picture is damaged")
	}
	from := imaging.Clone(picture)
	size := from.Bounds().Size()
	var quad [4]Corner
	for i, c := range corners {
		if !(c.X >= 0 && c.X <= 1 && c.Y >= 0 && c.Y <= 1) {
			return nil, errors.New("a corner lies beside the picture")
		}
		quad[i] = Corner{c.X * float64(size.X-1), c.Y * float64(size.Y-1)}
	}
	side := func(a, b Corner) float64 { return math.Hypot(a.X-b.X, a.Y-b.Y) }
	wide, high := max(side(quad[0], quad[1]), side(quad[3], quad[2])), max(side(quad[0], quad[3]), side(quad[1], quad[2]))
	if wide < 50 || high < 50 || !convex(quad) {
		return nil, errors.New("these are no four corners of a page: go round it, upper left first, clockwise")
	}
	if most := keptPageSide / max(wide, high); most < 1 {
		wide, high = wide*most, high*most
	}
	straight := warp(from, quad, int(wide), int(high))
	switch (turns%4 + 4) % 4 {
	case 1:
		straight = imaging.Rotate270(straight)
	case 2:
		straight = imaging.Rotate180(straight)
	case 3:
		straight = imaging.Rotate90(straight)
	}
	p := &store.PrintedPage{Width: straight.Bounds().Dx(), Height: straight.Bounds().Dy()}
	p.JPEG, err = jpegOf(straight)
	return p, err
}

// convex tells whether four corners go round a page clockwise, none of them within.
func convex(q [4]Corner) bool {
	for i := range q {
		a, b, c := q[i], q[(i+1)%4], q[(i+2)%4]
		if (b.X-a.X)*(c.Y-b.Y)-(b.Y-a.Y)*(c.X-b.X) <= 1 {
			return false
		}
	}
	return true
}

// onto is the projection of the unit square onto four corners: x = (aX·u + bX·v + cX) / (g·u + h·v + 1), and y likewise (P. Heckbert,
// Fundamentals of Texture Mapping and Image Warping, 1989, section 2.2.2; from memory).
type onto struct{ aX, bX, cX, aY, bY, cY, g, h float64 }

func projection(q [4]Corner) onto {
	dx1, dx2, sx := q[1].X-q[2].X, q[3].X-q[2].X, q[0].X-q[1].X+q[2].X-q[3].X
	dy1, dy2, sy := q[1].Y-q[2].Y, q[3].Y-q[2].Y, q[0].Y-q[1].Y+q[2].Y-q[3].Y
	det := dx1*dy2 - dx2*dy1
	p := onto{cX: q[0].X, cY: q[0].Y}
	if det != 0 {
		p.g, p.h = (sx*dy2-dx2*sy)/det, (dx1*sy-sx*dy1)/det
	}
	p.aX, p.bX = q[1].X-q[0].X+p.g*q[1].X, q[3].X-q[0].X+p.h*q[3].X
	p.aY, p.bY = q[1].Y-q[0].Y+p.g*q[1].Y, q[3].Y-q[0].Y+p.h*q[3].Y
	return p
}

// at is where a point of the square lies.
func (p onto) at(u, v float64) (x, y float64) {
	w := p.g*u + p.h*v + 1
	return (p.aX*u + p.bX*v + p.cX) / w, (p.aY*u + p.bY*v + p.cY) / w
}

// warp fetches each point of a straight page from where it lies, between four neighbours.
func warp(from *image.NRGBA, quad [4]Corner, wide, high int) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, wide, high))
	p := projection(quad)
	var rows sync.WaitGroup
	const strips = 4
	for s := range strips {
		rows.Go(func() {
			for y := s; y < high; y += strips {
				for x := range wide {
					fx, fy := p.at((float64(x)+0.5)/float64(wide), (float64(y)+0.5)/float64(high))
					out.SetNRGBA(x, y, between(from, fx, fy))
				}
			}
		})
	}
	rows.Wait()
	return out
}

// between is the colour at a place between four points of a picture.
func between(m *image.NRGBA, x, y float64) color.NRGBA {
	size := m.Bounds().Size()
	x, y = min(max(x, 0), float64(size.X-1)), min(max(y, 0), float64(size.Y-1))
	x0, y0 := int(x), int(y)
	x1, y1 := min(x0+1, size.X-1), min(y0+1, size.Y-1)
	fx, fy := x-float64(x0), y-float64(y0)
	var c [3]uint8
	for k := range c {
		at := func(px, py int) float64 { return float64(m.Pix[py*m.Stride+4*px+k]) }
		c[k] = uint8(at(x0, y0)*(1-fx)*(1-fy) + at(x1, y0)*fx*(1-fy) + at(x0, y1)*(1-fx)*fy + at(x1, y1)*fx*fy + 0.5)
	}
	return color.NRGBA{c[0], c[1], c[2], 255}
}
