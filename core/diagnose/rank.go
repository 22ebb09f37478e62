package diagnose

import (
	"cmp"
	"math"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// chooser chooses the next test by what is believed, what has been tried, and how the car stands.
type chooser struct {
	guide  *Guide
	asked  *inquiry
	belief *belief
	seen   []probe.Observation // of the car as it is now
	now    Now
	made   tried

	least float64 // the information below which a test is not worth offering
}

func (in *inquiry) chooser(b *belief, seen []probe.Observation, now Now) *chooser {
	return &chooser{in.guide, in, b.asMended(in.guide.suspects.nobody()), seen, now, in.tried(seen), leastBits}
}

// by is the same choice with another belief.
func (ch *chooser) by(b *belief) *chooser {
	other := *ch
	other.belief = b
	return &other
}

type scored struct {
	test  probe.Test
	score float64
	bits  float64
}

// grade puts scores within some two per cent of each other on one step: a tie.
func (s scored) grade() float64 { return math.Round(math.Log(s.score) / tied) }

// Tests at a part itself are thought of once its faults hold leadingBelief together; at most leadingParts
// are looked at so closely, and only suspects above closeBelief are foretold.

// rank lists the tests not yet made that tell something, by information per minute.
func (ch *chooser) rank() ([]scored, error) {
	b, now := ch.belief, ch.now
	b.live(ch.guide.suspects)
	tests := ch.affordable(probe.Tests(ch.guide.circuit, now.Setup))
	usual := len(tests)
	for _, p := range ch.leaders() {
		tests = append(tests, probe.Around(ch.guide.circuit, now.Setup, p)...)
	}
	for _, w := range ch.leadingWires() {
		tests = append(tests, probe.Along(ch.guide.circuit, now.Setup, w))
		for _, held := range ch.guide.suspects.held(w) {
			if b.of[held.at] >= closeBelief {
				tests = append(tests, probe.HeldTests(ch.guide.model, held.Fault, now.Setup)...)
			}
		}
	}
	tests = append(tests, probe.AnyTime(ch.guide.circuit, now.Setup)...)
	if now.Kit.NoMeter {
		tests = append(tests, probe.WithoutMeter(tests[:usual], now.Kit)...)
	}
	list, err := ch.told(tests, usual)
	if err != nil {
		return nil, err
	}
	list = ch.sorted(list)
	if !b.two() {
		return list, nil
	}
	return ch.ofTwo(list), nil
}

// told keeps the tests that tell something, in their order. Each is weighed by itself: as many at once as there
// are cores. Those from the usual ones on are weighed by the likeliest suspects alone, and their set-ups may be such as cannot be.
func (ch *chooser) told(tests []probe.Test, usual int) ([]scored, error) {
	all := ch.belief
	all.live(ch.guide.suspects) // found once, before several read it
	likely := all.closer(closeBelief)
	found := make([]scored, len(tests))
	var workers errgroup.Group
	workers.SetLimit(runtime.GOMAXPROCS(0))
	for k, t := range tests {
		if ch.made.has(t) || !ch.now.Kit.Can(t) {
			continue
		}
		workers.Go(func() error {
			of := all
			if k >= usual {
				of = likely
			}
			live := of.live(ch.guide.suspects)
			o, err := ch.asked.answers(t, live).classes(of, live)
			switch {
			case err == nil:
				found[k] = scored{test: t, bits: o.bits(all.of, all.same) * of.share()}
			case k < usual:
				return err
			}
			return nil
		})
	}
	if err := workers.Wait(); err != nil {
		return nil, err
	}
	found = slices.DeleteFunc(found, func(s scored) bool { return s.bits <= ch.least })
	for k := range found {
		s := &found[k]
		s.score = s.bits / (ch.minutes(s.test) * ch.now.School.Weight(ch.guide.circuit, s.test))
	}
	return found, nil
}

// sorted puts the most information a minute first; of those that are tied, what brings a hand nearest to a fan last.
func (ch *chooser) sorted(list []scored) []scored {
	slices.SortStableFunc(list, func(x, y scored) int {
		return cmp.Or(cmp.Compare(y.grade(), x.grade()),
			cmp.Compare(x.test.Risk(ch.guide.circuit), y.test.Risk(ch.guide.circuit)), cmp.Compare(y.score, x.score))
	})
	return list
}

// ofTwo keeps the tests that tell which two faults it is.
func (ch *chooser) ofTwo(list []scored) []scored {
	pairings := map[[2]int]*pairing{}
	var kept []scored
	for _, s := range list[:min(len(list), testsOfTwo)] {
		bits, err := ch.toldOfTwo(s.test, pairings)
		if err != nil || bits <= ch.least {
			continue
		}
		s.score, s.bits = s.score*bits/s.bits, bits
		kept = append(kept, s)
	}
	return ch.sorted(kept)
}

// affordable leaves out tests in set-ups that would take too long to foretell: as the car stands and with
// everything fitted always, each relay out in the order in which relays are suspected, as long as there is
// time. As the evidence narrows the suspects down, there is time for all.
func (ch *chooser) affordable(tests []probe.Test) []probe.Test {
	each := len(ch.belief.counts) * len(ch.guide.circuit.States) * len(ch.guide.model.Pins())
	always := []string{probe.SetupKey(ch.now.Setup), probe.SetupKey(probe.Lasting(ch.now.Setup))}
	room := min(ch.guide.table.Room(), mostForetold/max(1, each)) - len(always)
	if room >= len(ch.guide.circuit.OfKind(harness.KindRelay)) {
		return tests
	}
	suspected := ch.guide.suspects.onParts(ch.belief.of)
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

// leaders names the parts on which most belief lies.
func (ch *chooser) leaders() []*harness.Part {
	on := ch.guide.suspects.onParts(ch.belief.of)
	var parts []*harness.Part
	for _, p := range ch.guide.circuit.Parts {
		if on[p.Name] >= leadingBelief {
			parts = append(parts, p)
		}
	}
	slices.SortStableFunc(parts, func(x, y *harness.Part) int { return cmp.Compare(on[y.Name], on[x.Name]) })
	return parts[:min(len(parts), leadingParts)]
}

// leadingWires names the wires on which much belief lies, the likeliest few.
func (ch *chooser) leadingWires() []*harness.Wire {
	on := map[*harness.Wire]float64{}
	var wires []*harness.Wire
	for i, s := range ch.guide.suspects {
		for _, ends := range [][2]harness.Pin{s.Fault.Wire, s.Fault.Other} {
			w := ch.guide.circuit.Wire(ends[0], ends[1])
			if w == nil {
				continue
			}
			if on[w] == 0 {
				wires = append(wires, w)
			}
			on[w] += ch.belief.of[i]
		}
	}
	wires = slices.DeleteFunc(wires, func(w *harness.Wire) bool { return on[w] < leadingBelief })
	slices.SortStableFunc(wires, func(x, y *harness.Wire) int { return cmp.Compare(on[y], on[x]) })
	return wires[:min(len(wires), leadingWires)]
}

// minutes prices a test for this person, as the car stands.
func (ch *chooser) minutes(t probe.Test) float64 {
	return t.Minutes(ch.guide.circuit, ch.now.State, ch.now.Setup) + ch.now.Kit.Extra(ch.guide.circuit, t, ch.now.State)
}

// tried is what has been tested, and which pins cannot be reached.
type tried struct {
	tests  map[string]bool
	barred map[string]bool
}

func (in *inquiry) tried(seen []probe.Observation) tried {
	m := tried{map[string]bool{}, map[string]bool{}}
	for k := range seen {
		if seen[k].Unreachable() {
			m.barred[seen[k].At] = true
		} else if t, err := seen[k].Test(in.guide.circuit); err == nil {
			m.tests[sameTest(t)] = true
		}
	}
	return m
}

func (m tried) has(t probe.Test) bool {
	if len(m.barred) > 0 && (m.barred[t.At.String()] || t.From.Part != "" && m.barred[t.From.String()]) {
		return true
	}
	return m.tests[sameTest(t)]
}

// sameTest names a test so that one of a part by itself (in the hand, looked at, felt) is the same whatever else is done to the
// car: what was answered is not asked again because something else is out now.
func sameTest(t probe.Test) string {
	place := directPlace(t)
	if t.Do == probe.Wiggled {
		place = t.Part
	}
	if place == "" && t.Do != probe.TroubleCodes {
		return t.Key()
	}
	alone := t
	alone.State = &harness.State{}
	alone.Setup = slices.DeleteFunc(probe.Lasting(t.Setup), electric.Action.Stands)
	for _, a := range t.Setup {
		if a.Verb == electric.Pack && a.From.Part == place {
			alone.Setup = append(alone.Setup, a)
		}
	}
	return alone.Key()
}
