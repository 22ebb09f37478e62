package jobs

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/core/shorthand"
	"ironthread/web/room"
)

// readObservation reads what was seen from the page's form; said is what each fan did in each state when last looked at.
func readObservation(c *gin.Context, circuit *harness.Circuit, said map[string]map[string]string) (probe.Observation, error) {
	q := postedQuestion(c)
	if c.PostForm("unreachable") != "" && q.At != "" {
		return probe.Observation{Question: probe.Question{State: q.State, Setup: q.Setup, At: q.At}, Answer: probe.NotReached}, nil
	}
	switch kind := q.Kind().(type) {
	case probe.Looking:
		fans := probe.Fans{}
		for _, fan := range circuit.Fans() {
			if word := c.PostForm("fan-" + fan.Name); word != "" {
				fans[fan.Name] = asBefore(word, fan.Name, said)
			}
		}
		if len(fans) == 0 {
			return probe.Observation{}, errors.New("say what at least one fan did")
		}
		return probe.Observation{Question: q, Answer: fans}, nil
	case probe.Typed:
	case probe.Worded:
		word := c.PostForm("word")
		if word == "" {
			return probe.Observation{}, errors.New("choose what was seen, then record it")
		}
		return q.Answered(word)
	case probe.Figured:
		o, err := q.Answered(c.PostForm("reading"))
		if err == nil && kind.Unit() == &probe.InOhms {
			o.How.Nulled = c.PostForm("nulled") != ""
			o.How.Leads, err = readLeads(c.PostForm("leads"))
			if o.How.Nulled {
				o.How.Leads = 0
			}
		}
		return o, err
	}
	return q.Answered(c.PostForm("reading"))
}

// postedQuestion is the question of the form that was sent.
func postedQuestion(c *gin.Context) probe.Question {
	_ = c.PostForm("do") // reads the form
	return questionIn(c.Request.PostForm)
}

// questionIn is the question that a form or an address asks. Forms that a telephone has kept from an earlier version name the
// part on the bench and its terminals, where now they are pins.
func questionIn(form url.Values) probe.Question {
	q := probe.Question{
		Do: probe.Do(form.Get("do")), State: form.Get("state"), Setup: form["setup"], At: firstOf(form.Get("at"), form.Get("pin")),
		From: form.Get("from"), With: form.Get("with"), Part: form.Get("part"),
	}
	if between := form["between"]; form.Get("bench") != "" && len(between) == 2 {
		inner := func(name string) string {
			return harness.Pin{Part: form.Get("bench"), Name: name, Inner: true}.String()
		}
		q.At, q.From, q.Part = inner(between[0]), inner(between[1]), ""
		if form.Get("energised") != "" {
			q.With = "energised"
		}
	}
	return q
}

// mostLeads bounds what two leads held together read.
const mostLeads = 10.0

// readLeads reads what a meter's two leads read held together, ohms; nothing typed is not known.
func readLeads(text string) (float64, error) {
	if strings.TrimSpace(text) == "" {
		return 0, nil
	}
	r, err := probe.InOhms.Parse(text)
	if err == nil && (r.Open || !(r.Figure >= 0 && r.Figure <= mostLeads)) {
		err = fmt.Errorf("two leads held together read from 0 to %g Ω", mostLeads)
	}
	return r.Figure, err
}

// sameAs begins the answer that a fan does what it did in another state: "same as low".
const sameAs = "same as "

// asBefore is a fan's word, that of another state where it does the same as there.
func asBefore(word, fan string, said map[string]map[string]string) string {
	state, same := strings.CutPrefix(word, sameAs)
	if before := said[state][fan]; same && before != "" {
		return before
	}
	return word
}

// record writes what was seen or read. What the set-up of the test differs from the ledger
// by is entered first: the reading was taken with it.
func (a *Jobs) record(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	a.change(c, j, j.backTo(c), nil, func(j *jobAt) ([]job.Entry, error) {
		var o probe.Observation
		var err error
		if c.PostForm("foretold") != "" {
			o, err = j.asForetold(c)
		} else {
			o, err = readObservation(c, j.file.Drawn, j.lastSeen())
		}
		if err != nil {
			return nil, refusedFor(err)
		}
		return j.recording(o)
	})
}

// asForetold is a look at the fans at which each did what it should: one touch after a repair.
func (j *jobAt) asForetold(c *gin.Context) (probe.Observation, error) {
	o := probe.Seen(c.PostForm("state"), nil, c.PostFormArray("setup")...)
	t, err := o.Question.Test(j.file.Drawn)
	if err != nil {
		return o, err
	}
	good := j.file.Guide.Healthy(t)
	o.Answer = good.Answer
	return o, nil
}

// recording is what one observation writes: what it says of the set-up, itself with what a good circuit shows, and what it said
// of the moment taken back.
func (j *jobAt) recording(o probe.Observation) ([]job.Entry, error) {
	test, err := o.Test(j.file.Drawn)
	if err == nil && o.Unreachable() {
		return []job.Entry{{Body: job.Reading{Seen: o}}}, nil
	}
	if err == nil {
		_, err = j.file.Model.Network(test.Setup, nil)
	}
	if err != nil {
		return nil, refusedFor(err)
	}
	good := j.file.Guide.Healthy(test)
	entries := ledgerEntries(j.state.Ledger, test.OnTheCar())
	entries = append(entries, job.Entry{Body: job.Reading{Seen: o, Good: &good}})
	return append(entries, passed(test.OnTheCar())...), nil
}

// say writes what somebody says in few words: a reading, a look, what was done to the car. What is a repair goes the way of one.
func (a *Jobs) say(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	line, err := room.Field(c, "line", "the line", room.MaxText)
	state := j.file.Drawn.State(c.PostForm("state"))
	if state == nil {
		state = j.file.Drawn.States[0]
	}
	var said *shorthand.Said
	if err == nil {
		said, err = shorthand.Read(j.file.Drawn, line, state, j.state.Ledger)
	}
	if place := shorthand.Place(j.file.Drawn, line); err != nil && place != "" && !j.state.Closed {
		// A place alone is not a thing that was seen; it is where one wants to measure.
		c.Redirect(http.StatusSeeOther, placeURL(j, place, state.Name))
		return
	}
	if err == nil && len(said.Done) == 1 && isRenewal(said.Done[0].String()) {
		a.repairing(c, said.Done[0].String(), nil)
		return
	}
	a.change(c, j, j.backTo(c), nil, func(j *jobAt) ([]job.Entry, error) {
		if err == nil { // read again by the ledger as it stands under the lock
			said, err = shorthand.Read(j.file.Drawn, line, state, j.state.Ledger)
		}
		switch {
		case err != nil:
			return nil, refusedFor(err)
		case said.Seen != nil:
			if said.Seen.Do == probe.Ohms { // the leads are those of the reading before
				said.Seen.How.Nulled, said.Seen.How.Leads = j.leads()
			}
			return j.recording(*said.Seen)
		}
		return j.doingAll(said.Done)
	})
}

// passed takes out of the ledger what was said of the moment of a look alone: the next look says for itself how hot it is.
func passed(setup []electric.Action) []job.Entry {
	var entries []job.Entry
	for _, a := range setup {
		if a.Passes() {
			entries = append(entries, job.Entry{Body: job.PutBack{Action: a.String(), Why: "said for that look"}})
		}
	}
	return entries
}
