// Package drill lets people practise: a vehicle with a hidden fault, a complaint in a customer's words, and afterwards what
// it was, what it took, and where the evidence would have sufficed.
//
// In goes a circuit and a level, out come faults and a complaint; then a log, and out comes a score. The one idea: the
// vehicle is the same car of the model that the guide is studied on, read as people read; nothing about a drill is scripted
// but which fault it is.
package drill

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"

	"ironthread/core/car"
	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
)

// Level is how hard it is.
type Level string

// Levels.
const (
	One Level = "one fault"
	Two Level = "two faults"
)

// Levels lists them.
var Levels = []Level{One, Two}

// Trap is a drill made around a place where people go wrong.
type Trap struct {
	Name, Circuit string
	Faults        []string
	Complaint     string
	Lesson        string
	Setup         []string // left on the vehicle by whoever had it before
}

// Traps lists them (common practice).
var Traps = []Trap{
	{Name: "Both motors dead", Circuit: "f2-staged-pair", Faults: []string{"M1 open", "M2 open"}, Complaint: "no fan ever runs",
		Lesson: "Feed and ground were good at both plugs, under load: then two dead motors are two dead motors. One had been dead for long."},
	{Name: "Two lines changed over", Circuit: "f2-staged-pair",
		Faults:    []string{"wires K1.85 - ECU.A4 and K2.85 - ECU.A5 crossed"},
		Complaint: "the wrong fan comes on first, since the engine was out", Lesson: "After a conversion or a repair: pin by pin, both ends."},
	{Name: "A fan left unplugged", Circuit: "f3-twin-series-parallel", Faults: []string{"F2 open"},
		Complaint: "weak on high, the last workshop had it for a day", Setup: []string{"M2 unplugged"},
		Lesson: "What is still unplugged is no fault: the ledger says so, and the next test is judged with it."},
	{Name: "Fed from behind", Circuit: "f12-add-on", Faults: []string{"D1 shorted"},
		Complaint: "the lamp in the dash lights though the switch is on override",
		Lesson:    "A current that comes the other way round through a part that should block it."},
	{Name: "The innocent module", Circuit: "f7-discrete-module", Faults: []string{"wire F1.b - FM.1 resists 1"},
		Complaint: "the new module did not help",
		Lesson:    "All powers and grounds under load, before a module is condemned. A light lamp proves a signal, not a feed."},
	{Name: "Half an ohm of leads", Circuit: "f3-twin-series-parallel", Faults: []string{"K3 rest contact burnt 2"},
		Complaint: "hardly turns on low",
		Lesson:    "Leads that nobody nulled read as much as the fault: a power path is judged by its drop under load."},
	{Name: "Only the top speed", Circuit: "f6-resistor-card", Faults: []string{"RC limiter open"}, Complaint: "only works on four",
		Lesson: "The top speed goes past the card. And the limiter opened for a reason: airflow, a dragging motor."},
}

// Led is the drill that somebody who is here for the first time is led through: a clear fault, proven in a handful of readings.
var Led = Trap{Name: "The first job", Circuit: "f3-twin-series-parallel", Faults: []string{"F3 open"},
	Complaint: "runs on high, not on low",
	Lesson:    "High works, low does not: what only low uses is left. The link fuse is fed, and nothing comes out of it under load."}

// Pick hides a fault, or two, that change what a fan does.
func Pick(m *electric.Model, level Level, seed uint64) ([]fault.Fault, error) {
	rng := rand.New(rand.NewPCG(seed, 0xD1))
	all := fault.All(m.Circuit)
	var total float64
	for _, s := range all {
		total += s.Weight
	}
	one := func(not []fault.Fault) (fault.Fault, bool) {
		for range 400 {
			at := rng.Float64() * total
			for _, s := range all {
				if at -= s.Weight; at > 0 {
					continue
				}
				apart := !slices.ContainsFunc(not, func(f fault.Fault) bool { return f.SamePlace(s.Fault) || f.Subject() == s.Fault.Subject() })
				if apart && len(Differs(m, []fault.Fault{s.Fault})) > 0 {
					return s.Fault, true
				}
				break
			}
		}
		return fault.Fault{}, false
	}
	count := 1
	if level == Two {
		count = 2
	}
	var list []fault.Fault
	for range count {
		f, ok := one(list)
		if !ok {
			return nil, fmt.Errorf("no fault of this circuit changes what a fan does")
		}
		list = append(list, f)
	}
	if _, err := car.New(m, car.Options{}, list...); err != nil {
		return nil, err
	}
	return list, nil
}

// Difference is a fan that does otherwise than it should, in a state.
type Difference struct{ State, Fan, Should, Does string }

