// Package outside judges the wiring: it writes a circuit's netlist straight from the harness file, part by
// part and wire by wire, by the words of the file format alone, and lets ngspice (Debian package ngspice)
// solve it. It shares nothing with package electric but the reader of the file: whoever wires a part wrongly
// there is found out here. It is test code only.
package outside

import (
	"fmt"
	"strings"
	"testing"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// The format's own figures, written down once more from its table of defaults (volts and coil ohms for 12 V).
const (
	batteryR  = 0.012
	jointR    = 0.002
	fuseV     = 0.09
	coilR     = 85.0
	pullInV   = 7.5
	dropOutV  = 2.0
	contactR  = 0.003
	driverR   = 0.25
	railR     = 0.005
	outputR   = 0.010
	closedR   = 0.002
	armR      = 0.001
	leadR     = 0.010 + fuseV/15
	shortR    = 0.010
	shortedR  = 2.0
	inputR    = 1000.0
	innardsR  = 2000.0
	loadJoint = 0.5
	coilJoint = 50.0
	loadAmps  = 1.0
	flatV     = 10.5
	solidR    = 0.008 // on
	solidLeak = 0.001 // amps, off
	solidOn   = 3.5   // volts at its control, and
	solidOff  = 1.0

	solidControl = 1500.0
	frictionOf   = 0.15
	usualLeak    = 1e11 // nothing floats for the simulator; 0.1 nA at 12 V
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
	case *harness.Breaker:
		s.between(p, or(spec.Ohms, fuseV/spec.Amps), !s.guess.blown[p.Name])
	case *harness.SolidState:
		in, out := s.terminal(p, "in"), s.terminal(p, "out")
		s.resist(s.terminal(p, "c+"), s.terminal(p, "c-"), solidControl)
		if s.has(p, fault.Dead) {
			break
		}
		s.resist(in, out, s.c.Nominal()/or(spec.Leak, solidLeak))
		if s.guess.alive[p.Name] || s.has(p, fault.AlwaysOn) {
			ohms := or(spec.Ohms, solidR)
			if s.has(p, fault.Resists) {
				ohms += s.joint(harness.Pin{Part: p.Name, Name: "in"})
			}
			s.resist(in, out, ohms)
		}
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
