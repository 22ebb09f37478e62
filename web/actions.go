package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/job"
	"ironthread/core/probe"
)

// refuse shows the job again with one sentence; nothing was recorded.
func (a *App) refuse(c *gin.Context, j *jobAt, sentence string) {
	r := jobRequest{state: c.PostForm("state"), own: url.Values{}, notice: sentence, bad: true, status: http.StatusUnprocessableEntity}
	switch at := c.PostForm("at"); {
	case at != "":
		if _, err := j.bench.circuit.FindPin(at); err == nil {
			r.own.Set("pin", at)
			r.own.Set("do", c.PostForm("do"))
			r.own.Set("from", c.PostForm("from"))
		}
	case c.PostForm("do") == string(probe.LookAtFans):
		r.own.Set("look", "1")
	}
	if j.bench.circuit.State(r.state) == nil {
		r.state = ""
	}
	a.showJob(c, j, r)
}

// openForChange is open for an action: a closed job takes none.
func (a *App) openForChange(c *gin.Context) (*jobAt, bool) {
	j, ok := a.open(c)
	if ok && j.state.Closed {
		a.refuse(c, j, "This job is closed; start another for the same vehicle.")
		return nil, false
	}
	return j, ok
}

// write appends to the log and goes back to the page.
func (a *App) write(c *gin.Context, j *jobAt, entries ...job.Entry) {
	a.writeTo(c, j, fmt.Sprintf("/jobs/%d", j.ID), entries...)
}

// writeTo appends to the log and goes to another page of the job.
func (a *App) writeTo(c *gin.Context, j *jobAt, target string, entries ...job.Entry) {
	saw, err := strconv.Atoi(c.PostForm("saw"))
	if err != nil || saw < 0 || saw > j.state.Last {
		saw = j.state.Last
	}
	for i := range entries {
		entries[i].At, entries[i].Who = a.opts.Now(), who(c)
	}
	meanwhile, err := a.keep.Append(c.Request.Context(), j.ID, saw, entries...)
	if err != nil {
		a.failWith(c, err)
		return
	}
	if len(meanwhile) > 0 {
		target += fmt.Sprintf("?others=%d", len(meanwhile))
	}
	c.Redirect(http.StatusSeeOther, target)
}

// ledgerEntries is what takes the ledger from one set-up to another.
func ledgerEntries(from, to []electric.Action) []job.Entry {
	var entries []job.Entry
	add := func(kind job.Kind, a electric.Action) {
		entries = append(entries, job.Entry{Kind: kind, Body: job.Body{Action: a.String()}})
	}
	for _, action := range from {
		if !slices.Contains(to, action) {
			add(job.Undid, action)
		}
	}
	for _, action := range to {
		if !slices.Contains(from, action) {
			add(job.Did, action)
		}
	}
	return entries
}

// setUp enters one set-up action in the ledger, or takes it out.
func (a *App) setUp(c *gin.Context) {
	j, ok := a.openForChange(c)
	if !ok {
		return
	}
	action, err := electric.ParseAction(j.bench.circuit, clip(c.PostForm("action"), maxText))
	if err != nil {
		a.refuse(c, j, capitalise(err.Error())+".")
		return
	}
	holds := slices.Contains(j.state.Ledger, action)
	kind := job.Did
	if c.PostForm("undo") != "" {
		kind = job.Undid
	}
	switch {
	case kind == job.Did && holds:
		a.refuse(c, j, fmt.Sprintf("%s is in the ledger already.", action))
	case kind == job.Undid && !holds:
		a.refuse(c, j, fmt.Sprintf("%s is not in the ledger any more.", action))
	default:
		// The circuit must be solvable with it before it is written down.
		if _, err := j.bench.model.Network(append(slices.Clone(j.state.Ledger), action), nil); err != nil && kind == job.Did {
			a.refuse(c, j, capitalise(err.Error())+".")
			return
		}
		entry := job.Entry{Kind: kind, Body: job.Body{Action: action.String()}}
		if kind == job.Did && (action.Verb == electric.Renewed || action.Verb == electric.RenewedUsed) {
			entry.Kind = job.Repaired // however it is entered
			entry.Body.Fault, entry.Body.Proven = j.foundBy(c, action, a)
		}
		a.write(c, j, entry)
	}
}

// setUpAll takes the ledger to a whole set-up at one touch: what a move asks for has been done.
func (a *App) setUpAll(c *gin.Context) {
	j, ok := a.openForChange(c)
	if !ok {
		return
	}
	setup, err := electric.ParseSetup(j.bench.circuit, c.PostFormArray("setup"))
	if err == nil {
		_, err = j.bench.model.Network(setup, nil)
	}
	if err != nil {
		a.refuse(c, j, capitalise(err.Error())+".")
		return
	}
	entries := ledgerEntries(j.state.Ledger, setup)
	if len(entries) == 0 {
		a.refuse(c, j, "The ledger says so already.")
		return
	}
	a.write(c, j, entries...)
}

// strike strikes an entry out, by an entry.
func (a *App) strike(c *gin.Context) {
	j, ok := a.openForChange(c)
	if !ok {
		return
	}
	seq, _ := strconv.Atoi(c.PostForm("seq")) // zero names none
	for _, b := range j.state.Beads {
		if b.Seq != seq || b.Kind == job.Opened {
			continue
		}
		if b.StruckOut {
			a.refuse(c, j, "That entry is struck out already.")
			return
		}
		a.write(c, j, job.Entry{Kind: job.Struck, Body: job.Body{Seq: seq}})
		return
	}
	a.refuse(c, j, "There is no such entry to strike out.")
}

// note writes free text into the thread.
func (a *App) note(c *gin.Context) {
	j, ok := a.openForChange(c)
	if !ok {
		return
	}
	text := strings.TrimSpace(clip(c.PostForm("text"), maxText))
	if text == "" {
		a.refuse(c, j, "An empty note was not written.")
		return
	}
	seq := 0
	if c.PostForm("seq") != "" {
		seq = j.beadOf(c.PostForm("seq"))
	}
	a.write(c, j, job.Entry{Kind: job.Noted, Body: job.Body{Text: text, Seq: seq}})
}

// newerPage tells a second reader that the log has grown.
type newerPage struct {
	ID   int64
	Saw  int
	More int
}

// since answers the page's poll: nothing new, or how much.
func (a *App) since(c *gin.Context) {
	id, ok := jobID(c)
	saw, err := strconv.Atoi(c.Query("saw"))
	if !ok || err != nil {
		c.Status(http.StatusNoContent)
		return
	}
	last, err := a.keep.LastSeq(c.Request.Context(), id)
	if err != nil || last <= saw {
		c.Status(http.StatusNoContent) // a poll is never worth an alarm
		return
	}
	a.renderPart(c, "newer", newerPage{id, saw, last - saw})
}
