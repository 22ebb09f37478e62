// Package diagnose keeps every fault of a circuit in play until evidence clears it, and
// names the best next test.
//
// In goes a circuit and what was seen, out come suspects with probabilities, groups that no
// test can tell apart, the next moves and a verdict with what its proof still lacks. The one
// idea: a prediction for every suspect on a handful of random cars within tolerance (package
// predict); a reading is only ever compared with those, and a small chance of a misread is always
// kept, so that nothing is ever impossible.
package diagnose

import (
	"context"
	"fmt"
	"sync"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// cars is how many random cars each suspect is foretold on.
const cars = predict.Cars

// How the predictions are made soft; the misread chance is the feasibility study's.
const (
	misread       = 0.02
	priorNothing  = 0.01 // that no fault is there
	priorUnknown  = 0.01 // that it is something the drawing does not show
	likelyUnknown = 0.15 // how well "something else" explains any one reading
)

// Words for the two suspects that are no fault of a part.
const (
	NoFault       = "no fault"
	SomethingElse = "something else"
)

// suspect is one hypothesis.
type suspect struct {
	predict.Suspect
	at   int     // place in Guide.suspects
	base float64 // the prior by kind alone
}

// Guide judges one circuit. It may be shared: what it learns of one question is kept for the next,
// and nobody waits for another's question.
type Guide struct {
	model    *electric.Model
	circuit  *harness.Circuit
	table    *predict.Table
	suspects []*suspect
	pinAt    map[harness.Pin]int
	placeOf  map[string]int // of a part in the circuit
	relayAt  map[string]int
	fans     []string
	allTests []probe.Test // with everything fitted, and each relay out
	paired   *pairsKept

	mu    sync.Mutex
	apart map[[2]int]bool // pairs already judged: can a test tell them apart?
}

// New prepares a guide with a budget of its own for what it foretells.
func New(m *electric.Model) (*Guide, error) {
	return NewWithin(m, predict.NewBudget(predict.DefaultBytes))
}

// NewWithin prepares a guide that shares a budget with others. Predictions are made as they are
// needed. The error says that nothing can be diagnosed here, or that the circuit is too large.
func NewWithin(m *electric.Model, b *predict.Budget) (*Guide, error) {
	c := m.Circuit
	if len(c.Fans()) == 0 {
		return nil, fmt.Errorf("the circuit has no fan, so there is nothing to diagnose")
	}
	g := &Guide{
		model: m, circuit: c, pinAt: map[harness.Pin]int{}, placeOf: map[string]int{}, relayAt: map[string]int{},
		apart: map[[2]int]bool{}, allTests: probe.Tests(c, nil), paired: newPairsKept(),
	}
	for i, p := range c.OfKind(harness.KindRelay) {
		g.relayAt[p.Name] = i
	}
	for i, pin := range m.Pins() {
		g.pinAt[pin] = i
	}
	for i, p := range c.Parts {
		g.placeOf[p.Name] = i
	}
	for _, p := range c.Fans() {
		g.fans = append(g.fans, p.Name)
	}
	g.suspectAll()
	list := make([]predict.Suspect, 0, len(g.suspects))
	for _, s := range g.suspects {
		list = append(list, s.Suspect)
	}
	var err error
	g.table, err = predict.New(m, list, b)
	return g, err
}

// suspectAll lists every single fault, no fault, and something that the drawing does not show.
func (g *Guide) suspectAll() {
	sum := 0.0
	all := fault.All(g.circuit)
	for _, s := range all {
		sum += s.Weight
	}
	share := (1 - priorNothing - priorUnknown) / sum
	add := func(s predict.Suspect, prior float64) {
		g.suspects = append(g.suspects, &suspect{s, len(g.suspects), prior})
	}
	for _, s := range all {
		add(predict.Suspect{Name: s.Fault.String(), Fault: s.Fault}, s.Weight*share)
	}
	add(predict.Suspect{Name: NoFault}, priorNothing)
	add(predict.Suspect{Name: SomethingElse, Unknown: true}, priorUnknown)
}

// Circuit is the circuit the guide is for.
func (g *Guide) Circuit() *harness.Circuit { return g.circuit }

// Model is the circuit's electrical model.
func (g *Guide) Model() *electric.Model { return g.model }

// Close lets go of what the guide has foretold.
func (g *Guide) Close() { g.table.Close() }

// Progress tells how many suspects of how many have been foretold in the set-up being worked on; it
// does not wait.
func (g *Guide) Progress() (done, of int) { return g.table.Progress() }

// nobody is the suspect that is no fault.
func (g *Guide) nobody() int { return len(g.suspects) - 2 }

// everyone lists all suspects.
func (g *Guide) everyone() []int {
	list := make([]int, len(g.suspects))
	for i := range list {
		list[i] = i
	}
	return list
}

// stateIndex is a state's place in the circuit.
func (g *Guide) stateIndex(state *harness.State) int { return g.table.StateIndex(state) }

// network gives a suspect's network in a set-up.
func (g *Guide) network(s *suspect, setup []electric.Action) (*electric.Network, error) {
	return g.model.Network(s.Still(setup), s.Faults())
}

// inquiry is one question put to the guide: for whom, with what the workshop has learnt, and how the
// car stands at the moment looked at. Everything that asks for predictions goes through it, so that
// it stops when nobody waits any more.
type inquiry struct {
	*Guide
	ctx    context.Context
	priors []float64 // of each suspect, with a workshop's experience counted in
	phase
	stand
	came *inquiry // the same about the cars as they came in, once asked for
}

// stand is how the suspects' cars stand: what has blown on each in the set-up they were in last.
type stand struct {
	setup []electric.Action
	blown []predict.Blown
	pages map[string]*foretold // by set-up, for what has blown now
}

// foretold is a page with what its suspects' cars show as they stand.
type foretold struct {
	*predict.Page
	of    []*predict.Figures
	blown []predict.Blown
}

// ask begins a question. Cars stand as they came in: the complaint has happened.
func (g *Guide) ask(ctx context.Context, now Now) (*inquiry, error) {
	q := &inquiry{Guide: g, ctx: ctx, priors: g.learnt(now.Learnt), phase: phaseOf(now.Setup)}
	begun, err := g.table.BegunAll(ctx)
	q.stand = stand{blown: begun, pages: map[string]*foretold{}}
	return q, err
}

// asItCame is the same question about the cars as they came in, whatever has been done since.
func (g *inquiry) asItCame() (*inquiry, error) {
	if g.came != nil {
		return g.came, nil
	}
	begun, err := g.table.BegunAll(g.ctx)
	if err != nil {
		return nil, err
	}
	q := *g
	q.stand = stand{blown: begun, pages: map[string]*foretold{}}
	g.came = &q
	q.came = &q
	return g.came, nil
}

// carried is what has blown once the set-up has been changed.
func (s *stand) carried(m *electric.Model, setup []electric.Action) []predict.Blown {
	list := make([]predict.Blown, len(s.blown))
	for i, b := range s.blown {
		if b != (predict.Blown{}) {
			list[i] = b.Carry(m, s.setup, setup)
		}
	}
	return list
}

// page finds or begins what is foretold in a set-up.
func (g *inquiry) page(setup []electric.Action) (*foretold, error) {
	name := probe.SetupKey(setup)
	if p := g.pages[name]; p != nil {
		return p, nil
	}
	page, err := g.table.Page(setup)
	if err != nil {
		return nil, err
	}
	p := &foretold{Page: page, of: make([]*predict.Figures, len(g.suspects)), blown: g.carried(g.model, setup)}
	g.pages[name] = p
	return p, nil
}

// need makes the figures of these suspects.
func (g *inquiry) need(p *foretold, which []int) error {
	return p.Need(g.ctx, which, p.blown, p.of)
}

// pageFor is a page with the figures of these suspects.
func (g *inquiry) pageFor(setup []electric.Action, which []int) (*foretold, error) {
	p, err := g.page(setup)
	if err == nil {
		err = g.need(p, which)
	}
	return p, err
}

// moveTo takes the cars into a set-up and, where a state is entered, through it: what blows there
// stays blown.
func (g *inquiry) moveTo(setup []electric.Action, state int) error {
	if state < 0 {
		blown := g.carried(g.model, setup)
		g.land(setup, blown)
		return nil
	}
	p, err := g.pageFor(setup, g.everyone())
	if err != nil {
		return err
	}
	blown := make([]predict.Blown, len(g.suspects))
	for i, f := range p.of {
		if f != nil {
			blown[i] = f.After(state)
		}
	}
	g.land(setup, blown)
	return nil
}

// land notes how the cars stand now; what was foretold for other blown fuses is let go.
func (g *inquiry) land(setup []electric.Action, blown []predict.Blown) {
	same := probe.SetupKey(probe.Lasting(setup)) == probe.SetupKey(probe.Lasting(g.setup))
	for i := range blown {
		same = same && blown[i] == g.blown[i]
	}
	g.setup, g.blown = setup, blown
	if !same {
		g.pages = map[string]*foretold{}
	}
}
