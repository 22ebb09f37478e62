package jobs

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/core/units"
	"ironthread/web/room"
)

// verifyPage is the list of what must be seen before the job closes.
type verifyPage struct {
	jobSide
	List     []passLine
	Causes   []passLine
	Left     int
	InTheWay []string // set-up still on the car
	Explains []explained
	Reasons  []job.Reason
	Found    []job.Repair
	Text     string
}

// WarmLeft is how many lines of the warm-up are still to be answered; 0 where there is one, which has a touch of its own.
func (p *verifyPage) WarmLeft() int {
	left := 0
	for _, line := range p.List {
		if line.Warm && !line.Done {
			left++
		}
	}
	if left < 2 {
		return 0
	}
	return left
}

// suggested is what the job was, from what was found and done, for whoever closes it to keep or to change.
func (p *verifyPage) suggested() string {
	var said []string
	for _, r := range p.Found {
		words := p.Did(r.Action)
		if r.Fault != "" {
			words = r.Fault + ": " + words
		}
		if r.Text != "" {
			words += ", " + r.Text
		}
		said = append(said, words)
	}
	return room.Clip(strings.Join(said, "; "), room.MaxText)
}

// explained is what a found fault does through a warm-up.
type explained struct {
	Fault string
	Lines []string
	Why   string // there is no telling
}

func (a *Jobs) verify(c *gin.Context) {
	if j, ok := a.open(c); ok {
		a.showVerify(c, j, http.StatusOK, "")
	}
}

func (a *Jobs) showVerify(c *gin.Context, j *jobAt, status int, wrong string) {
	v, err := j.verification()
	if err != nil {
		a.FailWith(c, err)
		return
	}
	p := verifyPage{
		jobSide: a.side(c, j, "verify"), Left: v.Left(), InTheWay: v.Way, Reasons: job.Reasons, Found: j.state.Repairs, Text: c.PostForm("text"),
	}
	if p.Text == "" {
		p.Text = p.suggested()
	}
	p.List, p.Causes = j.passLines(v)
	if wrong != "" {
		p.Notice, p.Bad = wrong, true
	}
	well, err := repair.WarmUp(j.file.Model, nil, nil)
	for _, r := range j.state.Repairs {
		f, wrong := fault.Parse(j.file.Drawn, r.Fault)
		if wrong != nil {
			continue
		}
		e := explained{Fault: r.Fault}
		if err != nil {
			e.Why = room.Capitalise(err.Error()) + "."
		} else if faulty, err := repair.WarmUp(j.file.Model, nil, []fault.Fault{f}); err == nil {
			e.Lines = repair.Explained(well, faulty)
		}
		p.Explains = append(p.Explains, e)
	}
	a.Render(c, status, "verify.html", &p)
}

// answerURL is where a check's reading is entered; empty for what is answered by hand.
func answerURL(j *jobAt, t *probe.Test) string {
	if t == nil {
		return ""
	}
	q := url.Values{"state": {t.State.Name}, "do": {string(t.Do)}, "back": {"verify"}}
	if t.At.Part != "" {
		q.Set("pin", t.At.String())
	}
	return fmt.Sprintf("/jobs/%d?%s", j.ID, q.Encode())
}

// check answers one item of the list by hand.
func (a *Jobs) check(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	text, err := room.Field(c, "text", "the answer", room.MaxText)
	show := func(j *jobAt, sentence string) { a.showVerify(c, j, http.StatusUnprocessableEntity, sentence) }
	a.change(c, j, fmt.Sprintf("/jobs/%d/verify", j.ID), show, func(j *jobAt) ([]job.Entry, error) {
		if err != nil {
			return nil, refusedFor(err)
		}
		v, err := j.verification()
		if err != nil {
			return nil, err
		}
		key := c.PostForm("check")
		known := slices.ContainsFunc(append(slices.Clone(v.List), v.Causes...),
			func(t repair.Ticked) bool { return t.Key == key && t.Test == nil })
		switch {
		case !known:
			return nil, refused("There is no such check on this job's list.")
		case text == "":
			return nil, refused("Say what was found, or that it is as it should be.")
		}
		return []job.Entry{{Body: job.Check{Key: key, Answer: text}}}, nil
	})
}

