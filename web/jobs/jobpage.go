package jobs

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/web/room"
)

const suspectsListed = 7

func (a *Jobs) job(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	key, err := a.madeOf(c, j)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	if a.pages.again(c, key) {
		return
	}
	w := &copying{ResponseWriter: c.Writer}
	c.Writer = w
	whole := a.showJob(c, j, readJobRequest(c))
	c.Writer = w.ResponseWriter
	if whole && c.Writer.Status() == http.StatusOK {
		a.pages.keep(key, w.page.Bytes())
	}
}

// showJob assembles the page; whole tells that nothing of it is still being worked out.
func (a *Jobs) showJob(c *gin.Context, j *jobAt, r jobRequest) (whole bool) {
	now := nowOf(c, j)
	as, ready, err := j.file.Assess(c.Request.Context(), j.state.Seen, now, a.Patience)
	if err != nil {
		a.FailWith(c, err)
		return false
	}
	p := &jobPage{
		jobSide: a.side(c, j, "job"), Back: r.back,
		Beads: j.state.Beads, Setup: probe.SetupWords(j.state.Ledger), Said: room.Clip(c.PostForm("line"), room.MaxText),
	}
	p.Tally = &tally{Working: !ready}
	if !ready {
		p.Pending = pendingOf(c, j)
		as = &diagnose.Assessment{}
	}
	if p.Newer, err = a.newerRevision(c.Request.Context(), j); err != nil {
		a.FailWith(c, err)
		return false
	}
	if p.Before, err = a.keep.Before(c.Request.Context(), j.ID); err != nil {
		a.FailWith(c, err)
		return false
	}
	p.Notice, p.Bad = r.notice, r.bad
	p.Metered, p.Truths = a.watches.Meter(j.ID) != nil, j.file.Truths()
	p.stands(j, as)
	if !j.state.Closed && !ready && j.tableFirst(r) {
		// What is left is worked out while the states are commanded; a page that asks again would undo what is chosen.
		kit, _ := room.KitOf(c)
		p.Table, p.Pending = j.commands(kit), nil
	}
	if !j.state.Closed && ready {
		if err := a.chooseCard(c, p, j, weighed{now, as}, r); err != nil {
			p.Notice, p.Bad, r.status = room.Sentence(err), true, http.StatusUnprocessableEntity
			if err := a.chooseCard(c, p, j, weighed{now, as}, jobRequest{}); err != nil {
				a.FailWith(c, err)
				return false
			}
		}
	}
	if err := p.chooseState(j, r); err != nil {
		p.Notice, p.Bad, r.status = room.Sentence(err), true, http.StatusUnprocessableEntity
		p.Shown = j.file.Drawn.States[0].Name
	}
	if led(c) && ready && !p.Chosen() {
		p.Led = p.ledAt(j)
	}
	return a.layJob(c, p, j, as, r)
}

// stands fills in how the job stands: what the evidence leaves, and what follows from it.
func (p *jobPage) stands(j *jobAt, as *diagnose.Assessment) {
	p.Tally.Left, p.Tally.Of = leftOf(j.state, as), as.Of
	p.Verdict, p.Cleared, p.Pairs = as.Verdict, strings.Join(as.Cleared, " "), as.Pairs
	if first, last := j.state.Beads[0], j.state.Beads[len(j.state.Beads)-1]; len(j.state.Beads) > 1 {
		p.Tally.Minutes = last.At.Sub(first.At).Minutes()
	}
	p.Repairs = repairsOf(j, as.Verdict)
	p.Mended = as.Outcome == diagnose.IsMended && as.Verdict != nil && as.Verdict.Proven && as.Verdict.Faults[0] == diagnose.NoFault
	p.MendedBy = as.Mended
	p.Also, p.Nothing = as.Also, as.Outcome == diagnose.NothingFound && !j.state.Closed
	p.Causes = causesOf(j, as.Verdict)
	for _, o := range j.state.Seen {
		if o.Fans() != nil {
			p.Looked = append(p.Looked, o.State)
		}
	}
	for _, s := range as.Surprising {
		p.Surprises = append(p.Surprises, s.Text)
	}
	p.Suspects = as.Suspects[:min(suspectsListed, len(as.Suspects))]
	p.Hidden = len(as.Suspects) - len(p.Suspects)
}

// layJob lays the drawing and sends the page, or those parts of it that have changed; whole tells that nothing is still being worked
// out.
func (a *Jobs) layJob(c *gin.Context, p *jobPage, j *jobAt, as *diagnose.Assessment, r jobRequest) (whole bool) {
	ready := !p.Tally.Working
	p.Lately = j.lately()
	p.Socket = socketOf(j, p.Card)
	p.offerSetup(j)
	p.offerStand(j)
	circuit, evidence, err := p.look(j, as, r)
	if err != nil {
		a.FailWith(c, err)
		return false
	}
	if err := a.lay(c, p, j, circuit, evidence); err != nil {
		a.FailWith(c, err)
		return false
	}
	if r.status >= http.StatusBadRequest && onJobPage(c) {
		a.Part(c, r.status, "job.html", "notice", p) // what was typed stays as it is
		return false
	}
	if p.Paper.Under != "" && onJobPage(c) {
		a.Part(c, r.status, "job.html", "changed", p)
		return ready && p.Pending == nil
	}
	a.Render(c, r.status, "job.html", p)
	return ready && p.Pending == nil && p.Paper.Again == ""
}

