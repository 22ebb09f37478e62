package probe

import (
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// What a person sees, hears and feels, and how surely. All chances are common practice and
// unmeasured; they stand here together so that a technician can check them in one sitting.
const (
	SurelyHeard  = 0.96 // a relay's click
	sureOfHand   = 0.93 // a fan turned by hand
	dragsFelt    = 0.7  // a worn fan's drag is noticed
	wiggleShows  = 0.6  // tapping brings on what comes and goes
	heatSeen     = 0.3  // a burnt contact has left its mark
	corrodedSeen = 0.3  // a bad joint is green
	seenAnyway   = 0.04 // old heat or corrosion that means nothing
	CodeSet      = 0.85 // a coil-side fault has set a code
	CodeAnyway   = 0.06 // an old code

	// CodeVolts is how far a driver's pin must be from what the command asks for, as a share of the
	// supply, for the controller to notice.
	CodeVolts = 0.4
)

// How sharply an eye tells the words for a fan's speed apart, as a share of the highest speed.
const (
	edgeSlow = 0.015
	edgeFast = 0.03
)

// SpeedWords is the order in which chances of words for a speed are kept.
var SpeedWords = []string{string(electric.Stopped), string(electric.Slow), string(electric.Fast), string(electric.Backwards)}

// SpeedChances gives the chance of each of [SpeedWords] for a speed share: the words' edges made
// soft.
func SpeedChances(share float64) [4]float64 {
	backwards := soft(-share, electric.SlowFrom, edgeSlow)
	moving := soft(share, electric.SlowFrom, edgeSlow)
	fast := soft(share, electric.FastFrom, edgeFast)
	return [4]float64{(1 - moving) * (1 - backwards), moving * (1 - fast), moving * fast, backwards}
}

// LightChances is the chance of each word of a lamp, or an LED tester, at so many volts across it.
func LightChances(do Do, volts, nominal float64, into []float64) {
	v := math.Abs(volts) * 12 / nominal
	if do == LED {
		lit := soft(v, 2.3, 0.2)
		into[0], into[1] = 1-lit, lit
		return
	}
	on, bright := soft(v, 2, 0.35), soft(v, 9, 0.6)
	into[0], into[1], into[2] = 1-on, on*(1-bright), on*bright
}

func soft(x, edge, width float64) float64 { return 1 / (1 + math.Exp(-(x-edge)/width)) }

// StuckIn tells whether a fault holds a relay's contacts in, so that it does not click.
func StuckIn(f fault.Fault, relay string) bool {
	return f.On == fault.OnPart && f.Part == relay && (f.Words == fault.SticksIn || f.Words == fault.MakeWelded)
}

// HandChances is the chance of each word of a test of a part by hand and eye, with a fault in the
// car.
func HandChances(f fault.Fault, t Test, into []float64) {
	clear(into)
	here := slices.Contains(f.Parts(), t.Part)
	onWire := slices.ContainsFunc(f.Wire[:], func(end harness.Pin) bool { return f.On == fault.OnWire && end.Part == t.Part })
	switch t.Do {
	case Turned:
		switch {
		case here && f.Words == fault.Seized:
			into[0], into[1], into[2] = (1-sureOfHand)/2, (1-sureOfHand)/2, sureOfHand
		case here && f.Words == fault.Worn:
			into[0], into[1], into[2] = 1-dragsFelt, dragsFelt-0.02, 0.02
		default:
			into[0], into[1], into[2] = sureOfHand, 0.06, 0.01
		}
	case Wiggled:
		into[1] = 0.02
		if (here || onWire) && (f.Intermittent || f.Words == fault.Brushes) {
			into[1] = wiggleShows
		}
		into[0] = 1 - into[1]
	case Looked:
		into[1], into[2] = seenAnyway, seenAnyway
		if (here || onWire) && (burnt(f) || badJoint(f)) {
			into[1] = heatSeen
		}
		if (here || onWire) && badJoint(f) {
			into[2] = corrodedSeen
		}
		into[0] = 1 - into[1] - into[2]
	}
}

func burnt(f fault.Fault) bool {
	return slices.Contains([]string{fault.MakeBurnt, fault.RestBurnt, fault.MakeBurntB, fault.RestBurntB, fault.MakeWelded}, f.Words)
}

func badJoint(f fault.Fault) bool {
	return f.Words == fault.Resists || f.Words == fault.WayResists || f.Words == fault.Open && f.On == fault.OnPin ||
		f.Words == fault.PostResists
}
