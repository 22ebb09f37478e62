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
	"ironthread/core/probe"
)

// prover says what the proof of a fault still lacks.
type prover struct {
	guide  *Guide
	asked  *inquiry
	choice *chooser
	found  []Found // what direct tests have shown
}

// prover weighs a choice's belief for a proof; found is what direct tests have shown.
func (ch *chooser) prover(found []Found) *prover { return &prover{ch.guide, ch.asked, ch, found} }

// lack is one reading that the proof of a fault still misses.
type lack struct {
	text   string
	test   probe.Test
	retest bool // asked for to see what a repair has done
}

// lacking lists the demands that nothing seen answers yet.
func (pr *prover) lacking(i int) []lack {
	seen, now := pr.choice.seen, pr.choice.now
	s := pr.guide.suspects[i]
	if s.Name == NoFault {
		return pr.unseenStates()
	}
	if pr.shownItself(s) {
		return nil
	}
	states := pr.telling(s)
	if joined := pr.joined(s.Fault); joined != nil {
		return joined
	}
	var list []lack
	demands, barred := demandsOf(pr.guide.circuit, s.Fault), pr.choice.made.barred
	asked := func(pin string) bool {
		return slices.ContainsFunc(demands, func(d demand) bool { return d.pin.String() == pin })
	}
	for _, d := range demands {
		told := pr.toldApart(d.pin, s, states)
		taken := slices.ContainsFunc(seen, func(o probe.Observation) bool {
			// The whole drop read from one side to the other tells of both.
			whole := asked(o.At) && asked(o.From) && (o.At == d.pin.String() || o.From == d.pin.String())
			return (whole || o.At == d.pin.String() && o.From == "") && answersDemand(o, d, told, now.Kit)
		})
		if taken || slices.ContainsFunc(list, func(l lack) bool { return l.test.At == d.pin }) || barred[d.pin.String()] {
			continue
		}
		state := told[0]
		test := probe.Test{Do: probe.Volts, State: state, Setup: probe.Lasting(now.Setup), At: d.pin}
		if d.pulled {
			test.Setup = append(slices.Clone(test.Setup), electric.Action{Verb: electric.Out, Part: d.pin.Part})
		}
		if now.Kit.NoMeter {
			test.Do = probe.Lamp
			if now.Kit.NoLamp || pr.guide.circuit.Part(d.pin.Part).Kind() == harness.KindController {
				test.Do = probe.LED
			}
		}
		list = append(list, lack{text: fmt.Sprintf("%s: %s (%s)", d.pin, d.reason, state.Name), test: test})
	}
	return pr.quicker(list, s.Fault, states[0])
}

// answersDemand tells whether a reading at a demand's pin is one under load, in a state that tells, with its part in. A lamp loads
// the circuit; an LED tester does not, and counts where the kit has nothing better.
func answersDemand(o probe.Observation, d demand, told []*harness.State, kit probe.Kit) bool {
	if o.Do != probe.Volts && o.Do != probe.Lamp && (!kit.NoMeter || o.Do != probe.LED) {
		return false
	}
	inState := slices.ContainsFunc(told, func(s *harness.State) bool { return s.Name == o.State })
	return inState && (d.pulled || !slices.Contains(o.Setup, d.pin.Part+" out"))
}

// toldApart lists the states in which a pin's volts tell the suspect from an open line to that pin: at a module's control line
// one that idles low and one that is open may read alike. Without such a line, or where they tell as well, all of the states.
func (pr *prover) toldApart(pin harness.Pin, s *suspect, states []*harness.State) []*harness.State {
	kind := pr.guide.circuit.Part(pin.Part).Kind()
	if kind != harness.KindPWMModule && kind != harness.KindFanModule || len(states) < 2 {
		return states
	}
	at := slices.Index(pr.guide.model.Pins(), pin)
	faulty, err := pr.guide.network(s, nil)
	if at < 0 || err != nil {
		return states
	}
	apart := make(map[*harness.State]float64)
	for _, w := range pr.guide.circuit.Wires {
		if w.From != pin && w.To != pin {
			continue
		}
		open, err := pr.guide.model.Network(nil, []fault.Fault{{On: fault.OnWire, Wire: [2]harness.Pin{w.From, w.To}, Words: fault.Open}})
		if err != nil {
			return states
		}
		for _, state := range states {
			apart[state] = max(apart[state], math.Abs(pr.readAt(faulty, state, at)-pr.readAt(open, state, at)))
		}
	}
	most := 0.0
	for _, volts := range apart {
		most = max(most, volts)
	}
	return slices.DeleteFunc(slices.Clone(states), func(state *harness.State) bool { return apart[state] < stillTelling*most })
}

