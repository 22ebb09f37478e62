package diagnose

import (
	"math"
	"math/rand/v2"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Policy chooses the next test of a played job.
type Policy string

// Policies. The textbook's order is fixed (common practice): every state looked at, fuses both
// sides, empty relay sockets, relays, motors, joints, modules, wires; steps that could tell
// nothing are skipped.
const (
	Best     Policy = "guide"
	Textbook Policy = "textbook"
)

// StudyOptions say how a circuit is played through. The zero value is one clean game a fault:
// the car as drawn, every reading right.
type StudyOptions struct {
	Policy  Policy
	Spread  int     // random cars a fault, from seeds the guide does not use; 0: the car as drawn
	Misread float64 // chance that a reading is taken wrong
	Doubles int     // pairs of faults played, each repaired to the end; 0: single faults
	Every   int     // play every so-manyth fault only; 0: all
	Seed    uint64
}

// Trial is one game.
type Trial struct {
	Fault     string   `json:"fault"`
	Found     bool     `json:"found"`     // the group named holds it
	Harmless  bool     `json:"harmless"`  // it changes no fan in any state: "no fault" is right too
	Confident bool     `json:"confident"` // the guide was sure (95 %)
	Tests     int      `json:"tests"`
	ToName    int      `json:"tests-to-name"` // until one group held 95 %
	Minutes   float64  `json:"minutes"`
	Named     string   `json:"named,omitempty"`
	Repairs   int      `json:"repairs,omitempty"` // of a double: how many repairs were made
	Wrong     int      `json:"wrong,omitempty"`   // of them, at what was not broken
	Asked     []string `json:"asked"`             // the tests, in their order
	bound     float64
	prior     float64
}

// Report sums the games up.
type Report struct {
	Circuit        string  `json:"circuit"`
	Policy         Policy  `json:"policy"`
	Trials         []Trial `json:"faults"`
	Right          float64 `json:"right"`             // share
	ConfidentWrong float64 `json:"confidently-wrong"` // share
	MeanTests      float64 `json:"mean-tests"`
	P95Tests       int     `json:"p95-tests"`
	MaxTests       int     `json:"max-tests"`
	MeanToName     float64 `json:"mean-tests-to-name"`
	MeanMinutes    float64 `json:"mean-minutes"`
	P95Minutes     float64 `json:"p95-minutes"`
	MaxMinutes     float64 `json:"max-minutes"`
	UsualMinutes   float64 `json:"usual-minutes"` // the mean over faults as often as they are met
	EntropyBits    float64 `json:"entropy-bits"`  // of the faults, those alike taken together
	BoundTests     float64 `json:"bound-tests"`   // entropy over the mean bits of the outcomes offered
	WrongRepairs   float64 `json:"wrong-repairs"` // a car, of doubles
}

// maxStudyTests ends a game that goes nowhere.
const maxStudyTests = 45

// firstTruthSeed begins the seeds of the truth, away from the guide's own.
const firstTruthSeed = 7001

// Study plays the circuit's faults through the guide. progress is told after each game; it may
// be nil, and ends the study by returning false.
func (g *Guide) Study(o StudyOptions, progress func(done, of int) bool) (*Report, error) {
	if o.Policy == "" {
		o.Policy = Best
	}
	r := &Report{Circuit: g.circuit.Title, Policy: o.Policy}
	games := g.games(o)
	for k, game := range games {
		t, err := game.play(o)
		if err != nil {
			return nil, err
		}
		r.Trials = append(r.Trials, *t)
		if progress != nil && !progress(k+1, len(games)) {
			break
		}
	}
	r.EntropyBits = g.entropy()
	r.sum()
	return r, nil
}

func (g *Guide) games(o StudyOptions) []*game {
	var single []fault.Fault
	for i, s := range g.suspects {
		comes := s.comesAndGoes() && o.Spread == 0 // no reading of it is clean
		if s.fault.Words == "" || comes || o.Every > 1 && i%o.Every != 0 {
			continue
		}
		single = append(single, s.fault)
	}
	var games []*game
	add := func(seed uint64, car electric.Car, faults ...fault.Fault) {
		games = append(games, &game{
			g: g, faults: faults, car: car, misread: o.Misread, rng: rand.New(rand.NewPCG(seed, 0x57)),
			nets: map[string]*electric.Network{},
		})
	}
	if o.Doubles > 0 {
		rng := rand.New(rand.NewPCG(o.Seed, 0xD0))
		for k := range o.Doubles {
			a, b := g.drawn(rng), g.drawn(rng)
			for a.String() == b.String() || samePlace(a, b) {
				b = g.drawn(rng)
			}
			seed := firstTruthSeed + o.Seed + uint64(k)
			add(seed, electric.RandomCar(g.circuit, seed), a, b)
		}
		return games
	}
	for i, f := range single {
		if o.Spread == 0 {
			add(uint64(i), electric.Car{}, f)
			games[len(games)-1].clean = o.Misread == 0
			continue
		}
		for k := range o.Spread {
			seed := firstTruthSeed + o.Seed + uint64(i*o.Spread+k)
			add(seed, electric.RandomCar(g.circuit, seed), f)
		}
	}
	return games
}

// drawn draws a fault by its prior.
func (g *Guide) drawn(rng *rand.Rand) fault.Fault {
	for {
		at := rng.Float64()
		for _, s := range g.suspects {
			if at -= s.prior; at < 0 {
				if s.fault.Words != "" && !s.comesAndGoes() {
					return s.fault
				}
				break
			}
		}
	}
}

func (g *Guide) priorOf(f fault.Fault) float64 {
	for _, s := range g.suspects {
		if s.fault == f {
			return s.prior
		}
	}
	return 0
}

func samePlace(a, b fault.Fault) bool {
	for _, p := range a.Parts() {
		if slices.Contains(b.Parts(), p) {
			return true
		}
	}
	return false
}

// play follows the policy to its verdict, or of a double from repair to repair.
func (m *game) play(o StudyOptions) (*Trial, error) {
	t := &Trial{Fault: m.faults[0].String(), Harmless: m.harmless(nil), prior: m.g.priorOf(m.faults[0])}
	if len(m.faults) > 1 {
		t.Fault += " and " + m.faults[1].String()
		return t, m.playDouble(t)
	}
	v, _, err := m.verdict(o.Policy, t, nil, Now{})
	if err != nil {
		return nil, err
	}
	t.judge(v, m.faults[0].String())
	return t, nil
}

func (t *Trial) judge(v *Verdict, truth string) {
	if v == nil {
		return
	}
	t.Named = v.Faults[0]
	t.Confident = v.Probability >= verdictAt
	t.Found = slices.Contains(v.Faults, truth) || t.Harmless && v.Faults[0] == NoFault
}

// verdict plays to a proven verdict, or until no test is left; without a verdict the likeliest
// group counts.
func (m *game) verdict(policy Policy, t *Trial, seen []probe.Observation, now Now) (*Verdict, []probe.Observation, error) {
	for t.Tests < maxStudyTests {
		a, err := m.g.assess(seen, now, policy)
		if err != nil {
			return nil, nil, err
		}
		if a.Verdict != nil && t.ToName == 0 {
			t.ToName = t.Tests
		}
		if a.Verdict != nil && a.Verdict.Proven || len(a.Next) == 0 {
			if t.ToName == 0 {
				t.ToName = t.Tests
			}
			if a.Verdict == nil && len(a.Suspects) > 0 {
				top := a.Suspects[0]
				return &Verdict{Faults: append([]string{top.Fault}, top.SameAs...), Probability: top.Probability}, seen, nil
			}
			return a.Verdict, seen, nil
		}
		move := a.Next[0]
		seen = append(seen, m.answer(&move))
		t.Tests++
		t.Minutes += move.Minutes
		t.Asked = append(t.Asked, move.Title)
		t.bound += math.Log2(float64(max(2, len(move.Outcomes))))
		now.State = m.g.circuit.State(move.State)
		if now.Setup, err = electric.ParseSetup(m.g.circuit, move.Setup); err != nil {
			return nil, nil, err
		}
	}
	return nil, seen, nil
}

// maxRepairs ends a double that goes nowhere.
const (
	maxRepairs     = 6
	maxDoubleTests = 80
)

// playDouble repairs what is named, asks every state again and goes on, until every fan does
// what it should.
func (m *game) playDouble(t *Trial) error {
	var seen []probe.Observation
	var now Now
	for t.Repairs < maxRepairs && t.Tests < maxDoubleTests {
		one := Trial{}
		v, all, err := m.verdict(Best, &one, seen, now)
		if err != nil {
			return err
		}
		seen = all
		t.Tests, t.Minutes, t.bound = t.Tests+one.Tests, t.Minutes+one.Minutes, t.bound+one.bound
		t.Asked = append(t.Asked, one.Asked...)
		if v == nil || v.Faults[0] == NoFault || v.Faults[0] == SomethingElse {
			break
		}
		if now.Setup = m.repair(t, v, now.Setup); now.Setup == nil {
			break
		}
		now.State = nil
	}
	t.Found = m.harmless(now.Setup)
	return nil
}

// repair mends what the verdict names, one after the other where it cannot tell which, until
// one was really broken; nil where nothing was left to mend.
func (m *game) repair(t *Trial, v *Verdict, setup []electric.Action) []electric.Action {
	lasting := slices.Clone(probe.Lasting(setup))
	done := false
	for _, words := range v.Faults {
		f, err := fault.Parse(m.g.circuit, words)
		if err != nil {
			continue // no fault, or something else
		}
		a := electric.RepairIn(lasting, f)
		if a.Verb == "" || slices.Contains(lasting, a) {
			continue
		}
		before := m.left(lasting)
		lasting = append(lasting, a)
		t.Repairs++
		t.Asked = append(t.Asked, a.String())
		done = true
		if m.left(lasting) < before || m.wasBlown(a) {
			return lasting
		}
		t.Wrong++
		if len(v.Faults) > 3 && t.Wrong > 2 {
			break
		}
	}
	if !done {
		return nil
	}
	return lasting
}

// left counts the faults that a set-up has not mended.
func (m *game) left(setup []electric.Action) int {
	n := 0
	for _, f := range m.faults {
		if electric.RepairIn(setup, f).Verb != "" {
			n++
		}
	}
	return n
}

// wasBlown tells whether the part renewed was a fuse that had blown: renewing it is right,
// whatever blew it.
func (m *game) wasBlown(a electric.Action) bool {
	m.history()
	for i, p := range m.g.circuit.OfKind(harness.KindFuse) {
		if p.Name == a.Part && m.blown&(1<<i) != 0 {
			return true
		}
	}
	return false
}

// entropy is that of the faults' priors in bits, those that no test tells apart taken as one.
func (g *Guide) entropy() float64 {
	g.mu.Lock()
	defer g.mu.Unlock()
	var leaders []int
	share := map[int]float64{}
	sum := 0.0
	for i, s := range g.suspects {
		if s.fault.Words == "" {
			continue
		}
		leader := i
		for _, j := range leaders {
			if apart, err := g.tellApart(j, i); err == nil && !apart {
				leader = j
				break
			}
		}
		if leader == i {
			leaders = append(leaders, i)
		}
		share[leader] += s.prior
		sum += s.prior
	}
	bits := 0.0
	for _, leader := range leaders {
		bits -= share[leader] / sum * math.Log2(share[leader]/sum)
	}
	return bits
}

// sum fills in the totals.
func (r *Report) sum() {
	n := float64(len(r.Trials))
	if n == 0 {
		return
	}
	var tests []int
	var took []float64
	var bits, asked, prior float64
	for _, t := range r.Trials {
		switch {
		case t.Found:
			r.Right += 1 / n
		case t.Confident:
			r.ConfidentWrong += 1 / n
		}
		tests, took = append(tests, t.Tests), append(took, t.Minutes)
		r.MeanTests += float64(t.Tests) / n
		r.MeanToName += float64(t.ToName) / n
		r.MeanMinutes += t.Minutes / n
		r.WrongRepairs += float64(t.Wrong) / n
		r.UsualMinutes += t.prior * t.Minutes
		prior += t.prior
		bits += t.bound
		asked += float64(t.Tests)
	}
	r.UsualMinutes /= math.Max(prior, 1e-12)
	slices.Sort(tests)
	slices.Sort(took)
	last := len(tests) - 1
	r.P95Tests, r.MaxTests = tests[last*95/100], tests[last]
	r.P95Minutes, r.MaxMinutes = took[last*95/100], took[last]
	if bits > 0 {
		r.BoundTests = r.EntropyBits / (bits / asked)
	}
}
