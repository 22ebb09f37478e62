package circuits

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/units"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// startPage shows a start in time: currents, speeds, the supply's dip, and what it asks of the
// fuses.
type startPage struct {
	room.Frame
	Harness store.Harness
	States  []string
	First   string
	Then    string
	After   string // seconds
	For     string
	Cards   []string // resistor cards there are
	Airless string
	Faults  []string
	Setup   []string

	Plots  []*drawing.Plot
	Fans   []fanStart
	Fuses  []fuseStart
	Events []electric.Event
}

type fanStart struct {
	Name                   string
	Peak, Running, Settles float64
}

type fuseStart struct {
	Name, Says string
	Peak       float64
	Used       float64
}

// What a start shows unless asked otherwise, seconds.
const startSeconds, stageSeconds = 2.0, 1.0

func (a *Circuits) start(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	p := &startPage{
		Frame: a.Frame(c, "Start: "+h.Title, "library"), Harness: h,
		First: c.Query("state"), Then: c.Query("then"), After: c.Query("after"), For: c.Query("for"), Airless: c.Query("airless"),
	}
	status := http.StatusOK
	for _, s := range b.Drawn.States {
		p.States = append(p.States, s.Name)
	}
	for _, card := range b.Drawn.OfKind(harness.KindResistorCard) {
		p.Cards = append(p.Cards, card.Name)
	}
	if p.First == "" {
		p.First = p.States[len(p.States)-1]
	}
	if err := p.run(c, b); err != nil {
		p.Notice, p.Bad, status = room.Sentence(err), true, http.StatusUnprocessableEntity
	}
	a.Render(c, status, "start.html", p)
}

func (p *startPage) run(c *gin.Context, b *worked.File) error {
	sp := &sheetPage{}
	cond, err := sp.condition(b, c.Request.URL.Query())
	if err != nil {
		return err
	}
	cond.After = nil // a start is from cold
	p.Faults, p.Setup = sp.Faults, sp.Setup
	first, err := b.Drawn.FindState(p.First)
	if err != nil {
		return err
	}
	stages := []electric.Stage{{State: first}}
	seconds := startSeconds
	if p.Then != "" {
		state, err := b.Drawn.FindState(p.Then)
		if err != nil {
			return err
		}
		at, err := secondsIn(p.After, stageSeconds)
		if err != nil {
			return err
		}
		stages = append(stages, electric.Stage{State: state, At: at})
		seconds = at + startSeconds
	}
	if seconds, err = secondsIn(p.For, seconds); err != nil {
		return err
	}
	var airless []string
	if p.Airless != "" {
		airless = append(airless, p.Airless)
	}
	run, err := b.Model.Start(cond, stages, seconds, airless...)
	if err != nil {
		return err
	}
	p.Events = run.Events
	p.tell(b, run)
	p.plot(run, seconds)
	return nil
}

func secondsIn(s string, otherwise float64) (float64, error) {
	if s == "" {
		return otherwise, nil
	}
	v, err := units.Figure(s)
	if err != nil {
		return 0, fmt.Errorf("%q is no number of seconds", s)
	}
	return v, nil
}

// tell fills the tables.
func (p *startPage) tell(b *worked.File, run *electric.Run) {
	for _, fan := range b.Drawn.Fans() {
		m := run.Motors[fan.Name]
		p.Fans = append(p.Fans, fanStart{fan.Name, m.Peak, m.Running, m.Settles})
	}
	for _, part := range b.Drawn.Parts {
		for _, name := range []string{part.Name, part.Name + " fuse"} {
			f := run.Fuses[name]
			if f == nil || f.Peak < 0.05 {
				continue
			}
			says := fmt.Sprintf("stands it: %.0f %% of a quick one's time used", 100*f.UsedFast)
			switch {
			case f.OpenedAt != nil:
				says = fmt.Sprintf("opens after %.2f s", *f.OpenedAt)
			case f.UsedFast >= 1:
				says = "a quick one of this rating would open"
			}
			p.Fuses = append(p.Fuses, fuseStart{name, says, f.Peak, min(1, f.UsedFast)})
		}
	}
}

func (p *startPage) plot(run *electric.Run, seconds float64) {
	amps := &drawing.Plot{Title: "Current", Unit: "A", To: seconds, Origin: true}
	speed := &drawing.Plot{Title: "Speed", Unit: "rpm", To: seconds, Origin: true}
	supply := &drawing.Plot{Title: "At the battery's post", Unit: "V", To: seconds,
		Lines: []drawing.PlotLine{{Name: "supply", Seconds: run.Seconds, Values: run.Supply}}}
	if run.Pack != nil {
		supply.Title = "Supply and pack"
		supply.Lines = append(supply.Lines, drawing.PlotLine{Name: "pack", Seconds: run.Seconds, Values: run.Pack})
	}
	var fans []string
	for name := range run.Motors {
		fans = append(fans, name)
	}
	slices.Sort(fans)
	for _, name := range fans {
		m := run.Motors[name]
		amps.Lines = append(amps.Lines, drawing.PlotLine{Name: name, Seconds: run.Seconds, Values: m.Amps})
		speed.Lines = append(speed.Lines, drawing.PlotLine{Name: name, Seconds: run.Seconds, Values: m.RPM})
	}
	for _, e := range run.Events {
		amps.Marks = append(amps.Marks, drawing.PlotMark{At: e.At, Text: e.Text})
	}
	p.Plots = []*drawing.Plot{amps, speed, supply}
	for _, name := range p.Cards {
		if card := run.Cards[name]; card != nil {
			p.Plots = append(p.Plots, &drawing.Plot{
				Title: name, Unit: "°C", To: seconds,
				Lines: []drawing.PlotLine{{Name: name, Seconds: run.Seconds, Values: card.Celsius}},
			})
		}
	}
}
