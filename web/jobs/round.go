package jobs

import (
	"errors"
	"fmt"
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
)

// A plug round in one pass: the lamp or the red lead goes from cavity to cavity of one part, as the car stands, and all that was
// read is recorded at once. What a good circuit reads stands beside each, so that the odd one out is seen while one is at it.

type roundWith struct {
	Do    probe.Do
	Title string
}

var errNoRound = errors.New("a round is made with a lamp or with volts")

// roundsWith are the instruments that a round is made with.
var roundsWith = []roundWith{{probe.Lamp, "A lamp at each of its terminals"}, {probe.Volts, "Volts at each of its terminals"}}

// round is that pass as a form.
type round struct {
	Part, State, Title string
	Do                 probe.Do
	Setup              []string
	Words              []string // what an answer may be, where it is no figure
	Cells              []roundCell
}

// roundCell is one terminal of it.
type roundCell struct {
	Field, Name string
	To          []string // where its wires go
	Good        string   // what a good circuit reads there
}

func roundURL(j *jobAt, part, state string, do probe.Do) string {
	q := url.Values{"state": {state}, "round": {part}, "do": {string(do)}}
	return fmt.Sprintf("/jobs/%d?%s", j.ID, q.Encode())
}

// roundField is the form's field of a part's terminal.
func roundField(k int) string { return fmt.Sprintf("cavity-%d", k) }

// roundAsked makes the round of a part in a state.
func (j *jobAt) roundAsked(state *harness.State, name, do string) (*round, error) {
	part := j.file.Drawn.Part(name)
	if part == nil {
		return nil, fmt.Errorf("there is no part %s in this circuit", name)
	}
	r := &round{Part: part.Name, State: state.Name, Setup: probe.SetupWords(j.state.Ledger)}
	for _, with := range roundsWith {
		if string(with.Do) == do {
			r.Do, r.Title = with.Do, with.Title
		}
	}
	if r.Do == "" {
		return nil, errNoRound
	}
	for k, pin := range j.cavities(part) {
		q := probe.Question{Do: r.Do, State: r.State, Setup: r.Setup, At: pin.String()}
		t, err := q.Test(j.file.Drawn)
		if err != nil {
			return nil, err
		}
		if kind, worded := t.Kind().(probe.Worded); worded {
			r.Words = kind.Words(t)
		}
		good := j.file.Guide.Healthy(t)
		cell := roundCell{Field: roundField(k), Name: j.file.Drawn.Terminal(pin), Good: good.String()}
		for _, w := range j.file.Drawn.Wires {
			switch pin {
			case w.From:
				cell.To = append(cell.To, w.To.String())
			case w.To:
				cell.To = append(cell.To, w.From.String())
			}
		}
		r.Cells = append(r.Cells, cell)
	}
	return r, nil
}

// recordRound writes what was read at each terminal of a part, an entry each.
func (a *Jobs) recordRound(c *gin.Context) {
	a.write(c, func(j *jobAt) ([]job.Entry, error) {
		state := j.file.Drawn.State(c.PostForm("state"))
		part := j.file.Drawn.Part(c.PostForm("part"))
		if state == nil || part == nil {
			return nil, refusedFor(errors.New("it is not clear of which part and in which state that was read; choose the round again"))
		}
		if setup := probe.SetupWords(j.state.Ledger); !slices.Equal(setup, c.PostFormArray("setup")) {
			return nil, refusedFor(errors.New("the car stands otherwise now than when the round was begun; begin it again"))
		}
		var list []probe.Observation
		for k, pin := range j.cavities(part) {
			said := c.PostForm(roundField(k))
			if said == "" {
				continue
			}
			do := probe.Do(c.PostForm("do"))
			if !slices.ContainsFunc(roundsWith, func(r roundWith) bool { return r.Do == do }) {
				return nil, refusedFor(errNoRound)
			}
			q := probe.Question{Do: do, State: state.Name, Setup: probe.SetupWords(j.state.Ledger), At: pin.String()}
			o, err := q.Answered(said)
			if err != nil {
				return nil, refusedFor(fmt.Errorf("%s: %w", pin, err))
			}
			list = append(list, o)
		}
		if len(list) == 0 {
			return nil, refusedFor(errors.New("enter what was read at one terminal at least"))
		}
		return j.seen(list)
	})
}
