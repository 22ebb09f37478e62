package web

import (
	"context"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/logbook"
	"ironthread/store"
)

// The moment from which closed jobs count into the priors is a setting of the workshop.
const learnFrom = "learn-from"

// learning keeps what is counted over closed jobs for as long as none is added to them.
type learning struct {
	mu      sync.Mutex
	version string
	from    time.Time
	value   diagnose.Experience
	book    *logbook.Book
	until   time.Time // until then nobody asks whether one has been added
}

// learningKept is how long other instances' closings may go unnoticed.
const learningKept = 10 * time.Second

// counted is what the workshop's own closed jobs teach, and their book.
func (a *App) counted(ctx context.Context) (*logbook.Book, diagnose.Experience, error) {
	l := &a.learning
	l.mu.Lock()
	if time.Now().Before(l.until) {
		defer l.mu.Unlock()
		return l.book, l.value, nil
	}
	version := l.version
	from := l.from
	l.mu.Unlock()
	now, err := a.keep.ClosedVersion(ctx)
	if err != nil {
		return nil, nil, err
	}
	var since time.Time
	if _, err := a.keep.Setting(ctx, learnFrom, &since); err != nil {
		return nil, nil, err
	}
	var lines []logbook.Line
	if same := now == version && since.Equal(from); !same {
		if lines, err = a.closedLines(ctx, ""); err != nil {
			return nil, nil, err
		}
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if lines != nil || l.book == nil {
		l.version, l.from, l.book, l.value = now, since, logbook.Sum(lines), logbook.Experience(lines, since)
	}
	l.until = time.Now().Add(learningKept)
	return l.book, l.value, nil
}

// closedLines reads the summaries of closed jobs, for counting.
func (a *App) closedLines(ctx context.Context, words string) ([]logbook.Line, error) {
	list, err := a.keep.ClosedJobs(ctx, words)
	if err != nil {
		return nil, err
	}
	lines := make([]logbook.Line, 0, len(list))
	for _, l := range list {
		lines = append(lines, logbook.Line{Summary: l.Summary})
	}
	return lines, nil
}

// experience is what the workshop's own closed jobs teach.
func (a *App) experience(ctx context.Context) (diagnose.Experience, error) {
	_, value, err := a.counted(ctx)
	return value, err
}

// forget makes the next request ask whether anything has been added.
func (a *App) forget() {
	a.learning.mu.Lock()
	a.learning.until = time.Time{}
	a.learning.mu.Unlock()
}

type logbookPage struct {
	frame
	Search    string
	Lines     []store.Line
	Pager     pager
	Book      *logbook.Book
	Since     *time.Time
	Harnesses []store.Harness
	Chosen    string
	Priors    []diagnose.PriorOf
	Learnt    int // jobs that count
}

// What the logbook's page lists.
const (
	priorsListed = 24
	closedListed = 40
)

func (a *App) logbook(c *gin.Context) {
	ctx := c.Request.Context()
	p := logbookPage{frame: a.frame(c, "Logbook", "logbook"), Search: clip(strings.TrimSpace(c.Query("find")), maxFind),
		Chosen: c.Query("harness")}
	p.Pager = pagerOf(c, "/logbook", p.Search, closedListed)
	lines, of, err := a.keep.Jobs(ctx, store.Find{Closed: true, Words: p.Search, Limit: closedListed, From: p.Pager.From})
	var learnt diagnose.Experience
	if err == nil {
		p.Book, learnt, err = a.counted(ctx)
	}
	if err == nil && p.Search != "" { // the book of those found
		var found []logbook.Line
		found, err = a.closedLines(ctx, p.Search)
		p.Book = logbook.Sum(found)
	}
	var from time.Time
	found := false
	if err == nil {
		found, err = a.keep.Setting(ctx, learnFrom, &from)
	}
	if err == nil {
		p.Harnesses, err = a.keep.Harnesses(ctx)
	}
	if err != nil {
		a.failWith(c, err)
		return
	}
	p.Lines = lines
	p.Pager.count(len(lines), of)
	if found {
		p.Since = &from
	}
	for _, n := range learnt {
		p.Learnt += n
	}
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
