package rewire

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/harness"
)

// A cavity takes two wires at the most, and a switch in the dash is a long way from the box: where more wires would meet in a cavity, or
// more than one would go all the way to the dash, one wire goes to a splice in the box and the others begin there.

// mostInCavity is how many wires are crimped into one terminal (common practice).
const mostInCavity = 2

// atDash tells whether a part sits where the driver sits.
func atDash(name string) bool {
	return name == "SW" || name == "KILL" || len(name) > 1 && name[0] == 'S' && strings.Trim(name[1:], "0123456789") == ""
}

// splice draws them.
func (d *drawing) splice() {
	var pins []string
	ends := map[string][]int{}
	for k, w := range d.wires {
		for _, pin := range []string{w.from, w.to} {
			if ends[pin] = append(ends[pin], k); !slices.Contains(pins, pin) {
				pins = append(pins, pin)
			}
		}
	}
	n := 0
	for _, pin := range pins {
		part, _, _ := strings.Cut(pin, ".")
		remote := atDash(part)
		list := slices.DeleteFunc(slices.Clone(ends[pin]), func(k int) bool { // what goes along its own long way stays
			return d.wires[k].way != "in the box" && remote
		})
		switch {
		case part == "BAT" || strings.HasPrefix(part, "G") || foreignPart(part) || len(list) == 0:
			continue // a post and a joint of the body take rings; the vehicle's own is as it is
		case remote && len(list) == 1:
			d.wires[list[0]].way = "box to controller"
			continue
		case !remote && len(ends[pin]) <= mostInCavity, remote && len(list) < 2:
			continue
		}
		n++
		name := fmt.Sprintf("SP%d", n)
		d.part(name, "kind: splice, at: new box")
		way, colour := "in the box", d.wires[list[0]].colour
		if remote {
			way = "box to controller"
		}
		for _, k := range list {
			if d.wires[k].from == pin {
				d.wires[k].from = name
			} else {
				d.wires[k].to = name
			}
		}
		d.wire(pin, name, colour, way)
	}
}

// spliced follows a wire through splices to the pins that it joins, the wire's own ends among them.
func spliced(c *harness.Circuit, w *harness.Wire) []harness.Pin {
	pins := []harness.Pin{w.From, w.To}
	for i := 0; i < len(pins); i++ {
		if c.Part(pins[i].Part).Kind() != harness.KindSplice {
			continue
		}
		for _, other := range c.Wires {
			if other.From == pins[i] && !slices.Contains(pins, other.To) {
				pins = append(pins, other.To)
			}
			if other.To == pins[i] && !slices.Contains(pins, other.From) {
				pins = append(pins, other.From)
			}
		}
	}
	return pins
}
