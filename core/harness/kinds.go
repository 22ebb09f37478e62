package harness

import (
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"
)

// Kind is a part's kind, spelled as in the file.
type Kind string

// The kinds of part.
const (
	KindBattery    Kind = "battery"
	KindGround     Kind = "ground"
	KindSplice     Kind = "splice"
	KindFuse       Kind = "fuse"
	KindRelay      Kind = "relay"
	KindMotor      Kind = "motor"
	KindResistor   Kind = "resistor"
	KindSwitch     Kind = "switch"
	KindController Kind = "controller"
	KindConnector  Kind = "connector"

	KindResistorCard    Kind = "resistor-card"
	KindLimiter         Kind = "limiter"
	KindSelector        Kind = "selector"
	KindSwitch2         Kind = "switch2"
	KindThermoswitch    Kind = "thermoswitch"
	KindPressureSwitch  Kind = "pressure-switch"
	KindSensor          Kind = "sensor"
	KindFanModule       Kind = "fan-module"
	KindPWMModule       Kind = "pwm-module"
	KindSpeedController Kind = "speed-controller"
	KindDiode           Kind = "diode"
	KindLamp            Kind = "lamp"
	KindSolidState      Kind = "solid-state-relay"
	KindBreaker         Kind = "breaker"
)

// Spec is what one kind of part adds to a [Part].
type Spec interface {
	Kind() Kind
	// Pins lists the terminals' names; a part that is its own terminal has one empty name.
	Pins() []string
	// describe names the part for an error: "changeover relay".
	describe() string
	// fields lists the keys of the kind.
	fields() []field
}

// newSpec makes an empty spec for each kind.
var newSpec = map[Kind]func() Spec{
	KindBattery:    func() Spec { return &Battery{} },
	KindGround:     func() Spec { return &Ground{} },
	KindSplice:     func() Spec { return &Splice{} },
	KindFuse:       func() Spec { return &Fuse{} },
	KindRelay:      func() Spec { return &Relay{} },
	KindMotor:      func() Spec { return &Motor{} },
	KindResistor:   func() Spec { return &Resistor{} },
	KindSwitch:     func() Spec { return &Switch{} },
	KindController: func() Spec { return &Controller{} },
	KindConnector:  func() Spec { return &Connector{} },

	KindResistorCard:    func() Spec { return &ResistorCard{} },
	KindLimiter:         func() Spec { return &Limiter{} },
	KindSelector:        func() Spec { return &Selector{} },
	KindSwitch2:         func() Spec { return &Switch2{} },
	KindThermoswitch:    func() Spec { return &StagedSwitch{Senses: Coolant} },
	KindPressureSwitch:  func() Spec { return &StagedSwitch{Senses: Pressure} },
	KindSensor:          func() Spec { return &Sensor{} },
	KindFanModule:       func() Spec { return &FanModule{} },
	KindPWMModule:       func() Spec { return &PWMModule{} },
	KindSpeedController: func() Spec { return &SpeedController{} },
	KindDiode:           func() Spec { return &Diode{} },
	KindLamp:            func() Spec { return &Lamp{} },
	KindSolidState:      func() Spec { return &SolidState{} },
	KindBreaker:         func() Spec { return &Breaker{} },
}

// Kinds lists every kind, sorted.
func Kinds() []Kind {
	kinds := make([]Kind, 0, len(newSpec))
	for k := range newSpec {
		kinds = append(kinds, k)
	}
	sort.Slice(kinds, func(i, j int) bool { return kinds[i] < kinds[j] })
	return kinds
}

var (
	plusMinus = []string{"+", "-"}
	twoEnds   = []string{"a", "b"}
	itself    = []string{""}
)

// Battery is the supply; its negative post is the zero of all volts.
type Battery struct{ Ohms float64 }

func (*Battery) Kind() Kind       { return KindBattery }
func (*Battery) Pins() []string   { return plusMinus }
func (*Battery) describe() string { return "battery" }
func (b *Battery) fields() []field {
	return []field{number("ohms", &b.Ohms, 1e-4, 10)}
}

// Ground is a chassis joint, joined to the battery's negative post.
type Ground struct{}

func (*Ground) Kind() Kind       { return KindGround }
func (*Ground) Pins() []string   { return itself }
func (*Ground) describe() string { return "ground" }
func (*Ground) fields() []field  { return nil }

// Splice is a joint in the loom where several wires meet.
type Splice struct{}

func (*Splice) Kind() Kind       { return KindSplice }
func (*Splice) Pins() []string   { return itself }
func (*Splice) describe() string { return "splice" }
func (*Splice) fields() []field  { return nil }

