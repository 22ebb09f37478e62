package electric

import (
	"fmt"

	"ironthread/core/harness"
)

// Link is one conducting element of a network as it stands, between two nodes.
type Link struct {
	A, B int // nodes; Post is the battery's negative post
	Ohms float64
	Amps float64 // from A to B
	Name string  // "wire K1.87 - M1.+", "F3", "K1's make contact"
	Gate bool    // something that opens and closes
	Fuse bool
	Load bool // a motor's winding, a lamp, a coil: what the current is for
}

// Post is the node of the battery's negative post.
const Post = int(post)

// Links lists everything that conducts now.
func (n *Network) Links() []Link {
	wireOf := map[int]*harness.Wire{}
	for i, w := range n.model.Circuit.Wires {
		wireOf[n.wires[i]] = w
	}
	coil := map[int]bool{}
	for i := range n.relays {
		coil[n.relays[i].coil] = true
	}
	var links []Link
	for i := range n.branches {
		b := &n.branches[i]
		if !n.conducts(b) || n.batteryOf(i) != nil {
			continue
		}
		l := Link{A: int(b.a), B: int(b.b), Ohms: 1 / n.siemens[i], Amps: n.current(i), Load: coil[i], Fuse: b.gate == whole}
		l.Name, l.Gate = n.linkName(b, wireOf[i])
		if coil[i] {
			l.Name += "'s coil"
		}
		links = append(links, l)
	}
	for i := range n.motors {
		m := &n.motors[i]
		for j, w := range m.tuned.windings {
			links = append(links, Link{A: int(m.from[j]), B: int(m.to[j]), Ohms: w.ohms, Amps: m.amps[j], Name: m.part.Name, Load: true})
		}
	}
	for i := range n.curves {
		c := &n.curves[i]
		name, load := "the instrument", true
		if c.part >= 0 {
			p := n.model.Circuit.Parts[c.part]
			name, load = p.Name, p.Kind() == harness.KindLamp
		}
		if amps := c.through(); amps > 1e-6 || c.filament {
			links = append(links, Link{A: int(c.a), B: int(c.b), Ohms: 1, Amps: amps, Name: name, Load: load})
		}
	}
	for i := range n.drives {
		if d := &n.drives[i]; d.share > 0 {
			w := d.weights()
			u := d.siemens * (w[0]*n.at(d.feed) + w[1]*n.at(d.out) + w[2]*n.at(d.ground))
			links = append(links, Link{A: int(d.feed), B: int(d.out), Ohms: 1 / d.siemens, Amps: u, Name: "the module's output", Gate: true})
		}
	}
	return links
}

func (n *Network) linkName(b *branch, w *harness.Wire) (name string, gate bool) {
	if w != nil {
		return "wire " + w.String(), false
	}
	part := "a lead"
	if b.part >= 0 {
		part = n.model.Circuit.Parts[b.part].Name
	}
	switch b.gate {
	case makeContact:
		return part + "'s make contact", true
	case restContact:
		return part + "'s rest contact", true
	case closedSwitch, solidly:
		return part, true
	case driving:
		return n.drivers[b.index].pin.String() + "'s driver", true
	case whole:
		return n.fuses[b.index].name, false
	}
	return part, false
}

// NodeOf gives a cavity's node.
func (n *Network) NodeOf(pin harness.Pin) int { return int(n.model.cavity[pin]) }

// PinsAt names the cavities, by node.
func (n *Network) PinsAt() map[int][]harness.Pin {
	at := map[int][]harness.Pin{}
	for _, pin := range n.model.pins {
		x := int(n.model.cavity[pin])
		at[x] = append(at[x], pin)
	}
	return at
}

// VoltsAt is a node's volts.
func (n *Network) VoltsAt(x int) float64 { return n.at(node(x)) }

// Enter builds the network for a condition and brings it into the condition's state.
func (m *Model) Enter(cond Condition) (*Network, error) {
	n, err := m.enter(cond, nil)
	if err != nil {
		return nil, fmt.Errorf("electric: %w", err)
	}
	return n, nil
}

// FeedNode is the node of the first battery's positive post.
func (n *Network) FeedNode() int { return int(n.batteryPlus()) }
