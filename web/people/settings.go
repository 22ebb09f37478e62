package people

import (
	"context"
	"net/http"

	"github.com/gin-gonic/gin"

	"ironthread/web/room"
)

// What a workshop sets for all who work in it is kept in the database; whoever leads sets it.

// Settings keeps it.
type Settings interface {
	Setting(ctx context.Context, name string, value any) (bool, error)
	Set(ctx context.Context, name string, value any) error
}

// Set is what a workshop has set.
type Set struct {
	ArchiveDays int  `json:"archive-days" form:"archive" says:"the days" binding:"min=0,max=36500"` // 0: only by hand
	LeadsSecond bool `json:"leads-second" form:"second"`                                            // leads have a second step at signing in
}

// setting reads it.
type setting interface {
	Setting(ctx context.Context, name string, value any) (bool, error)
}

const settingsName = "workshop"

// SetOf reads what a workshop has set; where it has set nothing, jobs leave the Bay by hand alone.
func SetOf(ctx context.Context, keep setting) (set Set, err error) {
	_, err = keep.Setting(ctx, settingsName, &set)
	return set, err
}

type settingsPage struct {
	room.Frame
	Set Set
}

func (a *People) settings(c *gin.Context) {
	set, err := SetOf(c.Request.Context(), a.keep)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.showSettings(c, http.StatusOK, set, nil)
}

func (a *People) showSettings(c *gin.Context, status int, set Set, wrong error) {
	p := settingsPage{Frame: a.Frame(c, "Settings of the workshop", ""), Set: set}
	if wrong != nil {
		p.Refuse(wrong)
	} else if c.Query("done") != "" {
		p.Notice = "Kept."
	}
	a.Render(c, status, "settings.html", p)
}

func (a *People) setSettings(c *gin.Context) {
	var set Set
	if err := room.Bind(c, &set); err != nil {
		a.showSettings(c, http.StatusUnprocessableEntity, set, err)
		return
	}
	if err := a.keep.Set(c.Request.Context(), settingsName, set); err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/settings?done=1")
}
