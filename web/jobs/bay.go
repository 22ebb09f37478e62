package jobs

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/store"
	"ironthread/web/room"
)

// bayPage lists the jobs and starts one.
type bayPage struct {
	room.Frame
	Workshop  string
	Reached   bool // other devices can join
	Jobs      []bayJob
	Find      string
	Show      string        // which of them: "" for all in the Bay, "open", "closed", "archive"
	Shows     []room.Button // to choose which
	Pager     room.Pager
	Vehicles  []store.Vehicle
	Harnesses []store.Harness
	Form      startForm
	Led       bool   // somebody who is here for the first time
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
const jobsListed = 12

// startForm is what starting a job asks: the vehicle by its name, known or new.
type startForm struct {
	Vehicle   string `form:"vehicle" says:"the vehicle's name" binding:"max=80"`
	Harness   int64  `form:"harness"`
	Complaint string `form:"complaint" says:"the complaint" binding:"max=200"`
	Token     string `form:"token"`
}

func (a *Jobs) bay(c *gin.Context) { a.showBay(c, http.StatusOK, startForm{}, "") }

func (a *Jobs) showBay(c *gin.Context, status int, form startForm, wrong string) {
	ctx := c.Request.Context()
	page := bayPage{
		Frame: a.Frame(c, "Bay", "bay"), Workshop: a.Workshop, Reached: a.Reached, Form: form,
		Find:  room.Clip(strings.TrimSpace(c.Query("find")), room.MaxFind),
		Again: c.Request.URL.RequestURI(), Led: led(c),
	}
	page.Notice, page.Bad = wrong, wrong != ""
	page.Pager = room.PagerOf(c, "/", page.Find, jobsListed)
	find := store.Find{Words: page.Find, Limit: jobsListed, From: page.Pager.From}
	page.choose(c.Query("show"), &find)
	lines, of, err := a.keep.Jobs(ctx, find)
	if err == nil {
		page.Vehicles, err = a.keep.Vehicles(ctx)
	}
	if err == nil {
		page.Harnesses, err = a.keep.Titles(ctx)
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	page.Pager.Count(len(lines), of)
	until := time.Now().Add(a.Patience) // for all of them together
	for _, l := range lines {
		one, err := a.standing(ctx, l, until)
		if err != nil {
			a.FailWith(c, err)
			return
		}
		page.Jobs, page.Pending = append(page.Jobs, one), page.Pending || one.pending
	}
	a.Render(c, status, "bay.html", page)
}

// choose is which of the jobs are listed.
func (p *bayPage) choose(show string, find *store.Find) {
	switch show {
	case "open":
		find.Open = true
	case "closed":
		find.Closed = true
	case "archive":
		find.Archived = true
	default:
		show = ""
	}
	p.Show = show
	for _, x := range []struct{ show, words string }{{"", "all"}, {"open", "open"}, {"closed", "closed"}, {"archive", "archive"}} {
		q := url.Values{}
		if p.Find != "" {
			q.Set("find", p.Find)
		}
		if x.show != "" {
			q.Set("show", x.show)
		}
		p.Shows = append(p.Shows, room.Button{Name: x.words, On: x.show == show, URL: strings.TrimSuffix("/?"+q.Encode(), "?")})
	}
}

// standing words how a job stands: as it is kept, or worked out now where it has not been since the
// newest entry.
func (a *Jobs) standing(ctx context.Context, l store.Line, until time.Time) (bayJob, error) {
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
		b.Stage, b.Text = "unreadable", room.Capitalise(err.Error())
		return b, nil
	}
	if at.learnt, err = a.learnt.Experience(ctx); err != nil {
		return b, err
	}
	as, ready, err := at.assess(ctx, max(0, time.Until(until)))
	switch {
	case err != nil:
		b.Stage, b.Text = "unreadable", err.Error()
	case !ready:
		b.Stage, b.Text, b.pending = "open", workingWords(l), true
	default:
		s := standingOf(at.state, as)
		b.Stage, b.Text, b.Share = s.Stage, s.Text, s.Share
	}
	return b, nil
}

func workingWords(l store.Line) string {
	return fmt.Sprintf("%d readings; being worked out", l.Summary.Readings)
}

// hadBefore is the circuit that a vehicle had in its last job; 0 where there is none.
func (a *Jobs) hadBefore(ctx context.Context, vehicle string) (int64, error) {
	list, err := a.keep.Vehicles(ctx)
	if err != nil {
		return 0, err
	}
	for _, v := range list {
		if v.Name == vehicle {
			return v.Had, nil
		}
	}
	return 0, nil
}

// startJob opens a job on a vehicle, known or new, with a harness of the library.
func (a *Jobs) startJob(c *gin.Context) {
	var f startForm
	err := room.Bind(c, &f)
	switch {
	case err != nil:
	case f.Vehicle == "":
		err = errors.New("choose a vehicle, or type the name of a new one")
	case f.Complaint == "":
		err = errors.New("say in a few words what the customer complains of")
	case f.Harness <= 0:
		if f.Harness, err = a.hadBefore(c.Request.Context(), f.Vehicle); err == nil && f.Harness == 0 {
			err = errors.New("choose the fan circuit that the vehicle has")
		}
	}
	if err != nil {
		a.showBay(c, http.StatusUnprocessableEntity, f, room.Sentence(err))
		return
	}
	ctx := c.Request.Context()
	vehicle, err := a.keep.PutVehicle(ctx, f.Vehicle, "")
	if err != nil {
		a.FailWith(c, err)
		return
	}
	id, err := a.keep.OpenJob(ctx, store.NewJob{Vehicle: vehicle, Harness: f.Harness, Title: f.Complaint,
		Who: room.Who(c), At: a.Now(), Token: f.Token})
	switch {
	case errors.Is(err, store.ErrAlready):
		a.showBay(c, http.StatusConflict, startForm{}, "That form was sent before: the job has been started, and stands in the list.")
	case errors.Is(err, store.ErrNotFound):
		a.showBay(c, http.StatusUnprocessableEntity, f, "That vehicle or harness is no longer here; choose again.")
	case err != nil:
		a.FailWith(c, err)
	default:
		a.settle(id)
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d", id))
	}
}
