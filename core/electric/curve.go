package electric

import (
	"math"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// curve is a two-terminal part whose current is no straight line: a diode or a filament.
type curve struct {
	a, b     node
	filament bool
	led      bool
	amps     float64 // filament: at its rated volts
	volts    float64 // filament: rated
	cold     float64 // filament: its ohms never fall below this
	place    place
	at       float64 // volts at which it is linearised
	found    float64
	part     int
	averaged bool    // the line pulses: mean is the current
	mean     float64 // A
}

// current gives amps at volts, and the slope in siemens.
func (c *curve) current(v float64) (amps, slope float64) {
	if c.led {
		if v <= ledVolts {
			return 0, leakSiemens
		}
		return (v - ledVolts) / ledOhms, 1 / ledOhms
	}
	if !c.filament {
		n := diodeIdeality * thermalVolts
		e := math.Exp(math.Min(v/n, 60))
		return diodeSaturation * (e - 1), diodeSaturation*e/n + leakSiemens
	}
	size := math.Abs(v)
	hot := c.amps * math.Pow(size/c.volts, filamentPower)
	if size == 0 || hot >= size/c.cold {
		return v / c.cold, 1 / c.cold
	}
	return math.Copysign(hot, v), filamentPower * hot / size
}

// next damps a step of Newton's method: a junction's current must not leap by many powers of
// ten (the limiting of junction volts that circuit simulators use).
func (c *curve) next(found float64) float64 {
	if c.filament || c.led {
		return found
	}
	n := diodeIdeality * thermalVolts
	critical := n * math.Log(n/(math.Sqrt2*diodeSaturation))
	if found <= critical || math.Abs(found-c.at) <= 2*n {
		return found
	}
	if c.at > 0 {
		if step := 1 + (found-c.at)/n; step > 0 {
			return c.at + n*math.Log(step)
		}
		return critical
	}
	return n * math.Log(math.Max(found/n, math.E))
}

func (n *Network) addCurve(c curve) { n.curves = append(n.curves, c) }

func (n *Network) addLamp(i int, a, b node, volts, watts float64) {
	n.addCurve(curve{a: a, b: b, filament: true, amps: watts / volts, volts: volts, cold: volts * volts / watts / filamentCold, part: i})
}

func (n *Network) stampCurve(c *curve) {
	amps, g := c.current(c.at)
	stamp(n.diagN, n.offN, c.place, g)
	inject(n.rhsN, c.a, c.b, amps-g*c.at)
}

func (n *Network) followCurves() bool {
	settled := true
	for i := range n.curves {
		c := &n.curves[i]
		c.found = n.at(c.a) - n.at(c.b)
		// Behind a blocking diode rounding alone moves a floating end by more than the
		// tolerance: there a coarser one will do, where the currents agree.
		amps, g := c.current(c.at)
		tangent := amps + g*(c.found-c.at)
		step := math.Abs(c.found - c.at)
		if step > newtonVolts && (step > looseVolts || math.Abs(c.through()-tangent) > newtonAmps) {
			settled = false
		}
		c.at = c.next(c.found)
	}
	return settled
}

// through is the current of a curve at the point found.
func (c *curve) through() float64 {
	if c.averaged {
		return c.mean
	}
	amps, _ := c.current(c.found)
	return amps
}

// suppress adds what lies across a relay's coil.
func (n *Network) suppress(i int, spec *harness.Relay, start, end node, coil float64) {
	switch spec.Suppression {
	case harness.ResistorSuppr:
		n.resist(start, end, 10*coil, i)
	case harness.DiodeSuppr:
		anode, cathode := end, start
		if spec.Cathode == "85" {
			anode, cathode = start, end
		}
		n.addCurve(curve{a: anode, b: cathode, part: i})
	}
}

// builtInFuse adds a fuse in series with 30 and gives the node behind it.
func (n *Network) builtInFuse(i int, p *harness.Part, amps float64, common node) node {
	behind := n.newNode()
	fuse := branch{a: common, b: behind, ohms: fuseVolts / amps, gate: whole, index: len(n.fuses), part: i}
	if n.has(p.Name, fault.FuseOpen) {
		fuse.gate = never
	}
	b := n.add(fuse)
	n.fuses = append(n.fuses, fuseGate{name: p.Name + " fuse", part: p, branch: b, amps: amps})
	return behind
}
