package jobs

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/job"
	"ironthread/store"
	"ironthread/web/room"
)

// addPhoto puts a photograph on an entry of the log: made smaller, written anew.
func (a *Jobs) addPhoto(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	text, err := room.Field(c, "text", "the photograph's text", room.MaxText)
	if err == nil {
		err = j.takesPhotos()
	}
	var photo *store.Photo
	if err == nil {
		photo, err = room.ReadPhoto(c)
	}
	if err != nil {
		a.refuse(c, j, room.Sentence(err))
		return
	}
	id, err := a.keep.AddJobPhoto(c.Request.Context(), j.ID, photo.JPEG)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.change(c, j, fmt.Sprintf("/jobs/%d", j.ID), nil, func(j *jobAt) ([]job.Entry, error) {
		if err := j.takesPhotos(); err != nil {
			return nil, refusedFor(err)
		}
		return []job.Entry{{Body: job.Picture{Photo: id, About: j.beadOf(c.PostForm("seq")), Text: text}}}, nil
	})
}

// takesPhotos tells why a job takes no more photographs.
func (j *jobAt) takesPhotos() error {
	switch {
	case j.state.Closed:
		return errors.New(strings.TrimSuffix(closedSentence, "."))
	case len(j.photographs()) >= maxJobPhotos:
		return fmt.Errorf("this job has %d photographs already, the most that it keeps", maxJobPhotos)
	}
	return nil
}

// beadOf is an entry that something may be attached to: the one named, or the newest.
func (j *jobAt) beadOf(text string) int {
	seq, _ := strconv.Atoi(text) // zero names none
	if slices.ContainsFunc(j.state.Beads, func(b job.Bead) bool { return b.Seq == seq }) {
		return seq
	}
	return j.state.Beads[len(j.state.Beads)-1].Seq
}

// jobPhoto hands a photograph out.
func (a *Jobs) jobPhoto(c *gin.Context) {
	id, ok := jobID(c)
	photo, err := strconv.ParseInt(c.Param("photo"), 10, 64)
	if !ok || err != nil {
		a.FailWith(c, store.ErrNotFound)
		return
	}
	b, err := a.keep.JobPhoto(c.Request.Context(), id, photo)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	c.Data(http.StatusOK, "image/jpeg", b)
}
