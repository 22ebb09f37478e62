package circuits

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/trace"
	"ironthread/core/units"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// sheetPage is any harness without a job: states, faults, set-up, two leads. All of it is in
// the address, so that a page can be kept and handed on.
type sheetPage struct {
	room.Frame
	Harness store.Harness
	Notes   string

	SinceRecord string // what this revision changes of the one of record
	Shown       string
	States      []room.Button
	Beside      string // a second state, drawn beside
	View        string // potentials, "roles", or "shares": what the state shown and the one beside use
	Views       []room.Button
	HasPages    bool // it has pages, and Printed says that they are shown
	Printed     bool
	DrawnURL    string
	PrintedURL  string
	Faults      []string
	Setup       []string
	At          string
	From        string
	With        electric.Instrument

	Paper, BesidePaper *worked.Paper
	Reading            *electric.Measured
	Says               string
	Why                []followed // the red lead's paths
	Role               string
	Fans               []fanLine
	Warnings           []string
	Shares             *shares
	Protection         *trace.Protection
	Truths             []trace.Truth
	Doubts             []string // what a look at the drawing alone finds
	Leads              string   // ohms of the meter's leads, as typed
	Placed             bool     // some part was put where it stands by hand

	Pins        []room.PinChoice
	Instruments []electric.Instrument
	FaultWords  []string
	SetupWords  []string
	Removable   []removable
	trails      [][]string
	Unit        string
	Display     string // the bare display, where leads are still in it
}

// followed is a path pin by pin, with volts and what is lost on the way.
type followed struct {
	Name  string
	Note  string
	Steps []pathStep
}

type pathStep struct{ Pin, Volts, Through, Drop string }

// leastDrop is the loss from which a path says it, volts.
const leastDrop = 0.005

func follow(name string, path trace.Path) followed {
	f := followed{Name: name}
	switch {
	case !path.Reaches:
		f.Note = "leads nowhere"
	case path.ThroughLoad():
		f.Note = "through a load: a back-feed, or fans in series"
	}
	for _, s := range path.Steps {
		var step pathStep
		if len(s.Pins) > 0 {
			step.Pin, step.Volts = s.Pins[0].String(), fmt.Sprintf("%.2f V", s.Volts)
		}
		if s.Through != "" && !strings.HasPrefix(s.Through, "wire ") || s.Drop >= leastDrop {
			step.Through = s.Through
			if s.Drop >= leastDrop {
				step.Drop = fmt.Sprintf("−%.2f V", s.Drop)
			}
		}
		if step != (pathStep{}) {
			f.Steps = append(f.Steps, step)
		}
	}
	return f
}

// shares is what two states use together, in words.
type shares struct{ First, Second, Both, OnlyFirst, OnlySecond string }

type fanLine struct {
	Name, Label string
	Speed       electric.Speed
	Volts, Amps float64
	RPM         float64
}

// removable is a fault or a set-up action with the address of the page without it.
type removable struct{ Words, URL string }

var instruments = []electric.Instrument{electric.Voltmeter, electric.Lamp, electric.HeavyLamp, electric.LEDTester,
	electric.Ohmmeter, electric.Clamp}

// standInOhms is the stand-in offered for a coolant sensor: asks for high on most cars (common
// practice).
const standInOhms = 150

// maxTogether bounds how many faults and set-up actions one page computes.
const maxTogether = 12

