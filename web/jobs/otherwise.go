package jobs

import (
	"fmt"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// otherwise finds relays that were felt in two states or more just as another relay should be, and not as they are drawn:
// the drawing may have their lines the other way round.
func otherwise(j *jobAt) []string {
	felt := map[string]map[string]bool{} // relay, state: it clicked
	for i := range j.state.Seen {
		o := &j.state.Seen[i]
		if o.Do != probe.Relay || len(o.Setup) > 0 {
			continue
		}
		if felt[o.Part] == nil {
			felt[o.Part] = map[string]bool{}
		}
		felt[o.Part][o.State] = o.Word() == "click"
	}
	drawn := map[string]map[string]bool{}
	for _, s := range j.file.Drawn.States {
		if point, err := j.file.Model.Solve(electric.Condition{State: s}); err == nil {
			drawn[s.Name] = map[string]bool{}
			for relay, word := range point.Relays {
				drawn[s.Name][relay] = word == "pulled in"
			}
		}
	}
	agrees := func(states map[string]bool, relay string) bool {
		for state, clicked := range states {
			if drawn[state][relay] != clicked {
				return false
			}
		}
		return true
	}
	var list []string
	for _, relay := range j.file.Drawn.OfKind(harness.KindRelay) {
		states := felt[relay.Name]
		if len(states) < 2 || agrees(states, relay.Name) {
			continue
		}
		for _, other := range j.file.Drawn.OfKind(harness.KindRelay) {
			if other != relay && agrees(states, other.Name) {
				list = append(list, fmt.Sprintf("%s clicks when %s should, and not when it should itself", relay.Name, other.Name))
				break
			}
		}
	}
	return list
}
