// Package diagnose keeps every fault of a circuit in play until evidence clears it, and
// names the best next test.
//
// In goes a circuit and what was seen, out come suspects with probabilities, groups that no
// test can tell apart, the next moves and a verdict with what its proof still lacks. The one
// idea: a prediction for every suspect on a handful of random cars within tolerance; a
// reading is only ever compared with those, and a small chance of a misread is always kept,
// so that nothing is ever impossible.
package diagnose

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"
	"sync/atomic"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// How the predictions are made soft; cars and misread chance from the feasibility study.
const (
	cars          = 16
	misread       = 0.02
	firstSeed     = 1
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
	name    string
	fault   fault.Fault // zero for no fault and something else
	prior   float64
	base    float64 // the prior by kind alone
	unknown bool
	blown   [cars]uint64 // fuses blown by running every state
	ran     bool
}

// Guide predicts for one circuit. It may be shared: its methods lock.
type Guide struct {
	mu       sync.Mutex
	progress progress
	model    *electric.Model
	circuit  *harness.Circuit
	suspects []*suspect
	cars     [cars]electric.Car
	sheaves  map[string]*sheaf
	pinAt    map[harness.Pin]int
	placeOf  map[string]int // of a part in the circuit
	fans     []string
	apart    map[[2]int]bool // pairs already judged: can a test tell them apart?
	allTests []probe.Test    // with everything fitted, and each relay out
	relayAt  map[string]int
	casts    map[string]*forecast
	learnt   Experience                              // counted into the priors
	paired   map[[2]int]map[string][pairCars]float64 // fits of pairs to observations
}

// sheaf is what the suspects' cars show in one set-up: for each suspect, cars × states × width
// figures: volts at each pin (NaN floating), each fan's speed share, each fan's amps, each
// relay pulled in. A suspect's samples are made when first needed.
type sheaf struct {
	setup   []electric.Action
	samples [][]float32
	speeds  [][][4]float64        // chances of words, as far as they have been asked for
	binned  map[[3]int]*binnedRow // by state and leads, for choosing tests
}

// binnedRow is the bin each suspect's cars fall into for one test, as far as it is known.
type binnedRow struct {
	bins []uint8
	done []bool
}

// New prepares a guide; predictions are made as they are needed.
func New(m *electric.Model) (*Guide, error) {
	c := m.Circuit
	if len(c.Fans()) == 0 {
		return nil, fmt.Errorf("the circuit has no fan, so there is nothing to diagnose")
	}
	g := &Guide{
		model: m, circuit: c, sheaves: map[string]*sheaf{}, pinAt: map[harness.Pin]int{},
		apart: map[[2]int]bool{}, allTests: probe.Tests(c, nil),
		relayAt: map[string]int{}, casts: map[string]*forecast{}, paired: map[[2]int]map[string][pairCars]float64{},
	}
	for i, p := range c.OfKind(harness.KindRelay) {
		g.relayAt[p.Name] = i
	}
	for i, pin := range m.Pins() {
		g.pinAt[pin] = i
	}
	g.placeOf = map[string]int{}
	for i, p := range c.Parts {
		g.placeOf[p.Name] = i
	}
	for _, p := range c.Fans() {
		g.fans = append(g.fans, p.Name)
	}
	for i := range g.cars {
		g.cars[i] = electric.RandomCar(c, uint64(firstSeed+i))
	}
	sum := 0.0
	all := fault.All(c)
	for _, s := range all {
		sum += s.Weight
	}
	share := (1 - priorNothing - priorUnknown) / sum
	for _, s := range all {
		g.suspects = append(g.suspects, &suspect{name: s.Fault.String(), fault: s.Fault, prior: s.Weight * share})
	}
	g.suspects = append(g.suspects,
		&suspect{name: NoFault, prior: priorNothing},
		&suspect{name: SomethingElse, prior: priorUnknown, unknown: true})
	for _, s := range g.suspects {
		s.base = s.prior
	}
	return g, nil
}

// Circuit is the circuit the guide is for.
func (g *Guide) Circuit() *harness.Circuit { return g.circuit }

