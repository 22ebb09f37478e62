package jobs

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/instruct"
	"ironthread/core/job"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// A job as its pages read it: the log folded, the harness that it goes by, how it stands by the guide, and what every
// page beside it shows at its head. Everything else in this room stands on this file.

// maxToken bounds a form's token.
const maxToken = 64

// standingOf words how a job stands.
func standingOf(state *job.State, as *diagnose.Assessment) store.Standing {
	remain := leftOf(state, as)
	left := float64(remain) / float64(max(1, as.Of))
	switch {
	case len(state.Seen) == 0:
		return store.Standing{Stage: "just begun", Text: fmt.Sprintf("%d suspects, nothing seen yet", as.Of), Share: 1}
	case as.Outcome == diagnose.NothingFound:
		return store.Standing{Stage: "nothing found", Text: "every fan as it should be in every state; close it, or go on"}
	case as.Outcome == diagnose.IsMended && as.Verdict == nil:
		return store.Standing{Stage: "to verify", Text: "mended, as it looks; every state as it should be since"}
	case as.Verdict != nil && as.Verdict.Proven && as.Verdict.Faults[0] == diagnose.NoFault:
		return store.Standing{Stage: "to verify", Text: "every state as it should be; the list is next"}
	case as.Verdict != nil && as.Verdict.Proven:
		return store.Standing{Stage: "verdict", Text: as.Verdict.Faults[0] + ", proven"}
	case as.Verdict != nil:
		return store.Standing{Stage: "nearly there", Text: fmt.Sprintf("%s, %d of its proof to come", as.Verdict.Faults[0],
			len(as.Verdict.Lacks)), Share: left}
	}
	return store.Standing{Stage: "narrowing", Text: fmt.Sprintf("%d of %d suspects left", remain, as.Of), Share: left}
}

// leftOf is how many suspects are left. While nothing has been seen nothing is ruled out, however rare some of them are.
func leftOf(state *job.State, as *diagnose.Assessment) int {
	if len(state.Seen) == 0 {
		return as.Of
	}
	return as.Left
}

// leading is the likeliest suspect that is a fault, empty if there is none.
func leading(as *diagnose.Assessment) string {
	for _, s := range as.Suspects {
		if s.Fault != diagnose.NoFault && s.Fault != diagnose.SomethingElse {
			return s.Fault
		}
	}
	return ""
}

// tally is how far a job has come, at its head.
type tally struct {
	Working  bool // what is left is still being worked out
	Left, Of int
	Minutes  float64
}

func jobID(c *gin.Context) (int64, bool) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	return id, err == nil && id > 0
}

// jobAt is a job with its log folded.
type jobAt struct {
	store.Job
	file    *worked.File
	state   *job.State
	entries []job.Entry
	learnt  diagnose.Experience // of the workshop's own closed jobs
}

// open finds the job of a request; on failure it has answered.
func (a *Jobs) open(c *gin.Context) (*jobAt, bool) {
	id, ok := jobID(c)
	if !ok {
		a.FailWith(c, store.ErrNotFound)
		return nil, false
	}
	return a.openJob(c, id)
}

func (a *Jobs) openJob(c *gin.Context, id int64) (*jobAt, bool) {
	ctx := c.Request.Context()
	j, err := a.keep.Job(ctx, id)
	if err != nil {
		a.FailWith(c, err)
		return nil, false
	}
	entries, err := a.keep.Entries(ctx, id)
	if err != nil {
		a.FailWith(c, err)
		return nil, false
	}
	at, err := a.folded(j, entries)
	if err != nil {
		a.Fail(c, http.StatusUnprocessableEntity, room.Sentence(err))
		return nil, false
	}
	if at.learnt, err = a.learnt.Experience(ctx); err != nil {
		a.FailWith(c, err)
		return nil, false
	}
	return at, true
}

// folded is a job with its log folded by the circuit that it goes by. The error says why that circuit
// cannot be worked with; the job's records are untouched by it.
func (a *Jobs) folded(j store.Job, entries []job.Entry) (*jobAt, error) {
	b, err := a.circuits.Get(j.Source)
	if err != nil {
		return nil, fmt.Errorf("the harness of this job cannot be read, so that the job cannot be shown; its log is kept: %w", err)
	}
	if b.Guide == nil {
		return nil, fmt.Errorf("with the harness of this job nothing can be diagnosed; its log is kept: %s", b.Unfit)
	}
	return &jobAt{Job: j, file: b, state: job.Fold(b.Drawn, entries), entries: entries}, nil
}

// pending says how far the working out has come.
type pending struct {
	Done, Of int
	Again    string // the address to ask again
}

func pendingOf(c *gin.Context, j *jobAt) *pending {
	done, of := j.file.Guide.Progress()
	p := &pending{done, of, c.Request.URL.RequestURI()}
	if c.Request.Method != http.MethodGet {
		p.Again = fmt.Sprintf("/jobs/%d", j.ID)
	}
	return p
}

// nowOf is how the car stands, with the person's tools.
func nowOf(c *gin.Context, j *jobAt) diagnose.Now {
	now := j.state.Now
	now.Kit, now.School = room.KitOf(c)
	now.Learnt = j.learnt
	return now
}

