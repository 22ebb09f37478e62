package rewire

import (
	"fmt"
	"math"
	"slices"

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

	held []held // with each fan held fast, of the design as it is sized

	on     *adopted // the harness that is there, where there is one
	before *asItWas
}

// asItWas is what the harness that is there carries as it is, by wire and by fuse: what it carries now it carries in the new one too.
type asItWas struct {
	behind, amps, fuses, contacts map[string]float64
	drops                         map[string]float64 // by fan and side
}

// name is what a part of the drawing is called in the circuit, and role what a part of the circuit is in the drawing.
func (d *design) name(drawn string) string {
	if d.on == nil {
		return drawn
	}
	return d.on.name(drawn)
}

func (d *design) role(name string) string {
	if d.on == nil {
		return name
	}
	if p := d.c.Part(name); p != nil {
		for drawn, final := range d.on.final {
			if final == name && drawn[0] != 'G' {
				return drawn
			}
		}
	}
	return "\x00" + name // the vehicle's own, whatever it is called
}

// part is a part of the drawing, nil where there is none.
func (d *design) part(drawn string) *harness.Part { return d.c.Part(d.name(drawn)) }

func (d *design) motor(i int) string { return d.name(motor(i)) }

// isThere tells whether a wire is there already: its size and its length stand.
func (d *design) isThere(w *harness.Wire) bool { return d.on != nil && d.on.there[w] }

// unfit is something of the harness that is there that will not do in the new one.
type unfit struct{ what, why string }