// Model is the circuit's electrical model.
func (g *Guide) Model() *electric.Model { return g.model }

// network gives the suspect's network in a set-up. A suspect whose part has been renewed is that
// the new one has the same fault.
func (g *Guide) network(s *suspect, setup []electric.Action) (*electric.Network, error) {
	return g.model.Network(s.still(setup), s.faults())
}

// still is a set-up without the repairs that would mend the suspect.
func (s *suspect) still(setup []electric.Action) []electric.Action {
	if s.fault.Words == "" || electric.RepairIn(setup, s.fault).Verb != "" {
		return setup
	}
	return slices.DeleteFunc(slices.Clone(setup), func(a electric.Action) bool { return electric.RepairIn([]electric.Action{a}, s.fault).Verb == "" })
}

func (s *suspect) faults() []fault.Fault {
	if s.fault.Words == "" {
		return nil
	}
	return []fault.Fault{s.fault}
}

// comesAndGoes tells whether the suspect shows on only some of the cars.
func (s *suspect) comesAndGoes() bool {
	return s.fault.Intermittent || s.fault.Words == fault.Brushes
}

// keptSheaves bounds how many set-ups' samples are kept beside the usual ones.
const keptSheaves = 40

// sheaf finds or begins the samples of a set-up.
func (g *Guide) sheaf(setup []electric.Action) (*sheaf, error) {
	key := probe.SetupKey(setup)
	if sh := g.sheaves[key]; sh != nil {
		return sh, nil
	}
	if _, err := g.model.Network(setup, nil); err != nil {
		return nil, err // such a set-up cannot be
	}
	if len(g.sheaves) >= keptSheaves {
		clear(g.sheaves) // made again as they are needed
	}
	sh := &sheaf{setup: setup, samples: make([][]float32, len(g.suspects)), speeds: make([][][4]float64, len(g.suspects)), binned: map[[3]int]*binnedRow{}}
	g.sheaves[key] = sh
	return sh, nil
}

// need makes the samples of these suspects: each car is first run through every state with
// everything fitted, and what blows stays blown.
func (g *Guide) need(sh *sheaf, which []int) error {
	var missing []int
	for _, i := range which {
		if sh.samples[i] == nil && !g.suspects[i].unknown {
			missing = append(missing, i)
		}
	}
	g.progress.begin(len(missing))
	return g.both(missing, func(i int) error {
		defer g.progress.step()
		return g.fill(sh, i)
	})
}

// progress counts the suspects whose predictions are being made.
type progress struct{ done, of atomic.Int64 }

func (p *progress) begin(of int) {
	if of > 0 {
		p.done.Store(0)
		p.of.Store(int64(of))
	}
}

func (p *progress) step() { p.done.Add(1) }

// Progress tells how many suspects of how many have been predicted in the set-up being worked
// on; it does not wait.
func (g *Guide) Progress() (done, of int) {
	return int(g.progress.done.Load()), int(g.progress.of.Load())
}

// both does independent pieces of work on two cores; a panic in one is the caller's error.
func (g *Guide) both(list []int, work func(i int) error) error {
	if len(list) < 4 {
		for _, i := range list {
			if err := work(i); err != nil {
				return err
			}
		}
		return nil
	}
	jobs := make(chan int, len(list))
	for _, i := range list {
		jobs <- i
	}
	close(jobs)
	errs := make(chan error, 2)
	for range 2 {
		go func() {
			var first error
			defer func() {
				if p := recover(); p != nil {
					first = fmt.Errorf("diagnose: %v", p)
				}
				errs <- first
			}()
			for i := range jobs {
				if err := work(i); err != nil && first == nil {
					first = err
				}
			}
		}()
	}
	return errors.Join(<-errs, <-errs)
}

// everyone lists all suspects.
func (g *Guide) everyone() []int {
	list := make([]int, len(g.suspects))
	for i := range list {
		list[i] = i
	}
	return list
}

// width is the number of figures a car shows in one state.
func (g *Guide) width() int { return len(g.model.Pins()) + 2*len(g.fans) + len(g.relayAt) }

