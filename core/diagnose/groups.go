package diagnose

import (
	"cmp"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/instruct"
	"ironthread/core/probe"
)

// Standing is a group of suspects that no test at hand can tell apart, named by its
// likeliest.
type Standing struct {
	Fault       string          `json:"fault"`
	Probability float64         `json:"probability"`
	SameAs      []string        `json:"same-as"`
	Again       bool            `json:"again,omitempty"` // its part has been renewed: the new one would be bad
	Alike       *instruct.Alike `json:"alike,omitempty"` // why, where there are several
	members     []int
}

// PartsBelief is the belief that lies on each part, pin and wire, for the drawing.
type PartsBelief struct {
	Parts map[string]float64
	Wires map[string]float64 // by harness.Wire.String
}

// spread sums the belief on each part and wire.
func (in *inquiry) spread(belief []float64) PartsBelief {
	b := PartsBelief{Parts: in.guide.suspects.onParts(belief), Wires: map[string]float64{}}
	delete(b.Parts, "")
	for i, s := range in.guide.suspects {
		for _, ends := range [][2]harness.Pin{s.Fault.Wire, s.Fault.Other} {
			if w := in.guide.circuit.Wire(ends[0], ends[1]); w != nil {
				b.Wires[w.String()] += belief[i]
			}
		}
	}
	return b
}

// cleared lists the parts whose every fault has lost nearly all belief to evidence about it: that another part explains
// all clears no twin of it.
func (in *inquiry) cleared(belief, against []float64, found []Found) []string {
	prior, left := in.guide.suspects.onParts(in.priors), in.guide.suspects.onParts(belief)
	spoken := map[string]float64{} // the share of a part's faults, by how often they are met, that the evidence speaks against
	for i, s := range in.guide.suspects {
		for _, part := range s.Fault.Parts() {
			if against[i] <= math.Log(clearedFit) {
				spoken[part] += in.priors[i] / prior[part]
			}
		}
	}
	bad := map[string]bool{} // measured, seen or felt to be so
	for _, f := range found {
		for _, part := range in.guide.suspects[f.members[0]].Fault.Parts() {
			bad[part] = bad[part] || f.Probability >= leadingAt
		}
	}
	parts := []string{}
	for _, p := range in.guide.circuit.Parts {
		if !bad[p.Name] && prior[p.Name] > 0 && left[p.Name] < clearedBelow && left[p.Name] < clearedFold*prior[p.Name] &&
			spoken[p.Name] >= clearedShare {
			parts = append(parts, p.Name)
		}
	}
	return parts
}

// against is how much the evidence speaks against each suspect whatever else is wrong: by the answers that a healthy car
// gives and a car with the suspect does not, as a logarithm of at most zero. A look at several fans is taken fan by fan:
// that one stands still says nothing against the other's running.
func (in *inquiry) against(e *evidence) ([]float64, error) {
	list := make([]float64, len(in.guide.suspects))
	nobody := in.guide.suspects.nobody()
	for _, q := range e.questions {
		for _, a := range q.answers {
			if a.fits == nil {
				continue
			}
			for _, alone := range fanByFan(a.seen) {
				fits := a.fits
				if alone != a.seen {
					var err error
					if fits, err = in.likelihood(q.test, alone); err != nil {
						return nil, err
					}
				}
				well := slices.Max(fits[nobody][:])
				if well < explainsWell {
					continue
				}
				for i := range in.guide.suspects {
					list[i] += min(0, math.Log(slices.Max(fits[i][:])/well))
				}
			}
		}
	}
	return list, nil
}

// fanByFan splits a look at several fans into looks at one each; anything else stays whole.
func fanByFan(o *probe.Observation) []*probe.Observation {
	if len(o.Fans()) < 2 {
		return []*probe.Observation{o}
	}
	var list []*probe.Observation
	for fan, word := range o.Fans() {
		alone := *o
		alone.Answer = probe.Fans{fan: word}
		list = append(list, &alone)
	}
	return list
}

