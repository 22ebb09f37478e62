package fault

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

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
	FuseOpen     = "fuse open" // of a relay with a fuse built in
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

	WindingOpen  = "N open"
	LimiterOpen  = "limiter open"
	StepOpen     = "step N open"
	StepDead     = "step N dead"
	PositionOpen = "position N open"
	CommonOpen   = "common open"
	SideOpen     = "side N open"
	SideStuck    = "side N stuck"
	StageOpen    = "stage N open"
	StageStuck   = "stage N stuck closed"
	Shorted      = "shorted"
	Off          = "off"
	NoPower      = "no power"
	StuckFull    = "stuck full"
	MakeOpenB    = "b make contact open"
	MakeBurntB   = "b make contact burnt"
	RestOpenB    = "b rest contact open"
	RestBurntB   = "b rest contact burnt"
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
			{SticksAtRest, 2, ""}, {SticksIn, 1, ""}, {FuseOpen, 4, ""},
			{MakeOpenB, 2, ""}, {MakeBurntB, 5, "ohms"}, {RestOpenB, 1.5, ""}, {RestBurntB, 3, "ohms"},
		},
		harness.KindMotor: {
			{Open, 6, ""}, {WindingOpen, 3, ""}, {Seized, 3, ""}, {Worn, 3, "times the friction"}, {ShortedTurns, 0.6, "of the turns"},
			{Reversed, 0.2, ""}, {Brushes, 2, ""},
		},
		harness.KindResistor:   {{Open, 6, ""}, {Resists, 1, "ohms"}},
		harness.KindSwitch:     {{Open, 0.7, ""}, {StuckClosed, 0.3, ""}, {Resists, 0.7, "ohms"}},
		harness.KindController: {{Dead, 0.5, ""}},
		harness.KindConnector:  {{WayOpen, 2, ""}, {WayResists, 3, "ohms"}},

		harness.KindResistorCard:    {{LimiterOpen, 6, ""}, {StepOpen, 3, ""}, {Resists, 1, "ohms"}},
		harness.KindLimiter:         {{Open, 6, ""}},
		harness.KindSelector:        {{PositionOpen, 1.5, ""}, {CommonOpen, 1, ""}},
		harness.KindSwitch2:         {{SideOpen, 1, ""}, {SideStuck, 0.3, ""}},
		harness.KindThermoswitch:    {{StageOpen, 4, ""}, {StageStuck, 1.5, ""}},
		harness.KindPressureSwitch:  {{StageOpen, 3, ""}, {StageStuck, 1, ""}},
		harness.KindSensor:          {{Open, 2, ""}, {Shorted, 0.7, ""}, {Off, 2, "°C"}},
		harness.KindFanModule:       {{NoPower, 1, ""}, {StepDead, 1, ""}},
		harness.KindPWMModule:       {{StuckFull, 1.5, ""}, {NoPower, 1, ""}},
		harness.KindSpeedController: {{Dead, 5, ""}, {StuckFull, 2, ""}},
		harness.KindDiode:           {{Open, 1.5, ""}, {Shorted, 1.5, ""}},
		harness.KindLamp:            {{Open, 6, ""}},
		harness.KindSolidState:      {{Dead, 1.5, ""}, {AlwaysOn, 3, ""}, {Resists, 1, "ohms"}},
		harness.KindBreaker:         {{Open, 3, ""}, {Resists, 3, "ohms"}, {StuckClosed, 0.3, ""}},
	}
	roleFaults    = []Entry{{Dead, 1, ""}, {AlwaysOn, 0.4, ""}}
	pinFaults     = []Entry{{Open, 0.8, ""}, {Resists, 0.8, "ohms"}}
	wireFaults    = []Entry{{Open, 1.2, ""}, {Resists, 1, "ohms"}, {Grounded, 0.5, ""}, {ToBattery, 0.1, ""}}
	crossedFaults = []Entry{{Crossed, 0.15, ""}}
)