// FuseStyle decides the time–current curve.
type FuseStyle string

// Styles of fuse.
const (
	StyleMini      FuseStyle = "mini"
	StyleBlade     FuseStyle = "blade"
	StyleMaxi      FuseStyle = "maxi"
	StyleCartridge FuseStyle = "cartridge"
	StyleLink      FuseStyle = "link"
	StyleBreaker   FuseStyle = "breaker"
	StylePTC       FuseStyle = "ptc"
)

// Fuse is a fuse, link, breaker or PTC. Amps is its rating.
type Fuse struct {
	Amps  float64
	Style FuseStyle
	Ohms  float64
}

func (*Fuse) Kind() Kind       { return KindFuse }
func (*Fuse) Pins() []string   { return twoEnds }
func (*Fuse) describe() string { return "fuse" }
func (f *Fuse) fields() []field {
	return []field{
		number("amps", &f.Amps, 0.1, 1000).must(),
		choice("style", &f.Style, StyleMini, StyleBlade, StyleMaxi, StyleCartridge, StyleLink, StyleBreaker, StylePTC),
		number("ohms", &f.Ohms, 1e-5, 100),
	}
}

// Contacts is a relay's contact arrangement.
type Contacts string

// Arrangements of contacts.
const (
	Make             Contacts = "make"
	Break            Contacts = "break"
	Changeover       Contacts = "changeover"
	DoubleMake       Contacts = "double-make"
	DoubleChangeover Contacts = "double-changeover"
)

// Suppression is what catches the coil's spike.
type Suppression string

// Kinds of suppression. A diode makes the coil's polarity matter.
const (
	Unsuppressed  Suppression = "none"
	ResistorSuppr Suppression = "resistor"
	DiodeSuppr    Suppression = "diode"
)

// Relay is a coil and its contact. Zero figures stand for the defaults of the format.
type Relay struct {
	Contacts    Contacts
	CoilOhms    float64
	ContactOhms float64
	PullIn      float64 // volts at 20 °C
	DropOut     float64 // volts at 20 °C
	Suppression Suppression
	Cathode     string  // pin at the diode's cathode, 86 unless given
	Make, Rest  float64 // rated amps of each contact
	Fuse        float64 // rated amps of a fuse built in, in series with 30
	Printed     map[string]string
	Body        string   // relays that come out together share one
	Arrangement []string // rows of pins as printed on the underside, "_" an empty place
}

func (*Relay) Kind() Kind { return KindRelay }

// HasMake tells whether there is an 87.
func (r *Relay) HasMake() bool { return r.Contacts != Break }

// HasRest tells whether there is an 87a.
func (r *Relay) HasRest() bool {
	return r.Contacts == Break || r.Contacts == Changeover || r.Contacts == DoubleChangeover
}

// Poles lists the suffixes of the poles' pins: "" and, for a double relay, "b".
func (r *Relay) Poles() []string {
	if r.Contacts == DoubleMake || r.Contacts == DoubleChangeover {
		return []string{"", "b"}
	}
	return []string{""}
}

// Pins lists coil, contact feed, make contact, rest contact.
func (r *Relay) Pins() []string {
	pins := []string{"86", "85"}
	for _, pole := range r.Poles() {
		pins = append(pins, "30"+pole)
		if r.HasMake() {
			pins = append(pins, "87"+pole)
		}
		if r.HasRest() {
			pins = append(pins, "87a"+pole)
		}
	}
	return pins
}

func (r *Relay) describe() string { return string(r.Contacts) + " relay" }

func (r *Relay) fields() []field {
	return []field{
		choice("contacts", &r.Contacts, Make, Break, Changeover, DoubleMake, DoubleChangeover).must(),
		number("coil-ohms", &r.CoilOhms, 1, 10000),
		number("contact-ohms", &r.ContactOhms, 1e-5, 1),
		number("pull-in", &r.PullIn, 0.1, 60),
		number("drop-out", &r.DropOut, 0.1, 60),
		choice("suppression", &r.Suppression, Unsuppressed, ResistorSuppr, DiodeSuppr),
		choice("diode-cathode", &r.Cathode, "86", "85"),
		number("fuse", &r.Fuse, 0.1, 1000),
		group("rating", func() bool { return r.Make > 0 || r.Rest > 0 },
			number("make", &r.Make, 0.1, 1000), number("rest", &r.Rest, 0.1, 1000)),
		wordMap("pins", &r.Printed),
		text("body", &r.Body),
		words("arrangement", &r.Arrangement),
	}
}

