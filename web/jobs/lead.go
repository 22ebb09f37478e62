package jobs

import (
	"errors"
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"ironthread/core/job"
	"ironthread/store"
	"ironthread/web/room"
)

// What a lead alone does to a job: go on with a closed one, and take it out of the Bay. The record stays: going on is an entry
// with its reason, and what the job came to before stays in its log.

// reopen lets a closed job go on.
func (a *Jobs) reopen(c *gin.Context) {
	text, err := room.Field(c, "text", "the reason", room.MaxText)
	j, ok := a.open(c)
	if !ok {
		return
	}
	a.put(c, j, fmt.Sprintf("/jobs/%d", j.ID), nil, func(j *jobAt) ([]job.Entry, error) {
		switch {
		case err != nil:
			return nil, refusedFor(err)
		case !j.state.Closed:
			return nil, refused("This job is not closed.")
		case j.state.Drill != nil:
			return nil, refused("What was hidden in this drill has been told; start another.")
		case text == "":
			return nil, refused("Say why the job goes on: the log keeps it.")
		}
		return []job.Entry{{Body: job.Reopening{Why: text}}}, nil
	})
	a.learnt.Forget()
}

// archive takes a closed job out of the Bay, or back into it.
func (a *Jobs) archive(c *gin.Context) {
	id, ok := jobID(c)
	if !ok {
		a.Fail(c, http.StatusNotFound, "There is no such job.")
		return
	}
	back := c.PostForm("back") != ""
	switch err := a.keep.Archive(c.Request.Context(), id, !back); {
	case errors.Is(err, store.ErrNotFound):
		a.Fail(c, http.StatusConflict, "There is no closed job of that number: only a closed one goes into the archive.")
	case err != nil:
		a.FailWith(c, err)
	default:
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d", id))
	}
}
