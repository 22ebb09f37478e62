package diagnose

import (
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// forecast is what an instrument shows on the suspects' cars in one test that the sheaves do
// not hold: a lamp, an LED tester, an ohmmeter, a clamp on a wire. A suspect's figures are made
// when first needed.
type forecast struct {
	figure []float32 // suspect × car; +Inf an open line, NaN nothing
	done   []bool
}

// keptForecasts bounds how many are kept.
const keptForecasts = 400

var instrumentOf = map[probe.Do]electric.Instrument{
	probe.Lamp: electric.Lamp, probe.LED: electric.LEDTester, probe.Ohms: electric.Ohmmeter, probe.Amps: electric.Clamp,
}

// instrument lays a test's instrument on the circuit in a set-up, with faults in it.
func (g *Guide) instrument(t probe.Test, setup []electric.Action, faults []fault.Fault) (*electric.Instrumented, error) {
	which := instrumentOf[t.Do]
	if t.Do == probe.Lamp && t.With == "heavy" {
		which = electric.HeavyLamp
	}
	return g.model.Instrument(setup, faults, which, t.At, t.From)
}

// cast makes the figures of these suspects.
func (g *Guide) cast(t probe.Test, which []int) (*forecast, error) {
	key := t.Key()
	f := g.casts[key]
	if f == nil {
		if len(g.casts) >= keptForecasts {
			clear(g.casts)
		}
		f = &forecast{figure: make([]float32, len(g.suspects)*cars), done: make([]bool, len(g.suspects))}
		g.casts[key] = f
	}
	var missing []int
	for _, i := range which {
		if !f.done[i] && !g.suspects[i].unknown {
			missing = append(missing, i)
		}
	}
	return f, g.both(missing, func(i int) error { return g.castOne(f, t, i) })
}

func (g *Guide) castOne(f *forecast, t probe.Test, i int) error {
	s := g.suspects[i]
	if err := g.runHistory(s); err != nil {
		return err
	}
	with, err := g.instrument(t, s.still(t.Setup), s.faults())
	if err != nil {
		return err
	}
	well := with
	if s.comesAndGoes() {
		if well, err = g.instrument(t, t.Setup, nil); err != nil {
			return err
		}
	}
	for k := range g.cars {
		x, blown := with, s.blown[k]
		if s.comesAndGoes() && g.cars[k].Dormant {
			x, blown = well, 0
		}
		x.Tune(g.cars[k])
		x.SetBlown(blown)
		f.figure[i*cars+k] = float32(x.Shows(t.State))
	}
	f.done[i] = true
	return nil
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
		return fineness{dropSpread, 0.1, lowestVolts}
	}
	return fineness{meterSpread, 0.25, lowestVolts}
}

// scaled puts a figure on the test's own scale: what floats reads nothing, ohms count by their
// logarithm.
func scaled(t probe.Test, v float64) float64 {
	if t.Do != probe.Ohms {
		return meter(v)
	}
	if math.IsInf(v, 1) || math.IsNaN(v) {
		return openDecade
	}
	return math.Log10(math.Max(0, v) + leadOhms)
}

// shows gives a suspect's figure on a car.
type shows func(suspect, car int) float64

// figures prepares a test that is answered by a figure, for these suspects.
func (g *Guide) figures(t probe.Test, which []int) (shows, error) {
	fan := slices.Index(g.fans, t.At.Part)
	whole := t.Do == probe.Amps && fan >= 0 && len(g.circuit.Part(t.At.Part).Pins()) == 2
	if t.Do != probe.Volts && !whole {
		f, err := g.cast(t, which)
		if err != nil {
			return nil, err
		}
		return func(i, k int) float64 { return float64(f.figure[i*cars+k]) }, nil
	}
	sh, err := g.sheaf(t.Setup)
	if err == nil {
		err = g.need(sh, which)
	}
	if err != nil {
		return nil, err
	}
	state := g.stateIndex(t.State)
	if whole {
		sign := 1.0
		if t.At.Name == "-" {
			sign = -1
		}
		return func(i, k int) float64 { return sign * g.fanAmps(sh, i, state, fan).at(k) }, nil
	}
	return func(i, k int) float64 { return g.meterAt(sh, i, state, t).at(k) }, nil
}

// How surely a person hears, sees and feels (common practice, unmeasured).
const (
	surelyHeard  = 0.96
	sureOfHand   = 0.93
	dragsFelt    = 0.7  // a worn fan's drag is noticed
	wiggleShows  = 0.6  // tapping brings on what comes and goes
	heatSeen     = 0.3  // a burnt contact has left its mark
	corrodedSeen = 0.3  // a bad joint is green
	seenAnyway   = 0.04 // old heat or corrosion that means nothing
	codeSet      = 0.85 // a coil-side fault has set a code
	codeAnyway   = 0.06 // an old code
)

