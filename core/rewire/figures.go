package rewire

import (
	"fmt"
	"math"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/size"
)

// What is shown of a proposal: what each speed gives and takes, how each part came to its size, what stands where nobody
// asks, and who pulls what.

// figures are what each speed gives and takes.
func (d *design) figures(p *Proposal) error {
	for _, speed := range d.w.Speeds {
		point := d.points[speed]
		for i := range d.w.Fans {
			top := 0.0 // of this fan, at running volts
			for _, at := range d.points {
				top = max(top, at.Motors[motor(i)].RPM)
			}
			share := point.Motors[motor(i)].RPM / max(top, 1) / float64(len(d.w.Fans))
			p.Speeds[speed] += share
			p.Air[speed] += share // air goes with speed (fan laws)
		}
		p.Amps[speed] = d.fromBattery(point)
		for _, r := range d.c.OfKind(harness.KindResistor) {
			for k, w := range d.c.Wires {
				if w.To.Part == r.Name && w.To.Name == "a" {
					amps := point.Wires[k].Amps
					p.Heat[speed] += amps * amps * r.Spec.(*harness.Resistor).Ohms
				}
			}
		}
		inrush, err := d.inrush(speed)
		if err != nil {
			return err
		}
		if d.f == Module { // it ramps up, so that a start never takes more than running does
			inrush = p.Amps[speed]
		}
		p.Inrush[speed] = inrush
	}
	if d.f == Series {
		p.RestRule = (d.w.Fans[0].Amps + d.w.Fans[1].Amps) / 4
	}
	return nil
}

// inrush is what a speed's first instant takes from the battery, the fans at rest.
func (d *design) inrush(speed string) (float64, error) {
	s := *d.c.State(speed)
	s.Running = true
	amps, err := d.m.PeakAmps(electric.Condition{State: &s}, harness.Pin{Part: "BAT", Name: "+"}, firstInstant)
	if err != nil {
		return 0, fmt.Errorf("rewire: %w", err)
	}
	return amps, nil
}

const (
	fuseVolts    = 0.09  // a fuse's ohms are this over its rating (the harness file's own default)
	firstInstant = 0.002 // s
)

func (d *design) fromBattery(p *electric.Point) float64 {
	amps := 0.0
	for i, w := range d.c.Wires {
		switch {
		case w.From.Part == "BAT":
			amps += p.Wires[i].Amps
		case w.To.Part == "BAT":
			amps -= p.Wires[i].Amps
		}
	}
	return amps
}

// sizes lists wires and fuses with the arithmetic behind them.
func (d *design) sizes() []Sized {
	var list []Sized
	for i, w := range d.c.Wires {
		mm2, metres := w.Size.Figure, w.Length.Metres()
		s := Sized{What: "wire " + w.String(), MM2: mm2, AWG: size.AWG(mm2), Amps: round(d.amps[i], 2),
			Drop:    round(size.Drop(d.amps[i], metres, mm2), 3),
			Because: []string{size.DropWords(d.amps[i], metres, mm2), size.HotWords(mm2, d.w.Heat)}}
		if d.behind[i] > 0 {
			s.Because = append(s.Because, fmt.Sprintf("a fuse of %g A clears a short in it", d.behind[i]))
		}
		list = append(list, s)
	}
	for _, p := range d.c.OfKind(harness.KindFuse) {
		spec, amps := p.Spec.(*harness.Fuse), d.fuses[p.Name]
		list = append(list, Sized{What: p.Name, Amps: spec.Amps, Load: round(amps/spec.Amps, 2), Because: []string{
			fmt.Sprintf("%.1f A run through it, %.0f %% of %g A; 75 %% are the most that runs all day (common practice)", amps,
				100*amps/spec.Amps, spec.Amps),
		}})
	}
	if total, rating, ok := d.mainFuse(); ok {
		list = append(list, Sized{What: "main fuse at the battery", Amps: rating, Load: round(total/rating, 2), Because: []string{
			fmt.Sprintf("%.1f A at the most through all feeds, %.0f %% of %g A; it is not drawn: where the feeds are longer than a hand's "+
				"breadth "+
				"before their own fuses, one main fuse at the post clears a short in them", total, 100*total/rating, rating)}})
	}
	for _, p := range d.c.OfKind(harness.KindResistor) {
		spec := p.Spec.(*harness.Resistor)
		low := d.points[d.w.Speeds[0]]
		amps := 0.0
		for k, w := range d.c.Wires {
			if w.To == (harness.Pin{Part: p.Name, Name: "a"}) {
				amps = math.Abs(low.Wires[k].Amps)
			}
		}
		fan := d.w.Fans[0]
		stalled := d.w.Supply.Running / (spec.Ohms + fan.Volts/fan.Inrush)
		list = append(list, Sized{What: p.Name, Amps: round(amps, 2), Because: []string{
			fmt.Sprintf("%.2g Ω: %.0f W at low, %.0f W with the fan stalled until the fuse opens; it needs the fan's air or heat room",
				spec.Ohms, amps*amps*spec.Ohms, stalled*stalled*spec.Ohms),
		}})
	}
	for _, p := range d.c.OfKind(harness.KindRelay) {
		spec, most := p.Spec.(*harness.Relay), 0.0
		for i, w := range d.c.Wires {
			if w.From == (harness.Pin{Part: p.Name, Name: "30"}) || w.To == (harness.Pin{Part: p.Name, Name: "30"}) {
				most = max(most, d.amps[i])
			}
		}
		list = append(list, Sized{What: p.Name, Amps: spec.Make, Load: round(most/spec.Make, 2), Because: []string{
			fmt.Sprintf("%.1f A at the most on contacts of %g A make and %g A rest; coil %.0f Ω", most, spec.Make, spec.Rest, spec.CoilOhms),
		}})
	}
	return list
}

