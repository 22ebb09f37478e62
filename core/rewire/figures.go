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
				top = max(top, at.Motors[d.motor(i)].RPM)
			}
			share := point.Motors[d.motor(i)].RPM / max(top, 1) / float64(len(d.w.Fans))
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
		for i := 0; i+1 < len(d.w.Fans); i += 2 {
			p.RestRule = max(p.RestRule, (d.w.Fans[i].Amps+d.w.Fans[i+1].Amps)/4)
		}
	}
	return nil
}

// inrush is what a speed's first instant takes from the battery, the fans at rest.
func (d *design) inrush(speed string) (float64, error) {
	s := *d.c.State(speed)
	s.Running = true
	amps, err := d.m.PeakAmps(electric.Condition{State: &s}, harness.Pin{Part: d.name("BAT"), Name: "+"}, firstInstant)
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
		case w.From.Part == d.name("BAT"):
			amps += p.Wires[i].Amps
		case w.To.Part == d.name("BAT"):
			amps -= p.Wires[i].Amps
		}
	}
	return amps
}

// sizes lists wires and fuses with the arithmetic behind them.
func (d *design) sizes() ([]Sized, error) {
	var err error
	if d.held, err = d.holdFast(); err != nil {
		return nil, err
	}
	var list []Sized
	for i, w := range d.c.Wires {
		if d.foreign(w) || !w.Size.Given() {
			continue
		}
		mm2, metres := w.Size.SquareMM(), w.Length.Metres()
		s := Sized{What: "wire " + w.String(), MM2: mm2, AWG: size.AWG(mm2), Amps: round(d.amps[i], 2),
			Limit:   round(size.Hot(mm2, d.w.Heat, d.w.Insulation), 1),
			Drop:    round(d.amps[i]*size.Ohms(mm2, metres, d.amps[i], d.w.Heat), 3),
			Because: []string{size.OwnDropWords(d.amps[i], metres, mm2, d.w.Heat), size.HotWords(mm2, d.w.Heat, d.w.Insulation)}}
		if onShelf(d.w.Shelf.Wires, mm2) {
			s.Because = append(s.Because, "it is on the shelf")
		}
		switch {
		case d.unfused(w):
			s.Because = append(s.Because, fmt.Sprintf("from the post to its fuse, %.2g m: nothing clears a short in it, so it is sleeved and as "+
				"short as can be", metres))
		case d.behind[i] > 0:
			s.Because = append(s.Because, fmt.Sprintf("a fuse of %g A clears a short in it, and it carries as much all day", d.behind[i]))
		}
		list = append(list, s)
	}
	for _, p := range d.c.OfKind(harness.KindFuse) {
		spec, amps := p.Spec.(*harness.Fuse), d.fuses[p.Name]
		x := Sized{What: p.Name, Amps: spec.Amps, Load: round(amps/spec.Amps, 2), Limit: round(size.FuseShare(d.w.Heat)*spec.Amps, 1),
			Because: []string{fmt.Sprintf("%.1f A run through it, %.0f %% of %g A; %.0f %% are the most that runs all day at %.0f °C (common "+
				"practice)", amps, 100*amps/spec.Amps, spec.Amps, 100*size.FuseShare(d.w.Heat), d.w.Heat)}}
		if words, ok := d.ends(p.Name, d.held); ok && !d.forCoils(p) {
			x.Because = append(x.Because, words)
		}
		if onShelf(d.w.Shelf.Fuses, spec.Amps) {
			x.Because = append(x.Because, "it is on the shelf")
		}
		list = append(list, x)
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
		fan := d.w.Fans[d.fanBehind(p.Name)]
		stalled := d.w.Supply.Running / (spec.Ohms + fan.Volts/fan.Inrush)
		s := Sized{What: p.Name, Amps: round(amps, 2), Because: []string{
			fmt.Sprintf("%.2g Ω: %.0f W at low, bought for %.0f W; it needs the fan's air or heat room", spec.Ohms, amps*amps*spec.Ohms,
				spec.Watts),
			fmt.Sprintf("with the fan stalled %.1f A and %.0f W", stalled, stalled*stalled*spec.Ohms)}}
		if f, ok := d.part("F1").Spec.(*harness.Fuse); ok {
			_, latest := electric.OpensBetween(f.Style, stalled/f.Amps)
			words := "for ever"
			if !math.IsInf(latest, 1) {
				words = fmt.Sprintf("for up to %.0f s", latest)
			}
			s.Because = append(s.Because, fmt.Sprintf("F1 carries that %s at %.0f %% of its rating; the limiter on it opens at %.0f °C and ends "+
				"it", words, 100*stalled/f.Amps, limiterOpens))
		}
		list = append(list, s)
	}
	for _, p := range d.c.OfKind(harness.KindRelay) {
		spec, most := p.Spec.(*harness.Relay), d.throughContact(p.Name)
		list = append(list, Sized{What: p.Name, Amps: makeOf(spec), Load: round(most/makeOf(spec), 2),
			Limit: round(size.Contact(makeOf(spec), d.w.Heat, d.w.nominal()), 1),
			Because: []string{fmt.Sprintf("%.1f A at the most on contacts of %g A make and %g A rest; at %.0f °C and %.0f V the make contact "+
				"is good for %.0f A (common practice); coil %.0f Ω", most, makeOf(spec), spec.Rest, d.w.Heat, d.w.nominal(),
				size.Contact(makeOf(spec), d.w.Heat, d.w.nominal()), spec.CoilOhms)}})
	}
	return list, nil
}

// fanBehind is which fan a dropping resistor feeds: they bear the same number.
func (d *design) fanBehind(resistor string) int {
	for i := range d.w.Fans {
		if resistor == d.name(fmt.Sprintf("R%d", i+1)) {
			return i
		}
	}
	return 0
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
	if d.part("ECU") == nil {
		return list, nil
	}
	s := *d.c.State(offState)
	s.Running = true
	unplugged := electric.Action{Verb: electric.DetachVerb(harness.KindController), Part: d.name("ECU")}
	p, err := d.m.Solve(electric.Condition{State: &s, Setup: []electric.Action{unplugged}})
	if err != nil {
		return nil, fmt.Errorf("rewire: %w", err)
	}
	list = append(list, Standing{"controller unplugged", fansOf(p)})
	f, err := fault.Parse(d.c, d.name("ECU")+" dead")
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
			if p := d.points[killedState]; p != nil {
				rows = append(rows, TruthRow{Requester: r.Name, Asks: "off", Pulls: []string{}, Fans: fansOf(p),
					Dead: "nothing takes the coils' feed away any more"})
			}
			continue
		}
		state := d.c.State(d.w.stateOf(r))
		if state == nil && !said[string(r.Asks)] {
			state, said[string(r.Asks)] = d.c.State(string(r.Asks)), true
		}
		if state == nil {
			continue
		}
		p := d.points[state.Name]
		row := TruthRow{Requester: r.Name, Asks: string(r.Asks), Pulls: []string{}, Fans: fansOf(p)}
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
		row.Dead = "nobody asks for " + string(r.Asks) + " any more"
		if len(others) > 0 {
			row.Dead = string(r.Asks) + " is still asked for by " + strings.Join(others, ", ")
		}
		rows = append(rows, row)
	}
	return rows
}
