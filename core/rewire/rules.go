package rewire

import "ironthread/core/harness"

// rules are the pieces of common practice that go with a harness.
func rules(c *harness.Circuit) []Rule {
	list := []Rule{
		{"Joints", "Crimp with the tool that belongs to the terminal, or solder and support the wire; no joint is twisted and left. Under " +
			"the bonnet every " +
			"joint is covered with adhesive-lined heat-shrink."},
		{"Way of the wires", "Away from the exhaust and moving parts, through a grommet at every sheet of metal, tied every 20 cm, sleeved " +
			"where they " +
			"could chafe, with slack between body and engine."},
		{"Mounting", "Sockets with their openings down, above the spray, not on parts that get replaced (radiator, condenser, fan shroud). " +
			"Look behind " +
			"before drilling; screws keep clear of the core's tubes. Check that the fans turn freely and blow the same way as before."},
		{"The key's feed", "Take it from a circuit that is dead with the key off and stays alive while cranking; look what else hangs on " +
			"its fuse, and " +
			"measure it again with the relays pulled in."},
		{"Caution", "Fans start without warning: unplug them or pull their fuse before hands go near. Battery negative off for splicing. " +
			"Never a larger " +
			"fuse, not even for a test. Hot coolant and pressure: never open a hot system."},
	}
	if len(c.OfKind(harness.KindThermoswitch)) > 0 {
		list = append(list, Rule{"Sensor's place", "A thermal switch is set for one place: in the radiator's outlet it sees cooler water " +
			"than in the engine's " +
			"outlet. Where it is moved, watch a warm-up with a second thermometer and choose its temperature anew."})
	}
	if len(c.OfKind(harness.KindResistor)) > 0 {
		list = append(list, Rule{"Resistor", "Bolt it into the fan's air first, then test: outside its air it overheats within seconds. " +
			"Nothing that melts within a " +
			"hand's breadth."})
	}
	if len(c.OfKind(harness.KindPWMModule)) > 0 {
		list = append(list, Rule{"Module", "Its plug's wires must be as thick as the wire list says: replacement plugs often come with " +
			"thinner ones. Its body " +
			"needs air, and its minus goes to the body by itself, not through another part's ground."})
	}
	return list
}
