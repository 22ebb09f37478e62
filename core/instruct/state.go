package instruct

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// How a state is brought about: its conditions, the command, or what else makes the controller ask for it.

// State says how a state is brought about: "Low: key on; command low."
func State(c *harness.Circuit, state *harness.State, now Now) string {
	w := &writer{circuit: c, test: probe.Test{Do: probe.LookAtFans, State: state, Setup: now.Setup}, now: Now{Setup: now.Setup, Kit: now.Kit}}
	w.inState()
	return w.card.Steps[0]
}

// inState words the state and adds the step that brings it about: every condition in which it differs
// from a parked vehicle, and the command. It is empty for a test that needs no state.
func (w *writer) inState() string {
	if !w.test.Kind().InState() {
		return ""
	}
	state := electric.Under(w.test.State, w.test.Setup)
	commands := w.circuit.CommandsIn(state, nil, harness.Heard{})
	conditions := state.Conditions()
	asked := "no fan commanded"
	how := strings.Join(conditions, ", ")
	switch {
	case len(commands) > 0 && w.now.State == w.test.State:
		asked = state.Name + " commanded"
		how += "; " + asked
	case len(commands) > 0:
		asked = state.Name + " commanded"
		how += "; " + w.commanding(state, commands)
	case !w.commands(), len(conditions) > 1:
		asked = "in " + state.Name // a switch, a knob or the heat decides, or the controller for itself
	default:
		how += "; " + asked
	}
	name := capital(state.Name)
	if w.now.State == w.test.State {
		name = "Still in " + state.Name
	}
	w.step(name + ": " + how + ".")
	return asked
}

// commanding says how the commands of a state are brought on.
func (w *writer) commanding(state *harness.State, commands []string) string {
	switch {
	case w.now.Kit.Scan != probe.CommandTool:
		return "without a scan tool that commands: " + w.withoutTool(w.now.Kit, state)
	case state.Commands == nil:
		return "the controller then commands " + strings.Join(commands, " and ") + " by itself"
	}
	return "command " + state.Name + w.commandWords(state, commands)
}

// commandWords names what is commanded with it where the state's own name does not say it, and the duty.
func (w *writer) commandWords(s *harness.State, commands []string) string {
	words := ""
	for _, c := range commands {
		if duty, known := w.circuit.DutyIn(s, c, harness.Heard{}); known {
			words += fmt.Sprintf(", %s at %.0f %%", c, duty)
		} else if c != s.Name {
			words += ", with " + c
		}
	}
	return words
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
