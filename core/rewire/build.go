package rewire

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/size"
)

// What is taken to the bench and to the car: what to buy, what to cut, which socket gets which wire, and in which order it is
// built. Each check of that order is foretold by solving the circuit as far as it then stands: relays out, fans unplugged,
// and so on.

// Build is a proposal's build sheets.
type Build struct {
	Parts   []BuyLine
	Wires   []WireLine
	Grouped []Group
	Sockets []SocketLine
	Steps   []Step
	Bench   []string // temporary joints of the demonstration on the bench; none may remain
	Touch   []Touch
	Alike   []string // cavities that look alike: "not this one"
	Labels  []string
	Rules   []Rule
	Total   float64 // price of what is bought, in the workshop's money
}

// BuyLine is a part with what must be known to buy it; Have tells that it is there already.
type BuyLine struct {
	Name, What, At string
	Price          float64
	Have           bool
}

// WireLine is a wire to be cut.
type WireLine struct {
	Number                 int
	From, To               string
	Colour                 string
	MM2                    float64
	AWG                    int
	Metres                 float64 // with the allowance
	FromTerminal, Terminal string
	Sealed                 bool
	Does                   string // its function
	Amps                   float64
}

// Group is all connections of one function.
type Group struct {
	Does  string
	Wires []string
}

// SocketLine is a relay's socket: what goes into each cavity, by both numberings.
type SocketLine struct {
	Name, Label, What string
	FivePin           bool
	Cavities          []Cavity
}

// Cavity is one cavity of a socket. Print is the other usual numbering, from memory: what counts is printed on the relay.
type Cavity struct{ Terminal, Print, Wire, Colour, Does string }

// Step is one step of building: what to do, and what must then be so.
type Step struct {
	Do     string
	Set    []string // how the circuit stands for the checks
	Checks []Expected
}

// Expected is what a check must show, foretold by the model.
type Expected struct{ Do, Shows string }

// Touch is a place to be felt, or measured with a thermometer, in the trial run.
type Touch struct {
	What string
	Loss float64 // W
	Most string
}

// Rule is a piece of common practice with its heading.
type Rule struct{ Head, Text string }

// Allowance for a wire: a share for bends and a length for two ends to be stripped again (common practice).
const (
	bends   = 1.1
	endings = 0.1
	cutStep = 0.05 // m
)

// thick is the current from which a wire's job is the load and not a signal.
const thick = 2.0

// Sheets makes the build sheets of a proposal.
func (p *Proposal) Sheets(w *Wish) (*Build, error) {
	d := &design{w: w, f: p.Family, c: p.Circuit}
	if err := d.solve(); err != nil {
		return nil, err
	}
	b := &Build{Rules: rules(p.Circuit)}
	d.buy(b, p)
	d.cut(b)
	d.cards(b)
	d.alike(b)
	d.touch(b)
	if err := d.order(b); err != nil {
		return nil, err
	}
	d.onTheBench(b)
	return b, nil
}

func (d *design) buy(b *Build, p *Proposal) {
	for _, part := range d.c.Parts {
		switch part.Kind() {
		case harness.KindBattery, harness.KindMotor:
			continue
		}
		if part.Name == "ECU" {
			continue // it is there
		}
		line := BuyLine{Name: part.Name, What: describe(part), At: part.At, Price: part.Price()}
		line.Have = d.w.There != nil && !slices.Contains(p.Change.Added, part.Name)
		if !line.Have {
			b.Total += line.Price
		}
		b.Parts = append(b.Parts, line)
		b.Labels = append(b.Labels, strings.TrimSpace(part.Name+" "+part.Label))
	}
}

