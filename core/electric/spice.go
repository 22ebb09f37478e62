package electric

import (
	"fmt"
	"io"
	"math"
	"strings"

	"ironthread/core/harness"
)

// SPICE writes the network as it stands (contacts, blown fuses and drivers where the last
// Enter left them) as a netlist with an .op analysis. Nodes are named after pins ("K1_87"),
// the current of wire i of the circuit flows through the source VWi, a motor's speed in
// rad/s is the voltage of node W_<motor>. prefix keeps several netlists apart in one deck;
// the caller writes title and ".end".
func (n *Network) SPICE(w io.Writer, prefix string) error {
	s := &spiceWriter{n: n, w: w, prefix: prefix, names: n.spiceNames(prefix)}
	wireOf := map[int]int{}
	for i, b := range n.wires {
		wireOf[b] = i
	}
	for i := range n.branches {
		b := &n.branches[i]
		if !n.conducts(b) {
			continue
		}
		from, to := s.name(b.a), s.name(b.b)
		if from == to {
			continue
		}
		if wire, ok := wireOf[i]; ok {
			s.line("V%sW%d %s %sx%d 0", prefix, wire, from, prefix, i)
			from = fmt.Sprintf("%sx%d", prefix, i)
		}
		if battery := n.batteryOf(i); battery != nil {
			s.line("V%sE%d %sx%d %s DC %.12g", prefix, i, prefix, i, to, n.emf(battery))
			to = fmt.Sprintf("%sx%d", prefix, i)
		}
		s.line("R%s%d %s %s %.12g", prefix, i, from, to, 1/n.siemens[i])
	}
	for i := range n.motors {
		s.motor(&n.motors[i])
	}
	for i := range n.curves {
		s.curve(i, &n.curves[i])
	}
	for i := range n.drives {
		s.drive(i, &n.drives[i])
	}
	for i := range n.nodeCount {
		s.line("R%sleak%d %s 0 %.12g", prefix, i, s.names[i], 1/leakSiemens)
	}
	return s.err
}

// SPICEOptions make the simulator as exact as this package.
const SPICEOptions = ".options reltol=1e-7 abstol=1e-9 vntol=1e-9 gmin=1e-15 itl1=2000"

// Netlist writes one operating point as a netlist that runs unchanged: title, circuit, .op and
// the printing of every node.
func (m *Model) Netlist(w io.Writer, cond Condition) error {
	n, err := m.enter(cond, nil)
	if err != nil {
		return err
	}
	if _, err := fmt.Fprintf(w, "* %s, %s\n", strings.ReplaceAll(m.Circuit.Title, "\n", " "), cond.State.Name); err != nil {
		return err
	}
	if err := n.SPICE(w, ""); err != nil {
		return err
	}
	_, err = fmt.Fprintf(w, "%s\n.control\nset numdgt=13\nset width=512\nop\nprint all\n.endc\n.end\n", SPICEOptions)
	return err
}

type spiceWriter struct {
	n      *Network
	w      io.Writer
	prefix string
	names  []string
	err    error
}

func (s *spiceWriter) line(format string, args ...any) {
	if s.err == nil {
		_, s.err = fmt.Fprintf(s.w, format+"\n", args...)
	}
}

func (s *spiceWriter) name(x node) string {
	if x == post {
		return "0"
	}
	return s.names[x]
}

