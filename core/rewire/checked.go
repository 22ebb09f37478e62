package rewire

import (
	"fmt"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/size"
)

// Every rule that a proposal was held against, with the figure that it came to and the figure that it may come to: what is signed by
// whoever builds it.

// Checked is a rule with what it was held against: Value has to keep within Limit, both in the unit that the rule names.
type Checked struct {
	Rule   string  `json:"rule"`
	What   string  `json:"what"`
	Value  float64 `json:"value"`
	Limit  float64 `json:"limit"`
	Source string  `json:"source"`
}

// Where rules come from.
const (
	practice = "common practice"
	ampacity = "ABYC E-11, from memory"
	asWished = "the wish"
)

// rules holds the design against all of them. The error is a sentence where one is broken that no part could mend.
func (d *design) rules(p *Proposal) ([]Checked, error) {
	var list []Checked
	add := func(rule, what string, value, limit float64, source string) {
		list = append(list, Checked{rule, what, round(value, 3), round(limit, 3), source})
	}
	for i, w := range d.c.Wires {
		if d.foreign(w) || !w.Size.Given() {
			continue
		}
		may := size.Hot(w.Size.SquareMM(), d.w.Heat, d.w.Insulation)
		switch {
		case d.unfused(w) && d.isThere(w):
			add("a feed without a fuse is no longer than before", "wire "+w.String(), w.Length.Metres(), w.Length.Metres(), "as the vehicle has it")
		case d.unfused(w):
			add("A without a fuse are carried no further than so many metres", "wire "+w.String(), w.Length.Metres(), mostUnfused, practice)
		case d.behind[i] > may && d.isThere(w):
			add("a wire that is there has no larger fuse than before", "wire "+w.String(), d.behind[i], d.behind[i], "as the vehicle has it")
		case d.behind[i] > 0:
			add("a wire carries the A of its fuse all day", "wire "+w.String(), d.behind[i], may, ampacity)
		}
		add("a wire carries its own A all day", "wire "+w.String(), d.amps[i], may, ampacity)
	}
	for _, part := range d.c.Parts {
		if d.isForeign(part.Name) {
			continue
		}
		switch spec := part.Spec.(type) {
		case *harness.Fuse:
			add("a fuse carries so many A all day", part.Name, d.fuses[part.Name], size.FuseShare(d.w.Heat)*spec.Amps, practice)
		case *harness.Relay:
			add("a make contact carries so many A all day", part.Name, d.throughContact(part.Name), size.Contact(makeOf(spec), d.w.Heat,
				d.w.nominal()), practice)
		}
	}
	for _, x := range d.drops(d.warm(d.full())) {
		add("V lost on a fan's "+x.side(), x.fan, x.volts, x.over, asWished)
	}
	if d.f == Series {
		add("A through a rest contact, with a quarter in hand", d.name("K3"), restMargin*p.RestRule, d.w.Limits.RestContact, practice)
	}
	for _, r := range d.w.Requesters {
		if amps := d.pulledBy(r); amps > 0 {
			add("A that an output takes", r.Name, amps, r.takes(), asWished)
		}
	}
	if err := d.alone(add); err != nil {
		return nil, err
	}
	if err := d.lines(add); err != nil {
		return nil, err
	}
	d.stalls(p, add)
	d.runsOn(p, add)
	return list, nil
}

// alone looks whether a fan that is never to turn alone does so in any state with nothing broken.
func (d *design) alone(add func(string, string, float64, float64, string)) error {
	for i, fan := range d.w.Fans {
		if !fan.NeverAlone {
			continue
		}
		times := 0
		for _, s := range d.c.States {
			turning := 0
			for k := range d.w.Fans {
				if d.points[s.Name].Motors[d.motor(k)].Speed != electric.Stopped {
					turning++
				}
			}
			if turning == 1 && d.points[s.Name].Motors[d.motor(i)].Speed != electric.Stopped {
				times++
			}
		}
		add("states in which it turns alone", fan.Name, float64(times), 0, asWished)
		if times > 0 {
			return &limit{why: fmt.Sprintf("%s is never to be the only fan that turns, and in %d states it is", fan.Name, times),
				frees: "both in series, or a resistor for each"}
		}
	}
	return nil
}