// describe says what must be known to buy a part.
func describe(p *harness.Part) string {
	words := []string{strings.ReplaceAll(string(p.Kind()), "-", " ")}
	switch s := p.Spec.(type) {
	case *harness.Fuse:
		words = []string{fmt.Sprintf("fuse %g A, %s, with its holder", s.Amps, s.Style)}
	case *harness.Relay:
		words = []string{fmt.Sprintf("relay, %s, coil about %.0f Ω, contact %g A make", s.Contacts, s.CoilOhms, s.Make)}
		if s.HasRest() {
			words = append(words, fmt.Sprintf("%g A rest", s.Rest))
		}
		if s.Suppression != "" && s.Suppression != harness.Unsuppressed {
			words = append(words, fmt.Sprintf("with a %s across the coil", s.Suppression))
		}
		words = append(words, "with its socket")
	case *harness.Resistor:
		words = []string{fmt.Sprintf("resistor %.2g Ω, %.0f W or more, in the fan's air", s.Ohms, s.Watts)}
	case *harness.Controller:
		words = []string{"electronic fan controller with its probe, an output to ground for relay coils; its feed through its own fuse"}
	case *harness.Diode:
		words = []string{"diode, 1 A or more, 200 V or more, sealed"}
	case *harness.StagedSwitch:
		unit := map[harness.Quantity]string{harness.Coolant: "°C", harness.Pressure: "bar"}[s.Senses]
		for _, st := range s.Stages {
			words = append(words, fmt.Sprintf("closes at %g %s, opens at %g %s", st.Closes, unit, st.Opens, unit))
		}
	case *harness.PWMModule:
		words = []string{"fan module told by pulses"}
		if s.RatedAmps > 0 {
			words = append(words, fmt.Sprintf("%g A an output", s.RatedAmps))
		}
	case *harness.Ground:
		words = []string{"ground joint: ring terminals on bare metal, sealed after tightening"}
	}
	return strings.Join(words, ", ")
}

// cut lists the wires, and groups them by what they do.
func (d *design) cut(b *Build) {
	groups := map[string][]string{}
	for i, w := range d.c.Wires {
		line := WireLine{Number: i + 1, From: w.From.String(), To: w.To.String(), Colour: w.Colour, MM2: w.Size.SquareMM(),
			AWG: size.AWG(w.Size.SquareMM()), Amps: round(d.amps[i], 1), Does: d.does(i),
			Metres:       math.Ceil((w.Length.Metres()*bends+endings)/cutStep-1e-9) * cutStep,
			FromTerminal: d.terminal(w.From, w.Size.SquareMM()), Terminal: d.terminal(w.To, w.Size.SquareMM()),
			Sealed: d.wet(w.From) || d.wet(w.To)}
		b.Wires = append(b.Wires, line)
		groups[line.Does] = append(groups[line.Does], fmt.Sprintf("%d: %s to %s", line.Number, line.From, line.To))
	}
	for _, does := range functions {
		if list := groups[does]; len(list) > 0 {
			b.Grouped = append(b.Grouped, Group{does, list})
		}
	}
}

// What wires do, in the order in which a harness is read.
const (
	feeds    = "feed from the battery"
	load     = "load"
	earth    = "ground"
	coilFeed = "coil feed"
	control  = "control"
)

var functions = []string{feeds, load, earth, coilFeed, control}

// does tells what a wire does.
func (d *design) does(i int) string {
	w := d.c.Wires[i]
	joins := func(kind harness.Kind) bool {
		return d.c.Part(w.From.Part).Kind() == kind || d.c.Part(w.To.Part).Kind() == kind
	}
	key := func(pin harness.Pin) bool {
		return pin.Part == "SW" || pin.Part == "KILL" || pin.Part == "F9" || pin == (harness.Pin{Part: "FM", Name: "l"})
	}
	switch {
	case key(w.From) || key(w.To):
		return coilFeed
	case joins(harness.KindBattery):
		return feeds
	case joins(harness.KindGround):
		return earth
	case d.amps[i] > thick:
		return load
	}
	return control
}

