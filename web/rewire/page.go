package rewire

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"go.yaml.in/yaml/v3"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/rewire"
	"ironthread/core/trace"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// wishPage asks for a wish and shows what it comes to.
type wishPage struct {
	room.Frame
	Form      wishForm
	Gives     []room.Choice
	Halves    []room.Choice
	Harnesses []store.Harness
	Asked     bool
	Query     string // the wish as it stands in the address
	WishURL   string
	BuildURL  string

	Working  bool
	Done, Of int
	Again    string

	Wish     *rewire.Wish
	Plan     *rewire.Plan
	Ways     []way
	Shown    *rewire.Proposal
	States   []room.Button
	Paper    *worked.Paper
	Fans     []string
	Effects  []severity
	Doubts   []string // about the harness that is there now
	Replaces string   // what its fans take, beside what these do
	Warned   []string // what is warned of in the state that is shown
	WhatIf   string
}

// way is a row of the comparison.
type way struct {
	*rewire.Proposal
	URL       string
	On, Best  bool
	Air       []figures
	WastedMax float64
	Drawn     []strip // the way of the current, speed by speed
	Bars      bars
}

// figures are one speed of one way.
type figures struct {
	Speed               string
	Share, Amps, Inrush float64
	Step                float64 // W that the alternator is asked for
}

// severity is all effects of one severity, fault by fault.
type severity struct {
	Words  string
	Faults []broken // the first of them
	Count  int      // all
}

// More is how many are not listed.
func (s severity) More() int { return s.Count - len(s.Faults) }

// broken is a fault and where it does that.
type broken struct{ Fault, States, Does, Why string }

// wished reads the address into a wish and begins to work it out; nil where the page has been answered.
func (a *Rewire) wished(c *gin.Context, f wishForm) (*plan, error) {
	w, err := f.wish()
	if err != nil {
		return nil, err
	}
	key, err := yaml.Marshal(w)
	if err != nil {
		return nil, fmt.Errorf("the wish could not be written: %w", err)
	}
	sum := string(key)
	if w.Keep != "" {
		h, err := a.keep.HarnessNamed(c.Request.Context(), w.Keep)
		if err != nil {
			return nil, errors.New("the harness that is there now is not in the library any more; choose again")
		}
		b, err := a.circuits.Get(h.Source)
		if err != nil {
			return nil, fmt.Errorf("the harness that is there now cannot be read: %w", err)
		}
		w.There, sum = b.Drawn, sum+b.Sum
	}
	return a.plans.of(room.Asker(c), sum, w), nil
}

func (a *Rewire) wish(c *gin.Context) {
	f, asked, err := formOf(c)
	p := &wishPage{Frame: a.Frame(c, "Rewire", "rewire"), Form: f, Gives: gives, Halves: halves, Asked: asked,
		Query: c.Request.URL.RawQuery}
	status := http.StatusOK
	var listErr error
	if p.Harnesses, listErr = a.keep.Harnesses(c.Request.Context()); listErr != nil {
		a.FailWith(c, listErr)
		return
	}
	if asked && err == nil {
		err = a.answer(c, p, f)
	}
	if err != nil {
		p.Refuse(err)
		status = http.StatusUnprocessableEntity
	}
	p.WishURL, p.BuildURL = "/rewire/wish?"+p.Query, "/rewire/build?"+p.Query
	a.Render(c, status, "rewire.html", p)
}

// answer works the wish out and fills the page with it, or with how far it is.
func (a *Rewire) answer(c *gin.Context, p *wishPage, f wishForm) error {
	work, err := a.wished(c, f)
	if err != nil {
		return err
	}
	p.Wish = work.wish
	if there := work.wish.There; there != nil {
		if p.Doubts, p.Replaces, err = doubts(there, work.wish); err != nil {
			return err
		}
	}
	if !work.within(c.Request.Context(), a.Patience) {
		p.Working, p.Of, p.Again = true, len(rewire.Families), "/rewire?"+c.Request.URL.RawQuery
		var found []*rewire.Proposal
		p.Done, found = work.sofar()
		return p.compare(c, found)
	}
	if work.err != nil {
		return sentence(work.err)
	}
	p.Plan = work.plan
	var found []*rewire.Proposal
	for i := range work.plan.Proposals {
		x := &work.plan.Proposals[i]
		found = append(found, x)
		if string(x.Family) == c.Query("way") || p.Shown == nil && c.Query("way") == "" && x.Family == work.plan.Recommended {
			p.Shown = x
		}
	}
	if p.Shown == nil && len(work.plan.Proposals) > 0 {
		p.Shown = &work.plan.Proposals[0]
	}
	if err := p.compare(c, found); err != nil {
		return err
	}
	if p.Shown != nil {
		return a.show(c, p)
	}
	return nil
}