// readAt is what a meter shows at one of the model's pins, from rest in a state; nothing where it floats.
func (pr *prover) readAt(n *electric.Network, state *harness.State, at int) float64 {
	volts := make([]float32, len(pr.guide.model.Pins()))
	n.Restore()
	n.Enter(state)
	n.MeterVolts(volts, nil)
	return probe.Meter(float64(volts[at]))
}

// shownItself tells whether a test of the part itself has shown the fault.
func (pr *prover) shownItself(s *suspect) bool {
	return s.isFault() && (shownAt(pr.found, s.Fault) || pr.provenAtOnce(s.Fault, pr.telling(s)))
}

// provenAtOnce tells whether one test has already shown the part itself to be bad, whatever is
// around it: a relay that takes its fault along, or fails on the bench; a motor fed directly.
func (pr *prover) provenAtOnce(f fault.Fault, states []*harness.State) bool {
	return slices.ContainsFunc(pr.choice.seen, func(o probe.Observation) bool {
		t, err := o.Test(pr.guide.circuit)
		return err == nil && !o.Unreachable() && (pr.provesAtOnce(f, t, states) || pr.shownOpenly(f, t, &o))
	})
}

// shownOpenly tells whether an answer shows the fault itself to hand and eye, or to a meter at both its ends: a fuse
// seen blown, a fan stuck, a part open on the bench, a wire open from end to end.
func (pr *prover) shownOpenly(f fault.Fault, t probe.Test, o *probe.Observation) bool {
	switch t.Do {
	case probe.Looked:
		here := t.Part == f.Subject() || f.On == fault.OnPin && t.Part == f.Pin.Part
		return here && slices.Contains(shownWords[o.Word()], f.Words)
	case probe.Turned:
		return f.On == fault.OnPart && t.Part == f.Part && slices.Contains(shownWords[o.Word()], f.Words)
	}
	open := t.Do == probe.Buzzer && o.Word() == probe.Silent || t.Do == probe.Ohms && o.Reading().Open
	ends := pr.endsOf(f)
	between := ends == [2]harness.Pin{t.At.Cavity(), t.From.Cavity()} || ends == [2]harness.Pin{t.From.Cavity(), t.At.Cavity()}
	return open && f.Words == fault.Open && between
}

// shownWords are the faults that a word of hand and eye shows.
var shownWords = map[string][]string{
	"blown": {fault.Open}, "broken": {fault.Open, fault.StepOpen, fault.LimiterOpen}, "cut": {fault.Open}, "backed out": {fault.Open},
	"chafed": {fault.Grounded}, "stuck": {fault.Seized}, "drags": {fault.Worn}, "rough": {fault.Worn},
}

// endsOf are the two pins between which a fault lies; empty where it is not between two.
func (pr *prover) endsOf(f fault.Fault) (ends [2]harness.Pin) {
	switch f.On {
	case fault.OnWire:
		return f.Wire
	case fault.OnPart:
		if pins := pr.guide.circuit.Part(f.Part).Pins(); len(pins) == 2 {
			return [2]harness.Pin(pins)
		}
	}
	return ends
}

// untouchedPart tells whether nothing has been seen, felt or read at the place of a fault.
func (pr *prover) untouchedPart(s *suspect) bool {
	if !s.isFault() {
		return false
	}
	here := s.Fault.Parts()
	for _, end := range s.Fault.Wire {
		here = append(here, end.Part)
	}
	return !slices.ContainsFunc(pr.choice.seen, func(o probe.Observation) bool {
		t, err := o.Test(pr.guide.circuit)
		if err != nil {
			return false
		}
		at := func(part string) bool { return part != "" && slices.Contains(here, part) }
		done := func(a electric.Action) bool { return !a.Stands() && (at(a.Part) || at(a.Other) || at(a.From.Part)) }
		return at(t.At.Part) || at(t.From.Part) || at(t.Part) || o.Fans() != nil && slices.ContainsFunc(here, func(p string) bool {
			_, seen := o.Fans()[p]
			return seen
		}) || slices.ContainsFunc(t.Setup, done)
	})
}

// joined asks of two crossed wires where one of them really goes, which volts at their ends
// seldom tell; nil where that cannot be read.
func (pr *prover) joined(f fault.Fault) []lack {
	if f.On != fault.OnWires || pr.choice.now.Kit.NoMeter {
		return nil
	}
	pair := f.Joined()[0]
	return []lack{{text: fmt.Sprintf("%s to %s: joined, power off", pair[0], pair[1]),
		test: probe.Between(pr.guide.circuit, pr.choice.now.Setup, pair[0], pair[1])}}
}