// wet tells whether a pin sits out in the spray.
func (d *design) wet(pin harness.Pin) bool {
	switch d.c.Part(pin.Part).Kind() {
	case harness.KindMotor, harness.KindThermoswitch, harness.KindPressureSwitch, harness.KindPWMModule, harness.KindResistor:
		return true
	}
	return false
}

// terminal is what is crimped to a wire at a pin (common practice).
func (d *design) terminal(pin harness.Pin, mm2 float64) string {
	switch d.c.Part(pin.Part).Kind() {
	case harness.KindBattery, harness.KindGround:
		return "ring"
	case harness.KindRelay:
		if mm2 > 6 {
			return "9.5 mm blade"
		}
		return "6.3 mm blade"
	case harness.KindFuse:
		if mm2 > 6 {
			return "bolt-down"
		}
		return "fuse-holder contact"
	case harness.KindController:
		return "the controller plug's own contact"
	case harness.KindDiode:
		return "sealed crimp"
	}
	return "the plug's own contact"
}

// otherPrint is the other usual numbering of a relay's cavities (from memory; the print on the part counts).
var otherPrint = map[string]string{"86": "1", "85": "2", "30": "3", "87a": "4", "87": "5"}

// cards lists each relay's socket.
func (d *design) cards(b *Build) {
	for _, p := range d.c.OfKind(harness.KindRelay) {
		spec := p.Spec.(*harness.Relay)
		s := SocketLine{Name: p.Name, Label: p.Label, What: describe(p), FivePin: spec.HasRest()}
		for _, name := range []string{"30", "85", "86", "87", "87a"} {
			at := harness.Pin{Part: p.Name, Name: name}
			cavity := Cavity{Terminal: name, Print: otherPrint[name], Wire: "stays empty"}
			var to, colours []string
			for i, w := range d.c.Wires {
				other := w.To
				if w.To == at {
					other = w.From
				} else if w.From != at {
					continue
				}
				to = append(to, fmt.Sprintf("%d to %s", i+1, other))
				colours = append(colours, w.Colour)
				cavity.Does = d.does(i)
			}
			if len(to) > 0 {
				cavity.Wire, cavity.Colour = strings.Join(to, ", "), strings.Join(colours, ", ")
			} else if !slices.ContainsFunc(p.Pins(), func(x harness.Pin) bool { return x == at }) {
				cavity.Wire = "not on this relay"
			}
			s.Cavities = append(s.Cavities, cavity)
		}
		b.Sockets = append(b.Sockets, s)
	}
}

// alike names cavities of one part, or of neighbours in the box, that hold wires of one colour and size: the wrong one is
// easily taken.
func (d *design) alike(b *Build) {
	type end struct {
		pin    harness.Pin
		colour string
		mm2    float64
	}
	var ends []end
	for _, w := range d.c.Wires {
		for _, pin := range []harness.Pin{w.From, w.To} {
			if d.c.Part(pin.Part).At != "" && d.c.Part(pin.Part).Kind() != harness.KindGround {
				ends = append(ends, end{pin, w.Colour, w.Size.SquareMM()})
			}
		}
	}
	byLook := map[string][]string{}
	for _, e := range ends {
		key := fmt.Sprintf("%s, %g mm², %s", e.colour, e.mm2, d.c.Part(e.pin.Part).At)
		if !slices.Contains(byLook[key], e.pin.String()) {
			byLook[key] = append(byLook[key], e.pin.String())
		}
	}
	for key, pins := range byLook {
		if len(pins) > 1 {
			slices.Sort(pins)
			b.Alike = append(b.Alike, fmt.Sprintf("%s: %s", key, strings.Join(pins, ", ")))
		}
	}
	slices.Sort(b.Alike)
}

// Bounds of what is worth feeling in the trial run.
const (
	warmWatts = 0.4
	touches   = 8
)

