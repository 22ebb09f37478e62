package electric

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/units"
)

// Action is one thing done to the car that holds until undone: a relay out, a fan unplugged,
// a jumper in. The ledger is the list of those that hold now. It is a comparable value.
type Action struct {
	Verb  Verb
	Part  string      // of Out, Unplugged, Apart, Renewed, RenewedUsed, Cleaned, Swapped
	Other string      // of Swapped
	From  harness.Pin // of Jumper, Ground, Feed; of a Pack its positive end
	To    harness.Pin // of Jumper, Pack
	Ohms  float64     // of Replaced
	Runs  string      // of what says how the vehicle stands: a word or a figure
}

// Verb is what was done.
type Verb string

// The verbs, as the format spells them.
const (
	Out         Verb = "out"
	Unplugged   Verb = "unplugged"
	Apart       Verb = "apart"
	Jumper      Verb = "jumper"
	GroundPin   Verb = "ground"
	Feed        Verb = "feed"
	Swapped     Verb = "swapped"
	Renewed     Verb = "renewed"
	RenewedUsed Verb = "renewed used"
	Cleaned     Verb = "cleaned"
	Pack        Verb = "pack"     // a small battery pack between two pins
	Replaced    Verb = "replaced" // a sensor, by a fixed resistance on its plug
)

func (a Action) String() string {
	switch a.Verb {
	case Jumper, Pack:
		return fmt.Sprintf("%s %s %s", a.Verb, a.From, a.To)
	case GroundPin, Feed:
		return fmt.Sprintf("%s %s", a.Verb, a.From)
	case Swapped:
		return fmt.Sprintf("swapped %s %s", a.Part, a.Other)
	case Renewed:
		switch {
		case a.To.Part != "":
			return fmt.Sprintf("wire %s - %s renewed", a.From, a.To)
		case a.From.Part != "":
			return fmt.Sprintf("pin %s renewed", a.From)
		}
	case Engine, Key, AC, Coolant, Pressure, RoadSpeed:
		return string(a.Verb) + " " + a.Runs
	case Replaced:
		return fmt.Sprintf("sensor %s replaced %s", a.Part, strconv.FormatFloat(a.Ohms, 'f', -1, 64))
	}
	return a.Part + " " + string(a.Verb)
}

// Detaches tells whether the part is separated from its cavities.
func (a Action) Detaches() bool {
	return a.Verb == Out || a.Verb == Unplugged || a.Verb == Apart || a.Verb == Replaced
}

// Lasts tells whether the action stays when everything is fitted and plugged in again: a part
// renewed, cleaned or swapped.
func (a Action) Lasts() bool {
	return a.Verb == Renewed || a.Verb == RenewedUsed || a.Verb == Cleaned || a.Verb == Swapped
}

// DetachVerb is the word for separating a part of this kind from its cavities; empty where
// it cannot be.
func DetachVerb(kind harness.Kind) Verb {
	return Verb(kind.Traits().Off)
}

// ParseAction reads one set-up action and checks it against the circuit.
func ParseAction(c *harness.Circuit, s string) (Action, error) {
	if len(s) > 4*maxShown {
		return Action{}, fmt.Errorf("set-up %q: no set-up's words are as long as that", harness.Clipped(s, maxShown))
	}
	a, err := parseAction(c, asWritten(strings.Fields(s)))
	if err == nil {
		if at := deadShort(c, a); at != "" {
			err = fmt.Errorf("this joins the battery's two posts at %s: a dead short, which is never done", at)
		}
	}
	if err != nil {
		return Action{}, fmt.Errorf("set-up %q: %w", harness.Clipped(s, maxShown), err)
	}
	return a, nil
}

// asWritten makes of what people say what the file has: "F3 replaced" is "F3 renewed". A sensor replaced by ohms is something else.
func asWritten(w []string) []string {
	if n := len(w); n > 1 && strings.EqualFold(w[n-1], string(Replaced)) {
		w[n-1] = string(Renewed)
	}
	return w
}

// ParseSetup reads a list of actions.
func ParseSetup(c *harness.Circuit, list []string) ([]Action, error) {
	var setup []Action
	for _, s := range list {
		a, err := ParseAction(c, s)
		if err != nil {
			return nil, err
		}
		setup = Then(setup, a)
	}
	if _, fallen := Resting(setup); len(fallen) > 0 {
		return nil, fmt.Errorf("set-up %q: %s", fallen[0], fallen[0].onNothing(setup))
	}
	return setup, nil
}

