package instruct

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/harness"
	"ironthread/core/probe"
)

// How a state is brought about: its conditions, the command, or what else makes the controller ask for it.

// inState words the state and adds the step that brings it about: every condition in which it differs
// from a parked vehicle, and the command. It is empty for a test that needs no state.
func (w *writer) inState() string {
	if !w.test.Kind().InState() {
		return ""
	}
	commands := w.circuit.CommandsIn(w.test.State, nil, harness.Heard{})
	conditions := w.test.State.Conditions()
	asked := "nothing commanded"
	switch {
	case len(commands) > 0:
		asked = w.test.State.Name + " commanded"
	case !w.commands(), len(conditions) > 1:
		asked = "in " + w.test.State.Name // a switch, a knob or the heat decides, or the controller for itself
	}
	whole := strings.Join(conditions, ", ")
	switch {
	case w.now.State == w.test.State:
		w.step(fmt.Sprintf("%s stays as it is (%s; %s).", capital(w.test.State.Name), asked, whole))
	case len(commands) == 0 && asked == "nothing commanded":
		w.step(fmt.Sprintf("%s, nothing commanded (%s).", capital(whole), w.test.State.Name))
	case len(commands) == 0 && w.commands():
		w.step(fmt.Sprintf("%s, nothing commanded: bring it %s.", capital(whole), asked))
	case len(commands) == 0:
		w.step(fmt.Sprintf("%s: bring it %s.", capital(whole), asked))
	case w.now.Kit.Scan != probe.CommandTool:
		w.step(fmt.Sprintf("%s. Bring on %s without a scan tool that commands: %s.", capital(whole), w.test.State.Name,
			w.withoutTool(w.now.Kit, w.test.State)))
	case w.test.State.Commands == nil: // the controller commands it by itself
		w.step(fmt.Sprintf("%s: the controller then commands %s (%s).", capital(whole),
			strings.Join(commands, " and "), w.test.State.Name))
	default:
		w.step(fmt.Sprintf("%s. Command %s%s.", capital(whole), w.test.State.Name, w.commandWords(w.test.State, commands)))
	}
	return asked
}

// commandWords names what is commanded where the state's own name does not say it, and the duty.
func (w *writer) commandWords(s *harness.State, commands []string) string {
	var list []string
	for _, c := range commands {
		if duty, known := s.DutyOf(c); known {
			list = append(list, fmt.Sprintf("%s at %g %%", c, duty))
		} else if c != s.Name {
			list = append(list, c)
		}
	}
	if len(list) == 0 {
		return ""
	}
	return " (" + strings.Join(list, ", ") + ")"
}

// commands tells whether a controller commands any state of the circuit.
func (w *writer) commands() bool {
	return slices.ContainsFunc(w.circuit.States, func(s *harness.State) bool { return len(w.circuit.CommandsIn(s, nil, harness.Heard{})) > 0 })
}

// withoutTool says how a state is asked for where no scan tool commands it (common practice).
func (w *writer) withoutTool(kit probe.Kit, state *harness.State) string {
	ways := []string{}
	commands := w.circuit.CommandsIn(state, nil, harness.Heard{})
	hottest := -1.0
	for _, r := range w.circuit.Strategy {
		if !slices.Contains(commands, r.Command) {
			continue
		}
		if slices.Contains(r.Or, "ac") && len(commands) == 1 {
			ways = append(ways, "A/C on")
		}
		if r.OnAbove != nil {
			hottest = max(hottest, *r.OnAbove)
		}
	}
	for _, p := range w.circuit.OfKind(harness.KindSensor) {
		curve := p.Spec.(*harness.Sensor).Curve
		ohms := curve.Ohms(hottest + standInMargin)
		if kit.NoDecade || hottest < 0 || !(ohms > 0) {
			continue
		}
		ways = append(ways, fmt.Sprintf("a resistor of about %s in the place of %s (%.0f °C; engine off where possible, it blinds the gauge; "+
			"out again before the job closes)",
			probe.FormatOhms(ohms), p.Name, hottest+standInMargin))
	}
	if hottest > 0 {
		ways = append(ways, fmt.Sprintf("the engine warmed up under watch to %.0f °C", hottest))
	}
	if len(ways) == 0 {
		return "the engine warmed up under watch"
	}
	return strings.Join(ways, ", or ")
}

// standInMargin is how far beyond the threshold a stand-in is chosen, °C.
const standInMargin = 3
