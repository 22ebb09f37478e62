package room

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // photographs come as JPEG or PNG
	_ "image/png"
	"io"

	"github.com/disintegration/imaging"
	"github.com/gin-gonic/gin"

	"ironthread/store"
)

// Limits on a photograph.
const (
	MaxPhotoBytes  = 12 << 20
	maxPhotoPixels = 50e6 // of a JPEG, which is what a phone's camera writes
	maxPNGPixels   = 16e6 // of a PNG: a screenshot, or a scan
	maxPhotoSide   = 9000 // the longest that a phone's camera writes, with some to spare
	KeptPixels     = 1600 // of the longer side
	photoQuality   = 82
)

// ReadPhoto reads a photograph that was chosen in a form.
func ReadPhoto(c *gin.Context) (*store.Photo, error) {
	file, err := c.FormFile("photo")
	if err != nil {
		return nil, fmt.Errorf("choose a photograph, JPEG or PNG, of at most %d MB", MaxPhotoBytes>>20)
	}
	f, err := file.Open()
	if err != nil {
		return nil, errors.New("the photograph could not be read")
	}
	defer f.Close()
	raw, err := io.ReadAll(io.LimitReader(f, MaxPhotoBytes))
	if err != nil {
		return nil, errors.New("the photograph could not be read")
	}
	return Rewritten(c.Request.Context(), raw, maxPhotoPixels)
}

// photoSlot lets one photograph be decoded at a time: unpacked, one takes up to a fifth of a gigabyte.
var photoSlot = make(chan struct{}, 1)

// Rewritten makes a photograph small and writes it anew, without what it carried beside the
// picture. It ends with the request.
func Rewritten(ctx context.Context, raw []byte, mostPixels int) (*store.Photo, error) {
	config, format, err := image.DecodeConfig(bytes.NewReader(raw))
	switch {
	case err != nil || format != "jpeg" && format != "png":
		return nil, errors.New("this is no photograph that can be read; JPEG and PNG can")
	case config.Width > maxPhotoSide || config.Height > maxPhotoSide:
		return nil, fmt.Errorf("the photograph is %d by %d pixels, and no side may be longer than %d", config.Width, config.Height, maxPhotoSide)
	case format == "png" && config.Width*config.Height > maxPNGPixels:
		return nil, fmt.Errorf("the picture has more than %.0f million pixels, as a PNG; make it smaller, or a JPEG", maxPNGPixels/1e6)
	case config.Width*config.Height > mostPixels:
		return nil, fmt.Errorf("the photograph has more than %.1f million pixels; make it smaller", float64(mostPixels)/1e6)
	}
	select {
	case photoSlot <- struct{}{}:
		defer func() { <-photoSlot }()
	case <-ctx.Done():
		return nil, errors.New("too many photographs are being taken in just now; try again in a moment")
	}
	if ctx.Err() != nil {
		return nil, errors.New("the photographs took too long to take in; send fewer at once")
	}
	picture, err := imaging.Decode(bytes.NewReader(raw), imaging.AutoOrientation(true))
	if err != nil {
		return nil, errors.New("the photograph is damaged")
	}
	// From very large a plain mean of neighbours is as good, and many times as quick.
	filter := imaging.Lanczos
	if max(config.Width, config.Height) > 3*KeptPixels {
		filter = imaging.Box
	}
	picture = imaging.Fit(picture, KeptPixels, KeptPixels, filter)
	var out bytes.Buffer
	if err := imaging.Encode(&out, picture, imaging.JPEG, imaging.JPEGQuality(photoQuality)); err != nil {
		return nil, errors.New("the photograph could not be kept")
	}
	size := picture.Bounds().Size()
	return &store.Photo{JPEG: out.Bytes(), Width: size.X, Height: size.Y}, nil
}