// check sees that the printed numbers hang on the standard terminals, and that an arrangement holds every pin once.
func (r *Relay) check() string {
	turned := map[string]string{}
	for terminal, printed := range r.Printed {
		if !slices.Contains(r.Pins(), terminal) && slices.Contains(r.Pins(), printed) {
			turned[printed] = terminal
		}
	}
	if len(turned) > 0 && len(turned) == len(r.Printed) {
		r.Printed = turned // so that this is the one thing said of it
		first := sortedKeys(turned)[0]
		return fmt.Sprintf("pins goes from the standard terminal to the number that is printed: %q: %q, not the other way round", first,
			turned[first])
	}
	if len(r.Arrangement) == 0 {
		return ""
	}
	var found []string
	for _, row := range r.Arrangement {
		for _, pin := range strings.Fields(row) {
			if pin != "_" {
				found = append(found, pin)
			}
		}
	}
	want := r.Pins()
	slices.Sort(found)
	slices.Sort(want)
	if !slices.Equal(found, want) {
		return "the arrangement is rows of pins as printed on the underside, each of " + strings.Join(want, ", ") + " once"
	}
	return ""
}

// Motor is a fan's motor at its rated point. Inrush amps or armature ohms set how hard it
// starts; with neither, inrush is five times the running amps.
type Motor struct {
	Volts, Amps, RPM float64
	Inrush, Ohms     float64
	HalfVolts        HalfVolts
	SpinUp           float64 // s from standing to nine tenths of its speed at its volts
	Points           []LoadPoint
	Windings         []*Winding // none: one winding between + and -
}

// LoadPoint is what the running fan was measured to draw at other volts than its own.
type LoadPoint struct{ Volts, Amps float64 }

// Winding is one brush set of a motor with several on a shaft. The load curve comes from the
// winding that has an RPM; the speed of the others follows from it.
type Winding struct {
	Name        string
	Plus, Minus string // pins
	Amps, RPM   float64
	Inrush      float64
}

// HalfVolts tells whether a motor stands running at half its volts.
type HalfVolts string

// What is known of a motor at half its volts.
const (
	HalfVoltsOK      HalfVolts = "ok"
	HalfVoltsNo      HalfVolts = "no"
	HalfVoltsUnknown HalfVolts = "unknown"
)

func (*Motor) Kind() Kind { return KindMotor }

// Pins lists + and -, or each winding's, in the order of the file.
func (m *Motor) Pins() []string {
	if len(m.Windings) == 0 {
		return plusMinus
	}
	var pins []string
	for _, w := range m.Windings {
		for _, pin := range []string{w.Plus, w.Minus} {
			if !slices.Contains(pins, pin) {
				pins = append(pins, pin)
			}
		}
	}
	return pins
}

func (w *Winding) fields() []field {
	return []field{
		text("+", &w.Plus).must(), text("-", &w.Minus).must(), number("amps", &w.Amps, 0.01, 500).must(),
		number("rpm", &w.RPM, 10, 30000), number("inrush", &w.Inrush, 0.01, 5000),
	}
}

func (*Motor) describe() string { return "motor" }
func (m *Motor) fields() []field {
	return []field{
		number("volts", &m.Volts, 1, 60).must(),
		number("amps", &m.Amps, 0.01, 500),
		number("rpm", &m.RPM, 10, 30000),
		number("inrush", &m.Inrush, 0.01, 5000),
		number("ohms", &m.Ohms, 1e-3, 1000),
		number("spin-up", &m.SpinUp, 0.02, 20),
		pairsOf("points", bounds{"volts", 0.5, 60}, bounds{"amps", 0.01, 500}, &m.Points, func(p *LoadPoint) (x, y *float64) {
			return &p.Volts, &p.Amps
		}),
		choice("half-volts", &m.HalfVolts, HalfVoltsOK, HalfVoltsNo, HalfVoltsUnknown),
		named("windings", &m.Windings, func(w *Winding) *string { return &w.Name }, (*Winding).fields),
	}
}

func (m *Motor) check() string {
	if len(m.Windings) == 0 && m.Amps == 0 {
		return "amps is missing"
	}
	for _, p := range m.Points {
		if len(m.Windings) > 0 {
			return "points are those of a motor with one winding"
		}
		if p.Volts < m.Volts != (p.Amps < m.Amps) || p.Volts == m.Volts {
			return "points: fewer volts draw fewer amps, and the rated point is not repeated"
		}
	}
	if len(m.Windings) > 4 {
		return "a motor has at most four windings"
	}
	return ""
}

// Resistor is a fixed resistor in a load path.
type Resistor struct {
	Ohms, Watts float64
	Airflow     Airflow
}