// reportPage is a job on paper: what was found, how, what was done, what was verified; and
// half a page in plain words for the owner.
type reportPage struct {
	jobSide
	Workshop string
	Found    []job.Repair
	Verdict  *job.Found
	Also     []string // defects found beside it
	Cleaned  []string
	Verified []job.Answered
	Causes   []job.Answered
	Owner    []string
	Readings []readingLine
	Minutes  float64
	Printed  time.Time

	AtFault  string          // where the fault is, as the page of the circuit has it; empty where it is on none
	OnPage   drawing.Picture // what stands round it there
	PageKept int64           // the same as it was when the job was closed: a photograph of the job
	Excerpt  []byte          // either as a JPEG, where it was asked for
}

// newer says what would change for a job that went by the newest revision of its harness.
type newer struct {
	Number int    // of the revision
	Text   string // what changes
	Unseen bool   // no lead has looked at it
}

// newerRevision looks whether an open job could go by a newer revision; a closed one never moves. One
// that differs only in where the parts stand on the drawing is none.
func (a *Jobs) newerRevision(ctx context.Context, j *jobAt) (*newer, error) {
	offered, unseen := j.Offered()
	if j.state.Closed || offered == j.Revision {
		return nil, nil
	}
	h, err := a.keep.Revision(ctx, offered)
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
	return &newer{h.Number, job.Moving(j.file.Drawn, b.Drawn, j.entries), unseen}, nil
}

// jobSide is what every page beside a job's main one carries.
type jobSide struct {
	room.Frame
	Job   store.Job
	State *job.State
	Tab   string
	Tabs  []tab
	Tally *tally // at the head of the job's own page only
	Saw   int

	Pending *pending // what the page shows is still being worked out
	Just    *did     // what has just been recorded

	Commanded *heldLine // what is commanded at the job's vehicle now

	drawn *harness.Circuit
}

// Gloss is what a fault is called at the car, for beside its spelling.
func (s jobSide) Gloss(fault string) string { return instruct.Gloss(s.drawn, fault) }

// OnCar is what is out, apart, bridged or fed by hand now, as nobody drives.
func (s jobSide) OnCar() []electric.Action {
	return slices.DeleteFunc(slices.Clone(s.State.Ledger), func(a electric.Action) bool { return a.Lasts() || a.Stands() })
}

// Did says what an action has made of the car, as one says it at the bonnet.
func (s jobSide) Did(words string) string { return electric.DoneSpoken(s.drawn, words) }

// PutBack says the same of an action that is taken back.
func (s jobSide) PutBack(words string) string { return electric.BackSpoken(s.drawn, words) }

// PutBackTo is where one stands after something has been put back: on the page that asked.
func (s jobSide) PutBackTo() string { return s.Tab }

func (a *Jobs) side(c *gin.Context, j *jobAt, name string) jobSide {
	s := jobSide{Frame: a.Frame(c, j.Title, "bay"), Job: j.Job, State: j.state, Tab: name, Tabs: tabs, Saw: j.state.Last,
		drawn: j.file.Drawn}
	s.Notice = noticeOf(c)
	s.Just = justDid(c, j)
	if name != "scan" { // which says it all the time
		s.Commanded = a.commanded(j.ID)
	}
	return s
}

// verification holds the log against the list of what must be seen since the last repair.
func (j *jobAt) verification() (*job.Verification, error) {
	list, err := j.file.Checks(j.state.Ledger)
	if err != nil {
		return nil, err
	}
	return job.Verify(j.file.Model, list, j.state), nil
}

// mostMinutes bounds how long a repair took.
const mostMinutes = 10000

// concluded is what the job came to, in the shape in which its record keeps it.
func (j *jobAt) concluded(v *job.Verification, as *diagnose.Assessment) *job.Conclusion {
	return job.Conclude(j.file.Drawn, v, j.state, as, j.Title)
}

func entriesWord(n int) string {
	if n == 1 {
		return "1 entry"
	}
	return strconv.Itoa(n) + " entries"
}

// readingLine is one entry of the log as the report lists it.
type readingLine struct {
	Seq      int
	At       time.Time
	Who      string
	What     string
	Expected string
	Setup    string
	Struck   bool
	Telling  bool
	Notes    []string
	Photos   []int64
}

// circuitOf is a file without its drawing's places.
func circuitOf(source string) string {
	text, _ := harness.SplitPlaces(source)
	return text
}

// tab is one of a job's pages.
type tab struct{ Tab, Path, Label string }

var tabs = []tab{
	{"job", "", "Job"}, {"scan", "/scan", "Scan"}, {"why", "/why", "Why"}, {"believe", "/believe", "Prove me wrong"},
	{"drive", "/drive", "Driving"},
	{"verify", "/verify", "Verify and close"}, {"report", "/report", "Report"},
}

// photographs lists the numbers of a job's photographs, struck ones too.
func (j *jobAt) photographs() []int64 {
	var ids []int64
	for _, e := range j.entries {
		switch b := e.Body.(type) {
		case job.Picture:
			ids = append(ids, b.Photo)
		case job.Closing:
			if b.Page != 0 {
				ids = append(ids, b.Page)
			}
		}
	}
	return ids
}

// noticeOf is what the address says has just happened, in a sentence.
func noticeOf(c *gin.Context) string {
	if n, err := strconv.Atoi(c.Query("others")); err == nil && n > 0 {
		return fmt.Sprintf("Somebody else wrote to this job at the same moment (%s). Both are kept.", entriesWord(n))
	}
	if c.Query("recorded") != "" {
		return "Recorded."
	}
	if c.Query("here") != "" {
		return "This job is here already; it was not taken in again."
	}
	if c.Query("already") != "" {
		return "That form was sent before; what it says is recorded once."
	}
	return ""
}
