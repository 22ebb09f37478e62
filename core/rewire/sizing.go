package rewire

import (
	"fmt"
	"math"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/size"
)

// A design is sized by being solved: what each wire, fuse and contact carries in any state, the engine running, decides;
// then wires grow until no fan loses more on its feed and its ground than is allowed.

// design is a circuit being sized.
type design struct {
	w *Wish
	f Family
	c *harness.Circuit
	m *electric.Model

	points map[string]*electric.Point // by state, the engine running where the key is on
	amps   []float64                  // of each wire, the most in any state
	fuses  map[string]float64         // the most through each fuse
	behind []float64                  // of each wire, the rating of the fuse that it lies behind
}

// placeHolder is a fuse that nothing opens, amps, until what flows is known.
const placeHolder = 900.0

// largest are the most amps that a fan of the wish takes.
func (w *Wish) largest() float64 {
	most := 0.0
	for _, f := range w.Fans {
		most = max(most, f.Amps)
	}
	return most
}

// Least cross-section that stands handling, mm² (common practice), and how often wires may grow.
const (
	leastMM2  = 0.5
	mostSteps = 200
)

// solve makes the model of the circuit as it is sized now, and enters every state.
func (d *design) solve() error {
	m, err := electric.New(d.c)
	if err != nil {
		return fmt.Errorf("rewire: %s: %w", d.f, err)
	}
	d.m, d.points = m, map[string]*electric.Point{}
	d.amps, d.fuses = make([]float64, len(d.c.Wires)), map[string]float64{}
	for _, s := range d.c.States {
		running := *s
		running.Running = s.Key && !s.Cranking
		p, err := m.Solve(electric.Condition{State: &running})
		if err != nil {
			return fmt.Errorf("rewire: %s: %s: %w", d.f, s.Name, err)
		}
		d.points[s.Name] = p
		for i, w := range p.Wires {
			d.amps[i] = max(d.amps[i], math.Abs(w.Amps))
		}
		for name, f := range p.Fuses {
			d.fuses[name] = max(d.fuses[name], f.Amps)
		}
	}
	return nil
}

// size finds fuses and wires. The error is a sentence about a limit that cannot be kept.
func (d *design) size() error {
	for _, w := range d.c.Wires { // amply, so that what is carried is not held back
		w.Size.Figure = 16
	}
	for _, p := range d.c.OfKind(harness.KindFuse) { // and so that nothing opens before it has its rating
		if spec := p.Spec.(*harness.Fuse); spec.Style != harness.StyleMini {
			spec.Amps, spec.Ohms = placeHolder, fuseVolts/max(d.w.largest(), 5)
		}
	}
	if err := d.solve(); err != nil {
		return err
	}
	for _, p := range d.c.OfKind(harness.KindFuse) {
		spec := p.Spec.(*harness.Fuse)
		if spec.Style == harness.StyleMini {
			continue // the coils'
		}
		rating, ok := d.fuseFor(p.Name)
		if !ok {
			return &limit{why: fmt.Sprintf("%s would carry %.0f A, more than any %s here carries all day at %.0f °C, or stands at a start", p.Name,
				d.fuses[p.Name], d.w.protector(), d.w.Heat), frees: d.w.freesProtector()}
		}
		spec.Amps, spec.Ohms, spec.Style = rating, 0, d.w.styleOf(rating)
	}
	if err := d.contacts(); err != nil {
		return err
	}
	d.guard()
	for i, w := range d.c.Wires {
		least := max(d.amps[i], d.behind[i])
		mm2, ok := size.Thinnest(least, d.w.Heat, d.w.Insulation)
		if !ok {
			return &limit{why: fmt.Sprintf("the wire %s would have to carry %.0f A at %.0f °C", w, least, d.w.Heat),
				frees: "a cooler way for it, insulation that stands more, or a feed for each fan"}
		}
		w.Size.Figure = max(leastMM2, mm2)
	}
	if err := d.grow(); err != nil {
		return err
	}
	if d.w.Gauge == OneGauge {
		thick := 0.0
		for i, w := range d.c.Wires {
			if d.amps[i] > 2 {
				thick = max(thick, w.Size.Figure)
			}
		}
		for i, w := range d.c.Wires {
			if d.amps[i] > 2 {
				w.Size.Figure = thick
			}
		}
	}
	return d.solve()
}

// limit is why a design cannot be, and what would free it; or who needs a pilot relay for it to be.
type limit struct{ why, frees, pilot string }

func (l *limit) Error() string { return l.why }