// sentence words what stopped a plan.
func sentence(err error) error {
	if errors.Is(err, context.DeadlineExceeded) {
		return errors.New("that took too long; try again in a moment")
	}
	return err
}

// doubts is what a look at the harness that is there finds: a feed without a fuse, a diode the wrong way round, coils that
// are fed with the key off; and what its fans take at their fastest, the engine running, beside what those of the wish do.
func doubts(c *harness.Circuit, w *rewire.Wish) (found []string, replaces string, err error) {
	m, err := electric.New(c)
	if err != nil {
		return nil, "", err
	}
	most := 0.0
	for _, s := range c.States {
		at := *s
		at.Running = s.Key && !s.Cranking
		point, err := m.Solve(electric.Condition{State: &at})
		if err != nil {
			return nil, "", err
		}
		amps := 0.0
		for _, fan := range point.Motors {
			amps += fan.Amps
		}
		most = max(most, amps)
	}
	wished := 0.0
	for _, fan := range w.Fans {
		wished += fan.Amps
	}
	if most > 0 {
		replaces = fmt.Sprintf("The fans that are there take up to %.0f A together with the engine running; those of the wish are rated "+
			"for %.0f A. "+
			"Air goes with the fans' own size and speed: more amps of one make of fan are more air.", most, wished)
	}
	for _, x := range trace.Doubts(m) {
		found = append(found, x.Text)
	}
	return found, replaces, nil
}

// compare puts ways that are found side by side.
func (p *wishPage) compare(c *gin.Context, found []*rewire.Proposal) error {
	for _, x := range found {
		row := way{Proposal: x, On: x == p.Shown, Best: p.Plan != nil && x.Family == p.Plan.Recommended,
			URL: "/rewire?" + address(c, func(q url.Values) { q.Set("way", string(x.Family)); q.Del("state") })}
		for _, speed := range p.Wish.Speeds {
			row.Air = append(row.Air, figures{speed, x.Speeds[speed], x.Amps[speed], x.Inrush[speed], x.Amps[speed] * p.Wish.Supply.Running})
			row.WastedMax = max(row.WastedMax, x.Heat[speed])
		}
		var err error
		if row.Drawn, err = strips(x, p.Wish.Speeds); err != nil {
			return err
		}
		p.Ways = append(p.Ways, row)
	}
	weigh(p.Ways)
	return nil
}

// show draws the way that is looked at, and lists what its failures do.
func (a *Rewire) show(c *gin.Context, p *wishPage) error {
	x := p.Shown
	b, err := a.circuits.Get(x.Harness)
	if err != nil {
		return fmt.Errorf("this way cannot be drawn: %w", err)
	}
	shown := p.Wish.Speeds[0]
	for _, s := range x.Circuit.States {
		if s.Name == c.Query("state") {
			shown = s.Name
		}
	}
	for i, s := range x.Circuit.States {
		p.States = append(p.States, room.Button{Name: s.Name, Key: i + 1, On: s.Name == shown,
			URL: "/rewire?" + address(c, func(q url.Values) { q.Set("state", s.Name); q.Set("way", string(x.Family)) }) + "#drawn"})
	}
	state := *b.Drawn.State(shown)
	state.Running = state.Key && !state.Cranking
	point, err := b.Model.Solve(electric.Condition{State: &state})
	if err != nil {
		return err
	}
	for _, m := range x.Circuit.OfKind("motor") {
		at := point.Motors[m.Name]
		p.Fans = append(p.Fans, fmt.Sprintf("%s %s: %s, %s, %s", m.Name, m.Label, at.Speed,
			probe.FormatVolts(at.Volts), probe.FormatAmps(at.Amps)))
	}
	for _, w := range point.Warnings {
		p.Warned = append(p.Warned, w.Text)
	}
	p.Paper = b.OnPaper(c, a.Room, &drawing.Look{Point: point, Sizes: sizesOf(x.Circuit)})
	p.Effects = broke(x.Effects)
	p.WhatIf = "/rewire/whatif?" + address(c, func(q url.Values) { q.Set("way", string(x.Family)) })
	p.Query = address(c, func(q url.Values) { q.Set("way", string(x.Family)); q.Del("state") })
	return nil
}

// mostFaults is how many faults of one severity a page lists.
const mostFaults = 40

