package jobs

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// chooseState decides which state the sheet shows, and makes the switch above it.
func (p *jobPage) chooseState(j *jobAt, r jobRequest) error {
	circuit := j.file.Drawn
	shown := circuit.States[0]
	switch {
	case r.state != "":
		s, err := circuit.FindState(r.state)
		if err != nil {
			return err
		}
		shown = s
	case p.Card != nil:
		shown = circuit.State(p.Card.State)
	case j.state.Now.State != nil:
		shown = j.state.Now.State
	}
	p.Shown = shown.Name
	keep := url.Values{}
	for key, values := range r.own {
		keep[key] = values
	}
	if r.view != "" {
		keep.Set("view", r.view)
	}
	for key, at := range map[string]string{"place": r.place, "round": r.round} {
		if at != "" {
			keep.Set(key, at)
		}
	}
	for i, s := range circuit.States {
		keep.Set("state", s.Name)
		p.States = append(p.States, room.Button{
			Name: s.Name, URL: fmt.Sprintf("/jobs/%d?%s", j.ID, keep.Encode()), Key: i + 1, On: s == shown,
		})
	}
	return nil
}

// offerStand tells how the vehicle stands from the rest of the set-up.
func (p *jobPage) offerStand(j *jobAt) {
	standing, rest := electric.Standing(j.state.Ledger)
	p.Ledger, p.Engines = probe.SetupWords(rest), electric.Engines
	if shown := j.file.Drawn.State(p.Shown); shown != nil { // what is solved is what is lit
		p.Engine = electric.EngineUnder(shown, j.state.Ledger)
	}
	for _, a := range standing {
		if a.Verb == electric.Engine {
			continue
		}
		p.Stands = append(p.Stands, a.Spoken())
	}
	nulled, leads := j.leads()
	if p.Nulled = nulled; leads > 0 {
		p.Leads = strconv.FormatFloat(leads, 'f', -1, 64)
	}
}

// leads is what was last said of the meter's leads: that they were nulled, or what they read held together, ohms.
func (j *jobAt) leads() (nulled bool, ohms float64) {
	for _, o := range j.state.Seen {
		if o.Do == probe.Ohms {
			nulled, ohms = o.How.Nulled, o.How.Leads
		}
	}
	return nulled, ohms
}

// offerSetup lists the set-up actions that fit the circuit and do not hold yet.
func (p *jobPage) offerSetup(j *jobAt) {
	for _, part := range j.file.Drawn.Parts {
		verb := electric.DetachVerb(part.Kind())
		if verb == "" {
			continue
		}
		verbs := []electric.Verb{verb, electric.Renewed}
		if slices.Contains([]harness.Kind{harness.KindConnector, harness.KindGround, harness.KindRelay, harness.KindFuse}, part.Kind()) {
			verbs = append(verbs, electric.Cleaned) // an intervention: it may have mended a joint
		}
		for _, v := range verbs {
			p.Settable = append(p.Settable, electric.Action{Verb: v, Part: part.Name}.String())
		}
		if swap, ok := probe.Neighbour(j.file.Drawn, probe.Lasting(j.state.Ledger), part.Name); ok && swap.Part == part.Name {
			p.Settable = append(p.Settable, swap.String())
		}
	}
}

// look gives how the circuit is drawn in the state shown, and what the evidence lays over it.
func (p *jobPage) look(j *jobAt, as *diagnose.Assessment, r jobRequest) (circuit, evidence *drawing.Look, err error) {
	p.Suspect = leading(as)
	p.View = "should"
	supposed := ""
	if r.view == "suspect" && p.Suspect != "" {
		p.View, supposed = "suspect", p.Suspect
	}
	other := "suspect"
	if p.View == "suspect" {
		other = "should"
	}
	p.ViewURL = fmt.Sprintf("/jobs/%d?state=%s&view=%s", j.ID, url.QueryEscape(p.Shown), other)
	if circuit, err = j.inState(p.Shown, supposed, j.state.Ledger); err != nil {
		return nil, nil, err
	}
	for _, w := range circuit.Point.Warnings {
		p.Warnings = append(p.Warnings, w.Text)
	}
	evidence = &drawing.Look{Parts: as.Belief.Parts, Wires: as.Belief.Wires, Cleared: map[string]bool{}, Readings: map[string]string{},
		Prefix: "under-"}
	for _, part := range as.Cleared {
		evidence.Cleared[part] = true
	}
	for _, o := range j.state.Seen {
		if o.Do == probe.Volts && o.State == p.Shown && o.From == "" {
			evidence.Readings[o.At] = readingWord(o.Reading())
		}
	}
	switch {
	case p.Card != nil:
		evidence.Next = p.Card.At
	case p.Place != nil:
		evidence.Next = p.Place.First
	}
	p.PaperURL = j.paperURL(p.Shown, supposed)
	p.Drawn = worked.SumOf(p.PaperURL)[:16]
	return circuit, evidence, nil
}

