package circuits

import (
	"errors"
	"net/http"
	"net/url"
	"strconv"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/store"
	"ironthread/web/room"
)

// place puts one part of a drawing where a hand has dragged it. The file keeps it there.
func (a *Circuits) place(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	way, _ := strconv.Atoi(c.PostForm("way")) // anything else is a part without ways
	dx, errX := strconv.Atoi(c.PostForm("dx"))
	dy, errY := strconv.Atoi(c.PostForm("dy"))
	if errX != nil || errY != nil || abs(dx) > mostDragged || abs(dy) > mostDragged {
		a.Fail(c, http.StatusUnprocessableEntity, "A part is moved by whole pixels, across and down.")
		return
	}
	drawn, there := b.DrawnWithin(a.Patience)
	if !there {
		a.Fail(c, http.StatusConflict, "The drawing is still being made; move the part once it is there.")
		return
	}
	places, ok := drawn.Put(c.PostForm("part"), way, dx, dy)
	if !ok {
		a.Fail(c, http.StatusUnprocessableEntity, "There is no such part on this drawing.")
		return
	}
	a.keepPlaces(c, h, places)
}

const mostDragged = 20000 // pixels

// tidy forgets every place: the drawing is made anew.
func (a *Circuits) tidy(c *gin.Context) {
	if h, _, ok := a.harnessAt(c); ok {
		a.keepPlaces(c, h, nil)
	}
}

func (a *Circuits) keepPlaces(c *gin.Context, h store.Harness, places []harness.Place) {
	if !a.revise(c, h, h.Title, harness.WithPlaces(h.Source, places)) {
		return
	}
	back := "/harnesses/" + url.PathEscape(h.Name)
	if q := c.Request.URL.RawQuery; q != "" {
		back += "?" + q
	}
	c.Redirect(http.StatusSeeOther, back)
}

// revise saves a harness's text over what this request saw; on failure it has answered.
func (a *Circuits) revise(c *gin.Context, h store.Harness, title, source string) bool {
	switch err := a.keep.ReviseAs(c.Request.Context(), reviser(c), store.Revised{Name: h.Name, Saw: h.Newest, Title: title, Source: source}); {
	case errors.Is(err, store.ErrChanged):
		a.Fail(c, http.StatusConflict, "Somebody else has saved this harness meanwhile; open it again and look.")
	case err != nil:
		a.FailWith(c, err)
	default:
		return true
	}
	return false
}

// reviser is who saves, where people sign in.
func reviser(c *gin.Context) store.Reviser {
	if !room.SignedHere(c) {
		return store.Reviser{}
	}
	return store.Reviser{Name: room.Who(c), Lead: room.Leads(c)}
}

// taken goes to a circuit that has just been added; one that a lead adds is of record at once.
func (a *Circuits) taken(c *gin.Context, added store.Harness, to string) {
	if by := reviser(c); by.Lead {
		if err := a.keep.MakeRecord(c.Request.Context(), added.Name, added.Revision, by.Name, a.Now()); err != nil {
			a.FailWith(c, err)
			return
		}
	}
	c.Redirect(http.StatusSeeOther, to)
}

func abs(x int) int {
	if x < 0 {
		return -x
	}
	return x
}
