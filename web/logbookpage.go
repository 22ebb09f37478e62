package web

import (
	"context"
	"net/http"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/job"
	"ironthread/core/logbook"
	"ironthread/store"
)

// The moment from which closed jobs count into the priors is a setting of the workshop.
const learnFrom = "learn-from"

// learning keeps the workshop's experience for a little while: it is folded from all logs.
type learning struct {
	mu    sync.Mutex
	until time.Time
	value diagnose.Experience
}

const learningKept = 30 * time.Second

// experience is what the workshop's own closed jobs teach.
func (a *App) experience(ctx context.Context) (diagnose.Experience, error) {
	a.learning.mu.Lock()
	defer a.learning.mu.Unlock()
	if time.Now().Before(a.learning.until) {
		return a.learning.value, nil
	}
	lines, err := a.closedJobs(ctx)
	if err != nil {
		return nil, err
	}
	var from time.Time
	if _, err := a.keep.Setting(ctx, learnFrom, &from); err != nil {
		return nil, err
	}
	a.learning.value, a.learning.until = logbook.Experience(lines, from), time.Now().Add(learningKept)
	return a.learning.value, nil
}

// forget makes the next request count anew.
func (a *App) forget() {
	a.learning.mu.Lock()
	a.learning.until = time.Time{}
	a.learning.mu.Unlock()
}

// closedJobs folds every job and keeps those that are closed.
func (a *App) closedJobs(ctx context.Context) ([]logbook.Line, error) {
	jobs, err := a.keep.Jobs(ctx)
	if err != nil {
		return nil, err
	}
	all, err := a.keep.AllEntries(ctx)
	if err != nil {
		return nil, err
	}
	var lines []logbook.Line
	for _, j := range jobs {
		b, err := a.circuits.get(j.Source)
		if err != nil {
			continue // its harness can no longer be read
		}
		if line, closed := logbook.Add(j.ID, j.Vehicle, j.Title, b.circuit, job.Fold(b.circuit, all[j.ID])); closed {
			lines = append(lines, line)
		}
	}
	return lines, nil
}

type logbookPage struct {
	frame
	Search    string
	Book      *logbook.Book
	Since     *time.Time
	Harnesses []store.Harness
	Chosen    string
	Priors    []diagnose.PriorOf
	Learnt    int // jobs that count
}

const priorsListed = 24

func (a *App) logbook(c *gin.Context) {
	ctx := c.Request.Context()
	p := logbookPage{frame: a.frame(c, "Logbook", "logbook"), Search: clip(c.Query("find"), maxText), Chosen: c.Query("harness")}
	lines, err := a.closedJobs(ctx)
	var from time.Time
	found := false
	if err == nil {
		found, err = a.keep.Setting(ctx, learnFrom, &from)
	}
	var learnt diagnose.Experience
	if err == nil {
		learnt, err = a.experience(ctx)
	}
	if err == nil {
		p.Harnesses, err = a.keep.Harnesses(ctx)
	}
	if err != nil {
		a.failWith(c, err)
		return
	}
	if found {
		p.Since = &from
	}
	for _, n := range learnt {
		p.Learnt += n
	}
	p.Book = logbook.Sum(lines, p.Search)
	for _, h := range p.Harnesses {
		if h.Name != p.Chosen {
			continue
		}
		if b, err := a.circuits.get(h.Source); err == nil && b.guide != nil {
			p.Priors = b.guide.Priors(learnt)
			p.Priors = p.Priors[:min(len(p.Priors), priorsListed)]
		}
	}
	a.render(c, http.StatusOK, "logbook.html", p)
}

// resetPriors sets the priors back: only jobs closed from now on count.
func (a *App) resetPriors(c *gin.Context) {
	ctx := c.Request.Context()
	var from time.Time
	if c.PostForm("all") == "" { // else: all jobs again
		from = a.opts.Now()
	}
	if err := a.keep.Set(ctx, learnFrom, from); err != nil {
		a.failWith(c, err)
		return
	}
	a.forget()
	c.Redirect(http.StatusSeeOther, "/logbook")
}