// inState is how the circuit is drawn in a state and a set-up: as it should be, or with a fault supposed in it.
func (j *jobAt) inState(shown, supposed string, setup []electric.Action) (*drawing.Look, error) {
	state, err := j.file.Drawn.FindState(shown)
	if err != nil {
		return nil, err
	}
	should, err := j.file.Model.Solve(electric.Condition{State: state, Setup: setup})
	if err != nil {
		return nil, err
	}
	look := &drawing.Look{
		Point: should, Away: map[string]string{}, Expected: worked.Expected(should),
		PinURL:  fmt.Sprintf("/jobs/%d?state=%s&pin=", j.ID, url.QueryEscape(shown)),
		PartURL: fmt.Sprintf("/jobs/%d?state=%s&place=", j.ID, url.QueryEscape(shown)),
		Title:   fmt.Sprintf("%s: the circuit in %s, as it should be", j.file.Drawn.Title, shown),
	}
	if supposed != "" {
		if look.Point, err = j.file.Guide.Suppose(supposed, probe.Test{State: state, Setup: setup}); err != nil {
			return nil, err
		}
		look.Title = fmt.Sprintf("%s: the circuit in %s with %s", j.file.Drawn.Title, shown, supposed)
	}
	for _, action := range setup {
		if action.Detaches() {
			look.Away[action.Part] = string(action.Verb)
		}
	}
	return look, nil
}

// paperURL is where a drawing is to be had by itself: all that it depends on is in the address, so that a browser
// may keep it.
func (j *jobAt) paperURL(shown, supposed string) string {
	q := url.Values{"state": {shown}, "revision": {fmt.Sprint(j.Revision)}, "setup": probe.SetupWords(j.state.Ledger)}
	if supposed != "" {
		q.Set("suppose", supposed)
	}
	return fmt.Sprintf("/jobs/%d/paper?%s", j.ID, q.Encode())
}

// lay draws the page's paper: where the page has the same drawing already, only what lies over it.
func (a *Jobs) lay(c *gin.Context, p *jobPage, j *jobAt, circuit, evidence *drawing.Look) error {
	pages, err := worked.PagesOf(c.Request.Context(), a.keep, j.Sheet, j.Revision)
	if err != nil {
		return err
	}
	p.HasPages = pages.Any()
	if p.Card != nil {
		names := slices.DeleteFunc([]string{cmp.Or(p.Card.At, p.Card.Part), p.Card.From}, func(s string) bool { return s == "" })
		p.Crop = pages.Crop(names...)
	}
	if paper := pages.Paper(c, circuit.With(evidence)); paper != nil {
		p.Paper, p.Printed, p.Drawn = paper, true, "printed"
		return nil
	}
	p.SamePaper = c.GetHeader(drawnHeader) == p.Drawn
	p.Paper = j.file.InLayers(c, a.Room, circuit, evidence, onJobPage(c))
	return nil
}

// drawnHeader names the drawing that a page has, when htmx asks for a part of it.
const drawnHeader = "Drawn"

// onJobPage tells whether a request comes from a job's page whose parts can be swapped one by one. A browser that
// goes back asks for the whole page.
func onJobPage(c *gin.Context) bool {
	return c.GetHeader("HX-Request") != "" && c.GetHeader(drawnHeader) != "" && c.GetHeader("HX-History-Restore-Request") == ""
}

// paperKept is how long a browser keeps a drawing, seconds.
const paperKept = 24 * 3600

// paper gives a drawing by itself.
func (a *Jobs) paper(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	setup, err := electric.ParseSetup(j.file.Drawn, c.QueryArray("setup"))
	if err != nil {
		a.Refuse(c, err)
		return
	}
	look, err := j.inState(c.Query("state"), c.Query("suppose"), setup)
	if err != nil {
		a.Refuse(c, err)
		return
	}
	drawn, err := j.file.Drawing(c.Request.Context())
	if err != nil {
		a.FailWith(c, err)
		return
	}
	c.Header("Cache-Control", fmt.Sprintf("private, max-age=%d", paperKept))
	c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(drawing.Sheet(drawn, look)))
}

func readingWord(r *probe.Reading) string {
	if r.Open {
		return "OL"
	}
	return probe.FormatVolts(r.Figure)
}