func (a *Circuits) sheet(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	p := &sheetPage{
		Frame: a.Frame(c, h.Title, "library"), Harness: h, Notes: b.Drawn.Notes,
		At: c.Query("at"), From: c.Query("from"), With: electric.Instrument(c.DefaultQuery("with", string(electric.Voltmeter))),
		Beside: c.Query("beside"), View: c.Query("view"), Leads: room.Clip(c.Query("leads"), 12), Instruments: instruments,
		Protection: b.Protection(),
	}
	status := http.StatusOK
	refuse := func(err error) {
		if err != nil {
			p.Notice, p.Bad, status = room.Sentence(err), true, http.StatusUnprocessableEntity
		}
	}
	cond, err := p.condition(b, c.Request.URL.Query())
	refuse(err)
	p.Shown = cond.State.Name
	base := fmt.Sprintf("/harnesses/%s?", url.PathEscape(h.Name))
	p.address(b, base)
	if p.At != "" {
		refuse(p.read(b, cond))
	}
	point, err := b.Model.Solve(cond)
	if err != nil {
		refuse(err)
		cond.Setup, p.Setup = nil, nil
		if point, err = b.Model.Solve(cond); err != nil {
			a.FailWith(c, err)
			return
		}
	}
	p.describe(b, point)
	look := p.look(b, point, base)
	if p.Beside != "" {
		refuse(a.drawBeside(c, p, b, cond, look))
	}
	as := *look
	as.Expected = worked.Expected(point)
	pages, err := worked.PagesOf(c.Request.Context(), a.keep, h.Name, h.Revision)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	paper := pages.Paper(c, &as)
	if p.HasPages, p.Printed = pages.Any(), paper != nil; paper == nil {
		paper = b.OnPaper(c, a.Room, look)
	}
	p.Paper = paper
	p.DrawnURL = base + p.query(func(q url.Values) { q.Set("paper", "drawn") })
	p.PrintedURL = base + p.query(func(q url.Values) { q.Set("paper", "printed") })
	_, places := harness.SplitPlaces(h.Source)
	p.Placed = places != ""
	if p.SinceRecord, err = a.sinceRecord(c, h, b); err != nil {
		a.FailWith(c, err)
		return
	}
	a.Render(c, status, "sheet.html", p)
}

// sinceRecord says what a revision changes of the one of record; empty where it is that, or none is.
func (a *Circuits) sinceRecord(c *gin.Context, h store.Harness, b *worked.File) (string, error) {
	if h.Record.ID == 0 || h.Record.ID == h.Revision {
		return "", nil
	}
	of, err := a.keep.Revision(c.Request.Context(), h.Record.ID)
	if err != nil {
		return "", err
	}
	before, err := a.circuits.Get(of.Source)
	if err != nil {
		return "", fmt.Errorf("the revision of record: %w", err)
	}
	return job.Moving(before.Drawn, b.Drawn, nil), nil
}

// condition reads the address; what cannot be read is left out and said.
func (p *sheetPage) condition(b *worked.File, q url.Values) (electric.Condition, error) {
	circuit := b.Drawn
	cond := electric.Condition{State: circuit.States[0]}
	var wrong error
	if name := q.Get("state"); name != "" {
		if s, err := circuit.FindState(name); err != nil {
			wrong = err
		} else {
			cond.State = s
		}
	}
	words := func(key string) []string {
		var list []string
		for _, w := range q[key] {
			if w = strings.TrimSpace(w); w != "" && !slices.Contains(list, w) && len(list) < maxTogether {
				list = append(list, w)
			}
		}
		return list
	}
	for _, w := range words("fault") {
		f, err := fault.Parse(circuit, w)
		if err != nil {
			wrong = err
			continue
		}
		cond.Faults = append(cond.Faults, f)
		p.Faults = append(p.Faults, f.String())
	}
	for _, w := range words("setup") {
		action, err := electric.ParseAction(circuit, w)
		if err != nil {
			wrong = err
			continue
		}
		cond.Setup = append(cond.Setup, action)
		p.Setup = append(p.Setup, action.String())
	}
	// A fault has done its work before: what it blows in any state has blown.
	if len(cond.Faults) > 0 {
		cond.After = circuit.States
	}
	return cond, wrong
}

// query writes the address of this page with a change.
func (p *sheetPage) query(change func(url.Values)) string {
	q := url.Values{}
	q.Set("state", p.Shown)
	for _, f := range p.Faults {
		q.Add("fault", f)
	}
	for _, s := range p.Setup {
		q.Add("setup", s)
	}
	for key, value := range map[string]string{"at": p.At, "from": p.From, "beside": p.Beside} {
		if value != "" {
			q.Set(key, value)
		}
	}
	if p.With != electric.Voltmeter {
		q.Set("with", string(p.With))
	}
	if p.View != "" {
		q.Set("view", p.View)
	}
	if p.Leads != "" {
		q.Set("leads", p.Leads)
	}
	change(q)
	return q.Encode()
}

