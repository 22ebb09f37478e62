package probe

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

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
		liked = t.Do == LookAtFans && len(t.Setup) == len(Lasting(t.Setup)) || t.Do == TroubleCodes
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

// Extra is what a test takes more with this kit: state is the one commanded now.
func (k Kit) Extra(c *harness.Circuit, t Test, state *harness.State) float64 {
	commanded := len(c.CommandsIn(t.State, nil, harness.Heard{})) > 0
	if k.Scan == CommandTool || !commanded || t.State == state || len(c.OfKind(harness.KindController)) == 0 {
		return 0
	}
	return minutesUntooled
}
