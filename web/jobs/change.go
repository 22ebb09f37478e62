package jobs

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/job"
	"ironthread/store"
	"ironthread/web/room"
)

// Whatever is written into a job's log is decided under the job's row lock, by the log as it is then:
// closed or not, what the ledger holds, what is struck out. What takes long (what the evidence leaves)
// is worked out before, for a certain state of the log; if the log has grown meanwhile, it is worked out
// again for the new one. Nothing that enters the log depends on how long something took.

// refusal is why something is not written: one sentence for the page.
type refusal struct{ sentence string }

func (r *refusal) Error() string { return r.sentence }

func refused(format string, args ...any) error { return &refusal{fmt.Sprintf(format, args...)} }

// refusedFor makes a refusal of an error in the user's words.
func refusedFor(err error) error { return &refusal{room.Capitalise(err.Error()) + "."} }

// errGrown says that the log has grown since the evidence was weighed.
var errGrown = errors.New("the log has grown meanwhile")

const closedSentence = "This job is closed; start another for the same vehicle."

// decision is what a handler writes, seeing the job as it stands under the lock.
type decision func(j *jobAt) ([]job.Entry, error)

// open refuses what a closed job's log no longer takes.
func open(decide decision) decision {
	return func(j *jobAt) ([]job.Entry, error) {
		if j.state.Closed {
			return nil, refused(closedSentence)
		}
		return decide(j)
	}
}

// change writes into an open job what a handler decides; see put.
func (a *Jobs) change(c *gin.Context, j *jobAt, target string, show func(j *jobAt, sentence string), decide decision) (grown bool) {
	return a.put(c, j, target, show, open(decide))
}

// put writes what a handler decides and goes to a page of the job; a refusal is shown on the job's
// page, or as show says. It answers the request, unless decide gave errGrown: then it returns true, nothing
// is written, and whoever called weighs again.
func (a *Jobs) put(c *gin.Context, j *jobAt, target string, show func(j *jobAt, sentence string), decide decision) (grown bool) {
	saw, err := strconv.Atoi(c.PostForm("saw"))
	if err != nil || saw < 0 || saw > j.state.Last {
		saw = j.state.Last
	}
	token := c.PostForm("token")
	if token == "" || len(token) > maxToken {
		a.refuse(c, j, "This form is of a page that is out of date; it has been opened anew. Nothing was recorded.")
		return false
	}
	if writer := c.PostForm("writer"); writer != "" && room.SignedHere(c) && writer != room.Who(c) {
		a.Fail(c, http.StatusForbidden, fmt.Sprintf("That entry is %s's: it was kept on this device while %s was signed in. Nothing was "+
			"recorded; it is sent once %s signs in here.", writer, writer, writer))
		return false
	}
	did := ""
	meanwhile, err := a.keep.Append(c.Request.Context(), j.ID, saw, token, func(l *store.Log) ([]job.Entry, error) {
		at, err := a.folded(l.Job, l.Entries)
		if err != nil {
			return nil, err
		}
		at.learnt = j.learnt
		entries, err := decide(at)
		for i := range entries {
			entries[i].At, entries[i].Who = a.Now(), room.Who(c)
		}
		did = didOf(at.state.Last, entries)
		return entries, err
	})
	var no *refusal
	switch {
	case errors.As(err, &no):
		a.showRefusal(c, j.ID, no.sentence, show)
	case errors.Is(err, errGrown):
		return true
	case errors.Is(err, store.ErrAlready):
		c.Redirect(http.StatusSeeOther, withQuery(target, "already", "1"))
	case err != nil:
		a.FailWith(c, err)
	default:
		a.settle(j.ID)
		if len(meanwhile) > 0 {
			target = withQuery(target, "others", strconv.Itoa(len(meanwhile)))
		}
		if did != "" {
			target = withQuery(target, "did", did)
		}
		c.Redirect(http.StatusSeeOther, target)
	}
	return false
}

func withQuery(target, key, value string) string {
	join := "?"
	if strings.Contains(target, "?") {
		join = "&"
	}
	return target + join + key + "=" + value
}

// showRefusal shows the job as it is now, with one sentence; nothing was recorded.
func (a *Jobs) showRefusal(c *gin.Context, id int64, sentence string, show func(j *jobAt, sentence string)) {
	j, ok := a.openJob(c, id)
	switch {
	case !ok:
	case show != nil && !j.state.Closed:
		show(j, sentence)
	default:
		a.refuse(c, j, sentence)
	}
}

// write is change for an action on the job's own page.
func (a *Jobs) write(c *gin.Context, decide decision) {
	if j, ok := a.open(c); ok {
		a.change(c, j, fmt.Sprintf("/jobs/%d", j.ID), nil, decide)
	}
}

// weighed is change for what needs to know what the evidence leaves: that is waited for, with a page that
// shows how far it has come and sends the same form again.
func (a *Jobs) weighed(c *gin.Context, target string, show func(j *jobAt, sentence string),
	decide func(j *jobAt, as *diagnose.Assessment) ([]job.Entry, error)) {
	for range mostWeighed {
		j, ok := a.open(c)
		if !ok {
			return
		}
		if j.state.Closed {
			a.refuse(c, j, closedSentence)
			return
		}
		as, ready, err := j.file.Assess(c.Request.Context(), j.state.Seen, nowOf(c, j), a.Patience)
		if err != nil {
			a.FailWith(c, err)
			return
		}
		if !ready {
			a.showWaiting(c, j)
			return
		}
		grown := a.change(c, j, fmt.Sprintf(target, j.ID), show, func(at *jobAt) ([]job.Entry, error) {
			if at.state.Last != j.state.Last || at.Revision != j.Revision {
				return nil, errGrown
			}
			return decide(at, as)
		})
		if !grown {
			return
		}
	}
	a.Fail(c, http.StatusConflict, "Others are writing to this job just now; nothing of yours was recorded. Try again in a moment.")
}

// mostWeighed bounds how often a log may grow under somebody's hands.
const mostWeighed = 8

// waitingPage shows how far the working out has come, and sends the form again.
type waitingPage struct {
	jobSide
	Done, Of int
	Action   string
	Fields   []formField
}

type formField struct{ Name, Value string }

func (a *Jobs) showWaiting(c *gin.Context, j *jobAt) {
	done, of := j.file.Guide.Progress()
	p := waitingPage{jobSide: a.side(c, j, "job"), Done: done, Of: of, Action: c.Request.URL.Path}
	for name, values := range c.Request.PostForm {
		for _, v := range values {
			p.Fields = append(p.Fields, formField{name, v})
		}
	}
	slices.SortStableFunc(p.Fields, func(x, y formField) int { return strings.Compare(x.Name, y.Name) })
	a.Render(c, http.StatusAccepted, "waiting.html", p)
}

// refuse shows the job again with one sentence; nothing was recorded.
func (a *Jobs) refuse(c *gin.Context, j *jobAt, sentence string) {
	r := jobRequest{state: c.PostForm("state"), own: url.Values{}, notice: sentence, bad: true, status: http.StatusUnprocessableEntity}
	switch at := c.PostForm("at"); {
	case at != "":
		if _, err := j.file.Drawn.FindPin(at); err == nil {
			r.own.Set("pin", at)
			r.own.Set("do", c.PostForm("do"))
			r.own.Set("from", c.PostForm("from"))
		}
	case c.PostForm("do") == "fans":
		r.own.Set("look", "1")
	}
	if j.file.Drawn.State(r.state) == nil {
		r.state = ""
	}
	a.showJob(c, j, r)
}
