package fault

import (
	"ironthread/core/harness"
)

// Words of faults, spelled once.
const (
	Open         = "open"
	Resists      = "resists"
	Grounded     = "grounded"
	ToBattery    = "to battery"
	Crossed      = "crossed"
	Flat         = "flat"
	PostResists  = "post resists"
	Wrong        = "wrong"
	CoilOpen     = "coil open"
	CoilShorted  = "coil shorted"
	MakeOpen     = "make contact open"
	MakeBurnt    = "make contact burnt"
	MakeWelded   = "make contact welded"
	RestOpen     = "rest contact open"
	RestBurnt    = "rest contact burnt"
	SticksAtRest = "sticks at rest"
	SticksIn     = "sticks pulled in"
	Seized       = "seized"
	Worn         = "worn"
	ShortedTurns = "shorted turns"
	Reversed     = "reversed"
	Brushes      = "brushes intermittent"
	StuckClosed  = "stuck closed"
	Dead         = "dead"
	AlwaysOn     = "always on"
	WayOpen      = "way N open"
	WayResists   = "way N resists"
)

// Entry is one fault a kind can have. Weight is how often it is met, relative to a blown
// fuse at 10. Figure names the unit of the figure that may follow, empty for none.
type Entry struct {
	Words  string
	Weight float64
	Figure string
}

// The weights are common practice (no published source): what wears, burns or corrodes is
// met often; what merely could happen, seldom. A workshop's own closed jobs correct them.
var (
	partFaults = map[harness.Kind][]Entry{
		harness.KindBattery: {{Flat, 0.5, "volts"}, {PostResists, 1.5, "ohms"}},
		harness.KindGround:  {{Open, 3, ""}, {Resists, 4, "ohms"}},
		harness.KindSplice:  {{Open, 2, ""}, {Resists, 2, "ohms"}},
		harness.KindFuse:    {{Open, 10, ""}, {Resists, 1, "ohms"}, {Wrong, 0.3, "amps"}},
		harness.KindRelay: {
			{CoilOpen, 2, ""}, {CoilShorted, 0.3, ""},
			{MakeOpen, 2, ""}, {MakeBurnt, 5, "ohms"}, {MakeWelded, 1.5, ""},
			{RestOpen, 1.5, ""}, {RestBurnt, 3, "ohms"},
			{SticksAtRest, 2, ""}, {SticksIn, 1, ""},
		},
		harness.KindMotor: {
			{Open, 6, ""}, {Seized, 3, ""}, {Worn, 3, "times the friction"}, {ShortedTurns, 0.6, "of the turns"},
			{Reversed, 0.2, ""}, {Brushes, 2, ""},
		},
		harness.KindResistor:   {{Open, 6, ""}, {Resists, 1, "ohms"}},
		harness.KindSwitch:     {{Open, 0.7, ""}, {StuckClosed, 0.3, ""}, {Resists, 0.7, "ohms"}},
		harness.KindController: {{Dead, 0.5, ""}},
		harness.KindConnector:  {{WayOpen, 2, ""}, {WayResists, 3, "ohms"}},
	}
	roleFaults    = []Entry{{Dead, 1, ""}, {AlwaysOn, 0.4, ""}}
	pinFaults     = []Entry{{Open, 0.8, ""}, {Resists, 0.8, "ohms"}}
	wireFaults    = []Entry{{Open, 1.2, ""}, {Resists, 1, "ohms"}, {Grounded, 0.5, ""}, {ToBattery, 0.1, ""}}
	crossedFaults = []Entry{{Crossed, 0.05, ""}}
)

// wordsFor lists what a part of this kind and arrangement can have.
func wordsFor(p *harness.Part) []Entry {
	all := partFaults[p.Kind()]
	relay, ok := p.Spec.(*harness.Relay)
	if !ok {
		return all
	}
	var fit []Entry
	for _, e := range all {
		makeContact := e.Words == MakeOpen || e.Words == MakeBurnt || e.Words == MakeWelded
		restContact := e.Words == RestOpen || e.Words == RestBurnt
		if (makeContact && !relay.HasMake()) || (restContact && !relay.HasRest()) {
			continue
		}
		fit = append(fit, e)
	}
	return fit
}

// Suspect is a fault with its prior weight.
type Suspect struct {
	Fault  Fault
	Weight float64
}

// All lists every single fault of the circuit, in the order of its parts, then pins, wires
// and pairs of neighbouring wires. Resistances, worn friction and shorted turns carry no
// figure: they stand for the usual spread.
func All(c *harness.Circuit) []Suspect {
	var list []Suspect
	add := func(f Fault, table []Entry) {
		for _, e := range table {
			f.Words = e.Words
			list = append(list, Suspect{f, e.Weight})
		}
	}
	for _, p := range c.Parts {
		switch spec := p.Spec.(type) {
		case *harness.Connector:
			for way := 1; way <= spec.Ways; way++ {
				add(Fault{On: OnPart, Part: p.Name, Way: way}, partFaults[harness.KindConnector])
			}
		case *harness.Controller:
			add(Fault{On: OnPart, Part: p.Name}, wordsFor(p))
			for _, role := range spec.PinRoles {
				if role.Command() != "" {
					add(Fault{On: OnRole, Pin: harness.Pin{Part: p.Name, Name: role.Name}}, roleFaults)
				}
			}
		default:
			add(Fault{On: OnPart, Part: p.Name}, wordsFor(p))
		}
	}
	for _, p := range c.Parts {
		if !hasTerminals(p) {
			continue
		}
		for _, pin := range p.Pins() {
			if wired(c, pin) {
				add(Fault{On: OnPin, Pin: pin}, pinFaults[:1])
			}
		}
	}
	for _, w := range c.Wires {
		add(Fault{On: OnWire, Wire: [2]harness.Pin{w.From, w.To}}, wireFaults)
	}
	for i, w := range c.Wires {
		for _, other := range c.Wires[i+1:] {
			if neighbours(c, w, other) {
				add(Fault{On: OnWires, Wire: [2]harness.Pin{w.From, w.To}, Other: [2]harness.Pin{other.From, other.To}}, crossedFaults)
			}
		}
	}
	return list
}

// hasTerminals tells whether a part plugs into cavities whose terminals can spread or back
// out. Fuses, switches and connectors are left to their own faults and their wires'.
func hasTerminals(p *harness.Part) bool {
	switch p.Kind() {
	case harness.KindRelay, harness.KindMotor, harness.KindController:
		return true
	}
	return false
}

func wired(c *harness.Circuit, pin harness.Pin) bool {
	for _, w := range c.Wires {
		if w.From == pin || w.To == pin {
			return true
		}
	}
	return false
}

// neighbours tells whether two wires end at different cavities of one plug, where a
// conversion or a repair can cross them: a controller or an in-line connector.
func neighbours(c *harness.Circuit, a, b *harness.Wire) bool {
	plug := func(pin harness.Pin) bool {
		kind := c.Part(pin.Part).Kind()
		return kind == harness.KindController || kind == harness.KindConnector
	}
	for _, x := range []harness.Pin{a.From, a.To} {
		for _, y := range []harness.Pin{b.From, b.To} {
			if x.Part == y.Part && x != y && plug(x) {
				return true
			}
		}
	}
	return false
}
