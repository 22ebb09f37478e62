package diagnose

import (
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// foretoldCar is one of a suspect's cars as the tables foretell it: a [probe.Subject] for one test.
type foretoldCar struct {
	g     *inquiry
	test  probe.Test
	which []int
	i, k  int // the suspect, and which of its cars

	shown map[laid]func(i, k int) float64
	page  *foretold
}

// laid tells apart what is laid on for one test: its set-up is the test's own, or that and one thing more.
type laid struct {
	do       probe.Do
	state    *harness.State
	at, from harness.Pin
	with     string
	setup    int // how many things are done to the car
}

// Faults is what is wrong with the car.
func (c *foretoldCar) Faults() []fault.Fault { return c.g.guide.suspects[c.i].faults }

// Nominal is what its supply is called by, volts.
func (c *foretoldCar) Nominal() float64 { return c.g.guide.circuit.Nominal() }

// Shows is what the test's instrument shows on it.
func (c *foretoldCar) Shows(t probe.Test) (float64, error) {
	key := laid{t.Do, t.State, t.At, t.From, t.With, len(t.Setup)}
	shows, known := c.shown[key]
	if !known {
		shown, err := c.g.shown(t, c.which)
		if err != nil {
			return 0, err
		}
		if c.shown == nil {
			c.shown = map[laid]func(i, k int) float64{}
		}
		shows = func(i, k int) float64 { return float64(shown[i][k]) }
		c.shown[key] = shows
	}
	return shows(c.i, c.k), nil
}

// inState is the page of the test's set-up, with a car that has nothing wrong beside the suspects.
func (c *foretoldCar) inState(t probe.Test) (*foretold, error) {
	if c.page != nil {
		return c.page, nil
	}
	var err error
	c.page, err = c.g.pageFor(t.Setup, append([]int{c.g.guide.suspects.nobody()}, c.which...))
	return c.page, err
}

// PulledIn tells how the test's relay stands.
func (c *foretoldCar) PulledIn(t probe.Test) (float64, error) {
	p, err := c.inState(t)
	if err != nil {
		return 0, err
	}
	return float64(p.of[c.i].PulledIn(c.g.guide.table.StateIndex(t.State), c.g.guide.table.RelayIndex(t.Part))[c.k]), nil
}

// Noticed tells whether, in some state, a driver's pin is not at the volts that the command asks for.
func (c *foretoldCar) Noticed(t probe.Test) (chance float64, known bool, err error) {
	p, err := c.inState(t)
	if err != nil {
		return 0, true, err
	}
	mine, well := p.of[c.i], p.of[c.g.guide.suspects.nobody()]
	noticed := probe.CodeVolts * c.g.guide.circuit.SupplyVolts(false)
	for j := range c.g.guide.circuit.States {
		for _, pin := range c.g.drivers {
			d := probe.Meter(float64(mine.Volts(j, pin)[c.k])) - probe.Meter(float64(well.Volts(j, pin)[c.k]))
			if d > noticed || d < -noticed {
				return 1, true, nil
			}
		}
	}
	return 0, true, nil
}

// commanded lists the controllers' driver pins.
func (in *inquiry) commanded() []int {
	list := []int{}
	for _, p := range in.guide.circuit.OfKind(harness.KindController) {
		for _, role := range p.Spec.(*harness.Controller).PinRoles {
			if role.Command() != "" {
				list = append(list, in.guide.table.PinIndex(harness.Pin{Part: p.Name, Name: role.Name}))
			}
		}
	}
	return list
}