// address fills in what can be chosen, and where each choice leads.
func (p *sheetPage) address(b *worked.File, base string) {
	for i, s := range b.Drawn.States {
		p.States = append(p.States, room.Button{
			Name: s.Name, URL: base + p.query(func(q url.Values) { q.Set("state", s.Name) }), Key: i + 1, On: s.Name == p.Shown,
		})
	}
	without := func(key string, list []string) {
		for _, words := range list {
			p.Removable = append(p.Removable, removable{words, base + p.query(func(q url.Values) {
				q[key] = slices.DeleteFunc(slices.Clone(list), func(w string) bool { return w == words })
			})})
		}
	}
	without("fault", p.Faults)
	without("setup", p.Setup)
	for _, view := range []room.Button{{Name: "potentials"}, {Name: "roles"}, {Name: "shares"}} {
		key := view.Name
		if key == "potentials" {
			key = ""
		}
		if key == "shares" && p.Beside == "" {
			continue // of one state there is nothing to share
		}
		view.On = p.View == key
		view.URL = base + p.query(func(q url.Values) {
			if q.Del("view"); key != "" {
				q.Set("view", key)
			}
		})
		p.Views = append(p.Views, view)
	}
	for _, pin := range b.Model.Pins() {
		p.Pins = append(p.Pins, room.PinChoice{Name: pin.String(), Label: pin.String()})
	}
	for _, s := range fault.All(b.Drawn) {
		p.FaultWords = append(p.FaultWords, s.Fault.String())
	}
	for _, part := range b.Drawn.Parts {
		if verb := electric.DetachVerb(part.Kind()); verb != "" {
			p.SetupWords = append(p.SetupWords, electric.Action{Verb: verb, Part: part.Name}.String())
		}
		if part.Kind() == harness.KindSensor {
			p.SetupWords = append(p.SetupWords, electric.Action{Verb: electric.Replaced, Part: part.Name, Ohms: standInOhms}.String())
		}
	}
}

// read takes the reading the leads show, and follows the red lead's pin.
func (p *sheetPage) read(b *worked.File, cond electric.Condition) error {
	q := electric.Measurement{Condition: cond, Instrument: p.With}
	if !slices.Contains(instruments, p.With) {
		return fmt.Errorf("there is no instrument %q", p.With)
	}
	var err error
	if q.At, err = b.Drawn.FindPin(p.At); err != nil {
		p.At = ""
		return err
	}
	if p.From != "" {
		if q.From, err = b.Drawn.FindPin(p.From); err != nil {
			p.From = ""
			return err
		}
	}
	if c, ok := b.Conductors()[q.At.Cavity()]; ok {
		p.Role = c.Words()
	}
	if p.Leads != "" {
		if q.Leads, err = units.Figure(p.Leads); err != nil || q.Leads < 0 || q.Leads > mostLeadOhms {
			return fmt.Errorf("leads of %q: their ohms are a figure up to %d", p.Leads, mostLeadOhms)
		}
	}
	if p.Reading, err = b.Model.Measure(q); err != nil {
		return err
	}
	p.Says, p.Unit = readingSays(p.Reading)
	if p.Reading.Shows != nil {
		p.Display = fmt.Sprintf("%.2f %s", *p.Reading.Shows, p.Unit)
	}
	n, err := b.Model.Enter(cond)
	if err != nil {
		return err
	}
	feed, ground := trace.Feed(n, q.At.Cavity()), trace.Ground(n, q.At.Cavity())
	p.trails = [][]string{trail(feed), trail(ground)}
	p.Why = []followed{follow("Feed", feed), follow("Ground", ground)}
	if sources := trace.Sources(n, q.At.Cavity()); len(sources) > 1 {
		p.Why[0].Note = "fed from " + strings.Join(sources, " and ") + ": two feeds meet"
	}
	return nil
}

// mostLeadOhms: leads of more are broken.
const mostLeadOhms = 20

// trail lists a path's pins in order, for the drawing.
func trail(p trace.Path) []string {
	var pins []string
	for _, step := range p.Steps {
		for _, pin := range step.Pins {
			pins = append(pins, pin.String())
		}
	}
	return pins
}