func (u *unfit) Error() string { return u.what + ": " + u.why }

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
		if !d.isThere(w) {
			w.Size.Figure = 16
		}
	}
	for _, p := range d.c.OfKind(harness.KindFuse) { // and so that nothing opens before it has its rating
		if spec := p.Spec.(*harness.Fuse); !d.forCoils(p) {
			spec.Amps, spec.Ohms = placeHolder, fuseVolts/max(d.w.largest(), 5)
		}
	}
	if err := d.solve(); err != nil {
		return err
	}
	for _, p := range d.c.OfKind(harness.KindFuse) {
		spec := p.Spec.(*harness.Fuse)
		if d.forCoils(p) {
			continue
		}
		if d.on != nil && d.on.was[p.Name] > 0 {
			if err := d.fuseInHolder(p); err != nil {
				return err
			}
			continue
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
	if err := d.stand(); err != nil {
		return err
	}
	d.guard()
	for i, w := range d.c.Wires {
		least := max(d.amps[i], d.behind[i])
		if d.isThere(w) {
			if err := d.standsAsItIs(i, w); err != nil {
				return err
			}
			continue
		}
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
	d.fromShelf()
	if err := d.bodies(); err != nil {
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
			if d.amps[i] > 2 && !d.isThere(w) {
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
	fold := d.fold()
	ratings := d.w.ratings()
	least, ok := size.Fuse(ratings, d.fuses[name], d.w.Heat)
	for _, rating := range ratings {
		soonest, _ := electric.OpensBetween(d.w.styleOf(rating), fold*d.fuses[name]/rating)
		if rating >= least && soonest >= startSeconds {
			return shelved(d.w.Shelf.Fuses, rating, fuseToo), ok
		}
	}
	return least, false
}

// fold is how many times its running amps a start takes at the most.
func (d *design) fold() float64 {
	fold := 0.0
	for _, fan := range d.w.Fans {
		fold = max(fold, fan.Inrush/fan.Amps)
	}
	if d.f == Module { // it ramps up
		fold = 1
	}
	return fold
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
		if d.on != nil && d.on.taken[p.Name] {
			if carries > size.Contact(makeOf(spec), d.w.Heat, d.w.nominal()) && carries > asBefore*d.before.contacts[p.Name] {
				return &unfit{"part " + p.Name, fmt.Sprintf("its contact of %g A would carry %.0f A", makeOf(spec), carries)}
			}
			continue
		}
		if d.w.Relays.Make > 0 {
			spec.Make = d.w.Relays.Make
			continue
		}
		rating, ok := size.Relay(carries, d.w.Heat, d.w.nominal())
		if !ok {
			return &limit{why: fmt.Sprintf("%s would carry %.0f A, more than any contact here at %.0f °C", p.Name, carries, d.w.Heat),
				frees: "a feed and a relay for each fan"}
		}
		spec.Make = max(spec.Make, shelved(d.w.Shelf.Relays, rating, math.Inf(1)))
	}
	return nil
}

// Thickest wires that the load terminals of relays take, mm² (common practice): the cube's 6.3 mm blades, the larger body's of 9.5 mm.
// Beyond them are studs.
const (
	cubeMM2  = 6.0
	largeMM2 = 10.0
)

// bodies gives each relay that comes in a body whose terminals take its wires: a thick wire wants a larger one than its amps do. A
// relay that is there has the terminals that it has, and what they do not take cannot be laid to it.
func (d *design) bodies() error {
	for _, p := range d.c.OfKind(harness.KindRelay) {
		spec := p.Spec.(*harness.Relay)
		taken := d.on != nil && d.on.taken[p.Name]
		if d.w.Relays.Make > 0 && !taken {
			continue
		}
		thickest := 0.0
		for _, w := range d.c.Wires {
			if taken && d.isThere(w) {
				continue
			}
			for _, pin := range []harness.Pin{w.From, w.To} {
				if pin.Part == p.Name && pin.Name != "85" && pin.Name != "86" {
					thickest = max(thickest, w.Size.SquareMM())
				}
			}
		}
		takes := spec.Make
		switch {
		case thickest > largeMM2:
			takes = max(takes, size.Relays[2])
		case thickest > cubeMM2:
			takes = max(takes, size.Relays[1])
		}
		if taken && takes > makeOf(spec) {
			return &unfit{"part " + p.Name, fmt.Sprintf("its terminals do not take a wire of %g mm²", thickest)}
		} else if !taken {
			spec.Make = takes
		}
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
	at := map[*harness.Wire]int{}
	for i, w := range d.c.Wires {
		at[w] = i
	}
	for _, p := range d.c.OfKind(harness.KindFuse) {
		rating := p.Spec.(*harness.Fuse).Amps
		d.behindFuse(p, passes, func(w *harness.Wire) { d.behind[at[w]] = max(d.behind[at[w]], rating) })
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

// behindFuse tells each wire that lies behind a fuse: on over wires and through what lets a current on, up to the next fuse.
func (d *design) behindFuse(p *harness.Part, through func(*harness.Part, harness.Pin) []harness.Pin, tell func(w *harness.Wire)) {
	seen := map[harness.Pin]bool{}
	queue := []harness.Pin{d.fedFrom(p)}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		if seen[at] || d.c.Part(at.Part).Kind() == harness.KindBattery {
			continue
		}
		seen[at] = true
		for _, w := range d.c.Wires {
			for _, ends := range [][2]harness.Pin{{w.From, w.To}, {w.To, w.From}} {
				if ends[0] == at { // a ground wire too: a shorted motor puts the fuse's whole rating through it
					tell(w)
					if d.c.Part(ends[1].Part).Kind() != harness.KindGround {
						queue = append(queue, ends[1])
					}
				}
			}
		}
		queue = append(queue, through(d.c.Part(at.Part), at)...)
	}
}

// fedFrom is the end of a fuse that lies away from the battery.
func (d *design) fedFrom(fuse *harness.Part) harness.Pin {
	for _, w := range d.c.Wires {
		for i, pin := range []harness.Pin{w.From, w.To} {
			other := []harness.Pin{w.To, w.From}[i]
			if pin == (harness.Pin{Part: fuse.Name, Name: "b"}) && d.c.Part(other.Part).Kind() == harness.KindBattery {
				return harness.Pin{Part: fuse.Name, Name: "a"}
			}
		}
	}
	return harness.Pin{Part: fuse.Name, Name: "b"}
}

// conducts lists where a current goes on through contacts and switches alone.
func conducts(p *harness.Part, at harness.Pin) []harness.Pin {
	if kind := p.Kind(); kind == harness.KindMotor || kind == harness.KindResistor {
		return nil
	}
	return passes(p, at)
}

// passes lists where a current goes on through a part that is no load, or may become none: contacts, switches, shorted turns.
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
			if lost > most && !d.isThere(w) && d.onSide(w, p, worst.ground) && size.Next(w.Size.Figure) > w.Size.Figure {
				most, at = lost, i
			}
		}
		if at < 0 || most < worst.over/20 { // what comes in is thick enough: then what is there is too thin
			if w, lost := d.thinnestThere(p, worst.ground); lost > worst.over/20 {
				return d.tooThin(w, fmt.Sprintf("it loses %.2f V", lost))
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

// thinnestThere is the wire that is there and loses most on a side, with what it loses.
func (d *design) thinnestThere(p *electric.Point, ground bool) (thin *harness.Wire, most float64) {
	for i, w := range d.c.Wires {
		if lost := math.Abs(p.Wires[i].Amps) * d.warmOhms(i); lost > most && d.isThere(w) && d.onSide(w, p, ground) && w.Size.Given() {
			thin, most = w, lost
		}
	}
	return thin, most
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
	battery := p.Pins[d.name("BAT")+".+"]
	for i := range d.w.Fans {
		name := d.motor(i)
		plus, minus := p.Pins[name+".+"], p.Pins[name+".-"]
		if plus == nil || minus == nil || battery == nil || p.Motors[name].Amps < 0.5*d.w.Fans[i].Amps {
			continue
		}
		feed, ground := *battery-*plus, *minus
		if d.f == Module {
			feed, ground = 0, 0
			if in, out := p.Pins[d.name("FM")+".+"], p.Pins[d.name("FM")+".-"]; in != nil && out != nil {
				feed, ground = *battery-*in, *out
			}
		}
		list = append(list, drop{name, false, feed, d.w.Limits.Drop}, drop{name, true, ground, d.w.Limits.GroundDrop})
	}
	for i := range list { // what is lost now may be lost then
		if d.on != nil {
			list[i].over = max(list[i].over, asBefore*d.before.drops[list[i].fan+list[i].side()])
		}
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

// forCoils tells whether a fuse stands before coils and electronics alone.
func (d *design) forCoils(p *harness.Part) bool {
	spec := p.Spec.(*harness.Fuse)
	if d.on != nil && d.on.was[p.Name] > 0 {
		return d.on.was[p.Name] <= coilFuse
	}
	return spec.Style == harness.StyleMini
}

// fuseInHolder is the fuse for a holder that is there: the one that is in it wherever that will do, else another that the holder takes.
func (d *design) fuseInHolder(p *harness.Part) error {
	spec, was := p.Spec.(*harness.Fuse), d.on.was[p.Name]
	ratings := slices.DeleteFunc(append([]float64{was}, size.Fuses...), func(r float64) bool { return !soldAs(spec.Style, r) && r != was })
	spec.Ohms = 0
	if d.fuses[p.Name] <= asBefore*d.before.fuses[p.Name] {
		spec.Amps = was
		return nil
	}
	for _, rating := range ratings {
		soonest, _ := electric.OpensBetween(spec.Style, d.fold()*d.fuses[p.Name]/rating)
		if d.fuses[p.Name] <= size.FuseShare(d.w.Heat)*rating && soonest >= startSeconds {
			spec.Amps = rating
			return nil
		}
	}
	spec.Amps = was
	return &unfit{"part " + p.Name, fmt.Sprintf("no fuse of its style carries %.0f A all day", d.fuses[p.Name])}
}

// soldAs tells whether a rating is sold in a style of fuse (common practice).
func soldAs(style harness.FuseStyle, amps float64) bool {
	least, most := 1.0, 40.0
	switch style {
	case harness.StyleMini:
		least, most = 2, 30
	case harness.StyleCartridge:
		least, most = 20, 60
	case harness.StyleMaxi:
		least, most = 20, 120
	case harness.StyleLink:
		least, most = 30, 200
	case harness.StyleBreaker:
		least, most = 5, 40
	case harness.StylePTC:
		least, most = 1, 20
	}
	return amps >= least && amps <= most
}

// standsAsItIs holds a wire that is there against what the new circuit puts on it: its own amps always; and a fuse no larger than it
// stands, or than it has before it now, which is its maker's choice.
func (d *design) standsAsItIs(i int, w *harness.Wire) error {
	if !w.Size.Given() {
		return nil // it is looked at when it is there
	}
	may := size.Hot(w.Size.SquareMM(), d.w.Heat, d.w.Insulation)
	was := w
	if moved := d.on.moved[w]; moved != nil {
		was = moved
	}
	if d.amps[i] > may && d.amps[i] > asBefore*d.before.amps[was.String()] {
		return d.tooThin(w, fmt.Sprintf("%.0f A are too much for it", d.amps[i]))
	}
	if d.behind[i] > may+1e-9 && d.behind[i] > d.before.behind[was.String()]+1e-9 {
		return d.tooThin(w, fmt.Sprintf("a fuse of %g A is too large for it", d.behind[i]))
	}
	return nil
}

// tooThin is a wire that is there and will not do, by the name that it has now.
func (d *design) tooThin(w *harness.Wire, why string) error {
	if moved := d.on.moved[w]; moved != nil {
		w = moved
	}
	return &unfit{"wire " + w.String(), why}
}

// asBefore is by how much more than before still counts as no more.
const asBefore = 1.05

// now is what the harness that is there carries as it is.
func (w *Wish) now() (*asItWas, error) {
	d := &design{w: w, c: w.There}
	d.guard()
	if err := d.solve(); err != nil {
		return nil, err
	}
	is := &asItWas{behind: map[string]float64{}, amps: map[string]float64{}, fuses: d.fuses, contacts: map[string]float64{},
		drops: map[string]float64{}}
	for _, s := range w.There.States {
		p, plus := d.warm(s.Name), 0.0
		for _, battery := range w.There.OfKind(harness.KindBattery) {
			if v := p.Pins[battery.Name+".+"]; v != nil {
				plus = *v
			}
		}
		for _, fan := range w.There.OfKind(harness.KindMotor) {
			spec := fan.Spec.(*harness.Motor)
			high, low := p.Pins[fan.Name+".+"], p.Pins[fan.Name+".-"]
			if high != nil && low != nil && p.Motors[fan.Name].Amps > 0.5*spec.Amps {
				for side, lost := range map[string]float64{"feed": plus - *high, "ground": *low} {
					is.drops[fan.Name+side] = max(is.drops[fan.Name+side], lost)
				}
			}
		}
	}
	for i, wire := range w.There.Wires {
		is.behind[wire.String()], is.amps[wire.String()] = d.behind[i], d.amps[i]
	}
	for _, p := range w.There.OfKind(harness.KindRelay) {
		is.contacts[p.Name] = d.throughContact(p.Name)
	}
	return is, nil
}

// makeOf is the rating of a relay's make contact: the usual one where its file says nothing.
func makeOf(spec *harness.Relay) float64 {
	if spec.Make > 0 {
		return spec.Make
	}
	return usualMake
}
