package circuits

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/study"
	"ironthread/store"
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
	s, err := a.keep.StudyOf(c.Request.Context(), b.Sum)
	var reports []*study.Report
	if err == nil {
		if err = json.Unmarshal(s.Reports, &reports); err != nil {
			err = fmt.Errorf("a study's figures: %w", err)
		}
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	p := studyPage{
		Frame: a.Frame(c, "Study: "+h.Title, "library"), Faults: len(b.Guide.Hypotheses()), Name: h.Name, Harness: h.Title,
		Kinds: studyKinds, Kind: s.Kind,
		Running: s.Playing, Done: s.Done, Of: s.Total, Reports: reports, Failed: s.Failed,
	}
	if len(reports) == 2 && reports[1].MeanMinutes > 0 {
		p.Ratio = reports[0].MeanMinutes / reports[1].MeanMinutes
	}
	a.Render(c, http.StatusOK, "study.html", p)
}

// beginStudy starts a study of a circuit, or stops the one that runs.
func (a *Circuits) beginStudy(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	ctx := c.Request.Context()
	var err error
	switch {
	case b.Guide == nil:
		a.Fail(c, http.StatusUnprocessableEntity, room.Capitalise(b.Unfit)+".")
		return
	case c.PostForm("stop") != "":
		err = a.keep.StopStudy(ctx, b.Sum)
	default:
		err = a.startStudy(c, b.Sum, func() (*diagnose.Guide, error) {
			return diagnose.NewWithin(b.Model, a.circuits.Budget()) // its own, so that no job waits for it
		})
	}
	switch {
	case errors.Is(err, errBusy):
		a.Fail(c, http.StatusConflict, "Another circuit's study is on its way; wait for its end, or stop it.")
	case err != nil:
		a.FailWith(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"/study")
	}
}

var errBusy = errors.New("another study is on its way")

// startStudy begins a study, unless this circuit's is on its way at some instance already, which changes nothing, or this
// instance plays another: errBusy.
func (a *Circuits) startStudy(c *gin.Context, sum string, guide func() (*diagnose.Guide, error)) error {
	ctx := c.Request.Context()
	if s, err := a.keep.StudyOf(ctx, sum); err != nil || s.Playing {
		return err
	}
	select {
	case a.playing <- struct{}{}:
	default:
		return errBusy
	}
	kind := room.Clip(c.PostForm("kind"), room.MaxWho)
	g, err := guide()
	if err == nil {
		err = a.keep.BeginStudy(ctx, sum, kind)
	}
	if err != nil {
		<-a.playing
		if g != nil {
			g.Close()
		}
		if errors.Is(err, store.ErrStudying) {
			return nil
		}
		return err
	}
	go a.play(sum, kind, g)
	return nil
}
