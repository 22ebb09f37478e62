// Package harness holds a fan circuit as a technician reads it off a diagram: parts with
// pins, wires between pins, the named states the circuit can be put in and the strategy by
// which its controller chooses commands. It reads and writes the harness file, version 1.
//
// The one idea: the file says what is drawn, nothing else. No reading, speed or diagnosis is
// stored in it; those are computed from it by the packages beside this one. Pins are the
// harness side of a part (the cavities): they stay when the part is pulled.
package harness

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/units"
)

// Circuit is one harness file. Parts, wires, states and rules keep the order of the file.
type Circuit struct {
	Title    string
	Notes    string
	Supply   Supply
	Parts    []*Part
	Wires    []*Wire
	States   []*State
	Strategy []*Rule
	Boxes    []*Box
	Places   []*Place // where the drawing's parts were, for the next drawing
}

// Supply is the battery's open-circuit volts with the engine off and while charging.
// Zero means not given: see [Circuit.SupplyVolts].
type Supply struct{ Off, Running float64 }

// mostVolts is what a supply may have; above it other rules and other people's work begin (the 60 V limit of extra-low
// direct voltage in ISO 6469-3, from memory).
const mostVolts = 60

// supplyVolts binds the volts of a supply.
func supplyVolts(key string, at *float64) field {
	f := number(key, at, 1, mostVolts)
	read := f.read
	f.read = func(r *reader, n *yaml.Node, where string) {
		if v, err := units.Figure(n.Value); err == nil && v > mostVolts {
			r.fail(n, where, "%s is %s V: mains and high-voltage work belongs to licensed people; here a supply has up to %d V", key, n.Value,
				mostVolts)
			return
		}
		read(r, n, where)
	}
	return f
}

func (s *Supply) fields() []field {
	return []field{supplyVolts("off", &s.Off), supplyVolts("running", &s.Running)}
}

// Default supply of a 12 V vehicle, volts.
const (
	defaultSupplyOff     = 12.6
	defaultSupplyRunning = 14.2
	twentyFourVoltAbove  = 18
)

// SupplyVolts gives the battery's open-circuit volts, engine off or running.
func (c *Circuit) SupplyVolts(running bool) float64 {
	scale := 1.0
	if c.Supply.Off > twentyFourVoltAbove || c.Supply.Running > twentyFourVoltAbove {
		scale = 2
	}
	switch {
	case running && c.Supply.Running > 0:
		return c.Supply.Running
	case running:
		return scale * defaultSupplyRunning
	case c.Supply.Off > 0:
		return c.Supply.Off
	}
	return scale * defaultSupplyOff
}

// Nominal is the system's nominal volts, 12 or 24.
func (c *Circuit) Nominal() float64 {
	if c.SupplyVolts(false) > twentyFourVoltAbove {
		return 24
	}
	return 12
}

// Part is one component of the drawing.
type Part struct {
	Name   string
	Label  string  // what the technician calls it, may be empty
	At     string  // place: a box, then a slot
	Access float64 // minutes to reach it; 0 means by its kind
	Cost   float64 // price in the workshop's money; 0 means by its kind
	Spec   Spec
	Line   int // line of the file, 0 when made otherwise
}

// Kind is the part's kind as the file spells it.
func (p *Part) Kind() Kind { return p.Spec.Kind() }

// Box is a place where relays and fuses sit.
type Box struct {
	Name          string
	Rows, Columns int
	Landmarks     []string
	Line          int
}

// Wire joins two pins. Zero Size or Length means not given.
type Wire struct {
	From, To Pin
	Parallel int // how many wires lie side by side, at least 1
	Colour   string
	Size     Size
	Length   Length
	Line     int
}

// String spells the wire as faults and logs do: "K1.87 - M1.+".
func (w *Wire) String() string { return w.From.String() + " - " + w.To.String() }

// Description spells what follows the colon in the file.
func (w *Wire) Description() string {
	var words []string
	if w.Parallel > 1 {
		words = append(words, fmt.Sprintf("%dx", w.Parallel))
	}
	for _, s := range []string{w.Colour, w.Size.String(), w.Length.String()} {
		if s != "" {
			words = append(words, s)
		}
	}
	return strings.Join(words, " ")
}

// Pin names one terminal: "K1.87", or "G1" for a part with a single terminal (Name empty).
// Inner is the part's side of the same terminal, written with an apostrophe; it differs from
// the cavity only while the part is out.
type Pin struct {
	Part, Name string
	Inner      bool
}

func (p Pin) String() string {
	s := p.Part
	if p.Name != "" {
		s += "." + p.Name
	}
	if p.Inner {
		s += "'"
	}
	return s
}

// Cavity is the harness side of the pin.
func (p Pin) Cavity() Pin { p.Inner = false; return p }

// ParsePin splits "PART.pin", "PART" or "PART.pin'"; it does not know the circuit.
func ParsePin(s string) Pin {
	s, inner := strings.CutSuffix(strings.TrimSpace(s), "'")
	part, name, _ := strings.Cut(s, ".")
	return Pin{Part: part, Name: name, Inner: inner}
}

