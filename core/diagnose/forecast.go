package diagnose

import (
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// Volts from battery negative, speeds and relays are in the pages of the table; what another
// instrument shows is foretold with that instrument laid on, test by test.

// instrument lays a test's instrument on the circuit in a set-up, with faults in it.
func (g *Guide) instrument(t probe.Test, setup []electric.Action, faults []fault.Fault) (*electric.Instrumented, error) {
	which, _ := t.Instrument()
	return g.model.Instrument(setup, faults, which, t.At, t.From)
}

// cast makes what a test's instrument shows on the cars of these suspects.
func (g *inquiry) cast(t probe.Test, which []int) ([]*predict.Shown, error) {
	c, err := g.table.Cast(t.Key(), t.Setup, t.State, func(setup []electric.Action, s predict.Suspect) (*electric.Instrumented, error) {
		return g.instrument(t, setup, s.Faults())
	})
	if err != nil {
		return nil, err
	}
	shown := make([]*predict.Shown, len(g.suspects))
	return shown, c.Need(g.ctx, which, g.carried(g.model, t.Setup), shown)
}

// fineness is how finely a figure is read in a test, and where its bins begin.
type fineness struct{ spread, bin, lowest float64 }

// Softness of what is read: meter, contact of the probe, and what the cars' tolerances do not
// cover.
const (
	meterSpread = 0.25 // volts
	dropSpread  = 0.08 // volts, of a drop read on a fine range between two near points
	clampSpread = 0.7  // amps
	ohmsSpread  = 0.08 // of the decimal logarithm
	leadOhms    = 0.1  // an ohmmeter tells nothing below
	openDecade  = 8.0  // the logarithm at which an open line is put
)

// finenessOf tells how a test's figure is read.
func finenessOf(t probe.Test) fineness {
	switch {
	case t.Do == probe.Amps:
		return fineness{clampSpread, 0.75, -3}
	case t.Do == probe.Ohms:
		return fineness{ohmsSpread, 0.1, -2}
	case t.From.Part != "":
		return fineness{dropSpread, 0.1, predict.InBins.Lowest}
	}
	return fineness{meterSpread, predict.InBins.Width, predict.InBins.Lowest}
}

// scaled puts a figure on the test's own scale: what floats reads nothing, ohms count by their
// logarithm.
func scaled(t probe.Test, v float64) float64 {
	if t.Do != probe.Ohms {
		return predict.Meter(v)
	}
	if math.IsInf(v, 1) || math.IsNaN(v) {
		return openDecade
	}
	return math.Log10(math.Max(0, v) + leadOhms)
}

// shows gives a suspect's figure on a car.
type shows func(suspect, car int) float64

// figures prepares a test that is answered by a figure, for these suspects.
func (g *inquiry) figures(t probe.Test, which []int) (shows, error) {
	fan := slices.Index(g.fans, t.At.Part)
	whole := t.Do == probe.Amps && fan >= 0 && len(g.circuit.Part(t.At.Part).Pins()) == 2
	if t.Do != probe.Volts && !whole {
		return g.laidOn(t, which)
	}
	p, err := g.pageFor(t.Setup, which)
	if err != nil {
		return nil, err
	}
	state := g.stateIndex(t.State)
	if whole {
		sign := 1.0
		if t.At.Name == "-" {
			sign = -1
		}
		return func(i, k int) float64 { return sign * float64(p.of[i].FanAmps(state, fan)[k]) }, nil
	}
	red := g.pinAt[t.At]
	if t.From.Part == "" {
		return func(i, k int) float64 { return float64(p.of[i].Volts(state, red)[k]) }, nil
	}
	return g.dropBetween(t, p, state, red, g.pinAt[t.From], which)
}

// laidOn are figures of an instrument that the pages do not hold.
func (g *inquiry) laidOn(t probe.Test, which []int) (shows, error) {
	shown, err := g.cast(t, which)
	if err != nil {
		return nil, err
	}
	return func(i, k int) float64 { return float64(shown[i][k]) }, nil
}

// dropBetween is the difference of two readings (NaN where either floats); where a pin hangs on a
// diode alone the meter between the two is laid on, for its microampere counts there.
func (g *inquiry) dropBetween(t probe.Test, p *foretold, state, red, black int, which []int) (shows, error) {
	var soft []int
	for _, i := range which {
		if f := p.of[i]; f != nil && (f.Soft(state, red) || f.Soft(state, black)) {
			soft = append(soft, i)
		}
	}
	var shown []*predict.Shown
	if len(soft) > 0 {
		var err error
		if shown, err = g.cast(t, soft); err != nil {
			return nil, err
		}
	}
	return func(i, k int) float64 {
		if shown != nil && shown[i] != nil {
			return float64(shown[i][k])
		}
		f := p.of[i]
		return float64(f.Volts(state, red)[k]) - float64(f.Volts(state, black)[k])
	}, nil
}

// words prepares a test that is answered in a word: for a suspect and a car the chance of each
// word, in the order of probe.Words.
func (g *inquiry) words(t probe.Test, which []int) (func(suspect, car int, into []float64), error) {
	switch t.Do {
	case probe.Lamp, probe.LED:
		show, err := g.laidOn(t, which)
		nominal := g.circuit.Nominal()
		return func(i, k int, into []float64) { probe.LightChances(t.Do, predict.Meter(show(i, k)), nominal, into) }, err
	case probe.Relay, probe.Codes:
		p, err := g.pageFor(t.Setup, append(slices.Clone(which), g.nobody()))
		if err != nil {
			return nil, err
		}
		if t.Do == probe.Codes {
			return g.codeChances(p), nil
		}
		state, relay := g.stateIndex(t.State), g.relayAt[t.Part]
		return func(i, k int, into []float64) {
			heard := 1 - probe.SurelyHeard
			if p.of[i].PulledIn(state, relay)[k] >= 0.5 && !probe.StuckIn(g.suspects[i].Fault, t.Part) {
				heard = probe.SurelyHeard
			}
			into[0], into[1] = heard, 1-heard
		}, nil
	}
	return func(i, _ int, into []float64) { probe.HandChances(g.suspects[i].Fault, t, into) }, nil
}

// codeChances: the controller sees the coil side only. A code stands where a driver's pin is,
// in some state, not at the volts the command asks for.
func (g *inquiry) codeChances(p *foretold) func(suspect, car int, into []float64) {
	pins := g.commanded()
	well := p.of[g.nobody()]
	noticed := probe.CodeVolts * g.circuit.SupplyVolts(false)
	return func(i, k int, into []float64) {
		chance := probe.CodeAnyway
		for j := range g.circuit.States {
			for _, pin := range pins {
				d := predict.Meter(float64(p.of[i].Volts(j, pin)[k])) - predict.Meter(float64(well.Volts(j, pin)[k]))
				if math.Abs(d) > noticed {
					chance = probe.CodeSet
				}
			}
		}
		into[0], into[1] = 1-chance, chance
	}
}

// commanded lists the controllers' driver pins.
func (g *Guide) commanded() []int {
	var pins []int
	for _, p := range g.circuit.OfKind(harness.KindController) {
		for _, role := range p.Spec.(*harness.Controller).PinRoles {
			if role.Command() != "" {
				pins = append(pins, g.pinAt[harness.Pin{Part: p.Name, Name: role.Name}])
			}
		}
	}
	return pins
}

// isJoint tells whether a fault is a bad joint: a terminal, or ohms that should not be there.
func isJoint(f fault.Fault) bool {
	return f.On == fault.OnPin || f.Words == fault.Resists || f.Words == fault.WayResists || f.Words == fault.PostResists
}
