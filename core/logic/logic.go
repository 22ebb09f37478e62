// Package logic lays out what a circuit's control does: for every condition that matters (each threshold going up and coming
// down, the A/C, the pressure, a hand on an input, the controller away) which commands hold, which relays are in, what the
// fans do, and how many volts each output shows.
//
// In goes a circuit's model, out come rows. The one idea: nothing of it is written down; the circuit is entered in each
// condition, in the order in which an engine warms up and cools down, so that hysteresis is in it.
package logic

import (
	"fmt"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Row is one condition.
type Row struct {
	Condition string
	Commands  []string
	Pulled    []string
	Fans      map[string]string
	Volts     map[string]string // at each output, by its pin; "floats" where nothing holds it
}

// Table is a circuit's control laid out.
type Table struct {
	Outputs []Output
	Rows    []Row
}

// Output is a controller's pin that commands something.
type Output struct{ Pin, Does string }

// How far beyond a threshold a condition lies, °C and bar, and the temperatures of a cold and a hot engine.
const (
	beyond       = 0.5
	cold, hot    = 20.0, 115.0
	mostInputs   = 8
	quietBar     = 5.0
	beyondBar    = 1.0
	mostOfStages = 12
)

// Of lays a circuit's control out.
func Of(m *electric.Model) (*Table, error) {
	t := &Table{}
	for _, p := range m.Circuit.OfKind(harness.KindController) {
		for _, role := range p.Spec.(*harness.Controller).PinRoles {
			if role.Command() != "" {
				t.Outputs = append(t.Outputs, Output{harness.Pin{Part: p.Name, Name: role.Name}.String(), polarity(role)})
			}
		}
	}
	n, err := m.Network(nil, nil)
	if err != nil {
		return nil, fmt.Errorf("logic: %w", err)
	}
	n.Rest()
	ups, downs := thresholds(m.Circuit)
	pass := func(words string, coolant float64) {
		s := base(m)
		s.Coolant = &coolant
		n.Enter(s)
		t.add(m, n, words, s)
	}
	if len(ups) > 0 {
		pass(fmt.Sprintf("cold, %g °C", cold), cold)
		for _, at := range ups {
			pass(fmt.Sprintf("warming, %g °C", at+beyond), at+beyond)
		}
		pass(fmt.Sprintf("hot, %g °C", hot), hot)
		for _, at := range downs {
			pass(fmt.Sprintf("cooling, still %g °C", at+beyond), at+beyond)
			pass(fmt.Sprintf("cooling, %g °C", at-beyond), at-beyond)
		}
	}
	return t, t.asked(m)
}

// polarity words how an output commands.
func polarity(r *harness.PinRole) string {
	switch {
	case r.SinksUnless != "":
		return r.SinksUnless + ": to ground keeps it off"
	case r.SourcesOn != "":
		return r.SourcesOn + ": plus runs it"
	case r.PWMOn != "":
		return r.PWMOn + ": pulses"
	}
	return r.SinksOn + ": to ground runs it"
}

// base is the running engine, left to itself, with nothing asked for.
func base(m *electric.Model) *harness.State {
	s := &harness.State{Name: "logic", Key: true, Running: true, Words: m.Working()}
	if len(m.Circuit.Strategy) == 0 {
		s.Commands = []string{}
	}
	coolant, pressure := cold, quietBar
	s.Coolant, s.Pressure = &coolant, &pressure
	return s
}

// thresholds are the temperatures at which something switches: upwards in rising order, downwards in falling order.
func thresholds(c *harness.Circuit) (ups, downs []float64) {
	add := func(list *[]float64, at *float64) {
		if at != nil && !slices.Contains(*list, *at) && len(*list) < mostOfStages {
			*list = append(*list, *at)
		}
	}
	for _, r := range c.Strategy {
		add(&ups, r.OnAbove)
		add(&downs, r.OffBelow)
		if r.From != nil && r.To != nil {
			add(&ups, &r.From.At)
			add(&ups, &r.To.At)
		}
	}
	for _, p := range c.OfKind(harness.KindThermoswitch) {
		for _, s := range p.Spec.(*harness.StagedSwitch).Stages {
			add(&ups, &s.Closes)
			add(&downs, &s.Opens)
		}
	}
	slices.Sort(ups)
	slices.Sort(downs)
	slices.Reverse(downs)
	return ups, downs
}

// asked are the conditions other than temperature, each from rest.
func (t *Table) asked(m *electric.Model) error {
	c := m.Circuit
	enter := func(words string, s *harness.State, setup []electric.Action, faults ...fault.Fault) error {
		n, err := m.Network(setup, faults)
		if err != nil {
			return fmt.Errorf("logic: %w", err)
		}
		n.Rest()
		n.Enter(s)
		t.add(m, n, words, s)
		return nil
	}
	has := func(word string) bool {
		return slices.ContainsFunc(c.Strategy, func(r *harness.Rule) bool { return slices.Contains(r.Or, word) })
	}
	if has("ac") || len(c.Strategy) == 0 && readsAC(c) {
		s := base(m)
		s.AC = true
		if err := enter("cold, A/C on", s, nil); err != nil {
			return err
		}
	}
	if bar := pressureOf(c); bar > 0 {
		s := base(m)
		s.AC = true
		over := bar + beyondBar
		s.Pressure = &over
		if err := enter(fmt.Sprintf("A/C on, %g bar", over), s, nil); err != nil {
			return err
		}
	}
	if has(harness.NoSensor) {
		for _, p := range c.OfKind(harness.KindSensor) {
			if err := enter("sensor "+p.Name+" unplugged", base(m), []electric.Action{{Verb: electric.Unplugged, Part: p.Name}}); err != nil {
				return err
			}
		}
	}
	if err := t.byHand(m, enter); err != nil {
		return err
	}
	for _, x := range []struct {
		words         string
		key, cranking bool
	}{{"key off, hot", false, false}, {"cranking", true, true}} {
		s := base(m)
		s.Key, s.Running, s.Cranking = x.key, false, x.cranking
		if !x.key {
			at := hot
			s.Coolant = &at
		}
		if err := enter(x.words, s, nil); err != nil {
			return err
		}
	}
	for _, p := range c.OfKind(harness.KindController) {
		if err := enter(p.Name+" unplugged", base(m), []electric.Action{{Verb: electric.Unplugged, Part: p.Name}}); err != nil {
			return err
		}
		f, err := fault.Parse(c, p.Name+" "+fault.Dead)
		if err != nil {
			return fmt.Errorf("logic: %w", err)
		}
		if err := enter(p.Name+" rebooting", base(m), nil, f); err != nil {
			return err
		}
	}
	return nil
}

// byHand asserts each input of the strategy by hand: an override, a kill; what kills is asserted on a hot engine.
func (t *Table) byHand(m *electric.Model, enter func(string, *harness.State, []electric.Action, ...fault.Fault) error) error {
	c, done := m.Circuit, 0
	for _, p := range c.OfKind(harness.KindController) {
		for _, role := range p.Spec.(*harness.Controller).PinRoles {
			if role.Input == "" || role.PullUp > 0 || done == mostInputs {
				continue
			}
			done++
			pin := harness.Pin{Part: p.Name, Name: role.Name}
			verb := electric.GroundPin
			if role.Asserted == harness.High {
				verb = electric.Feed
			}
			s := base(m)
			words := "cold, input " + role.Input
			if slices.ContainsFunc(c.Strategy, func(r *harness.Rule) bool {
				return slices.Contains(r.Unless, role.Input) || slices.Contains(r.Unless, pin.String())
			}) {
				at := hot
				s.Coolant, words = &at, "hot, input "+role.Input
			}
			if err := enter(words, s, []electric.Action{{Verb: verb, From: pin}}); err != nil {
				return err
			}
		}
	}
	return nil
}

// pressureOf is the pressure from which something asks; 0 where nothing does.
func pressureOf(c *harness.Circuit) float64 {
	bar := 0.0
	for _, r := range c.Strategy {
		if r.PressureAbove != nil {
			bar = max(bar, *r.PressureAbove)
		}
	}
	for _, p := range c.OfKind(harness.KindPressureSwitch) {
		for _, s := range p.Spec.(*harness.StagedSwitch).Stages {
			bar = max(bar, s.Closes)
		}
	}
	return bar
}

func readsAC(c *harness.Circuit) bool {
	return slices.ContainsFunc(c.OfKind(harness.KindSwitch), func(p *harness.Part) bool { return p.Spec.(*harness.Switch).ClosedWhen == "ac" })
}

// add reads a network in a state into a row.
func (t *Table) add(m *electric.Model, n *electric.Network, words string, s *harness.State) {
	p := n.Point(s)
	row := Row{Condition: words, Commands: slices.Clone(n.Held()), Fans: map[string]string{}, Volts: map[string]string{}}
	for _, k := range m.Circuit.OfKind(harness.KindRelay) {
		if p.Relays[k.Name] == "pulled in" {
			row.Pulled = append(row.Pulled, k.Name)
		}
	}
	for name, x := range p.Motors {
		row.Fans[name] = string(x.Speed)
	}
	for _, o := range t.Outputs {
		row.Volts[o.Pin] = "floats"
		if v := p.Pins[o.Pin]; v != nil {
			row.Volts[o.Pin] = probe.FormatVolts(*v)
		}
	}
	t.Rows = append(t.Rows, row)
}