// isRenewal tells whether a set-up action's words enter a part, a wire or a terminal as renewed.
func isRenewal(words string) bool {
	return strings.HasSuffix(words, " "+string(electric.Renewed)) || strings.HasSuffix(words, " "+string(electric.RenewedUsed)) ||
		strings.HasSuffix(words, " "+string(electric.Replaced))
}

// repair enters what was done: a part, a wire or a terminal renewed, with the fault that it was done for
// as the evidence stands at that moment.
func (a *Jobs) repair(c *gin.Context) {
	words, err := room.Field(c, "action", "the repair", room.MaxText)
	a.repairing(c, words, err)
}

// repairing enters the repair that words say; err is what was wrong with them.
func (a *Jobs) repairing(c *gin.Context, words string, err error) {
	var done job.Repair
	if err == nil {
		done.Text, err = room.Field(c, "text", "the text", room.MaxText)
	}
	if err == nil {
		done.Parts, err = room.Field(c, "parts", "the list of parts", room.MaxText)
	}
	if err == nil {
		done.Minutes, err = readMinutes(c.PostForm("minutes"))
	}
	a.weighed(c, "/jobs/%d", nil, func(j *jobAt, as *diagnose.Assessment) ([]job.Entry, error) {
		if err != nil {
			return nil, refusedFor(err)
		}
		action, err := electric.ParseAction(j.file.Drawn, words)
		if err != nil {
			return nil, refusedFor(err)
		}
		if c.PostForm("used") != "" && action.Part != "" && action.Verb == electric.Renewed {
			action.Verb = electric.RenewedUsed
		}
		if !action.Lasts() {
			return nil, refused("%s is no repair; enter it as a set-up.", action)
		}
		if _, err := j.file.Model.Network(append(slices.Clone(j.state.Ledger), action), nil); err != nil {
			return nil, refusedFor(err)
		}
		done.Action = action.String()
		if j.justDone(done.Action) {
			return nil, refused("%s is in the log already, and nothing has been seen since.", action)
		}
		done.Fault, done.Proven = j.foundBy(action, as)
		return []job.Entry{{Body: done}}, nil
	})
}

// justDone tells whether a repair is in the log with nothing seen since: a part may be renewed again, but
// not for nothing.
func (j *jobAt) justDone(action string) bool {
	for _, b := range slices.Backward(j.state.Beads) {
		switch {
		case b.StruckOut:
		case b.Kind() == job.Seen:
			return false
		case job.ActionOf(b.Body) == action:
			return b.Kind() == job.Repaired
		}
	}
	return false
}

func readMinutes(text string) (float64, error) {
	text = strings.Replace(strings.TrimSpace(text), ",", ".", 1)
	if text == "" {
		return 0, nil
	}
	minutes, err := units.Figure(text)
	if err != nil || !(minutes >= 0 && minutes <= mostMinutes) {
		return 0, fmt.Errorf("%q are no minutes; type a number, as in 25", harness.Clipped(text, room.MaxWho))
	}
	return minutes, nil
}

// foundBy is the fault that a repair is for: of the verdict, or else the likeliest that it
// mends.
func (j *jobAt) foundBy(action electric.Action, as *diagnose.Assessment) (found string, proven bool) {
	mends := func(words string) bool {
		f, err := fault.Parse(j.file.Drawn, words)
		return err == nil && electric.RepairIn([]electric.Action{action}, f).Verb == ""
	}
	if as.Verdict != nil {
		for _, words := range as.Verdict.Faults {
			if mends(words) {
				return words, as.Verdict.Proven
			}
		}
	}
	for _, s := range as.Suspects {
		for _, words := range append([]string{s.Fault}, s.SameAs...) {
			if mends(words) {
				return words, false
			}
		}
	}
	return "", false
}