// Differs lists what the fans of a car with these faults do otherwise.
func Differs(m *electric.Model, faults []fault.Fault) []Difference {
	c, err := car.New(m, car.Options{}, faults...)
	if err != nil {
		return nil
	}
	well, err := car.New(m, car.Options{})
	if err != nil {
		return nil
	}
	var list []Difference
	for _, s := range m.Circuit.States {
		asked := probe.Question{Do: probe.LookAtFans, State: s.Name}
		should, err := well.Answer(asked)
		if err != nil {
			continue
		}
		does, err := c.Answer(asked)
		if err != nil {
			continue
		}
		for _, fan := range m.Circuit.Fans() {
			if a, b := should.Fans()[fan.Name], does.Fans()[fan.Name]; a != b {
				list = append(list, Difference{s.Name, fan.Name, a, b})
			}
		}
	}
	return list
}

// Complaint words what a customer would say of it, from what they can notice: never which part.
func Complaint(m *electric.Model, faults []fault.Fault) string {
	differs := Differs(m, faults)
	stands, runs, slow := 0, 0, 0
	for _, d := range differs {
		switch {
		case d.Should == string(electric.Stopped):
			runs++
		case d.Does == string(electric.Stopped):
			stands++
		default:
			slow++
		}
	}
	switch {
	case len(differs) == 0:
		return "runs hot now and then"
	case runs > 0 && stands == 0:
		return "the fan roars when it should not"
	case stands > 0 && runs == 0 && slow == 0 && stands >= 2*len(m.Circuit.Fans()):
		return "no fan any more, boils in traffic"
	case stands > 0:
		return "runs hot at a standstill, the fan does not always come"
	}
	return "weaker than it was, A/C poor at idle"
}

// Answer takes a reading from the drill's vehicle: what it shows to a person with unnulled leads, rounded as people say it.
func Answer(m *electric.Model, h job.Hidden, before []probe.Observation, asked probe.Question) (probe.Observation, error) {
	c, err := vehicle(m, h)
	if err != nil {
		return probe.Observation{}, err
	}
	for i := range before { // what has blown on the way has blown
		if setup, err := before[i].Held(m.Circuit); err == nil {
			c.Do(setup)
		}
	}
	return c.Answer(asked)
}

func vehicle(m *electric.Model, h job.Hidden) (*car.Car, error) {
	faults, err := h.In(m.Circuit)
	if err != nil {
		return nil, err
	}
	return car.New(m, car.Options{Seed: h.Seed, AsTaken: true}, faults...)
}

// mostGuided bounds how many tests the guide's own run takes.
const mostGuided = 30

// Played is a drill's log: what was hidden, what was seen, in its order, what was repaired, and what was said at the end.
type Played struct {
	Hidden   job.Hidden
	Seen     []probe.Observation
	Repaired []electric.Action
	Said     []string
}

// Judge scores a drill by its log.
func Judge(ctx context.Context, g *diagnose.Guide, m *electric.Model, p Played) (*job.Score, error) {
	h, seen, repaired, said := p.Hidden, p.Seen, p.Repaired, p.Said
	s := &job.Score{Truth: h.Faults, Lesson: h.Lesson, Tests: len(seen), Said: said}
	var state *harness.State
	var setup []electric.Action
	for i := range seen {
		t, err := seen[i].Test(m.Circuit)
		if err != nil {
			continue
		}
		s.Minutes += t.Minutes(m.Circuit, state, setup)
		state, setup = t.State, t.OnTheCar()
		a, err := g.Assess(ctx, seen[:i+1], diagnose.Now{State: state, Setup: setup})
		if err != nil {
			return nil, err
		}
		at := job.Moment{Seen: seen[i].String(), Unsafe: unsafe(m, t)}
		if at.Unsafe != "" {
			s.Unsafe = append(s.Unsafe, at.Unsafe)
		}
		for _, st := range a.Suspects {
			if among(st, h.Faults) {
				at.Truth += st.Probability
			}
		}
		if len(a.Suspects) > 0 {
			at.Leader, at.Belief = a.Suspects[0].Fault, a.Suspects[0].Probability
			if s.Sufficed == 0 && at.Belief >= diagnose.VerdictAt && among(a.Suspects[0], h.Faults) {
				s.Sufficed = i + 1
			}
		}
		s.Replay = append(s.Replay, at)
	}
	left := foundOf(s, m, seen, repaired, said)
	s.Won = len(left) == 0 && len(s.Wrong) == 0
	return s, guided(ctx, s, g, m, h)
}

