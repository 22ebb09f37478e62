package electric

import (
	"math"

	"ironthread/core/harness"
)

// Volts is a pin's volts against the battery's negative post; nil where the pin floats.
type Volts = *float64

// Point is an operating point, in the shape of the command line's JSON.
type Point struct {
	State    string                `json:"state"`
	Settled  bool                  `json:"settled"`
	Supply   float64               `json:"supply"` // open-circuit volts of the battery
	Commands []string              `json:"commands,omitempty"`
	Pins     map[string]Volts      `json:"pins"`
	Wires    []WireAmps            `json:"wires"`
	Motors   map[string]MotorPoint `json:"motors"`
	Relays   map[string]string     `json:"relays"` // "pulled in", "at rest", "buzzes"
	Fuses    map[string]FusePoint  `json:"fuses"`
	Modules  map[string]string     `json:"modules,omitempty"` // what each module gives its outputs
	Heat     map[string]HeatPoint  `json:"heat,omitempty"`    // what gets warm beside the motors
	Warnings []Warning             `json:"warnings"`
}

// WireAmps is the current in one wire, positive from From to To.
type WireAmps struct {
	From string  `json:"from"`
	To   string  `json:"to"`
	Amps float64 `json:"amps"`
}

// MotorPoint is what a motor does.
type MotorPoint struct {
	Volts float64 `json:"volts"`
	Amps  float64 `json:"amps"`
	RPM   float64 `json:"rpm"`
	Speed Speed   `json:"speed"`
}

// Speed is the word for what a fan does.
type Speed string

// What a fan does, by its share of its highest healthy speed.
const (
	Stopped   Speed = "stopped"
	Slow      Speed = "slow"
	Fast      Speed = "fast"
	Backwards Speed = "backwards"
	Cycling   Speed = "cycling" // it starts and stops, behind a breaker that closes again by itself

	// SlowFrom and FastFrom are the shares at which the words change.
	SlowFrom = 0.06
	FastFrom = 0.85
)

// SpeedWord names a share of the highest healthy speed.
func SpeedWord(share float64) Speed {
	switch {
	case share <= -SlowFrom:
		return Backwards
	case share < SlowFrom:
		return Stopped
	case share < FastFrom:
		return Slow
	}
	return Fast
}

// FusePoint is how a fuse stands. OpensInS is nil where it carries its load for ever.
type FusePoint struct {
	Amps     float64  `json:"amps"`
	Load     float64  `json:"load"` // share of the rating
	Open     bool     `json:"open"`
	OpensInS *float64 `json:"opens-in-s"`
}

// Warning is something in the point a technician should know.
type Warning struct {
	Kind string `json:"kind"` // "fuse", "contact", "drop", "stalled", "buzzes", "driver", "short"
	At   string `json:"at"`
	Text string `json:"text"`
}

// Point reads everything off the network as it stands.
func (n *Network) Point(s *harness.State) *Point {
	n.islands()
	c := n.model.Circuit
	p := &Point{
		State: s.Name, Settled: !n.unsettled, Commands: n.held,
		Pins: map[string]Volts{}, Motors: map[string]MotorPoint{},
		Relays: map[string]string{}, Fuses: map[string]FusePoint{}, Warnings: []Warning{},
	}
	if !n.batteries[0].out {
		p.Supply = n.emf(&n.batteries[0])
	}
	for i, pin := range n.model.pins {
		p.Pins[pin.String()] = n.reading(n.model.cavityAt[i])
	}
	for pin, x := range n.inner {
		if x != n.model.cavity[pin.Cavity()] {
			p.Pins[pin.String()] = n.reading(x)
		}
	}
	for i, w := range c.Wires {
		p.Wires = append(p.Wires, WireAmps{w.From.String(), w.To.String(), n.current(n.wires[i])})
	}
	n.readMotors(p)
	p.Modules = n.moduleWords()
	for i := range n.modules {
		p.Settled = p.Settled && !n.modules[i].restless
	}
	for i := range n.relays {
		word := "at rest"
		switch {
		case n.buzzing[i]:
			word, p.Settled = "buzzes", false
		case n.pulledIn[i]:
			word = "pulled in"
		}
		p.Relays[n.relays[i].part.Name] = word
	}
	for i := range n.fuses {
		f := &n.fuses[i]
		amps := math.Abs(n.current(f.branch))
		fp := FusePoint{Amps: amps, Load: amps / f.amps, Open: n.opened[i] || n.branches[f.branch].gate == never}
		if t := OpensInSeconds(f.style, fp.Load); !math.IsInf(t, 1) {
			fp.OpensInS = &t
		}
		p.Fuses[f.name] = fp
	}
	p.Heat = n.heat()
	p.Warnings = append(p.Warnings, n.warnings()...)
	return p
}

