package probe

import "ironthread/core/harness"

// look is a look at each fan.
type look struct{ aside }

func (look) Do() Do                                                      { return LookAtFans }
func (look) looks()                                                      {}
func (look) InState() bool                                               { return true }
func (look) keys() keys                                                  { return keys{answer: "fans"} }
func (look) where(Test, *Question)                                       {}
func (look) line(o *Observation) string                                  { return o.Fans().String() }
func (look) tool() string                                                { return "" }
func (look) within(Kit) bool                                             { return true }
func (look) minutes(*harness.Circuit, Test) float64                      { return minutesLook }
func (look) asked(_ *harness.Circuit, _ *Question, t Test) (Test, error) { return t, nil }

func (look) menu() []Choice {
	return []Choice{
		{Word: bySwap, Label: "Relay swapped with its neighbour, then a look", atPart: true, rank: 2},
		{Word: byBridge, Label: "Relay out, 30–87 bridged fused, then a look", atPart: true, rank: 3},
		{Word: direct, Label: "Fan fed directly (unplugged)", atPart: true, rank: 10},
	}
}

func (look) Tell(to Teller, _ Test) {
	to.Title("Look at each fan, %s%s", to.Asked(), to.With())
	to.Step("Go and look at each fan by itself; “commanded on” is not “running”.",
		"Say what each fan did: stopped, slow, fast, backwards.")
	to.Caution(FansStart)
}
