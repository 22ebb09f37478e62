package jobs

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/web/room"
)

// faultAsked is the fault in a page's address, or the one that leads.
func (a *Jobs) faultAsked(c *gin.Context, j *jobAt) string {
	if words := room.Clip(c.Query("fault"), room.MaxText); words != "" {
		return words
	}
	as, ready, err := j.file.Assess(c.Request.Context(), j.state.Seen, nowOf(c, j), a.Patience)
	if !ready || err != nil {
		return ""
	}
	return leading(as)
}

// whyPage explains one suspect by the readings that decided.
type whyPage struct {
	jobSide
	Fault  string
	Faults []string
	Why    *diagnose.Explanation
	Like   *diagnose.Standing // the suspects that nothing tells apart from it, if there are any
}

func (a *Jobs) why(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := whyPage{jobSide: a.side(c, j, "why"), Fault: a.faultAsked(c, j), Faults: j.file.Guide.Faults()}
	status := http.StatusOK
	if p.Fault != "" {
		why, ready, err := j.file.Why(c.Request.Context(), j.state.Seen, nowOf(c, j), p.Fault, a.Patience)
		switch {
		case err != nil:
			p.Notice, p.Bad, status = room.Sentence(err), true, http.StatusUnprocessableEntity
		case !ready:
			p.Pending = pendingOf(c, j)
		default:
			p.Why = why
			p.Like, err = a.likeOf(c, j, p.Fault)
		}
		if err != nil && p.Notice == "" {
			a.FailWith(c, err)
			return
		}
	}
	a.Render(c, status, "why.html", p)
}

// likeOf is the standing that holds a fault and what nothing tells apart from it; nil where it stands alone, is not
// among those left, or what is left is still being worked out.
func (a *Jobs) likeOf(c *gin.Context, j *jobAt, fault string) (*diagnose.Standing, error) {
	as, ready, err := j.file.Assess(c.Request.Context(), j.state.Seen, nowOf(c, j), a.Patience)
	if err != nil || !ready {
		return nil, err
	}
	for k, s := range as.Suspects {
		if len(s.SameAs) > 0 && (s.Fault == fault || slices.Contains(s.SameAs, fault)) {
			return &as.Suspects[k], nil
		}
	}
	return nil, nil
}

// believePage is "prove me wrong".
type believePage struct {
	jobSide
	Parts  []*harness.Part
	Part   string
	Stakes *diagnose.Stakes
	URL    string // records the refuting test
}

func (a *Jobs) believe(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := believePage{jobSide: a.side(c, j, "believe"), Part: room.Clip(c.Query("part"), room.MaxText), Parts: j.file.Guide.Parts()}
	status := http.StatusOK
	if p.Part == "" { // the part that leads
		p.Part = a.leadingPart(c, j)
	}
	if p.Part != "" {
		stakes, ready, err := j.file.Refute(c.Request.Context(), j.state.Seen, nowOf(c, j), p.Part, a.Patience)
		switch {
		case err != nil:
			p.Notice, p.Bad, status = room.Sentence(err), true, http.StatusUnprocessableEntity
		case !ready:
			p.Pending = pendingOf(c, j)
		}
		p.Stakes = stakes
		if stakes != nil && stakes.Refute != nil {
			p.URL = moveURL(j, stakes.Refute.Question)
		}
	}
	a.Render(c, status, "believe.html", p)
}

// leadingPart is the part on which most belief lies, empty where that is not known yet.
func (a *Jobs) leadingPart(c *gin.Context, j *jobAt) string {
	as, ready, err := j.file.Assess(c.Request.Context(), j.state.Seen, nowOf(c, j), a.Patience)
	if !ready || err != nil {
		return ""
	}
	best := ""
	for _, p := range j.file.Guide.Parts() {
		if as.Belief.Parts[p.Name] > as.Belief.Parts[best] {
			best = p.Name
		}
	}
	return best
}

// moveURL is the job's page with a move as one's own choice; its set-up is spelled out there.
func moveURL(j *jobAt, m probe.Question) string {
	q := url.Values{"state": {m.State}, "as": {"move"}}
	for _, s := range m.Setup {
		q.Add("setup", s)
	}
	for key, v := range map[string]string{"do": string(m.Do), "pin": m.At, "from": m.From, "part": m.Part, "with": m.With} {
		if v != "" {
			q.Set(key, v)
		}
	}
	return fmt.Sprintf("/jobs/%d?%s", j.ID, q.Encode())
}

// drivePage tells what cooling remains.
type drivePage struct {
	jobSide
	Fault      string
	Faults     []string
	Apart      []string // what is not in its place now
	Drive      *repair.Driving
	AsItStands *repair.Driving // where something is not in its place
}

func (a *Jobs) drive(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := drivePage{jobSide: a.side(c, j, "drive"), Fault: a.faultAsked(c, j), Faults: j.file.Guide.Faults()}
	status := http.StatusOK
	var faults []fault.Fault
	if p.Fault != "" {
		f, err := fault.Parse(j.file.Drawn, p.Fault)
		if err != nil {
			p.Notice, p.Bad, status = room.Sentence(err), true, http.StatusUnprocessableEntity
		} else {
			faults = append(faults, f)
		}
	}
	refuse := func(err error) {
		if err != nil {
			p.Refuse(err)
			status = http.StatusUnprocessableEntity
		}
	}
	var err error
	lasting := probe.Lasting(j.state.Ledger)
	p.Drive, err = repair.CanDrive(j.file.Model, lasting, faults)
	refuse(err)
	for _, action := range j.state.Ledger {
		if !slices.Contains(lasting, action) {
			p.Apart = append(p.Apart, action.String())
		}
	}
	if len(p.Apart) > 0 {
		p.AsItStands, err = repair.CanDrive(j.file.Model, j.state.Ledger, faults)
		refuse(err)
	}
	a.Render(c, status, "drive.html", p)
}
