package rewire

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

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
	Lengths []Length // of wire to be had, by colour and size
	Grouped []Group
	Sockets []SocketLine
	Steps   []Step
	Done    []string // to the harness that is there, one thing after the other
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

// Length is how much wire of one colour and size is cut, metres.
type Length struct {
	Colour string
	MM2    float64
	Metres float64
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
	d := &design{w: w, f: p.Family, c: p.Circuit, on: p.on}
	if err := d.solve(); err != nil {
		return nil, err
	}
	b := &Build{Rules: rules(p.Circuit)}
	b.Rules = append([]Rule{{"Feeds", fmt.Sprintf("Each feed has its own fuse at the battery's post, at most %g m from it. Before its fuse "+
		"nothing clears a short: that piece is sleeved, and tied where nothing moves.", mostUnfused)}}, b.Rules...)
	d.buy(b, p)
	d.cut(b)
	d.cards(b)
	d.alike(b)
	d.touch(b)
	if err := d.order(b); err != nil {
		return nil, err
	}
	d.onTheBench(b)
	if o := p.Operations; p.on != nil {
		b.Done = slices.Concat(o.Cut, o.Moved, o.Tapped, o.Laid, o.New, o.Left)
	}
	return b, nil
}

func (d *design) buy(b *Build, p *Proposal) {
	for _, part := range d.c.Parts {
		switch part.Kind() {
		case harness.KindBattery, harness.KindMotor:
			continue
		}
		if d.isForeign(part.Name) {
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
		words = []string{fmt.Sprintf("relay, %s, coil about %.0f Ω, contact %g A make", s.Contacts, s.CoilOhms, makeOf(s))}
		if s.HasRest() {
			words = append(words, fmt.Sprintf("%g A rest", s.Rest))
		}
		if s.Suppression != "" && s.Suppression != harness.Unsuppressed {
			words = append(words, fmt.Sprintf("with a %s across the coil", s.Suppression))
		}
		words = append(words, "with its socket")
	case *harness.Resistor:
		words = []string{fmt.Sprintf("resistor %.2g Ω, %.0f W or more, in the fan's air", s.Ohms, s.Watts)}
	case *harness.Limiter:
		words = []string{fmt.Sprintf("thermal limiter, opens once at %.0f °C, bolted to the resistor's body with heat paste", s.Opens)}
	case *harness.Controller:
		words = []string{"electronic fan controller with its probe, an output to ground for relay coils; its feed through its own fuse"}
	case *harness.Diode:
		words = []string{"diode, 1 A or more, 200 V or more, sealed"}
	case *harness.StagedSwitch:
		unit := map[harness.Quantity]string{harness.Coolant: "°C", harness.Pressure: "bar"}[s.Senses]
		for _, st := range s.Stages {
			words = append(words, fmt.Sprintf("closes at %g %s, opens at %g %s", st.Closes, unit, st.Opens, unit))
		}
	case *harness.Motor:
		words = []string{fmt.Sprintf("fan, %g V, %g A", s.Volts, s.Amps)}
	case *harness.PWMModule:
		words = []string{"fan module told by pulses"}
		if s.RatedAmps > 0 {
			words = append(words, fmt.Sprintf("%g A an output", s.RatedAmps))
		}
	case *harness.Splice:
		words = []string{"splice: crimped or soldered, covered with adhesive-lined heat-shrink"}
	case *harness.Ground:
		words = []string{"ground joint: ring terminals on bare metal, sealed after tightening"}
	}
	return strings.Join(words, ", ")
}

// cut lists the wires, and groups them by what they do.
func (d *design) cut(b *Build) {
	groups := map[string][]string{}
	for i, w := range d.c.Wires {
		if d.foreign(w) || d.isThere(w) {
			continue
		}
		line := WireLine{Number: len(b.Wires) + 1, From: w.From.String(), To: w.To.String(), Colour: w.Colour, MM2: w.Size.SquareMM(),
			AWG: size.AWG(w.Size.SquareMM()), Amps: round(d.amps[i], 1), Does: d.does(i),
			Metres:       math.Ceil((w.Length.Metres()*bends+endings)/cutStep-1e-9) * cutStep,
			FromTerminal: d.terminal(w.From, w.Size.SquareMM()), Terminal: d.terminal(w.To, w.Size.SquareMM()),
			Sealed: d.wet(w.From) || d.wet(w.To)}
		b.Wires = append(b.Wires, line)
		groups[line.Does] = append(groups[line.Does], fmt.Sprintf("%d: %s to %s", line.Number, line.From, line.To))
	}
	for _, line := range b.Wires {
		k := slices.IndexFunc(b.Lengths, func(l Length) bool { return l.Colour == line.Colour && l.MM2 == line.MM2 })
		if k < 0 {
			b.Lengths, k = append(b.Lengths, Length{Colour: line.Colour, MM2: line.MM2}), len(b.Lengths)
		}
		b.Lengths[k].Metres = round(b.Lengths[k].Metres+line.Metres, 2)
	}
	slices.SortFunc(b.Lengths, func(x, y Length) int {
		return cmp.Or(cmp.Compare(y.MM2, x.MM2), strings.Compare(x.Colour, y.Colour))
	})
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
		role := d.role(pin.Part)
		return role == "SW" || role == "KILL" || role == "F9" || role == "FM" && pin.Name == "l"
	}
	switch {
	case slices.ContainsFunc(spliced(d.c, w), key):
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
	case harness.KindMotor, harness.KindThermoswitch, harness.KindPressureSwitch, harness.KindPWMModule, harness.KindResistor,
		harness.KindLimiter:
		return true
	}
	return false
}