// Airflow tells whether a part must sit in moving air.
type Airflow string

// Needs of air.
const (
	AirflowNeeded    Airflow = "needed"
	AirflowNotNeeded Airflow = "not needed"
)

func (*Resistor) Kind() Kind       { return KindResistor }
func (*Resistor) Pins() []string   { return twoEnds }
func (*Resistor) describe() string { return "resistor" }
func (r *Resistor) fields() []field {
	return []field{
		number("ohms", &r.Ohms, 1e-4, 1e7).must(),
		number("watts", &r.Watts, 0.01, 10000),
		choice("airflow", &r.Airflow, AirflowNeeded, AirflowNotNeeded),
	}
}

// Switch closes when a word of the state holds: key, ac, engine, or a word of its own.
type Switch struct {
	ClosedWhen string
	Ohms       float64
}

func (*Switch) Kind() Kind       { return KindSwitch }
func (*Switch) Pins() []string   { return twoEnds }
func (*Switch) describe() string { return "switch" }
func (s *Switch) fields() []field {
	return []field{text("closed-when", &s.ClosedWhen).must(), number("ohms", &s.Ohms, 1e-5, 100)}
}

// Connector is an in-line connector: pin aN mates with bN.
type Connector struct {
	Ways int
	Ohms float64
}

func (*Connector) Kind() Kind { return KindConnector }

// Pins lists a1 b1 … aN bN.
func (c *Connector) Pins() []string {
	var pins []string
	for i := 1; i <= c.Ways; i++ {
		pins = append(pins, "a"+strconv.Itoa(i), "b"+strconv.Itoa(i))
	}
	return pins
}
func (*Connector) describe() string { return "connector" }
func (c *Connector) fields() []field {
	return []field{whole("ways", &c.Ways, 1, 60).must(), number("ohms", &c.Ohms, 1e-5, 10)}
}

// Controller is a module whose pins listen to commands.
type Controller struct{ PinRoles []*PinRole }

// PinRole is what one pin of a controller does. Exactly one of SinksOn, SinksUnless,
// SourcesOn, Input, Power and Ground is given, or none for a pin that only exists.
type PinRole struct {
	Name        string
	Label       string
	SinksOn     string // closes to the controller's ground while the command holds
	SinksUnless string // inverted: closes while the command does not hold
	SourcesOn   string // closes to the controller's power while the command holds
	PWMOn       string // sinks in pulses: the state's duty while the command holds, an idle duty else
	Input       string
	Asserted    Level // the level at which Input counts as given
	PullUp      float64
	Power       bool
	Ground      bool
	Line        int
}

// Level of an input.
type Level string

// Levels.
const (
	Low  Level = "low"
	High Level = "high"
)

// Command is the command the pin drives by, empty for a pin that drives nothing.
func (p *PinRole) Command() string {
	switch {
	case p.SinksOn != "":
		return p.SinksOn
	case p.SinksUnless != "":
		return p.SinksUnless
	case p.PWMOn != "":
		return p.PWMOn
	}
	return p.SourcesOn
}

func (p *PinRole) fields() []field {
	return []field{
		text("sinks-on", &p.SinksOn),
		text("sinks-unless", &p.SinksUnless),
		text("sources-on", &p.SourcesOn),
		text("pwm-on", &p.PWMOn),
		text("input", &p.Input),
		choice("asserted", &p.Asserted, Low, High),
		number("pull-up", &p.PullUp, 1, 1e7),
		flag("power", &p.Power),
		flag("ground", &p.Ground),
		text("label", &p.Label),
	}
}

// roles counts how many things the pin is said to be.
func (p *PinRole) roles() int {
	n := 0
	for _, given := range []bool{p.SinksOn != "", p.SinksUnless != "", p.SourcesOn != "", p.PWMOn != "", p.Input != "", p.Power, p.Ground} {
		if given {
			n++
		}
	}
	return n
}

func (*Controller) Kind() Kind { return KindController }

// Pins lists the pins in the order of the file.
func (c *Controller) Pins() []string {
	var pins []string
	for _, p := range c.PinRoles {
		pins = append(pins, p.Name)
	}
	return pins
}

// Role finds a pin by name, nil if there is none.
func (c *Controller) Role(pin string) *PinRole {
	for _, p := range c.PinRoles {
		if p.Name == pin {
			return p
		}
	}
	return nil
}
func (*Controller) describe() string  { return "controller" }
func (c *Controller) fields() []field { return []field{c.pinsField()} }

var errNoPins = fmt.Errorf("a controller needs its pins: {\"61\": {sinks-on: low}, …}")
