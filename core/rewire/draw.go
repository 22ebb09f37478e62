package rewire

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/harness"
)

// Family is a way of making the speeds.
type Family string

// The ways.
const (
	Single   Family = "single-speed"
	Staged   Family = "staged"            // one fan, then both
	Series   Family = "series-parallel"   // both in series, then each by itself
	Dropping Family = "dropping-resistor" // a resistor in the feed, then past it
	Module   Family = "pwm-module"        // a module, told by pulses
)

// Families lists them in the order in which they are compared.
var Families = []Family{Series, Staged, Dropping, Module, Single}

// Words names a family for people.
func (f Family) Words() string {
	return map[Family]string{
		Single: "one speed, a relay a fan", Staged: "one fan, then both", Series: "both in series, then in parallel",
		Dropping: "a dropping resistor", Module: "a module told by pulses",
	}[f]
}

// drawing collects the sections of a harness file, as a person draws it: the battery, the load's side from fuse to fan to
// ground, the coils' feed, and then whoever asks, each joined to the line of the coils that make its speed.
type drawing struct {
	w      *Wish
	parts  []string
	wires  []run
	states []string
	rules  []string

	lines    [2][]string // coil pins that a stage's line pulls to ground
	pins     []string    // of the controller
	killed   string      // the switch that takes the coils' feed away, where there is one
	keyFirst bool
	feeds    int // drawn so far
	boxed    int // feeds that are there, with their fuses in the box
	asks     map[string]string

	shared     string   // the pin behind the feed's fuse, where one is enough
	together   string   // who asks for low whenever high is asked for
	controls   []string // pins that the pulsed line tells the speed
	feedsDrawn int      // feeds of modules
	grounds    int      // load grounds drawn so far
	listens    bool     // a line of the vehicle that gives plus is drawn, and what feeds it
}

// draw writes the circuit of a family for a wish, sizes still to be found.
func draw(w *Wish, f Family) (*harness.Circuit, error) {
	d := &drawing{w: w, asks: map[string]string{}, together: w.together()}
	d.part("BAT", "kind: battery")
	d.part("G1", "kind: ground, at: body stud")
	d.boxed = fedInBox(w.There)
	d.part("F9", fmt.Sprintf("kind: fuse, amps: 7.5, style: mini, label: coils, at: %q", d.fusePlace()))
	d.part("SW", "kind: switch, closed-when: key, label: key feed")
	if d.keyFirst = keyFirst(w.There); d.keyFirst { // as it is there
		d.wire("BAT.+", "SW.a", "RD", "box to controller")
		d.wire("SW.b", "F9.a", "OG", "box to controller")
	} else {
		d.wire("BAT.+", "F9.a", "RD", postToFuse)
		d.wire("F9.b", "SW.a", "OG", "box to controller")
	}
	if k := slices.IndexFunc(w.Requesters, func(r Requester) bool { return r.Gives == Kill }); k >= 0 {
		d.killed = "KILL"
		d.part(d.killed, fmt.Sprintf("kind: switch, closed-when: run, label: %q", w.Requesters[k].Name))
		d.wire(d.keyed(), "KILL.a", "OG", "box to controller")
	}
	for i, fan := range w.Fans {
		rpm := ""
		if fan.RPM > 0 {
			rpm = fmt.Sprintf(", rpm: %g", fan.RPM)
		}
		half := ""
		if fan.HalfVolts != Unknown {
			half = fmt.Sprintf(", half-volts: %s", fan.HalfVolts)
		}
		d.part(motor(i), fmt.Sprintf("kind: motor, volts: %.4g, amps: %.4g, inrush: %.4g%s%s, label: %q", fan.Volts, fan.Amps, fan.Inrush,
			rpm,
			half, fan.Name))
	}
	switch f {
	case Series:
		d.series()
	case Staged, Single:
		d.staged(f == Single)
	case Dropping:
		d.dropping()
	case Module:
		d.module()
	}
	d.joinLines()
	d.requesters()
	d.allStates(f)
	if w.There == nil { // on a harness that is there, what is tapped is a splice of itself
		d.splice()
	}
	text := d.text(f)
	c, err := harness.Read([]byte(text))
	if err != nil {
		return nil, fmt.Errorf("rewire: %s: %w", f, err)
	}
	return c, nil
}

func motor(i int) string { return fmt.Sprintf("M%d", i+1) }

