package trace

import (
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Guard is one fuse and what it is there for.
type Guard struct {
	Fuse  string
	Feeds []string // loads that are dead without it, in some state: "M1 in low, high"
	Wires []string // a wire chafed through to ground blows it
}

// Protection is which fuse protects what, found by trying: each wire grounded in turn, each
// fuse taken out in turn, in every state.
type Protection struct {
	Guards []Guard
	Bare   []string // wires that would burn before any fuse opens
}

// Protects works it out for a healthy circuit.
func Protects(m *electric.Model) (*Protection, error) {
	p := &Protection{}
	guard := map[string]int{}
	var opens []fault.Fault
	for _, part := range m.Circuit.Parts {
		open := fault.Fault{On: fault.OnPart, Part: part.Name, Words: fault.Open}
		name := part.Name
		if _, opens := part.OpensAt(); !opens {
			relay, ok := part.Spec.(*harness.Relay)
			if !ok || relay.Fuse == 0 {
				continue
			}
			name, open.Words = part.Name+" fuse", fault.FuseOpen // built in, and as good a fuse as any
		}
		guard[name] = len(p.Guards)
		p.Guards = append(p.Guards, Guard{Fuse: name})
		opens = append(opens, open)
	}
	healthy := map[string]map[string]float64{}
	for _, s := range m.Circuit.States {
		amps, err := loads(m, s, nil)
		if err != nil {
			return nil, err
		}
		healthy[s.Name] = amps
	}
	for i := range p.Guards {
		if err := p.Guards[i].feeds(m, healthy, opens[i]); err != nil {
			return nil, err
		}
	}
	for _, w := range m.Circuit.Wires {
		blown, burns, err := grounded(m, w)
		if err != nil {
			return nil, err
		}
		for _, name := range blown {
			if k, ok := guard[name]; ok {
				p.Guards[k].Wires = append(p.Guards[k].Wires, w.String())
			}
		}
		if burns {
			p.Bare = append(p.Bare, w.String())
		}
	}
	return p, nil
}

// loads gives the amps of everything that consumes in a state: fans, coils, lamps.
func loads(m *electric.Model, s *harness.State, faults []fault.Fault) (map[string]float64, error) {
	n, err := m.Enter(electric.Condition{State: s, Faults: faults})
	if err != nil {
		return nil, err
	}
	amps := map[string]float64{}
	for _, l := range n.Links() {
		if l.Load {
			amps[l.Name] = math.Max(amps[l.Name], math.Abs(l.Amps))
		}
	}
	return amps, nil
}

func (g *Guard) feeds(m *electric.Model, healthy map[string]map[string]float64, open fault.Fault) error {
	dead := map[string][]string{}
	var order []string
	for _, s := range m.Circuit.States {
		without, err := loads(m, s, []fault.Fault{open})
		if err != nil {
			return err
		}
		for name, amps := range healthy[s.Name] {
			if amps > leastAmps && without[name] < lostShare*amps {
				if dead[name] == nil {
					order = append(order, name)
				}
				dead[name] = append(dead[name], s.Name)
			}
		}
	}
	slices.Sort(order)
	for _, name := range order {
		g.Feeds = append(g.Feeds, name+" in "+strings.Join(dead[name], ", "))
	}
	return nil
}

// grounded chafes a wire through to ground in every state: which fuses blow, and whether the
// wire carries on burning.
func grounded(m *electric.Model, w *harness.Wire) (blown []string, burns bool, err error) {
	chafed := fault.Fault{On: fault.OnWire, Wire: [2]harness.Pin{w.From, w.To}, Words: fault.Grounded}
	for _, s := range m.Circuit.States {
		point, err := m.Solve(electric.Condition{State: s, Faults: []fault.Fault{chafed}})
		if err != nil {
			return nil, false, err
		}
		for name, f := range point.Fuses {
			if f.Open && !slices.Contains(blown, name) {
				blown = append(blown, name)
			}
		}
		for _, warning := range point.Warnings {
			burns = burns || warning.Kind == "short" && warning.At == "wire "+w.String()
		}
	}
	slices.Sort(blown)
	return blown, burns, nil
}

// Uses is what two states use together, and what only one does, by the current that flows.
type Uses struct {
	Both, OnlyFirst, OnlySecond []string
}

// Compare tells what two states share. A part both use is cleared by the one that works; a
// fault in the other must lie in what only it uses.
func Compare(m *electric.Model, first, second *harness.State) (*Uses, error) {
	var used [2]map[string]bool
	var order []string
	for i, s := range []*harness.State{first, second} {
		used[i] = map[string]bool{}
		n, err := m.Enter(electric.Condition{State: s})
		if err != nil {
			return nil, err
		}
		for _, l := range n.Links() {
			if math.Abs(l.Amps) < UsedAmps || l.Name == "" {
				continue
			}
			if !used[0][l.Name] && !used[i][l.Name] {
				order = append(order, l.Name)
			}
			used[i][l.Name] = true
		}
	}
	u := &Uses{}
	for _, name := range order {
		switch {
		case used[0][name] && used[1][name]:
			u.Both = append(u.Both, name)
		case used[0][name]:
			u.OnlyFirst = append(u.OnlyFirst, name)
		default:
			u.OnlySecond = append(u.OnlySecond, name)
		}
	}
	return u, nil
}

// Parts leaves the wires out of a list, for a line that people read.
func Parts(list []string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(s string) bool { return strings.HasPrefix(s, "wire ") })
}

// Sources lists what a pin is fed from now: the fuses its current comes through, or the battery
// itself. More than one is a back-feed, or two feeds meeting.
func Sources(n *electric.Network, pin harness.Pin) []string {
	at := map[int][]hop{}
	for _, l := range n.Links() {
		at[l.A] = append(at[l.A], hop{l, l.B, -l.Amps})
		at[l.B] = append(at[l.B], hop{l, l.A, l.Amps})
	}
	var found []string
	add := func(name string) {
		if !slices.Contains(found, name) {
			found = append(found, name)
		}
	}
	seen := map[int]bool{}
	var up func(x int)
	up = func(x int) {
		if seen[x] {
			return
		}
		seen[x] = true
		if x == n.FeedNode() {
			add("the battery")
			return
		}
		for _, h := range at[x] {
			if h.into <= leastAmps {
				continue
			}
			if h.link.Fuse {
				add(h.link.Name)
				continue
			}
			up(h.to)
		}
	}
	up(n.NodeOf(pin))
	slices.Sort(found)
	return found
}
