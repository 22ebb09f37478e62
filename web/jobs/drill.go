package jobs

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/drill"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/store"
	"ironthread/web/room"
)

// Drills: a job on a vehicle that is simulated, with something hidden in it. It is worked on the same pages; every reading
// can be taken from the vehicle. A drill never counts for what the workshop's own jobs teach.

// drillVehicle is the vehicle that all drills are kept under.
const drillVehicle = "Drill"

type drillsPage struct {
	room.Frame
	Traps    []trapOffered
	Levels   []drill.Level
	Circuits []store.Harness
	Done     []drilled
	Record   []record
	Form     drillForm
}

// trapOffered is a drill by what the customer says and the circuit, which do not give it away.
type trapOffered struct {
	Number             int
	Complaint, Circuit string
}

// trapsOffered lists them; circuits names the library's.
func trapsOffered(circuits []store.Harness) []trapOffered {
	var list []trapOffered
	for i, t := range drill.Traps {
		one := trapOffered{Number: i + 1, Complaint: t.Complaint, Circuit: t.Circuit}
		if k := slices.IndexFunc(circuits, func(h store.Harness) bool { return h.Name == t.Circuit }); k >= 0 {
			one.Circuit = circuits[k].Title
		}
		list = append(list, one)
	}
	return list
}

// drilled is one of the drills done last.
type drilled struct {
	ID       int64
	Title    string
	Readings int
	Closed   bool
	Ended    *job.Practice
}

// record is what a person's drills came to: how many, how many found, and the minutes against the guide's, of the earlier
// half and of the later half, so that progress shows.
type record struct {
	Who            string
	Ended, Won     int
	Unsafe         int
	Before, Lately float64 // minutes for each minute of the guide
}

// keptRecord is how many drills the record looks back.
const keptRecord = 200

// recordOf sums up drills, newest first.
func recordOf(done []drilled) []record {
	by := map[string][]*job.Practice{}
	var names []string
	for _, d := range slices.Backward(done) {
		if d.Ended == nil {
			continue
		}
		if by[d.Ended.Who] == nil {
			names = append(names, d.Ended.Who)
		}
		by[d.Ended.Who] = append(by[d.Ended.Who], d.Ended)
	}
	slices.Sort(names)
	ratio := func(list []*job.Practice) float64 {
		mine, guide := 0.0, 0.0
		for _, d := range list {
			mine, guide = mine+d.Minutes, guide+d.Guide
		}
		if guide == 0 {
			return 0
		}
		return mine / guide
	}
	var list []record
	for _, who := range names {
		r := record{Who: who, Ended: len(by[who])}
		for _, d := range by[who] {
			r.Unsafe += d.Unsafe
			if d.Won {
				r.Won++
			}
		}
		half := r.Ended / 2
		r.Before, r.Lately = ratio(by[who][:half]), ratio(by[who][half:])
		list = append(list, r)
	}
	return list
}

// drillForm is what the page of drills posts.
type drillForm struct {
	Trap    string `form:"trap" says:"the drill" binding:"max=80"`
	Harness string `form:"harness" says:"the circuit" binding:"max=80"`
	Level   string `form:"level" says:"the level" binding:"max=20"`
	Token   string `form:"token" binding:"max=64"`
}

func (a *Jobs) drills(c *gin.Context) { a.showDrills(c, http.StatusOK, drillForm{}, "") }

func (a *Jobs) showDrills(c *gin.Context, status int, f drillForm, wrong string) {
	p := drillsPage{Frame: a.Frame(c, "Drills", "drills"), Levels: drill.Levels, Form: f}
	if wrong != "" {
		p.Notice, p.Bad = wrong, true
	}
	var err error
	if p.Circuits, err = a.keep.Titles(c.Request.Context()); err != nil {
		a.FailWith(c, err)
		return
	}
	p.Traps = trapsOffered(p.Circuits)
	lines, _, err := a.keep.Jobs(c.Request.Context(), store.Find{Anywhere: true, Words: drillVehicle, Limit: keptRecord})
	if err != nil {
		a.FailWith(c, err)
		return
	}
	for _, l := range lines {
		if l.Vehicle == drillVehicle {
			p.Done = append(p.Done, drilled{l.ID, l.Title, l.Summary.Readings, l.Summary.Closed, l.Summary.Practice})
		}
	}
	p.Record = recordOf(p.Done)
	p.Done = p.Done[:min(len(p.Done), 20)]
	a.Render(c, status, "drills.html", p)
}