// touch lists where the highest speed loses most, and what is too warm there (common practice).
func (d *design) touch(b *Build) {
	watts := map[string]float64{}
	for _, speed := range d.w.Speeds {
		point := d.points[speed]
		add := func(what string, loss float64) { watts[what] = max(watts[what], loss) }
		for i, w := range d.c.Wires {
			amps := point.Wires[i].Amps
			add("wire "+w.String(), amps*amps*w.Ohms())
			for _, pin := range []harness.Pin{w.From, w.To} {
				switch spec := d.c.Part(pin.Part).Spec.(type) {
				case *harness.Relay:
					if pin.Name == "30" {
						add(pin.Part+", contact", amps*amps*spec.ContactOhms)
					}
				case *harness.Fuse:
					if pin.Name == "b" {
						add(pin.Part+", fuse and holder", amps*amps*fuseVolts/spec.Amps)
					}
				case *harness.Resistor:
					if pin.Name == "a" {
						add(pin.Part+", resistor", amps*amps*spec.Ohms)
					}
				}
			}
		}
	}
	for what, loss := range watts {
		if loss < warmWatts {
			continue
		}
		most := "hand-warm, under 60 °C; hot means a bad joint"
		if strings.HasSuffix(what, "resistor") {
			most = "hot by nature, do not touch: the air behind it, and nothing that melts beside it"
		}
		b.Touch = append(b.Touch, Touch{what, round(loss, 1), most})
	}
	slices.SortFunc(b.Touch, func(x, y Touch) int { return cmp.Or(cmp.Compare(y.Loss, x.Loss), cmp.Compare(x.What, y.What)) })
	b.Touch = b.Touch[:min(len(b.Touch), touches)]
}

// order is the order of building, low proven first, then high.
func (d *design) order(b *Build) error {
	relays, fans := d.actions(harness.KindRelay), d.actions(harness.KindMotor)
	b.Steps = append(b.Steps, Step{Do: "Battery negative off. Mount the box, the relays' sockets and the fuse holders; lay the wires by " +
		"the wire list; " +
		"fuses out, relays out, fans unplugged. Leave the old wiring in place until all works."})
	steps := []struct {
		do     string
		states []string
		set    []electric.Action
		look   func(s *harness.State, set []electric.Action) ([]Expected, error)
	}{
		{"Battery on, the coils' fuse in: prove the key's feed. It must be dead with the key off, alive with the key on, and stay alive " +
			"while " +
			"the engine is cranked.", []string{parkedState, offState, crankingState}, slices.Concat(relays, fans), d.coilFeedsAt},
		{"Prove each control line before a relay is in: red lead to the battery's plus, black lead to the cavity; a line that pulls shows " +
			"the " +
			"battery's volts.", append([]string{offState}, d.w.Speeds...), slices.Concat(relays, fans), d.linesAt},
		{"Feeds' fuses and relays in, fans still unplugged: low first, then high.", append([]string{offState}, d.w.Speeds...), fans,
			d.plugsAt},
		{"Fans plugged in, hands away: low first, then high, each fan looked at and the current taken by clamp at the battery.",
			append([]string{offState}, d.w.Speeds...), nil, d.running},
		{"What nobody asks for: the key off and hot, the controller's plug off.", []string{parkedState}, nil, d.running},
	}
	for _, step := range steps {
		out := Step{Do: step.do}
		for _, a := range step.set {
			out.Set = append(out.Set, a.String())
		}
		for _, name := range step.states {
			s := d.c.State(name)
			if s == nil {
				continue
			}
			list, err := step.look(s, step.set)
			if err != nil {
				return err
			}
			out.Checks = append(out.Checks, list...)
		}
		if len(out.Checks) > 0 {
			b.Steps = append(b.Steps, out)
		}
	}
	b.Steps = append(b.Steps, Step{Do: "Every requester by itself, then a watched warm-up to both thresholds; feel the touch points; " +
		"only then take the " +
		"old wiring out, cap what stays live, and put the labels on."})
	return nil
}

