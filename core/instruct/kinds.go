package instruct

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// What is said of each kind of question: its title, its steps and its cautions.

// said says each kind; a further kind has a line here.
var said = map[probe.Do]func(w *writer){
	probe.LookAtFans: (*writer).look,
	probe.Volts:      func(w *writer) { w.leads("Volts", "Black lead: ", "Red lead: ") },
	probe.Lamp:       (*writer).lamp,
	probe.LED:        func(w *writer) { w.leads("LED tester", "Clip: ", "Tip: ") },
	probe.Amps:       (*writer).clamp,
	probe.Ohms:       (*writer).ohms,
	probe.Buzzer:     (*writer).buzzer,
	probe.Relay:      (*writer).click,
	probe.Codes:      (*writer).codes,
	probe.Turned:     (*writer).turned,
	probe.Looked:     (*writer).looked,
	probe.Wiggled:    (*writer).wiggled,
}

func (w *writer) look() {
	w.card.Title = "Look at each fan, " + w.asked + w.lookWith(w.test.Setup)
	w.step("Go and look at each fan by itself; “commanded on” is not “running”.",
		"Say what each fan did: stopped, slow, fast, backwards.")
	w.caution(fansStart)
}

func (w *writer) codes() {
	w.card.Title = "Read the fault codes"
	w.step("Read the stored codes of the fan outputs; “none” is an answer too: the controller sees the coil side only.")
}

func (w *writer) click() {
	part := w.test.Part
	w.card.Title = fmt.Sprintf("Feel %s, %s", part, w.asked)
	w.step(fmt.Sprintf("A finger on %s%s while the command is given: does it click?", part, w.place(part)))
	w.caution(notContact)
}

func (w *writer) turned() {
	w.card.Title = "Turn " + w.test.Part + " by hand"
	w.step("With the motor unplugged, turn the blades: free, dragging, rough or stuck?")
	w.caution(fansStart)
}

func (w *writer) looked() {
	part := w.test.Part
	w.card.Title = "Look closely at " + part
	what := fmt.Sprintf("Look at %s%s, its terminals and plug.", part, w.place(part))
	switch {
	case strings.HasPrefix(part, "wire "):
		what = fmt.Sprintf("Look along the %s from end to end: cut, chafed or melted?", part)
	case strings.HasPrefix(part, "pin "):
		what = fmt.Sprintf("Look at the terminal %s in its cavity: home, tight, bright?", strings.TrimPrefix(part, "pin "))
	}
	w.step(what, "Look before you disturb it: cleaning and reseating are for later, and go in the log.")
}

func (w *writer) wiggled() {
	part := w.test.Part
	w.card.Title = "Tap and wiggle " + part
	w.step(fmt.Sprintf("With the complaint's state commanded, tap %s%s with a long tool and move its wires: does anything change?",
		part, w.place(part)))
	w.caution(leadsClear)
}

// ohms are read with the power off, or of a part out of the car.
func (w *writer) ohms() {
	if !w.test.At.Inner {
		w.card.Title = fmt.Sprintf("Ohms from %s to %s", w.called(w.test.At), w.called(w.test.From))
		w.step("Null the leads first: they read up to an ohm.", "One lead: "+w.where(w.test.At)+".",
			"The other: "+w.where(w.test.From)+".")
		w.caution(powerOff)
		return
	}
	if w.circuit.Part(w.test.At.Part).Kind() == harness.KindSensor {
		w.card.Title = fmt.Sprintf("%s unplugged: ohms from %s to %s, %s", w.test.At.Part, w.test.At.Name, w.test.From.Name, w.test.State.Name)
		w.step(fmt.Sprintf("With the engine as in %s, ohmmeter across the sensor itself; hold it against its curve.",
			w.test.State.Name))
		w.caution(hotSystem)
		return
	}
	w.card.Title = fmt.Sprintf("%s on the bench: ohms from %s to %s", w.test.At.Part, w.terminal(w.test.At), w.terminal(w.test.From))
	w.energise()
	w.step("Null the leads first: they read up to an ohm.",
		fmt.Sprintf("Ohmmeter between terminals %s and %s, %s.", w.terminal(w.test.At), w.terminal(w.test.From), w.printed()))
	if w.circuit.Part(w.test.At.Part).Kind() == harness.KindRelay {
		w.caution(mirrored)
	}
}