// startDrill hides something in a vehicle and opens a job on it.
func (a *Jobs) startDrill(c *gin.Context) {
	var f drillForm
	if err := room.Bind(c, &f); err != nil {
		a.showDrills(c, http.StatusUnprocessableEntity, f, room.Sentence(err))
		return
	}
	id, err := a.hide(c, f)
	switch {
	case errors.Is(err, store.ErrAlready):
		a.showDrills(c, http.StatusConflict, drillForm{}, "That form was sent before: the drill has been started.")
	case err != nil && errors.Is(err, store.ErrUnreachable):
		a.FailWith(c, err)
	case err != nil:
		a.showDrills(c, http.StatusUnprocessableEntity, f, room.Sentence(err))
	default:
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d", id))
	}
}

func (a *Jobs) hide(c *gin.Context, f drillForm) (int64, error) {
	ctx := c.Request.Context()
	hidden := &job.Hidden{Seed: rand.Uint64N(1<<31) + 1} // which fault is hidden is no secret worth keeping
	name, complaint := f.Harness, ""
	var setup []string
	if f.Trap == "led" {
		name, complaint, hidden.Faults, hidden.Lesson = drill.Led.Circuit, drill.Led.Complaint, drill.Led.Faults, drill.Led.Lesson
	}
	if k, err := strconv.Atoi(f.Trap); err == nil && k >= 1 && k <= len(drill.Traps) {
		trap := drill.Traps[k-1]
		name, complaint, setup = trap.Circuit, trap.Complaint, trap.Setup
		hidden.Faults, hidden.Lesson = trap.Faults, trap.Lesson
	}
	h, err := a.keep.HarnessEver(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		err = errors.New("choose a drill, or a circuit")
	}
	if err != nil {
		return 0, err
	}
	b, err := a.circuits.Get(h.Source)
	if err != nil || b.Guide == nil {
		return 0, errors.New("with this circuit nothing can be diagnosed")
	}
	if hidden.Faults == nil {
		level := drill.Level(f.Level)
		if !slices.Contains(drill.Levels, level) {
			return 0, errors.New("choose a level")
		}
		faults, err := drill.Pick(b.Model, level, hidden.Seed)
		if err != nil {
			return 0, err
		}
		complaint = drill.Complaint(b.Model, faults)
		for _, x := range faults {
			hidden.Faults = append(hidden.Faults, x.String())
		}
	}
	return a.openDrill(ctx, c, newDrill{f.Token, h.ID, hidden, complaint, setup})
}

// newDrill is a drill to be opened: on which circuit, what is hidden, what is complained of, and what the last workshop left so.
type newDrill struct {
	token     string
	harness   int64
	hidden    *job.Hidden
	complaint string
	setup     []string
}

// openDrill opens the job, and enters what is hidden and what was left on the vehicle.
func (a *Jobs) openDrill(ctx context.Context, c *gin.Context, d newDrill) (int64, error) {
	vehicle, err := a.keep.PutVehicle(ctx, drillVehicle, "")
	if err != nil {
		return 0, err
	}
	id, err := a.keep.OpenJob(ctx, store.NewJob{Vehicle: vehicle, Harness: d.harness, Title: d.complaint,
		Who: room.Who(c), At: a.Now(), Token: d.token, Drill: true})
	if err != nil {
		return 0, err
	}
	entries := []job.Entry{{Body: job.Drill{Hidden: *d.hidden}, At: a.Now(), Who: room.Who(c)}}
	for _, words := range d.setup {
		entries = append(entries, job.Entry{Body: job.Done{Action: words}, At: a.Now(), Who: "the last workshop"})
	}
	_, err = a.keep.Append(ctx, id, 1, "", func(*store.Log) ([]job.Entry, error) { return entries, nil })
	a.settle(id)
	return id, err
}