// closeJob closes a job once it is verified, or with a stated reason; never with something
// left out, unplugged, bridged or standing in. What the job came to is kept as it stands now.
func (a *Jobs) closeJob(c *gin.Context) {
	text, err := room.Field(c, "text", "what was done", room.MaxText)
	reason := job.Reason(c.PostForm("reason"))
	page, places, ok := a.keepPage(c)
	if !ok {
		return
	}
	show := func(j *jobAt, sentence string) { a.showVerify(c, j, http.StatusUnprocessableEntity, sentence) }
	a.weighed(c, "/jobs/%d", show, func(j *jobAt, as *diagnose.Assessment) ([]job.Entry, error) {
		if err != nil {
			return nil, refusedFor(err)
		}
		v, err := j.verification()
		if err != nil {
			return nil, err
		}
		verified := v.Left() == 0
		why := reason
		if why == "" && verified {
			why = job.Verified
		}
		switch {
		case len(v.Way) > 0:
			return nil, refused("The ledger is not empty: %s. Put everything back before the job closes.", strings.Join(v.Way, ", "))
		case why == "" || why == job.Verified && !verified:
			return nil, refused("Not verified yet: %s. Go through the list, or choose the reason for closing without.", leftWords(v.Left()))
		case why != job.Verified && !slices.Contains(job.Reasons, why):
			return nil, refused("That is no reason a job closes for.")
		case why == job.NothingFound && as.Outcome != diagnose.NothingFound:
			return nil, refused("That nothing was found can be said once every fan has been seen in every state, doing what it should.")
		case text == "" && why != job.NotReproduced && why != job.NothingFound:
			return nil, refused("Say what it was and what was done, or why the job closes without.")
		}
		return []job.Entry{{Body: job.Closing{Text: text, Reason: why, Conclusion: j.concluding(v, as, why), Page: page,
			Shows: places}}}, nil
	})
	a.learnt.Forget()
}

// keepPage keeps what the circuit's page shows round the fault that was repaired, as a photograph of the job about to be closed: 0 where
// there is nothing. ok is false where an answer has been given. Where the job is not closed after all, nobody names the photograph, and
// the housekeeping forgets it.
func (a *Jobs) keepPage(c *gin.Context) (id int64, places string, ok bool) {
	j, ok := a.open(c)
	if !ok || j.state.Closed {
		return 0, "", ok
	}
	ctx := c.Request.Context()
	_, ready, err := j.file.Assess(ctx, j.state.Seen, nowOf(c, j), a.Patience)
	if err == nil && !ready { // the form comes again: nothing is kept before it can be closed
		a.showWaiting(c, j)
		return 0, "", false
	}
	if err != nil {
		a.FailWith(c, err)
		return 0, "", false
	}
	pages, at, err := a.printedAt(ctx, j, "")
	if err == nil && len(at) > 0 && len(j.photographs()) < maxJobPhotos {
		var jpeg []byte
		if jpeg, err = pages.CutOut(ctx, a.keep, at...); err == nil {
			id, err = a.keep.AddJobPhoto(ctx, j.ID, jpeg)
		}
	}
	if err != nil {
		a.FailWith(c, err)
		return 0, "", false
	}
	return id, strings.Join(at, ", "), true
}

// concluding is concluded for a job about to be closed for a reason.
func (j *jobAt) concluding(v *job.Verification, as *diagnose.Assessment, reason job.Reason) *job.Conclusion {
	closed := *j.state
	closed.Closed, closed.Reason = true, reason
	return job.Conclude(j.file.Drawn, v, &closed, as, j.Title)
}

func leftWords(n int) string {
	if n == 1 {
		return "1 point is left"
	}
	return strconv.Itoa(n) + " points are left"
}