// wordsFor lists what a part of this kind and arrangement can have.
func wordsFor(p *harness.Part) []Entry {
	all := partFaults[p.Kind()]
	var leaveOut []string
	switch spec := p.Spec.(type) {
	case *harness.Relay:
		if !spec.HasMake() {
			leaveOut = append(leaveOut, MakeOpen, MakeBurnt, MakeWelded, MakeOpenB, MakeBurntB)
		}
		if !spec.HasRest() {
			leaveOut = append(leaveOut, RestOpen, RestBurnt, RestOpenB, RestBurntB)
		}
		if spec.Fuse == 0 {
			leaveOut = append(leaveOut, FuseOpen)
		}
		if len(spec.Poles()) == 1 {
			leaveOut = append(leaveOut, MakeOpenB, MakeBurntB, RestOpenB, RestBurntB)
		}
	case *harness.Motor:
		if len(spec.Windings) == 0 {
			leaveOut = append(leaveOut, WindingOpen)
		} else {
			leaveOut = append(leaveOut, Brushes, Reversed)
		}
	case *harness.ResistorCard:
		if spec.Opens == 0 {
			leaveOut = append(leaveOut, LimiterOpen)
		}
	}
	return slices.DeleteFunc(slices.Clone(all), func(e Entry) bool { return slices.Contains(leaveOut, e.Words) })
}

// itemsFor lists what N can be in a part's words.
func itemsFor(p *harness.Part) []string {
	numbers := func(n int) []string {
		var list []string
		for i := 1; i <= n; i++ {
			list = append(list, strconv.Itoa(i))
		}
		return list
	}
	var items []string
	switch spec := p.Spec.(type) {
	case *harness.Connector:
		return numbers(spec.Ways)
	case *harness.ResistorCard:
		return numbers(len(spec.Steps))
	case *harness.FanModule:
		return numbers(len(spec.Table))
	case *harness.Motor:
		for _, w := range spec.Windings {
			items = append(items, w.Name)
		}
	case *harness.Selector:
		for _, position := range spec.Positions {
			if len(position.Pins) > 0 {
				items = append(items, position.Name)
			}
		}
	case *harness.Switch2:
		return []string{"a", "b"}
	case *harness.StagedSwitch:
		for _, stage := range spec.Stages {
			items = append(items, stage.Pin)
		}
	}
	return items
}

// roleEntries lists what one driving pin can have; nil for a pin that drives nothing.
func roleEntries(p *harness.Part, pin string) []Entry {
	switch spec := p.Spec.(type) {
	case *harness.Controller:
		if role := spec.Role(pin); role != nil && role.Command() != "" {
			return roleFaults
		}
	case *harness.FanModule:
		if slices.Contains(spec.Inputs, pin) || slices.Contains(spec.Outputs(), pin) {
			return roleFaults[:1]
		}
	case *harness.PWMModule:
		if pin == spec.Control || slices.ContainsFunc(spec.Outputs, func(o *harness.OutputPair) bool { return o.Plus == pin }) {
			return roleFaults[:1]
		}
	}
	return nil
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
		for _, e := range wordsFor(p) {
			f := Fault{On: OnPart, Part: p.Name}
			if !strings.Contains(" "+e.Words+" ", " "+placeholder+" ") {
				add(f, []Entry{e})
				continue
			}
			for _, f.Item = range itemsFor(p) {
				add(f, []Entry{e})
			}
		}
		for _, pin := range p.Pins() {
			add(Fault{On: OnRole, Pin: pin}, roleEntries(p, pin.Name))
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
	return p.Traits().Spreads
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
	plug := func(pin harness.Pin) bool { return c.Part(pin.Part).Traits().Crosses }
	for _, x := range []harness.Pin{a.From, a.To} {
		for _, y := range []harness.Pin{b.From, b.To} {
			if x.Part == y.Part && x != y && plug(x) {
				return true
			}
		}
	}
	return false
}

// WordsOf lists what can be wrong with a part of a kind, the most often met first.
func WordsOf(kind harness.Kind) []string {
	entries := slices.Clone(partFaults[kind])
	slices.SortStableFunc(entries, func(a, b Entry) int { return cmp.Compare(b.Weight, a.Weight) })
	words := make([]string, 0, len(entries))
	for _, e := range entries {
		words = append(words, e.Words)
	}
	return words
}
