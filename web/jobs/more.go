package jobs

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/web/room"
)

// morePage is what may be recorded beside the next move: readings of one's own choice, a repair on suspicion, a
// note, a photograph. The job's page fetches it when somebody opens it.
type morePage struct {
	jobSide
	Shown string
	Beads []job.Bead
	Pins  []room.PinChoice
	Lead  []probe.Choice
	Part  []probe.Choice
	Parts []string
	Bench []room.PinChoice // terminals of the parts that come out

	Places []string
	Place  string // the one that was chosen
	At     []placeTest
}

func (a *Jobs) more(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := morePage{jobSide: a.side(c, j, "job"), Beads: j.state.Beads, Lead: probe.LeadTests(), Part: probe.PartTests()}
	if saw, err := strconv.Atoi(c.Query("saw")); err == nil && saw >= 0 && saw < p.Saw {
		p.Saw = saw // the page that asks has not seen more
	}
	p.Shown = j.file.Drawn.States[0].Name
	if s := j.file.Drawn.State(c.Query("state")); s != nil {
		p.Shown = s.Name
	}
	p.Places, p.Place = j.places(), room.Clip(c.Query("place"), room.MaxText)
	p.At = j.atPlace(p.Place, j.file.Drawn.State(p.Shown))
	for _, pin := range j.file.Model.Pins() {
		choice := room.PinChoice{Name: pin.String(), Label: j.file.Drawn.Called(pin)}
		if label := j.file.Drawn.Part(pin.Part).Label; label != "" {
			choice.Label += " · " + label
		}
		p.Pins = append(p.Pins, choice)
		if part := j.file.Drawn.Part(pin.Part); probe.Benched(part.Kind()) {
			inner := pin
			inner.Inner = true
			p.Bench = append(p.Bench, room.PinChoice{Name: inner.String(), Label: part.Name + " " + j.file.Drawn.Terminal(pin)})
		}
	}
	for _, part := range j.file.Drawn.Parts {
		p.Parts = append(p.Parts, part.Name)
	}
	a.Render(c, http.StatusOK, "more.html", p)
}
