// Package study plays a circuit's faults through the guide, and says how well it did.
//
// In goes a guide, out comes a report: how many faults were named, with how many tests and in how many
// minutes, beside the same faults in a textbook's fixed order and beside the least that any order could need.
// The one idea: the truth is a car that answers questions (package car) and knows nothing of the guide. It
// does share the circuit's electrical model with it: a study measures ranking, not truth.
package study

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"ironthread/core/car"
	"ironthread/core/diagnose"
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

// Options say how a circuit is played through. The zero value is one clean game a fault:
// the car as drawn, every reading right.
type Options struct {
	Policy  Policy
	Spread  int     // random cars a fault, from seeds the guide does not use; 0: the car as drawn
	Misread float64 // chance that a reading is taken wrong
	Doubles int     // pairs of faults played, each repaired to the end; 0: single faults
	Every   int     // play every so-manyth fault only; 0: all
	Repair  bool    // each game is played to the repair, not to the verdict
	Shorts  bool    // only wires that lie against ground or battery
	AsTaken bool    // with Spread: the engine running, read as people do, a joint cleaned before in one job of ten
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

// Bounds of a study. firstTruthSeed begins the seeds of the truth, away from the guide's own.
const (
	maxTests       = 45 // ends a game that goes nowhere
	maxRepairs     = 6  // or one that is played from repair to repair
	maxDoubleTests = 80
	firstTruthSeed = 7001
	triedOfMany    = 3 // of a verdict of more parts than these, so many are renewed in turn
)

// Play plays the circuit's faults through the guide. progress is told after each game; it may
// be nil. It ends early, with the context's error, when that is cancelled; what has been played
// until then is in the report.
func Play(ctx context.Context, g *diagnose.Guide, o Options, progress func(done, of int)) (*Report, error) {
	if o.Policy == "" {
		o.Policy = Best
	}
	r := &Report{Circuit: g.Circuit().Title, Policy: o.Policy}
	games := games(g, o)
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
	r.EntropyBits, err = Entropy(ctx, g)
	r.sum()
	return r, err
}

// game is one car with its faults, played through the guide.
type game struct {
	g      *diagnose.Guide
	faults []fault.Fault
	car    car.Options
}

// games lists the games of a study.
func games(g *diagnose.Guide, o Options) []game {
	if o.Doubles > 0 {
		return doubles(g, o)
	}
	var list []game
	met := 0
	for i, h := range g.Hypotheses() {
		comes := h.ComesAndGoes && o.Spread == 0 // no reading of it is clean
		if comes || o.Shorts && !h.Fault.IsHeld() {
			continue
		}
		if met++; o.Every > 1 && met%o.Every != 0 {
			continue
		}
		faults := []fault.Fault{h.Fault}
		if o.Spread == 0 {
			list = append(list, game{g, faults, car.Options{Misread: o.Misread, Unsure: o.Misread > 0}})
			continue
		}
		for k := range o.Spread {
			seed := firstTruthSeed + o.Seed + uint64(i*o.Spread+k)
			list = append(list, game{g, faults, car.Options{Seed: seed, Misread: o.Misread, Unsure: true, AsTaken: o.AsTaken}})
		}
	}
	return list
}

func doubles(g *diagnose.Guide, o Options) []game {
	var list []game
	hypotheses := g.Hypotheses()
	rng := rand.New(rand.NewPCG(o.Seed, 0xD0))
	for k := range o.Doubles {
		a, b := drawn(hypotheses, rng), drawn(hypotheses, rng)
		for a.String() == b.String() || a.SamePlace(b) {
			b = drawn(hypotheses, rng)
		}
		list = append(list, game{g, []fault.Fault{a, b}, car.Options{Seed: firstTruthSeed + o.Seed + uint64(k), Misread: o.Misread,
			Unsure: true}})
	}
	return list
}

// drawn draws a fault by its prior.
func drawn(list []diagnose.Hypothesis, rng *rand.Rand) fault.Fault {
	for {
		at := rng.Float64()
		for _, h := range list {
			if at -= h.Prior; at < 0 {
				if !h.ComesAndGoes {
					return h.Fault
				}
				break
			}
		}
	}
}

func priorOf(g *diagnose.Guide, f fault.Fault) float64 {
	for _, h := range g.Hypotheses() {
		if h.Fault == f {
			return h.Prior
		}
	}
	return 0
}

// play follows the policy to its verdict, or from repair to repair.
func (m game) play(ctx context.Context, o Options) (*Trial, error) {
	c, err := car.New(m.g.Model(), m.car, m.faults...)
	if err != nil {
		return nil, err
	}
	t := &Trial{Fault: m.faults[0].String(), Harmless: c.Well(nil), prior: priorOf(m.g, m.faults[0])}
	if len(m.faults) > 1 {
		t.Fault += " and " + m.faults[1].String()
	}
	if len(m.faults) > 1 || o.Repair {
		return t, m.playRepairs(ctx, c, t)
	}
	now := m.now(o.Policy)
	if o.AsTaken {
		now.Setup = m.asFound()
	}
	v, _, err := m.verdict(ctx, c, t, nil, now)
	if err != nil {
		return nil, err
	}
	t.judge(v, m.faults[0].String())
	return t, nil
}

// cleanedBefore is in how many jobs somebody has cleaned a joint before: one of so many.
const cleanedBefore = 10

// asFound is how a car stands as it comes in: its engine runs, and in some jobs a sound joint has been cleaned already.
func (m game) asFound() []electric.Action {
	setup := []electric.Action{{Verb: electric.Engine, Runs: electric.EngineRunning}}
	rng := rand.New(rand.NewPCG(m.car.Seed, 0xC1))
	if rng.IntN(cleanedBefore) > 0 {
		return setup
	}
	var sound []string
	for _, p := range m.g.Circuit().Parts {
		joint := slices.Contains([]harness.Kind{harness.KindRelay, harness.KindFuse, harness.KindGround, harness.KindConnector}, p.Kind())
		touched := slices.ContainsFunc(m.faults, func(f fault.Fault) bool { return slices.Contains(f.Parts(), p.Name) })
		if joint && !touched {
			sound = append(sound, p.Name)
		}
	}
	if len(sound) == 0 {
		return setup
	}
	return append(setup, electric.Action{Verb: electric.Cleaned, Part: sound[rng.IntN(len(sound))]})
}

func (t *Trial) judge(v *diagnose.Verdict, truth string) {
	if v == nil {
		return
	}
	t.Named = v.Faults[0]
	t.Confident = v.Probability >= diagnose.VerdictAt
	t.Found = slices.Contains(v.Faults, truth) || t.Harmless && v.Faults[0] == diagnose.NoFault
}

// now is how the car stands before anything is done, with the order in which a policy takes tests.
func (m game) now(p Policy) diagnose.Now {
	if p == Textbook {
		return diagnose.Now{Order: textbook(m.g.Circuit())}
	}
	return diagnose.Now{}
}

// verdict plays to a proven verdict, or until no test is left; without a verdict the likeliest
// group counts.
func (m game) verdict(ctx context.Context, c *car.Car, t *Trial, seen []probe.Observation, now diagnose.Now) (*diagnose.Verdict,
	[]probe.Observation, error) {
	for t.Tests < maxTests {
		a, err := m.g.Assess(ctx, seen, now)
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
				return &diagnose.Verdict{Faults: append([]string{top.Fault}, top.SameAs...), Probability: top.Probability}, seen, nil
			}
			return a.Verdict, seen, nil
		}
		move := a.Next[0]
		answered, err := c.Answer(move.Question)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", move.Title, err)
		}
		seen = append(seen, answered)
		t.Tests++
		t.Minutes += move.Minutes
		t.Asked = append(t.Asked, move.Title)
		t.bound += math.Log2(float64(max(2, len(move.Outcomes))))
		now.State = m.g.Circuit().State(move.State)
		if now.Setup, err = electric.ParseSetup(m.g.Circuit(), move.Setup); err != nil {
			return nil, nil, err
		}
	}
	return nil, seen, nil
}