// fill computes one suspect's samples. An intermittent fault shows on some of the cars only.
func (g *Guide) fill(sh *sheaf, i int) error {
	s := g.suspects[i]
	n, err := g.network(s, sh.setup)
	if err != nil {
		return err
	}
	if err := g.runHistory(s); err != nil {
		return err
	}
	samples := make([]float32, cars*len(g.circuit.States)*g.width())
	for k := range g.cars {
		n.Tune(g.cars[k])
		g.sample(n, samples, k, s.blown[k])
	}
	if s.comesAndGoes() {
		well, err := g.model.Network(sh.setup, nil)
		if err != nil {
			return err
		}
		for k := range g.cars {
			if g.cars[k].Dormant {
				well.Tune(g.cars[k])
				g.sample(well, samples, k, 0)
			}
		}
	}
	sh.samples[i] = samples
	return nil
}

// sample writes what one car shows in every state.
func (g *Guide) sample(n *electric.Network, samples []float32, car int, blown uint64) {
	pins, fans, width := len(g.model.Pins()), len(g.fans), g.width()
	for j, state := range g.circuit.States {
		n.SetBlown(blown)
		n.Rest()
		n.Enter(state)
		at := (car*len(g.circuit.States) + j) * width
		row := samples[at : at+width]
		n.MeterVolts(row[:pins])
		n.FanShares(row[pins : pins+fans])
		n.FanAmps(row[pins+fans : pins+2*fans])
		n.PulledIn(row[pins+2*fans:])
	}
}

// runHistory runs the suspect's cars through every state once, everything fitted.
func (g *Guide) runHistory(s *suspect) error {
	if s.ran {
		return nil
	}
	n, err := g.network(s, nil)
	if err != nil {
		return err
	}
	for k := range g.cars {
		n.Tune(g.cars[k])
		n.Restore()
		for _, state := range g.circuit.States {
			n.Rest()
			n.Enter(state)
		}
		s.blown[k] = n.Blown()
	}
	s.ran = true
	return nil
}

// stateIndex is a state's place in the circuit.
func (g *Guide) stateIndex(state *harness.State) int {
	for j, s := range g.circuit.States {
		if s == state {
			return j
		}
	}
	return -1
}

// view reads one suspect's samples of one state: a figure for each car.
type view struct {
	samples []float32
	first   int
	stride  int
}

func (v view) at(car int) float64 { return float64(v.samples[v.first+car*v.stride]) }

// volts views the meter's figure at a pin.
func (g *Guide) volts(sh *sheaf, suspect, state, pin int) view {
	return view{sh.samples[suspect], state*g.width() + pin, len(g.circuit.States) * g.width()}
}

// reading views what the meter shows between a test's two leads.
type reading struct {
	red, black view
	drop       bool
}

func (r reading) at(car int) float64 {
	v := r.red.at(car)
	if r.drop {
		return v - r.black.at(car) // NaN where either floats
	}
	return v
}

// meterAt views a test's reading.
func (g *Guide) meterAt(sh *sheaf, suspect, state int, t probe.Test) reading {
	r := reading{red: g.volts(sh, suspect, state, g.pinAt[t.At]), drop: t.From.Part != ""}
	if r.drop {
		r.black = g.volts(sh, suspect, state, g.pinAt[t.From])
	}
	return r
}

// fan views a fan's speed share.
func (g *Guide) fan(sh *sheaf, suspect, state, fan int) view {
	return g.volts(sh, suspect, state, len(g.model.Pins())+fan)
}

// fanAmps views a fan's current.
func (g *Guide) fanAmps(sh *sheaf, suspect, state, fan int) view {
	return g.volts(sh, suspect, state, len(g.model.Pins())+len(g.fans)+fan)
}

// pulledIn views whether a relay is pulled in.
func (g *Guide) pulledIn(sh *sheaf, suspect, state, relay int) view {
	return g.volts(sh, suspect, state, len(g.model.Pins())+2*len(g.fans)+relay)
}

// meter turns a floating pin's NaN into what a display shows, within the meter's range.
func meter(v float64) float64 {
	if math.IsNaN(v) {
		return 0
	}
	return math.Max(-probe.MaxVolts, math.Min(probe.MaxVolts, v))
}
