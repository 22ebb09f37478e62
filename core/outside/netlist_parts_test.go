package outside

import (
	"fmt"
	"math"
	"slices"
	"strconv"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// The parts that take more than a line or two of a deck.

func (s *sheet) writeBattery(p *harness.Part, spec *harness.Battery) {
	if s.apart[p.Name] {
		return
	}
	volts := s.supply(s.state.Running)
	if s.state.Cranking { // 8 to 11.5 V of 12.6 while the starter turns (common practice)
		volts = s.supply(false) * (8 + 11.5) / 2 / 12.6
	}
	if s.has(p, fault.Flat) { // engine running too
		volts = or(s.fault.Figure, flatV*s.scale())
	}
	ohms := or(spec.Ohms, batteryR)
	plus := harness.Pin{Part: p.Name, Name: "+"}
	if s.has(p, fault.PostResists) {
		ohms += s.joint(plus)
	}
	inside := s.fresh()
	s.line("V%s %s 0 DC %.12g", s.id(), inside, volts)
	s.resist(inside, s.terminal(p, "+"), ohms)
}

func (s *sheet) writeRelay(p *harness.Part, spec *harness.Relay) {
	nominal := or(spec.CoilOhms, coilR*s.scale()*s.scale())
	coil := nominal
	if s.has(p, fault.CoilShorted) {
		coil = shortedR * s.scale() * s.scale()
	}
	start, end := s.terminal(p, "86"), s.terminal(p, "85")
	if !s.has(p, fault.CoilOpen) {
		s.resist(start, end, coil)
	}
	switch spec.Suppression {
	case harness.ResistorSuppr: // ten times the coil (common practice)
		s.resist(start, end, 10*nominal)
	case harness.DiodeSuppr:
		if spec.Cathode == "85" {
			s.junction(start, end)
		} else {
			s.junction(end, start)
		}
	}
	in := s.guess.pulledIn[p.Name]
	for _, pole := range spec.Poles() {
		common := s.terminal(p, "30"+pole)
		if pole == "" && spec.Fuse > 0 {
			behind := s.fresh()
			if !s.guess.blown[p.Name+" fuse"] && !s.has(p, fault.FuseOpen) {
				s.resist(common, behind, fuseV/spec.Fuse)
			}
			common = behind
		}
		contact := func(name string, closed bool, open, burnt string) {
			if pole != "" {
				open, burnt = pole+" "+open, pole+" "+burnt
			}
			ohms := or(spec.ContactOhms, contactR)
			if s.has(p, burnt) {
				ohms = or(s.fault.Figure, loadJoint)
			}
			to := s.terminal(p, name+pole)
			if closed && !s.has(p, open) {
				s.resist(common, to, ohms)
			}
		}
		if spec.HasMake() {
			contact("87", in, fault.MakeOpen, fault.MakeBurnt)
		}
		if spec.HasRest() {
			contact("87a", !in, fault.RestOpen, fault.RestBurnt)
		}
	}
}

// writeMotor writes the torque balance of a permanent-magnet motor: each winding is its ohms and a back-EMF
// that grows with the shaft's speed; the shaft is a node whose volts are the speed in rad/s, into which the
// windings' torque flows and out of which friction and air take it.
func (s *sheet) writeMotor(p *harness.Part, spec *harness.Motor) {
	type winding struct {
		from, to string
		ohms, k  float64
		open     bool
	}
	var list []winding
	var friction, air float64
	law := func(omega, torque float64) { friction, air = frictionOf*torque, (1-frictionOf)*torque/(omega*omega) }
	if len(spec.Windings) == 0 {
		ohms := or(spec.Ohms, spec.Volts/or(spec.Inrush, 5*spec.Amps))
		omega := or(spec.RPM, 2400) * 2 * math.Pi / 60
		k := (spec.Volts - spec.Amps*ohms) / omega
		law(omega, k*spec.Amps)
		w := winding{from: s.terminal(p, "+"), to: s.terminal(p, "-"), ohms: ohms, k: k, open: s.has(p, fault.Open) || s.has(p, fault.Brushes)}
		if s.has(p, fault.Reversed) {
			w.from, w.to = w.to, w.from
		}
		list = append(list, w)
	} else {
		lead := spec.Windings[0]
		for _, w := range slices.Backward(spec.Windings) {
			if w.RPM > 0 {
				lead = w
			}
		}
		armature := func(w *harness.Winding) float64 { return spec.Volts / or(w.Inrush, 5*w.Amps) }
		omega := or(lead.RPM, 2400) * 2 * math.Pi / 60
		law(omega, (spec.Volts-lead.Amps*armature(lead))/omega*lead.Amps)
		for _, w := range spec.Windings {
			at := omega
			if w != lead { // the speed at which the load takes what the winding gives
				at = root(func(x float64) float64 { return (friction+air*x*x)*x - (spec.Volts-w.Amps*armature(w))*w.Amps })
			}
			list = append(list, winding{from: s.terminal(p, w.Plus), to: s.terminal(p, w.Minus), ohms: armature(w),
				k: (spec.Volts - w.Amps*armature(w)) / at, open: s.item(p, fault.WindingOpen, w.Name) || s.has(p, fault.Open)})
		}
	}
	if s.has(p, fault.Worn) {
		friction *= or(s.fault.Figure, 4)
	}
	turns := s.guess.turns[p.Name]
	shaft := s.prefix + "w_" + spelled.Replace(p.Name)
	for _, w := range list {
		if s.has(p, fault.ShortedTurns) {
			left := 1 - min(0.95, or(s.fault.Figure, 0.25))
			w.ohms, w.k = w.ohms*left, w.k*left
		}
		if w.open {
			w.to = s.fresh()
		}
		id := s.id()
		inside := s.fresh()
		s.line("V%s %s %s 0", id, w.from, inside)
		if turns == 0 {
			s.resist(inside, w.to, w.ohms)
			continue
		}
		back := s.fresh()
		s.resist(inside, back, w.ohms)
		s.line("E%s %s %s %s 0 %.12g", id, back, w.to, shaft, w.k)
		s.line("F%s 0 %s V%s %.12g", id, shaft, id, w.k)
	}
	if turns == 0 {
		return
	}
	s.line("B%s %s 0 I=%.12g+%.12g*V(%s)*abs(V(%s))", s.id(), shaft, math.Copysign(friction, turns), air, shaft, shaft)
	s.line(".nodeset V(%s)=%.4g", shaft, s.guess.near[p.Name])
}

// root finds where a rising function crosses zero, by the rule of false position between 0 and 1e5.
func root(f func(float64) float64) float64 {
	low, high := 0.0, 1e5
	for range 200 {
		if middle := low + (high-low)/2; f(middle) < 0 {
			low = middle
		} else {
			high = middle
		}
	}
	return low
}

func (s *sheet) writeCard(p *harness.Part, spec *harness.ResistorCard) {
	at := s.terminal(p, "in")
	if spec.Opens > 0 {
		behind := s.fresh()
		if !s.has(p, fault.LimiterOpen) {
			s.resist(at, behind, closedR)
		}
		at = behind
	}
	for k, ohms := range spec.Steps {
		tap := strconv.Itoa(k + 1)
		next := s.terminal(p, tap)
		if s.has(p, fault.Resists) && k == 0 {
			ohms += s.joint(harness.Pin{Part: p.Name, Name: "in"})
		}
		if !s.item(p, fault.StepOpen, tap) {
			s.resist(at, next, ohms)
		}
		at = next
	}
}

func (s *sheet) writeSelector(p *harness.Part, spec *harness.Selector) {
	if s.has(p, fault.CommonOpen) {
		return
	}
	for _, position := range spec.Positions {
		if position.Name != s.state.Position(p.Name) || s.item(p, fault.PositionOpen, position.Name) {
			continue
		}
		for _, pin := range position.Pins {
			s.resist(s.terminal(p, "c"), s.terminal(p, pin), closedR)
		}
	}
}

func (s *sheet) writeSensor(p *harness.Part, spec *harness.Sensor) {
	signal, ground := s.terminal(p, "s"), s.terminal(p, "r")
	celsius := 20.0 // a room's
	if s.state.Coolant != nil {
		celsius = *s.state.Coolant
	}
	if s.has(p, fault.Off) {
		celsius += or(s.fault.Figure, 15)
	}
	switch {
	case s.has(p, fault.Open):
	case s.has(p, fault.Shorted):
		s.resist(signal, ground, shortR)
	default:
		s.resist(signal, ground, spec.Curve.Ohms(celsius))
	}
}

func (s *sheet) writeConnector(p *harness.Part, spec *harness.Connector) {
	if s.apart[p.Name] {
		return
	}
	for way := 1; way <= spec.Ways; way++ {
		n := strconv.Itoa(way)
		a, b := harness.Pin{Part: p.Name, Name: "a" + n}, harness.Pin{Part: p.Name, Name: "b" + n}
		ohms := or(spec.Ohms, closedR)
		if s.item(p, fault.WayResists, n) {
			ohms += s.joint(a)
		}
		if !s.item(p, fault.WayOpen, n) {
			s.resist(s.cavity(a), s.cavity(b), ohms)
		}
	}
}

// junction is a diode by the format's law, the simulator's own model.
func (s *sheet) junction(a, k string) {
	if a == k {
		return
	}
	id := s.id()
	s.line("D%s %s %s j%s", id, a, k, id)
	s.line(".model j%s D(IS=1e-9 N=1.6)", id)
}

// filament is a lamp by the format's law: amps rise as volts to the power 0.55, cold a twelfth of its hot ohms.
func (s *sheet) filament(a, b string, volts, watts float64) {
	if a == b {
		return
	}
	cold := volts * volts / watts / 12
	meets := math.Pow(watts/volts*cold/math.Pow(volts, 0.55), 1/0.45) // the volts at which both laws give the same
	v := fmt.Sprintf("(V(%s)-V(%s))", a, b)
	s.line("B%s %s %s I=%s*%.12g*pow(max(abs(%s),%.12g),-0.45)", s.id(), a, b, v, watts/volts/math.Pow(volts, 0.55), v, meets)
}