// ringM6 is the thickest wire of a ring for M6, mm² (common practice).
const ringM6 = 16.0

// smallBlade is the thickest wire of a 2.8 mm blade, mm² (common practice).
const smallBlade = 1.5

// terminal is what is crimped to a wire at a pin (common practice).
func (d *design) terminal(pin harness.Pin, mm2 float64) string {
	switch d.c.Part(pin.Part).Kind() {
	case harness.KindBattery, harness.KindGround:
		if mm2 > ringM6 {
			return "ring M8"
		}
		return "ring M6, or as the stud is"
	case harness.KindRelay:
		coil := pin.Name == "85" || pin.Name == "86"
		switch made := makeOf(d.c.Part(pin.Part).Spec.(*harness.Relay)); {
		case mm2 > largeMM2:
			return "ring M8 on the contactor's stud"
		case mm2 > cubeMM2 || !coil && made > usualMake:
			return "9.5 mm blade"
		case mm2 <= smallBlade:
			return "2.8 or 6.3 mm blade, as the socket has it"
		}
		return "6.3 mm blade"
	case harness.KindFuse:
		if mm2 > 6 {
			return "bolt-down"
		}
		return "fuse-holder contact"
	case harness.KindController:
		if foreignLine(d.role(pin.Part)) {
			return "sealed tap on the line that is there"
		}
		return "the controller plug's own contact"
	case harness.KindDiode:
		return "sealed crimp"
	case harness.KindSplice:
		return "crimped splice, sleeved"
	}
	return "the plug's own contact"
}

// otherPrint is the other usual numbering of a relay's cavities (from memory; the print on the part counts).
var otherPrint = map[string]string{"86": "1", "85": "2", "30": "3", "87a": "4", "87": "5"}

// cards lists each relay's socket.
func (d *design) cards(b *Build) {
	number := map[*harness.Wire]int{}
	for _, w := range d.c.Wires {
		if !d.foreign(w) && !d.isThere(w) {
			number[w] = len(number) + 1
		}
	}
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
				if n := number[w]; n > 0 {
					to = append(to, fmt.Sprintf("%d to %s", n, other))
				} else {
					to = append(to, fmt.Sprintf("to %s, there already", other))
				}
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
