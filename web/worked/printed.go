package worked

import (
	"context"
	"fmt"
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"ironthread/core/printed"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
)

// PageKeeper has the pages of circuits.
type PageKeeper interface {
	HarnessNamed(ctx context.Context, name string) (store.Harness, error)
	Printed(ctx context.Context, harness, revision int64) (*store.Printing, error)
}

// PictureKeeper has their pictures.
type PictureKeeper interface {
	PageOf(ctx context.Context, harness, on int64, number int) (store.PrintedPage, error)
}

// printedCookie keeps whether the person at this browser looks at the page as printed, or at the drawing.
const printedCookie = "paper"

// AsPrinted tells whether pages are shown as printed; what the address says is kept from then on.
func AsPrinted(c *gin.Context) bool {
	switch c.Query("paper") {
	case "printed":
		room.Keep(c, printedCookie, "printed")
		return true
	case "drawn":
		room.Keep(c, printedCookie, "")
		return false
	}
	kept, err := c.Cookie(printedCookie)
	return err == nil && kept == "printed"
}

// Pages are a circuit's pages and where its pins stand on them; none where it has none.
type Pages struct {
	harness, on int64 // the circuit, and the revision that they were laid on

	pages  []drawing.Page
	places printed.Places
}

// PagesOf reads the pages of a circuit by its name: those of a revision, or with 0 those of the text that the circuit has now.
func PagesOf(ctx context.Context, keep PageKeeper, name string, revision int64) (*Pages, error) {
	p := &Pages{}
	if name == "" {
		return p, nil
	}
	h, err := keep.HarnessNamed(ctx, name)
	if err != nil {
		return p, err
	}
	if revision == 0 {
		revision = h.Revision
	}
	of, err := keep.Printed(ctx, h.ID, revision)
	if err != nil {
		return p, err
	}
	p.places, p.harness, p.on = of.Places, h.ID, of.On
	for _, x := range of.Pages {
		p.pages = append(p.pages, drawing.Page{Number: x.Number, Width: x.Width, Height: x.Height,
			URL: fmt.Sprintf("/harnesses/%s/pages/%d?on=%d", url.PathEscape(name), x.Number, of.On)})
	}
	return p, nil
}

// Any tells whether there is a page.
func (p *Pages) Any() bool { return len(p.pages) > 0 }

// Paper is the pages with what is laid over them; nil where there are none, or where the drawing is looked at.
func (p *Pages) Paper(c *gin.Context, look *drawing.Look) *Paper {
	if !p.Any() || !AsPrinted(c) {
		return nil
	}
	return &Paper{Svg: drawing.Printed(slices.Clone(p.pages), p.places, look), Says: drawing.Described(look, look)}
}

// CutOut is the same as a JPEG of the page's own picture, nil where they have none; see [drawing.CutOut].
func (p *Pages) CutOut(ctx context.Context, keep PictureKeeper, names ...string) ([]byte, error) {
	return drawing.CutOut(p.pages, p.places, func(number int) ([]byte, error) {
		page, err := keep.PageOf(ctx, p.harness, p.on, number)
		return page.JPEG, err
	}, names...)
}

// Crop is what stands round places on their page; empty where they have none.
func (p *Pages) Crop(names ...string) drawing.Picture {
	return drawing.Crop(p.pages, p.places, names...)
}
