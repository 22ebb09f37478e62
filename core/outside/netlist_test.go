// Package outside judges the wiring: it writes a circuit's netlist straight from the harness file, part by
// part and wire by wire, by the words of the file format alone, and lets ngspice (Debian package ngspice)
// solve it. It shares nothing with package electric but the reader of the file: whoever wires a part wrongly
// there is found out here. It is test code only.
package outside

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// The format's own figures, written down once more from its table of defaults (volts and coil ohms for 12 V).
const (
	batteryR   = 0.012
	jointR     = 0.002
	fuseV      = 0.09
	coilR      = 85.0
	pullInV    = 7.5
	dropOutV   = 2.0
	contactR   = 0.003
	driverR    = 0.25
	railR      = 0.005
	outputR    = 0.010
	closedR    = 0.002
	armR       = 0.001
	leadR      = 0.010 + fuseV/15
	shortR     = 0.010
	shortedR   = 2.0
	inputR     = 1000.0
	innardsR   = 2000.0
	loadJoint  = 0.5
	coilJoint  = 50.0
	loadAmps   = 1.0
	flatV      = 10.5
	frictionOf = 0.10
	usualLeak  = 1e11 // nothing floats for the simulator; 0.1 nA at 12 V
)

// guess is what a circuit's switching parts are taken to do. The judge's own figures must bear it out.
type guess struct {
	pulledIn map[string]bool    // relays
	blown    map[string]bool    // fuses, "K1 fuse" for one built in
	alive    map[string]bool    // controllers and modules
	shares   map[string]float64 // of each module's outputs, by "PART.pin"
	turns    map[string]float64 // of motors: the sign of the speed, 0 standing
	pushed   map[string]bool    // outputs that are held above what they would give
	near     map[string]float64 // where to look for their speed first, rad/s; a hint to the simulator, no more
	commands []string
}

// sheet is one operating point being written.
type sheet struct {
	t       testing.TB
	c       *harness.Circuit
	fault   fault.Fault
	apart   map[string]bool    // parts separated from their cavities
	leads   [][2]string        // fused leads, between nodes
	plug    map[string]float64 // ohms on a sensor's plug
	state   *harness.State
	load    map[harness.Pin]bool // pins through which a fan's current goes
	guess   *guess
	closed  map[string]bool // pulsed drivers whose line is closed in this phase
	prefix  string
	leak    float64 // ohms from every node to ground, for the simulator alone
	text    *strings.Builder
	count   int
	written map[string]bool // terminals of their own
}

func (s *sheet) line(format string, args ...any) { fmt.Fprintf(s.text, format+"\n", args...) }

// id is a name that no other element has.
func (s *sheet) id() string {
	s.count++
	return fmt.Sprintf("%s%d", s.prefix, s.count)
}

var spelled = strings.NewReplacer(".", "_", "+", "p", "-", "m", "/", "_", " ", "_")

// cavity is the node of a pin on the harness side; the battery's negative post is the zero.
func (s *sheet) cavity(p harness.Pin) string {
	if p.Part == s.battery().Name && p.Name == "-" {
		return "0"
	}
	return s.prefix + "c_" + spelled.Replace(p.Part+"."+p.Name)
}

func (s *sheet) battery() *harness.Part { return s.c.OfKind(harness.KindBattery)[0] }

// terminal is the node of a pin on the part's side.
func (s *sheet) terminal(p *harness.Part, name string) string {
	pin := harness.Pin{Part: p.Name, Name: name}
	bad := s.fault.On == fault.OnPin && s.fault.Pin == pin
	if !s.apart[p.Name] && !bad {
		return s.cavity(pin)
	}
	own := s.prefix + "t_" + spelled.Replace(p.Name+"."+name)
	if !s.written[own] {
		s.written[own] = true
		s.line("R%sleak %s 0 %g", own, own, s.leak)
		if !s.apart[p.Name] && s.fault.Words == fault.Resists {
			s.resist(s.cavity(pin), own, s.joint(pin))
		}
	}
	return own
}

