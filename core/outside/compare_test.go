package outside

import (
	"cmp"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// How what the judge found is held against what our own solver says.

// tally is how far the product is from the judge.
type tally struct {
	points, figures, restless, rounds int
	onLeaks                           int // figures that only the leaks decide
	volts, share                      float64
	worstPin, worstWire               string
}

// compare holds the product's figures against the judge's, and the positions against its coils.
func (x *trial) compare(t testing.TB, says assert.TestingT, found map[string]float64, sum *tally) {
	sum.points++
	for name, volts := range x.point.Pins {
		pin := harness.ParsePin(name)
		if volts == nil || pin.Inner {
			continue
		}
		judge := x.volts(found, pin.Part, pin.Name, false)
		sum.figures++
		off := math.Abs(*volts - judge)
		if off > barVolts && x.onLeaks(t, pin, judge) {
			sum.onLeaks++
			continue
		}
		if off > sum.volts {
			sum.volts, sum.worstPin = off, x.name+": "+name
		}
		assert.LessOrEqual(says, off, barVolts, "%s: %s reads %.6f V, wired from the file %.6f V", x.name, name, *volts, judge)
	}
	for i, w := range x.point.Wires {
		judge, _ := x.mean(found, func(prefix string) string { return fmt.Sprintf("v%sw%d#branch", prefix, i) })
		if math.Abs(judge) < leastAmps && math.Abs(w.Amps) < leastAmps {
			continue
		}
		sum.figures++
		off := math.Abs(w.Amps-judge) / math.Max(math.Abs(judge), leastAmps)
		if off > sum.share {
			sum.share, sum.worstWire = off, x.name+": "+w.From+" - "+w.To
		}
		assert.LessOrEqual(says, off, barShare, "%s: %s - %s carries %.6g A, wired from the file %.6g A", x.name, w.From, w.To, w.Amps, judge)
	}
	x.coils(says, found)
	for name := range x.guess.turns {
		if x.guess.turns[name] != 0 {
			speed, _ := x.mean(found, func(prefix string) string { return prefix + "w_" + spelled.Replace(name) })
			assert.Equal(says, x.guess.turns[name], float64(cmp.Compare(speed, 0)), "%s: %s turns the other way", x.name, name)
		}
	}
}

// onLeaks tells whether a pin's volts are decided by nothing but the leaks that the simulator needs: behind a
// diode, or on nothing at all. With leaks of another size the judge itself then reads something else.
func (x *trial) onLeaks(t testing.TB, pin harness.Pin, judge float64) bool {
	if x.otherwise == nil {
		other := *x
		var text strings.Builder
		other.leaking(t, &text, 0, usualLeak/100)
		x.otherwise, x.others = solve(t, text.String()), other.phases
	}
	other := *x
	other.phases = x.others
	return math.Abs(other.volts(x.otherwise, pin.Part, pin.Name, false)-judge) > barVolts
}

// coils checks that every relay's coil, by the judge's volts, bears out where its contacts stand.
func (x *trial) coils(t assert.TestingT, found map[string]float64) {
	scale := 1.0
	if x.c.SupplyVolts(false) > 18 {
		scale = 2
	}
	for _, p := range x.c.OfKind(harness.KindRelay) {
		if x.fault.On == fault.OnPart && x.fault.Part == p.Name {
			continue // it may be the coil, or the contacts may stick
		}
		spec := p.Spec.(*harness.Relay)
		across := math.Abs(x.volts(found, p.Name, "86", true) - x.volts(found, p.Name, "85", true))
		if x.guess.pulledIn[p.Name] {
			assert.GreaterOrEqual(t, across, or(spec.DropOut, dropOutV*scale)-barVolts, "%s: %s is said to hold", x.name, p.Name)
		} else {
			assert.LessOrEqual(t, across, or(spec.PullIn, pullInV*scale)+barVolts, "%s: %s is said to rest", x.name, p.Name)
		}
	}
}