// fuseFor is the smallest usual fuse that carries its amps all day in this heat, and the start: inside its slow edge while the fans
// come up to speed.
func (d *design) fuseFor(name string) (float64, bool) {
	fold := 0.0
	for _, fan := range d.w.Fans {
		fold = max(fold, fan.Inrush/fan.Amps)
	}
	if d.f == Module { // it ramps up
		fold = 1
	}
	ratings := d.w.ratings()
	least, ok := size.Fuse(ratings, d.fuses[name], d.w.Heat)
	for _, rating := range ratings {
		soonest, _ := electric.OpensBetween(d.w.styleOf(rating), fold*d.fuses[name]/rating)
		if rating >= least && soonest >= startSeconds {
			return rating, ok
		}
	}
	return least, false
}

// ratings are those that are sold of what protects the wires.
func (w *Wish) ratings() []float64 {
	if w.Protection == ByBreakers {
		return size.Breakers
	}
	return size.Fuses
}

// protector is what protects the wires, in a word.
func (w *Wish) protector() string {
	if w.Protection == ByBreakers {
		return "breaker"
	}
	return "fuse"
}

func (w *Wish) freesProtector() string {
	if w.Protection == ByBreakers {
		return "fuses instead of breakers, or smaller fans"
	}
	return "smaller fans, or a feed for each"
}

// styleOf is a fuse that is sold in such a rating (common practice): blades to 20 A, cartridges to 60, bolted ones above; a breaker
// where those are wished for.
func (w *Wish) styleOf(amps float64) harness.FuseStyle {
	switch {
	case w.Protection == ByBreakers:
		return harness.StyleBreaker
	case amps < 20:
		return harness.StyleBlade
	case amps <= 60:
		return harness.StyleCartridge
	case amps <= 120:
		return harness.StyleMaxi
	}
	return harness.StyleLink
}

// contacts chooses the make contact of each relay by what it carries, in this heat and at these volts, unless the wish names the
// relays at hand.
func (d *design) contacts() error {
	for _, p := range d.c.OfKind(harness.KindRelay) {
		spec, carries := p.Spec.(*harness.Relay), d.throughContact(p.Name)
		if d.w.Relays.Make > 0 {
			spec.Make = d.w.Relays.Make
			continue
		}
		rating, ok := size.Relay(carries, d.w.Heat, d.w.nominal())
		if !ok {
			return &limit{why: fmt.Sprintf("%s would carry %.0f A, more than any contact here at %.0f °C", p.Name, carries, d.w.Heat),
				frees: "a feed and a relay for each fan"}
		}
		spec.Make = max(spec.Make, rating)
	}
	return nil
}

// throughContact is the most that flows through a relay's contact, amps.
func (d *design) throughContact(name string) float64 {
	most := 0.0
	for i, w := range d.c.Wires {
		if pin := (harness.Pin{Part: name, Name: "30"}); w.From == pin || w.To == pin {
			most = max(most, d.amps[i])
		}
	}
	return most
}

// guard finds which fuse each wire lies behind: from each fuse on over wires and contacts, up to the next fuse, a load or a
// coil. A short there is cleared by that fuse, so the wire carries its rating.
func (d *design) guard() {
	d.behind = make([]float64, len(d.c.Wires))
	for _, p := range d.c.OfKind(harness.KindFuse) {
		rating := p.Spec.(*harness.Fuse).Amps
		seen := map[harness.Pin]bool{}
		queue := []harness.Pin{{Part: p.Name, Name: "b"}}
		for len(queue) > 0 {
			at := queue[0]
			queue = queue[1:]
			if seen[at] {
				continue
			}
			seen[at] = true
			for i, w := range d.c.Wires {
				for _, ends := range [][2]harness.Pin{{w.From, w.To}, {w.To, w.From}} {
					if ends[0] == at { // a ground wire too: a shorted motor puts the fuse's whole rating through it
						d.behind[i] = max(d.behind[i], rating)
						if d.c.Part(ends[1].Part).Kind() != harness.KindGround {
							queue = append(queue, ends[1])
						}
					}
				}
			}
			queue = append(queue, passes(d.c.Part(at.Part), at)...)
		}
	}
	for i, w := range d.c.Wires { // what goes to ground carries what comes, and a fan's own current is no short
		for _, pin := range []harness.Pin{w.From, w.To} {
			if d.c.Part(pin.Part).Kind() == harness.KindBattery {
				other := w.From
				if pin == w.From {
					other = w.To
				}
				if f, ok := d.c.Part(other.Part).Spec.(*harness.Fuse); ok { // as short as can be, and no thinner than behind the fuse
					d.behind[i] = f.Amps
				}
			}
		}
	}
}

