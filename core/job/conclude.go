package job

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
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
	v := &Verification{List: repair.Tick(m, list, s.Seen, s.Said)}
	for _, r := range s.Repairs {
		f, err := fault.Parse(m.Circuit, r.Fault)
		if err != nil {
			continue
		}
		for _, check := range repair.TickCauses(repair.Causes(m, f), v.List, s.Seen, s.Ledger, s.Said) {
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

// Conclude sums up what a job has come to, as its evidence is assessed. s says whether it is closed, and why.
func Conclude(c *harness.Circuit, v *Verification, s *State, as *diagnose.Assessment, complaint string) *Conclusion {
	k := &Conclusion{Checks: answeredOf(v.List), Causes: answeredOf(v.Causes)}
	if verdict := as.Verdict; verdict != nil {
		k.Verdict = &Found{Faults: verdict.Faults, Probability: verdict.Probability, Proven: verdict.Proven, Lacks: verdict.Lacks}
	}
	for _, f := range as.Also {
		k.Also = append(k.Also, f.Fault)
	}
	o := owner{c, s, v, as, nil}
	k.Owner = o.words(complaint)
	return k
}

func answeredOf(list []repair.Ticked) []Answered {
	answered := make([]Answered, 0, len(list))
	for _, t := range list {
		answered = append(answered, Answered{Text: t.Text, Expect: t.Expect, Why: t.Why, Read: t.Read, Done: t.Done, Wrong: t.Wrong})
	}
	return answered
}

// owner writes the half page for the owner: plain words, nothing technical that is not needed, and nothing that was not
// recorded.
type owner struct {
	circuit *harness.Circuit
	state   *State
	seen    *Verification
	as      *diagnose.Assessment
	list    []string
}

func (o *owner) say(format string, args ...any) {
	o.list = append(o.list, fmt.Sprintf(format, args...))
}

func (o *owner) words(complaint string) []string {
	o.say("You told us: “%s”.", complaint)
	o.repairs()
	for _, f := range o.as.Also {
		if g, err := fault.Parse(o.circuit, f.Fault); err == nil {
			o.say("We also found something wrong at %s, beside what you came for.", plainPlace(o.circuit, g))
		}
	}
	if !o.state.Closed {
		o.underway()
	}
	switch o.state.Reason {
	case Verified:
		o.afterwards()
	case NothingFound:
		o.say("We found nothing wrong with the fans: at every speed each of them did what it should. Should the trouble come back, note " +
			"when, how hot, and how fast you were going, and come again.")
	case NotReproduced:
		o.say("We could not make the trouble appear while the vehicle was here. Should it come back, note when, how hot, and " +
			"how fast you were going, and come again.")
	case Declined, PassedOn, OtherReason:
		o.say("The work was not finished here: %s.", o.state.Reason)
	}
	if !o.state.Closed {
		o.say("Until it is mended: watch the temperature, keep out of standing traffic, and never open a hot cooling system.")
	}
	o.say("The fans can start by themselves, even with the key off: keep hands and clothes away from them.")
	return o.list
}

// repairs says what was replaced, and what was cleaned.
func (o *owner) repairs() {
	for _, r := range o.state.Repairs {
		f, err := fault.Parse(o.circuit, r.Fault)
		switch {
		case err != nil:
			o.say("We replaced %s.", strings.TrimSuffix(r.Action, " "+string(electric.Renewed)))
		case !r.Proven:
			did := "replaced it"
			if a, err := electric.ParseAction(o.circuit, r.Action); err == nil && a.Part == "" {
				did = "made the connection anew"
			}
			if r.Text != "" {
				did += ": " + r.Text
			}
			o.say("We suspected %s and %s.", plainPlace(o.circuit, f), did)
		default:
			o.say("We found the trouble at %s. We measured it, and put it right: %s.", plainPlace(o.circuit, f), plainDone(o.circuit, r))
		}
	}
	for _, a := range o.state.Ledger {
		if a.Verb == electric.Cleaned {
			o.say("We cleaned the connections at %s.", plainPlace(o.circuit, fault.Fault{On: fault.OnPart, Part: a.Part}))
		}
	}
}

// underway says how far a job has come that is not closed.
func (o *owner) underway() {
	proven := slices.ContainsFunc(o.state.Repairs, func(r Repair) bool { return r.Proven })
	switch verdict := o.as.Verdict; {
	case proven:
		o.say("We are still checking that nothing else is wrong.")
	case verdict != nil && verdict.Faults[0] != diagnose.NoFault:
		if f, err := fault.Parse(o.circuit, verdict.Faults[0]); err == nil {
			o.say("The trouble is very likely at %s; it is not mended yet.", plainPlace(o.circuit, f))
		}
	default:
		o.say("We are still looking for the cause.")
	}
}

// afterwards says what of the verification was seen: that a temperature was not reached is not that all was well there.
func (o *owner) afterwards() {
	looks, clamps, warm, unheated := 0, 0, 0, 0
	for _, t := range o.seen.List {
		switch {
		case !t.Done || t.Wrong:
		case t.Warm && t.Unprovoked:
			unheated++
		case t.Warm:
			warm++
		case t.Test != nil && t.Test.Do == probe.LookAtFans:
			looks++
		case t.Test != nil && t.Test.Do == probe.Amps:
			clamps++
		}
	}
	var did []string
	if looks > 0 {
		did = append(did, fmt.Sprintf("looked at every fan in %s", counted(looks, "state", "states")))
	}
	if clamps > 0 {
		did = append(did, fmt.Sprintf("measured what they draw %s", counted(clamps, "time", "times")))
	}
	if warm > 0 && unheated == 0 {
		did = append(did, "watched the engine through a warm-up")
	}
	if len(did) == 0 {
		return
	}
	last := len(did) - 1
	text := did[last]
	if last > 0 {
		text = strings.Join(did[:last], ", ") + " and " + text
	}
	o.say("Afterwards we %s: all as it should be.", text)
	if unheated > 0 {
		o.say("We could not get the engine hot enough here to see the fans start by themselves; watch the temperature on the way home.")
	}
}

func counted(n int, one, many string) string {
	if n == 1 {
		return "one " + one
	}
	return fmt.Sprintf("%d %s", n, many)
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

func plainDone(c *harness.Circuit, r Repair) string {
	if r.Text != "" {
		return r.Text
	}
	a, err := electric.ParseAction(c, r.Action)
	if err == nil && a.Part == "" {
		return "the connection was made anew"
	}
	return "the part was replaced"
}
