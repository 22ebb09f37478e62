package jobs

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/web/room"
)

// The first page of a job: what is not electrical, and what was already done. One form, one Record.

type firstPage struct {
	jobSide
	Asked []job.Asked
	Said  map[string]string // answers in the log by the text of their question
	Done  []string          // what may have been done before
}

func (a *Jobs) first(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := firstPage{jobSide: a.side(c, j, "job"), Asked: job.First(j.file.Drawn), Said: map[string]string{}}
	for _, b := range j.state.Beads {
		if note, ok := b.Body.(job.Note); ok && !b.StruckOut {
			if text, word, found := strings.Cut(note.Text, ": "); found {
				p.Said[text] = word
			}
		}
	}
	for _, part := range j.file.Drawn.Parts {
		if electric.DetachVerb(part.Kind()) != "" {
			p.Done = append(p.Done, part.Name+" "+string(electric.Cleaned), part.Name+" "+string(electric.Renewed))
		}
	}
	a.Render(c, http.StatusOK, "first.html", p)
}

// recordFirst writes the answers: readings as readings, the rest as lines, and what was done before into the ledger.
func (a *Jobs) recordFirst(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	a.change(c, j, fmt.Sprintf("/jobs/%d", j.ID), nil, func(j *jobAt) ([]job.Entry, error) {
		var entries []job.Entry
		for _, asked := range job.First(j.file.Drawn) {
			word := c.PostForm(asked.Key)
			switch {
			case word == "":
				continue
			case !slices.Contains(asked.Words, word):
				return nil, refused("%s: the answer is one of %s.", asked.Text, strings.Join(asked.Words, ", "))
			}
			o := asked.Reading(word)
			if o == nil {
				entries = append(entries, job.Entry{Body: job.Note{Text: asked.Line(word)}})
				continue
			}
			o.Setup = probe.SetupWords(electric.Then(j.state.Ledger, electric.Action{Verb: electric.Unplugged, Part: asked.Part}))
			taken, err := j.seen([]probe.Observation{*o})
			if err != nil {
				return nil, err
			}
			entries = append(entries, taken...)
		}
		for _, words := range strings.FieldsFunc(room.Clip(c.PostForm("done"), room.MaxText), func(r rune) bool { return r == ',' || r == ';' }) {
			action, err := electric.ParseAction(j.file.Drawn, strings.TrimSpace(words))
			if err != nil {
				return nil, refusedFor(err)
			}
			if !action.Lasts() {
				return nil, refused("%s is nothing that was done for good; enter it as a set-up.", action)
			}
			entries = append(entries, job.Entry{Body: job.Done{Action: action.String()}})
		}
		if len(entries) == 0 {
			return nil, refused("Nothing was answered.")
		}
		return entries, nil
	})
}
