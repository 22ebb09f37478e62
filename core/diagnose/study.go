package diagnose

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"ironthread/core/car"
	"ironthread/core/electric"
	"ironthread/core/fault"
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
	Repair  bool    // each game is played to the repair, not to the verdict
	Shorts  bool    // only wires that lie against ground or battery
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
// be nil. It ends early, with the context's error, when that is cancelled; what has been played
// until then is in the report.
func (g *Guide) Study(ctx context.Context, o StudyOptions, progress func(done, of int)) (*Report, error) {
	if o.Policy == "" {
		o.Policy = Best
	}
	r := &Report{Circuit: g.circuit.Title, Policy: o.Policy}
	games := g.games(o)
	for k, game := range games {
		t, err := game.play(ctx, o)
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			r.sum()
			return r, err
		}
		r.Trials = append(r.Trials, *t)
		if progress != nil {
			progress(k+1, len(games))
		}
	}
	var err error
	r.EntropyBits, err = g.entropy(ctx)
	r.sum()
	return r, err
}

// game is one car with its faults, played through the guide.
type game struct {
	g      *Guide
	faults []fault.Fault
	car    car.Options
}

func (g *Guide) games(o StudyOptions) []game {
	if o.Doubles > 0 {
		return g.doubles(o)
	}
	var games []game
	met := 0
	for i, s := range g.suspects {
		comes := s.ComesAndGoes() && o.Spread == 0 // no reading of it is clean
		short := s.Fault.Words == fault.Grounded || s.Fault.Words == fault.ToBattery
		if s.Fault.Words == "" || comes || o.Shorts && !short {
			continue
		}
		if met++; o.Every > 1 && met%o.Every != 0 {
			continue
		}
		if o.Spread == 0 {
			games = append(games, game{g, s.Faults(), car.Options{Misread: o.Misread, Unsure: o.Misread > 0}})
			continue
		}
		for k := range o.Spread {
			seed := firstTruthSeed + o.Seed + uint64(i*o.Spread+k)
			games = append(games, game{g, s.Faults(), car.Options{Seed: seed, Misread: o.Misread, Unsure: true}})
		}
	}
	return games
}

func (g *Guide) doubles(o StudyOptions) []game {
	var games []game
	rng := rand.New(rand.NewPCG(o.Seed, 0xD0))
	for k := range o.Doubles {
		a, b := g.drawn(rng), g.drawn(rng)
		for a.String() == b.String() || samePlace(a, b) {
			b = g.drawn(rng)
		}
		games = append(games, game{g, []fault.Fault{a, b}, car.Options{Seed: firstTruthSeed + o.Seed + uint64(k), Misread: o.Misread,
			Unsure: true}})
	}
	return games
}

// drawn draws a fault by its prior.
func (g *Guide) drawn(rng *rand.Rand) fault.Fault {
	for {
		at := rng.Float64()
		for _, s := range g.suspects {
			if at -= s.base; at < 0 {
				if s.Fault.Words != "" && !s.ComesAndGoes() {
					return s.Fault
				}
				break
			}
		}
	}
}