func (d *drawing) part(name, keys string) {
	d.parts = append(d.parts, fmt.Sprintf("  %s: {%s}", name, keys))
}

// run is a wire as it is drawn: its ends, its colour and the way that it goes. Its size is found later.
type run struct{ from, to, colour, way string }

// within is the way of a wire that has neither size nor length of its own: inside a fan.
const within = ""

// wire joins two pins along a way.
func (d *drawing) wire(from, to, colour, way string) {
	d.wires = append(d.wires, run{from, to, colour, way})
}

// text is a wire's line in the file.
func (r run) text(w *Wish) string {
	if r.way == within {
		return fmt.Sprintf("  %s - %s: %s", r.from, r.to, r.colour)
	}
	return fmt.Sprintf("  %s - %s: %s 0.5mm2 %.4gm", r.from, r.to, r.colour, w.run(r.way))
}

// coilFeed is the pin that feeds the coils.
func (d *drawing) coilFeed() string {
	if d.killed != "" {
		return d.killed + ".b"
	}
	return d.keyed()
}

// keyed is the pin behind both the key and the coils' fuse.
func (d *drawing) keyed() string {
	if d.keyFirst {
		return "F9.b"
	}
	return "SW.b"
}

// keyFirst tells whether, in the harness that is there, the coils' fuse lies behind the key and not before it.
func keyFirst(there *harness.Circuit) bool {
	if there == nil {
		return false
	}
	return slices.ContainsFunc(there.Wires, func(w *harness.Wire) bool {
		ends := []*harness.Part{there.Part(w.From.Part), there.Part(w.To.Part)}
		pins := []harness.Pin{w.From, w.To}
		for i, p := range ends {
			s, ok := p.Spec.(*harness.Switch)
			if ok && s.ClosedWhen == "key" && pins[i].Name == "b" && ends[1-i].Kind() == harness.KindFuse {
				return true
			}
		}
		return false
	})
}

// resistorThere is a resistor of the harness that is there which gives a fan a low speed: its ohms lie between a third and
// twice what the fan itself is worth.
func (w *Wish) resistorThere(ohms float64) (*harness.Resistor, bool) {
	if w.There == nil {
		return nil, false
	}
	for _, p := range w.There.OfKind(harness.KindResistor) {
		if r := p.Spec.(*harness.Resistor); r.Ohms > ohms/3 && r.Ohms < 2*ohms {
			return r, true
		}
	}
	return nil, false
}

// coil gives the coil pins of the relays at hand that go to plus and to minus: on a relay with a diode, plus belongs to the
// diode's cathode.
func (d *drawing) coil() (plus, minus string) {
	if d.w.Relays.Suppression == "diode" && d.w.Relays.Cathode == "85" {
		return "85", "86"
	}
	return "86", "85"
}

// usualMake is the make contact of a relay before it is chosen, amps.
const usualMake = 40.0

// relay draws a relay without its coil's joints.
func (d *drawing) relay(name, contacts, label string) {
	d.relayOf(d.w.Relays.Coil, name, contacts, label)
}

// coils are the ohms of the coils that are sold for 12 V (common practice); for 24 V four times as many.
var coils = []float64{85, 120, 180, 270, 400}

// pilot draws a small relay between whoever asks and the coils: its own coil takes no more than its driver can.
func (d *drawing) pilot(r Requester, name, contacts, label string) {
	ohms, most := d.w.Relays.Coil, r.takes()
	for _, usual := range coils {
		usual *= d.w.nominal() * d.w.nominal() / 144
		if pilotSpare*d.w.Supply.Running/ohms > most && usual > ohms {
			ohms = usual
		}
	}
	d.relayOf(ohms, name, contacts, label)
}

// pilotSpare is what a driver has in hand over a pilot relay's coil and what lies across it (common practice).
const pilotSpare = 1.15

func (d *drawing) relayOf(ohms float64, name, contacts, label string) {
	keys := fmt.Sprintf("kind: relay, contacts: %s, coil-ohms: %.4g, rating: {make: %g, rest: %g}, label: %q, at: new box", contacts,
		ohms, max(d.w.Relays.Make, usualMake), d.w.Limits.RestContact, label)
	if d.w.Relays.Suppression != "" {
		keys += ", suppression: " + d.w.Relays.Suppression
	}
	if d.w.Relays.Cathode != "" {
		keys += fmt.Sprintf(", diode-cathode: %q", d.w.Relays.Cathode)
	}
	d.part(name, keys)
}