// foundOf notes in a score which repairs were wrong and which parts were condemned unmeasured, and gives what of the hidden faults was
// neither repaired nor named.
func foundOf(s *job.Score, m *electric.Model, seen []probe.Observation, repaired []electric.Action, said []string) []string {
	left := slices.Clone(s.Truth)
	strike := func(words string) bool { // by what it is, not by how many ohms
		k := slices.IndexFunc(left, func(f string) bool { return bare(f) == bare(words) })
		if k >= 0 {
			left = slices.Delete(left, k, k+1)
		}
		return k >= 0
	}
	for _, a := range repaired {
		mended := false
		for _, words := range slices.Clone(left) {
			if f, err := fault.Parse(m.Circuit, words); err == nil && a.Mends(f) {
				mended = strike(words) || mended
			}
		}
		if !mended {
			s.Wrong = append(s.Wrong, a.String())
		}
		if part := m.Circuit.Part(a.Part); part != nil && !grounded(m, part, seen) {
			s.Condemned = append(s.Condemned, a.Part)
		}
	}
	for _, words := range said {
		strike(words)
	}
	return left
}

// unsafe says what is dangerous in the way a reading was taken; empty where nothing is (common practice).
func unsafe(m *electric.Model, t probe.Test) string {
	has := func(verb electric.Verb, part string) bool {
		return slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == verb && (part == "" || a.Part == part) })
	}
	battery := m.Circuit.OfKind(harness.KindBattery)[0].Name
	switch {
	case t.Do == probe.Turned && !has(electric.Unplugged, t.Part) && !has(electric.Apart, battery):
		return fmt.Sprintf("a hand in %s that could start: it was not unplugged", t.Part)
	case (t.Do == probe.Ohms || t.Do == probe.Buzzer) && !t.At.Inner && !has(electric.Apart, battery) &&
		!m.NothingFeeds(t.Setup, t.At, t.From):
		return fmt.Sprintf("an ohmmeter at %s with the power on", t.At)
	case t.Do == probe.Lamp && slices.Contains([]harness.Kind{harness.KindController, harness.KindFanModule, harness.KindPWMModule},
		m.Circuit.Part(t.At.Part).Kind()):
		return fmt.Sprintf("a test lamp on %s: a driver or an input may not stand it", t.At)
	}
	return ""
}

// among tells whether a group of suspects holds one of the faults.
func among(st diagnose.Standing, faults []string) bool {
	return slices.ContainsFunc(faults, func(f string) bool {
		return bare(st.Fault) == bare(f) || slices.ContainsFunc(st.SameAs, func(o string) bool { return bare(o) == bare(f) })
	})
}

// bare is a fault without its figure.
func bare(words string) string {
	return strings.TrimRight(words, " 0123456789.")
}

// grounded tells whether, before a motor or a module was condemned, volts were read under load at its ground, or it was fed
// directly; other parts need neither.
func grounded(m *electric.Model, part *harness.Part, seen []probe.Observation) bool {
	var grounds []string
	switch spec := part.Spec.(type) {
	case *harness.Motor:
		grounds = []string{"-"}
		for _, w := range spec.Windings {
			grounds = append(grounds, w.Minus)
		}
	case *harness.FanModule:
		grounds = spec.Grounds
	case *harness.PWMModule:
		grounds = spec.Grounds
	default:
		return true
	}
	return slices.ContainsFunc(seen, func(o probe.Observation) bool {
		t, err := o.Test(m.Circuit)
		if err != nil {
			return false
		}
		direct := slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == electric.Pack && a.From.Part == part.Name })
		bench := t.At.Inner && t.At.Part == part.Name || t.Do == probe.Turned && t.Part == part.Name
		return direct || bench || o.Do == probe.Volts && t.At.Part == part.Name && slices.Contains(grounds, t.At.Name)
	})
}

// guided plays the same vehicle by the guide.
func guided(ctx context.Context, s *job.Score, g *diagnose.Guide, m *electric.Model, h job.Hidden) error {
	c, err := vehicle(m, h)
	if err != nil {
		return err
	}
	var seen []probe.Observation
	now := diagnose.Now{State: m.Circuit.States[0]}
	for range mostGuided {
		a, err := g.Assess(ctx, seen, now)
		if err != nil {
			return err
		}
		if a.Verdict != nil {
			s.GuideVerdict = a.Verdict.Faults[0]
		}
		if a.Verdict != nil && a.Verdict.Proven || len(a.Next) == 0 {
			break
		}
		o, err := c.Answer(a.Next[0].Question)
		if err != nil {
			return err
		}
		t, err := o.Test(m.Circuit)
		if err != nil {
			return err
		}
		s.GuideTests++
		s.GuideTime += t.Minutes(m.Circuit, now.State, now.Setup)
		seen = append(seen, o)
		now = diagnose.Now{State: t.State, Setup: t.OnTheCar()}
	}
	return nil
}
