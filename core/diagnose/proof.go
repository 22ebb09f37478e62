package diagnose

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// lack is one reading that the proof of a fault still misses.
type lack struct {
	text string
	test probe.Test
}

// demand is a pin whose volts the proof needs, and why.
type demand struct {
	pin    harness.Pin
	reason string
	pulled bool // may be read in the empty socket
}

// demands lists what must have been read before a fault is called proven: for a relay coil
// feed, coil ground and contact feed; for a motor feed and ground under load; for a wire, a
// fuse or a switch both ends; for a controller's output its powers, its grounds and the pin.
func (g *Guide) demands(f fault.Fault) []demand {
	pin := func(part, name string) harness.Pin { return harness.Pin{Part: part, Name: name} }
	switch f.On {
	case fault.OnWire, fault.OnWires:
		list := []demand{{pin: f.Wire[0], reason: "one end of the wire"}, {pin: f.Wire[1], reason: "its other end"}}
		if f.On == fault.OnWires {
			list = append(list, demand{pin: f.Other[0], reason: "one end of the other wire"}, demand{pin: f.Other[1], reason: "its other end"})
		}
		return list
	case fault.OnPin, fault.OnRole:
		part := g.circuit.Part(f.Pin.Part)
		return append(g.partDemands(part), throughTerminal(part, f.Pin)...)
	}
	part := g.circuit.Part(f.Part)
	if part == nil {
		return nil
	}
	list := g.partDemands(part)
	list = append(list, outputs(part)...)
	if relay, ok := part.Spec.(*harness.Relay); ok {
		makeSide := slices.Contains([]string{fault.MakeOpen, fault.MakeBurnt, fault.MakeWelded}, f.Words)
		restSide := slices.Contains([]string{fault.RestOpen, fault.RestBurnt}, f.Words)
		if relay.HasMake() && !restSide {
			list = append(list, demand{pin: pin(part.Name, "87"), reason: "behind the make contact"})
		}
		if relay.HasRest() && !makeSide {
			list = append(list, demand{pin: pin(part.Name, "87a"), reason: "behind the rest contact"})
		}
	}
	return list
}

// outputs are what must have been read of a controller before it is condemned.
func outputs(part *harness.Part) []demand {
	spec, ok := part.Spec.(*harness.Controller)
	if !ok {
		return nil
	}
	var list []demand
	for _, role := range spec.PinRoles {
		if role.Command() != "" {
			list = append(list, demand{pin: harness.Pin{Part: part.Name, Name: role.Name}, reason: "the output itself"})
		}
	}
	return list
}

// throughTerminal is what a bad terminal takes along: one that feeds or grounds a controller all
// its outputs, any other itself.
func throughTerminal(part *harness.Part, at harness.Pin) []demand {
	if spec, ok := part.Spec.(*harness.Controller); ok && slices.ContainsFunc(spec.PinRoles, func(r *harness.PinRole) bool {
		return r.Name == at.Name && (r.Power || r.Ground)
	}) {
		return outputs(part)
	}
	if part.Kind() == harness.KindRelay {
		return nil // its coil and contact feeds are asked for already
	}
	return []demand{{pin: at, reason: "the pin itself"}}
}