// Resting parts a set-up into what can hold and what cannot: a lead or a battery pack on the inner pins of a part falls once
// that part is fitted again.
func Resting(setup []Action) (kept, fallen []Action) {
	for _, a := range setup {
		if a.onNothing(setup) == "" {
			kept = append(kept, a)
		} else {
			fallen = append(fallen, a)
		}
	}
	return kept, fallen
}

// onNothing says why an action cannot hold; empty where it can.
func (a Action) onNothing(setup []Action) string {
	for _, pin := range []harness.Pin{a.From, a.To} {
		if pin.Inner && !slices.ContainsFunc(setup, func(b Action) bool { return b.Part == pin.Part && b.Detaches() }) {
			return fmt.Sprintf("%s can be reached only while %s is out", pin, pin.Part)
		}
	}
	return ""
}

// Then is a set-up once one thing more has been done. A second stand-in for a sensor takes the place of the first, a
// part renewed is fitted again, and what is said of how the vehicle stands replaces what was said before.
func Then(setup []Action, a Action) []Action {
	renews := a.Verb == Renewed || a.Verb == RenewedUsed
	left := make([]Action, 0, len(setup)+1)
	for _, b := range setup {
		same := a.Part != "" && b.Part == a.Part && b.Detaches()
		switch {
		case a.Stands() && b.Verb == a.Verb:
		case same && (renews || a.Detaches()):
		default:
			left = append(left, b)
		}
	}
	return append(left, a)
}

func parseAction(c *harness.Circuit, w []string) (a Action, err error) {
	if len(w) < 2 {
		return a, fmt.Errorf("an action is as in \"K1 out\", \"M2 unplugged\", \"jumper K1.30 K1.87\", \"ground K1.85\"")
	}
	switch Verb(w[0]) {
	case Jumper, Pack:
		if len(w) != 3 {
			return a, fmt.Errorf("a %s joins two pins", w[0])
		}
		a.Verb = Verb(w[0])
		if a.From, err = c.FindPin(w[1]); err != nil {
			return a, err
		}
		a.To, err = c.FindPin(w[2])
		if err == nil && a.From == a.To {
			err = fmt.Errorf("both ends are %s", a.From)
		}
		return a, err
	case GroundPin, Feed:
		if len(w) != 2 {
			return a, fmt.Errorf("%s takes one pin", w[0])
		}
		a.Verb = Verb(w[0])
		a.From, err = c.FindPin(w[1])
		return a, err
	case Swapped:
		if len(w) != 3 {
			return a, fmt.Errorf("two parts are swapped")
		}
		return parseSwap(c, w[1], w[2])
	case "sensor":
		return parseStandIn(c, w[1:])
	case Engine, Key, AC, Coolant, Pressure, RoadSpeed:
		return parseStand(w)
	case "wire", "pin":
		return parseMended(c, w)
	}
	if len(w) == 2 && Verb(w[0]) == Cleaned && c.Part(w[0]) == nil {
		w = []string{w[1], w[0]} // "cleaned K1" is "K1 cleaned"
	}
	part := c.Part(w[0])
	if part == nil {
		return a, fmt.Errorf("there is no part %s", harness.Clipped(w[0], maxShown))
	}
	a.Part, a.Verb = w[0], Verb(strings.Join(w[1:], " "))
	fits := DetachVerb(part.Kind())
	switch {
	case a.Verb == Renewed, a.Verb == RenewedUsed, a.Verb == Cleaned:
	case a.Detaches() && a.Verb == fits:
	case a.Detaches() && fits == "":
		return a, fmt.Errorf("a %s does not come apart", part.Kind())
	default:
		return a, fmt.Errorf("%q is nothing done to a %s (%s, renewed, renewed used, cleaned)", a.Verb, part.Kind(), fits)
	}
	return a, nil
}

// parseStandIn reads "T1 replaced 330": the sensor unplugged, so many ohms on its plug.
func parseStandIn(c *harness.Circuit, w []string) (Action, error) {
	a := Action{Verb: Replaced}
	if len(w) != 3 || w[1] != string(Replaced) {
		return a, fmt.Errorf("a stand-in is as in \"sensor T1 replaced 330\" (ohms)")
	}
	part := c.Part(w[0])
	if part == nil || part.Kind() != harness.KindSensor {
		return a, fmt.Errorf("%s is no sensor", w[0])
	}
	a.Part = part.Name
	ohms, err := units.Figure(strings.TrimSuffix(w[2], "Ω"))
	if err != nil || !(ohms >= leastStandIn && ohms <= mostStandIn) {
		return a, fmt.Errorf("%q is no resistance for a stand-in (%g to %g Ω)", w[2], leastStandIn, mostStandIn)
	}
	a.Ohms = ohms
	return a, nil
}

