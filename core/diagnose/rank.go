package diagnose

import (
	"cmp"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

type scored struct {
	test  probe.Test
	score float64
	bits  float64
}

// leastBits is the information below which a test is not worth offering.
const leastBits = 0.03

// best offers the tests with most expected information per minute, each at another place.
func (g *inquiry) best(a *Assessment, b *belief, seen []probe.Observation, now Now, policy Policy) error {
	list, err := g.rank(b, seen, now)
	if err != nil {
		return err
	}
	if policy == Textbook {
		g.byTextbook(list)
	}
	type place struct {
		do    probe.Do
		at    harness.Pin
		from  harness.Pin
		state *harness.State
		part  string
	}
	taken := map[place]bool{}
	a.Next = []Move{}
	for _, s := range list {
		p := place{do: s.test.Do, at: s.test.At, from: s.test.From, part: s.test.Part}
		if s.test.Do == probe.LookAtFans {
			p.state = s.test.State
		}
		if taken[p] {
			continue
		}
		taken[p] = true
		m, err := g.move(s.test, b, now)
		if err != nil {
			return err
		}
		if a.Next = append(a.Next, m); len(a.Next) == movesOffered {
			break
		}
	}
	return nil
}

// Tests at a part itself are thought of once its faults hold leadingBelief together; at most
// leadingParts are looked at so closely, and only suspects above closeBelief are predicted.
const (
	leadingBelief = 0.04
	leadingParts  = 4
	closeBelief   = 0.003
)

// leaders names the parts on which most belief lies.
func (g *inquiry) leaders(b *belief) []*harness.Part {
	on := g.suspicion(b)
	var parts []*harness.Part
	for _, p := range g.circuit.Parts {
		if on[p.Name] >= leadingBelief {
			parts = append(parts, p)
		}
	}
	slices.SortStableFunc(parts, func(x, y *harness.Part) int { return cmp.Compare(on[y.Name], on[x.Name]) })
	return parts[:min(len(parts), leadingParts)]
}

// rank lists the tests not yet made that tell something, by information per minute.
func (g *inquiry) rank(b *belief, seen []probe.Observation, now Now) ([]scored, error) {
	b.live(g.Guide)
	tests := g.affordable(probe.Tests(g.circuit, now.Setup), b, now)
	usual := len(tests)
	for _, p := range g.leaders(b) {
		tests = append(tests, probe.Around(g.circuit, now.Setup, p)...)
	}
	for _, w := range g.leadingWires(b) {
		tests = append(tests, probe.Along(g.circuit, now.Setup, w))
		for _, held := range g.heldOf(w) {
			if b.of[held.at] >= closeBelief {
				tests = append(tests, g.heldTests(held.Fault, now.Setup)...)
			}
		}
	}
	tests = append(tests, probe.Test{Do: probe.Codes, State: g.circuit.States[0], Setup: probe.Lasting(now.Setup)})
	if now.Kit.NoMeter {
		tests = append(tests, probe.WithoutMeter(tests[:usual], now.Kit)...)
	}
	likely := b.closer(closeBelief)
	made := g.made(seen)
	var list []scored
	for k, t := range tests {
		if made.has(t) || !now.Kit.Can(t) {
			continue
		}
		of := b
		if k >= usual {
			of = likely
		}
		o, err := g.classes(t, of)
		if err != nil {
			if k >= usual {
				continue // such a set-up cannot be
			}
			return nil, err
		}
		if bits := o.bits(b.of, b.same) * of.share(); bits > leastBits {
			minutes := g.minutes(t, now) * now.School.Weight(g.circuit, t)
			list = append(list, scored{t, bits / minutes, bits})
		}
	}
	slices.SortStableFunc(list, func(x, y scored) int {
		return cmp.Or(cmp.Compare(y.grade(), x.grade()), cmp.Compare(g.risk(x.test), g.risk(y.test)), cmp.Compare(y.score, x.score))
	})
	return list, nil
}

// mostForetold bounds what is foretold for one choice of the next test, in suspects times states times pins:
// a few seconds of work at most on a circuit that nothing is known of. Small circuits stay far below.
const mostForetold = 600_000

// affordable leaves out tests in set-ups that would take too long to foretell: as the car stands and with
// everything fitted always, each relay out in the order in which relays are suspected, as long as there is
// time. As the evidence narrows the suspects down, there is time for all.
func (g *inquiry) affordable(tests []probe.Test, b *belief, now Now) []probe.Test {
	each := len(b.counts) * len(g.circuit.States) * len(g.model.Pins())
	always := []string{probe.SetupKey(now.Setup), probe.SetupKey(probe.Lasting(now.Setup))}
	room := min(g.table.Room(), mostForetold/max(1, each)) - len(always)
	if room >= len(g.circuit.OfKind(harness.KindRelay)) {
		return tests
	}
	suspected := g.suspicion(b)
	var others []probe.Test // one of each further set-up
	seen := map[string]bool{always[0]: true, always[1]: true}
	for _, t := range tests {
		if key := probe.SetupKey(t.Setup); !seen[key] {
			seen[key] = true
			others = append(others, t)
		}
	}
	slices.SortStableFunc(others, func(x, y probe.Test) int { return cmp.Compare(suspected[y.At.Part], suspected[x.At.Part]) })
	for _, t := range others[:max(0, min(room, len(others)))] {
		always = append(always, probe.SetupKey(t.Setup))
	}
	return slices.DeleteFunc(tests, func(t probe.Test) bool { return !slices.Contains(always, probe.SetupKey(t.Setup)) })
}

// suspicion is the belief that lies on each part.
func (g *inquiry) suspicion(b *belief) map[string]float64 {
	on := map[string]float64{}
	for i, s := range g.suspects {
		for _, part := range s.Fault.Parts() {
			on[part] += b.of[i]
		}
	}
	return on
}

// grade puts scores within some two per cent of each other on one step: a tie.
func (s scored) grade() float64 { return math.Round(math.Log(s.score) / 0.02) }

// risk orders tests that tell as much a minute: what needs a hand at a fan, a bridge or a
// battery pack comes after what does not, a module's pin after a fuse.
func (g *Guide) risk(t probe.Test) int {
	risk := 0
	for _, a := range t.Setup {
		switch a.Verb {
		case electric.Jumper, electric.Pack, electric.Feed, electric.GroundPin:
			risk += 2
		case electric.Swapped, electric.Apart, electric.Replaced:
			risk++
		}
	}
	if t.Do == probe.Turned {
		risk += 2
	}
	if t.From.Part != "" && t.Do != probe.Ohms {
		risk++ // a lead in each hand, beside what runs
	}
	if t.At.Part != "" && g.circuit.Part(t.At.Part).Kind() == harness.KindController {
		risk++
	}
	return risk
}

// minutes prices a test for this person, as the car stands.
func (g *Guide) minutes(t probe.Test, now Now) float64 {
	return t.Minutes(g.circuit, now.State, now.Setup) + now.Kit.Extra(g.circuit, t, now.State)
}

// leadingWires names the wires on which much belief lies, two at most.
func (g *inquiry) leadingWires(b *belief) []*harness.Wire {
	on := map[*harness.Wire]float64{}
	var wires []*harness.Wire
	for i, s := range g.suspects {
		for _, ends := range [][2]harness.Pin{s.Fault.Wire, s.Fault.Other} {
			w := g.circuit.Wire(ends[0], ends[1])
			if w == nil {
				continue
			}
			if on[w] == 0 {
				wires = append(wires, w)
			}
			on[w] += b.of[i]
		}
	}
	wires = slices.DeleteFunc(wires, func(w *harness.Wire) bool { return on[w] < leadingBelief })
	slices.SortStableFunc(wires, func(x, y *harness.Wire) int { return cmp.Compare(on[y], on[x]) })
	return wires[:min(len(wires), 2)]
}

// closer is the belief with only the likelier suspects counting in choosing a test.
func (b *belief) closer(least float64) *belief {
	c := &belief{of: b.of, car: b.car, same: b.same, counts: []int{}}
	for _, i := range b.counts {
		if b.of[i] >= least {
			c.counts = append(c.counts, i)
		}
	}
	return c
}

// share is the belief that lies on the suspects that count.
func (b *belief) share() float64 {
	sum := 0.0
	for _, i := range b.counts {
		sum += b.of[i]
	}
	return sum
}

// tried is what has been tested, and which pins cannot be reached.
type tried struct {
	tests  map[string]bool
	barred map[string]bool
}

func (g *Guide) made(seen []probe.Observation) tried {
	m := tried{map[string]bool{}, map[string]bool{}}
	for k := range seen {
		if seen[k].Unreachable {
			m.barred[seen[k].At] = true
		} else if t, err := seen[k].Test(g.circuit); err == nil {
			m.tests[t.Key()] = true
		}
	}
	return m
}

func (m tried) has(t probe.Test) bool {
	if len(m.barred) > 0 && (m.barred[t.At.String()] || t.From.Part != "" && m.barred[t.From.String()]) {
		return true
	}
	return m.tests[t.Key()]
}
