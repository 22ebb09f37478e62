package bench

import (
	"fmt"
	"math"
	"strings"

	"ironthread/core/electric"
)

// The sheets whose question is a circuit: each writes a small harness, solves it, and shows it.

var supplyField = Field{Key: "supply", Label: "Supply", Unit: "V", Usual: "12.6", Least: 5, Most: mostSupply}

const (
	aMotor    = "motor with a fan"
	aLamp     = "filament lamp"
	aResistor = "resistor"
)

var loads = []string{aMotor, aLamp, aResistor}

var seriesSheet = &Sheet{
	Name: "series", Title: "Two loads in series",
	About: "How two loads share the supply. Each is given by the amps that it takes alone at the supply's volts.",
	Fields: []Field{supplyField,
		{Key: "first", Label: "First load", Choices: loads, Usual: aMotor},
		{Key: "first-amps", Label: "First load alone takes", Unit: "A", Usual: "14", Least: 0.05, Most: 100},
		{Key: "second", Label: "Second load", Choices: loads, Usual: aMotor},
		{Key: "second-amps", Label: "Second load alone takes", Unit: "A", Usual: "14", Least: 0.05, Most: 100}},
	work: series,
}

// load writes a load that takes so many amps at so many volts.
func load(name, kind string, volts, amps float64) (part, plus, minus string) {
	switch kind {
	case aLamp:
		return fmt.Sprintf("  %s: {kind: lamp, volts: %.4g, watts: %.4g}", name, volts, min(200, volts*amps)), name + ".a", name + ".b"
	case aResistor:
		return fmt.Sprintf("  %s: {kind: resistor, ohms: %.5g, watts: %.4g}", name, volts/amps, volts*amps), name + ".a", name + ".b"
	}
	return fmt.Sprintf("  %s: {kind: motor, volts: %.4g, amps: %.4g, inrush: %.4g}", name, volts, amps, 5*amps), name + ".+", name + ".-"
}

func series(v Values) (*Result, error) {
	u := v.Of("supply")
	kinds, amps := []string{v.Word("first"), v.Word("second")}, []float64{v.Of("first-amps"), v.Of("second-amps")}
	one, onePlus, oneMinus := load("A", kinds[0], u, amps[0])
	two, twoPlus, twoMinus := load("B", kinds[1], u, amps[1])
	text := fmt.Sprintf("harness: 1\ntitle: Two loads in series\nsupply: {off: %g, running: %g}\nparts:\n  BAT: {kind: battery, ohms: "+
		"0.001}\n"+
		"%s\n%s\nwires:\n  BAT.+ - %s: RD 10mm2 0.1m\n  %s - %s: YE 10mm2 0.1m\n  %s - BAT.-: BN 10mm2 0.1m\nstates:\n  on: {}\n", u, u,
		one, two,
		onePlus, oneMinus, twoPlus, twoMinus)
	p, err := solve(text)
	if err != nil {
		return nil, err
	}
	r := &Result{Circuit: text, State: "on", Shares: map[string]float64{}}
	current := math.Abs(p.Wires[1].Amps)
	across := func(plus, minus string) float64 { return math.Abs(*p.Pins[plus] - *p.Pins[minus]) }
	volts := []float64{across(onePlus, oneMinus), across(twoPlus, twoMinus)}
	fixed := u / (u/amps[0] + u/amps[1])
	r.say("Current", "what both carry", solved, "%.2f A", current)
	r.say("Rule of thumb", "each load a fixed resistor: U / (U/I₁ + U/I₂)", practice, "%.2f A", fixed)
	for i, name := range []string{"A", "B"} {
		words := fmt.Sprintf("%.2f V, %.1f W", volts[i], volts[i]*current)
		if m, is := p.Motors[name]; is {
			full, err := fullSpeed(u, amps[i], 5*amps[i])
			if err != nil {
				return nil, err
			}
			r.Shares[name] = m.RPM / full
			words += fmt.Sprintf(", turns at %.0f %% of its full speed", 100*m.RPM/full)
		}
		r.say("Load "+name+" ("+kinds[i]+")", "U across it; P = U · I", solved, "%s", words)
	}
	if d := math.Abs(volts[0]-volts[1]) / u; d > 0.1 {
		less := map[bool]string{true: "A", false: "B"}[volts[0] > volts[1]]
		r.Cautions = append(r.Cautions, fmt.Sprintf("They share unequally: %s, which takes less current alone, gets most of the volts. For "+
			"fans in series "+
			"use two of one type.", less))
	}
	if kinds[0] == aMotor && kinds[1] == aMotor {
		r.Wish = map[string]string{"fans": "2", "amps": figureOf(amps[0]), "other-amps": figureOf(amps[1])}
		if u > 18 {
			r.Wish["volts"] = "24"
		}
	}
	return r, nil
}