// askVehicle takes the reading that a card asks for from the drill's vehicle, and records it.
func (a *Jobs) askVehicle(c *gin.Context) {
	a.write(c, func(j *jobAt) ([]job.Entry, error) {
		if j.state.Drill == nil {
			return nil, refused("This job is no drill: its readings are taken at the vehicle.")
		}
		var list []probe.Question
		if c.PostForm("table") != "" {
			for _, s := range j.file.Drawn.States {
				list = append(list, probe.Question{Do: probe.LookAtFans, State: s.Name, Setup: probe.SetupWords(j.state.Ledger)})
			}
		} else {
			asked := postedQuestion(c)
			asked.Do = probe.Do(firstOf(string(asked.Do), string(probe.LookAtFans)))
			list = append(list, asked)
		}
		var entries []job.Entry
		ledger := j.state.Ledger
		for _, asked := range list {
			o, err := drill.Answer(j.file.Model, *j.state.Drill, j.state.Seen, asked)
			if err != nil {
				return nil, refusedFor(err)
			}
			test, err := o.Test(j.file.Drawn)
			if err != nil {
				return nil, refusedFor(err)
			}
			good := j.file.Guide.Healthy(test)
			entries = append(entries, ledgerEntries(ledger, test.OnTheCar())...)
			entries = append(entries, job.Entry{Body: job.Reading{Seen: o, Good: &good}})
			ledger = test.OnTheCar()
		}
		return entries, nil
	})
}

type drillPage struct {
	jobSide
	Faults []string
	Score  *job.Score
}

// drill is where it ends: what somebody says it is, and the score.
func (a *Jobs) drill(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	if j.state.Drill == nil {
		a.Fail(c, http.StatusNotFound, "This job is no drill.")
		return
	}
	p := drillPage{jobSide: a.side(c, j, "drill"), Faults: j.file.Guide.Faults()}
	if p.Score = j.state.Score; p.Score == nil && j.state.Closed { // ended before scores were kept
		var err error
		if p.Score, err = judged(c, j, j.saidAtTheEnd()); err != nil {
			a.FailWith(c, err)
			return
		}
	}
	a.Render(c, http.StatusOK, "drill.html", p)
}

// judged scores a drill as its log stands, with what is said at its end.
func judged(c *gin.Context, j *jobAt, said []string) (*job.Score, error) {
	var repaired []electric.Action
	for _, r := range j.state.Repairs {
		if x, err := electric.ParseAction(j.file.Drawn, r.Action); err == nil {
			repaired = append(repaired, x)
		}
	}
	return drill.Judge(c.Request.Context(), j.file.Guide, j.file.Model,
		drill.Played{Hidden: *j.state.Drill, Seen: j.state.Seen, Repaired: repaired, Said: said})
}

// saidBefore begins the line in which a drill's answer is kept.
const saidBefore = "I say it is: "

// saidAtTheEnd is what somebody said it is.
func (j *jobAt) saidAtTheEnd() []string {
	var list []string
	for _, b := range j.state.Beads {
		note, _ := b.Body.(job.Note)
		if words, ok := strings.CutPrefix(note.Text, saidBefore); ok && !b.StruckOut {
			list = append(list, words)
		}
	}
	return list
}

// endDrill closes a drill with what is said to be it; then all is told.
func (a *Jobs) endDrill(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	if j.state.Drill == nil {
		a.Fail(c, http.StatusNotFound, "This job is no drill.")
		return
	}
	said, err := saidToBe(c, j)
	shown := c.PostForm("show") != "" // whoever gives up is shown it; that is not found
	if shown {
		said = nil
	}
	var score *job.Score
	if err == nil { // it takes a moment: judged before the log is held, and only good for the log as it was then
		score, err = judged(c, j, said)
	}
	judgedAt := j.state.Last
	a.change(c, j, fmt.Sprintf("/jobs/%d/drill", j.ID), nil, func(j *jobAt) ([]job.Entry, error) {
		switch {
		case err != nil:
			return nil, refusedFor(err)
		case j.state.Last != judgedAt:
			return nil, refused("Somebody has written into this drill meanwhile; look, and end it again.")
		case len(said)+len(j.state.Repairs) == 0 && !shown:
			return nil, refused("Say what it is, or repair it first.")
		}
		var entries []job.Entry
		for _, words := range said {
			entries = append(entries, job.Entry{Body: job.Note{Text: saidBefore + words}})
		}
		return append(entries, job.Entry{Body: job.Closing{Text: "a drill", Reason: job.OtherReason, Score: score}}), nil
	})
}

// saidToBe reads which faults somebody says it is.
func saidToBe(c *gin.Context, j *jobAt) ([]string, error) {
	var said []string
	for _, words := range c.PostFormArray("fault") {
		if words = room.Clip(strings.TrimSpace(words), room.MaxText); words == "" {
			continue
		}
		f, err := fault.Parse(j.file.Drawn, words)
		if err != nil {
			return nil, err
		}
		said = append(said, f.String())
	}
	return said, nil
}
