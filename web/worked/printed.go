package worked

import (
	"context"
	"fmt"
	"net/url"

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

// Print is a circuit's pages with what is laid over them; has says whether it has pages at all, and the paper is nil where it has none
// or the drawing is looked at.
func Print(c *gin.Context, keep PageKeeper, name string, look *drawing.Look) (paper *Paper, has bool, err error) {
	if name == "" {
		return nil, false, nil
	}
	h, err := keep.HarnessNamed(c.Request.Context(), name)
	if err != nil {
		return nil, false, err
	}
	pages, places, err := keep.Printed(c.Request.Context(), h.ID)
	if err != nil || len(pages) == 0 {
		return nil, false, err
	}
	if !AsPrinted(c) {
		return nil, true, nil
	}
	var list []drawing.Page
	for _, p := range pages {
		list = append(list, drawing.Page{Number: p.Number, Width: p.Width, Height: p.Height,
			URL: fmt.Sprintf("/harnesses/%s/pages/%d", url.PathEscape(name), p.Number)})
	}
	return &Paper{Svg: drawing.Printed(list, places, look), Says: drawing.Described(look, look)}, true, nil
}
