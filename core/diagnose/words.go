package diagnose

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Cautions, said where they apply.
const (
	fansStart   = "Fans start without warning, key off too: hands and clothes clear."
	leadsClear  = "Fans start without warning: keep hands and leads clear of the blades."
	moduleMeter = "Module pin: a high-impedance meter only, no lamp."
	backProbe   = "Back-probe from the wire side with the relay in; do not spread the terminal."
	fusedOnly   = "Only a fused lead, its fuse no larger than the circuit's own."
	packSags    = "A small pack sags at the start: a fan that hesitates on it is not condemned by it."
	powerOff    = "Power off: an ohmmeter on a live circuit reads nonsense and may be spoilt."
	diodeCoil   = "The coil has a diode: observe the polarity, the wrong way round is a dead short."
	lampDraws   = "A filament lamp draws current: never on a module pin that is not known to stand it."
	intervenes  = "A swap is an intervention: reseating may itself have mended a bad contact."
)

// word writes title, steps and cautions.
func (g *Guide) word(m *Move, t probe.Test, now Now) {
	m.Steps = append(m.Steps, g.setupSteps(now.Setup, t.OnTheCar())...)
	asked := g.asked(m, t, now)
	has := func(verb electric.Verb) bool {
		return slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == verb && !slices.Contains(now.Setup, a) })
	}
	if has(electric.Jumper) || has(electric.Feed) || has(electric.GroundPin) {
		m.Cautions = append(m.Cautions, fusedOnly)
	}
	if has(electric.Pack) && t.Do == probe.LookAtFans {
		m.Cautions = append(m.Cautions, fusedOnly, packSags)
	}
	if has(electric.Swapped) {
		m.Cautions = append(m.Cautions, intervenes)
	}
	step := func(words ...string) { m.Steps = append(m.Steps, words...) }
	switch t.Do {
	case probe.LookAtFans:
		m.Title = "Look at each fan, " + asked + g.lookWith(t.Setup)
		step("Go and look at each fan by itself; “commanded on” is not “running”.",
			"Say what each fan did: stopped, slow, fast, backwards.")
		m.Cautions = append(m.Cautions, fansStart)
	case probe.Codes:
		m.Title = "Read the fault codes"
		step("Read the stored codes of the fan outputs; “none” is an answer too: the controller sees the coil side only.")
	case probe.Relay:
		m.Title = fmt.Sprintf("Feel %s, %s", t.Part, asked)
		step(fmt.Sprintf("A finger on %s%s while the command is given: does it click?", t.Part, g.place(t.Part)))
		m.Cautions = append(m.Cautions, "A click proves the coil, not the contact.")
	case probe.Turned:
		m.Title = "Turn " + t.Part + " by hand"
		step("With the motor unplugged, turn the blades: free, dragging or stuck?")
		m.Cautions = append(m.Cautions, fansStart)
	case probe.Looked:
		m.Title = "Look closely at " + t.Part
		step(fmt.Sprintf("Look at %s%s, its terminals and plug: clean, marks of heat, corrosion?", t.Part, g.place(t.Part)),
			"Look before you disturb it: cleaning and reseating are for later, and go in the log.")
	case probe.Wiggled:
		m.Title = "Tap and wiggle " + t.Part
		step(fmt.Sprintf("With the complaint's state commanded, tap %s%s with a long tool and move its wires: does anything change?",
			t.Part, g.place(t.Part)))
		m.Cautions = append(m.Cautions, leadsClear)
	case probe.Ohms:
		g.wordOhms(m, t)
	default:
		g.wordLeads(m, t, asked)
	}
}

// asked words the state and adds the step that brings it about: every condition in which it differs
// from a parked vehicle, and the command.
func (g *Guide) asked(m *Move, t probe.Test, now Now) string {
	if t.Do == probe.Codes || t.Do == probe.Turned || t.Do == probe.Looked || t.Do == probe.Wiggled || t.Do == probe.Ohms {
		return ""
	}
	commands := g.circuit.CommandsIn(t.State, nil, harness.Heard{})
	conditions := t.State.Conditions()
	asked := "nothing commanded"
	switch {
	case len(commands) > 0:
		asked = t.State.Name + " commanded"
	case !g.commands(), len(conditions) > 1:
		asked = "in " + t.State.Name // a switch, a knob or the heat decides, or the controller for itself
	}
	whole := strings.Join(conditions, ", ")
	switch {
	case now.State == t.State:
		m.Steps = append(m.Steps, fmt.Sprintf("%s stays as it is (%s; %s).", capital(t.State.Name), asked, whole))
	case len(commands) == 0 && asked == "nothing commanded":
		m.Steps = append(m.Steps, fmt.Sprintf("%s, nothing commanded (%s).", capital(whole), t.State.Name))
	case len(commands) == 0 && g.commands():
		m.Steps = append(m.Steps, fmt.Sprintf("%s, nothing commanded: bring it %s.", capital(whole), asked))
	case len(commands) == 0:
		m.Steps = append(m.Steps, fmt.Sprintf("%s: bring it %s.", capital(whole), asked))
	case now.Kit.Scan != probe.CommandTool:
		m.Steps = append(m.Steps, fmt.Sprintf("%s. Bring on %s without a scan tool that commands: %s.", capital(whole), t.State.Name,
			g.withoutTool(now.Kit, t.State)))
	case t.State.Commands == nil: // the controller commands it by itself
		m.Steps = append(m.Steps, fmt.Sprintf("%s: the controller then commands %s (%s).", capital(whole),
			strings.Join(commands, " and "), t.State.Name))
	default:
		m.Steps = append(m.Steps, fmt.Sprintf("%s. Command %s%s.", capital(whole), t.State.Name, g.commandWords(t.State, commands)))
	}
	return asked
}