// readingSays gives the large figure and its unit.
func readingSays(r *electric.Measured) (says, unit string) {
	switch {
	case r.Word != "" && r.Instrument != electric.Ohmmeter:
		return r.Word, fmt.Sprintf("%.2f V across it", *r.Figure)
	case r.Figure == nil:
		return r.Word, ""
	}
	return fmt.Sprintf("%.2f", *r.Figure), r.Unit
}

// describe lists what the fans do and what to know.
func (p *sheetPage) describe(b *worked.File, point *electric.Point) {
	for _, fan := range b.Drawn.Fans() {
		m := point.Motors[fan.Name]
		p.Fans = append(p.Fans, fanLine{fan.Name, fan.Label, m.Speed, unsigned(m.Volts), unsigned(m.Amps), unsigned(m.RPM)})
	}
	for _, w := range point.Warnings {
		p.Warnings = append(p.Warnings, w.Text)
	}
	p.Truths = b.Truths()
	for _, w := range b.Doubts() {
		p.Doubts = append(p.Doubts, w.Text)
	}
}

// ShownOnly is the state shown, for what asks about several.
func (p *sheetPage) ShownOnly() []string { return []string{p.Shown} }

// unsigned makes next to nothing a plain zero, so that no display says "-0.0".
func unsigned(v float64) float64 {
	if v > -0.05 && v < 0.05 {
		return 0
	}
	return v
}

// look is what is laid over the drawing.
func (p *sheetPage) look(b *worked.File, point *electric.Point, base string) *drawing.Look {
	look := &drawing.Look{
		Point: point, Away: map[string]string{}, Expected: worked.Expected(point), Next: p.At, Black: p.From,
		PinURL: base + p.query(func(q url.Values) { q.Del("at") }) + "&at=",
		Title:  fmt.Sprintf("%s in %s", b.Drawn.Title, p.Shown),
	}
	for _, words := range p.Setup {
		if action, err := electric.ParseAction(b.Drawn, words); err == nil && action.Detaches() {
			look.Away[action.Part] = string(action.Verb)
		}
	}
	look.Trails = p.trails
	if p.View == "roles" {
		look.Roles = map[string]string{}
		for pin, c := range b.Conductors() {
			look.Roles[pin.String()] = strings.ReplaceAll(string(c.Role), " ", "-")
		}
		look.Title += ", by role"
	}
	return look
}

// drawBeside draws the second state, and says what the two share.
func (a *Circuits) drawBeside(c *gin.Context, p *sheetPage, b *worked.File, cond electric.Condition, first *drawing.Look) error {
	state, err := b.Drawn.FindState(p.Beside)
	if err != nil {
		p.Beside = ""
		return err
	}
	shown := cond.State
	cond.State = state
	point, err := b.Model.Solve(cond)
	if err != nil {
		return err
	}
	second := &drawing.Look{Point: point, Title: fmt.Sprintf("%s in %s", b.Drawn.Title, p.Beside), Prefix: "beside-"}
	uses, err := trace.Compare(b.Model, shown, state)
	if err != nil {
		return err
	}
	list := func(names []string) string { return strings.Join(trace.Parts(names), ", ") }
	p.Shares = &shares{shown.Name, state.Name, list(uses.Both), list(uses.OnlyFirst), list(uses.OnlySecond)}
	if p.View == "shares" {
		here, there := used(first.Point), used(point)
		first.Roles, second.Roles = shareRoles(here, there), shareRoles(there, here)
	}
	p.BesidePaper = b.OnPaper(c, a.Room, second)
	return nil
}

// used tells which pins carry a current.
func used(point *electric.Point) map[string]bool {
	pins := map[string]bool{}
	for _, w := range point.Wires {
		if math.Abs(w.Amps) > trace.UsedAmps {
			pins[w.From], pins[w.To] = true, true
		}
	}
	return pins
}

// shareRoles sorts a state's pins by whether another state uses them too.
func shareRoles(here, there map[string]bool) map[string]string {
	roles := map[string]string{}
	for pin := range here {
		roles[pin] = "only-here"
		if there[pin] {
			roles[pin] = "both"
		}
	}
	return roles
}
