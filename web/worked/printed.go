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
	Printed(ctx context.Context, harness int64) ([]store.PrintedPage, printed.Places, error)
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
	pages  []drawing.Page
	places printed.Places
}

// PagesOf reads the pages of a circuit by its name.
func PagesOf(ctx context.Context, keep PageKeeper, name string) (*Pages, error) {
	p := &Pages{}
	if name == "" {
		return p, nil
	}
	h, err := keep.HarnessNamed(ctx, name)
	if err != nil {
		return p, err
	}
	pages, places, err := keep.Printed(ctx, h.ID)
	if err != nil {
		return p, err
	}
	p.places = places
	for _, x := range pages {
		p.pages = append(p.pages, drawing.Page{Number: x.Number, Width: x.Width, Height: x.Height,
			URL: fmt.Sprintf("/harnesses/%s/pages/%d", url.PathEscape(name), x.Number)})
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

// Crop is what stands round places on their page; empty where they have none.
func (p *Pages) Crop(names ...string) drawing.Picture {
	return drawing.Crop(p.pages, p.places, names...)
}