// staging draws a relay that a stage's line pulls in.
func (d *drawing) staging(name, contacts string, stage int) {
	d.relay(name, contacts, d.w.Speeds[min(stage, len(d.w.Speeds)-1)])
	plus, minus := d.coil()
	d.wire(d.coilFeed(), name+"."+plus, "OG", "in the box")
	d.lines[stage] = append(d.lines[stage], name+"."+minus)
}

// fused draws a fuse at the battery and gives the pin behind it.
func (d *drawing) fused(name, label string) string {
	if d.shared != "" && d.w.oneFeed() {
		return d.shared // as it is there: one feed for all
	}
	d.shared = name + ".b"
	d.part(name, fmt.Sprintf("kind: fuse, amps: 30, style: cartridge, label: %q, at: %q", label, d.fusePlace()))
	d.wire("BAT.+", name+".a", "RD", postToFuse)
	return name + ".b"
}

// oneGround is what may come together at one ground joint, amps of all fans; beyond that each has a joint of its own, since what a
// joint loses is lost to all that share it (common practice).
const oneGround = 50.0

// grounded joins a pin that carries load to the body.
func (d *drawing) grounded(pin string) {
	joint, total := "G1", 0.0
	for _, f := range d.w.Fans {
		total += f.Amps
	}
	if d.grounds++; d.grounds > 1 && total > oneGround {
		joint = fmt.Sprintf("G%d", d.grounds)
		d.part(joint, fmt.Sprintf("kind: ground, at: \"body stud %d\"", d.grounds))
	}
	d.wire(pin, joint, "BN", "fans to ground")
}

// series: low through a pair's first fan, the rest contact that joins it to the second, its link fuse and the second fan; high gives
// each fan its own feed and ground. Four fans are two such pairs. What feeds the second fan on high and what grounds the first then are
// switched together: with two contacts in a relay one relay does both, and neither can come without the other.
func (d *drawing) series() {
	relays := 3
	if d.w.Relays.Poles == 2 {
		relays = 2
	}
	for i := 0; i+1 < len(d.w.Fans); i += 2 {
		fuse := func(k int) string { return fmt.Sprintf("F%d", 3*(i/2)+k) }
		relay := func(k int) string { return fmt.Sprintf("K%d", relays*(i/2)+k) }
		first, second, link := motor(i), motor(i+1), fuse(3)
		low := d.fused(fuse(1), d.w.Fans[i].Name)
		lowRun := d.feedRun()
		high := d.fused(fuse(2), d.w.Fans[i+1].Name+", high")
		highRun := d.feedRun()
		d.staging(relay(1), "make", 0)
		feeds, joins, second87 := relay(2), relay(3), ""
		if relays == 3 {
			d.staging(feeds, "make", 1)
			d.staging(joins, "changeover", 1)
		} else {
			joins, second87 = feeds, "b"
			d.staging(joins, "double-changeover", 1)
		}
		d.part(link, "kind: fuse, amps: 25, style: cartridge, label: link, at: new box")
		d.wire(low, relay(1)+".30", "RD", lowRun)
		d.wire(relay(1)+".87", first+".+", "VT", "box to fans")
		d.wire(first+".-", joins+".30", "VT/WH", "box to fans")
		d.wire(joins+".87a", link+".a", "TQ/BN", "in the box")
		d.wire(link+".b", second+".+", "TQ", "box to fans")
		d.wire(high, feeds+".30"+second87, "RD/BN", highRun)
		d.wire(feeds+".87"+second87, second+".+", "TQ/RD", "box to fans")
		d.grounded(joins + ".87")
		d.grounded(second + ".-")
	}
}

// firstStage are the fans that low runs where they come on one after the other: half of them, and never one alone that must not be.
func (w *Wish) firstStage() []int {
	want := max(1, len(w.Fans)/2)
	var first []int
	for _, shy := range []bool{false, true} { // those that may run alone come first
		for i, f := range w.Fans {
			if f.NeverAlone == shy && len(first) < want {
				first = append(first, i)
			}
		}
		if len(first) == 1 && w.Fans[first[0]].NeverAlone {
			want = 2
		}
	}
	for i := range w.Fans {
		if len(first) < want && !slices.Contains(first, i) {
			first = append(first, i)
		}
	}
	return first
}

