package web

import (
	"context"

	"net/http"
	"net/url"
	"sync"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
)

// studying is a study on its way in the background; it is kept until another is begun.
type studying struct {
	mu       sync.Mutex
	begun    bool
	kind     string
	done, of int
	reports  []*diagnose.Report
	failed   string
	stop     bool
}

// studies by the circuit's text.
type studies struct {
	mu   sync.Mutex
	byID map[[32]byte]*studying
}

func (s *studies) of(sum [32]byte) *studying {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.byID == nil {
		s.byID = map[[32]byte]*studying{}
	}
	if s.byID[sum] == nil {
		s.byID[sum] = &studying{}
	}
	return s.byID[sum]
}

// busy tells whether a study is on its way that is not this one: they take a whole core.
func (s *studies) busy(but *studying) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, other := range s.byID {
		if other == but {
			continue
		}
		other.mu.Lock()
		begun := other.begun
		other.mu.Unlock()
		if begun {
			return true
		}
	}
	return false
}

// Kinds of study, each a list of runs.
var studyKinds = []choice{
	{Value: "clean", Label: "Every fault, every reading right"},
	{Value: "spread", Label: "Cars within tolerance, 2 % misreads"},
	{Value: "doubles", Label: "Two faults at once, repaired to the end"},
}

func studyRuns(kind string) []diagnose.StudyOptions {
	switch kind {
	case "spread":
		return []diagnose.StudyOptions{{Spread: 1, Misread: 0.02}}
	case "doubles":
		return []diagnose.StudyOptions{{Doubles: 40}}
	}
	return []diagnose.StudyOptions{{}, {Policy: diagnose.Textbook}}
}

type studyPage struct {
	frame
	Name, Harness string
	Kinds         []choice
	Kind          string
	Running       bool
	Done, Of      int
	Reports       []*diagnose.Report
	Ratio         float64 // minutes against the textbook's order
	Failed        string
}

func (a *App) study(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	if b.guide == nil {
		a.fail(c, http.StatusUnprocessableEntity, "This circuit has no fan, so there is nothing to diagnose.")
		return
	}
	s := a.studies.of(b.sum)
	s.mu.Lock()
	defer s.mu.Unlock()
	p := studyPage{
		frame: a.frame(c, "Study: "+h.Title, "library"), Name: h.Name, Harness: h.Title, Kinds: studyKinds, Kind: s.kind,
		Running: s.begun, Done: s.done, Of: s.of, Reports: s.reports, Failed: s.failed,
	}
	if len(s.reports) == 2 && s.reports[1].MeanMinutes > 0 {
		p.Ratio = s.reports[0].MeanMinutes / s.reports[1].MeanMinutes
	}
	a.render(c, http.StatusOK, "study.html", p)
}

// beginStudy starts a study of a circuit, or stops the one that runs.
func (a *App) beginStudy(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	s := a.studies.of(b.sum)
	if c.PostForm("stop") == "" && a.studies.busy(s) {
		a.fail(c, http.StatusConflict, "Another circuit's study is on its way; wait for its end, or stop it.")
		return
	}
	s.mu.Lock()
	switch {
	case b.guide == nil:
	case c.PostForm("stop") != "":
		s.stop = true
	case !s.begun:
		kind := c.PostForm("kind")
		s.begun, s.kind, s.stop, s.done, s.of, s.reports, s.failed = true, kind, false, 0, 0, nil, ""
		guide, err := diagnose.New(b.model) // its own, so that no job waits for it
		if err != nil {
			s.begun, s.failed = false, err.Error()
			break
		}
		go s.run(guide, studyRuns(kind))
	}
	s.mu.Unlock()
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"/study")
}

func (s *studying) run(g *diagnose.Guide, runs []diagnose.StudyOptions) {
	defer func() {
		p := recover()
		s.mu.Lock()
		defer s.mu.Unlock()
		s.begun = false
		if p != nil {
			s.failed = "The study broke off; the log of the application says why."
		}
	}()
	for _, o := range runs {
		r, err := g.Study(context.Background(), o, func(done, of int) {
			s.mu.Lock()
			defer s.mu.Unlock()
			s.done, s.of = done, of
		})
		s.mu.Lock()
		if err != nil {
			s.failed = capitalise(err.Error()) + "."
		} else {
			s.reports = append(s.reports, r)
		}
		stop := s.stop || err != nil
		s.mu.Unlock()
		if stop {
			return
		}
	}
}