// parseMended reads "wire K1.87 - M1.+ renewed" and "pin M1.- renewed".
func parseMended(c *harness.Circuit, w []string) (a Action, err error) {
	a.Verb = Renewed
	switch {
	case w[len(w)-1] != string(Renewed):
		return a, fmt.Errorf("a wire or a pin is renewed, as in \"wire K1.87 - M1.+ renewed\"")
	case w[0] == "pin" && len(w) == 3:
		a.From, err = c.FindPin(w[1])
		return a, err
	case w[0] == "wire" && len(w) == 5 && w[2] == "-":
		wire := c.Wire(harness.ParsePin(w[1]), harness.ParsePin(w[3]))
		if wire == nil {
			return a, fmt.Errorf("there is no wire %s - %s", w[1], w[3])
		}
		a.From, a.To = wire.From, wire.To
		return a, nil
	}
	return a, fmt.Errorf("a repair is as in \"wire K1.87 - M1.+ renewed\" or \"pin M1.- renewed\"")
}

// RepairOf is the set-up action that mends a fault: the part renewed, the wire or the terminal
// mended.
func RepairOf(f fault.Fault) Action {
	switch f.On {
	case fault.OnWire, fault.OnWires:
		return Action{Verb: Renewed, From: f.Wire[0], To: f.Wire[1]}
	case fault.OnPin:
		return Action{Verb: Renewed, From: f.Pin}
	case fault.OnRole:
		return Action{Verb: Renewed, Part: f.Pin.Part}
	}
	return Action{Verb: Renewed, Part: f.Part}
}

// RepairIn is the repair of a fault that was there before the set-up: of a part that has since
// changed places, where it is now. The zero Action where the set-up has mended it.
func RepairIn(setup []Action, f fault.Fault) Action {
	left := carried([]fault.Fault{f}, setup)
	if len(left) == 0 {
		return Action{}
	}
	return RepairOf(left[0])
}

// Mends tells whether a repair takes a fault away.
func (a Action) Mends(f fault.Fault) bool {
	if a.Verb != Renewed && a.Verb != RenewedUsed {
		return false
	}
	switch {
	case a.To.Part != "":
		w := [2]harness.Pin{a.From, a.To}
		return (f.On == fault.OnWire || f.On == fault.OnWires) && (f.Wire == w || f.Other == w)
	case a.From.Part != "":
		return f.On == fault.OnPin && f.Pin == a.From
	}
	return (f.On == fault.OnPart || f.On == fault.OnRole) && (f.Part == a.Part || f.Pin.Part == a.Part)
}

func parseSwap(c *harness.Circuit, one, two string) (Action, error) {
	a := Action{Verb: Swapped, Part: one, Other: two}
	p, q := c.Part(one), c.Part(two)
	switch {
	case p == nil:
		return a, fmt.Errorf("there is no part %s", one)
	case q == nil:
		return a, fmt.Errorf("there is no part %s", two)
	case !Identical(p, q):
		return a, fmt.Errorf("%s and %s are not identical parts", one, two)
	}
	return a, nil
}

// Identical tells whether two parts may be swapped with each other.
func Identical(p, q *harness.Part) bool {
	if p == q || p.Kind() != q.Kind() {
		return false
	}
	switch a := p.Spec.(type) {
	case *harness.Relay:
		b := q.Spec.(*harness.Relay)
		return a.Contacts == b.Contacts && a.CoilOhms == b.CoilOhms && len(a.Printed) == len(b.Printed)
	case *harness.Fuse:
		return *a == *q.Spec.(*harness.Fuse)
	}
	return false
}

// carried gives the faults as they stand after the set-up: a renewed part has lost its own,
// two swapped parts have exchanged theirs.
func carried(faults []fault.Fault, setup []Action) []fault.Fault {
	moved := append([]fault.Fault(nil), faults...)
	for _, a := range setup {
		kept := moved[:0]
		for _, f := range moved {
			switch {
			case a.Mends(f):
				continue
			case a.Verb == Swapped && f.On == fault.OnPart && f.Part == a.Part:
				f.Part = a.Other
			case a.Verb == Swapped && f.On == fault.OnPart && f.Part == a.Other:
				f.Part = a.Part
			}
			kept = append(kept, f)
		}
		moved = kept
	}
	return moved
}
