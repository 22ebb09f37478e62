package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/store"
)

// jobSide is what every page beside a job's main one carries.
type jobSide struct {
	frame
	Job   store.Job
	State *job.State
	Tab   string
	Saw   int
}

func (a *App) side(c *gin.Context, j *jobAt, tab string) jobSide {
	return jobSide{frame: a.frame(c, j.Title, "bay"), Job: j.Job, State: j.state, Tab: tab, Saw: j.state.Last}
}

// verifyPage is the list of what must be seen before the job closes.
type verifyPage struct {
	jobSide
	List     []tickedLine
	Causes   []repair.Ticked
	Left     int
	InTheWay []string // set-up still on the car
	Explains []explained
	Reasons  []job.Reason
	Found    []job.Body
	Text     string
}

type tickedLine struct {
	repair.Ticked
	URL string // the move that answers it
}

// explained is what a found fault does through a warm-up.
type explained struct {
	Fault string
	Lines []string
	Why   string // there is no telling
}

// verification is what has and has not been seen since the last repair.
type verification struct {
	list   []repair.Ticked
	causes []repair.Ticked
	way    []string
}

func (v *verification) left() int {
	return repair.Left(v.list) + repair.Left(v.causes) + len(v.way)
}

// verification holds the log against the list.
func (j *jobAt) verification() (*verification, error) {
	list, err := repair.List(j.bench.model, j.state.Ledger)
	if err != nil {
		return nil, err
	}
	v := &verification{list: repair.Tick(j.bench.circuit, list, j.state.Seen, j.state.Said)}
	for _, r := range j.state.Repairs {
		f, err := fault.Parse(j.bench.circuit, r.Fault)
		if err != nil {
			continue
		}
		for _, check := range repair.Tick(j.bench.circuit, repair.Causes(j.bench.model, f), nil, j.state.Said) {
			if !slices.ContainsFunc(v.causes, func(t repair.Ticked) bool { return t.Key == check.Key }) {
				v.causes = append(v.causes, check)
			}
		}
	}
	for _, action := range j.state.Ledger {
		if !action.Lasts() {
			v.way = append(v.way, action.String())
		}
	}
	return v, nil
}

func (a *App) verify(c *gin.Context) {
	if j, ok := a.open(c); ok {
		a.showVerify(c, j, http.StatusOK, "")
	}
}

func (a *App) showVerify(c *gin.Context, j *jobAt, status int, wrong string) {
	v, err := j.verification()
	if err != nil {
		a.failWith(c, err)
		return
	}
	p := verifyPage{
		jobSide: a.side(c, j, "verify"), Causes: v.causes, Left: v.left(), InTheWay: v.way,
		Reasons: job.Reasons, Found: j.state.Repairs, Text: clip(c.PostForm("text"), maxText),
	}
	p.Notice, p.Bad = wrong, wrong != ""
	for _, t := range v.list {
		p.List = append(p.List, tickedLine{t, answerURL(j, t.Test)})
	}
	well, err := repair.WarmUp(j.bench.model, nil, nil)
	for _, r := range j.state.Repairs {
		f, wrong := fault.Parse(j.bench.circuit, r.Fault)
		if wrong != nil {
			continue
		}
		e := explained{Fault: r.Fault}
		if err != nil {
			e.Why = capitalise(err.Error()) + "."
		} else if ill, err := repair.WarmUp(j.bench.model, nil, []fault.Fault{f}); err == nil {
			e.Lines = repair.Explained(well, ill)
		}
		p.Explains = append(p.Explains, e)
	}
	a.render(c, status, "verify.html", p)
}

// answerURL is where a check's reading is entered; empty for what is answered by hand.
func answerURL(j *jobAt, t *probe.Test) string {
	if t == nil {
		return ""
	}
	q := url.Values{"state": {t.State.Name}}
	switch t.Do {
	case probe.LookAtFans:
		q.Set("look", "1")
	case probe.Codes:
		q.Set("do", string(t.Do))
	default:
		q.Set("do", string(t.Do))
		q.Set("pin", t.At.String())
	}
	return fmt.Sprintf("/jobs/%d?%s", j.ID, q.Encode())
}

