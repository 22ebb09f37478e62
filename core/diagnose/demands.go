package diagnose

import (
	"slices"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// demand is a pin whose volts the proof needs, and why.
type demand struct {
	pin    harness.Pin
	reason string
	pulled bool // may be read in the empty socket
}

// demandsOf lists what must have been read before a fault is called proven: for a relay coil
// feed, coil ground and contact feed; for a motor feed and ground under load; for a wire, a
// fuse or a switch both ends; for a controller's output its powers, its grounds and the pin.
func demandsOf(c *harness.Circuit, f fault.Fault) []demand {
	pin := func(part, name string) harness.Pin { return harness.Pin{Part: part, Name: name} }
	switch f.On {
	case fault.OnWire, fault.OnWires:
		list := []demand{{pin: f.Wire[0], reason: "one end of the wire"}, {pin: f.Wire[1], reason: "its other end"}}
		if f.On == fault.OnWires {
			list = append(list, demand{pin: f.Other[0], reason: "one end of the other wire"}, demand{pin: f.Other[1], reason: "its other end"})
		}
		return list
	case fault.OnPin, fault.OnRole:
		part := c.Part(f.Pin.Part)
		return append(partDemands(c, part), throughTerminal(part, f.Pin)...)
	}
	part := c.Part(f.Part)
	if part == nil {
		return nil
	}
	list := partDemands(c, part)
	list = append(list, outputs(part)...)
	if relay, ok := part.Spec.(*harness.Relay); ok {
		makeSide := slices.Contains([]string{fault.MakeOpen, fault.MakeBurnt, fault.MakeWelded}, f.Words)
		restSide := slices.Contains([]string{fault.RestOpen, fault.RestBurnt}, f.Words)
		if relay.HasMake() && !restSide {
			list = append(list, demand{pin: pin(part.Name, "87"), reason: "behind the make contact"})
		}
		if relay.HasRest() && !makeSide {
			list = append(list, demand{pin: pin(part.Name, "87a"), reason: "behind the rest contact"})
		}
	}
	return list
}

// outputs are what must have been read of a controller before it is condemned.
func outputs(part *harness.Part) []demand {
	spec, ok := part.Spec.(*harness.Controller)
	if !ok {
		return nil
	}
	var list []demand
	for _, role := range spec.PinRoles {
		if role.Command() != "" {
			list = append(list, demand{pin: harness.Pin{Part: part.Name, Name: role.Name}, reason: "the output itself"})
		}
	}
	return list
}

// throughTerminal is what a bad terminal takes along: one that feeds or grounds a controller all
// its outputs, any other itself.
func throughTerminal(part *harness.Part, at harness.Pin) []demand {
	if spec, ok := part.Spec.(*harness.Controller); ok && slices.ContainsFunc(spec.PinRoles, func(r *harness.PinRole) bool {
		return r.Name == at.Name && (r.Power || r.Ground)
	}) {
		return outputs(part)
	}
	if part.Kind() == harness.KindRelay {
		return nil // its coil and contact feeds are asked for already
	}
	return []demand{{pin: at, reason: "the pin itself"}}
}

func partDemands(c *harness.Circuit, part *harness.Part) []demand {
	pin := func(name string) harness.Pin { return harness.Pin{Part: part.Name, Name: name} }
	switch spec := part.Spec.(type) {
	case *harness.Relay:
		return []demand{
			{pin: pin("86"), reason: "coil feed", pulled: true}, {pin: pin("85"), reason: "coil ground"},
			{pin: pin("30"), reason: "contact feed", pulled: true},
		}
	case *harness.Motor:
		if len(spec.Windings) == 0 {
			return []demand{{pin: pin("+"), reason: "feed under load"}, {pin: pin("-"), reason: "ground under load"}}
		}
		var list []demand
		for _, w := range spec.Windings {
			list = append(list, demand{pin: pin(w.Plus), reason: "feed of its " + w.Name + " winding under load"},
				demand{pin: pin(w.Minus), reason: "ground under load"})
		}
		return list
	case *harness.Ground:
		return []demand{{pin: pin(""), reason: "the joint under load"}}
	case *harness.Controller:
		var list []demand
		for _, role := range spec.PinRoles {
			switch {
			case role.Power:
				list = append(list, demand{pin: pin(role.Name), reason: "the controller's power under load"})
			case role.Ground:
				list = append(list, demand{pin: pin(role.Name), reason: "the controller's ground under load"})
			}
		}
		return list
	case *harness.Battery:
		return []demand{{pin: pin("+"), reason: "the battery under load"}}
	}
	var list []demand
	for _, p := range part.Pins() {
		if wired(c, p) {
			list = append(list, demand{pin: p, reason: "volts on this side, under load"})
		}
	}
	return list
}

func wired(c *harness.Circuit, pin harness.Pin) bool {
	return slices.ContainsFunc(c.Wires, func(w *harness.Wire) bool { return w.From == pin || w.To == pin })
}