// fresh is a node of a part's inside.
func (s *sheet) fresh() string {
	n := s.id() + "n"
	s.line("R%sleak %s 0 %g", n, n, s.leak)
	return n
}

func (s *sheet) resist(a, b string, ohms float64) {
	if a != b {
		s.line("R%s %s %s %.12g", s.id(), a, b, ohms)
	}
}

// joint is the ohms of a bad joint: the fault's own, or by the kind of circuit it is in.
func (s *sheet) joint(at harness.Pin) float64 {
	switch {
	case s.fault.Figure > 0:
		return s.fault.Figure
	case s.load[at]:
		return loadJoint
	}
	return coilJoint
}

// has tells whether the part has this fault.
func (s *sheet) has(p *harness.Part, words string) bool {
	return s.fault.On == fault.OnPart && s.fault.Part == p.Name && s.fault.Words == words
}

// item tells whether the part has this fault of one of its ways, steps, stages or windings.
func (s *sheet) item(p *harness.Part, words, item string) bool {
	return s.has(p, words) && s.fault.Item == item
}

func or(given, otherwise float64) float64 {
	if given > 0 {
		return given
	}
	return otherwise
}

func (s *sheet) scale() float64 {
	if s.supply(false) > 18 {
		return 2
	}
	return 1
}

// supply is the battery's open-circuit volts as the file gives them.
func (s *sheet) supply(running bool) float64 { return s.c.SupplyVolts(running) }

// write writes the whole circuit.
func (s *sheet) write() {
	for _, p := range s.c.Parts {
		for _, pin := range p.Pins() {
			if n := s.cavity(pin); n != "0" {
				s.line("R%sleak %s 0 %g", n, n, s.leak)
			}
		}
	}
	for i, w := range s.c.Wires {
		s.wire(i, w)
	}
	for _, p := range s.c.Parts {
		s.part(p)
	}
	for _, l := range s.leads {
		s.resist(l[0], l[1], leadR)
	}
	for name, ohms := range s.plug {
		s.resist(s.cavity(harness.Pin{Part: name, Name: "s"}), s.cavity(harness.Pin{Part: name, Name: "r"}), ohms)
	}
}

// wireNode is where a wire ends: at a splice on an arm of its own, and where two are crossed at the other's.
func (s *sheet) wireNode(w *harness.Wire, end int) string {
	pin := [2]harness.Pin{w.From, w.To}[end]
	if s.fault.On == fault.OnWires {
		drawn := [2]harness.Pin{w.From, w.To}
		if drawn == s.fault.Wire {
			pin = s.fault.Joined()[0][end]
		}
		if drawn == s.fault.Other {
			pin = s.fault.Joined()[1][end]
		}
	}
	part := s.c.Part(pin.Part)
	if part.Kind() != harness.KindSplice {
		return s.cavity(pin)
	}
	arm := s.fresh()
	switch {
	case s.has(part, fault.Open):
	case s.has(part, fault.Resists):
		s.resist(arm, s.cavity(pin), armR+s.joint(pin))
	default:
		s.resist(arm, s.cavity(pin), armR)
	}
	return arm
}

// wire writes a wire with a source of nothing in it, through which its current is read.
func (s *sheet) wire(i int, w *harness.Wire) {
	from, to := s.wireNode(w, 0), s.wireNode(w, 1)
	ohms := 0.005 // neither size nor length
	if w.Size.Given() && w.Length.Figure > 0 {
		ohms = 0.017241 * w.Length.Metres() / w.Size.SquareMM()
	}
	if w.Parallel > 1 {
		ohms /= float64(w.Parallel)
	}
	mine := s.fault.On == fault.OnWire && s.fault.Wire == [2]harness.Pin{w.From, w.To}
	if mine && s.fault.Words == fault.Open {
		return
	}
	inside := s.fresh()
	s.line("V%sW%d %s %s 0", s.prefix, i, from, inside)
	switch {
	case mine && s.fault.Words == fault.Resists:
		s.resist(inside, to, ohms+s.joint(w.From))
	case mine: // chafed half-way
		middle := s.fresh()
		s.resist(inside, middle, ohms/2)
		s.resist(middle, to, ohms/2)
		at := "0"
		if s.fault.Words == fault.ToBattery {
			at = s.cavity(harness.Pin{Part: s.battery().Name, Name: "+"})
		}
		s.resist(middle, at, shortR)
	default:
		s.resist(inside, to, ohms)
	}
}

