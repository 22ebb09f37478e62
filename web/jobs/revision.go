package jobs

import (
	"fmt"

	"github.com/gin-gonic/gin"

	"ironthread/core/job"
)

// moveJob takes an open job to the newest revision of its harness, by an entry that says what changes
// and can be struck.
func (a *Jobs) moveJob(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	offered, _ := j.Offered()
	target, err := a.keep.Revision(c.Request.Context(), offered)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.change(c, j, fmt.Sprintf("/jobs/%d", j.ID), nil, func(j *jobAt) ([]job.Entry, error) {
		if now, _ := j.Offered(); now != target.Revision || j.Revision == target.Revision {
			return nil, refused("The harness has changed again meanwhile, or the job goes by that revision already; look again.")
		}
		b, err := a.circuits.Get(target.Source)
		if err != nil || b.Guide == nil {
			return nil, refused("With the newer harness nothing can be diagnosed; the job stays with the one it has.")
		}
		text := fmt.Sprintf("revision %d instead of %d; %s", target.Number, j.Number, job.Moving(j.file.Drawn, b.Drawn, j.entries))
		return []job.Entry{{Body: job.Move{Revision: target.Revision, Changes: text}}}, nil
	})
}
