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
	type sight struct {
		state   string
		share   float64
		known   bool
		carries bool
		by      []string
	}
	seen := map[harness.Pin][]sight{}
	for _, state := range m.Circuit.States {
		n, err := m.Enter(electric.Condition{State: state})
		if err != nil {
			return nil, err
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
	}
	roles := map[harness.Pin]Conductor{}
	for pin, sights := range seen {
		var battery, ground, between, other int
		var c Conductor
		note := func(s sight) {
			c.States = append(c.States, s.state)
			for _, by := range s.by {
				if !slices.Contains(c.By, by) {
					c.By = append(c.By, by)
				}
			}
		}
		for _, s := range sights {
			switch {
			case !s.known:
				other++
			case s.share >= batteryFrom:
				battery++
			case s.share <= groundTo:
				ground++
			default:
				between++
			}
		}
		// What a conductor is at while it carries current is what it is for.
		var feeds, grounds bool
		for _, s := range sights {
			if s.carries && s.known {
				feeds = feeds || s.share >= batteryFrom
				grounds = grounds || s.share <= groundTo
			}
		}
		switch {
		case battery == len(sights):
			c.Role = FixedFeed
		case ground == len(sights):
			c.Role = FixedGround
		case between > 0:
			c.Role = Between
		case feeds && !grounds:
			c.Role = SwitchedFeed
		case grounds && !feeds:
			c.Role = SwitchedGround
		default:
			c.Role = Unused
		}
		for _, s := range sights {
			if c.Role == SwitchedFeed && s.share >= batteryFrom || c.Role == SwitchedGround && s.carries && s.share <= groundTo {
				note(s)
			}
		}
		slices.Sort(c.By)
		roles[pin] = c
	}
	return roles, nil
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
