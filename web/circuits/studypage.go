package circuits

import (
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/study"
	"ironthread/web/room"
)

// studyPage shows a study of a circuit, on its way or done.
type studyPage struct {
	room.Frame
	Name, Harness string
	Kinds         []room.Choice
	Kind          string
	Faults        int // there are to play
	Running       bool
	Done, Of      int
	Reports       []*study.Report
	Ratio         float64 // minutes against the textbook's order
	Failed        string
}

func (a *Circuits) study(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	if b.Guide == nil {
		a.Fail(c, http.StatusUnprocessableEntity, room.Capitalise(b.Unfit)+".")
		return
	}
	s := a.studies.of(b.Sum)
	s.mu.Lock()
	defer s.mu.Unlock()
	p := studyPage{
		Frame: a.Frame(c, "Study: "+h.Title, "library"), Faults: len(b.Guide.Hypotheses()), Name: h.Name, Harness: h.Title,
		Kinds: studyKinds, Kind: s.kind,
		Running: s.playing, Done: s.done, Of: s.of, Reports: s.reports, Failed: s.failed,
	}
	if len(s.reports) == 2 && s.reports[1].MeanMinutes > 0 {
		p.Ratio = s.reports[0].MeanMinutes / s.reports[1].MeanMinutes
	}
	a.Render(c, http.StatusOK, "study.html", p)
}

// beginStudy starts a study of a circuit, or stops the one that runs.
func (a *Circuits) beginStudy(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	s := a.studies.of(b.Sum)
	if c.PostForm("stop") == "" && a.studies.busy(s) {
		a.Fail(c, http.StatusConflict, "Another circuit's study is on its way; wait for its end, or stop it.")
		return
	}
	kind := c.PostForm("kind")
	switch {
	case b.Guide == nil:
		a.Fail(c, http.StatusUnprocessableEntity, room.Capitalise(b.Unfit)+".")
		return
	case c.PostForm("stop") != "":
		s.end()
	default:
		guide, err := diagnose.NewWithin(b.Model, a.circuits.Budget()) // its own, so that no job waits for it
		if err != nil {
			a.Fail(c, http.StatusUnprocessableEntity, room.Sentence(err))
			return
		}
		s.start(guide, kind)
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"/study")
}