// passes lists where a current goes on through a part that is no load: contacts, switches.
func passes(p *harness.Part, at harness.Pin) []harness.Pin {
	pin := func(name string) harness.Pin { return harness.Pin{Part: p.Name, Name: name} }
	switch spec := p.Spec.(type) {
	case *harness.Relay:
		var list []harness.Pin
		if at.Name == "30" {
			if spec.HasMake() {
				list = append(list, pin("87"))
			}
			if spec.HasRest() {
				list = append(list, pin("87a"))
			}
		}
		return list
	case *harness.Switch:
		if at.Name == "a" {
			return []harness.Pin{pin("b")}
		}
		return []harness.Pin{pin("a")}
	case *harness.Limiter:
		if at.Name == "a" {
			return []harness.Pin{pin("b")}
		}
	case *harness.Motor, *harness.Resistor: // its turns may short, and then it is a wire
		if at.Name == "+" {
			return []harness.Pin{pin("-")}
		}
		if at.Name == "a" {
			return []harness.Pin{pin("b")}
		}
	}
	return nil
}

// grow thickens wires until the drops are within their limits: always that wire on the way which loses most.
func (d *design) grow() error {
	if err := d.solve(); err != nil {
		return err
	}
	for range mostSteps {
		p := d.warm(d.full())
		worst, over := d.worst(p)
		if !over {
			return nil
		}
		most, at := 0.0, -1
		for i, w := range d.c.Wires {
			lost := math.Abs(p.Wires[i].Amps) * d.warmOhms(i)
			if lost > most && d.onSide(w, p, worst.ground) && size.Next(w.Size.Figure) > w.Size.Figure {
				most, at = lost, i
			}
		}
		if at < 0 || most < worst.over/20 {
			return &limit{why: fmt.Sprintf("%s loses %.2f V on its %s though every wire is as thick as they come: fuses, contacts and joints take "+
				"it",
				worst.fan, worst.volts, worst.side()), frees: fmt.Sprintf("allow %.2f V, or a shorter way", math.Ceil(100*worst.volts)/100)}
		}
		d.c.Wires[at].Size.Figure = size.Next(d.c.Wires[at].Size.Figure)
	}
	return &limit{why: "its wires do not come to an end of growing", frees: "allow a larger drop"}
}

// drop is how many volts a fan loses on one side.
type drop struct {
	fan    string
	ground bool
	volts  float64
	over   float64 // the limit
}

func (d drop) side() string {
	if d.ground {
		return "ground"
	}
	return "feed"
}

// drops are what each fan loses in a state in which it has both posts to itself; a fan fed through another, a resistor or a
// module loses volts on purpose.
func (d *design) drops(p *electric.Point) []drop {
	var list []drop
	battery := p.Pins["BAT.+"]
	for i := range d.w.Fans {
		name := motor(i)
		plus, minus := p.Pins[name+".+"], p.Pins[name+".-"]
		if plus == nil || minus == nil || battery == nil || p.Motors[name].Amps < 0.5*d.w.Fans[i].Amps {
			continue
		}
		feed, ground := *battery-*plus, *minus
		if d.f == Module {
			feed, ground = 0, 0
			if in, out := p.Pins["FM.+"], p.Pins["FM.-"]; in != nil && out != nil {
				feed, ground = *battery-*in, *out
			}
		}
		list = append(list, drop{name, false, feed, d.w.Limits.Drop}, drop{name, true, ground, d.w.Limits.GroundDrop})
	}
	return list
}

// warm is a state with every wire at its own temperature: as many ohms as it then has, and not those of cold copper.
func (d *design) warm(state string) *electric.Point {
	c := *d.c
	c.Wires = make([]*harness.Wire, len(d.c.Wires))
	for i, w := range d.c.Wires {
		warmer := *w
		if cold := w.Ohms(); cold > 0 && w.Length.Figure > 0 {
			warmer.Length.Figure *= d.warmOhms(i) / cold
		}
		c.Wires[i] = &warmer
	}
	m, err := electric.New(&c)
	if err != nil {
		return d.points[state]
	}
	s := *c.State(state)
	s.Running = true
	p, err := m.Solve(electric.Condition{State: &s})
	if err != nil {
		return d.points[state]
	}
	return p
}

// full is the state in which the fans run as fast as they can.
func (d *design) full() string { return d.w.Speeds[len(d.w.Speeds)-1] }

// worst is the drop furthest over its limit; false where all keep it.
func (d *design) worst(p *electric.Point) (worst drop, over bool) {
	most := 1.0
	for _, x := range d.drops(p) {
		if share := x.volts / x.over; share > most {
			most, worst, over = share, x, true
		}
	}
	return worst, over
}

// warmOhms are a wire's ohms at its own temperature, with the most that it carries.
func (d *design) warmOhms(i int) float64 {
	w := d.c.Wires[i]
	return size.Ohms(w.Size.SquareMM(), w.Length.Metres(), d.amps[i], d.w.Heat)
}

// onSide tells whether a wire lies on the fans' feed, or on their ground.
func (d *design) onSide(w *harness.Wire, p *electric.Point, ground bool) bool {
	v := p.Pins[w.From.String()]
	return v != nil && (*v < d.w.Supply.Off/3) == ground
}