// groups gathers the standing suspects that no test can tell apart, and those that change no
// fan with "no fault".
func (in *inquiry) groups(b *belief) ([]Standing, error) {
	var order []int
	for i := range in.guide.suspects {
		if b.of[i] >= stillStanding {
			order = append(order, i)
		}
	}
	byBelief := func(x, y int) int { return cmp.Or(cmp.Compare(b.of[y], b.of[x]), x-y) }
	slices.SortStableFunc(order, byBelief)
	came, err := in.asItCame()
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
			apart, err := in.tellApart(groups[k][0], i)
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
		standing = append(standing, in.group(members, b))
	}
	slices.SortStableFunc(standing, func(x, y Standing) int { return cmp.Compare(y.Probability, x.Probability) })
	return standing, nil
}

// group names suspects that stand together by its likeliest, or by "no fault" where that explains what was seen
// about as well as any of them: that they are met more often is no evidence.
func (in *inquiry) group(members []int, b *belief) Standing {
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
	explains := func(i int) float64 { return b.of[i] / in.priors[i] }
	if n := slices.Index(members, in.guide.suspects.nobody()); n > 0 {
		best := 0.0
		for _, i := range members {
			best = max(best, explains(i))
		}
		if explains(members[n]) >= asGood*best {
			members[0], members[n] = members[n], members[0]
		}
	}
	s.Fault = in.guide.suspects[members[0]].Name
	s.Again = in.guide.suspects[members[0]].renewedBy(in.phase.repairs)
	for _, i := range members[1:] {
		s.SameAs = append(s.SameAs, in.guide.suspects[i].Name)
	}
	s.Alike = in.alike(members)
	return s
}

// alike says why the members of a group read alike; nil for one alone.
func (in *inquiry) alike(members []int) *instruct.Alike {
	if len(members) < 2 {
		return nil
	}
	var faults []fault.Fault
	for _, i := range members {
		if in.guide.suspects[i].isFault() {
			faults = append(faults, in.guide.suspects[i].Fault)
		}
	}
	return instruct.WhyAlike(in.guide.model, faults, slices.Contains(members, in.guide.suspects.nobody()))
}

// oneRepair adds to the leading group those that the same repair mends: which way a relay has
// failed need not be known to renew it.
func (in *inquiry) oneRepair(top Standing, b *belief) Standing {
	leader := in.guide.suspects[top.members[0]]
	if !leader.isFault() || leader.ComesAndGoes() {
		return top
	}
	repair := electric.RepairOf(leader.Fault)
	members := slices.Clone(top.members)
	for i, s := range in.guide.suspects {
		if s.isFault() && b.of[i] >= stillStanding && !slices.Contains(members, i) && electric.RepairOf(s.Fault) == repair {
			members = append(members, i)
		}
	}
	return in.group(members, b)
}

// led is the same group with another of its members first.
func (s Standing) led(by int, name string) Standing {
	s.members = append([]int{by}, slices.DeleteFunc(slices.Clone(s.members), func(i int) bool { return i == by })...)
	names := append([]string{s.Fault}, s.SameAs...)
	s.Fault, s.SameAs = name, slices.DeleteFunc(names, func(n string) bool { return n == name })
	return s
}

// mergeAll makes one group of all that still has a likelihood worth naming, where no test at
// hand would tell any of it apart.
func mergeAll(groups []Standing) []Standing {
	first := groups[0]
	var rest []Standing
	for _, s := range groups[1:] {
		if s.Probability < worthNaming || s.Fault == SomethingElse {
			rest = append(rest, s)
			continue
		}
		first.Probability += s.Probability
		first.SameAs = append(append(first.SameAs, s.Fault), s.SameAs...)
		first.members = append(first.members, s.members...)
	}
	return append([]Standing{first}, rest...)
}