func (pr *prover) provesAtOnce(f fault.Fault, t probe.Test, states []*harness.State) bool {
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
	switch pr.guide.circuit.Part(f.Part).Kind() {
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
func (pr *prover) quicker(list []lack, f fault.Fault, state *harness.State) []lack {
	if len(list) == 0 || f.On != fault.OnPart {
		return list
	}
	now := pr.choice.now
	minutes, setup, at := 0.0, now.Setup, now.State
	for _, l := range list {
		minutes += l.test.Minutes(pr.guide.circuit, at, setup)
		setup, at = l.test.Setup, l.test.State
	}
	best := -1.0
	var quick lack
	for _, t := range probe.Around(pr.guide.circuit, now.Setup, pr.guide.circuit.Part(f.Part)) {
		if pr.choice.made.has(t) || !now.Kit.Can(t) || !pr.provesAtOnce(f, t, []*harness.State{state}) {
			continue
		}
		if m := t.Minutes(pr.guide.circuit, now.State, now.Setup); m < minutes && (best < 0 || m < best) {
			best, quick = m, lack{text: f.Part + " itself tested", test: t}
		}
	}
	if best < 0 {
		return list
	}
	return []lack{quick}
}

// rival asks for the test that tells the leader from those who explain the evidence as well
// and are less likely only because they are rarer; none where no test would.
func (pr *prover) rival(top Standing) ([]lack, error) {
	b := pr.choice.belief
	explains := func(i int) float64 { return b.of[i] / pr.asked.priors[i] }
	best := 0.0
	for _, i := range top.members {
		best = max(best, explains(i))
	}
	even := &belief{of: make([]float64, len(pr.guide.suspects)), car: b.car}
	leader := top.members[0]
	var rivals []int
	for i, s := range pr.guide.suspects {
		if s.Unknown || slices.Contains(top.members, i) || explains(i) < rivalFit*best {
			continue
		}
		apart, err := pr.asked.tellApart(leader, i)
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
	list, err := pr.choice.by(even).rank()
	if err != nil {
		return nil, err
	}
	for _, s := range list {
		if s.bits >= rivalBits {
			return []lack{{text: "told apart from " + pr.guide.suspects[rivals[0]].Name, test: s.test}}, nil
		}
	}
	return nil, nil
}

// unseenStates lists the states in which the fans have not been looked at with just this
// set-up: what "nothing is wrong", and a repair, still lack.
func (pr *prover) unseenStates() []lack {
	setup := probe.Lasting(pr.choice.now.Setup)
	// What the engine does makes no other car: a state looked at with it running has been looked at.
	fitted := func(setup []electric.Action) string {
		_, rest := electric.EngineIn(setup)
		return probe.SetupKey(rest)
	}
	key := fitted(setup)
	var list []lack
	for _, state := range pr.guide.circuit.States {
		looked := slices.ContainsFunc(pr.choice.seen, func(o probe.Observation) bool {
			held, err := o.Held(pr.guide.circuit)
			return err == nil && o.Fans() != nil && o.State == state.Name && fitted(held) == key
		})
		if !looked {
			list = append(list, lack{text: "each fan seen in " + state.Name,
				test: probe.Test{Do: probe.LookAtFans, State: state, Setup: setup}})
		}
	}
	return list
}

// telling lists the states in which the fault shows, the one where it shows most first: by
// fan speeds, then by volts.
func (pr *prover) telling(s *suspect) []*harness.State {
	well, err := pr.guide.model.Network(nil, nil)
	if err != nil {
		return pr.guide.circuit.States
	}
	faulty, err := pr.guide.network(s, nil)
	if err != nil {
		return pr.guide.circuit.States
	}
	fans, pins := len(pr.guide.fans), len(pr.guide.model.Pins())
	a, b := make([]float32, fans), make([]float32, fans)
	v, w := make([]float32, pins), make([]float32, pins)
	blown, err := pr.guide.table.BlownBefore(s.at)
	if err != nil {
		return pr.guide.circuit.States
	}
	faulty.Restore()
	faulty.SetBlown(blown[0])
	difference := make(map[*harness.State]float64)
	for _, state := range pr.guide.circuit.States {
		well.Rest()
		well.Enter(state)
		well.FanShares(a)
		well.MeterVolts(v, nil)
		faulty.Rest()
		faulty.Enter(state)
		faulty.FanShares(b)
		faulty.MeterVolts(w, nil)
		for f := range a {
			difference[state] += 100 * math.Abs(float64(a[f]-b[f]))
		}
		for p := range v {
			difference[state] += math.Abs(probe.Meter(float64(v[p])) - probe.Meter(float64(w[p])))
		}
	}
	states := slices.Clone(pr.guide.circuit.States)
	slices.SortStableFunc(states, func(x, y *harness.State) int { return cmp.Compare(difference[y], difference[x]) })
	shows := states[:1]
	for _, state := range states[1:] {
		if difference[state] >= stillTelling*difference[states[0]] {
			shows = append(shows, state)
		}
	}
	return shows
}
