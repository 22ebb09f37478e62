package jobs

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/web/room"
)

// A whole pass of the verification in one go: what each fan did in every state, the clamp's figures, the temperatures
// of a warm-up, the codes. One form, one Record; what is left empty is not recorded.

// passLine is one check of the list as a form asks it.
type passLine struct {
	repair.Ticked
	URL   string        // the reading by itself, with how it is taken
	Field string        // of an answer that is typed
	Unit  string        // of a figure
	Cells []commandCell // of a look
}

// passLines words the list as the form asks it.
func (j *jobAt) passLines(v *job.Verification) (list, causes []passLine) {
	for i, t := range v.Causes {
		causes = append(causes, passLine{Ticked: t, Field: fmt.Sprintf("cause-%d", i)})
	}
	for i, t := range v.List {
		line := passLine{Ticked: t, URL: answerURL(j, t.Test), Field: fmt.Sprintf("answer-%d", i)}
		if t.Test != nil {
			switch kind := t.Test.Kind().(type) {
			case probe.Looking:
				line.Field = ""
				for k, fan := range j.file.Drawn.Fans() {
					line.Cells = append(line.Cells, commandCell{
						Field: fmt.Sprintf("fan-%d-%d", i, k), Other: fmt.Sprintf("other-%d-%d", i, k), Fan: fan.Name, Label: fan.Label,
					})
				}
			case probe.Figured:
				line.Unit = kind.Unit().Name
			}
		}
		list = append(list, line)
	}
	return list, causes
}

// recordPass writes what the form says of the list.
func (a *Jobs) recordPass(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	show := func(j *jobAt, sentence string) { a.showVerify(c, j, http.StatusUnprocessableEntity, sentence) }
	a.change(c, j, fmt.Sprintf("/jobs/%d/verify", j.ID), show, func(j *jobAt) ([]job.Entry, error) {
		v, err := j.verification()
		if err != nil {
			return nil, err
		}
		var seen []probe.Observation
		var said []job.Entry
		list, causes := j.passLines(v)
		for _, line := range append(list, causes...) {
			o, answer, err := line.read(c)
			switch {
			case err != nil:
				return nil, refused("%s: %s.", line.Text, strings.TrimSuffix(err.Error(), "."))
			case o != nil:
				o.Setup = probe.SetupWords(line.Test.Setup)
				seen = append(seen, *o)
			case answer != "":
				said = append(said, job.Entry{Body: job.Check{Key: line.Key, Answer: line.Answer(answer, room.UnitsOf(c))}})
			}
		}
		if len(seen)+len(said) == 0 {
			return nil, refused("Nothing was entered in the list.")
		}
		entries, err := j.seen(seen)
		return append(entries, said...), err
	})
}

// read is what the form says of one check: an observation, an answer in words, or neither.
func (l *passLine) read(c *gin.Context) (*probe.Observation, string, error) {
	if l.Cells != nil {
		fans := map[string]string{}
		for _, cell := range l.Cells {
			if word := firstOf(c.PostForm(cell.Other), c.PostForm(cell.Field)); word != "" {
				fans[cell.Fan] = word
			}
		}
		if c.PostForm("foretold") == l.Key { // this state in one touch: what was not touched is as foretold
			for fan, word := range l.Fans {
				if fans[fan] == "" {
					fans[fan] = word
				}
			}
		}
		if len(fans) == 0 {
			return nil, "", nil
		}
		o := probe.Seen(l.Test.State.Name, fans)
		return &o, "", nil
	}
	typed := room.Clip(strings.TrimSpace(firstOf(c.PostForm(l.Field+"-typed"), c.PostForm(l.Field))), room.MaxText)
	if typed == "" || l.Test == nil {
		return nil, typed, nil
	}
	o, err := l.Test.Question().Answered(typed)
	return &o, "", err
}

func firstOf(words ...string) string {
	for _, w := range words {
		if w != "" {
			return w
		}
	}
	return ""
}
