// Package fault says what can be wrong with each part, pin and wire of a circuit, spells it
// in the trade's words, and holds how often each is met.
//
// In goes a circuit, out comes the list of its single faults. What a fault does to volts and
// amps is not said here: package electric stamps it into the circuit.
package fault

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/harness"
	"ironthread/core/units"
)

// On is what a fault is on.
type On int

// What a fault can be on.
const (
	OnPart  On = iota // "F3 open"
	OnRole            // a controller's pin: "ECU.61 dead"
	OnPin             // a terminal: "pin M1.- open"
	OnWire            // "wire K1.87 - M1.+ open"
	OnWires           // "wires A - B and C - D crossed"
)

// Fault is one thing wrong. It is a comparable value; the zero Fault is no fault.
type Fault struct {
	On    On
	Part  string         // the part, for OnPart
	Pin   harness.Pin    // the pin, for OnRole and OnPin
	Wire  [2]harness.Pin // the wire's ends as drawn, for OnWire and OnWires
	Other [2]harness.Pin // the second wire, for OnWires

	Words        string // "open", "make contact burnt"
	Item         string // what N stands for in "way N open", "stage N open", "N open" of a winding
	Figure       float64
	Intermittent bool
}

// Subject spells what the fault is on: "F3", "pin M1.-", "wire K1.87 - M1.+".
func (f Fault) Subject() string {
	switch f.On {
	case OnRole:
		return f.Pin.String()
	case OnPin:
		return "pin " + f.Pin.String()
	case OnWire:
		return "wire " + f.Wire[0].String() + " - " + f.Wire[1].String()
	case OnWires:
		return "wires " + f.Wire[0].String() + " - " + f.Wire[1].String() +
			" and " + f.Other[0].String() + " - " + f.Other[1].String()
	}
	return f.Part
}

// Places are the pins and parts that a fault is at, as they are named: for whoever shows where it is.
func (f Fault) Places() []string {
	switch f.On {
	case OnRole, OnPin:
		return []string{f.Pin.String()}
	case OnWire:
		return []string{f.Wire[0].String(), f.Wire[1].String()}
	case OnWires:
		return []string{f.Wire[0].String(), f.Wire[1].String(), f.Other[0].String(), f.Other[1].String()}
	}
	if f.Part == "" {
		return nil
	}
	return []string{f.Part}
}

// Joined gives how two crossed wires really run: they have changed places in the plug that they
// share. The first pair is Wire with the other's cavity in place of its own, the second Other.
func (f Fault) Joined() [2][2]harness.Pin {
	for i, ours := range f.Wire {
		for j, theirs := range f.Other {
			if ours.Part == theirs.Part && ours != theirs {
				wire, other := f.Wire, f.Other
				wire[i], other[j] = theirs, ours
				return [2][2]harness.Pin{wire, other}
			}
		}
	}
	return [2][2]harness.Pin{f.Wire, f.Other}
}

func (f Fault) String() string {
	if f.Words == "" {
		return "no fault"
	}
	s := f.Subject() + " " + f.spelled()
	if f.Figure != 0 {
		s += " " + strconv.FormatFloat(f.Figure, 'f', -1, 64)
	}
	if f.Intermittent {
		s += " intermittent"
	}
	return s
}

// spelled gives the words with the item in its place.
func (f Fault) spelled() string {
	tokens := strings.Fields(f.Words)
	for i, token := range tokens {
		if token == placeholder {
			tokens[i] = f.Item
		}
	}
	return strings.Join(tokens, " ")
}

// placeholder stands for an item in a table's words.
const placeholder = "N"

// MarshalText spells the fault.
func (f Fault) MarshalText() ([]byte, error) { return []byte(f.String()), nil }

// Parts lists the parts the fault belongs to; for a wire, none.
func (f Fault) Parts() []string {
	switch f.On {
	case OnPart:
		return []string{f.Part}
	case OnRole, OnPin:
		return []string{f.Pin.Part}
	}
	return nil
}

// Parse reads a fault as it is spelled in files and logs, and checks it against the circuit.
func Parse(c *harness.Circuit, s string) (Fault, error) {
	f, err := parse(c, strings.Join(strings.Fields(s), " "))
	if err != nil {
		return Fault{}, fmt.Errorf("fault %q: %w", harness.Clipped(s, maxShown), err)
	}
	return f, nil
}

// maxShown bounds how much of a text that cannot be read is sent back.
const maxShown = 60

func parse(c *harness.Circuit, s string) (Fault, error) {
	var f Fault
	if len(s) > 4*maxShown {
		return f, fmt.Errorf("no fault's words are as long as that")
	}
	s, f.Intermittent = strings.CutSuffix(s, " intermittent")
	if s2, ok := strings.CutSuffix(s, " brushes"); ok { // "M1 brushes intermittent" is a word of its own
		s, f.Intermittent = s2+" brushes intermittent", false
	}
	switch {
	case strings.HasPrefix(s, "wires "):
		return parseCrossed(c, f, strings.TrimPrefix(s, "wires "))
	case strings.HasPrefix(s, "wire "):
		return parseWire(c, f, strings.TrimPrefix(s, "wire "))
	case strings.HasPrefix(s, "pin "):
		name, rest, _ := strings.Cut(strings.TrimPrefix(s, "pin "), " ")
		pin, err := c.FindPin(name)
		if err != nil {
			return f, err
		}
		f.On, f.Pin = OnPin, pin
		return withWords(f, pinFaults, rest, "a pin")
	}
	name, rest, _ := strings.Cut(s, " ")
	if strings.Contains(name, ".") {
		return parseRole(c, f, name, rest)
	}
	part := c.Part(name)
	if part == nil {
		return f, fmt.Errorf("there is no part %s", name)
	}
	f.On, f.Part = OnPart, name
	f, err := withWords(f, wordsFor(part), rest, "a "+string(part.Kind()))
	if err == nil && f.Item != "" && !slices.Contains(itemsFor(part), f.Item) {
		return f, fmt.Errorf("%s has no %q (%s)", name, f.Item, strings.Join(itemsFor(part), ", "))
	}
	return f, err
}

