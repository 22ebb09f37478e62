package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/store"
)

// bayPage lists the jobs and starts one.
type bayPage struct {
	frame
	Workshop  string
	Jobs      []bayJob
	Find      string
	Pager     pager
	Vehicles  []store.Vehicle
	Harnesses []store.Harness
	Form      startForm
	Pending   bool   // how some job stands is still being worked out
	Again     string // the address to ask again
}

// bayJob is a job and how it stands.
type bayJob struct {
	store.Line
	Stage   string // a word: "just begun", "narrowing", "verdict", "closed"
	Text    string // a sentence
	Share   float64
	pending bool
}

// jobsListed is how many jobs a page lists.
const jobsListed = 20

type startForm struct{ Vehicle, NewVehicle, Harness, Complaint string }

func (a *App) bay(c *gin.Context) { a.showBay(c, http.StatusOK, startForm{}, "") }

func (a *App) showBay(c *gin.Context, status int, form startForm, wrong string) {
	ctx := c.Request.Context()
	page := bayPage{
		frame: a.frame(c, "Bay", "bay"), Workshop: a.opts.Workshop, Form: form, Find: clip(strings.TrimSpace(c.Query("find")), maxFind),
		Again: c.Request.URL.RequestURI(),
	}
	page.Notice, page.Bad = wrong, wrong != ""
	page.Pager = pagerOf(c, "/", page.Find, jobsListed)
	lines, of, err := a.keep.Jobs(ctx, store.Find{Words: page.Find, Limit: jobsListed, From: page.Pager.From})
	if err == nil {
		page.Vehicles, err = a.keep.Vehicles(ctx)
	}
	if err == nil {
		page.Harnesses, err = a.keep.Titles(ctx)
	}
	if err != nil {
		a.failWith(c, err)
		return
	}
	page.Pager.count(len(lines), of)
	until := time.Now().Add(a.opts.Patience) // for all of them together
	for _, l := range lines {
		one, err := a.standing(ctx, l, until)
		if err != nil {
			a.failWith(c, err)
			return
		}
		page.Jobs, page.Pending = append(page.Jobs, one), page.Pending || one.pending
	}
	a.render(c, status, "bay.html", page)
}

// standing words how a job stands: as it is kept, or worked out now where it has not been since the
// newest entry.
func (a *App) standing(ctx context.Context, l store.Line, until time.Time) (bayJob, error) {
	b := bayJob{Line: l}
	switch {
	case l.Summary.Closed:
		b.Stage, b.Text = "closed", l.Summary.Said
		return b, nil
	case l.Standing != nil:
		b.Stage, b.Text, b.Share = l.Standing.Stage, l.Standing.Text, l.Standing.Share
		return b, nil
	case time.Now().After(until):
		b.Stage, b.Text, b.pending = "open", workingWords(l), true
		return b, nil
	}
	j, err := a.keep.Job(ctx, l.ID)
	if err != nil {
		return b, err
	}
	entries, err := a.keep.Entries(ctx, l.ID)
	if err != nil {
		return b, err
	}
	at, err := a.folded(j, entries)
	if err != nil {
		b.Stage, b.Text = "unreadable", capitalise(err.Error())
		return b, nil
	}
	if at.learnt, err = a.experience(ctx); err != nil {
		return b, err
	}
	now := at.state.Now
	now.Learnt = at.learnt
	as, ready, err := at.bench.assess(ctx, at.state.Seen, now, max(0, time.Until(until)))
	switch {
	case err != nil:
		b.Stage, b.Text = "unreadable", err.Error()
	case !ready:
		b.Stage, b.Text, b.pending = "open", workingWords(l), true
	default:
		s := a.keepStanding(ctx, at, as)
		b.Stage, b.Text, b.Share = s.Stage, s.Text, s.Share
	}
	return b, nil
}

func workingWords(l store.Line) string {
	return fmt.Sprintf("%d readings; being worked out", l.Summary.Readings)
}

// startJob opens a job on a vehicle, known or new, with a harness of the library.
func (a *App) startJob(c *gin.Context) {
	form := startForm{Vehicle: c.PostForm("vehicle"), Harness: c.PostForm("harness")}
	var err error
	if form.NewVehicle, err = field(c, "new-vehicle", "the vehicle's name", maxVehicle); err == nil {
		form.Complaint, err = field(c, "complaint", "the complaint", maxComplaint)
	}
	if err != nil {
		a.showBay(c, http.StatusUnprocessableEntity, form, capitalise(err.Error())+".")
		return
	}
	harness, err := strconv.ParseInt(form.Harness, 10, 64)
	switch {
	case form.Complaint == "":
		a.showBay(c, http.StatusUnprocessableEntity, form, "Say in a few words what the customer complains of.")
		return
	case err != nil:
		a.showBay(c, http.StatusUnprocessableEntity, form, "Choose the harness the vehicle has.")
		return
	}
	ctx := c.Request.Context()
	vehicle, err := strconv.ParseInt(form.Vehicle, 10, 64)
	if form.NewVehicle != "" {
		vehicle, err = a.keep.PutVehicle(ctx, form.NewVehicle, "")
		if err != nil {
			a.failWith(c, err)
			return
		}
	} else if err != nil {
		a.showBay(c, http.StatusUnprocessableEntity, form, "Choose a vehicle, or name a new one.")
		return
	}
	id, err := a.keep.OpenJob(ctx, vehicle, harness, form.Complaint, who(c), a.opts.Now(), c.PostForm("token"))
	switch {
	case errors.Is(err, store.ErrAlready):
		a.showBay(c, http.StatusConflict, startForm{}, "That form was sent before: the job has been started, and stands in the list.")
	case errors.Is(err, store.ErrNotFound):
		a.showBay(c, http.StatusUnprocessableEntity, form, "That vehicle or harness is no longer here; choose again.")
	case err != nil:
		a.failWith(c, err)
	default:
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d", id))
	}
}
