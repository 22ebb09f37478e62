// Package logbook is where people look back: the closed jobs, what they teach, and what the guide believes
// beforehand because of them.
package logbook

import (
	"cmp"
	"context"
	"embed"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/logbook"
	"ironthread/store"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// Keeper is what this room needs of the store.
type Keeper interface {
	Closed
	Jobs(ctx context.Context, find store.Find) ([]store.Line, int, error)
	Titles(ctx context.Context) ([]store.Harness, error)
	HarnessNamed(ctx context.Context, name string) (store.Harness, error)
	Set(ctx context.Context, name string, value any) error
}

// Logbook serves the page of closed jobs.
type Logbook struct {
	*room.Room
	keep     Keeper
	circuits *worked.Circuits
	learnt   *Learning
}

//go:embed templates/*.html
var templates embed.FS

// New reads the room's templates.
func New(s *room.Shared, keep Keeper, circuits *worked.Circuits, learnt *Learning) (*Logbook, error) {
	r, err := room.New(s, templates)
	if err != nil {
		return nil, fmt.Errorf("logbook: %w", err)
	}
	return &Logbook{r, keep, circuits, learnt}, nil
}

// Routes adds the room's addresses.
func (a *Logbook) Routes(r gin.IRouter) {
	r.GET("/logbook", a.show)
	r.POST("/logbook/reset", a.resetPriors)
}

type logbookPage struct {
	room.Frame
	Search    string
	Lines     []store.Line
	Pager     room.Pager
	Book      *logbook.Book
	Capped    bool // it is of the newest that a search found
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
	counted      = store.Ahead // of those that a search finds, the newest
)

func (a *Logbook) show(c *gin.Context) {
	ctx := c.Request.Context()
	p := logbookPage{Frame: a.Frame(c, "Logbook", "logbook"), Search: room.Clip(strings.TrimSpace(c.Query("find")), room.MaxFind),
		Chosen: c.Query("harness")}
	p.Pager = room.PagerOf(c, "/logbook", p.Search, closedListed)
	lines, of, err := a.lines(ctx, &p)
	var learnt diagnose.Experience
	if err == nil {
		var book *logbook.Book
		book, learnt, err = a.learnt.Counted(ctx)
		p.Book = cmp.Or(p.Book, book)
	}
	var from time.Time
	found := false
	if err == nil {
		found, err = a.keep.Setting(ctx, learnFrom, &from)
	}
	if err == nil {
		p.Harnesses, err = a.keep.Titles(ctx)
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	p.Lines = lines
	p.Pager.Count(len(lines), of)
	if found {
		p.Since = &from
	}
	for _, n := range learnt {
		p.Learnt += n
	}
	if slices.ContainsFunc(p.Harnesses, func(h store.Harness) bool { return h.Name == p.Chosen }) {
		h, err := a.keep.HarnessNamed(ctx, p.Chosen)
		if err != nil {
			a.FailWith(c, err)
			return
		}
		if b, err := a.circuits.Get(h.Source); err == nil && b.Guide != nil {
			p.Priors = b.Guide.Priors(learnt)
			p.Priors = p.Priors[:min(len(p.Priors), priorsListed)]
		}
	}
	a.Render(c, http.StatusOK, "logbook.html", p)
}

// lines lists a page of closed jobs. The book of a search is counted over the newest of those found, which the first page is cut
// from as well.
func (a *Logbook) lines(ctx context.Context, p *logbookPage) (lines []store.Line, of int, err error) {
	find := store.Find{Closed: true, Anywhere: true, Words: p.Search, Limit: closedListed, From: p.Pager.From}
	if p.Search != "" {
		newest := find
		newest.From, newest.Limit = 0, counted
		if lines, of, err = a.keep.Jobs(ctx, newest); err != nil {
			return nil, 0, err
		}
		p.Book, p.Capped = logbook.Sum(summaries(lines)), len(lines) == counted
		if find.From == 0 {
			return lines[:min(len(lines), closedListed)], of, nil
		}
	}
	return a.keep.Jobs(ctx, find)
}

// resetPriors sets the priors back: only jobs closed from now on count.
func (a *Logbook) resetPriors(c *gin.Context) {
	ctx := c.Request.Context()
	var from time.Time
	if c.PostForm("all") == "" { // else: all jobs again
		from = a.Now()
	}
	if err := a.keep.Set(ctx, learnFrom, from); err != nil {
		a.FailWith(c, err)
		return
	}
	a.learnt.Forget()
	c.Redirect(http.StatusSeeOther, "/logbook")
}
