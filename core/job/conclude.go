package job

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/repair"
)

// Verification is what has and has not been seen since the last repair.
type Verification struct {
	List   []repair.Ticked
	Causes []repair.Ticked
	Way    []string // set-up still on the car
}

// Left counts what is still to be done before a job is verified.
func (v *Verification) Left() int {
	return repair.Left(v.List) + repair.Left(v.Causes) + len(v.Way)
}

// Verify holds a job against the list of its circuit (see [repair.List]).
func Verify(m *electric.Model, list []repair.Check, s *State) *Verification {
	v := &Verification{List: repair.Tick(m.Circuit, list, s.Seen, s.Said)}
	for _, r := range s.Repairs {
		f, err := fault.Parse(m.Circuit, r.Fault)
		if err != nil {
			continue
		}
		for _, check := range repair.Tick(m.Circuit, repair.Causes(m, f), nil, s.Said) {
			if !slices.ContainsFunc(v.Causes, func(t repair.Ticked) bool { return t.Key == check.Key }) {
				v.Causes = append(v.Causes, check)
			}
		}
	}
	for _, action := range s.Ledger {
		if !action.Lasts() && !action.Stands() {
			v.Way = append(v.Way, action.String())
		}
	}
	return v
}

// Conclude sums up what a job has come to. s says whether it is closed, and why.
func Conclude(c *harness.Circuit, v *Verification, s *State, verdict *diagnose.Verdict, complaint string) *Conclusion {
	k := &Conclusion{Checks: answeredOf(v.List), Causes: answeredOf(v.Causes), Owner: ownerWords(c, s, verdict, complaint)}
	if verdict != nil {
		k.Verdict = &Found{Faults: verdict.Faults, Probability: verdict.Probability, Proven: verdict.Proven, Lacks: verdict.Lacks}
	}
	return k
}

func answeredOf(list []repair.Ticked) []Answered {
	answered := make([]Answered, 0, len(list))
	for _, t := range list {
		answered = append(answered, Answered{Text: t.Text, Expect: t.Expect, Why: t.Why, Read: t.Read, Done: t.Done, Wrong: t.Wrong})
	}
	return answered
}

// ownerWords is the half page for the owner: plain words, nothing technical that is not
// needed.
func ownerWords(c *harness.Circuit, state *State, verdict *diagnose.Verdict, complaint string) []string {
	list := []string{fmt.Sprintf("You told us: “%s”.", complaint)}
	for _, r := range state.Repairs {
		f, err := fault.Parse(c, r.Fault)
		if err != nil {
			list = append(list, fmt.Sprintf("We replaced %s.", strings.TrimSuffix(r.Action, " renewed")))
			continue
		}
		if !r.Proven {
			list = append(list, fmt.Sprintf("We suspected %s and renewed it: %s.", plainPlace(c, f), plainDone(c, r)))
			continue
		}
		list = append(list, fmt.Sprintf("We found the trouble at %s. We measured it, and put it right: %s.", plainPlace(c, f), plainDone(c, r)))
	}
	proven := slices.ContainsFunc(state.Repairs, func(r Body) bool { return r.Proven })
	switch {
	case state.Closed:
	case proven:
		list = append(list, "We are still checking that nothing else is wrong.")
	case verdict != nil && verdict.Faults[0] != diagnose.NoFault:
		if f, err := fault.Parse(c, verdict.Faults[0]); err == nil {
			list = append(list, fmt.Sprintf("The trouble is very likely at %s; it is not mended yet.", plainPlace(c, f)))
		}
	default:
		list = append(list, "We are still looking for the cause.")
	}
	switch state.Reason {
	case Verified:
		list = append(list, "Afterwards we ran every fan at every speed, measured what each draws, and watched the engine through a full "+
			"warm-up: all as it should be.")
	case NotReproduced:
		list = append(list, "We could not make the trouble appear while the vehicle was here. Should it come back, note when, how hot, and "+
			"how fast you were going, and come again.")
	case Declined, PassedOn, OtherReason:
		list = append(list, "The work was not finished here: "+string(state.Reason)+".")
	}
	if !state.Closed {
		list = append(list, "Until it is mended: watch the temperature, keep out of standing traffic, and never open a hot cooling system.")
	}
	return append(list, "The fans can start by themselves, even with the key off: keep hands and clothes away from them.")
}

func plainPlace(c *harness.Circuit, f fault.Fault) string {
	name := func(part string) string {
		p := c.Part(part)
		if p == nil {
			return part
		}
		kind := map[harness.Kind]string{
			harness.KindMotor: "the fan motor", harness.KindRelay: "the fan relay", harness.KindFuse: "the fuse",
			harness.KindGround:     "the ground connection",
			harness.KindController: "the control unit", harness.KindFanModule: "the fan control module",
			harness.KindPWMModule: "the fan control module",
		}[p.Kind()]
		if kind == "" {
			kind = "the " + strings.ReplaceAll(string(p.Kind()), "-", " ")
		}
		if p.At != "" {
			return fmt.Sprintf("%s %s (%s)", kind, part, p.At)
		}
		return kind + " " + part
	}
	switch f.On {
	case fault.OnWire, fault.OnWires:
		return fmt.Sprintf("the wire between %s and %s", f.Wire[0].Part, f.Wire[1].Part)
	case fault.OnPin, fault.OnRole:
		return "a terminal of " + name(f.Pin.Part)
	}
	return name(f.Part)
}

func plainDone(c *harness.Circuit, r Body) string {
	if r.Text != "" {
		return r.Text
	}
	a, err := electric.ParseAction(c, r.Action)
	if err == nil && a.Part == "" {
		return "the connection was renewed"
	}
	return "the part was renewed"
}