// actions take all parts of a kind out or off.
func (d *design) actions(kind harness.Kind) []electric.Action {
	var list []electric.Action
	for _, p := range d.c.OfKind(kind) {
		list = append(list, electric.Action{Verb: electric.DetachVerb(kind), Part: p.Name})
	}
	return list
}

// volts is a voltmeter's reading in words, its sign left out: which lead is which is said beside it.
func (d *design) volts(s *harness.State, set []electric.Action, at, from harness.Pin) (string, error) {
	r, err := d.m.Measure(electric.Measurement{Condition: electric.Condition{State: s, Setup: set}, Instrument: electric.Voltmeter, At: at,
		From: from})
	if err != nil {
		return "", fmt.Errorf("rewire: %w", err)
	}
	if r.Figure == nil {
		return "nothing", nil
	}
	return fmt.Sprintf("%.1f V", math.Abs(*r.Figure)), nil
}

// coilPins lists the pins of all relays' coils on one side, told apart by their wire's function.
func (d *design) coilPins(does string) []harness.Pin {
	var list []harness.Pin
	for i, w := range d.c.Wires {
		if d.does(i) != does {
			continue
		}
		for _, pin := range []harness.Pin{w.From, w.To} {
			if d.c.Part(pin.Part).Kind() == harness.KindRelay && (pin.Name == "85" || pin.Name == "86") && !slices.Contains(list, pin) {
				list = append(list, pin)
			}
		}
	}
	return list
}

func (d *design) coilFeedsAt(s *harness.State, set []electric.Action) ([]Expected, error) {
	pins := d.coilPins(coilFeed)
	if d.c.Part("FM") != nil {
		pins = append(pins, harness.Pin{Part: "FM", Name: "l"})
	}
	return d.each(s, set, pins, harness.Pin{Part: "BAT", Name: "-"}, "black lead on the battery's minus, red on %s")
}

func (d *design) linesAt(s *harness.State, set []electric.Action) ([]Expected, error) {
	return d.each(s, set, d.coilPins(control), harness.Pin{Part: "BAT", Name: "+"}, "%s against the battery's plus")
}

func (d *design) plugsAt(s *harness.State, set []electric.Action) ([]Expected, error) {
	var list []Expected
	for i := range d.w.Fans {
		plus, minus := harness.Pin{Part: motor(i), Name: "+"}, harness.Pin{Part: motor(i), Name: "-"}
		if d.f == Series && s.Name == d.w.Speeds[0] { // nothing flows with the plugs off: each side by itself
			one, err := d.each(s, set, []harness.Pin{plus, minus}, harness.Pin{Part: "BAT", Name: "-"}, "%s of its plug")
			if err != nil {
				return nil, err
			}
			list = append(list, one...)
			continue
		}
		text, err := d.volts(s, set, plus, minus)
		if err != nil {
			return nil, err
		}
		list = append(list, Expected{fmt.Sprintf("%s: across the plug of %s", s.Name, motor(i)), text})
	}
	return list, nil
}

func (d *design) each(s *harness.State, set []electric.Action, pins []harness.Pin, from harness.Pin, words string) ([]Expected, error) {
	var list []Expected
	for _, pin := range pins {
		text, err := d.volts(s, set, pin, from)
		if err != nil {
			return nil, err
		}
		list = append(list, Expected{s.Name + ": " + fmt.Sprintf(words, pin), text})
	}
	return list, nil
}

