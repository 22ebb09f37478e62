package diagnose

import (
	"cmp"
	"maps"
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

// learn counts a workshop's own closed jobs into the priors; nil sets them back. What evidence
// proves does not change by it.
func (g *Guide) learn(e Experience) {
	if maps.Equal(e, g.learnt) {
		return
	}
	g.learnt = maps.Clone(e)
	found, kind := 0, map[string]float64{}
	for _, s := range g.suspects {
		if s.fault.Words != "" {
			kind[KindOf(g.circuit, s.fault)] += s.base
		}
	}
	for what, n := range e {
		if kind[what] > 0 {
			found += n
		}
	}
	for _, s := range g.suspects {
		s.prior = s.base
		if s.fault.Words == "" || found == 0 {
			continue
		}
		what := KindOf(g.circuit, s.fault)
		mine := float64(e[what]) * s.base / kind[what] // shared among the faults of that kind
		known := 1 - priorNothing - priorUnknown
		s.prior = known * (weightOfBook*s.base/known + mine) / (weightOfBook + float64(found))
	}
}

// PriorOf is how likely a kind of fault is before anything is seen.
type PriorOf struct {
	Kind  string  `json:"kind"`
	Usual float64 `json:"usual"` // by kind alone
	Now   float64 `json:"now"`   // with the workshop's own jobs counted in
}

// Priors lists them, the likeliest first, with a workshop's own jobs counted in.
func (g *Guide) Priors(e Experience) []PriorOf {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.learn(e)
	at := map[string]int{}
	var list []PriorOf
	for _, s := range g.suspects {
		if s.fault.Words == "" {
			continue
		}
		what := KindOf(g.circuit, s.fault)
		k, ok := at[what]
		if !ok {
			k = len(list)
			at[what] = k
			list = append(list, PriorOf{Kind: what})
		}
		list[k].Usual += s.base
		list[k].Now += s.prior
	}
	slices.SortStableFunc(list, func(x, y PriorOf) int { return cmp.Or(cmp.Compare(y.Now, x.Now), cmp.Compare(x.Kind, y.Kind)) })
	return list
}
