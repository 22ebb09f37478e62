package diagnose

import (
	"cmp"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/predict"
)

// Suspects are all that may be wrong: every single fault that the drawing allows, no fault at all, and
// something that the drawing does not show. How often each is met is its prior, by kind of fault and by what
// the workshop itself has found.

// Words for the two suspects that are no fault of a part.
const (
	NoFault       = "no fault"
	SomethingElse = "something else"
)

// suspect is one hypothesis.
type suspect struct {
	predict.Suspect
	at     int     // place in the list
	base   float64 // the prior by kind alone
	faults []fault.Fault
}

// suspects lists them: the faults, then no fault, then something else.
type suspects []*suspect

// suspectsOf lists every suspect of a circuit.
func suspectsOf(c *harness.Circuit) suspects {
	var list suspects
	add := func(s predict.Suspect, prior float64) {
		list = append(list, &suspect{s, len(list), prior, s.Faults()})
	}
	sum := 0.0
	all := fault.All(c)
	for _, s := range all {
		sum += s.Weight
	}
	share := (1 - priorNothing - priorUnknown) / sum
	for _, s := range all {
		add(predict.Suspect{Name: s.Fault.String(), Fault: s.Fault}, s.Weight*share)
	}
	add(predict.Suspect{Name: NoFault}, priorNothing)
	add(predict.Suspect{Name: SomethingElse, Unknown: true}, priorUnknown)
	return list
}

// nobody is the suspect that is no fault.
func (list suspects) nobody() int { return len(list) - 2 }

// everyone lists all suspects.
func (list suspects) everyone() []int {
	all := make([]int, len(list))
	for i := range all {
		all[i] = i
	}
	return all
}

// of finds the suspect of a fault; nil for a fault that the drawing does not allow.
func (list suspects) of(f fault.Fault) *suspect {
	for _, s := range list {
		if s.Fault == f {
			return s
		}
	}
	return nil
}

// held are the suspects that a wire lies against ground or battery.
func (list suspects) held(w *harness.Wire) []*suspect {
	var found []*suspect
	for _, s := range list {
		if s.Fault.IsHeld() && s.Fault.Wire == [2]harness.Pin{w.From, w.To} {
			found = append(found, s)
		}
	}
	return found
}

// onParts sums a figure of each suspect over the parts that it is a fault of.
func (list suspects) onParts(figures []float64) map[string]float64 {
	on := map[string]float64{}
	for i, s := range list {
		for _, part := range s.Fault.Parts() {
			on[part] += figures[i]
		}
	}
	return on
}

// isFault tells whether the suspect is a fault of something drawn.
func (s *suspect) isFault() bool { return s.Fault.Words != "" }

// renewedBy tells whether one of these repairs renews what the suspect's fault is of.
func (s *suspect) renewedBy(repairs []electric.Action) bool {
	return slices.ContainsFunc(repairs, func(a electric.Action) bool {
		return s.isFault() && electric.RepairIn([]electric.Action{a}, s.Fault).Verb == ""
	})
}

// Experience counts how often a workshop has found each kind of fault (see KindOf).
type Experience map[string]int

// KindOf names what kind of fault it is, whatever the part's name: "fuse open", "wire
// resists".
func KindOf(c *harness.Circuit, f fault.Fault) string {
	switch f.On {
	case fault.OnWire, fault.OnWires:
		return "wire " + f.Words
	case fault.OnPin:
		return "terminal " + f.Words
	case fault.OnRole:
		return "controller output " + f.Words
	}
	part := c.Part(f.Part)
	if part == nil {
		return f.Words
	}
	return string(part.Kind()) + " " + f.Words
}

// learnt counts a workshop's own closed jobs into the priors; nil leaves those by kind. What evidence
// proves does not change by it.
func (list suspects) learnt(c *harness.Circuit, e Experience) []float64 {
	priors := make([]float64, len(list))
	found, kind := 0, map[string]float64{}
	for i, s := range list {
		priors[i] = s.base
		if s.isFault() {
			kind[KindOf(c, s.Fault)] += s.base
		}
	}
	for what, n := range e {
		if kind[what] > 0 {
			found += n
		}
	}
	if found == 0 {
		return priors
	}
	for i, s := range list {
		if !s.isFault() {
			continue
		}
		what := KindOf(c, s.Fault)
		mine := float64(e[what]) * s.base / kind[what] // shared among the faults of that kind
		known := 1 - priorNothing - priorUnknown
		priors[i] = known * (weightOfBook*s.base/known + mine) / (weightOfBook + float64(found))
	}
	return priors
}

// PriorOf is how likely a kind of fault is before anything is seen.
type PriorOf struct {
	Kind  string  `json:"kind"`
	Usual float64 `json:"usual"` // by kind alone
	Now   float64 `json:"now"`   // with the workshop's own jobs counted in
}

// kindsOf lists the priors by kind, the likeliest first, with a workshop's own jobs counted in.
func (list suspects) kindsOf(c *harness.Circuit, e Experience) []PriorOf {
	priors := list.learnt(c, e)
	at := map[string]int{}
	var kinds []PriorOf
	for i, s := range list {
		if !s.isFault() {
			continue
		}
		what := KindOf(c, s.Fault)
		k, ok := at[what]
		if !ok {
			k = len(kinds)
			at[what] = k
			kinds = append(kinds, PriorOf{Kind: what})
		}
		kinds[k].Usual += s.base
		kinds[k].Now += priors[i]
	}
	slices.SortStableFunc(kinds, func(x, y PriorOf) int { return cmp.Or(cmp.Compare(y.Now, x.Now), cmp.Compare(x.Kind, y.Kind)) })
	return kinds
}