func (g *Guide) partDemands(part *harness.Part) []demand {
	pin := func(name string) harness.Pin { return harness.Pin{Part: part.Name, Name: name} }
	switch spec := part.Spec.(type) {
	case *harness.Relay:
		return []demand{
			{pin: pin("86"), reason: "coil feed", pulled: true}, {pin: pin("85"), reason: "coil ground"},
			{pin: pin("30"), reason: "contact feed", pulled: true},
		}
	case *harness.Motor:
		if len(spec.Windings) == 0 {
			return []demand{{pin: pin("+"), reason: "feed under load"}, {pin: pin("-"), reason: "ground under load"}}
		}
		var list []demand
		for _, w := range spec.Windings {
			list = append(list, demand{pin: pin(w.Plus), reason: "feed of its " + w.Name + " winding under load"},
				demand{pin: pin(w.Minus), reason: "ground under load"})
		}
		return list
	case *harness.Ground:
		return []demand{{pin: pin(""), reason: "the joint under load"}}
	case *harness.Controller:
		var list []demand
		for _, role := range spec.PinRoles {
			switch {
			case role.Power:
				list = append(list, demand{pin: pin(role.Name), reason: "the controller's power under load"})
			case role.Ground:
				list = append(list, demand{pin: pin(role.Name), reason: "the controller's ground under load"})
			}
		}
		return list
	case *harness.Battery:
		return []demand{{pin: pin("+"), reason: "the battery under load"}}
	}
	var list []demand
	for _, p := range part.Pins() {
		if g.wired(p) {
			list = append(list, demand{pin: p, reason: "volts on this side, under load"})
		}
	}
	return list
}

func (g *Guide) wired(pin harness.Pin) bool {
	return slices.ContainsFunc(g.circuit.Wires, func(w *harness.Wire) bool { return w.From == pin || w.To == pin })
}

// lacking lists the demands that nothing seen answers yet.
func (g *inquiry) lacking(i int, seen []probe.Observation, now Now) []lack {
	s := g.suspects[i]
	if s.Name == NoFault {
		return g.unseenStates(seen, probe.Lasting(now.Setup))
	}
	states := g.telling(s)
	if g.provenAtOnce(s.Fault, states, seen) {
		return nil
	}
	if joined := g.joined(s.Fault, now); joined != nil {
		return joined
	}
	var list []lack
	demands, barred := g.demands(s.Fault), g.made(seen).barred
	asked := func(pin string) bool {
		return slices.ContainsFunc(demands, func(d demand) bool { return d.pin.String() == pin })
	}
	for _, d := range demands {
		taken := slices.ContainsFunc(seen, func(o probe.Observation) bool {
			shows := slices.ContainsFunc(states, func(s *harness.State) bool { return s.Name == o.State })
			lit := o.Lamp != "" && o.With == "heavy" || now.Kit.NoMeter && (o.Lamp != "" || o.LED != "") // the best that this kit can do
			under := o.Volts != nil || lit
			// The whole drop read from one side to the other tells of both.
			here := o.At == d.pin.String() && o.From == "" || asked(o.At) && asked(o.From) && (o.At == d.pin.String() || o.From == d.pin.String())
			return under && shows && here &&
				(d.pulled || !slices.Contains(o.Setup, d.pin.Part+" out"))
		})
		if taken || slices.ContainsFunc(list, func(l lack) bool { return l.test.At == d.pin }) || barred[d.pin.String()] {
			continue
		}
		state := states[0]
		test := probe.Test{Do: probe.Volts, State: state, Setup: probe.Lasting(now.Setup), At: d.pin}
		if d.pulled {
			test.Setup = append(slices.Clone(test.Setup), electric.Action{Verb: electric.Out, Part: d.pin.Part})
		}
		if now.Kit.NoMeter {
			test.Do = probe.Lamp
			if now.Kit.NoLamp || g.circuit.Part(d.pin.Part).Kind() == harness.KindController {
				test.Do = probe.LED
			}
		}
		list = append(list, lack{fmt.Sprintf("%s: %s (%s)", d.pin, d.reason, state.Name), test})
	}
	return g.quicker(list, s.Fault, states[0], seen, now)
}

// provenAtOnce tells whether one test has already shown the part itself to be bad, whatever is
// around it: a relay that takes its fault along, or fails on the bench; a motor fed directly.
func (g *Guide) provenAtOnce(f fault.Fault, states []*harness.State, seen []probe.Observation) bool {
	return slices.ContainsFunc(seen, func(o probe.Observation) bool {
		t, err := o.Test(g.circuit)
		return err == nil && g.provesAtOnce(f, t, states)
	})
}

