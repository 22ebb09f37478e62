package rewire

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"golang.org/x/sync/errgroup"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/size"
)

// Plan is the answer to a wish, in the shape of the command line's JSON.
type Plan struct {
	Recommended Family     `json:"recommended,omitempty"`
	Because     []string   `json:"because,omitempty"`
	Proposals   []Proposal `json:"proposals"`
	Refused     []Refused  `json:"refused"`
}

// Proposal is one way, drawn, sized and proved.
type Proposal struct {
	Family   Family             `json:"family"`
	Title    string             `json:"title"`
	Harness  string             `json:"harness"`             // the file
	Speeds   map[string]float64 `json:"speeds"`              // share of full speed, by speed
	Air      map[string]float64 `json:"air"`                 // share of full air: it goes with speed
	Amps     map[string]float64 `json:"amps"`                // from the battery, the engine running
	Inrush   map[string]float64 `json:"inrush"`              // what the first instant of a speed takes, fans at rest
	Heat     map[string]float64 `json:"heat"`                // W lost in resistors
	RestRule float64            `json:"rest-rule,omitempty"` // A in series by the rule of thumb, each fan a fixed resistor
	Warnings []string           `json:"warnings"`
	Change   Change             `json:"change"`

	Operations *Operations `json:"operations"`
	Sizes      []Sized     `json:"sizes"`
	Effects    []Effect    `json:"effects"`
	Lost       float64     `json:"cooling-lost"`         // share of single faults that leave no cooling in some state
	LostHot    float64     `json:"cooling-lost-all-ask"` // in the state in which all ask
	Price      float64     `json:"price"`                // of what is added, in the workshop's money
	Copper     float64     `json:"copper"`               // kg, of all wires
	Stands     []Standing  `json:"stands"`
	Truth      []TruthRow  `json:"truth"`
	Rules      []Checked   `json:"rules"` // all that was checked

	on      *adopted
	Circuit *harness.Circuit `json:"-"`
	Model   *electric.Model  `json:"-"`
}

// Refused is a way that cannot be, why, and what would free it.
type Refused struct {
	Family Family `json:"family"`
	Why    string `json:"why"`
	Frees  string `json:"frees"`
}

// Sized is a wire or a part with its size and how it came to it.
type Sized struct {
	What    string   `json:"what"`
	MM2     float64  `json:"mm2,omitempty"`
	AWG     int      `json:"awg,omitempty"`
	Amps    float64  `json:"amps"`
	Drop    float64  `json:"drop,omitempty"`
	Load    float64  `json:"load,omitempty"`
	Limit   float64  `json:"limit,omitempty"` // A that it carries all day in this heat
	Because []string `json:"because"`
}

// Standing is what the fans do, nothing wrong, in a condition that nobody asks for.
type Standing struct {
	Condition string            `json:"condition"`
	Fans      map[string]string `json:"fans"`
}

// TruthRow is a requester and what it pulls; Dead is the speed it asks for with that requester dead and the others whole.
type TruthRow struct {
	Requester string            `json:"requester"`
	Asks      string            `json:"asks"`
	Pulls     []string          `json:"pulls"`
	Fans      map[string]string `json:"fans"`
	Dead      string            `json:"dead"`
}

// waysAtOnce is how many ways are worked out side by side: few, so that the first is soon there to be looked at.
const waysAtOnce = 2

