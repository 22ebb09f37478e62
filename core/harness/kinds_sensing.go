package harness

import ()

// Quantity is what a staged switch senses.
type Quantity string

// Quantities.
const (
	Coolant  Quantity = "coolant"  // °C
	Pressure Quantity = "pressure" // bar
)

// StagedSwitch is a thermoswitch or a pressure switch: each stage joins its pin to c between
// the figure at which it closes and the one at which it opens again.
type StagedSwitch struct {
	Senses Quantity
	Stages []*Stage
}

// Stage is one contact. It closes at or above Closes and opens below Opens; with Closes below
// Opens it is a contact that opens when hot.
type Stage struct {
	Pin           string
	Closes, Opens float64
}

// Closed tells whether the stage is closed at a figure, given how it was before.
func (s *Stage) Closed(figure float64, before bool) bool {
	if s.Closes >= s.Opens {
		return figure >= s.Closes || before && figure >= s.Opens
	}
	return figure <= s.Closes || before && figure < s.Opens
}

// Kind is thermoswitch or pressure-switch.
func (s *StagedSwitch) Kind() Kind {
	if s.Senses == Pressure {
		return KindPressureSwitch
	}
	return KindThermoswitch
}

// Pins lists c and the stages' pins.
func (s *StagedSwitch) Pins() []string {
	pins := []string{"c"}
	for _, stage := range s.Stages {
		pins = append(pins, stage.Pin)
	}
	return pins
}

func (s *StagedSwitch) describe() string { return string(s.Kind()) }

func (s *StagedSwitch) fields() []field {
	low, high := -60.0, 200.0
	if s.Senses == Pressure {
		low, high = 0, 100
	}
	return []field{named("stages", &s.Stages, func(g *Stage) *string { return &g.Pin }, func(g *Stage) []field {
		return []field{number("closes", &g.Closes, low, high).must(), number("opens", &g.Opens, low, high).must()}
	}).must()}
}

// Figure is what the switch senses in a state; false where the state does not say.
func (s *StagedSwitch) Figure(state *State) (float64, bool) {
	at := state.Coolant
	if s.Senses == Pressure {
		at = state.Pressure
	}
	if at == nil {
		return 0, false
	}
	return *at, true
}

// Sensor is a temperature sensor between s and r. Exactly one form of Curve is given.
type Sensor struct{ Curve Curve }

// Curve is a sensor's resistance over temperature: points, or beta and R25, or the three
// Steinhart–Hart coefficients.
type Curve struct {
	Points    []CurvePoint // ascending °C
	Beta, R25 float64
	A, B, C   float64
}

// CurvePoint is one pair of figures.
type CurvePoint struct{ Celsius, Ohms float64 }

func (*Sensor) Kind() Kind       { return KindSensor }
func (*Sensor) Pins() []string   { return []string{"s", "r"} }
func (*Sensor) describe() string { return "sensor" }

func (s *Sensor) fields() []field {
	c := &s.Curve
	return []field{group("curve", func() bool { return true },
		c.pointsField(), number("beta", &c.Beta, 100, 20000), number("r25", &c.R25, 1, 1e7),
		number("a", &c.A, 1e-6, 1), number("b", &c.B, 1e-8, 1), number("c", &c.C, 1e-12, 1)).must()}
}

func (s *Sensor) check() string {
	c := &s.Curve
	forms := 0
	for _, given := range []bool{len(c.Points) >= 2, c.Beta > 0 && c.R25 > 0, c.A > 0 && c.B > 0 && c.C > 0} {
		if given {
			forms++
		}
	}
	if forms != 1 {
		return "a curve is at least two points {25: 2000, 90: 240}, or {beta, r25}, or {a, b, c}"
	}
	return ""
}

// pointsField binds {°C: ohms}, kept ascending.
func (c *Curve) pointsField() field {
	return pairsOf("points", bounds{"°C", -60, 200}, bounds{"ohms", 0.1, 1e7}, &c.Points, func(p *CurvePoint) (x, y *float64) {
		return &p.Celsius, &p.Ohms
	})
}