// motor writes the machine's equations as they are written in this package's doc, not as
// they are solved here: the shaft is a node whose voltage is ω, into which the windings'
// torque flows and out of which friction and air take it. A motor that stands is held by a
// brake: the torque that flows into it must not exceed its friction.
func (s *spiceWriter) motor(m *motor) {
	shaft := s.prefix + "W_" + m.part.Name
	for j, w := range m.tuned.windings {
		from, to := s.name(m.from[j]), s.name(m.to[j])
		id := fmt.Sprintf("%sM%s%d", s.prefix, m.part.Name, j)
		s.line("B%s %sin 0 V=%.12g*V(%s)", id, id, w.k, shaft)
		s.line("E%s %sx %s %sin 0 1", id, id, to, id)
		s.line("V%s %s %sy 0", id, from, id)
		s.line("R%s %sy %sx %.12g", id, id, id, w.ohms)
		s.line("F%s 0 %s V%s %.12g", id, shaft, id, w.k)
	}
	if m.omega == 0 {
		s.line("R%sbrake %s 0 1e-9", shaft, shaft)
		return
	}
	s.line("B%sload %s 0 I=%.12g+%.12g*V(%s)*abs(V(%s))",
		shaft, shaft, math.Copysign(m.tuned.friction, m.omega), m.tuned.air, shaft, shaft)
	s.line(".nodeset V(%s)=%.4g", shaft, m.omega)
}

// curve writes a diode as the simulator's own, a filament by its law.
func (s *spiceWriter) curve(i int, c *curve) {
	a, b := s.name(c.a), s.name(c.b)
	if a == b {
		return
	}
	if !c.filament {
		for _, x := range [2]node{c.a, c.b} { // where to begin; there is one solution
			if x != post {
				s.line(".nodeset V(%s)=%.4g", s.name(x), s.n.at(x))
			}
		}
		s.line("D%s%d %s %s %sjunction%d", s.prefix, i, a, b, s.prefix, i)
		s.line(".model %sjunction%d D(IS=%g N=%g)", s.prefix, i, diodeSaturation, diodeIdeality)
		return
	}
	v := fmt.Sprintf("(V(%s)-V(%s))", a, b)
	s.line("B%sF%d %s %s I=sgn%s*min(abs%s/%.12g, %.12g*pow(abs%s/%.12g+1e-12, %g))", s.prefix, i, a, b, v, v, c.cold, c.amps, v,
		c.volts, filamentPower)
}

// drive writes an average-value transformer by its two laws: the output has its share of the
// input volts behind a resistance, the input its share of the output current.
func (s *spiceWriter) drive(i int, d *drive) {
	if d.share == 0 {
		return
	}
	id := fmt.Sprintf("%sT%d", s.prefix, i)
	f, o, g := s.name(d.feed), s.name(d.out), s.name(d.ground)
	if d.low {
		s.line("E%s %s %sx %s %s %.12g", id, f, id, f, g, d.share)
		s.line("V%s %s %sy 0", id, o, id)
		s.line("R%s %sy %sx %.12g", id, id, id, 1/d.siemens)
	} else {
		s.line("E%s %sx %s %s %s %.12g", id, id, g, f, g, d.share)
		s.line("V%s %sx %sy 0", id, id, id)
		s.line("R%s %sy %s %.12g", id, id, o, 1/d.siemens)
	}
	s.line("F%s %s %s V%s %.12g", id, f, g, id, d.share)
}

func (n *Network) batteryOf(branch int) *battery {
	for i := range n.batteries {
		if n.batteries[i].branch == branch {
			return &n.batteries[i]
		}
	}
	return nil
}

// spiceNames names every node: after its pin where it has one.
func (n *Network) spiceNames(prefix string) []string {
	names := make([]string, n.nodeCount)
	for i := range names {
		names[i] = fmt.Sprintf("%sn%d", prefix, i)
	}
	for i, pin := range n.model.pins {
		if x := n.model.cavityAt[i]; x != post {
			names[x] = prefix + SPICEName(pin)
		}
	}
	for pin, x := range n.inner {
		if x != post && n.model.cavity[pin.Cavity()] != x {
			names[x] = prefix + SPICEName(pin)
		}
	}
	return names
}

// SPICEName spells a pin as a node of a netlist.
func SPICEName(pin harness.Pin) string {
	r := strings.NewReplacer(".", "_", "+", "p", "-", "m", "'", "_in", "/", "_")
	return r.Replace(pin.String())
}