func figureOf(x float64) string { return fmt.Sprintf("%.4g", x) }

// fullSpeed is what a motor turns at alone, rpm.
func fullSpeed(u, amps, inrush float64) (float64, error) {
	p, err := solve(alone(u, amps, inrush, 0))
	if err != nil {
		return 0, err
	}
	return max(1, p.Motors["M"].RPM), nil
}

// alone is a harness with one motor, through a resistor where one is given.
func alone(u, amps, inrush, ohms float64) string {
	between := "  BAT.+ - M.+: RD 10mm2 0.1m\n"
	part := ""
	if ohms > 0 {
		part = fmt.Sprintf("  R: {kind: resistor, ohms: %.5g, watts: 500}\n", ohms)
		between = "  BAT.+ - R.a: RD 10mm2 0.1m\n  R.b - M.+: YE 10mm2 0.1m\n"
	}
	return fmt.Sprintf("harness: 1\ntitle: A fan on the bench\nsupply: {off: %g, running: %g}\nparts:\n  BAT: {kind: battery, ohms: "+
		"0.001}\n%s"+
		"  M: {kind: motor, volts: %.4g, amps: %.4g, inrush: %.4g}\nwires:\n%s  M.- - BAT.-: BN 10mm2 0.1m\nstates:\n  on: {}\n", u, u,
		part, u, amps,
		inrush, between)
}

var droppingSheet = &Sheet{
	Name: "dropping", Title: "Dropping resistor", About: "What a resistor in the feed makes of a fan, and what another one's ohms would.",
	Fields: []Field{supplyField,
		{Key: "amps", Label: "The fan alone takes", Unit: "A", Usual: "14", Least: 0.5, Most: 100},
		{Key: "inrush", Label: "Its inrush", Unit: "A", Least: 1, Most: 600},
		{Key: "ohms", Label: "Resistor", Unit: "Ω", Usual: "0.6", Least: 0.02, Most: 50},
		{Key: "other", Label: "Another one", Unit: "Ω", Usual: "0.9", Least: 0.02, Most: 50}},
	work: dropping,
}

func dropping(v Values) (*Result, error) {
	u, amps, inrush := v.Of("supply"), v.Of("amps"), v.Of("inrush")
	if math.IsNaN(inrush) {
		inrush = 5 * amps
	}
	if inrush < 1.2*amps {
		return nil, fmt.Errorf("its inrush: a start takes more than running does, not %g A", inrush)
	}
	full, err := fullSpeed(u, amps, inrush)
	if err != nil {
		return nil, err
	}
	r := &Result{State: "on", Shares: map[string]float64{}, Wish: map[string]string{"amps": figureOf(amps), "inrush": figureOf(inrush)}}
	for i, ohms := range []float64{v.Of("ohms"), v.Of("other")} {
		text := alone(u, amps, inrush, ohms)
		p, err := solve(text)
		if err != nil {
			return nil, err
		}
		if i == 0 {
			r.Circuit, r.Shares["M"] = text, p.Motors["M"].RPM/full
		}
		current := math.Abs(p.Wires[0].Amps)
		name := fmt.Sprintf("With %g Ω", ohms)
		r.say(name+": the fan", "torque goes with the square of the speed", solved, "%.0f %% of its speed and air, %.1f V, %.1f A",
			100*p.Motors["M"].RPM/full, p.Motors["M"].Volts, current)
		r.say(name+": the resistor", "P = I² · R", ohmsLaw, "%.0f W", current*current*ohms)
		stalled := u / (ohms + u/inrush)
		r.say(name+": a stalled fan", "I = U / (R + Rₐ), Rₐ = U / inrush; P = I² · R", ohmsLaw, "%.1f A, %.0f W in the resistor", stalled,
			stalled*stalled*ohms)
		if p.Motors["M"].Speed == electric.Stopped {
			r.Cautions = append(r.Cautions, fmt.Sprintf("With %g Ω the fan does not turn.", ohms))
		}
	}
	r.Cautions = append(r.Cautions, "Bolt the resistor into the fan's air before it is powered: outside its air it overheats within "+
		"seconds, and nothing "+
		"that melts may lie within a hand's breadth.")
	return r, nil
}

