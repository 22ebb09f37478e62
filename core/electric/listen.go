package electric

import (
	"math"
	"slices"

	"ironthread/core/harness"
)

// ear is a controller's pin that listens: to a temperature sensor, or to a level.
type ear struct {
	controller int
	pin        string
	at         node
	pullUp     float64
	curve      *harness.Curve // of the sensor wired to it, nil for a level
	low        bool           // asserted when low
}

func (n *Network) addEar(index int, p *harness.Part, role *harness.PinRole, at node) {
	pin := harness.Pin{Part: p.Name, Name: role.Name}
	e := ear{controller: index, pin: pin.String(), at: at, pullUp: role.PullUp, low: role.Asserted != harness.High}
	if role.PullUp > 0 {
		e.curve = n.model.sensorOn(pin)
	}
	n.hears = append(n.hears, e)
}

// sensorOn finds the sensor a controller's pin is wired to, through splices and connectors;
// nil where there is none.
func (m *Model) sensorOn(pin harness.Pin) *harness.Curve {
	var curve *harness.Curve
	joins := func(kind harness.Kind) bool { return kind == harness.KindSplice || kind == harness.KindConnector }
	m.along(pin, joins, func(at harness.Pin) bool {
		if spec, ok := m.Circuit.Part(at.Part).Spec.(*harness.Sensor); ok {
			curve = &spec.Curve
		}
		return curve != nil
	})
	return curve
}

// listen lets the controller follow what it hears on its wires, until the commands stay.
func (n *Network) listen(s *harness.State, before []string) {
	if len(n.hears) == 0 || s.Commands != nil || len(n.model.Circuit.Strategy) == 0 {
		return
	}
	for range maxHearings {
		heard := n.heard()
		held := n.model.Circuit.CommandsIn(s, before, heard)
		if slices.Equal(held, n.held) && sameHeat(heard, n.lastHeard) {
			return
		}
		n.lastHeard = heard
		n.command(s, held)
		n.settle()
	}
}

// sameHeat tells whether two hearings have the same temperature by the sensor.
func sameHeat(a, b harness.Heard) bool {
	if a.Sensor != b.Sensor || (a.Coolant == nil) != (b.Coolant == nil) {
		return false
	}
	return a.Coolant == nil || *a.Coolant == *b.Coolant
}

// heard reads the controllers' inputs as the network stands.
func (n *Network) heard() harness.Heard {
	var h harness.Heard
	n.islands()
	for _, e := range n.hears {
		ctl := &n.controllers[e.controller]
		supply := n.at(ctl.power) - n.at(ctl.ground)
		if supply <= 0 {
			continue
		}
		level := (n.at(e.at) - n.at(ctl.ground)) / supply
		switch {
		case e.curve != nil:
			if h.Sensor = true; h.Coolant == nil {
				h.Coolant = e.celsius(level)
			}
		case n.floats(e.at):
		case e.low && level < inputLowBelow, !e.low && level > inputHighAbove:
			h.Inputs = append(h.Inputs, e.pin)
		}
	}
	return h
}

// celsius is the temperature a divider's level stands for; nil for none.
func (e *ear) celsius(level float64) *float64 {
	if level > sensorOpenAbove || level < sensorShortBelow {
		return nil
	}
	t := math.Round(10*e.curve.Celsius(e.pullUp*level/(1-level))) / 10
	return &t
}