// readMotors fills in what each motor does.
func (n *Network) readMotors(p *Point) {
	fits := n.InFits()
	for i := range n.motors {
		m := &n.motors[i]
		mp := MotorPoint{Volts: m.found[0], RPM: m.omega * 30 / math.Pi, Speed: SpeedWord(n.share(m))}
		for j, amps := range m.amps {
			mp.Amps += amps
			if math.Abs(m.found[j]) > math.Abs(mp.Volts) {
				mp.Volts = m.found[j] // of the winding that is fed
			}
		}
		if fits != nil && fits[i] {
			mp.Speed = Cycling
		}
		p.Motors[m.part.Name] = mp
	}
}

func (n *Network) reading(x node) Volts {
	if n.floats(x) {
		return nil
	}
	v := n.at(x)
	return &v
}

// FanShares writes each fan's speed share, in the order of Circuit.Fans, into shares.
func (n *Network) FanShares(shares []float32) {
	for i := range n.motors {
		shares[i] = float32(n.share(&n.motors[i]))
	}
}

// MeterVolts writes what a 10 MΩ voltmeter from the battery's negative post shows at each
// cavity, in the order of Model.Pins: NaN where the pin floats (the display wanders about
// zero). A pin that hangs on a diode alone is read with the meter laid on, whose microampere
// counts there; soft, if it is not nil, tells which these are.
func (n *Network) MeterVolts(volts []float32, soft []bool) {
	n.islands()
	for i, x := range n.model.cavityAt {
		if n.floats(x) {
			volts[i] = float32(math.NaN())
		} else {
			volts[i] = float32(n.at(x))
		}
		if soft != nil {
			soft[i] = false
		}
	}
	if len(n.curves) > 0 {
		n.meterSoftPins(volts, soft)
	}
}

// meterSoftPins reads again the pins that only a junction joins to the battery.
func (n *Network) meterSoftPins(volts []float32, soft []bool) {
	n.hangTogether(false)
	laid := false
	done := map[int32]bool{}
	for i, x := range n.model.cavityAt {
		if !n.floats(x) || math.IsNaN(float64(volts[i])) {
			continue
		}
		if soft != nil {
			soft[i] = true
		}
		island := n.root(int32(x))
		if done[island] {
			continue
		}
		done[island], laid = true, true
		n.metered = x
		n.relax()
		for j, y := range n.model.cavityAt {
			if y != post && n.root(int32(y)) == island {
				volts[j] = float32(n.at(y))
			}
		}
	}
	if laid {
		n.metered = post
		n.relax()
	}
}

// FanAmps writes each fan's current, in the order of Circuit.Fans, into amps.
func (n *Network) FanAmps(amps []float32) {
	for i := range n.motors {
		amps[i] = float32(math.Abs(n.motors[i].total()))
	}
}

// PulledIn writes 1 for each relay that is pulled in, 0 for one at rest and a half for one that
// buzzes, in the order of the circuit, into in.
func (n *Network) PulledIn(in []float32) {
	for i := range n.relays {
		switch {
		case n.buzzing[i]:
			in[i] = 0.5
		case n.pulledIn[i]:
			in[i] = 1
		default:
			in[i] = 0
		}
	}
}

// Held lists the commands that hold in the state entered, by the state or by the strategy.
func (n *Network) Held() []string { return n.held }

// SupplyVolts is the battery's positive post in the state entered.
func (n *Network) SupplyVolts() float64 { return n.at(n.batteryPlus()) }

// SensorFails tells what the controller reads of its temperature sensors in the state entered: an open line, or a shorted
// one; has is false where no sensor is wired to a controller that is alive.
func (n *Network) SensorFails() (open, shorted, has bool) {
	for _, e := range n.hears {
		ctl := &n.controllers[e.controller]
		supply := n.at(ctl.power) - n.at(ctl.ground)
		if e.curve == nil || supply <= 0 {
			continue
		}
		has = true
		level := (n.at(e.at) - n.at(ctl.ground)) / supply
		open, shorted = open || level > sensorOpenAbove, shorted || level < sensorShortBelow
	}
	return open, shorted, has
}
