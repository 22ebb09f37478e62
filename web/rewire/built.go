package rewire

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/rewire"
	"ironthread/web/room"
)

// As built: what was drawn and foretold, with a place beside each figure for what came of it, and a signature. It makes the circuit that
// later work goes by.

// builtPage is the form.
type builtPage struct {
	room.Frame
	Query, Back string
	By, Remarks string
	Vehicle     string
	Wires       []builtWire
	Steps       []builtStep
}

// builtWire is a wire as drawn, and what was typed beside it.
type builtWire struct{ Name, Colour, MM2, Metres, TypedMM2, TypedMetres string }

// builtStep is a step of the build sheets with its checks.
type builtStep struct {
	Do     string
	Checks []builtCheck
}

// builtCheck is a check, and what it showed; Number is its place in all of them.
type builtCheck struct {
	Number           int
	Do, Shows, Typed string
}

// asBuilt shows the form of an address.
func (a *Rewire) asBuilt(c *gin.Context) {
	if p, _, _, ok := a.builtForm(c, c.Request.URL.RawQuery); ok {
		a.Render(c, http.StatusOK, "built.html", p)
	}
}

// builtForm lists what can be filled in for a way.
func (a *Rewire) builtForm(c *gin.Context, query string) (*builtPage, *plan, *rewire.Proposal, bool) {
	work, x, ok := a.chosen(c)
	if !ok {
		return nil, nil, nil, false
	}
	sheets, err := x.Sheets(work.wish)
	if err != nil {
		a.Refuse(c, err)
		return nil, nil, nil, false
	}
	p := &builtPage{Frame: a.Frame(c, "As built: "+work.wish.Title, "rewire"), Query: query, Back: "/rewire/build?" + query, By: room.Who(c)}
	for _, w := range x.Circuit.Wires {
		if w.Size.Given() && w.Length.Metres() > 0 {
			p.Wires = append(p.Wires, builtWire{Name: w.String(), Colour: w.Colour, MM2: decimal(w.Size.SquareMM()),
				Metres: decimal(w.Length.Metres())})
		}
	}
	number := 0
	for _, step := range sheets.Steps {
		if len(step.Checks) == 0 {
			continue
		}
		to := builtStep{Do: step.Do}
		for _, check := range step.Checks {
			to.Checks = append(to.Checks, builtCheck{Number: number, Do: check.Do, Shows: check.Shows})
			number++
		}
		p.Steps = append(p.Steps, to)
	}
	return p, work, x, true
}

// keepBuilt reads the form, and puts what was built into the library; a vehicle begins its commissioning.
func (a *Rewire) keepBuilt(c *gin.Context) {
	query, err := url.ParseQuery(room.Clip(c.PostForm("wish"), room.MaxText*2))
	if err != nil {
		a.Fail(c, http.StatusUnprocessableEntity, "That wish cannot be read; begin with the form.")
		return
	}
	posted := c.Request.PostForm
	token := room.Clip(c.PostForm("token"), room.MaxWho)
	by, err := room.Field(c, "by", "the name", room.MaxWho)
	var remarks, vehicle string
	if err == nil {
		remarks, err = room.Field(c, "remarks", "what is remarked", room.MaxText)
	}
	if err == nil {
		vehicle, err = room.Field(c, "vehicle", "the vehicle's name", room.MaxTitle)
	}
	if err != nil {
		a.Refuse(c, err)
		return
	}
	c.Request.URL.RawQuery = query.Encode()
	c.Request.Form, c.Request.PostForm = nil, nil
	p, work, x, ok := a.builtForm(c, query.Encode())
	if !ok {
		return
	}
	p.By, p.Remarks, p.Vehicle = by, remarks, vehicle
	built, err := p.read(posted)
	if err == nil {
		built.By, built.Remarks, built.Date = by, remarks, a.Now().Format("2006-01-02")
	}
	var circuit *harness.Circuit
	if err == nil {
		circuit, _, err = x.Build(work.wish, built)
	}
	var text []byte
	if err == nil {
		text, err = harness.Write(circuit)
	}
	if err != nil {
		p.Refuse(err)
		a.Render(c, http.StatusUnprocessableEntity, "built.html", p)
		return
	}
	a.putAway(c, put{circuit.Title, string(text), vehicle, "Commissioning: " + work.wish.Title, token})
}

// read takes what was typed beside wires and checks; it stays on the page.
func (p *builtPage) read(posted url.Values) (*rewire.AsBuilt, error) {
	b := &rewire.AsBuilt{Laid: map[string]rewire.Laid{}}
	typed := func(name string) string { return room.Clip(strings.TrimSpace(posted.Get(name)), room.MaxTitle) }
	for i := range p.Wires {
		p.Wires[i].TypedMM2, p.Wires[i].TypedMetres = typed(fmt.Sprintf("mm2-%d", i)), typed(fmt.Sprintf("m-%d", i))
	}
	for _, step := range p.Steps {
		for i := range step.Checks {
			check := &step.Checks[i]
			if check.Typed = typed(fmt.Sprintf("c-%d", check.Number)); check.Typed != "" {
				b.Measured = append(b.Measured, rewire.Measured{Do: check.Do, Foretold: check.Shows, Showed: check.Typed})
			}
		}
	}
	for _, w := range p.Wires {
		var laid rewire.Laid
		var err error
		if w.TypedMM2 != "" {
			if laid.MM2, err = figure("the size of "+w.Name, w.TypedMM2); err == nil && (laid.MM2 < leastSold || laid.MM2 > mostSold) {
				err = fmt.Errorf("the size of %s: from %g to %g mm²", w.Name, leastSold, mostSold)
			}
		}
		if err == nil && w.TypedMetres != "" {
			if laid.Metres, err = figure("the length of "+w.Name, w.TypedMetres); err == nil && laid.Metres <= 0 {
				err = errors.New("the length of " + w.Name + " is more than nothing")
			}
		}
		if err != nil {
			return nil, err
		}
		if laid != (rewire.Laid{}) {
			b.Laid[w.Name] = laid
		}
	}
	return b, nil
}

// Wires that are sold here, mm².
const (
	leastSold = 0.35
	mostSold  = 35.0
)
