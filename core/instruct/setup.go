package instruct

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// How something is done to the car, how it is put back, and where a lead goes.

// setupSteps says what to undo and do to get from one set-up to another.
func (w *writer) setupSteps(from, to []electric.Action) []string {
	var steps []string
	for _, a := range from {
		// An engine that the state itself runs is not stopped first.
		runsOn := a.Verb == electric.Engine && w.test.State != nil && electric.EngineUnder(w.test.State, to) != electric.EngineOff
		if !slices.Contains(to, a) && !runsOn {
			steps = append(steps, capital(w.undo(a))+".")
		}
	}
	for _, a := range to {
		if !slices.Contains(from, a) {
			steps = append(steps, capital(w.do(a))+".")
		}
	}
	return steps
}

// do says how something is done to the car.
func (w *writer) do(a electric.Action) string {
	switch a.Verb {
	case electric.Out:
		return "pull " + a.Part + w.place(a.Part)
	case electric.Unplugged:
		return "unplug " + a.Part + w.place(a.Part)
	case electric.Apart:
		switch w.circuit.Part(a.Part).Kind() {
		case harness.KindBattery:
			return "take the negative lead off " + a.Part + w.place(a.Part)
		case harness.KindGround:
			return "undo the ground joint " + a.Part + w.place(a.Part)
		}
		return "take " + a.Part + " apart" + w.place(a.Part)
	case electric.Jumper:
		return fmt.Sprintf("bridge %s to %s with a fused lead", w.called(a.From), w.called(a.To))
	case electric.GroundPin:
		return fmt.Sprintf("join %s to battery negative with a fused lead, once it is proven to be no hard feed", w.called(a.From))
	case electric.Feed:
		return fmt.Sprintf("join %s to battery positive with a fused lead", w.called(a.From))
	case electric.Pack:
		return fmt.Sprintf("battery pack, fused, on the part itself: plus to terminal %s, minus to terminal %s", w.terminal(a.From),
			w.terminal(a.To))
	case electric.Swapped:
		return fmt.Sprintf("let %s and %s change places%s", a.Part, a.Other, w.place(a.Part))
	case electric.Engine:
		return map[string]string{
			electric.EngineRunning: "start the engine, hands and leads clear of belts and blades", electric.EngineOff: "stop the engine",
			electric.EngineCranking: "let a second person crank the engine, its fuel shut off",
		}[a.Runs]
	case electric.Key, electric.AC:
		return "turn the " + a.Spoken()
	case electric.Coolant, electric.Pressure, electric.RoadSpeed:
		return "bring it under watch to where it is " + a.Spoken()
	case electric.Replaced:
		return fmt.Sprintf("put a resistor of %s on the plug of %s; it blinds gauge and controller to real heat",
			probe.FormatOhms(a.Ohms), a.Part)
	}
	return a.String()
}

// undo says how it is put back.
func (w *writer) undo(a electric.Action) string {
	switch a.Verb {
	case electric.Out:
		return "refit " + a.Part + w.place(a.Part)
	case electric.Engine:
		return "stop the engine"
	case electric.Apart:
		switch w.circuit.Part(a.Part).Kind() {
		case harness.KindBattery:
			return "put the negative lead back on " + a.Part + w.place(a.Part)
		case harness.KindGround:
			return "make the ground joint " + a.Part + " again" + w.place(a.Part)
		}
		return "join " + a.Part + " again" + w.place(a.Part)
	case electric.Unplugged, electric.Replaced:
		return "plug " + a.Part + " in again" + w.place(a.Part)
	case electric.Jumper, electric.GroundPin, electric.Feed:
		return "take the lead off " + w.called(a.From)
	case electric.Pack:
		return "take the battery pack off " + a.From.Part
	case electric.Swapped:
		return fmt.Sprintf("put %s and %s back in their places", a.Part, a.Other)
	}
	return "take back: " + a.DoneWords(w.circuit)
}

func (w *writer) place(part string) string {
	if p := w.circuit.Part(part); p != nil && p.At != "" {
		return " (" + p.At + ")"
	}
	return ""
}

// side names a pin, and for a fuse or a switch the part it faces.
func (w *writer) side(pin harness.Pin) string {
	switch w.circuit.Part(pin.Part).Kind() {
	case harness.KindFuse, harness.KindSwitch, harness.KindResistor:
	default:
		return w.called(pin)
	}
	for _, wire := range w.circuit.Wires {
		for _, ends := range [][2]harness.Pin{{wire.From, wire.To}, {wire.To, wire.From}} {
			if ends[0] == pin {
				return fmt.Sprintf("%s, the side facing %s", pin, ends[1].Part)
			}
		}
	}
	return w.called(pin)
}

// where tells where the lead goes: pin, place, colour of the wire.
func (w *writer) where(pin harness.Pin) string {
	s := w.side(pin)
	if at := w.circuit.Part(pin.Part).At; at != "" {
		s += ", " + at
	}
	for _, wire := range w.circuit.Wires {
		if (wire.From == pin || wire.To == pin) && wire.Colour != "" {
			s += ", " + wire.ColourAt(pin) + " wire"
			break
		}
	}
	return s
}

func capital(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// lookWith adds what is special about a look.
func (w *writer) lookWith(setup []electric.Action) string {
	for _, a := range setup {
		switch a.Verb {
		case electric.Swapped:
			return fmt.Sprintf(", %s and %s swapped", a.Part, a.Other)
		case electric.Jumper:
			return fmt.Sprintf(", %s bridged to %s", w.called(a.From), w.called(a.To))
		case electric.Pack:
			return fmt.Sprintf(", %s fed directly", a.From.Part)
		}
	}
	for _, a := range setup {
		if a.Detaches() {
			return ", " + a.String()
		}
	}
	return ""
}
