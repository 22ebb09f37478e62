package diagnose

import (
	"cmp"
	"context"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Now is how the car stands: the command given last, if any, and the ledger; what the
// technician has and likes; and what the workshop has learnt. Kit and School change what is
// offered and in which order, Learnt what is believed beforehand, none what a reading proves.
type Now struct {
	State  *harness.State
	Setup  []electric.Action
	Kit    probe.Kit
	School probe.School
	Learnt Experience
}

// Assessment is what the evidence leaves, in the shape of the command line's JSON.
type Assessment struct {
	Suspects   []Standing  `json:"suspects"` // groups, likeliest first
	Cleared    []string    `json:"cleared"`  // parts
	Next       []Move      `json:"next"`     // best first
	Verdict    *Verdict    `json:"verdict"`
	Surprising []Surprise  `json:"surprising,omitempty"`
	Pairs      []Pair      `json:"pairs,omitempty"`    // two faults at once, where no single one explains the log
	Repaired   []string    `json:"repaired,omitempty"` // what has been renewed: older evidence is of another car
	Left       int         `json:"left"`               // suspects still standing
	Of         int         `json:"of"`
	Belief     PartsBelief `json:"-"`
}

// Standing is a group of suspects that no test at hand can tell apart, named by its
// likeliest.
type Standing struct {
	Fault       string   `json:"fault"`
	Probability float64  `json:"probability"`
	SameAs      []string `json:"same-as"`
	Again       bool     `json:"again,omitempty"` // its part has been renewed: the new one would be bad
	Alike       *Alike   `json:"alike,omitempty"` // why, where there are several
	members     []int
}

// Surprise is an observation that fits nothing the others leave.
type Surprise struct {
	Index int    `json:"index"`
	Text  string `json:"text"`
}

// PartsBelief is the belief that lies on each part, pin and wire, for the drawing.
type PartsBelief struct {
	Parts map[string]float64
	Wires map[string]float64 // by harness.Wire.String
}

// Thresholds.
const (
	verdictAt       = 0.95
	stillStanding   = 0.001 // of the belief
	clearedBelow    = 0.002 // belief left on all faults of a part
	clearedFold     = 0.25  // and it fell to this share of the prior
	surprisingBelow = 0.06
	movesOffered    = 3
)

// Assess weighs the observations and names the next moves. The order of the observations counts only
// by what a state or a set-up has blown on the way. It ends with the context's error as soon as
// nobody waits for it any more.
func (g *Guide) Assess(ctx context.Context, seen []probe.Observation, now Now) (*Assessment, error) {
	return g.assess(ctx, seen, now, Best)
}

func (g *Guide) assess(ctx context.Context, seen []probe.Observation, now Now, policy Policy) (*Assessment, error) {
	q, err := g.ask(ctx, now)
	if err != nil {
		return nil, err
	}
	b, e, sums, err := q.evidence(seen)
	if err != nil {
		return nil, err
	}
	if err := q.changingNothing(b); err != nil {
		return nil, err
	}
	a := &Assessment{Of: len(g.suspects) - 2, Belief: g.spread(b.of)}
	a.Repaired = q.phase.words()
	if a.Suspects, err = q.groups(b); err != nil {
		return nil, err
	}
	for i, s := range g.suspects {
		if b.of[i] >= stillStanding && s.Fault.Words != "" {
			a.Left++
		}
	}
	a.Cleared = q.cleared(b.of)
	a.Pairs = g.listed(b)
	a.Surprising = q.surprises(seen, e, sums, b)
	if err := q.conclude(a, b, q.since(seen), now, policy); err != nil {
		return nil, err
	}
	return a, nil
}

// evidence weighs all that was seen of the car as it stands, two faults at once included where
// no single one explains it; it also gives the log as questions, and how well all of it fits.
func (g *inquiry) evidence(seen []probe.Observation) (*belief, *evidence, logs, error) {
	e, err := g.read(seen)
	if err != nil {
		return nil, nil, nil, err
	}
	sums := g.weigh(e)
	b := g.believe(sums)
	return b, e, sums, g.pair(b, e)
}

// spread sums the belief on each part and wire.
func (g *Guide) spread(belief []float64) PartsBelief {
	b := PartsBelief{Parts: map[string]float64{}, Wires: map[string]float64{}}
	for i, s := range g.suspects {
		for _, part := range s.Fault.Parts() {
			if part != "" {
				b.Parts[part] += belief[i]
			}
		}
		for _, ends := range [][2]harness.Pin{s.Fault.Wire, s.Fault.Other} {
			if w := g.circuit.Wire(ends[0], ends[1]); w != nil {
				b.Wires[w.String()] += belief[i]
			}
		}
	}
	return b
}

// cleared lists the parts whose every fault has lost nearly all belief to evidence.
func (g *inquiry) cleared(belief []float64) []string {
	prior := map[string]float64{}
	left := map[string]float64{}
	for i, s := range g.suspects {
		for _, part := range s.Fault.Parts() {
			prior[part] += g.priors[i]
			left[part] += belief[i]
		}
	}
	parts := []string{}
	for _, p := range g.circuit.Parts {
		if prior[p.Name] > 0 && left[p.Name] < clearedBelow && left[p.Name] < clearedFold*prior[p.Name] {
			parts = append(parts, p.Name)
		}
	}
	return parts
}

// groups gathers the standing suspects that no test can tell apart, and those that change no
// fan with "no fault".
func (g *inquiry) groups(b *belief) ([]Standing, error) {
	var order []int
	for i := range g.suspects {
		if b.of[i] >= stillStanding {
			order = append(order, i)
		}
	}
	byBelief := func(x, y int) int { return cmp.Or(cmp.Compare(b.of[y], b.of[x]), x-y) }
	slices.SortStableFunc(order, byBelief)
	came, err := g.asItCame()
	if err != nil {
		return nil, err
	}
	if _, err := came.pageFor(nil, order); err != nil { // all at once, on all cores
		return nil, err
	}
	var groups [][]int
	for _, i := range order {
		joined := false
		for k := range groups {
			apart, err := g.tellApart(groups[k][0], i)
			if err != nil {
				return nil, err
			}
			if !apart || slices.Contains(b.same, i) && slices.Contains(b.same, groups[k][0]) {
				groups[k] = append(groups[k], i)
				joined = true
				break
			}
		}
		if !joined {
			groups = append(groups, []int{i})
		}
	}
	standing := make([]Standing, 0, len(groups))
	for _, members := range groups {
		standing = append(standing, g.group(members, b))
	}
	slices.SortStableFunc(standing, func(x, y Standing) int { return cmp.Compare(y.Probability, x.Probability) })
	return standing, nil
}

// asGood is how well "no fault" must explain what was seen, against the best of its group, to
// speak for it.
const asGood = 0.3

// group names suspects that stand together by its likeliest, or by "no fault" where that explains what was seen
// about as well as any of them: that they are met more often is no evidence.
func (g *inquiry) group(members []int, b *belief) Standing {
	s := Standing{SameAs: []string{}, members: members}
	for _, i := range members {
		if b.single == nil {
			s.Probability += b.of[i]
		} else {
			s.Probability += b.single[i]
		}
	}
	for _, p := range b.pairs { // there, whatever else is
		if slices.Contains(members, p.i) || slices.Contains(members, p.j) {
			s.Probability += p.p
		}
	}
	explains := func(i int) float64 { return b.of[i] / g.priors[i] }
	if n := slices.Index(members, g.nobody()); n > 0 {
		best := 0.0
		for _, i := range members {
			best = max(best, explains(i))
		}
		if explains(members[n]) >= asGood*best {
			members[0], members[n] = members[n], members[0]
		}
	}
	s.Fault = g.suspects[members[0]].Name
	s.Again = g.renewed(g.suspects[members[0]])
	for _, i := range members[1:] {
		s.SameAs = append(s.SameAs, g.suspects[i].Name)
	}
	s.Alike = g.alikeness(members)
	return s
}

// Two suspects can be told apart where some test gives them different answers at least this
// much of the time.
const apartShare = 0.4

// keptApart bounds how many judged pairs are kept.
const keptApart = 60000

// tellApart judges a pair of suspects by every test that could be made from a car with
// everything fitted, as it came in. The verdict is kept: it does not depend on the evidence.
func (g *inquiry) tellApart(i, j int) (bool, error) {
	if g.suspects[i].Unknown || g.suspects[j].Unknown {
		return true, nil
	}
	key := [2]int{min(i, j), max(i, j)}
	g.mu.Lock()
	known, ok := g.apart[key]
	g.mu.Unlock()
	if ok {
		return known, nil
	}
	q, err := g.asItCame()
	if err != nil {
		return false, err
	}
	apart, err := q.differ(i, j)
	if err != nil {
		return false, err
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	if len(g.apart) >= keptApart {
		clear(g.apart)
	}
	g.apart[key] = apart
	return apart, nil
}

// differ looks for a test that two suspects answer differently. Most pairs are clearly apart by the volts
// at some pin with everything fitted; only for the rest is every test looked at.
func (g *inquiry) differ(i, j int) (bool, error) {
	p, err := g.pageFor(nil, []int{i, j})
	if err != nil {
		return false, err
	}
	if p.of[i].ClearlyApart(p.of[j]) {
		return true, nil
	}
	for _, t := range append(g.testsFor(i, j), g.shortTests(i, j)...) {
		apart, err := g.differIn(t, i, j)
		if err != nil {
			return false, err
		}
		if apart {
			return true, nil
		}
	}
	return false, nil
}

// manyRelays is from how many relays on only those near two suspects are thought of being pulled.
const manyRelays = 6

// testsFor are the tests that could tell two suspects apart: all of them, but on a circuit of many relays
// an empty socket only where it is near one of the two.
func (g *inquiry) testsFor(i, j int) []probe.Test {
	if len(g.relayAt) < manyRelays {
		return slices.Clone(g.allTests)
	}
	near := map[string]bool{}
	for _, s := range []*suspect{g.suspects[i], g.suspects[j]} {
		for _, part := range append(s.Fault.Parts(), s.Fault.Wire[0].Part, s.Fault.Wire[1].Part, s.Fault.Other[0].Part, s.Fault.Other[1].Part) {
			near[part] = true
			for _, w := range g.circuit.Wires {
				switch part {
				case w.From.Part:
					near[w.To.Part] = true
				case w.To.Part:
					near[w.From.Part] = true
				}
			}
		}
	}
	return slices.DeleteFunc(slices.Clone(g.allTests), func(t probe.Test) bool {
		return slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == electric.Out && !near[a.Part] })
	})
}