// mainFuse is the fuse that all feeds together want at the battery's post, by the most that they carry in any state.
func (d *design) mainFuse() (total, rating float64, ok bool) {
	for _, p := range d.points {
		total = max(total, math.Abs(d.fromBattery(p)))
	}
	rating, ok = size.Fuse(total)
	return total, rating, ok
}

func round(v float64, places int) float64 {
	p := math.Pow(10, float64(places))
	return math.Round(v*p) / p
}

// stands is what the fans do where nobody asks, and with the controller unplugged or rebooting.
func (d *design) stands() ([]Standing, error) {
	var list []Standing
	for _, s := range d.c.States {
		if s.Name == offState || s.Name == parkedState || s.Name == crankingState || s.Name == killedState {
			list = append(list, Standing{s.Name, fansOf(d.points[s.Name])})
		}
	}
	if d.c.Part("ECU") == nil {
		return list, nil
	}
	s := *d.c.State(offState)
	s.Running = true
	unplugged := electric.Action{Verb: electric.DetachVerb(harness.KindController), Part: "ECU"}
	p, err := d.m.Solve(electric.Condition{State: &s, Setup: []electric.Action{unplugged}})
	if err != nil {
		return nil, fmt.Errorf("rewire: %w", err)
	}
	list = append(list, Standing{"controller unplugged", fansOf(p)})
	f, err := fault.Parse(d.c, "ECU dead")
	if err != nil {
		return nil, fmt.Errorf("rewire: %w", err)
	}
	if p, err = d.m.Solve(electric.Condition{State: &s, Faults: []fault.Fault{f}}); err != nil {
		return nil, fmt.Errorf("rewire: %w", err)
	}
	return append(list, Standing{"controller rebooting", fansOf(p)}), nil
}

func fansOf(p *electric.Point) map[string]string {
	fans := map[string]string{}
	for name, m := range p.Motors {
		fans[name] = string(m.Speed)
	}
	return fans
}

// truth is which requester pulls which coil.
func (d *design) truth() []TruthRow {
	var rows []TruthRow
	said := map[string]bool{}
	for _, r := range d.w.Requesters {
		if r.Gives == Kill {
			continue
		}
		state := d.c.State(r.Name)
		if state == nil && !said[r.Asks] {
			state, said[r.Asks] = d.c.State(r.Asks), true
		}
		if state == nil {
			continue
		}
		p := d.points[state.Name]
		row := TruthRow{Requester: r.Name, Asks: r.Asks, Pulls: []string{}, Fans: fansOf(p)}
		for _, k := range d.c.OfKind(harness.KindRelay) {
			if p.Relays[k.Name] == "pulled in" {
				row.Pulls = append(row.Pulls, k.Name)
			}
		}
		var others []string
		for _, o := range d.w.Requesters {
			if o.Name != r.Name && o.Asks == r.Asks && o.Gives != Kill && (o.Gives == Pulses) == (d.f == Module) {
				others = append(others, o.Name)
			}
		}
		row.Dead = "nobody asks for " + r.Asks + " any more"
		if len(others) > 0 {
			row.Dead = r.Asks + " is still asked for by " + strings.Join(others, ", ")
		}
		rows = append(rows, row)
	}
	return rows
}