// broke groups effects: by severity, then by fault.
func broke(effects []rewire.Effect) []severity {
	var list []severity
	at := map[string]int{}
	for _, e := range effects {
		k := slices.IndexFunc(list, func(s severity) bool { return s.Words == string(e.Severity) })
		if k < 0 {
			list, k = append(list, severity{Words: string(e.Severity)}), len(list)
			at = map[string]int{}
		}
		s := &list[k]
		i, seen := at[e.Fault]
		if seen {
			s.Faults[i].States += ", " + e.State
			s.Faults[i].Why = cmp.Or(s.Faults[i].Why, drains(e))
			continue
		}
		at[e.Fault] = len(s.Faults)
		var does []string
		for _, fan := range slices.Sorted(maps.Keys(e.Fans)) {
			does = append(does, fan+" "+e.Fans[fan])
		}
		s.Faults = append(s.Faults, broken{e.Fault, e.State, strings.Join(does, ", "), cmp.Or(e.Why, drains(e))})
	}
	for k := range list {
		s := &list[k]
		s.Count = len(s.Faults)
		s.Faults = s.Faults[:min(s.Count, mostFaults)]
	}
	return list
}

// drains says how long a battery stands what runs on.
func drains(e rewire.Effect) string {
	if e.Hours <= 0 {
		return ""
	}
	return fmt.Sprintf("empties a battery in about %.0f h", e.Hours)
}

// whatIfPage is one thing changed at a time, fetched by itself.
type whatIfPage struct {
	room.Frame
	Variants []rewire.Variant
	Back     string
}

// variantsWithin is how long a page waits for the variants of a way.
const variantsWithin = 20 * time.Second

func (a *Rewire) whatIf(c *gin.Context) {
	work, ok := a.ready(c)
	if !ok {
		return
	}
	family := rewire.Family(c.Query("way"))
	list, there := work.variants.Get(family)
	if !there {
		ctx, stop := context.WithTimeout(c.Request.Context(), variantsWithin)
		defer stop()
		var err error
		if list, err = rewire.Variants(ctx, work.wish, family); err != nil {
			a.Refuse(c, sentence(err))
			return
		}
		work.variants.Add(family, list)
	}
	a.Render(c, http.StatusOK, "whatif.html", whatIfPage{a.Frame(c, "What if one thing is changed?", "rewire"), list,
		"/rewire?" + c.Request.URL.RawQuery})
}

// ready gives the plan of an address, waited for; the page is answered where there is none.
func (a *Rewire) ready(c *gin.Context) (*plan, bool) {
	f, asked, err := formOf(c)
	if err == nil && !asked {
		err = errors.New("there is no wish in this address; begin with the form")
	}
	var work *plan
	if err == nil {
		work, err = a.wished(c, f)
	}
	if err == nil && !work.within(c.Request.Context(), patience) {
		err = context.DeadlineExceeded
	}
	if err == nil {
		err = work.err
	}
	if err != nil {
		a.Refuse(c, sentence(err))
		return nil, false
	}
	return work, true
}

// chosen gives the proposal of an address.
func (a *Rewire) chosen(c *gin.Context) (*plan, *rewire.Proposal, bool) {
	work, ok := a.ready(c)
	if !ok {
		return nil, nil, false
	}
	family := rewire.Family(cmp.Or(c.Query("way"), string(work.plan.Recommended)))
	for i := range work.plan.Proposals {
		if work.plan.Proposals[i].Family == family {
			return work, &work.plan.Proposals[i], true
		}
	}
	for _, r := range work.plan.Refused {
		if r.Family == family {
			a.Fail(c, http.StatusUnprocessableEntity, room.Capitalise(fmt.Sprintf("%s cannot be: %s.", family.Words(), r.Why)))
			return nil, nil, false
		}
	}
	a.Fail(c, http.StatusNotFound, "There is no such way of making the speeds.")
	return nil, nil, false
}

// wishFile hands the wish out as its file, for the command line and to be kept.
func (a *Rewire) wishFile(c *gin.Context) {
	f, _, err := formOf(c)
	var w *rewire.Wish
	if err == nil {
		w, err = f.wish()
	}
	if err != nil {
		a.Refuse(c, err)
		return
	}
	if w.Keep != "" {
		w.Keep += ".harness.yaml"
	}
	text, err := yaml.Marshal(w)
	if err != nil {
		a.Refuse(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="wish.yaml"`)
	c.Data(http.StatusOK, "application/yaml; charset=utf-8", text)
}
