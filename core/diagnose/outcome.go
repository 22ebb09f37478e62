package diagnose

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/probe"
)

// Where a job stands in one word, for whoever reads no figures.

// Ending is how a job stands.
type Ending string

// Endings. Where several fit, the first of them counts.
const (
	IsMended     Ending = "mended"        // a repair or an intervention holds, and what has been seen since is as it should be
	IsVerdict    Ending = "verdict"       // a fault, or several that read the same, hold nearly all belief
	NothingFound Ending = "nothing found" // every state was seen, and every fan did what it should
	StillOpen    Ending = "open"
)

// ending tells how the job stands.
func (in *inquiry) ending(a *Assessment, e *evidence) Ending {
	well := 0.0
	for _, s := range a.Suspects {
		if s.has(in.guide.suspects.nobody()) {
			well += s.Probability
		}
	}
	healthy, all := in.statesSeen(e)
	switch {
	case a.Mended != nil && healthy && max(a.Mended.Probability, well) >= foundAt:
		return IsMended
	case !in.phase.untouched() && well >= foundAt && healthy:
		return IsMended
	case a.Verdict != nil && a.Verdict.Faults[0] != NoFault:
		return IsVerdict
	case well >= foundAt && all:
		return NothingFound
	case a.Verdict != nil:
		return IsVerdict
	}
	return StillOpen
}

// has tells whether a suspect is among the group.
func (s *Standing) has(i int) bool { return slices.Contains(s.members, i) }

// statesSeen tells whether every look at the fans of the car as it is now shows a healthy one (and there was one), and whether
// all states and fans were looked at so. What comes before the last intervention is of a car that is no more.
func (in *inquiry) statesSeen(e *evidence) (healthy, all bool) {
	since := in.touchedLast(e)
	seen := map[string]map[string]bool{}
	for n, q := range e.questions {
		if q.test.Do != probe.LookAtFans || n < since || !q.counts() || !plain(q.test.Setup) {
			continue
		}
		for _, a := range q.answers {
			if a.fits == nil {
				continue
			}
			if slices.Max(a.fits[q.well][:]) < explainsWell {
				return false, false
			}
			of := seen[q.test.State.Name]
			if of == nil {
				of = map[string]bool{}
				seen[q.test.State.Name] = of
			}
			for fan := range a.seen.Fans() {
				of[fan] = true
			}
		}
	}
	all = true
	for _, state := range in.guide.circuit.States {
		for _, fan := range in.guide.fans {
			all = all && seen[state.Name][fan]
		}
	}
	return len(seen) > 0, all
}

// plain tells whether a set-up leaves the car as it drives: nothing out, unplugged, bridged or fed.
func plain(setup []electric.Action) bool {
	return !slices.ContainsFunc(setup, func(a electric.Action) bool { return !a.Lasts() && !a.Stands() })
}

// touchedLast is the first question after the last intervention that is still on the car.
func (in *inquiry) touchedLast(e *evidence) int {
	last, had := 0, ""
	for n, q := range e.questions {
		var done []electric.Action
		for _, a := range q.test.Setup {
			if a.Lasts() {
				done = append(done, a)
			}
		}
		if key := probe.SetupKey(done); key != had {
			last, had = n, key
		}
	}
	return last
}
