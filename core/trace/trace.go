// Package trace follows the circuit as a person does with a finger on the diagram: for any pin
// in any state, where its feed comes from and where its ground goes, pin by pin, with the drop
// along the way; and which conductors are fixed or switched feed, fixed or switched ground.
//
// In goes a model and a condition, out come paths and roles. The one idea: follow the
// current where it flows; where none flows, the way with the least resistance.
package trace

import (
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Step is one place on a path: the pins there, their volts, and what leads on to the next.
type Step struct {
	Pins    []harness.Pin
	Volts   float64
	Through string // to the next step; empty at the end
	Drop    float64
	Gate    bool // Through opens and closes
	Load    bool // Through is a load: a feed that comes through one is a back-feed
}

// Path is from a pin to a post.
type Path struct {
	Steps   []Step
	Reaches bool // it ends at the post
}

// Feed follows a pin upstream to the battery's positive post.
func Feed(n *electric.Network, pin harness.Pin) Path {
	return follow(n, pin, n.FeedNode(), func(amps float64) bool { return amps > leastAmps })
}

// Ground follows a pin downstream to the negative post.
func Ground(n *electric.Network, pin harness.Pin) Path {
	return follow(n, pin, electric.Post, func(amps float64) bool { return amps < -leastAmps })
}

type hop struct {
	link electric.Link
	to   int
	into float64 // current that flows to this end
}

// follow walks from a pin to a post: along the strongest current that flows the wanted way,
// and once there is none, by the least resistance.
func follow(n *electric.Network, pin harness.Pin, post int, wanted func(into float64) bool) Path {
	at := map[int][]hop{}
	for _, l := range n.Links() {
		at[l.A] = append(at[l.A], hop{l, l.B, -l.Amps})
		at[l.B] = append(at[l.B], hop{l, l.A, l.Amps})
	}
	pins := n.PinsAt()
	var p Path
	x := n.NodeOf(pin)
	seen := map[int]bool{}
	for !seen[x] {
		seen[x] = true
		step := Step{Pins: pins[x], Volts: n.VoltsAt(x)}
		if x == post {
			p.Steps, p.Reaches = append(p.Steps, step), true
			return p
		}
		var best *hop
		for i, h := range at[x] {
			if !wanted(h.into) || seen[h.to] {
				continue
			}
			if h.to == post {
				best = &at[x][i]
				break // there already, whatever else flows from here
			}
			if best == nil || math.Abs(h.into) > math.Abs(best.into) {
				best = &at[x][i]
			}
		}
		if best == nil {
			rest := shortest(n, at, pins, x, post)
			p.Steps, p.Reaches = append(p.Steps, rest...), len(rest) > 1
			return p
		}
		step.through(n, best)
		p.Steps = append(p.Steps, step)
		x = best.to
	}
	return p
}

func (s *Step) through(n *electric.Network, h *hop) {
	s.Through, s.Gate, s.Load = h.link.Name, h.link.Gate, h.link.Load
	s.Drop = math.Abs(s.Volts - n.VoltsAt(h.to))
}

// shortest is the way of least resistance, by Dijkstra's method; the starting place alone
// where there is none.
func shortest(n *electric.Network, at map[int][]hop, pins map[int][]harness.Pin, from, to int) []Step {
	far := map[int]float64{from: 0}
	came := map[int]*hop{}
	back := map[int]int{}
	done := map[int]bool{}
	for {
		x, least := 0, math.Inf(1)
		for node, d := range far {
			if !done[node] && (d < least || d == least && node < x) {
				x, least = node, d
			}
		}
		if math.IsInf(least, 1) || x == to {
			break
		}
		done[x] = true
		for i, h := range at[x] {
			if d := least + h.link.Ohms; !done[h.to] {
				if known, ok := far[h.to]; !ok || d < known {
					far[h.to], came[h.to], back[h.to] = d, &at[x][i], x
				}
			}
		}
	}
	var steps []Step
	if _, ok := far[to]; ok {
		for x := to; ; x = back[x] {
			step := Step{Pins: pins[x], Volts: n.VoltsAt(x)}
			steps = append(steps, step)
			if x == from {
				break
			}
		}
		slices.Reverse(steps)
		x := to
		for i := len(steps) - 2; i >= 0; i-- {
			steps[i].through(n, came[x])
			x = back[x]
		}
		return steps
	}
	return []Step{{Pins: pins[from], Volts: n.VoltsAt(from)}}
}

// Through lists what the path runs through that opens and closes.
func (p Path) Through() []string {
	var gates []string
	for _, s := range p.Steps {
		if s.Gate {
			gates = append(gates, s.Through)
		}
	}
	return gates
}

// ThroughLoad tells whether the path runs through a load: what is at its end is fed, or
// grounded, backwards.
func (p Path) ThroughLoad() bool {
	return slices.ContainsFunc(p.Steps, func(s Step) bool { return s.Load })
}
