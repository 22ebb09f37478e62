package printed

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/harness"
)

// A trace becomes the text of a harness file: what was tapped, what is usual where nobody said more, and states out of what asks.

// Text is the harness file, and what in it is assumed: a part's settings that are only usual for its kind.
func (t *Trace) Text() (text string, assumed []string) {
	var b strings.Builder
	title := t.Title
	if title == "" {
		title = "Traced from its page"
	}
	fmt.Fprintf(&b, "harness: 1\ntitle: %s\n", strconv.Quote(title))
	if t.Volts == 24 {
		b.WriteString("supply: {off: 25.2, running: 28.4}\n")
	} else {
		b.WriteString("supply: {off: 12.6, running: 14.2}\n")
	}
	b.WriteString("parts:\n")
	for i := range t.Parts {
		p := &t.Parts[i]
		settings, usual := t.settings(p)
		if usual {
			said := settings
			if staged(p.Kind) {
				contacts, _ := t.contactsOf(p)
				said = shortly(contacts)
			}
			assumed = append(assumed, p.Name+": "+said)
		}
		line := "kind: " + string(p.Kind)
		if settings != "" {
			line += ", " + settings
		}
		if p.Label != "" {
			line += ", label: " + strconv.Quote(p.Label)
		}
		fmt.Fprintf(&b, "  %s: {%s}\n", p.Name, line)
	}
	wires, joints := t.joined()
	for _, name := range joints {
		fmt.Fprintf(&b, "  %s: {kind: splice}\n", name)
	}
	b.WriteString("wires:\n")
	for _, w := range wires {
		words := []string{}
		if w.Colour != "" {
			words = append(words, w.Colour)
		}
		if w.Size != "" {
			words = append(words, withUnit(w.Size))
		}
		if w.Length != "" {
			words = append(words, w.Length)
		}
		fmt.Fprintf(&b, "  %s - %s: %s\n", w.From, w.To, strings.Join(words, " "))
	}
	b.WriteString("states:\n")
	for _, s := range t.states() {
		line := "key: on"
		if len(s.Commands) > 0 {
			line += ", commands: [" + strings.Join(s.Commands, ", ") + "]"
		}
		if s.Coolant != nil {
			line += fmt.Sprintf(", coolant: %g", *s.Coolant)
		}
		if s.Pressure != nil {
			line += fmt.Sprintf(", pressure: %g", *s.Pressure)
		}
		fmt.Fprintf(&b, "  %s: {%s}\n", s.Name, line)
	}
	return b.String(), assumed
}

func withUnit(size string) string {
	if strings.HasSuffix(size, "mm2") || strings.HasSuffix(size, "awg") {
		return size
	}
	return strings.ReplaceAll(size, ",", ".") + "mm2"
}

// joined are the wires with what goes on somewhere else joined: the same name on two pages is one joint.
func (t *Trace) joined() (wires []Wire, joints []string) {
	end := func(s string) string {
		name, off := strings.CutPrefix(s, offPage)
		if !off {
			return s
		}
		name = jointName(name)
		if !slices.Contains(joints, name) {
			joints = append(joints, name)
		}
		return name
	}
	for _, w := range t.Wires {
		w.From, w.To = end(w.From), end(w.To)
		wires = append(wires, w)
	}
	return wires, joints
}

// jointName is what a joint of a name on the page's edge is called.
func jointName(s string) string {
	keep := strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' {
			return r
		}
		return '_'
	}, s)
	return "X" + keep[:min(len(keep), 18)]
}

// settings are those that somebody said, or the usual ones; usual says which.
func (t *Trace) settings(p *Part) (settings string, usual bool) {
	switch p.Kind {
	case harness.KindRelay:
		settings = "contacts: " + t.contacts(p)
	case harness.KindController:
		return t.roles(p), false
	case harness.KindThermoswitch, harness.KindPressureSwitch:
		if contacts, usual := t.contactsOf(p); len(contacts) > 0 {
			return stagesText(contacts), usual
		}
		settings = p.Kind.Traits().Usual
	case harness.KindMotor:
		volts := 12.6
		if t.Volts == 24 {
			volts = 25.2
		}
		settings = fmt.Sprintf("volts: %g, amps: 15", volts)
	default:
		settings = p.Kind.Traits().Usual
	}
	if p.Settings == "" {
		return settings, settings != "" && p.Kind != harness.KindSwitch && p.Kind != harness.KindRelay
	}
	if p.Kind == harness.KindRelay && !strings.Contains(p.Settings, "contacts") {
		return settings + ", " + p.Settings, false
	}
	return p.Settings, false
}

// contacts are those of a relay whose pins are on the page, or have a wire.
func (t *Trace) contacts(p *Part) string {
	has := func(pin string) bool {
		if _, tapped := p.Pins[pin]; tapped {
			return true
		}
		return slices.ContainsFunc(t.Wires, func(w Wire) bool { return w.From == p.Name+"."+pin || w.To == p.Name+"."+pin })
	}
	switch closes, rest := has("87"), has("87a"); {
	case closes && rest:
		return "changeover"
	case rest:
		return "rest"
	}
	return "make"
}

