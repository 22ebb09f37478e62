package jobs

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/instruct"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/web/room"
)

// The command table: every state commanded one after the other, and what each fan did in it. It is the single most
// telling observation, so it is entered as one: a touch a fan and a state, and one Record for the whole pass.

// commandTable is that table as a form.
type commandTable struct {
	Rows []commandRow
}

// commandRow is one state of it.
type commandRow struct {
	State string
	How   string // it is brought about
	Cells []commandCell
}

// commandCell is one fan in it.
type commandCell struct {
	Field, Other string // names of the form's two fields: the usual words, and the rare ones
	Fan, Label   string
	Said         string // what it did when last looked at in the set-up as it is
	Same         string // a state in which it ran: it may do the same here
	Good         string // what it does on a car with nothing wrong
}

// usualWords are a touch each; the rest of what a fan can do is chosen from a list.
var (
	usualWords = []string{string(electric.Stopped), string(electric.Slow), string(electric.Fast)}
	rareWords  = slices.DeleteFunc(slices.Clone(probe.FanWords), func(w string) bool { return slices.Contains(usualWords, w) })
)

// Whole is what all fans of the row do on a car with nothing wrong, in words; empty where one of them has no word for one touch.
func (r commandRow) Whole() string {
	var said []string
	for _, c := range r.Cells {
		if !slices.Contains(usualWords, c.Good) {
			return ""
		}
		said = append(said, c.Good)
	}
	return strings.Join(said, ", ")
}

// Usual and Rare are the words of a cell.
func (commandCell) Usual() []string { return usualWords }

// Rare words also hold that a fan does the same here as in a state above.
func (c commandCell) Rare() []string {
	if c.Same == "" {
		return rareWords
	}
	return append([]string{sameAs + c.Same}, rareWords...)
}

// commands makes the table of a job as the car stands.
func (j *jobAt) commands(kit probe.Kit) *commandTable {
	now := instruct.Now{Setup: j.state.Ledger, Kit: kit}
	said := j.lastSeen()
	t := &commandTable{}
	ran := map[string]string{} // by fan, the last state above in which it should run
	for i, s := range j.file.Drawn.States {
		_, how, _ := strings.Cut(instruct.State(j.file.Drawn, s, now), ": ") // its name stands above it
		row := commandRow{State: s.Name, How: room.Capitalise(how)}
		for k, fan := range j.file.Drawn.Fans() {
			row.Cells = append(row.Cells, commandCell{
				Field: fmt.Sprintf("fan-%d-%d", i, k), Other: fmt.Sprintf("other-%d-%d", i, k), Fan: fan.Name, Label: fan.Label,
				Said: said[s.Name][fan.Name], Same: ran[fan.Name],
			})
		}
		if p, err := j.file.Model.Solve(electric.Condition{State: s}); err == nil {
			for name, m := range p.Motors {
				if m.Speed != electric.Stopped {
					ran[name] = s.Name
				}
			}
			for k := range row.Cells {
				if m, fan := p.Motors[row.Cells[k].Fan]; fan {
					row.Cells[k].Good = string(m.Speed)
				}
			}
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// lastSeen is what each fan did in each state when last looked at with the set-up as it is now.
func (j *jobAt) lastSeen() map[string]map[string]string {
	said := map[string]map[string]string{}
	key := probe.SetupKey(j.state.Ledger)
	for i := range j.state.Seen {
		o := &j.state.Seen[i]
		if setup, err := o.Held(j.file.Drawn); o.Fans() != nil && err == nil && probe.SetupKey(setup) == key {
			said[o.State] = o.Fans()
		}
	}
	return said
}

// tableFirst tells whether the table stands in the place of one move: asked for, or nothing has been looked at yet.
func (j *jobAt) tableFirst(r jobRequest) bool {
	return r.table || len(r.own) == 0 && r.move == 0 && r.place == "" && r.round == "" && r.back == "" && !j.looked()
}

// looked tells whether any fan has been looked at yet.
func (j *jobAt) looked() bool {
	return slices.ContainsFunc(j.state.Seen, func(o probe.Observation) bool { return o.Fans() != nil })
}

// readTable reads a pass of commands from the form: an observation a state in which a fan has a word.
func readTable(c *gin.Context, circuit *harness.Circuit, setup []electric.Action) []probe.Observation {
	var list []probe.Observation
	said := map[string]map[string]string{} // in the rows above
	for i, s := range circuit.States {
		fans := map[string]string{}
		for k, fan := range circuit.Fans() {
			word := firstOf(c.PostForm(fmt.Sprintf("other-%d-%d", i, k)), c.PostForm(fmt.Sprintf("fan-%d-%d", i, k)))
			if word = asBefore(word, fan.Name, said); word != "" {
				fans[fan.Name] = word
			}
		}
		said[s.Name] = fans
		if len(fans) > 0 {
			list = append(list, probe.Seen(s.Name, fans, probe.SetupWords(setup)...))
		}
	}
	return list
}

// recordTable writes a whole pass of commands, an entry a state.
func (a *Jobs) recordTable(c *gin.Context) {
	a.write(c, func(j *jobAt) ([]job.Entry, error) {
		list := readTable(c, j.file.Drawn, j.state.Ledger)
		if len(list) == 0 {
			return nil, refusedFor(errors.New("say of at least one state what a fan did"))
		}
		entries, err := j.seen(list)
		if err != nil {
			return nil, err
		}
		return append(entries, passed(j.state.Ledger)...), nil
	})
}

// seen makes the entries of observations taken with the set-up as it is.
func (j *jobAt) seen(list []probe.Observation) ([]job.Entry, error) {
	var entries []job.Entry
	for i := range list {
		o := &list[i]
		test, err := o.Test(j.file.Drawn)
		if err == nil {
			_, err = j.file.Model.Network(test.Setup, nil)
		}
		if err != nil {
			return nil, refused("%s: %s.", room.Capitalise(o.State), strings.TrimSuffix(err.Error(), "."))
		}
		good := j.file.Guide.Healthy(test)
		entries = append(entries, job.Entry{Body: job.Reading{Seen: *o, Good: &good}})
	}
	return entries, nil
}

// fanWords are what can be said of a fan in a state: the usual words, and that it does the same as in another state, where it ran.
func (j *jobAt) fanWords(fan string, state *harness.State) []string {
	words := slices.Clone(probe.FanWords)
	said := j.lastSeen()
	for _, s := range j.file.Drawn.States {
		if word := said[s.Name][fan]; s != state && word != "" && word != string(electric.Stopped) {
			words = append(words, sameAs+s.Name)
		}
	}
	return words
}