// check answers one item of the list by hand.
func (a *App) check(c *gin.Context) {
	j, ok := a.openForChange(c)
	if !ok {
		return
	}
	v, err := j.verification()
	if err != nil {
		a.failWith(c, err)
		return
	}
	key := c.PostForm("check")
	known := slices.ContainsFunc(append(slices.Clone(v.list), v.causes...), func(t repair.Ticked) bool { return t.Key == key && t.Test == nil })
	text := strings.TrimSpace(clip(c.PostForm("text"), maxText))
	switch {
	case !known:
		a.showVerify(c, j, http.StatusUnprocessableEntity, "There is no such check on this job's list.")
	case text == "":
		a.showVerify(c, j, http.StatusUnprocessableEntity, "Say what was found, or that it was as expected.")
	default:
		a.writeTo(c, j, fmt.Sprintf("/jobs/%d/verify", j.ID), job.Entry{Kind: job.Checked, Body: job.Body{Check: key, Text: text}})
	}
}

// repair enters what was done: a part, a wire or a terminal renewed.
func (a *App) repair(c *gin.Context) {
	j, ok := a.openForChange(c)
	if !ok {
		return
	}
	action, err := electric.ParseAction(j.bench.circuit, clip(c.PostForm("action"), maxText))
	if err != nil {
		a.refuse(c, j, capitalise(err.Error())+".")
		return
	}
	if c.PostForm("used") != "" && action.Part != "" && action.Verb == electric.Renewed {
		action.Verb = electric.RenewedUsed
	}
	minutes := 0.0
	if text := strings.Replace(strings.TrimSpace(c.PostForm("minutes")), ",", ".", 1); text != "" {
		if minutes, err = strconv.ParseFloat(text, 64); err != nil || minutes < 0 || minutes > 10000 {
			a.refuse(c, j, fmt.Sprintf("%q are no minutes; type a number, as in 25.", clip(text, maxWho)))
			return
		}
	}
	switch {
	case !action.Lasts():
		a.refuse(c, j, fmt.Sprintf("%s is no repair; enter it as a set-up.", action))
		return
	case slices.Contains(j.state.Ledger, action):
		a.refuse(c, j, fmt.Sprintf("%s is in the log already.", action))
		return
	}
	body := job.Body{
		Action: action.String(), Text: strings.TrimSpace(clip(c.PostForm("text"), maxText)),
		Parts: strings.TrimSpace(clip(c.PostForm("parts"), maxText)), Minutes: minutes,
	}
	body.Fault, body.Proven = j.foundBy(c, action, a)
	a.write(c, j, job.Entry{Kind: job.Repaired, Body: body})
}

// foundBy is the fault that a repair is for: of the verdict, or else the likeliest that it
// mends.
func (j *jobAt) foundBy(c *gin.Context, action electric.Action, a *App) (found string, proven bool) {
	as, ready, err := j.bench.assess(j.state.Seen, nowOf(c, j), a.opts.Patience*10)
	if !ready || err != nil {
		return "", false
	}
	mends := func(words string) bool {
		f, err := fault.Parse(j.bench.circuit, words)
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
// left out, unplugged, bridged or standing in.
func (a *App) closeJob(c *gin.Context) {
	j, ok := a.openForChange(c)
	if !ok {
		return
	}
	v, err := j.verification()
	if err != nil {
		a.failWith(c, err)
		return
	}
	text := strings.TrimSpace(clip(c.PostForm("text"), maxText))
	reason := job.Reason(c.PostForm("reason"))
	verified := v.left() == 0
	if reason == "" && verified {
		reason = job.Verified
	}
	refuse := func(sentence string) { a.showVerify(c, j, http.StatusUnprocessableEntity, sentence) }
	switch {
	case len(v.way) > 0:
		refuse("The ledger is not empty: " + strings.Join(v.way, ", ") + ". Put everything back before the job closes.")
	case reason == "" || reason == job.Verified && !verified:
		refuse(fmt.Sprintf("Not verified yet: %s. Go through the list, or choose the reason for closing without.", leftWords(v.left())))
	case reason != job.Verified && !slices.Contains(job.Reasons, reason):
		refuse("That is no reason a job closes for.")
	case text == "" && reason != job.NotReproduced:
		refuse("Say what it was and what was done, or why the job closes without.")
	default:
		a.forget()
		a.write(c, j, job.Entry{Kind: job.Closed, Body: job.Body{Text: text, Reason: reason}})
	}
}

func leftWords(n int) string {
	if n == 1 {
		return "1 point is left"
	}
	return strconv.Itoa(n) + " points are left"
}