// commandWords names what is commanded where the state's own name does not say it, and the duty.
func (g *Guide) commandWords(s *harness.State, commands []string) string {
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
func (g *Guide) commands() bool {
	return slices.ContainsFunc(g.circuit.States, func(s *harness.State) bool { return len(g.circuit.CommandsIn(s, nil, harness.Heard{})) > 0 })
}

// withoutTool says how a state is asked for where no scan tool commands it (common practice).
func (g *Guide) withoutTool(kit probe.Kit, state *harness.State) string {
	ways := []string{}
	commands := g.circuit.CommandsIn(state, nil, harness.Heard{})
	hottest := -1.0
	for _, r := range g.circuit.Strategy {
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
	for _, p := range g.circuit.OfKind(harness.KindSensor) {
		curve := p.Spec.(*harness.Sensor).Curve
		ohms := curve.Ohms(hottest + standInMargin)
		if kit.NoDecade || hottest < 0 || !(ohms > 0) {
			continue
		}
		ways = append(ways, fmt.Sprintf("a resistor of about %s in the place of %s (%.0f °C; engine off where possible, it blinds the gauge; out again before the job closes)",
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

// lookWith adds what is special about a look.
func (g *Guide) lookWith(setup []electric.Action) string {
	for _, a := range setup {
		switch a.Verb {
		case electric.Swapped:
			return fmt.Sprintf(", %s and %s swapped", a.Part, a.Other)
		case electric.Jumper:
			return fmt.Sprintf(", %s bridged to %s", a.From, a.To)
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

func (g *Guide) wordOhms(m *Move, t probe.Test) {
	if !t.At.Inner {
		m.Title = fmt.Sprintf("Ohms from %s to %s", t.At, t.From)
		m.Steps = append(m.Steps, "Null the leads first: they read up to an ohm.", "One lead: "+g.where(t.At)+".",
			"The other: "+g.where(t.From)+".")
		m.Cautions = append(m.Cautions, powerOff)
		return
	}
	if g.circuit.Part(t.At.Part).Kind() == harness.KindSensor {
		m.Title = fmt.Sprintf("%s unplugged: ohms from %s to %s, %s", t.At.Part, t.At.Name, t.From.Name, t.State.Name)
		m.Steps = append(m.Steps, fmt.Sprintf("With the engine as in %s, ohmmeter across the sensor itself; hold it against its curve.",
			t.State.Name))
		m.Cautions = append(m.Cautions, "Hot coolant and pressure: never open a hot system.")
		return
	}
	m.Title = fmt.Sprintf("%s on the bench: ohms from %s to %s", t.At.Part, t.At.Name, t.From.Name)
	if m.Energised {
		m.Title += ", energised"
		m.Steps = append(m.Steps, "Energise the coil from a small battery through a fused lead: plus on 86, minus on 85.")
		if relay, ok := g.circuit.Part(t.At.Part).Spec.(*harness.Relay); ok && relay.Suppression == harness.DiodeSuppr {
			m.Cautions = append(m.Cautions, diodeCoil)
		}
	}
	m.Steps = append(m.Steps, "Null the leads first: they read up to an ohm.",
		fmt.Sprintf("Ohmmeter between terminals %s and %s as printed on the relay.", t.At.Name, t.From.Name))
	m.Cautions = append(m.Cautions, "Seen from below the numbers are mirrored: go by the print on the part.")
}

// wordLeads words what is read at a pin: volts, lamp, LED, clamp.
func (g *Guide) wordLeads(m *Move, t probe.Test, asked string) {
	part := g.circuit.Part(t.At.Part)
	if t.Do == probe.Amps {
		m.Title = fmt.Sprintf("Clamp the current into %s, %s", t.At, asked)
		m.Steps = append(m.Steps, "Zero the clamp with the other consumers already on.", "Clamp round one wire only: "+g.where(t.At)+".")
		m.Cautions = append(m.Cautions, leadsClear)
		return
	}
	tool := map[probe.Do]string{probe.Volts: "Volts", probe.Lamp: "Test lamp", probe.LED: "LED tester"}[t.Do]
	if t.With == "heavy" {
		tool = "Heavy test lamp"
	}
	asked += g.lookWith(t.Setup)
	m.Title = fmt.Sprintf("%s at %s, %s", tool, g.side(t.At), asked)
	black := "battery negative post"
	if t.From.Part != "" {
		m.Title = fmt.Sprintf("%s from %s to %s, %s", strings.Replace(tool, "Volts", "Drop", 1), t.At, t.From, asked)
		black = g.where(t.From)
	}
	if t.Do == probe.Volts {
		m.Steps = append(m.Steps, "Black lead: "+black+".", "Red lead: "+g.where(t.At)+".")
	} else {
		m.Steps = append(m.Steps, "Clip: "+black+".", "Tip: "+g.where(t.At)+".")
	}
	command := strings.HasPrefix(asked, t.State.Name+" commanded") || !g.commands()
	if part.Kind() == harness.KindMotor || command {
		m.Cautions = append(m.Cautions, leadsClear)
	}
	if part.Kind() == harness.KindController {
		m.Cautions = append(m.Cautions, moduleMeter)
	}
	if t.Do == probe.Lamp {
		m.Cautions = append(m.Cautions, lampDraws)
	}
	if part.Kind() == harness.KindRelay && !slices.Contains(t.Setup, electric.Action{Verb: electric.Out, Part: part.Name}) {
		m.Cautions = append(m.Cautions, backProbe)
	}
}