func (g *Guide) priorOf(f fault.Fault) float64 {
	for _, s := range g.suspects {
		if s.Fault == f {
			return s.base
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

// play follows the policy to its verdict, or from repair to repair.
func (m game) play(ctx context.Context, o StudyOptions) (*Trial, error) {
	c, err := car.New(m.g.model, m.car, m.faults...)
	if err != nil {
		return nil, err
	}
	t := &Trial{Fault: m.faults[0].String(), Harmless: c.Well(nil), prior: m.g.priorOf(m.faults[0])}
	if len(m.faults) > 1 {
		t.Fault += " and " + m.faults[1].String()
	}
	if len(m.faults) > 1 || o.Repair {
		return t, m.playRepairs(ctx, c, t)
	}
	v, _, err := m.verdict(ctx, c, o.Policy, t, nil, Now{})
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
func (m game) verdict(ctx context.Context, c *car.Car, policy Policy, t *Trial, seen []probe.Observation, now Now) (*Verdict,
	[]probe.Observation, error) {
	for t.Tests < maxStudyTests {
		a, err := m.g.assess(ctx, seen, now, policy)
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
		answered, err := c.Answer(move.Do, move.Asked())
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", move.Title, err)
		}
		seen = append(seen, answered)
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

// maxRepairs ends a game that goes nowhere.
const (
	maxRepairs     = 6
	maxDoubleTests = 80
)

// playRepairs repairs what is named, asks every state again and goes on, until every fan does
// what it should.
func (m game) playRepairs(ctx context.Context, c *car.Car, t *Trial) error {
	var seen []probe.Observation
	var now Now
	for t.Repairs < maxRepairs && t.Tests < maxDoubleTests {
		one := Trial{}
		v, all, err := m.verdict(ctx, c, Best, &one, seen, now)
		if err != nil {
			return err
		}
		seen = all
		t.Tests, t.Minutes, t.bound = t.Tests+one.Tests, t.Minutes+one.Minutes, t.bound+one.bound
		t.Asked = append(t.Asked, one.Asked...)
		if v == nil || v.Faults[0] == NoFault || v.Faults[0] == SomethingElse {
			break
		}
		t.Named = v.Faults[0]
		lasting, done := m.repair(c, t, v, probe.Lasting(now.Setup))
		if !done {
			break
		}
		now.Setup, now.State = lasting, nil
		c.Do(lasting)
	}
	t.Found = c.Well(now.Setup)
	return nil
}

// repair mends what the verdict names, one after the other where it cannot tell which, until
// one was really broken; done is false where nothing was left to mend. Whoever mends a short also
// puts in a whole fuse where it has blown: that is seen, and is no repair of its own.
func (m game) repair(c *car.Car, t *Trial, v *Verdict, lasting []electric.Action) (now []electric.Action, done bool) {
	lasting = slices.Clone(lasting)
	for _, words := range v.Faults {
		f, err := fault.Parse(m.g.circuit, words)
		if err != nil {
			continue // no fault, or something else
		}
		a := electric.RepairIn(lasting, f)
		blown := f.On == fault.OnPart && c.IsBlown(f.Part)
		if blown {
			a = electric.RepairOf(f) // renewed before, and blown again
		}
		if a.Verb == "" || !blown && slices.Contains(lasting, a) {
			continue
		}
		before := c.Left(lasting)
		lasting = append(lasting, a)
		t.Repairs++
		t.Asked = append(t.Asked, a.String())
		done = true
		right := c.Left(lasting) < before
		if right {
			for _, also := range m.g.blownBy(f) {
				if c.IsBlown(also) {
					lasting = append(lasting, electric.Action{Verb: electric.Renewed, Part: also})
				}
			}
		}
		if right || blown {
			return lasting, true
		}
		t.Wrong++
		if len(v.Faults) > 3 && t.Wrong > 2 {
			break
		}
	}
	return lasting, done
}

// entropy is that of the faults' priors in bits, those that no test tells apart taken as one.
func (g *Guide) entropy(ctx context.Context) (float64, error) {
	q, err := g.ask(ctx, Now{})
	if err != nil {
		return 0, err
	}
	var leaders []int
	share := map[int]float64{}
	sum := 0.0
	for i, s := range g.suspects {
		if s.Fault.Words == "" {
			continue
		}
		leader := i
		for _, j := range leaders {
			apart, err := q.tellApart(j, i)
			if err != nil {
				return 0, err
			}
			if !apart {
				leader = j
				break
			}
		}
		if leader == i {
			leaders = append(leaders, i)
		}
		share[leader] += s.base
		sum += s.base
	}
	bits := 0.0
	for _, leader := range leaders {
		bits -= share[leader] / sum * math.Log2(share[leader]/sum)
	}
	return bits, nil
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