// staged: a relay a fan, or a relay with two contacts for two fans that are switched together; with one speed all at once.
func (d *drawing) staged(single bool) {
	first := d.w.firstStage()
	relay, pole := 0, 0
	name, was := "", -1
	for i := range d.w.Fans {
		stage := 1
		if single || slices.Contains(first, i) {
			stage = 0
		}
		from := d.fused(fmt.Sprintf("F%d", i+1), d.w.Fans[i].Name)
		if pole == 1 && stage == was { // the relay before has a contact left
			pole = 0
			d.wire(from, name+".30b", "RD", d.feedRun())
			d.wire(name+".87b", motor(i)+".+", "VT", "box to fans")
			d.grounded(motor(i) + ".-")
			continue
		}
		relay++
		name, was, pole = fmt.Sprintf("K%d", relay), stage, 0
		contacts := "make"
		if d.w.Relays.Poles == 2 && i+1 < len(d.w.Fans) && (single || slices.Contains(first, i+1) == (stage == 0)) {
			contacts, pole = "double-make", 1
		}
		d.staging(name, contacts, stage)
		d.wire(from, name+".30", "RD", d.feedRun())
		d.wire(name+".87", motor(i)+".+", "VT", "box to fans")
		d.grounded(motor(i) + ".-")
	}
}

// dropping: low through a resistor a fan, high past it. As many ohms as the fan itself is worth at full speed bring it to some
// two thirds of its speed, and still start it.
func (d *drawing) dropping() {
	low := d.fused("F1", "low")
	d.staging("K1", "make", 0)
	d.wire(low, "K1.30", "RD", d.feedRun())
	for i, fan := range d.w.Fans {
		resistor := fmt.Sprintf("R%d", i+1)
		ohms := fan.Volts / fan.Amps
		watts := fan.Amps * fan.Amps * ohms / 3
		if r, there := d.w.resistorThere(ohms); there {
			ohms, watts = r.Ohms, max(r.Watts, watts)
		}
		d.part(resistor, fmt.Sprintf("kind: resistor, ohms: %.2g, watts: %.0f, airflow: needed, label: %q, at: in the fan's air", ohms,
			watts, "low, "+fan.Name))
		// A fan that stands still puts the whole supply across its resistor, and the fuse carries that for hours: what ends it is a
		// limiter bolted to the resistor's body.
		limiter := fmt.Sprintf("T%d", i+1)
		d.part(limiter, fmt.Sprintf("kind: limiter, opens: %g, label: %q, at: in the fan's air", limiterOpens, "bolted to "+resistor))
		d.wire("K1.87", limiter+".a", "YE", "box to fans")
		d.wire(limiter+".b", resistor+".a", "YE", "in the box")
		d.wire(resistor+".b", motor(i)+".+", "YE/BK", "in the box")
		from := d.fused(fmt.Sprintf("F%d", i+2), "high, "+fan.Name)
		relay, pole := d.contactOf(i, 2)
		if pole == "" {
			d.staging(relay, d.contactsFor(i), 1)
		}
		d.wire(from, relay+".30"+pole, "RD", d.feedRun())
		d.wire(relay+".87"+pole, motor(i)+".+", "VT", "box to fans")
		d.grounded(motor(i) + ".-")
	}
}

// contactOf names the relay and the contact of the i-th of several fans that are all switched together, relays numbered from one on;
// where relays have two contacts, every second fan takes the second of the one before.
func (d *drawing) contactOf(i, from int) (relay, pole string) {
	if d.w.Relays.Poles != 2 {
		return fmt.Sprintf("K%d", from+i), ""
	}
	return fmt.Sprintf("K%d", from+i/2), []string{"", "b"}[i%2]
}

// contactsFor are those of the relay that the i-th of them takes: two where another fan comes after it.
func (d *drawing) contactsFor(i int) string {
	if d.w.Relays.Poles == 2 && i+1 < len(d.w.Fans) {
		return "double-make"
	}
	return "make"
}

// limiterOpens is at how many °C of the resistor's body the limiter opens, once and for all (common practice).
const limiterOpens = 180.0