var pwmSheet = &Sheet{
	Name: "pwm", Title: "Duty to speed", About: "What a duty makes of a fan, through a module with a window.",
	Fields: []Field{supplyField,
		{Key: "amps", Label: "The fan alone takes", Unit: "A", Usual: "14", Least: 0.5, Most: 100},
		{Key: "duty", Label: "Duty on the line", Unit: "%", Usual: "45", Least: 0, Most: 100},
		{Key: "from", Label: "The module's window from", Unit: "%", Usual: "10", Least: 0, Most: 99},
		{Key: "to", Label: "to", Unit: "%", Usual: "90", Least: 1, Most: 100},
		{Key: "hertz", Label: "Frequency", Unit: "Hz", Usual: "200", Least: 1, Most: 20000}},
	work: pwm,
}

func pwm(v Values) (*Result, error) {
	u, from, to := v.Of("supply"), v.Of("from"), v.Of("to")
	if from >= to {
		return nil, fmt.Errorf("the module's window goes upwards, not from %g to %g", from, to)
	}
	// Below the window the module is off; within it the share of full volts grows with the duty.
	shareOf := func(duty float64) float64 {
		if duty < from {
			return 0
		}
		return min(1, (duty-from)/(to-from))
	}
	turns := func(share float64) (rpm, amps float64, err error) {
		if u*share < 1 { // too few volts to turn anything
			return 0, 0, nil
		}
		text := alone(u*share, v.Of("amps"), 5*v.Of("amps"), 0)
		text = strings.Replace(text, fmt.Sprintf("volts: %.4g", u*share), fmt.Sprintf("volts: %.4g", u), 1)
		p, err := solve(text)
		if err != nil {
			return 0, 0, err
		}
		return p.Motors["M"].RPM, math.Abs(p.Wires[0].Amps), nil
	}
	top, _, err := turns(1)
	if err != nil {
		return nil, err
	}
	r := &Result{Curve: &Curve{Title: "Speed over duty", XUnit: "%", Unit: "% of full speed", At: v.Of("duty"), Mark: "the duty"}}
	for duty := 0.0; duty <= 100; duty += 2.5 {
		rpm, _, err := turns(shareOf(duty))
		if err != nil {
			return nil, err
		}
		r.Curve.X, r.Curve.Y = append(r.Curve.X, duty), append(r.Curve.Y, 100*rpm/top)
	}
	s := shareOf(v.Of("duty"))
	rpm, amps, err := turns(s)
	if err != nil {
		return nil, err
	}
	r.say("Share of full volts", "(duty − from) / (to − from), off below", practice, "%.0f %%, %.1f V on the average", 100*s, u*s)
	r.say("The fan", "torque goes with the square of the speed", solved, "%.0f %% of its speed and air, %.1f A in it", 100*rpm/top, amps)
	r.say("From the battery", "the power in is the power out: I · share", "conservation of energy", "%.1f A on the average", amps*s)
	r.say("One period", "1000 / Hz", "", "%.2f ms, %.2f ms of it on", 1000/v.Of("hertz"), 10/v.Of("hertz")*v.Of("duty"))
	if v.Of("hertz") < 10 || v.Of("hertz") > 1000 {
		r.Cautions = append(r.Cautions, "Fan modules listen from some 10 to some 1000 Hz; 100 to 500 Hz are usual (common practice). Look "+
			"at the module's own.")
	}
	r.Cautions = append(r.Cautions, "Below the window a module is off; with its line open most run fully, with it grounded they are off "+
		"(it varies by part).")
	return r, nil
}
