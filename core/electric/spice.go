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
	for i := range n.nodeCount {
		s.line("R%sleak%d %s 0 %.12g", prefix, i, s.names[i], 1/leakSiemens)
	}
	return s.err
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
	for pin, x := range n.nodes {
		if x != post && (!pin.Inner || n.nodes[pin.Cavity()] != x) {
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