// module: one module for all fans that have brushes, its electronics on the key's feed; a fan with electronics of its own has its
// feed and its ground, and hangs on the same line.
func (d *drawing) module() {
	var outputs []string
	level, open := d.w.level(), "full"
	if d.w.OpenLine == Stops {
		open = "off"
	}
	for i, fan := range d.w.Fans {
		if fan.Brushless != nil {
			d.brushless(i)
			continue
		}
		outputs = append(outputs, fmt.Sprintf("fan%d: {+: o%d, -: r%d}", i+1, i+1, i+1))
	}
	keys := fmt.Sprintf(`kind: pwm-module, control: c, feeds: ["+"], logic: [l], grounds: ["-"], outputs: {%s}, duty: {min: 10, max: 90}, `+
		`on-level: %s, open: %q, grounded: %q, ramp: 3`, strings.Join(outputs, ", "), level, open,
		map[string]string{"low": "full", "high": "off"}[level])
	if len(outputs) == 0 {
		return
	}
	d.controls = append(d.controls, "FM.c")
	if d.w.Module.Amps > 0 {
		keys += fmt.Sprintf(", rating: {amps: %g}", d.w.Module.Amps)
	}
	if len(d.w.Module.Hertz) == 2 {
		keys += fmt.Sprintf(", hertz: {from: %g, to: %g}", d.w.Module.Hertz[0], d.w.Module.Hertz[1])
	}
	d.part("FM", keys)
	d.feedsDrawn++
	d.wire(d.fused(fmt.Sprintf("F%d", d.feedsDrawn), "module"), "FM.+", "RD", "battery to module")
	d.wire(d.coilFeed(), "FM.l", "OG", "box to fans")
	d.grounded("FM.-")
	for i, fan := range d.w.Fans {
		if fan.Brushless != nil {
			continue
		}
		d.wire(fmt.Sprintf("FM.o%d", i+1), motor(i)+".+", "VT", "in the box")
		d.wire(motor(i)+".-", fmt.Sprintf("FM.r%d", i+1), "VT/BN", "in the box")
	}
}

// brushless: the fan's own electronics, with the motor within.
func (d *drawing) brushless(i int) {
	b, name := d.w.Fans[i].Brushless, own(i)
	open := map[OpenLine]string{Runs: "full", Stops: "off"}[b.OpenLine]
	grounded := map[string]string{"low": "full", "high": "off"}[b.Level]
	d.part(name, fmt.Sprintf(`kind: pwm-module, control: c, feeds: ["+"], grounds: ["-"], outputs: {fan: {+: o, -: r}}, duty: {min: 10, `+
		`max: 90}, on-level: %s, hertz: {from: %g, to: %g}, open: %q, grounded: %q, ramp: 3, label: %q`, b.Level, b.Hertz[0], b.Hertz[1],
		open, grounded, "electronics of "+d.w.Fans[i].Name+", within it"))
	d.feedsDrawn++
	d.wire(d.fused(fmt.Sprintf("F%d", d.feedsDrawn), d.w.Fans[i].Name), name+".+", "RD", "battery to module")
	d.grounded(name + ".-")
	d.wire(name+".o", motor(i)+".+", "RD", within)
	d.wire(motor(i)+".-", name+".r", "BN", within)
	d.controls = append(d.controls, name+".c")
}

// own names the electronics within a brushless fan.
func own(i int) string { return fmt.Sprintf("E%s", motor(i)) }

// level is the part of a pulse that counts: what the brushless fans want, high where there is none.
func (w *Wish) level() string {
	for _, f := range w.Fans {
		if f.Brushless != nil {
			return f.Brushless.Level
		}
	}
	return "high"
}

// Names of the states that every design is tried in beside those in which somebody asks.
const (
	offState      = "off"
	parkedState   = "parked hot"
	crankingState = "cranking"
	killedState   = "killed"
	hotState      = "all ask" // the engine hot, the A/C on: every output and every switch in coolant and refrigerant
)

var ownStates = []string{offState, parkedState, crankingState, killedState, hotState}