// joined asks of two crossed wires where one of them really goes, which volts at their ends
// seldom tell; nil where that cannot be read.
func (g *inquiry) joined(f fault.Fault, now Now) []lack {
	if f.On != fault.OnWires || now.Kit.NoMeter {
		return nil
	}
	pair := f.Joined()[0]
	return []lack{{fmt.Sprintf("%s to %s: joined, power off", pair[0], pair[1]), probe.Between(g.circuit, now.Setup, pair[0], pair[1])}}
}

func (g *Guide) provesAtOnce(f fault.Fault, t probe.Test, states []*harness.State) bool {
	if f.On == fault.OnWires && t.Do == probe.Ohms {
		pairs := f.Joined()
		return slices.ContainsFunc(pairs[:], func(pair [2]harness.Pin) bool {
			return pair == [2]harness.Pin{t.At, t.From} || pair == [2]harness.Pin{t.From, t.At}
		})
	}
	if f.On != fault.OnPart {
		return false
	}
	has := func(match func(a electric.Action) bool) bool { return slices.ContainsFunc(t.Setup, match) }
	switch g.circuit.Part(f.Part).Kind() {
	case harness.KindRelay:
		if t.Do == probe.Ohms && t.At.Inner && t.At.Part == f.Part {
			return benchProves(f, t)
		}
		swapped := has(func(a electric.Action) bool {
			return a.Verb == electric.Swapped && (a.Part == f.Part || a.Other == f.Part)
		})
		return t.Do == probe.LookAtFans && swapped && slices.Contains(states, t.State)
	case harness.KindMotor:
		return t.Do == probe.LookAtFans && has(func(a electric.Action) bool { return a.Verb == electric.Pack && a.From.Part == f.Part })
	}
	return false
}

// benchProves tells whether ohms on the bench show this fault of a relay: the coil between its
// ends, a contact that does not close while it should, or does while it should not.
func benchProves(f fault.Fault, t probe.Test) bool {
	if t.At.Name == "86" || t.At.Name == "85" {
		return strings.HasPrefix(f.Words, "coil") || strings.HasPrefix(f.Words, "diode")
	}
	energised := slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == electric.Pack })
	switch f.Words {
	case fault.MakeOpen, fault.MakeBurnt, fault.SticksAtRest:
		return energised && t.From.Name == "87"
	case fault.MakeWelded, fault.SticksIn:
		return !energised && t.From.Name == "87"
	case fault.RestOpen, fault.RestBurnt:
		return !energised && t.From.Name == "87a"
	case fault.MakeOpenB, fault.MakeBurntB:
		return energised && t.From.Name == "87b"
	case fault.RestOpenB, fault.RestBurntB:
		return !energised && t.From.Name == "87ab"
	}
	return false
}

// quicker replaces what is lacking by one test of the part itself where that takes less time.
func (g *inquiry) quicker(list []lack, f fault.Fault, state *harness.State, seen []probe.Observation, now Now) []lack {
	if len(list) == 0 || f.On != fault.OnPart {
		return list
	}
	minutes, setup, at := 0.0, now.Setup, now.State
	for _, l := range list {
		minutes += l.test.Minutes(g.circuit, at, setup)
		setup, at = l.test.Setup, l.test.State
	}
	made := g.made(seen)
	best := -1.0
	var quick lack
	for _, t := range probe.Around(g.circuit, now.Setup, g.circuit.Part(f.Part)) {
		if made.has(t) || !now.Kit.Can(t) || !g.provesAtOnce(f, t, []*harness.State{state}) {
			continue
		}
		if m := t.Minutes(g.circuit, now.State, now.Setup); m < minutes && (best < 0 || m < best) {
			best, quick = m, lack{f.Part + " itself tested", t}
		}
	}
	if best < 0 {
		return list
	}
	return []lack{quick}
}

// A rival explains what was seen at least this well, compared with the leader; its being
// rare does not refute it. A test that would tell it apart must do so clearly.
const (
	rivalFit  = 0.25
	rivalBits = 0.2
)