func (d *design) running(s *harness.State, set []electric.Action) ([]Expected, error) {
	list := make([]Expected, 0, 2)
	p, err := d.m.Solve(electric.Condition{State: s, Setup: set})
	if err != nil {
		return nil, fmt.Errorf("rewire: %w", err)
	}
	var words []string
	for i := range d.w.Fans {
		words = append(words, fmt.Sprintf("%s %s", motor(i), p.Motors[motor(i)].Speed))
	}
	list = append(list, Expected{s.Name + ", engine off: the fans", strings.Join(words, ", ")},
		Expected{s.Name + ", engine off: clamp round the feeds at the battery", fmt.Sprintf("%.1f A", math.Abs(d.fromBattery(p)))})
	if s.Name == parkedState && d.c.Part("ECU") != nil {
		stands, err := d.stands()
		if err != nil {
			return nil, err
		}
		for _, x := range stands {
			if x.Condition == "controller unplugged" {
				var words []string
				for i := range d.w.Fans {
					words = append(words, fmt.Sprintf("%s %s", motor(i), x.Fans[motor(i)]))
				}
				list = append(list, Expected{"key on, the controller's plug off: the fans", strings.Join(words, ", ")})
			}
		}
	}
	return list, nil
}

// onTheBench lists the temporary joints with which the circuit can be shown working before it goes in.
func (d *design) onTheBench(b *Build) {
	b.Bench = append(b.Bench, "a bench supply or a battery that gives the fans' inrush, through a fuse no larger than the feed's: plus "+
		"to the feeds' "+
		"fuses and to the key's wire, minus to the ground wires")
	for _, p := range d.c.OfKind(harness.KindController) {
		for _, role := range p.Spec.(*harness.Controller).PinRoles {
			if role.Command() != "" {
				b.Bench = append(b.Bench, fmt.Sprintf("a lead from the wire for %s.%s (%s), to be touched to what the output gives", p.Name,
					role.Name,
					role.Command()))
			}
		}
	}
	for _, kind := range []harness.Kind{harness.KindThermoswitch, harness.KindPressureSwitch} {
		for _, p := range d.c.OfKind(kind) {
			b.Bench = append(b.Bench, fmt.Sprintf("a lead across the plug of %s in place of the switch", p.Name))
		}
	}
	b.Bench = append(b.Bench, "count these joints before and after: none may remain in the harness")
}

// rules are the pieces of common practice that go with a harness.
func rules(c *harness.Circuit) []Rule {
	list := []Rule{
		{"Joints", "Crimp with the tool that belongs to the terminal, or solder and support the wire; no joint is twisted and left. Under " +
			"the bonnet every " +
			"joint is covered with adhesive-lined heat-shrink."},
		{"Way of the wires", "Away from the exhaust and moving parts, through a grommet at every sheet of metal, tied every 20 cm, sleeved " +
			"where they " +
			"could chafe, with slack between body and engine."},
		{"Mounting", "Sockets with their openings down, above the spray, not on parts that get replaced (radiator, condenser, fan shroud). " +
			"Look behind " +
			"before drilling; screws keep clear of the core's tubes. Check that the fans turn freely and blow the same way as before."},
		{"The key's feed", "Take it from a circuit that is dead with the key off and stays alive while cranking; look what else hangs on " +
			"its fuse, and " +
			"measure it again with the relays pulled in."},
		{"Caution", "Fans start without warning: unplug them or pull their fuse before hands go near. Battery negative off for splicing. " +
			"Never a larger " +
			"fuse, not even for a test. Hot coolant and pressure: never open a hot system."},
	}
	if len(c.OfKind(harness.KindThermoswitch)) > 0 {
		list = append(list, Rule{"Sensor's place", "A thermal switch is set for one place: in the radiator's outlet it sees cooler water " +
			"than in the engine's " +
			"outlet. Where it is moved, watch a warm-up with a second thermometer and choose its temperature anew."})
	}
	if len(c.OfKind(harness.KindResistor)) > 0 {
		list = append(list, Rule{"Resistor", "Bolt it into the fan's air first, then test: outside its air it overheats within seconds. " +
			"Nothing that melts within a " +
			"hand's breadth."})
	}
	if len(c.OfKind(harness.KindPWMModule)) > 0 {
		list = append(list, Rule{"Module", "Its plug's wires must be as thick as the wire list says: replacement plugs often come with " +
			"thinner ones. Its body " +
			"needs air, and its minus goes to the body by itself, not through another part's ground."})
	}
	return list
}
