package jobs

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/job"
	"ironthread/web/room"
)

// ledgerEntries is what takes the ledger from one set-up to another.
func ledgerEntries(from, to []electric.Action) []job.Entry {
	var entries []job.Entry
	for _, action := range from {
		if !slices.Contains(to, action) {
			entries = append(entries, job.Entry{Body: job.PutBack{Action: action.String()}})
		}
	}
	for _, action := range to {
		if !slices.Contains(from, action) {
			entries = append(entries, job.Entry{Body: job.Done{Action: action.String()}})
		}
	}
	return entries
}

// backTo is the page that a form leads back to: the list of the verification where it was sent from there, or else the job.
func (j *jobAt) backTo(c *gin.Context) string {
	target := fmt.Sprintf("/jobs/%d", j.ID)
	if c.PostForm("back") == "verify" {
		target += "/verify"
	}
	return target
}

// setUp enters one set-up action in the ledger, or takes it out. A part renewed is a repair, however it
// is entered.
func (a *Jobs) setUp(c *gin.Context) {
	words, err := room.Field(c, "action", "the set-up", room.MaxText)
	if err == nil && c.PostForm("undo") == "" && isRenewal(words) {
		a.repair(c)
		return
	}
	j, ok := a.open(c)
	if !ok {
		return
	}
	a.change(c, j, j.backTo(c), nil, func(j *jobAt) ([]job.Entry, error) {
		if err != nil {
			return nil, refusedFor(err)
		}
		if c.PostForm("undo") != "" {
			action, err := electric.ParseAction(j.file.Drawn, words)
			switch {
			case err != nil:
				return nil, refusedFor(err)
			case !slices.Contains(j.state.Ledger, action):
				return nil, refused("%s is not in the ledger any more.", action)
			}
			return undoing(j.state.Ledger, action), nil
		}
		return j.doing(words)
	})
}

// doing enters a line of set-up actions, which the circuit must be solvable with before they are written down.
func (j *jobAt) doing(line string) ([]job.Entry, error) {
	actions, err := electric.ParseLine(j.file.Drawn, line)
	if err != nil {
		return nil, refusedFor(err)
	}
	return j.doingAll(actions)
}

// doingAll enters set-up actions one after the other.
func (j *jobAt) doingAll(actions []electric.Action) ([]job.Entry, error) {
	var entries []job.Entry
	after := slices.Clone(j.state.Ledger)
	for _, action := range actions {
		switch {
		case isRenewal(action.String()):
			return nil, refused("%s is a repair; enter it by itself.", action)
		case slices.Contains(after, action) && len(actions) == 1:
			return nil, refused("%s is in the ledger already.", action)
		case slices.Contains(after, action):
			continue
		}
		after = append(after, action)
		if _, err := j.file.Model.Network(after, nil); err != nil {
			return nil, refusedFor(err)
		}
		entries = append(entries, job.Entry{Body: job.Done{Action: action.String()}})
	}
	if len(entries) == 0 {
		return nil, refused("The ledger says so already.")
	}
	return entries, nil
}

// undoing takes an action back, and with it what rested on it: with a plug back on its part, a lead on the part's own pins has
// nothing left to hold to.
func undoing(ledger []electric.Action, action electric.Action) []job.Entry {
	entries := []job.Entry{{Body: job.PutBack{Action: action.String()}}}
	left := slices.DeleteFunc(slices.Clone(ledger), func(a electric.Action) bool { return a == action })
	_, fallen := electric.Resting(left)
	for _, a := range fallen {
		entries = append(entries, job.Entry{Body: job.PutBack{Action: a.String(), Why: "it rested on " + action.String()}})
	}
	return entries
}

// setUpAll takes the ledger to a whole set-up at one touch: what a move asks for has been done.
func (a *Jobs) setUpAll(c *gin.Context) {
	a.write(c, func(j *jobAt) ([]job.Entry, error) {
		setup, err := electric.ParseSetup(j.file.Drawn, c.PostFormArray("setup"))
		if err == nil {
			_, err = j.file.Model.Network(setup, nil)
		}
		if err != nil {
			return nil, refusedFor(err)
		}
		entries := ledgerEntries(j.state.Ledger, setup)
		if len(entries) == 0 {
			return nil, refused("The ledger says so already.")
		}
		return entries, nil
	})
}

// strike strikes entries out, each by an entry.
func (a *Jobs) strike(c *gin.Context) {
	seqs := seqsOf(c.PostForm("seq"))
	j, ok := a.open(c)
	if !ok {
		return
	}
	a.change(c, j, j.backTo(c), nil, func(j *jobAt) ([]job.Entry, error) {
		var entries []job.Entry
		for _, seq := range seqs {
			at := slices.IndexFunc(j.state.Beads, func(b job.Bead) bool { return b.Seq == seq && b.Kind() != job.Opened })
			switch {
			case at < 0:
				return nil, refused("There is no such entry to strike out.")
			case j.state.Beads[at].StruckOut:
				return nil, refused("That entry is struck out already.")
			}
			entries = append(entries, job.Entry{Body: job.Strike{Of: seq}})
		}
		if len(entries) == 0 {
			return nil, refused("There is no such entry to strike out.")
		}
		return entries, nil
	})
}

// mostStruck bounds how many entries one touch strikes out: a whole pass of the states of a large circuit.
const mostStruck = 100

// note writes free text into the thread.
func (a *Jobs) note(c *gin.Context) {
	text, err := room.Field(c, "text", "the note", room.MaxText)
	a.write(c, func(j *jobAt) ([]job.Entry, error) {
		switch {
		case err != nil:
			return nil, refusedFor(err)
		case text == "":
			return nil, refused("An empty note was not written.")
		}
		seq := 0
		if c.PostForm("seq") != "" {
			seq = j.beadOf(c.PostForm("seq"))
		}
		return []job.Entry{{Body: job.Note{Text: text, About: seq}}}, nil
	})
}

// hand hands the job over: whoever goes on with it is named in the log, and in the Bay.
func (a *Jobs) hand(c *gin.Context) {
	to, err := room.Field(c, "to", "the name", room.MaxWho)
	a.write(c, func(*jobAt) ([]job.Entry, error) {
		switch {
		case err != nil:
			return nil, refusedFor(err)
		case to == "":
			return nil, refused("Say who goes on with the job.")
		case to == room.Who(c):
			return nil, refused("It is yours already.")
		}
		return []job.Entry{{Body: job.Handing{To: to}}}, nil
	})
}

// newerPage tells a second reader that the log has grown.
type newerPage struct {
	ID   int64
	Saw  int
	More int
}

// since answers the page's poll: nothing new, or how much.
func (a *Jobs) since(c *gin.Context) {
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
	a.Part(c, http.StatusOK, "job.html", "newer", newerPage{id, saw, last - saw})
}