// allStates: nobody asks; each speed by whoever asks for it first; every other requester alone; the key off and hot;
// cranking; the kill switch with the highest speed asked for.
func (d *drawing) allStates(f Family) {
	state := func(name string, keys ...string) {
		if d.killed != "" && name != killedState {
			keys = append(keys, "KILL: on")
		}
		d.states = append(d.states, fmt.Sprintf("  %q: {%s}", name, strings.Join(keys, ", ")))
	}
	// What is not asked for stands so that nothing asks: cold, no pressure, no command.
	asking := func(words string) []string {
		keys := []string{"key: on"}
		for _, rest := range []string{"commands: []", "coolant: 20", "pressure: 5"} {
			if words == "" || strings.SplitN(rest, ":", 2)[0] != strings.SplitN(words, ":", 2)[0] {
				keys = append(keys, rest)
			}
		}
		if words != "" {
			keys = append(keys, words)
		}
		return keys
	}
	state(offState, asking("")...)
	said := map[string]bool{}
	for i, speed := range d.w.Speeds {
		words := ""
		if r, by := d.first(speed); by != "" {
			words, said[r.Name] = by, true
		}
		if f == Module {
			words = fmt.Sprintf("commands: [%q], duty: %d", d.pulsed(), 45+45*(i+2-len(d.w.Speeds)))
			said[d.pulsed()] = true
		}
		state(speed, asking(words)...)
	}
	for _, r := range d.w.Requesters {
		if words := d.asks[r.Name]; words != "" && !said[r.Name] && r.Gives != Kill {
			state(d.w.stateOf(r), asking(words)...)
		}
	}
	if d.killed != "" && f != Module {
		_, words := d.first(d.w.Speeds[len(d.w.Speeds)-1])
		state(killedState, append(asking(words), "KILL: off")...)
	}
	if words := d.hot(f); words != "" {
		state(hotState, "key: on", words)
	}
	d.states = append(d.states, fmt.Sprintf("  %q: {commands: [], coolant: 105%s}", parkedState, d.closed()),
		fmt.Sprintf("  %q: {key: on, engine: cranking, commands: [], coolant: 20%s}", crankingState, d.closed()))
}

// stateOf names the state in which one alone asks: as it is called itself, unless its speed is called so.
func (w *Wish) stateOf(r Requester) string {
	if slices.Contains(w.Speeds, r.Name) {
		return r.Name + " by itself"
	}
	return r.Name
}

// hot is how all ask at once; nothing where only one does.
func (d *drawing) hot(f Family) string {
	var commands []string
	coolant, pressure, asking := 20.0, 5.0, 0
	for _, r := range d.w.Requesters {
		words := d.asks[r.Name]
		switch {
		case words == "" || r.Gives == Kill || r.Gives == Toggle:
			continue
		case r.Gives == Switch:
			coolant = max(coolant, r.Closes+1)
		case r.Gives == Pressure:
			pressure = max(pressure, r.Closes+1)
		default:
			commands = append(commands, fmt.Sprintf("%q", r.Name))
		}
		asking++
	}
	if asking < 2 {
		return ""
	}
	duty := ""
	if f == Module {
		duty = ", duty: 90"
	}
	return fmt.Sprintf("commands: [%s], coolant: %g, pressure: %g%s", strings.Join(commands, ", "), coolant, pressure, duty)
}

func (d *drawing) closed() string {
	if d.killed == "" {
		return ""
	}
	return ", KILL: on"
}

// first is who asks for a speed first, and how: an output before a switch.
func (d *drawing) first(speed string) (Requester, string) {
	for _, outputs := range []bool{true, false} {
		for _, r := range d.w.Requesters {
			words := d.asks[r.Name]
			if string(r.Asks) == speed && words != "" && r.Gives != Kill && strings.HasPrefix(words, "commands") == outputs {
				return r, words
			}
		}
	}
	return Requester{}, ""
}

// pulsed is the requester that gives pulses.
func (d *drawing) pulsed() string {
	for _, r := range d.w.Requesters {
		if r.Gives == Pulses {
			return r.Name
		}
	}
	return ""
}

func (d *drawing) text(f Family) string {
	title := d.w.Title
	if title == "" {
		title = "Rewired fans"
	}
	var b strings.Builder
	fmt.Fprintf(&b, "harness: 1\ntitle: %q\n", title+": "+f.Words())
	b.WriteString("notes: |\n  Designed from a wish and solved; colours and places are proposals.\n")
	fmt.Fprintf(&b, "supply: {off: %g, running: %.4g}\n", d.w.Supply.Off, d.w.Supply.Running)
	b.WriteString("parts:\n" + strings.Join(d.parts, "\n") + "\nwires:\n")
	for _, wire := range d.wires {
		b.WriteString(wire.text(d.w) + "\n")
	}
	b.WriteString("states:\n" + strings.Join(d.states, "\n") + "\n")
	if len(d.rules) > 0 {
		b.WriteString("strategy:\n" + strings.Join(d.rules, "\n") + "\n")
	}
	return b.String()
}