func (g *inquiry) differIn(t probe.Test, i, j int) (bool, error) {
	if t.Do != probe.LookAtFans {
		show, err := g.figures(t, []int{i, j})
		return err == nil && figuresDiffer(show, t, i, j), err
	}
	p, err := g.pageFor(t.Setup, []int{i, j})
	if err != nil {
		return false, err
	}
	return g.fansDiffer(p, g.stateIndex(t.State), i, j), nil
}

func (g *inquiry) fansDiffer(p *foretold, state, i, j int) bool {
	for f := range g.fans {
		var difference [4]float64
		a, b := p.of[i].Speeds(state, f), p.of[j].Speeds(state, f)
		for k := range cars {
			for w := range difference {
				difference[w] += float64(a[k][w]-b[k][w]) / cars
			}
		}
		for _, d := range difference {
			if d > apartShare || d < -apartShare {
				return true
			}
		}
	}
	return false
}

// figuresDiffer compares the two suspects' cars over thresholds two spreads of the
// meter apart, each soft by it: the largest difference between the shares above it.
func figuresDiffer(show shows, t probe.Test, i, j int) bool {
	spread := finenessOf(t).spread
	var x, y [cars]float64
	low, high := 1e9, -1e9
	for k := range cars {
		x[k], y[k] = scaled(t, show(i, k)), scaled(t, show(j, k))
		low, high = min(low, x[k], y[k]), max(high, x[k], y[k])
	}
	if high-low < 2*spread {
		return false
	}
	above := func(v, edge float64) float64 {
		return max(0, min(1, (v-edge)/(4*spread)+0.5))
	}
	for edge := low; edge < high; edge += 2 * spread {
		difference := 0.0
		for k := range cars {
			difference += (above(x[k], edge) - above(y[k], edge)) / cars
		}
		if difference > apartShare || difference < -apartShare {
			return true
		}
	}
	return false
}