// roles are what each pin of a controller does: ground and power by what its wires come to, an output by what somebody said, or by the
// coil that it drives: it closes to ground where the coil's other end comes from the battery, and gives plus where that goes to ground.
func (t *Trace) roles(p *Part) string {
	var words []string
	outputs := 0
	for _, pin := range t.pinsOf(p) {
		var role string
		reaches := t.reaches(p.Name + "." + pin)
		switch ask, said := p.Asks[pin]; {
		case said && ask.Gives == "plus":
			role = "sources-on: " + ask.Command
		case said:
			role = "sinks-on: " + ask.Command
		case reaches.ground:
			role = "ground: true"
		case reaches.plus:
			role = "power: true"
		default:
			role = "sinks-on: "
			if reaches.coil && t.coilIsGrounded(reaches.coilPin) {
				role = "sources-on: "
			}
			role += usualCommand(outputs)
			outputs++
		}
		words = append(words, fmt.Sprintf("%q: {%s}", pin, role))
	}
	if len(words) == 0 {
		return "pins: {\"1\": {ground: true}}"
	}
	return "pins: {" + strings.Join(words, ", ") + "}"
}

// usualCommand is what the outputs of a controller usually ask for, in their order.
func usualCommand(n int) string {
	if usual := []string{"low", "high", "third"}; n < len(usual) {
		return usual[n]
	}
	return fmt.Sprintf("command%d", n+1)
}

// pinsOf lists a part's pins that are on the page, or that a wire comes to.
func (t *Trace) pinsOf(p *Part) []string {
	var list []string
	for pin := range p.Pins {
		list = append(list, pin)
	}
	for _, w := range t.Wires {
		for _, end := range []string{w.From, w.To} {
			if part, pin, ok := strings.Cut(end, "."); ok && part == p.Name && !slices.Contains(list, pin) {
				list = append(list, pin)
			}
		}
	}
	slices.SortFunc(list, byNumber)
	return list
}

// byNumber sorts pins as one counts them: 2 before 10.
func byNumber(a, b string) int {
	x, err1 := strconv.Atoi(a)
	y, err2 := strconv.Atoi(b)
	if err1 == nil && err2 == nil {
		return x - y
	}
	return strings.Compare(a, b)
}

// found is what lies at the other ends of a pin's wires.
type found struct {
	ground, plus, coil bool
	coilPin            string
}

// reaches follows the wires of a pin through joints, fuses, switches and connectors to what they come to.
func (t *Trace) reaches(from string) found {
	var f found
	seen, queue := map[string]bool{}, []string{from}
	wires, _ := t.joined()
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		if seen[at] {
			continue
		}
		seen[at] = true
		for _, w := range wires {
			var other string
			switch at {
			case w.From:
				other = w.To
			case w.To:
				other = w.From
			default:
				continue
			}
			name, pin, _ := strings.Cut(other, ".")
			p := t.part(name)
			if p == nil { // a joint
				queue = append(queue, other)
				continue
			}
			switch p.Kind {
			case harness.KindGround:
				f.ground = true
			case harness.KindBattery:
				f.plus, f.ground = f.plus || pin == "+", f.ground || pin == "-"
			case harness.KindSplice:
				queue = append(queue, other)
			case harness.KindFuse, harness.KindSwitch, harness.KindDiode:
				queue = append(queue, other)
				for _, far := range []string{"a", "b", "k"} {
					queue = append(queue, name+"."+far)
				}
			case harness.KindRelay:
				if pin == "85" || pin == "86" {
					f.coil, f.coilPin = true, other
				}
			}
		}
	}
	return f
}

// coilIsGrounded tells whether the other end of a coil goes to ground.
func (t *Trace) coilIsGrounded(pin string) bool {
	relay, at, _ := strings.Cut(pin, ".")
	other := map[string]string{"85": "86", "86": "85"}[at]
	return t.reaches(relay + "." + other).ground
}

// commands lists what the controllers' outputs ask for, in the order of their pins.
func (t *Trace) commands() []string {
	var list []string
	for i := range t.Parts {
		if t.Parts[i].Kind != harness.KindController {
			continue
		}
		for _, role := range strings.Split(t.roles(&t.Parts[i]), "}") {
			for _, key := range []string{"sinks-on: ", "sources-on: "} {
				if _, name, ok := strings.Cut(role, key); ok && !slices.Contains(list, name) {
					list = append(list, name)
				}
			}
		}
	}
	return list
}

// states are those that somebody said; else off, and one for each command, each with those before it: a second speed usually keeps the
// first.
func (t *Trace) states() []State {
	if len(t.States) > 0 {
		return t.States
	}
	list := []State{{Name: "off"}}
	var so []string
	for _, c := range t.commands() {
		so = append(so, c)
		list = append(list, State{Name: c, Commands: slices.Clone(so)})
	}
	switch by := t.stagedStates(); {
	case len(by) > 0 && len(so) == 0:
		return by
	case len(by) > 0:
		return append(list, by[1:]...) // where nothing is closed is off already
	case len(list) == 1:
		list = append(list, State{Name: "hot"})
	}
	return list
}

// Asked are the states as they stand, and the commands that they can be made of.
func (t *Trace) Asked() (states []State, commands []string) { return t.states(), t.commands() }