// MarshalText spells the pin as the file does.
func (p Pin) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalText reads what MarshalText wrote.
func (p *Pin) UnmarshalText(b []byte) error { *p = ParsePin(string(b)); return nil }

// Part finds a part by name, nil if there is none.
func (c *Circuit) Part(name string) *Part {
	for _, p := range c.Parts {
		if p.Name == name {
			return p
		}
	}
	return nil
}

// State finds a state by name, nil if there is none.
func (c *Circuit) State(name string) *State {
	for _, s := range c.States {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// FindState is State with an error that lists the states there are.
func (c *Circuit) FindState(name string) (*State, error) {
	if s := c.State(name); s != nil {
		return s, nil
	}
	var names []string
	for _, s := range c.States {
		names = append(names, s.Name)
	}
	return nil, fmt.Errorf("there is no state %q in this harness (%s)", name, strings.Join(names, ", "))
}

// Wire finds the wire between two pins, in either direction; nil if there is none.
func (c *Circuit) Wire(a, b Pin) *Wire {
	for _, w := range c.Wires {
		if (w.From == a && w.To == b) || (w.From == b && w.To == a) {
			return w
		}
	}
	return nil
}

// Pins lists a part's pins, in the order of its kind.
func (p *Part) Pins() []Pin {
	var pins []Pin
	for _, name := range p.Spec.Pins() {
		pins = append(pins, Pin{Part: p.Name, Name: name})
	}
	return pins
}

// FindPin checks a pin against the circuit; the error says which pins the part has.
func (c *Circuit) FindPin(s string) (Pin, error) {
	pin := c.kept(ParsePin(s))
	return pin, c.checkPin(pin)
}

// kept is a relay's cavity by its standard terminal, whether it was named so or by the number printed on the relay. A name
// that is both means the standard terminal.
func (c *Circuit) kept(pin Pin) Pin {
	part := c.Part(pin.Part)
	if part == nil {
		return pin
	}
	relay, ok := part.Spec.(*Relay)
	if !ok || slices.Contains(part.Spec.Pins(), pin.Name) {
		return pin
	}
	for name, printed := range relay.Printed {
		if printed == pin.Name {
			pin.Name = name
		}
	}
	return pin
}

// Terminal is what a pin is called by who holds the part: for a relay with numbers of its own, the printed one and the
// standard terminal, "3 (30)".
func (c *Circuit) Terminal(pin Pin) string {
	if part := c.Part(pin.Part); part != nil {
		if relay, ok := part.Spec.(*Relay); ok {
			if printed := relay.Printed[pin.Name]; printed != "" && printed != pin.Name {
				return printed + " (" + pin.Name + ")"
			}
		}
	}
	return pin.Name
}

// Called is a pin in words, as [Circuit.Terminal] calls it: "K1.3 (30)".
func (c *Circuit) Called(pin Pin) string {
	words := pin
	words.Name = c.Terminal(pin)
	return words.String()
}

func (c *Circuit) checkPin(pin Pin) error {
	part := c.Part(pin.Part)
	if part == nil {
		return fmt.Errorf("%s: there is no part %s%s", pin, pin.Part, c.nearest(pin.Part))
	}
	for _, name := range part.Spec.Pins() {
		if name == pin.Name {
			return nil
		}
	}
	return fmt.Errorf("%s: %s has no pin %q (%s)", pin, describeKind(part), pin.Name, pinList(part))
}

func describeKind(p *Part) string {
	words := p.Spec.describe()
	article := "a"
	if strings.ContainsRune("aeiou", rune(words[0])) {
		article = "an"
	}
	return article + " " + words
}

func pinList(p *Part) string {
	pins := p.Spec.Pins()
	if len(pins) == 1 && pins[0] == "" {
		return "write " + p.Name + " alone"
	}
	return strings.Join(pins, ", ")
}

// nearest offers the part whose name differs only by case, if there is one.
func (c *Circuit) nearest(name string) string {
	for _, p := range c.Parts {
		if strings.EqualFold(p.Name, name) {
			return " (there is " + p.Name + ")"
		}
	}
	return ""
}

// Fans lists the motors, in the order of the file.
func (c *Circuit) Fans() []*Part { return c.OfKind(KindMotor) }

// OfKind lists the parts of one kind, in the order of the file.
func (c *Circuit) OfKind(kind Kind) []*Part {
	var found []*Part
	for _, p := range c.Parts {
		if p.Kind() == kind {
			found = append(found, p)
		}
	}
	return found
}

// Commands lists every command name a controller pin listens to, sorted.
func (c *Circuit) Commands() []string {
	seen := map[string]bool{}
	for _, p := range c.OfKind(KindController) {
		for _, pin := range p.Spec.(*Controller).PinRoles {
			if name := pin.Command(); name != "" {
				seen[name] = true
			}
		}
	}
	names := make([]string, 0, len(seen))
	for name := range seen {
		names = append(names, name)
	}
	sort.Strings(names)
	return names
}
