package circuits

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/logic"
	"ironthread/core/probe"
	"ironthread/sim"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// logicPage lays a circuit's control out: the table of conditions, a warm-up by the simulated engine, and what one output for
// two stages would do.
type logicPage struct {
	room.Frame
	control
	Harness      store.Harness
	Kept, Second string
	Again        string // it is still being worked out: where the page asks again
}

// tieShown is one polarity of one output for two stages.
type tieShown struct {
	Words    string
	Inverted bool
	*logic.Tied
	Table *logic.Table
	Lines []lineVolts
	Fails []logic.Failure
}

// lineVolts is what the two stages' lines show in a state.
type lineVolts struct {
	State, Kept, Second string
	Fans                map[string]string
}

func (a *Circuits) logic(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	p := &logicPage{Frame: a.Frame(c, "Control: "+h.Title, "library"), Harness: h, Kept: room.Clip(c.Query("kept"), room.MaxWho),
		Second: room.Clip(c.Query("second"), room.MaxWho)}
	told, ready, err := worked.Once(c.Request.Context(), b.Circuit, "control of "+p.Kept+" and "+p.Second, a.Patience,
		func() (*control, error) { return controlOf(b, p.Kept, p.Second) })
	switch {
	case errors.Is(err, store.ErrBusy), err != nil && c.Request.Context().Err() != nil:
		a.FailWith(c, err)
		return
	case err != nil:
		a.Refuse(c, err)
		return
	case ready:
		p.control = *told
	default:
		p.Again = c.Request.URL.RequestURI()
	}
	a.Render(c, http.StatusOK, "logic.html", p)
}

// control is what takes long of a circuit's control.
type control struct {
	Table    *logic.Table
	WarmUp   []*drawing.Plot
	Untold   string // why no warm-up is told
	Ties     []tieShown
	TieWrong string
}

// controlOf works a circuit's control out, and one output for two of its stages where they are named.
func controlOf(b *worked.File, kept, second string) (*control, error) {
	p := &control{}
	var err error
	if p.Table, err = logic.Of(b.Model); err != nil {
		return nil, err
	}
	if p.WarmUp, err = warmUp(b.Model); err != nil {
		p.Untold = room.Sentence(err)
	}
	if kept == "" || second == "" {
		return p, nil
	}
	for _, inverted := range []bool{false, true} {
		t, err := tie(b.Drawn, kept, second, inverted)
		if err != nil {
			p.TieWrong = room.Sentence(err)
			break
		}
		p.Ties = append(p.Ties, *t)
	}
	return p, nil
}

// tie lays one output for two stages out, in one polarity.
func tie(c *harness.Circuit, kept, second string, inverted bool) (*tieShown, error) {
	keptPin, secondPin := harness.ParsePin(kept), harness.ParsePin(second)
	tied, err := logic.Tie(c, keptPin, secondPin, inverted)
	if err != nil {
		return nil, err
	}
	m, err := electric.New(tied.Circuit)
	if err != nil {
		return nil, err
	}
	t := &tieShown{Words: "The output pulls to run both", Inverted: inverted, Tied: tied}
	if inverted {
		t.Words = "The output pulls to keep both off: an open line runs them"
	}
	if t.Table, err = logic.Of(m); err != nil {
		return nil, err
	}
	if t.Fails, err = logic.Fails(m, keptPin); err != nil {
		return nil, err
	}
	ends := [2]string{}
	for i, pin := range []harness.Pin{keptPin, secondPin} {
		for _, w := range c.Wires {
			switch pin {
			case w.From:
				ends[i] = w.To.String()
			case w.To:
				ends[i] = w.From.String()
			}
		}
	}
	for _, s := range tied.Circuit.States {
		point, err := m.Solve(electric.Condition{State: s})
		if err != nil {
			return nil, err
		}
		line := lineVolts{State: s.Name, Kept: voltsWords(point.Pins[ends[0]]), Second: voltsWords(point.Pins[ends[1]]),
			Fans: map[string]string{}}
		for name, x := range point.Motors {
			line.Fans[name] = string(x.Speed)
		}
		t.Lines = append(t.Lines, line)
	}
	return t, nil
}

func voltsWords(v *float64) string {
	if v == nil {
		return "floats"
	}
	return probe.FormatVolts(*v)
}

// keepTied puts one output for two stages into the library.
func (a *Circuits) keepTied(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	t, err := tie(b.Drawn, c.PostForm("kept"), c.PostForm("second"), c.PostForm("inverted") != "")
	if err != nil {
		a.Refuse(c, err)
		return
	}
	text, err := harness.Write(t.Circuit)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	added, err := a.keep.AddHarness(c.Request.Context(), room.Slug(h.Name+"-one-output"), h.Title+", one output", string(text))
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.taken(c, added, "/harnesses/"+url.PathEscape(added.Name))
}

// The simulated warm-up: how long it idles, when the A/C comes on, and how often the vehicle is looked at.
const (
	warmUpSeconds = 3600
	warmUpAC      = 2700
	warmUpStep    = 5
	warmUpFrom    = 60.0 // °C
)

// warmUp lets a simulated vehicle of a circuit idle until it is hot, and puts the A/C on near the end.
func warmUp(m *electric.Model) ([]*drawing.Plot, error) {
	v, err := sim.New(m, sim.Options{})
	if err != nil {
		return nil, err
	}
	drive := func(list ...string) error {
		for _, words := range list {
			if err := v.Drive(words); err != nil {
				return err
			}
		}
		return nil
	}
	if err := drive("key on", "engine running", fmt.Sprintf("coolant %g", warmUpFrom)); err != nil {
		return nil, err
	}
	coolant := &drawing.Plot{Title: "Coolant, idling; the A/C on from 2700 s", Unit: "°C", To: warmUpSeconds}
	speeds := &drawing.Plot{Title: "Fans", Unit: "% of full speed", To: warmUpSeconds, Origin: true}
	heat := drawing.PlotLine{}
	fans := map[string]*drawing.PlotLine{}
	var names []string
	marked := map[string]bool{}
	for at := 0; at <= warmUpSeconds; at += warmUpStep {
		if at == warmUpAC {
			if err := drive("ac on"); err != nil {
				return nil, err
			}
		}
		s := v.Stands()
		heat.Seconds, heat.Values = append(heat.Seconds, float64(at)), append(heat.Values, s.Coolant)
		for _, p := range m.Circuit.Fans() {
			line := fans[p.Name]
			if line == nil {
				line = &drawing.PlotLine{Name: p.Name}
				fans[p.Name], names = line, append(names, p.Name)
			}
			line.Seconds, line.Values = append(line.Seconds, float64(at)), append(line.Values, 100*s.Fans[p.Name].Share)
		}
		for _, command := range s.Commands {
			if at > 0 && !marked[command] { // the first of each tells enough
				marked[command] = true
				coolant.Marks = append(coolant.Marks, drawing.PlotMark{At: float64(at), Text: command})
			}
		}
		v.Advance(warmUpStep)
	}
	coolant.Lines = []drawing.PlotLine{heat}
	for _, name := range names {
		speeds.Lines = append(speeds.Lines, *fans[name])
	}
	return []*drawing.Plot{coolant, speeds}, nil
}