// lines breaks the line of everybody who asks, nobody asking, and looks whether the fans then do what is wished.
func (d *design) lines(add func(string, string, float64, float64, string)) error {
	if d.w.OpenLine == "" {
		return nil
	}
	state := *d.c.State(offState)
	state.Running = true
	for _, w := range d.c.Wires {
		if d.foreign(w) || !d.asksThrough(w) {
			continue
		}
		f, err := fault.Parse(d.c, "wire "+w.String()+" open")
		if err != nil {
			return fmt.Errorf("rewire: %w", err)
		}
		point, err := d.m.Solve(electric.Condition{State: &state, Faults: []fault.Fault{f}})
		if err != nil {
			return fmt.Errorf("rewire: %w", err)
		}
		run := 0
		for i := range d.w.Fans {
			if point.Motors[d.motor(i)].Speed != electric.Stopped {
				run++
			}
		}
		if d.w.OpenLine == Stops {
			add("fans that run with its wire broken", "wire "+w.String(), float64(run), 0, asWished)
		} else {
			add("fans that stand with its wire broken, one at least to run", "wire "+w.String(), float64(len(d.w.Fans)-run),
				float64(len(d.w.Fans)-1), asWished)
		}
		if (run > 0) != (d.w.OpenLine == Runs) {
			return &limit{why: fmt.Sprintf("with the wire %s broken the fans do not as is wished: %d of %d run", w, run, len(d.w.Fans)),
				frees: "a line whose break says the other thing"}
		}
	}
	return nil
}

// asksThrough tells whether a wire is the line of somebody who asks: to an output of the controller.
func (d *design) asksThrough(w *harness.Wire) bool {
	for _, pin := range []harness.Pin{w.From, w.To} {
		spec, ok := d.c.Part(pin.Part).Spec.(*harness.Controller)
		if ok && slices.ContainsFunc(spec.PinRoles, func(r *harness.PinRole) bool { return r.Name == pin.Name && r.Command() != "" }) {
			return true
		}
	}
	return false
}

// runsOn says how long fans run on with the key off, and what that takes of the battery.
func (d *design) runsOn(p *Proposal, add func(string, string, float64, float64, string)) {
	most, err := minutes(d.w.RunOn)
	charge, wrong := d.w.ampHours()
	if err != nil || wrong != nil {
		return // whoever completed the wish has said so
	}
	longest, taken := 0.0, 0.0
	for _, fan := range d.w.Fans {
		if fan.Brushless == nil {
			continue
		}
		if own, err := minutes(fan.Brushless.RunOn); err == nil {
			longest, taken = max(longest, own), taken+fan.Amps*own/60
		}
	}
	parked := math.Abs(d.fromBattery(d.points[parkedState]))
	if d.w.RunOn != "" {
		add("min that fans run on with the key off", "all", longest, most, asWished)
		add("A that flow with the key off and the engine hot, for as long as it stands so", "all", parked, leastRunsOn, asWished)
		if slices.ContainsFunc(d.w.Fans, func(f Fan) bool { return f.Brushless == nil }) {
			p.Warnings = append(p.Warnings, "fans without electronics of their own stop with the key: nothing of this proposal has them run on")
		}
	}
	if taken > 0 {
		add("Ah that running on takes, half the battery's at the most", "all", taken, charge/2, practice)
		p.Warnings = append(p.Warnings, fmt.Sprintf("running on after the key is off takes up to %.1f Ah of the battery's %g each time", taken,
			charge))
	}
	if parked > leastRunsOn {
		p.Warnings = append(p.Warnings, fmt.Sprintf("with the key off and the engine hot %.0f A run on: half the battery is gone in %.1f h",
			parked, charge/2/parked))
	}
}

// leastRunsOn is what counts as a fan that runs, and not as electronics that wait, amps.
const leastRunsOn = 0.5
