package jobs

import (
	"context"
	"fmt"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/job"
)

// newer says what would change for a job that went by the newest revision of its harness.
type newer struct {
	Number int    // of the revision
	Text   string // what changes
}

// newerRevision looks whether an open job could go by a newer revision; a closed one never moves. One
// that differs only in where the parts stand on the drawing is none.
func (a *Jobs) newerRevision(ctx context.Context, j *jobAt) (*newer, error) {
	if j.state.Closed || j.Newest == j.Revision {
		return nil, nil
	}
	h, err := a.keep.Revision(ctx, j.Newest)
	if err != nil {
		return nil, err
	}
	if circuitOf(h.Source) == circuitOf(j.Source) {
		return nil, nil
	}
	b, err := a.circuits.Get(h.Source)
	if err != nil || b.Guide == nil {
		return nil, nil // nobody is led to what cannot be worked with
	}
	return &newer{h.Number, job.Moving(j.file.Drawn, b.Drawn, j.entries)}, nil
}

// circuitOf is a file without its drawing's places.
func circuitOf(source string) string {
	text, _ := harness.SplitPlaces(source)
	return text
}

// moveJob takes an open job to the newest revision of its harness, by an entry that says what changes
// and can be struck.
func (a *Jobs) moveJob(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	target, err := a.keep.Revision(c.Request.Context(), j.Newest)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.change(c, j, fmt.Sprintf("/jobs/%d", j.ID), nil, func(j *jobAt) ([]job.Entry, error) {
		if j.Newest != target.Revision || j.Revision == target.Revision {
			return nil, refused("The harness has changed again meanwhile, or the job goes by that revision already; look again.")
		}
		b, err := a.circuits.Get(target.Source)
		if err != nil || b.Guide == nil {
			return nil, refused("With the newer harness nothing can be diagnosed; the job stays with the one it has.")
		}
		text := fmt.Sprintf("revision %d instead of %d; %s", target.Number, j.Number, job.Moving(j.file.Drawn, b.Drawn, j.entries))
		return []job.Entry{{Kind: job.Moved, Body: job.Body{Revision: target.Revision, Text: text}}}, nil
	})
}