// Propose answers a wish that [Wish.Complete] has passed. Told, where it is given, hears of each way as soon as it is done, from any
// goroutine: the proposal, or nil where the way is refused.
func Propose(ctx context.Context, w *Wish, told func(*Proposal)) (*Plan, error) {
	made := make([]*Proposal, len(Families))
	no := make([]*Refused, len(Families))
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(waysAtOnce)
	for i, f := range Families {
		group.Go(func() error {
			p, err := propose(ctx, w, f)
			if told != nil {
				told(p)
			}
			var l *limit
			if errors.As(err, &l) {
				no[i] = &Refused{f, l.why, l.frees}
				return nil
			}
			made[i] = p
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	plan := &Plan{Proposals: []Proposal{}, Refused: []Refused{}}
	for i := range Families {
		if made[i] != nil {
			plan.Proposals = append(plan.Proposals, *made[i])
		}
		if no[i] != nil {
			plan.Refused = append(plan.Refused, *no[i])
		}
	}
	plan.recommend()
	return plan, nil
}

// recommend picks the way that least often loses all cooling while all ask for it; among those alike, the one that wastes least and
// costs least.
func (p *Plan) recommend() {
	if len(p.Proposals) == 0 {
		return
	}
	score := func(x *Proposal) float64 {
		waste := 0.0
		for _, watts := range x.Heat {
			waste = max(waste, watts)
		}
		done := 0
		if x.on != nil {
			done = x.Operations.Count()
		}
		return x.LostHot + weighWaste*waste + weighPrice*x.Price + weighWarning*float64(len(x.Warnings)) + weighDone*float64(done)
	}
	best := 0
	for i := range p.Proposals {
		if score(&p.Proposals[i]) < score(&p.Proposals[best]) {
			best = i
		}
	}
	x := &p.Proposals[best]
	p.Recommended = x.Family
	p.Because = append(p.Because, fmt.Sprintf("In %.0f %% of likely single failures no fan would run on a very hot engine", 100*x.LostHot))
	low := ""
	for speed, watts := range x.Heat {
		if watts > 1 {
			low = fmt.Sprintf("%s wastes %.0f W in resistors", speed, watts)
		}
	}
	if low == "" {
		low = "nothing is wasted in resistors"
	}
	p.Because = append(p.Because, low, fmt.Sprintf("what is added costs about %.0f", x.Price))
	if x.on != nil {
		p.Because = append(p.Because, fmt.Sprintf("%d wires are moved, tapped, laid or cut", x.Operations.Count()))
	}
}

// Weights says how the ways were weighed against each other.
func (p *Plan) Weights() string {
	points := func(weight float64) string { return fmt.Sprintf("%.3g", 100*weight) }
	return "Weighed in hundredths: 1 for each % of single failures that leave a very hot engine without a fan, " + points(weighWaste) +
		" a watt that is wasted, " + points(weighPrice) + " a piece of money, " + points(weighWarning) + " a warning, " + points(weighDone) +
		" a wire in the hand; the least wins"
}

// What weighs against a way beside the share of failures that leave a very hot engine without a fan: a watt that is wasted, a piece of
// money, a warning, a wire in the hand.
const (
	weighWaste   = 0.0004
	weighPrice   = 0.0004
	weighWarning = 0.02
	weighDone    = 0.004
)

// refuse tells, before anything is drawn, why a way cannot be.
func (w *Wish) refuse(f Family) *limit {
	two := len(w.Speeds) == 2
	pulses := slices.ContainsFunc(w.Requesters, func(r Requester) bool { return r.Gives == Pulses })
	lined := func(speed string) bool {
		return slices.ContainsFunc(w.Requesters, func(r Requester) bool {
			return string(r.Asks) == speed && r.Gives != Pulses && r.Gives != Kill
		})
	}
	if f != Module {
		for _, speed := range w.Speeds {
			if !lined(speed) {
				return &limit{why: fmt.Sprintf("only pulses ask for %s, and pulses cannot pull a relay", speed),
					frees: "an output that switches, or a module"}
			}
		}
	}
	switch {
	case f == Single && two:
		return &limit{why: "it has one speed, and two are wished for", frees: "one speed"}
	case f != Single && f != Module && !two:
		return &limit{why: "it makes two speeds, and one is wished for", frees: "a second speed"}
	case (f == Series || f == Staged) && len(w.Fans) == 1:
		return &limit{why: "it needs two fans, and there is one", frees: "a second fan, of the same type for series"}
	case f == Series && len(w.Fans)%2 != 0:
		return &limit{why: fmt.Sprintf("fans in series come in pairs, and there are %d", len(w.Fans)), frees: "one fan more, or less"}
	case f == Module && !pulses:
		return &limit{why: "no output here pulses", frees: "a controller with a pulsed output"}
	}
	if l := w.refuseMore(f); l != nil {
		return l
	}
	for i := 0; f == Series && i+1 < len(w.Fans); i += 2 {
		a, b := w.Fans[i], w.Fans[i+1]
		if d := math.Abs(a.Amps-b.Amps) / max(a.Amps, b.Amps); d > alike {
			weak := a
			if b.Amps < a.Amps {
				weak = b
			}
			return &limit{why: fmt.Sprintf("the fans take %.3g and %.3g A: in series %s, the one made for less current, takes more than half "+
				"the volts and the other hardly turns", a.Amps, b.Amps, weak.Name), frees: "two fans of the same type"}
		}
	}
	if f == Series || f == Dropping {
		for _, fan := range w.Fans {
			if fan.HalfVolts == Stalls {
				return &limit{why: fmt.Sprintf("%s does not run at half its volts", fan.Name),
					frees: "a fan whose maker permits it, or one fan, then both"}
			}
		}
	}
	if f == Module {
		return w.refuseModule()
	}
	return nil
}

// refuseModule tells why the wish's module cannot drive its fans, or hear who asks.
func (w *Wish) refuseModule() *limit {
	most := 0.0
	for _, fan := range w.Fans {
		most = max(most, w.running(fan))
	}
	if rated := w.Module.Amps; rated > 0 && most > rated {
		return &limit{why: fmt.Sprintf("at %.3g V a fan takes %.0f A, and an output of the module is rated for %g A", w.Supply.Running, most,
			rated), frees: "a larger module, or smaller fans"}
	}
	hz := w.Module.Hertz
	if len(hz) != 2 {
		return nil
	}
	for _, r := range w.Requesters {
		if r.Gives == Pulses && w.anyBrushed() && r.Hertz > 0 && !(r.Hertz >= hz[0] && r.Hertz <= hz[1]) {
			return &limit{why: fmt.Sprintf("%s pulses at %g Hz, and the module listens from %g to %g Hz", r.Name, r.Hertz, hz[0], hz[1]),
				frees: "a controller that can be set to it, or another module"}
		}
	}
	return nil
}

// Bounds of a design (common practice).
const (
	alike      = 0.12 // by which the currents of two fans in series may differ
	restMargin = 1.25 // of a rest contact over what it carries
	drivers    = 1.0  // A that a relay driver takes where nothing is said

	copperKilos = 8.96e-3 // kg a metre of a square millimetre (handbook density of copper, 8.96 g/cm³)
)

// propose makes one way. Whoever asks and cannot drive the coils gets a small relay between, and it is made again.
func propose(ctx context.Context, w *Wish, f Family) (*Proposal, error) {
	with := *w
	for {
		p, err := proposeAs(ctx, &with, f)
		var l *limit
		if !errors.As(err, &l) || l.pilot == "" || slices.Contains(with.pilots, l.pilot) {
			return p, err
		}
		with.pilots = append(slices.Clone(with.pilots), l.pilot)
	}
}

func proposeAs(ctx context.Context, w *Wish, f Family) (*Proposal, error) {
	if l := w.refuse(f); l != nil {
		return nil, l
	}
	c, err := draw(w, f)
	if err != nil {
		return nil, err
	}
	d, err := sized(w, f, c)
	if err != nil {
		return nil, err
	}
	c = d.c
	p := &Proposal{Family: f, Title: f.Words(), Circuit: c, on: d.on, Model: d.m, Speeds: map[string]float64{}, Air: map[string]float64{},
		Amps: map[string]float64{}, Inrush: map[string]float64{}, Heat: map[string]float64{}, Warnings: []string{}}
	if err := d.figures(p); err != nil {
		return nil, err
	}
	if err := d.limits(p); err != nil {
		return nil, err
	}
	if p.Sizes, err = d.sizes(); err != nil {
		return nil, err
	}
	if p.Effects, p.Lost, p.LostHot, err = d.effects(ctx); err != nil {
		return nil, err
	}
	if p.Stands, err = d.stands(); err != nil {
		return nil, err
	}
	p.Truth = d.truth()
	if p.Rules, err = d.rules(p); err != nil {
		return nil, err
	}
	p.Change, p.Operations = d.changed()
	for _, part := range c.Parts {
		if slices.Contains(p.Change.Added, part.Name) && part.Kind() != harness.KindMotor && part.Kind() != harness.KindBattery &&
			!d.isForeign(part.Name) {
			p.Price += part.Price()
		}
	}
	for _, wire := range c.Wires {
		if d.foreign(wire) || d.isThere(wire) {
			continue
		}
		p.Copper += wire.Length.Metres() * wire.Size.SquareMM() * copperKilos
	}
	p.Copper = round(p.Copper, 3)
	if most := w.Limits.Budget; most > 0 && p.Price > most {
		return nil, &limit{why: fmt.Sprintf("what is added costs about %.0f, and the budget is %.0f", p.Price, most),
			frees: fmt.Sprintf("%.0f, or parts that are there already", p.Price)}
	}
	text, err := harness.Write(c)
	p.Harness = string(text)
	return p, err
}

// mostUnfit is how many things of the harness that is there may turn out not to do, one after the other.
const mostUnfit = 40

// sized is the drawing with its sizes: by itself, and then on the harness that is there, of which whatever will not do is left out and
// the rest tried again.
func sized(w *Wish, f Family, c *harness.Circuit) (*design, error) {
	d := &design{w: w, f: f, c: c}
	if err := d.size(); err != nil || w.There == nil {
		return d, err
	}
	no := map[string]bool{}
	before, err := w.now()
	if err != nil {
		return nil, err
	}
	for range mostUnfit {
		on := adopt(d, w.There, no)
		with := &design{w: w, f: f, c: on.c, on: on, before: before}
		err := with.size()
		var u *unfit
		if !errors.As(err, &u) || no[u.what] {
			return with, err
		}
		no[u.what] = true
	}
	return nil, &limit{why: "too much of the harness that is there will not do", frees: "a new harness beside it"}
}

// limits holds the healthy design against everything it must stand, and gathers what must be said of it.
func (d *design) limits(p *Proposal) error {
	warn := func(format string, args ...any) { p.Warnings = append(p.Warnings, fmt.Sprintf(format, args...)) }
	if d.f == Series {
		carried := 0.0
		for i, w := range d.c.Wires {
			if w.From.Name == "87a" && d.c.Part(w.To.Part).Kind() == harness.KindFuse {
				carried = max(carried, math.Abs(d.points[d.w.Speeds[0]].Wires[i].Amps))
			}
		}
		if rest := d.w.Limits.RestContact; carried*restMargin > rest {
			return &limit{why: fmt.Sprintf("in series %.1f A flow through the changeover relay's rest contact, which is good for %g A: only a "+
				"spring "+
				"holds it", carried, rest), frees: "a changeover relay with a stronger rest contact"}
		}
		if p.RestRule*restMargin > d.w.Limits.RestContact {
			warn("by the rule of thumb (each fan a fixed resistor) %.1f A flow through the rest contact, by the fan law %.1f A: measure it "+
				"by clamp",
				p.RestRule, carried)
		}
	}
	for _, part := range d.c.OfKind(harness.KindRelay) {
		spec, carries := part.Spec.(*harness.Relay), d.throughContact(part.Name)
		if good := size.Contact(makeOf(spec), d.w.Heat, d.w.nominal()); carries > good {
			return &limit{why: fmt.Sprintf("%s would carry %.0f A on a make contact of %g A, which is good for %.0f A at %.0f °C and %.0f V",
				part.Name, carries, makeOf(spec), good, d.w.Heat, d.w.nominal()), frees: "a relay of " + d.ratingWords(carries)}
		}
	}
	for _, r := range d.w.Requesters {
		most := r.takes()
		if amps := d.pulledBy(r); amps > most {
			l := &limit{why: fmt.Sprintf("%s would have to take %.2f A of coils and is good for %g A", r.Name, amps, most),
				frees: "relays with coils of more ohms, or a driver that takes more"}
			if r.Gives == Ground {
				l.pilot = r.Name
			}
			return l
		}
	}
	for _, fan := range d.w.Fans {
		if fan.HalfVolts == Unknown && (d.f == Series || d.f == Dropping) {
			warn("nobody knows whether %s starts at half its volts: ask its maker, or measure a start on the bench, before it is built",
				fan.Name)
		}
	}
	d.advise(p)
	for _, s := range d.c.States {
		for _, x := range d.points[s.Name].Warnings {
			if slices.Contains([]string{"fuse", "contact", "short", "buzzes", "driver", "stalled", "rating"}, x.Kind) {
				return &limit{why: fmt.Sprintf("in %s: %s", s.Name, x.Text), frees: "parts of a higher rating"}
			}
			if text := fmt.Sprintf("in %s: %s", s.Name, x.Text); x.Kind != "drop" && !slices.Contains(p.Warnings, text) {
				warn("%s", text)
			}
		}
	}
	return nil
}

// advise says what whoever builds it has to know of its parts and of who asks.
func (d *design) advise(p *Proposal) {
	warn := func(format string, args ...any) { p.Warnings = append(p.Warnings, fmt.Sprintf(format, args...)) }
	if d.w.Relays.Suppression == "none" && d.part("ECU") != nil {
		warn("the relays have nothing across their coils, as wished: each time one lets go its coil puts some hundred volts on the output " +
			"that drives it; only where the controller's maker says that it stands that")
	}
	if d.w.Relays.Suppression == "diode" {
		plus, minus := "86", "85"
		if d.w.Relays.Cathode == "85" {
			plus, minus = minus, plus
		}
		warn("the relays have a diode across the coil: plus belongs to %s and ground to %s; the other way round is a short through the "+
			"diode "+
			"(one school says 86 is plus, another 85: here the diode decides)", plus, minus)
	}
	for _, r := range d.w.Requesters {
		if d.f != Module && d.w.pullsToStop(r) && !r.Inverted {
			warn("%s must be set to pull its line while the fans are to stand, and to let go to run them: only so do they run with the line "+
				"broken", r.Name)
		}
	}
	for _, r := range d.w.Requesters {
		switch {
		case d.f == Module && r.Gives != Pulses && r.Gives != Kill:
			warn("%s asks for nothing here: a module is told its speed by pulses alone; let the controller that pulses hear it", r.Name)
		case d.f != Module && r.Gives == Pulses:
			warn("%s asks for nothing here: no relay follows pulses", r.Name)
		}
	}
}

func (d *design) ratingWords(amps float64) string {
	rating, ok := size.Relay(amps, d.w.Heat, d.w.nominal())
	if !ok {
		return "more than any usual rating: split the load"
	}
	return fmt.Sprintf("%g A", rating)
}

// pulledBy is what a requester's own pin carries when it asks, amps.
func (d *design) pulledBy(r Requester) float64 {
	most := 0.0
	for _, p := range d.c.OfKind(harness.KindController) {
		for _, role := range p.Spec.(*harness.Controller).PinRoles {
			if role.Command() != r.Name {
				continue
			}
			for i, w := range d.c.Wires {
				pin := harness.Pin{Part: p.Name, Name: role.Name}
				if w.From == pin || w.To == pin {
					most = max(most, d.amps[i])
				}
			}
		}
	}
	return most
}

// startSeconds is how long a start lasts at the most, five times the running amps (common practice).
const startSeconds = 0.5
