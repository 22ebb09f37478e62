package web

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/job"
	"ironthread/store"
)

// bayPage lists the jobs and starts one.
type bayPage struct {
	frame
	Workshop  string
	Jobs      []bayJob
	Vehicles  []store.Vehicle
	Harnesses []store.Harness
	Form      startForm
	Pending   bool // how some job stands is still being worked out
}

// bayJob is a job and how it stands.
type bayJob struct {
	ID       int64
	Title    string
	Vehicle  string
	Harness  string
	OpenedAt time.Time
	Stage    string // a word: "just begun", "narrowing", "verdict", "closed"
	Standing string // a sentence
	Share    float64
	Out      []string // what the ledger holds
	Closed   bool
	pending  bool
}

type startForm struct{ Vehicle, NewVehicle, Harness, Complaint string }

func (a *App) bay(c *gin.Context) { a.showBay(c, http.StatusOK, startForm{}, "") }

func (a *App) showBay(c *gin.Context, status int, form startForm, wrong string) {
	ctx := c.Request.Context()
	page := bayPage{frame: a.frame(c, "Bay", "bay"), Workshop: a.opts.Workshop, Form: form}
	page.Notice, page.Bad = wrong, wrong != ""
	jobs, err := a.keep.Jobs(ctx)
	if err == nil {
		page.Vehicles, err = a.keep.Vehicles(ctx)
	}
	if err == nil {
		page.Harnesses, err = a.keep.Harnesses(ctx)
	}
	if err != nil {
		a.failWith(c, err)
		return
	}
	all, err := a.keep.AllEntries(ctx)
	if err != nil {
		a.failWith(c, err)
		return
	}
	learnt, err := a.experience(ctx)
	if err != nil {
		a.failWith(c, err)
		return
	}
	until := time.Now().Add(a.opts.Patience) // for all of them together
	for _, j := range jobs {
		one := a.standing(j, all[j.ID], learnt, until)
		page.Jobs, page.Pending = append(page.Jobs, one), page.Pending || one.pending
	}
	a.render(c, status, "bay.html", page)
}

// standing words how a job stands.
func (a *App) standing(j store.Job, entries []job.Entry, learnt diagnose.Experience, until time.Time) bayJob {
	b := bayJob{ID: j.ID, Title: j.Title, Vehicle: j.Vehicle, Harness: j.Harness, OpenedAt: j.OpenedAt}
	bench, err := a.circuits.get(j.Source)
	if err != nil || bench.guide == nil {
		b.Stage, b.Standing = "unreadable", "Its harness cannot be diagnosed."
		return b
	}
	state := job.Fold(bench.circuit, entries)
	for _, action := range state.Ledger {
		if state.Closed && action.Lasts() {
			continue // it is the car's own now
		}
		b.Out = append(b.Out, action.String())
	}
	if state.Closed {
		b.Closed, b.Stage = true, "closed"
		b.Standing = state.Beads[len(state.Beads)-1].Detail
		return b
	}
	state.Now.Learnt = learnt
	as, ready, err := bench.assess(state.Seen, state.Now, max(0, time.Until(until)))
	switch {
	case !ready && err == nil:
		b.pending = true
		b.Stage, b.Standing = "open", fmt.Sprintf("%d readings; being worked out", len(state.Seen))
	case err != nil:
		b.Stage, b.Standing = "unreadable", err.Error()
	case len(state.Seen) == 0:
		b.Stage, b.Standing, b.Share = "just begun", fmt.Sprintf("%d suspects, nothing seen yet", as.Of), 1
	case as.Verdict != nil && as.Verdict.Proven && as.Verdict.Faults[0] == diagnose.NoFault:
		b.Stage, b.Standing = "to verify", "every state as it should be; the list is next"
	case as.Verdict != nil && as.Verdict.Proven:
		b.Stage, b.Standing = "verdict", as.Verdict.Faults[0]+", proven"
	case as.Verdict != nil:
		b.Stage, b.Standing = "nearly there", fmt.Sprintf("%s, %d of its proof to come", as.Verdict.Faults[0], len(as.Verdict.Lacks))
		b.Share = float64(as.Left) / float64(as.Of)
	default:
		b.Stage, b.Standing = "narrowing", fmt.Sprintf("%d of %d suspects left", as.Left, as.Of)
		b.Share = float64(as.Left) / float64(as.Of)
	}
	return b
}

// startJob opens a job on a vehicle, known or new, with a harness of the library.
func (a *App) startJob(c *gin.Context) {
	form := startForm{
		Vehicle: c.PostForm("vehicle"), NewVehicle: strings.TrimSpace(clip(c.PostForm("new-vehicle"), 80)),
		Harness: c.PostForm("harness"), Complaint: strings.TrimSpace(clip(c.PostForm("complaint"), 200)),
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
	id, err := a.keep.OpenJob(ctx, vehicle, harness, form.Complaint, who(c), a.opts.Now())
	switch {
	case errors.Is(err, store.ErrNotFound):
		a.showBay(c, http.StatusUnprocessableEntity, form, "That vehicle or harness is no longer here; choose again.")
	case err != nil:
		a.failWith(c, err)
	default:
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d", id))
	}
}