// energise says how a relay in the hand is pulled in, where the test asks for that.
func (w *writer) energise() {
	k := slices.IndexFunc(w.test.Setup, func(a electric.Action) bool { return a.Verb == electric.Pack })
	if k < 0 {
		return
	}
	pack := w.test.Setup[k]
	w.card.Title += ", energised"
	w.step(fmt.Sprintf("Energise the coil from a small battery through a fused lead: plus on %s, minus on %s.", w.terminal(pack.From),
		w.terminal(pack.To)))
	if relay, ok := w.circuit.Part(w.test.At.Part).Spec.(*harness.Relay); ok && relay.Suppression == harness.DiodeSuppr {
		w.caution(diodeCoil)
	}
}

func (w *writer) buzzer() {
	w.card.Title = fmt.Sprintf("Buzzer from %s to %s", w.called(w.test.At), w.called(w.test.From))
	if w.test.At.Inner {
		w.card.Title = fmt.Sprintf("%s on the bench: buzzer from %s to %s", w.test.At.Part, w.terminal(w.test.At), w.terminal(w.test.From))
		w.energise()
	}
	w.step("One lead: "+w.where(w.test.At)+".", "The other: "+w.where(w.test.From)+".",
		"A buzzer sounds through a burnt contact too: it finds what is open, not what is weak.")
	if !w.test.At.Inner {
		w.caution(powerOff)
	}
}

func (w *writer) clamp() {
	w.card.Title = fmt.Sprintf("Clamp the current at %s, %s", w.called(w.test.At), w.asked)
	round := "Clamp round one wire only: " + w.where(w.test.At) + "."
	if w.test.From.Part != "" {
		w.card.Title = fmt.Sprintf("Clamp the current at %s and %s together, %s", w.called(w.test.At), w.called(w.test.From), w.asked)
		round = "Clamp round two wires at once, laid the same way: " + w.where(w.test.At) + ", and " + w.where(w.test.From) + "."
	}
	w.step("Zero the clamp with the other consumers already on.", round, "Either way round will do: the sign is left aside.")
	w.caution(leadsClear)
}

func (w *writer) lamp() {
	tool := "Test lamp"
	if w.test.With == "heavy" {
		tool = "Heavy test lamp"
	}
	w.leads(tool, "Clip: ", "Tip: ")
	w.caution(lampDraws)
}

// across words what lies between two leads: a part, a wire, or two pins.
func (w *writer) across(tool string) string {
	at, from := w.test.At, w.test.From
	volts := tool == "Volts"
	switch {
	case volts && at.Part == from.Part && len(w.circuit.Part(at.Part).Pins()) == 2:
		return "Voltage drop across " + at.Part
	case volts && at.Part == from.Part:
		return fmt.Sprintf("Voltage drop across %s, %s to %s", at.Part, w.terminal(at), w.terminal(from))
	case volts && w.circuit.Wire(at, from) != nil:
		return fmt.Sprintf("Voltage drop along the wire %s to %s", w.called(at), w.called(from))
	case volts:
		return fmt.Sprintf("Voltage drop from %s to %s", w.called(at), w.called(from))
	}
	return fmt.Sprintf("%s from %s to %s", tool, w.called(at), w.called(from))
}

// called, terminal and printed are how pins are called by who stands at the car.
func (w *writer) called(pin harness.Pin) string   { return w.circuit.Called(pin) }
func (w *writer) terminal(pin harness.Pin) string { return w.circuit.Terminal(pin) }

// printed says where a relay's numbers are read.
func (w *writer) printed() string {
	part := w.circuit.Part(w.test.At.Part)
	if part.Kind() != harness.KindRelay {
		return "on the part itself"
	}
	return "by the print on the relay"
}

// leads words what is read at a pin with two leads, one on the battery's negative post or on another pin.
func (w *writer) leads(tool, black, red string) {
	part := w.circuit.Part(w.test.At.Part)
	asked := w.asked + w.lookWith(w.test.Setup)
	w.card.Title = fmt.Sprintf("%s at %s, %s", tool, w.side(w.test.At), asked)
	at := "battery negative post"
	if w.test.From.Part != "" {
		w.card.Title = fmt.Sprintf("%s, %s", w.across(tool), asked)
		at = w.where(w.test.From)
	}
	w.step(black+at+".", red+w.where(w.test.At)+".")
	command := strings.HasPrefix(asked, w.test.State.Name+" commanded") || !w.commands()
	if part.Kind() == harness.KindMotor || command {
		w.caution(leadsClear)
	}
	if part.Kind() == harness.KindController {
		w.caution(moduleMeter)
	}
	if part.Kind() == harness.KindRelay && !slices.Contains(w.test.Setup, electric.Action{Verb: electric.Out, Part: part.Name}) {
		w.caution(backProbe)
	}
}