// rival asks for the test that tells the leader from those who explain the evidence as well
// and are less likely only because they are rarer; none where no test would.
func (g *inquiry) rival(top Standing, b *belief, seen []probe.Observation, now Now) ([]lack, error) {
	explains := func(i int) float64 { return b.of[i] / g.priors[i] }
	best := 0.0
	for _, i := range top.members {
		best = max(best, explains(i))
	}
	even := &belief{of: make([]float64, len(g.suspects)), car: b.car}
	leader := top.members[0]
	var rivals []int
	for i, s := range g.suspects {
		if s.Unknown || slices.Contains(top.members, i) || explains(i) < rivalFit*best {
			continue
		}
		apart, err := g.tellApart(leader, i)
		if err != nil {
			return nil, err
		}
		if apart {
			rivals = append(rivals, i)
		}
	}
	if len(rivals) == 0 {
		return nil, nil
	}
	even.of[leader] = 0.5
	for _, i := range rivals {
		even.of[i] = 0.5 / float64(len(rivals))
	}
	list, err := g.rank(even, seen, now)
	if err != nil {
		return nil, err
	}
	for _, s := range list {
		if s.bits >= rivalBits {
			return []lack{{"told apart from " + g.suspects[rivals[0]].Name, s.test}}, nil
		}
	}
	return nil, nil
}

// unseenStates lists the states in which the fans have not been looked at with just this
// set-up: what "nothing is wrong", and a repair, still lack.
func (g *Guide) unseenStates(seen []probe.Observation, setup []electric.Action) []lack {
	key := probe.SetupKey(setup)
	var list []lack
	for _, state := range g.circuit.States {
		looked := slices.ContainsFunc(seen, func(o probe.Observation) bool {
			held, err := electric.ParseSetup(g.circuit, o.Setup)
			return err == nil && o.Fans != nil && o.State == state.Name && probe.SetupKey(held) == key
		})
		if !looked {
			list = append(list, lack{"each fan seen in " + state.Name, probe.Test{Do: probe.LookAtFans, State: state, Setup: setup}})
		}
	}
	return list
}

// telling lists the states in which the fault shows, the one where it shows most first: by
// fan speeds, then by volts.
func (g *inquiry) telling(s *suspect) []*harness.State {
	well, err := g.model.Network(nil, nil)
	if err != nil {
		return g.circuit.States
	}
	ill, err := g.network(s, nil)
	if err != nil {
		return g.circuit.States
	}
	fans, pins := len(g.fans), len(g.model.Pins())
	a, b := make([]float32, fans), make([]float32, fans)
	v, w := make([]float32, pins), make([]float32, pins)
	begun, err := g.table.Begun(s.at)
	if err != nil {
		return g.circuit.States
	}
	ill.Restore()
	ill.SetBlown(begun[0])
	difference := make(map[*harness.State]float64)
	for _, state := range g.circuit.States {
		well.Rest()
		well.Enter(state)
		well.FanShares(a)
		well.MeterVolts(v, nil)
		ill.Rest()
		ill.Enter(state)
		ill.FanShares(b)
		ill.MeterVolts(w, nil)
		for f := range a {
			difference[state] += 100 * math.Abs(float64(a[f]-b[f]))
		}
		for p := range v {
			difference[state] += math.Abs(predict.Meter(float64(v[p])) - predict.Meter(float64(w[p])))
		}
	}
	states := slices.Clone(g.circuit.States)
	slices.SortStableFunc(states, func(x, y *harness.State) int { return cmp.Compare(difference[y], difference[x]) })
	shows := states[:1]
	for _, state := range states[1:] {
		if difference[state] >= stillTelling*difference[states[0]] {
			shows = append(shows, state)
		}
	}
	return shows
}

// stillTelling is how much a fault must show in a state, compared with where it shows most,
// for a reading there to count in its proof.
const stillTelling = 0.4