// words prepares a test that is answered in a word: for a suspect and a car the chance of each
// word, in the order of probe.Words.
func (g *Guide) words(t probe.Test, which []int) (func(suspect, car int, into []float64), error) {
	switch t.Do {
	case probe.Lamp, probe.LED:
		f, err := g.cast(t, which)
		if err != nil {
			return nil, err
		}
		return func(i, k int, into []float64) { g.lightChances(t, float64(f.figure[i*cars+k]), into) }, nil
	case probe.Relay, probe.Codes:
		sh, err := g.sheaf(t.Setup)
		if err == nil {
			err = g.need(sh, append(slices.Clone(which), g.nobody()))
		}
		if err != nil {
			return nil, err
		}
		if t.Do == probe.Codes {
			return g.codeChances(sh), nil
		}
		state, relay := g.stateIndex(t.State), g.relayAt[t.Part]
		return func(i, k int, into []float64) {
			p := 1 - surelyHeard
			if s := g.suspects[i]; g.pulledIn(sh, i, state, relay).at(k) >= 0.5 && !stuckIn(s.fault, t.Part) {
				p = surelyHeard
			}
			into[0], into[1] = p, 1-p
		}, nil
	}
	return func(i, _ int, into []float64) { g.partWords(g.suspects[i].fault, t, into) }, nil
}

// lightChances is the chance of each word of a lamp, or an LED tester, at so many volts across it.
func (g *Guide) lightChances(t probe.Test, volts float64, into []float64) {
	v := math.Abs(meter(volts)) * 12 / g.circuit.Nominal()
	if t.Do == probe.LED {
		lit := soft(v, 2.3, 0.2)
		into[0], into[1] = 1-lit, lit
		return
	}
	on, bright := soft(v, 2, 0.35), soft(v, 9, 0.6)
	into[0], into[1], into[2] = 1-on, on*(1-bright), on*bright
}

func soft(x, edge, width float64) float64 { return 1 / (1 + math.Exp(-(x-edge)/width)) }

// nobody is the suspect that is no fault.
func (g *Guide) nobody() int {
	return slices.IndexFunc(g.suspects, func(s *suspect) bool { return s.name == NoFault })
}

func stuckIn(f fault.Fault, relay string) bool {
	return f.On == fault.OnPart && f.Part == relay && (f.Words == fault.SticksIn || f.Words == fault.MakeWelded)
}

// partWords is the chance of each word of a test of a part by hand and eye.
func (g *Guide) partWords(f fault.Fault, t probe.Test, into []float64) {
	clear(into)
	here := slices.Contains(f.Parts(), t.Part)
	onWire := false
	for _, end := range []harness.Pin{f.Wire[0], f.Wire[1]} {
		onWire = onWire || f.On == fault.OnWire && end.Part == t.Part
	}
	switch t.Do {
	case probe.Turned:
		switch {
		case here && f.Words == fault.Seized:
			into[0], into[1], into[2] = (1-sureOfHand)/2, (1-sureOfHand)/2, sureOfHand
		case here && f.Words == fault.Worn:
			into[0], into[1], into[2] = 1-dragsFelt, dragsFelt-0.02, 0.02
		default:
			into[0], into[1], into[2] = sureOfHand, 0.06, 0.01
		}
	case probe.Wiggled:
		into[1] = 0.02
		if (here || onWire) && (f.Intermittent || f.Words == fault.Brushes) {
			into[1] = wiggleShows
		}
		into[0] = 1 - into[1]
	case probe.Looked:
		into[1], into[2] = seenAnyway, seenAnyway
		burnt := f.Words == fault.MakeBurnt || f.Words == fault.RestBurnt || f.Words == fault.MakeBurntB || f.Words == fault.RestBurntB || f.Words == fault.MakeWelded
		joint := f.Words == fault.Resists || f.Words == fault.WayResists || f.Words == fault.Open && f.On == fault.OnPin || f.Words == fault.PostResists
		if (here || onWire) && (burnt || joint) {
			into[1] = heatSeen
		}
		if (here || onWire) && joint {
			into[2] = corrodedSeen
		}
		into[0] = 1 - into[1] - into[2]
	}
}

// codeChances: the controller sees the coil side only. A code stands where a driver's pin is,
// in some state, not at the volts the command asks for.
func (g *Guide) codeChances(sh *sheaf) func(suspect, car int, into []float64) {
	pins := g.commanded()
	well := g.nobody()
	supply := g.circuit.SupplyVolts(false)
	return func(i, k int, into []float64) {
		p := codeAnyway
		for j := range g.circuit.States {
			for _, pin := range pins {
				d := meter(g.volts(sh, i, j, pin).at(k)) - meter(g.volts(sh, well, j, pin).at(k))
				if math.Abs(d) > 0.4*supply {
					p = codeSet
				}
			}
		}
		into[0], into[1] = 1-p, p
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
