package repair

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Causes lists the checks that tell why a part failed: a blown fuse, an opened limiter, a
// burnt contact is often a consequence (common practice). Which fans the part carries comes
// from the model. It is empty where the fault is its own cause.
func Causes(m *electric.Model, f fault.Fault) []Check {
	part := m.Circuit.Part(f.Part)
	if f.On != fault.OnPart || part == nil {
		return jointCauses(f)
	}
	fans := carried(m, part)
	var list []Check
	add := func(key, text, why string) {
		list = append(list, Check{Key: "cause " + key, Text: text, Expect: AsExpected, Why: why})
	}
	everyFan := func(why string) {
		if len(fans) == 0 {
			return
		}
		all := strings.Join(fans, " and ") // they are asked once
		add("drag "+all, all+" turned by hand, unplugged: free", why)
		list[len(list)-1].Turn = fans
		add("running "+all, all+": running current within its band", why)
		list[len(list)-1].Clamp = fans
		add("start "+all, all+": starting current, "+startWords(m, fans), why)
	}
	switch part.Kind() {
	case harness.KindFuse:
		if f.Words == fault.Open {
			add("size "+part.Name, fmt.Sprintf("The new fuse is the size drawn (%s), never a larger one, not even for a test", sizeOf(part)),
				"a fuse larger than the wire allows burns the wire")
			add("chafed "+part.Name, "The wires it protects: no chafed place, no water in the plugs", "a short blows the next fuse too")
			everyFan("a dragging motor draws more than the fuse carries for long")
		}
	case harness.KindRelay:
		if slices.Contains([]string{fault.MakeBurnt, fault.RestBurnt, fault.MakeWelded, fault.MakeBurntB, fault.RestBurntB}, f.Words) {
			everyFan("contacts burn from more current than they are made for")
			add("socket "+part.Name, "Its socket's terminals: tight, bright, no heat", "a loose terminal heats the contact beside it")
			if f.Words == fault.RestBurnt {
				add("rest "+part.Name, "The rest contact's load within its rating: only a spring holds it",
					"a rest contact often carries half of what the make contact does")
			}
		}
	case harness.KindLimiter, harness.KindResistorCard, harness.KindResistor:
		add("airflow "+part.Name, fmt.Sprintf("%s sits in its airflow, nothing in the way, bolted in before it was tested", part.Name),
			"outside its airflow a limiter opens within seconds")
		everyFan("a dragging motor heats the resistor")
	case harness.KindMotor:
		add("joints "+part.Name, part.Name+": feed and ground drop under load within limits", "low volts stall and burn a motor")
		add("guard "+part.Name, part.Name+": blades and shroud whole, nothing rubs", "a rubbing fan wears its motor")
	case harness.KindGround:
		add("joint "+part.Name, "The joint cleaned to metal, tight and sealed; its drop under load read again", "paint and salt bring it back")
	case harness.KindController, harness.KindFanModule, harness.KindPWMModule, harness.KindSpeedController:
		add("feeds "+part.Name, "Its powers and grounds read under load after the repair", "a module dies of what feeds it")
		everyFan("a dragging motor overloads an output")
	}
	return list
}

func jointCauses(f fault.Fault) []Check {
	if f.Words != fault.Resists && f.Words != fault.Open && f.Words != fault.Grounded {
		return nil
	}
	return []Check{
		{Key: "cause route", Expect: AsExpected, Text: "The route of the wire: no chafing, no sharp bend, clear of heat",
			Why: "what broke it breaks the next one"},
		{Key: "cause joint", Expect: AsExpected, Text: "The mended joint soldered or crimped, in adhesive-lined sleeve, never twisted and " +
			"left", Why: "an open joint under the bonnet corrodes"},
	}
}

// carried names the fans whose current changes where the part is taken away.
func carried(m *electric.Model, part *harness.Part) []string {
	fans := m.Circuit.Fans()
	verb := electric.DetachVerb(part.Kind())
	if verb == "" {
		return nil
	}
	var names []string
	for k, fan := range fans {
		for _, s := range m.Circuit.States {
			a, err := amps(m, s, nil)
			if err != nil {
				continue
			}
			b, err := amps(m, s, []electric.Action{{Verb: verb, Part: part.Name}})
			if err == nil && a[k]-b[k] > 0.5 && !slices.Contains(names, fan.Name) {
				names = append(names, fan.Name)
			}
		}
	}
	return names
}

func amps(m *electric.Model, s *harness.State, setup []electric.Action) ([]float32, error) {
	n, err := m.Network(setup, nil)
	if err != nil {
		return nil, err
	}
	n.Enter(s)
	a := make([]float32, len(m.Circuit.Fans()))
	n.FanAmps(a)
	return a, nil
}

// startWords is the locked-rotor current at rest, the most a start of any of the fans can draw.
func startWords(m *electric.Model, fans []string) string {
	most := 0.0
	for _, fan := range fans {
		spec, ok := m.Circuit.Part(fan).Spec.(*harness.Motor)
		if !ok || spec.Inrush == 0 {
			return "about five times the running current for less than half a second"
		}
		most = max(most, spec.Inrush)
	}
	return fmt.Sprintf("up to about %.0f A for less than half a second", most)
}

func sizeOf(part *harness.Part) string {
	if fuse, ok := part.Spec.(*harness.Fuse); ok {
		return fmt.Sprintf("%g A", fuse.Amps)
	}
	return "as drawn"
}