// socketOf is where the card of the move's socket is; empty where it is at none.
func socketOf(j *jobAt, move *card) string {
	if move == nil || move.At == "" {
		return ""
	}
	part := j.file.Drawn.Part(harness.ParsePin(move.At).Part)
	if part == nil || part.Kind() != harness.KindRelay && part.Kind() != harness.KindFuse {
		return ""
	}
	q := url.Values{"state": {move.State}, "setup": move.Setup}
	if !slices.Contains(move.Setup, part.Name+" "+string(electric.Out)) {
		q.Set("in", "1")
	}
	return fmt.Sprintf("/harnesses/%s/boxes/%s?%s", url.PathEscape(j.Sheet), url.PathEscape(part.Name), q.Encode())
}

// mostCauses bounds how many causes are named beside a verdict; the whole list is asked before the job closes.
const mostCauses = 3

// causesOf is what to look into before the part that a proven verdict names is renewed.
func causesOf(j *jobAt, v *diagnose.Verdict) []string {
	if v == nil || !v.Proven {
		return nil
	}
	f, err := fault.Parse(j.file.Drawn, v.Faults[0])
	if err != nil {
		return nil
	}
	var list []string
	for _, check := range repair.Causes(j.file.Model, f) {
		if len(list) < mostCauses {
			list = append(list, check.Text)
		}
	}
	return list
}

// repairsOf lists what to enter once what the verdict names has been mended.
func repairsOf(j *jobAt, v *diagnose.Verdict) []string {
	if v == nil || !v.Proven {
		return nil
	}
	var list []string
	for _, words := range v.Faults {
		f, err := fault.Parse(j.file.Drawn, words)
		if err != nil {
			continue // no fault
		}
		for _, a := range j.file.Guide.Repairs(probe.Lasting(j.state.Ledger), f) {
			if !slices.Contains(list, a.String()) {
				list = append(list, a.String())
			}
		}
	}
	return list
}

// weighed is what the evidence leaves, as the car stands.
type weighed struct {
	now diagnose.Now
	as  *diagnose.Assessment
}

// chooseCard decides which move the right column shows.
func (a *Jobs) chooseCard(c *gin.Context, p *jobPage, j *jobAt, at weighed, r jobRequest) error {
	now, as := at.now, at.as
	heading := "Next move"
	switch {
	case as.Verdict != nil && !as.Verdict.Proven:
		heading = "Next, for the proof"
	case len(as.Next) > 0 && as.Next[0].Retest:
		heading = "After the repair"
	}
	for i, m := range as.Next {
		p.Others = append(p.Others, otherMove{m.Title, m.Minutes, fmt.Sprintf("/jobs/%d?move=%d", j.ID, i+1)})
	}
	if j.tableFirst(r) {
		kit, _ := room.KitOf(c)
		p.Table = j.commands(kit)
		return nil
	}
	var err error
	switch {
	case r.round != "":
		p.Round, err = j.roundAsked(p.stateFor(j, as, r), r.round, r.own.Get("do"))
		return err
	case r.place != "":
		p.Place, err = j.placeAsked(p.stateFor(j, as, r), r.place)
		return err
	case len(r.own) > 0:
		j.otherEndOf(r.own)
		t, err := ownTest(j.file.Model, p.stateFor(j, as, r), j.state.Ledger, r.own)
		if err != nil {
			return err
		}
		m, ready, err := j.file.Look(c.Request.Context(), j.state.Seen, now, t, a.Patience)
		if err != nil {
			return err
		}
		if !ready {
			p.Pending = pendingOf(c, j)
			return nil
		}
		p.Card = &card{Move: m, Heading: "Your choice", Mine: true}
		p.offerHere(j, t)
	case len(as.Next) == 0:
		return nil
	default:
		k := 0
		if r.move >= 1 && r.move <= len(as.Next) {
			k = r.move - 1
		}
		p.Card = &card{Move: as.Next[k], Heading: heading}
		p.Others = slices.Delete(p.Others, k, k+1)
	}
	return p.fillCard(j)
}

// fillCard says how the card's question is answered, and what recording it enters in the ledger.
func (p *jobPage) fillCard(j *jobAt) error {
	circuit := j.file.Drawn
	switch kind := probe.Of(p.Card.Do).(type) {
	case probe.Looking:
		for _, fan := range circuit.Fans() {
			p.Card.Fans = append(p.Card.Fans, fanInput{fan.Name, fan.Label, j.fanWords(fan.Name, circuit.State(p.Card.State))})
		}
	case probe.Typed:
		p.Card.Typed, p.Card.Example = kind.Asks()
	case probe.Worded:
		test, err := p.Card.Test(circuit)
		if err != nil {
			return err
		}
		p.Card.Answers = kind.Words(test)
	case probe.Figured:
		p.Card.Unit = kind.Unit()
		p.Card.Ohms = kind.Unit() == &probe.InOhms
	}
	after := p.Card.Setup
	if part, _ := p.Card.OnBench(); part != "" {
		after = slices.DeleteFunc(slices.Clone(after), func(s string) bool { return strings.HasPrefix(s, string(electric.Pack)) })
	}
	p.Card.Changes, p.Card.After = p.changes(p.Setup, after), after
	return nil
}

// stateFor is the state a test of one's own is made in: the one shown.
func (p *jobPage) stateFor(j *jobAt, as *diagnose.Assessment, r jobRequest) *harness.State {
	if s := j.file.Drawn.State(r.state); s != nil {
		return s
	}
	if len(as.Next) > 0 {
		return j.file.Drawn.State(as.Next[0].State)
	}
	if j.state.Now.State != nil {
		return j.state.Now.State
	}
	return j.file.Drawn.States[0]
}

// changes says what going from one set-up to another enters in the ledger.
func (p *jobPage) changes(from, to []string) []string {
	var list []string
	for _, s := range from {
		if !slices.Contains(to, s) {
			list = append(list, p.PutBack(s))
		}
	}
	for _, s := range to {
		if !slices.Contains(from, s) {
			list = append(list, p.Did(s))
		}
	}
	return list
}
