package diagnose

import (
	"cmp"
	"fmt"
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

// Assess weighs the observations and names the next moves. It gives the same answer for the
// observations in any order.
func (g *Guide) Assess(seen []probe.Observation, now Now) (*Assessment, error) {
	return g.assess(seen, now, Best)
}

func (g *Guide) assess(seen []probe.Observation, now Now, policy Policy) (*Assessment, error) {
	g.mu.Lock()
	defer g.mu.Unlock()
	b, fits, ph, err := g.evidence(seen, now)
	if err != nil {
		return nil, err
	}
	if err := g.changingNothing(b); err != nil {
		return nil, err
	}
	a := &Assessment{Of: len(g.suspects) - 2, Belief: g.spread(b.of)}
	a.Repaired = ph.words()
	if a.Suspects, err = g.groups(b); err != nil {
		return nil, err
	}
	for i, s := range g.suspects {
		if b.of[i] >= stillStanding && s.fault.Words != "" {
			a.Left++
		}
	}
	a.Cleared = g.cleared(b.of)
	a.Pairs = g.listed(b)
	for k := range seen {
		if text := g.surprise(seen, fits, k, ph); text != "" {
			a.Surprising = append(a.Surprising, Surprise{k, text})
		}
	}
	if err := g.conclude(a, b, ph.since(g, seen), now, policy); err != nil {
		return nil, err
	}
	return a, nil
}

// evidence weighs all that was seen of the car as it stands, two faults at once included where
// no single one explains it; it also gives how each observation fitted each suspect.
func (g *Guide) evidence(seen []probe.Observation, now Now) (*belief, [][]fit, phase, error) {
	g.learn(now.Learnt)
	ph := g.phase(now.Setup)
	fits, err := g.fits(seen, ph)
	if err != nil {
		return nil, nil, ph, err
	}
	b := g.weigh(fits, -1, ph)
	return b, fits, ph, g.pair(b, seen, fits, ph)
}

// fits weighs each observation. Of those from before the last repair only what was as it should
// be counts on, and softly: see [Guide.before].
func (g *Guide) fits(seen []probe.Observation, ph phase) ([][]fit, error) {
	var fits [][]fit
	for k := range seen {
		f, err := g.likelihood(&seen[k])
		if err != nil {
			return nil, fmt.Errorf("observation %d: %w", k+1, err)
		}
		if !ph.holds(g, &seen[k]) {
			f = g.before(f, ph)
		}
		fits = append(fits, f)
	}
	return fits, nil
}

// belief is what the evidence leaves: the probability of each suspect, summing to one, and
// for each suspect how likely each of its cars is, summing to one.
type belief struct {
	of     []float64
	car    []fit
	counts []int     // the suspects that count in choosing a test, once asked for
	sum    float64   // of all single faults' weights, before it was made one
	single []float64 // the part of the belief that one fault is all; nil: all of it
	pairs  []pairBelief
	same   []int // those that change no fan, taken as one with "no fault"
}

// weigh multiplies the priors by how well everything seen fits, car by car, leaving out one
// observation (none with -1). Readings on one car hang together: a weak battery or a bad
// joint's ohms show in all of them.
func (g *Guide) weigh(fits [][]fit, leaveOut int, ph phase) *belief {
	b := &belief{of: make([]float64, len(g.suspects)), car: make([]fit, len(g.suspects))}
	sum := 0.0
	for i, s := range g.suspects {
		car := &b.car[i]
		for k := range car {
			car[k] = 1
		}
		for n, f := range fits {
			if n == leaveOut || f == nil {
				continue
			}
			for k := range car {
				car[k] *= f[i][k]
			}
		}
		mean := car.mean()
		b.of[i] = ph.prior(s) * mean
		sum += b.of[i]
		for k := range car {
			car[k] /= mean * cars
		}
	}
	b.sum = sum
	for i := range b.of {
		b.of[i] /= sum
	}
	return b
}

func (g *Guide) surprise(seen []probe.Observation, fits [][]fit, n int, ph phase) string {
	if fits[n] == nil {
		return ""
	}
	without := g.weigh(fits, n, ph)
	expected := 0.0
	for i, s := range g.suspects {
		if s.unknown {
			continue
		}
		for k, w := range without.car[i] {
			expected += without.of[i] * w * fits[n][i][k]
		}
	}
	if expected >= surprisingBelow {
		return ""
	}
	return fmt.Sprintf("%s: this contradicts the rest; take it again", seen[n].String())
}

// spread sums the belief on each part and wire.
func (g *Guide) spread(belief []float64) PartsBelief {
	b := PartsBelief{Parts: map[string]float64{}, Wires: map[string]float64{}}
	for i, s := range g.suspects {
		for _, part := range s.fault.Parts() {
			if part != "" {
				b.Parts[part] += belief[i]
			}
		}
		for _, ends := range [][2]harness.Pin{s.fault.Wire, s.fault.Other} {
			if w := g.circuit.Wire(ends[0], ends[1]); w != nil {
				b.Wires[w.String()] += belief[i]
			}
		}
	}
	return b
}

// cleared lists the parts whose every fault has lost nearly all belief to evidence.
func (g *Guide) cleared(belief []float64) []string {
	prior := map[string]float64{}
	left := map[string]float64{}
	for i, s := range g.suspects {
		for _, part := range s.fault.Parts() {
			prior[part] += s.prior
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
func (g *Guide) groups(b *belief) ([]Standing, error) {
	var order []int
	for i := range g.suspects {
		if b.of[i] >= stillStanding {
			order = append(order, i)
		}
	}
	byBelief := func(x, y int) int { return cmp.Or(cmp.Compare(b.of[y], b.of[x]), x-y) }
	slices.SortStableFunc(order, byBelief)
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
		standing = append(standing, g.standing(members, b))
	}
	slices.SortStableFunc(standing, func(x, y Standing) int { return cmp.Compare(y.Probability, x.Probability) })
	return standing, nil
}

// asGood is how well "no fault" must explain what was seen, against the best of its group, to
// speak for it.
const asGood = 0.3

// standing names a group by its likeliest, or by "no fault" where that explains what was seen
// about as well as any of them: that they are met more often is no evidence.
func (g *Guide) standing(members []int, b *belief) Standing {
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
	explains := func(i int) float64 { return b.of[i] / g.suspects[i].prior }
	if n := slices.Index(members, g.nobody()); n > 0 {
		best := 0.0
		for _, i := range members {
			best = max(best, explains(i))
		}
		if explains(members[n]) >= asGood*best {
			members[0], members[n] = members[n], members[0]
		}
	}
	s.Fault = g.suspects[members[0]].name
	for _, i := range members[1:] {
		s.SameAs = append(s.SameAs, g.suspects[i].name)
	}
	s.Alike = g.alikeness(members)
	return s
}

// Two suspects can be told apart where some test gives them different answers at least this
// much of the time.
const apartShare = 0.4

// tellApart judges a pair of suspects by every test that could be made from a car with
// everything fitted. The verdict is kept: it does not depend on the evidence.
func (g *Guide) tellApart(i, j int) (bool, error) {
	if g.suspects[i].unknown || g.suspects[j].unknown {
		return true, nil
	}
	key := [2]int{min(i, j), max(i, j)}
	if known, ok := g.apart[key]; ok {
		return known, nil
	}
	apart := false
	for _, t := range g.allTests {
		sh, err := g.sheaf(t.Setup)
		if err == nil {
			err = g.need(sh, []int{i, j})
		}
		if err != nil {
			return false, err
		}
		state := g.stateIndex(t.State)
		if t.Do == probe.LookAtFans {
			apart = g.fansDiffer(sh, state, i, j)
		} else {
			apart = g.voltsDiffer(sh, state, t, i, j)
		}
		if apart {
			break
		}
	}
	g.apart[key] = apart
	return apart, nil
}

func (g *Guide) fansDiffer(sh *sheaf, state, i, j int) bool {
	for f := range g.fans {
		var difference [4]float64
		a, b := g.fan(sh, i, state, f), g.fan(sh, j, state, f)
		for k := range cars {
			x, y := speedChances(a.at(k)), speedChances(b.at(k))
			for w := range difference {
				difference[w] += (x[w] - y[w]) / cars
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

// voltsDiffer compares the two suspects' cars over thresholds two spreads of the
// meter apart, each soft by it: the largest difference between the shares above it.
func (g *Guide) voltsDiffer(sh *sheaf, state int, t probe.Test, i, j int) bool {
	spread := finenessOf(t).spread
	a, b := g.meterAt(sh, i, state, t), g.meterAt(sh, j, state, t)
	var x, y [cars]float64
	low, high := 1e9, -1e9
	for k := range cars {
		x[k], y[k] = meter(a.at(k)), meter(b.at(k))
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
