package probe

import (
	"fmt"
	"slices"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// click is a relay felt or heard.
type click struct {
	aside
	saidAsIs
}

func (click) Do() Do                                 { return Relay }
func (click) InState() bool                          { return true }
func (click) keys() keys                             { return keys{answer: "felt", part: "relay"} }
func (click) where(t Test, q *Question)              { q.Part = t.Part }
func (click) Words(Test) []string                    { return clickWords }
func (click) line(o *Observation) string             { return o.Part + ": " + o.Word() }
func (click) tool() string                           { return "" }
func (click) within(Kit) bool                        { return true }
func (click) minutes(*harness.Circuit, Test) float64 { return minutesFeel }

func (click) menu() []Choice {
	return []Choice{{Word: string(Relay), Label: "Relay felt or heard", atPart: true, rank: 1}}
}

func (click) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	t.Part = q.Part
	return t, onPart(c, Relay, q.Part, harness.KindRelay)
}

func (click) Chances(s Subject, t Test, into []float64) error {
	in, err := s.PulledIn(t)
	into[0] = 1 - surelyHeard
	stuck := func(f fault.Fault) bool { return stuckIn(f, t.Part) }
	if in >= 0.5 && !slices.ContainsFunc(s.Faults(), stuck) {
		into[0] = surelyHeard
	}
	into[1] = 1 - into[0]
	return err
}

// stuckIn tells whether a fault holds a relay's contacts in, so that it does not click.
func stuckIn(f fault.Fault, relay string) bool {
	return f.On == fault.OnPart && f.Part == relay && (f.Words == fault.SticksIn || f.Words == fault.MakeWelded)
}

func (click) Tell(to Teller, t Test) {
	to.Title("Feel %s, %s", t.Part, to.Asked())
	to.Step(fmt.Sprintf("A finger on %s%s while the command is given: does it click?", t.Part, to.Place(t.Part)))
	to.Caution(notContact)
}
