package trace

import (
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Role is what a conductor is for, over all states: how people read a diagram before they
// measure.
type Role string

// Roles.
const (
	FixedFeed      Role = "fixed feed"
	SwitchedFeed   Role = "switched feed"
	FixedGround    Role = "fixed ground"
	SwitchedGround Role = "switched ground"
	Between        Role = "in between" // part of the supply, in some state
	Unused         Role = "never used"
)

// Conductor is a pin's role, what switches it, and the states in which it is switched on.
type Conductor struct {
	Role   Role
	By     []string
	States []string
}

// Roles works out every pin's role from all states of the healthy circuit.
func Roles(m *electric.Model) (map[harness.Pin]Conductor, error) {
	seen := map[harness.Pin][]sight{}
	for _, state := range m.Circuit.States {
		if err := look(m, state, seen); err != nil {
			return nil, err
		}
	}
	roles := map[harness.Pin]Conductor{}
	for pin, sights := range seen {
		c := Conductor{Role: roleOf(sights)}
		for _, s := range sights {
			if c.Role == SwitchedFeed && s.share >= batteryFrom || c.Role == SwitchedGround && s.carries && s.share <= groundTo {
				c.States = append(c.States, s.state)
				c.By = append(c.By, s.by...)
			}
		}
		slices.Sort(c.By)
		c.By = slices.Compact(c.By)
		roles[pin] = c
	}
	return roles, nil
}

// sight is a pin in one state: its share of the supply, where that is known, whether its wires carry current, and by what it is
// switched there.
type sight struct {
	state   string
	share   float64
	known   bool
	carries bool
	by      []string
}

// look adds how every pin stands in a state.
func look(m *electric.Model, state *harness.State, seen map[harness.Pin][]sight) error {
	n, err := m.Enter(electric.Condition{State: state})
	if err != nil {
		return err
	}
	point := n.Point(state)
	top := *point.Pins[harness.Pin{Part: m.Circuit.OfKind(harness.KindBattery)[0].Name, Name: "+"}.String()]
	carried := map[string]float64{}
	for _, w := range point.Wires {
		carried[w.From] = math.Max(carried[w.From], math.Abs(w.Amps))
		carried[w.To] = math.Max(carried[w.To], math.Abs(w.Amps))
	}
	for _, pin := range m.Pins() {
		s := sight{state: state.Name, carries: carried[pin.String()] > leastAmps}
		if v := point.Pins[pin.String()]; v != nil && top > 0 {
			s.share, s.known = *v/top, true
		}
		switch {
		case s.known && s.share >= batteryFrom:
			s.by = Feed(n, pin).Through()
		case s.known && s.share <= groundTo:
			s.by = Ground(n, pin).Through()
		}
		seen[pin] = append(seen[pin], s)
	}
	return nil
}

// roleOf is what a conductor is for. What it is at while it carries current decides where it is at both ends in turn.
func roleOf(sights []sight) Role {
	var battery, ground, between int
	var feeds, grounds bool
	for _, s := range sights {
		switch {
		case !s.known:
		case s.share >= batteryFrom:
			battery++
			feeds = feeds || s.carries
		case s.share <= groundTo:
			ground++
			grounds = grounds || s.carries
		default:
			between++
		}
	}
	switch {
	case battery == len(sights):
		return FixedFeed
	case ground == len(sights):
		return FixedGround
	case between > 0:
		return Between
	case feeds && !grounds:
		return SwitchedFeed
	case grounds && !feeds:
		return SwitchedGround
	}
	return Unused
}

// Words says the role in a phrase: "switched ground by ECU.61's driver, in low, high".
func (c Conductor) Words() string {
	s := string(c.Role)
	if len(c.By) > 0 {
		s += " by " + strings.Join(c.By, " and ")
	}
	if len(c.States) > 0 {
		s += ", in " + strings.Join(c.States, ", ")
	}
	return s
}
