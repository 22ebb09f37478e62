package web

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/repair"
)

// faultAsked is the fault in a page's address, or the one that leads.
func (a *App) faultAsked(c *gin.Context, j *jobAt) string {
	if words := clip(c.Query("fault"), maxText); words != "" {
		return words
	}
	as, ready, err := j.bench.assess(c.Request.Context(), j.state.Seen, nowOf(c, j), a.opts.Patience)
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
}

func (a *App) why(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := whyPage{jobSide: a.side(c, j, "why"), Fault: a.faultAsked(c, j), Faults: j.bench.guide.Faults()}
	status := http.StatusOK
	if p.Fault != "" {
		why, ready, err := j.bench.why(c.Request.Context(), j.state.Seen, nowOf(c, j), p.Fault, a.opts.Patience)
		switch {
		case err != nil:
			p.Notice, p.Bad, status = capitalise(err.Error())+".", true, http.StatusUnprocessableEntity
		case !ready:
			p.Pending = pendingOf(c, j)
		default:
			p.Why = why
		}
	}
	a.render(c, status, "why.html", p)
}

// believePage is "prove me wrong".
type believePage struct {
	jobSide
	Parts  []*harness.Part
	Part   string
	Stakes *diagnose.Stakes
	URL    string // records the refuting test
}

func (a *App) believe(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := believePage{jobSide: a.side(c, j, "believe"), Part: clip(c.Query("part"), maxText), Parts: j.bench.guide.Parts()}
	status := http.StatusOK
	if p.Part != "" {
		stakes, ready, err := j.bench.refute(c.Request.Context(), j.state.Seen, nowOf(c, j), p.Part, a.opts.Patience)
		switch {
		case err != nil:
			p.Notice, p.Bad, status = capitalise(err.Error())+".", true, http.StatusUnprocessableEntity
		case !ready:
			p.Pending = pendingOf(c, j)
		}
		p.Stakes = stakes
		if stakes != nil && stakes.Refute != nil {
			p.URL = moveURL(j, stakes.Refute)
		}
	}
	a.render(c, status, "believe.html", p)
}

// moveURL is the job's page with a move as one's own choice; its set-up is spelled out there.
func moveURL(j *jobAt, m *diagnose.Move) string {
	q := url.Values{"state": {m.State}, "as": {"move"}}
	asked := m.Asked()
	for _, s := range m.Setup {
		q.Add("setup", s)
	}
	for key, v := range map[string]string{"do": string(m.Do), "pin": m.At, "from": m.From, "part": m.Part, "bench": asked.Bench} {
		if v != "" {
			q.Set(key, v)
		}
	}
	if m.With != "" {
		q.Set("with", m.With)
	}
	for _, b := range asked.Between {
		q.Add("between", b)
	}
	if asked.Energised {
		q.Set("energised", "1")
	}
	return fmt.Sprintf("/jobs/%d?%s", j.ID, q.Encode())
}

// drivePage tells what cooling remains.
type drivePage struct {
	jobSide
	Fault  string
	Faults []string
	Drive  *repair.Driving
}

func (a *App) drive(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := drivePage{jobSide: a.side(c, j, "drive"), Fault: a.faultAsked(c, j), Faults: j.bench.guide.Faults()}
	status := http.StatusOK
	var faults []fault.Fault
	if p.Fault != "" {
		f, err := fault.Parse(j.bench.circuit, p.Fault)
		if err != nil {
			p.Notice, p.Bad, status = capitalise(err.Error())+".", true, http.StatusUnprocessableEntity
		} else {
			faults = append(faults, f)
		}
	}
	var err error
	if p.Drive, err = repair.CanDrive(j.bench.model, j.state.Ledger, faults); err != nil {
		p.Notice, p.Bad, status = capitalise(err.Error())+".", true, http.StatusUnprocessableEntity
	}
	a.render(c, status, "drive.html", p)
}