// between writes a part of two ends that may be open or resist.
func (s *sheet) between(p *harness.Part, ohms float64, conducts bool) {
	a, b := s.terminal(p, "a"), s.terminal(p, "b")
	if s.has(p, fault.Resists) {
		ohms += s.joint(harness.Pin{Part: p.Name, Name: "a"})
	}
	if conducts && !s.has(p, fault.Open) {
		s.resist(a, b, ohms)
	}
}

func (s *sheet) part(p *harness.Part) {
	switch spec := p.Spec.(type) {
	case *harness.Battery:
		s.writeBattery(p, spec)
	case *harness.Ground:
		ohms := jointR
		if s.has(p, fault.Resists) {
			ohms += s.joint(harness.Pin{Part: p.Name})
		}
		if !s.has(p, fault.Open) && !s.apart[p.Name] {
			s.resist(s.cavity(harness.Pin{Part: p.Name}), "0", ohms)
		}
	case *harness.Splice:
	case *harness.Fuse:
		amps := spec.Amps
		if s.has(p, fault.Wrong) {
			amps = or(s.fault.Figure, amps/2)
		}
		s.between(p, or(spec.Ohms, fuseV/amps), !s.guess.blown[p.Name])
	case *harness.Relay:
		s.writeRelay(p, spec)
	case *harness.Motor:
		s.writeMotor(p, spec)
	case *harness.Resistor:
		s.between(p, spec.Ohms, true)
	case *harness.Limiter:
		s.between(p, closedR, true)
	case *harness.Switch:
		s.between(p, or(spec.Ohms, closedR), s.state.Closes(p) || s.has(p, fault.StuckClosed))
	case *harness.ResistorCard:
		s.writeCard(p, spec)
	case *harness.Selector:
		s.writeSelector(p, spec)
	case *harness.Switch2:
		for _, side := range []string{"a", "b"} {
			closed := s.state.Position(p.Name) == side || s.item(p, fault.SideStuck, side)
			if closed && !s.item(p, fault.SideOpen, side) {
				s.resist(s.terminal(p, "c"), s.terminal(p, side), closedR)
			}
		}
	case *harness.StagedSwitch:
		for _, stage := range spec.Stages {
			figure, known := spec.Figure(s.state)
			closed := known && stage.Closed(figure, false) || s.item(p, fault.StageStuck, stage.Pin)
			if closed && !s.item(p, fault.StageOpen, stage.Pin) {
				s.resist(s.terminal(p, "c"), s.terminal(p, stage.Pin), closedR)
			}
		}
	case *harness.Sensor:
		s.writeSensor(p, spec)
	case *harness.Controller:
		s.writeController(p, spec)
	case *harness.FanModule:
		s.writeFanModule(p, spec)
	case *harness.PWMModule:
		s.writePWMModule(p, spec)
	case *harness.SpeedController:
		s.writeSpeedController(p, spec)
	case *harness.Connector:
		s.writeConnector(p, spec)
	case *harness.Diode:
		a, k := s.terminal(p, "a"), s.terminal(p, "k")
		switch {
		case s.has(p, fault.Open):
		case s.has(p, fault.Shorted):
			s.resist(a, k, shortR)
		default:
			s.junction(a, k)
		}
	case *harness.Lamp:
		if !s.has(p, fault.Open) {
			s.filament(s.terminal(p, "a"), s.terminal(p, "b"), spec.Volts, spec.Watts)
		}
	default:
		s.t.Fatalf("the judge does not know a %s", p.Kind())
	}
}

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