func parseRole(c *harness.Circuit, f Fault, name, rest string) (Fault, error) {
	pin, err := c.FindPin(name)
	if err != nil {
		return f, err
	}
	entries := roleEntries(c.Part(pin.Part), pin.Name)
	if entries == nil {
		return f, fmt.Errorf("only a controller's or a module's driving pin fails by itself; write \"pin %s open\" for the terminal", pin)
	}
	f.On, f.Pin = OnRole, pin
	return withWords(f, entries, rest, "a driving pin")
}

func parseWire(c *harness.Circuit, f Fault, s string) (Fault, error) {
	wire, rest, err := cutWire(c, s)
	if err != nil {
		return f, err
	}
	f.On, f.Wire = OnWire, wire
	return withWords(f, wireFaults, rest, "a wire")
}

func parseCrossed(c *harness.Circuit, f Fault, s string) (Fault, error) {
	first, second, ok := strings.Cut(s, " and ")
	if !ok {
		return f, fmt.Errorf("two wires are named as in \"wires A - B and C - D crossed\"")
	}
	var err error
	if f.Wire, _, err = cutWire(c, first); err != nil {
		return f, err
	}
	var rest string
	if f.Other, rest, err = cutWire(c, second); err != nil {
		return f, err
	}
	f.On = OnWires
	return withWords(f, crossedFaults, rest, "a pair of wires")
}

// cutWire takes "A - B" off the front of s and gives the wire's ends as drawn.
func cutWire(c *harness.Circuit, s string) (ends [2]harness.Pin, rest string, err error) {
	from, after, ok := strings.Cut(s, " - ")
	if !ok {
		return ends, "", fmt.Errorf("a wire is named FROM - TO, as in \"wire K1.87 - M1.+ open\"")
	}
	to, rest, _ := strings.Cut(after, " ")
	a, b := harness.ParsePin(from), harness.ParsePin(to)
	w := c.Wire(a, b)
	if w == nil {
		return ends, "", fmt.Errorf("there is no wire %s - %s", a, b)
	}
	return [2]harness.Pin{w.From, w.To}, rest, nil
}

// match holds a text against a table's words; what follows them is handed back.
func match(words, text string) (item, after string, ok bool) {
	pattern, tokens := strings.Fields(words), strings.Fields(text)
	if len(tokens) < len(pattern) {
		return "", "", false
	}
	for i, p := range pattern {
		switch {
		case p == placeholder:
			item = tokens[i]
		case p != tokens[i]:
			return "", "", false
		}
	}
	return item, strings.Join(tokens[len(pattern):], " "), true
}

// withWords completes f from the words that follow its subject: one of the table's entries,
// then a figure where the entry takes one.
func withWords(f Fault, table []Entry, rest, what string) (Fault, error) {
	var known []string
	for _, e := range table {
		known = append(known, e.Words)
		item, after, ok := match(e.Words, rest)
		if !ok {
			continue
		}
		f.Words, f.Item = e.Words, item
		switch {
		case after == "":
			return f, nil
		case e.Figure == "":
			return f, fmt.Errorf("nothing is expected after %q, not %q", e.Words, after)
		}
		v, err := units.Figure(after)
		if err != nil || !(v > 0 && v < 1e9) {
			return f, fmt.Errorf("%q is no figure in %s", after, e.Figure)
		}
		f.Figure = v
		return f, nil
	}
	return f, fmt.Errorf("%s cannot be %q (%s)", what, rest, strings.Join(known, ", "))
}

// IsShort tells whether a fault joins what should not be joined to ground.
func (f Fault) IsShort() bool { return f.On == OnWire && f.Words == Grounded }

// IsHeld tells whether a fault holds a wire at ground or at battery.
func (f Fault) IsHeld() bool { return f.IsShort() || f.On == OnWire && f.Words == ToBattery }

// IsJoint tells whether a fault is a bad joint: a terminal, or ohms that should not be there.
func (f Fault) IsJoint() bool {
	return f.On == OnPin || f.Words == Resists || f.Words == WayResists || f.Words == PostResists
}

// IsContact tells whether a fault is of a contact that moves: reseated or tapped, it may make again.
func (f Fault) IsContact() bool {
	return slices.Contains([]string{MakeOpen, MakeBurnt, RestOpen, RestBurnt, SticksAtRest, MakeOpenB, MakeBurntB, RestOpenB, RestBurntB},
		f.Words)
}

// SamePlace tells whether two faults are of one part.
func (f Fault) SamePlace(other Fault) bool {
	for _, p := range f.Parts() {
		if slices.Contains(other.Parts(), p) {
			return true
		}
	}
	return false
}
