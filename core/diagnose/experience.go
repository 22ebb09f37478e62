package diagnose

import (
	"cmp"
	"slices"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Experience counts how often a workshop has found each kind of fault (see KindOf).
type Experience map[string]int

// weightOfBook is how many jobs of a workshop's own count for as much as the priors by kind.
const weightOfBook = 40

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
func (g *Guide) learnt(e Experience) []float64 {
	priors := make([]float64, len(g.suspects))
	found, kind := 0, map[string]float64{}
	for i, s := range g.suspects {
		priors[i] = s.base
		if s.Fault.Words != "" {
			kind[KindOf(g.circuit, s.Fault)] += s.base
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
	for i, s := range g.suspects {
		if s.Fault.Words == "" {
			continue
		}
		what := KindOf(g.circuit, s.Fault)
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

// Priors lists them, the likeliest first, with a workshop's own jobs counted in.
func (g *Guide) Priors(e Experience) []PriorOf {
	priors := g.learnt(e)
	at := map[string]int{}
	var list []PriorOf
	for i, s := range g.suspects {
		if s.Fault.Words == "" {
			continue
		}
		what := KindOf(g.circuit, s.Fault)
		k, ok := at[what]
		if !ok {
			k = len(list)
			at[what] = k
			list = append(list, PriorOf{Kind: what})
		}
		list[k].Usual += s.base
		list[k].Now += priors[i]
	}
	slices.SortStableFunc(list, func(x, y PriorOf) int { return cmp.Or(cmp.Compare(y.Now, x.Now), cmp.Compare(x.Kind, y.Kind)) })
	return list
}