// playRepairs repairs what is named, asks every state again and goes on, until every fan does
// what it should.
func (m game) playRepairs(ctx context.Context, c *car.Car, t *Trial) error {
	var seen []probe.Observation
	var now diagnose.Now
	for t.Repairs < maxRepairs && t.Tests < maxDoubleTests {
		one := Trial{}
		v, all, err := m.verdict(ctx, c, &one, seen, now)
		if err != nil {
			return err
		}
		seen = all
		t.Tests, t.Minutes, t.bound = t.Tests+one.Tests, t.Minutes+one.Minutes, t.bound+one.bound
		t.Asked = append(t.Asked, one.Asked...)
		if v == nil || v.Faults[0] == diagnose.NoFault || v.Faults[0] == diagnose.SomethingElse {
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
func (m game) repair(c *car.Car, t *Trial, v *diagnose.Verdict, lasting []electric.Action) (now []electric.Action, done bool) {
	lasting = slices.Clone(lasting)
	for _, words := range v.Faults {
		f, err := fault.Parse(m.g.Circuit(), words)
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
			for _, also := range m.g.BlownBy(f) {
				if c.IsBlown(also) {
					lasting = append(lasting, electric.Action{Verb: electric.Renewed, Part: also})
				}
			}
		}
		if right || blown {
			return lasting, true
		}
		t.Wrong++
		if len(v.Faults) > triedOfMany && t.Wrong >= triedOfMany {
			break
		}
	}
	return lasting, done
}

// Entropy is that of a circuit's faults in bits, by their priors, those that no test tells apart taken as one.
func Entropy(ctx context.Context, g *diagnose.Guide) (float64, error) {
	list := g.Hypotheses()
	var leaders []int
	share := map[int]float64{}
	sum := 0.0
	for i, h := range list {
		leader := i
		for _, j := range leaders {
			apart, err := g.Apart(ctx, list[j].Fault, h.Fault)
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
		share[leader] += h.Prior
		sum += h.Prior
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
