package probe

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// ScanTool is what a technician can ask the controller.
type ScanTool string

// Scan tools. The zero value commands.
const (
	CommandTool ScanTool = ""      // commands each state
	BasicTool   ScanTool = "basic" // reads codes and live data
	NoTool      ScanTool = "none"
)

// Kit is what the technician has at hand. The zero Kit has everything.
type Kit struct {
	Scan     ScanTool
	NoMeter  bool
	NoLamp   bool
	NoClamp  bool
	NoDecade bool // no decade box or resistor for a sensor's place
	NoJumper bool // no fused lead
}

// Can tells whether the kit has what a test needs.
func (k Kit) Can(t Test) bool {
	for _, a := range t.Setup {
		switch a.Verb {
		case electric.Jumper, electric.GroundPin, electric.Feed, electric.Pack:
			if k.NoJumper {
				return false
			}
		case electric.Replaced:
			if k.NoDecade {
				return false
			}
		}
	}
	switch t.Do {
	case Volts, Ohms:
		return !k.NoMeter
	case Lamp:
		return !k.NoLamp
	case Amps:
		return !k.NoClamp
	case Codes:
		return k.Scan != NoTool
	}
	return true
}

// minutesUntooled is what bringing a state on takes more without a scan tool that commands: a
// stand-in on the sensor's plug, A/C on, a warm-up waited for (common practice).
const minutesUntooled = 1.5

// Extra is what a test takes more with this kit: state is the one commanded now.
func (k Kit) Extra(c *harness.Circuit, t Test, state *harness.State) float64 {
	commanded := len(c.CommandsIn(t.State, nil, harness.Heard{})) > 0
	if k.Scan == CommandTool || !commanded || t.State == state || len(c.OfKind(harness.KindController)) == 0 {
		return 0
	}
	return minutesUntooled
}

// Tools names what a test needs, for its card.
func (t Test) Tools() []string {
	var list []string
	add := func(tool string) {
		if !slices.Contains(list, tool) {
			list = append(list, tool)
		}
	}
	switch t.Do {
	case Volts, Ohms:
		add("meter")
	case Lamp:
		add("test lamp")
	case LED:
		add("LED tester")
	case Amps:
		add("clamp")
	case Codes:
		add("scan tool")
	}
	for _, a := range t.Setup {
		switch a.Verb {
		case electric.Jumper, electric.GroundPin, electric.Feed:
			add("fused lead")
		case electric.Pack:
			add("battery pack")
		case electric.Replaced:
			add("decade box")
		}
	}
	return list
}

// School is the order in which a technician likes to work. It weighs costs; it never changes
// what a reading proves.
type School string

// Schools. The zero value takes the plain best.
const (
	PlainBest   School = ""
	ScanFirst   School = "scan first"
	SocketFirst School = "socket first"
	FuseFirst   School = "fuse first"
	SwapFirst   School = "swap first"
)

// Schools lists them.
var Schools = []School{PlainBest, ScanFirst, SocketFirst, FuseFirst, SwapFirst}

// likes is how much cheaper a school feels the tests it likes.
const likes = 0.4

// Weight is what a school makes of a test's minutes.
func (s School) Weight(c *harness.Circuit, t Test) float64 {
	liked := false
	kind := harness.Kind("")
	if t.At.Part != "" {
		kind = c.Part(t.At.Part).Kind()
	}
	has := func(verb electric.Verb) bool {
		return slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == verb })
	}
	switch s {
	case ScanFirst:
		liked = t.Do == LookAtFans && len(t.Setup) == len(Lasting(t.Setup)) || t.Do == Codes
	case SocketFirst:
		liked = kind == harness.KindRelay && has(electric.Out)
	case FuseFirst:
		liked = kind == harness.KindFuse
	case SwapFirst:
		liked = has(electric.Swapped)
	}
	if liked {
		return likes
	}
	return 1
}

// WithoutMeter makes of readings in volts from battery negative what a lamp, or an LED tester
// at a module's pins, shows there.
func WithoutMeter(tests []Test, kit Kit) []Test {
	var list []Test
	for _, t := range tests {
		if t.Do != Volts || t.From.Part != "" {
			continue
		}
		t.Do = LED
		if !kit.NoLamp {
			lamp := t
			lamp.Do = Lamp
			list = append(list, lamp)
		}
		list = append(list, t)
	}
	return list
}
