// Package diagnose keeps every fault of a circuit in play until evidence clears it, and names the best next
// test.
//
// In goes a circuit and what was seen, out come suspects with probabilities, groups that no test can tell
// apart, the next moves and a verdict with what its proof still lacks. The one idea: a prediction for every
// suspect on a handful of random cars within tolerance (package predict); a reading is only ever compared
// with those, and a small chance of a misread is always kept, so that nothing is ever impossible. What is
// said to people is worded by package instruct.
//
// The files stand in the order in which a question passes through them: suspects, the cars that are
// foretold for them (inquiry, answers), the log (evidence, belief, pairs), what can be told apart (apart,
// groups), the next test (rank, move), the proof, the verdict (conclude), and the guide's answers (assess,
// explain, refute).
package diagnose

import (
	"fmt"
	"slices"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"ironthread/core/car"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// Guide judges one circuit. It may be shared: what it learns of one question is kept for the next, and
// nobody waits for another's question.
type Guide struct {
	model    *electric.Model
	circuit  *harness.Circuit
	table    *predict.Table
	suspects suspects
	fans     []string     // their names
	tests    []probe.Test // with everything fitted, and each relay out
	apart    *apartKept
	paired   *lru.Cache[[2]int, *lru.Cache[string, pairFits]] // how single answers fit pairs of suspects
}

// pairFits is how an answer fits a pair on each car, and what has blown after it.
type pairFits struct {
	fit   [pairCars]float64
	blown [pairCars]uint64
}

// apartKept remembers which pairs of suspects a test can tell apart: that does not depend on the evidence.
// It is safe for use by many goroutines.
type apartKept struct {
	mu    sync.Mutex
	known map[[2]int]bool
}

func (k *apartKept) find(pair [2]int) (apart, known bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	apart, known = k.known[pair]
	return apart, known
}

func (k *apartKept) keep(pair [2]int, apart bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if len(k.known) >= keptApart {
		clear(k.known)
	}
	k.known[pair] = apart
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
		model: m, circuit: c, suspects: suspectsOf(c), tests: probe.Tests(c, nil), apart: &apartKept{known: map[[2]int]bool{}},
	}
	for _, p := range c.Fans() {
		g.fans = append(g.fans, p.Name)
	}
	list := make([]predict.Suspect, 0, len(g.suspects))
	for _, s := range g.suspects {
		list = append(list, s.Suspect)
	}
	var err error
	if g.paired, err = lru.New[[2]int, *lru.Cache[string, pairFits]](keptPairs); err != nil {
		return nil, err
	}
	g.table, err = predict.New(m, list, b)
	return g, err
}

// Circuit is the circuit the guide is for.
func (g *Guide) Circuit() *harness.Circuit { return g.circuit }

// Model is the circuit's electrical model.
func (g *Guide) Model() *electric.Model { return g.model }

// Close lets go of what the guide has foretold.
func (g *Guide) Close() { g.table.Close() }

// Progress tells how many suspects of how many have been foretold in the set-up being worked on; it
// does not wait.
func (g *Guide) Progress() (done, of int) {
	done, of = g.table.Progress()
	return min(done, of), of // another set-up may have been begun between the two
}

// Parts lists what may be believed in: every part with a fault of its own.
func (g *Guide) Parts() []*harness.Part {
	var list []*harness.Part
	for _, p := range g.circuit.Parts {
		if slices.ContainsFunc(g.suspects, func(s *suspect) bool { return slices.Contains(s.Fault.Parts(), p.Name) }) {
			list = append(list, p)
		}
	}
	return list
}

// Faults lists every suspect by name.
func (g *Guide) Faults() []string {
	names := make([]string, 0, len(g.suspects))
	for _, s := range g.suspects {
		names = append(names, s.Name)
	}
	return names
}

// Hypothesis is a fault that the guide considers, as a study plays them.
type Hypothesis struct {
	Fault        fault.Fault
	Prior        float64 // by kind alone
	ComesAndGoes bool
}

// Hypotheses lists every fault that the guide considers.
func (g *Guide) Hypotheses() []Hypothesis {
	var list []Hypothesis
	for _, s := range g.suspects {
		if s.isFault() {
			list = append(list, Hypothesis{s.Fault, s.base, s.ComesAndGoes()})
		}
	}
	return list
}

// Priors lists how likely each kind of fault is before anything is seen, the likeliest first, with a
// workshop's own jobs counted in.
func (g *Guide) Priors(e Experience) []PriorOf { return g.suspects.kindsOf(g.circuit, e) }

// Healthy is what a test shows on a car with nothing wrong, as drawn; it says nothing where the test cannot
// be made.
func (g *Guide) Healthy(t probe.Test) probe.Good {
	well, err := car.New(g.model, car.Options{})
	if err != nil {
		return probe.Good{}
	}
	answered, err := well.Answer(t.Question())
	if err != nil {
		return probe.Good{}
	}
	return probe.GoodOf(&answered)
}

// Suppose computes what the car shows in a state if this fault is in it: first run through
// every state with everything fitted, so that what blows has blown.
func (g *Guide) Suppose(words string, test probe.Test) (*electric.Point, error) {
	f, err := fault.Parse(g.circuit, words)
	if err != nil {
		return nil, err
	}
	before, err := g.model.Network(nil, []fault.Fault{f})
	if err != nil {
		return nil, err
	}
	blown := before.Complain(g.circuit.States)
	n, err := g.model.Network(test.Setup, []fault.Fault{f})
	if err != nil {
		return nil, err
	}
	n.SetBlown(g.model.Carry(blown, nil, test.Setup))
	n.Rest()
	n.Enter(test.State)
	return n.Point(test.State), nil
}

// BlownBy names the fuses that a fault has blown on most cars before anybody looked.
func (g *Guide) BlownBy(f fault.Fault) []string {
	s := g.suspects.of(f)
	if s == nil {
		return nil
	}
	blown, err := g.table.BlownBefore(s.at)
	if err != nil {
		return nil
	}
	var names []string
	for n, part := range g.model.Fused() {
		if blows(blown, n) && part != f.Part {
			names = append(names, part)
		}
	}
	return names
}

// blows tells whether a fuse has blown on most of a suspect's cars.
func blows(b predict.Blown, fuse int) bool {
	n := 0
	for _, bits := range b {
		n += int(bits >> fuse & 1)
	}
	return n > cars/2
}

// Repairs is what mends a fault on a car as it is set up: the part renewed, the wire or the terminal
// mended, and with a short the fuse that it has blown, which is renewed with it. It is empty where the
// set-up has mended the fault already.
func (g *Guide) Repairs(setup []electric.Action, f fault.Fault) []electric.Action {
	mend := electric.RepairIn(setup, f)
	if mend.Verb == "" || slices.Contains(setup, mend) {
		return nil
	}
	list := []electric.Action{mend}
	for _, fuse := range g.BlownBy(f) {
		list = append(list, electric.Action{Verb: electric.Renewed, Part: fuse})
	}
	return list
}

// network gives a suspect's network in a set-up.
func (g *Guide) network(s *suspect, setup []electric.Action) (*electric.Network, error) {
	return g.model.Network(s.Unmended(setup), s.faults)
}

// instrument lays a test's instrument on the circuit in a set-up, with faults in it.
func (g *Guide) instrument(t probe.Test, setup []electric.Action, faults []fault.Fault) (*electric.Instrumented, error) {
	which, _ := t.Instrument()
	return g.model.Instrument(setup, faults, which, t.At, t.From)
}
