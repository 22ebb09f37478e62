package repair

import (
	"cmp"
	"math"
	"slices"

	"ironthread/core/livelog"
)

// A log of live data answers the checks of the warm-up: where each stage came on, and where it went off. Which stage a check is
// of is told by the temperature alone, since a log may name its stages as it likes.

// farOff is how far, °C, from a check what was seen may lie and still be its answer, though perhaps a wrong one.
const farOff = 12

// FromLog gives, by their keys, the answers that a log holds to the checks of a warm-up: the temperature as the job's log keeps
// it, or [NotProvoked] where the coolant never came so far. What the log leaves open has no answer.
func FromLog(list []Check, a *livelog.Analysis) map[string]string {
	var up, down []Check
	for _, c := range list {
		switch {
		case c.Warm && c.Rising:
			up = append(up, c)
		case c.Warm:
			down = append(down, c)
		}
	}
	var on, off []float64
	for _, s := range a.Stages {
		on, off = append(on, s.On), append(off, s.Off)
	}
	answers := map[string]string{}
	nearest(answers, up, on)
	nearest(answers, down, off)
	for i, c := range up {
		if a.Hottest >= c.Low {
			continue
		}
		missed := []Check{c}
		if len(up) == len(down) {
			missed = append(missed, down[len(down)-1-i]) // what came on last goes off first, and it never came on
		}
		for _, c := range missed {
			if _, answered := answers[c.Key]; !answered {
				answers[c.Key] = NotProvoked
			}
		}
	}
	return answers
}

// nearest answers each check by the temperature next to it. A temperature answers one check only: where one stage came on is no
// answer to the check of the next one above it.
func nearest(answers map[string]string, checks []Check, seen []float64) {
	type pair struct{ check, seen int }
	apart := func(p pair) float64 { return math.Abs(seen[p.seen] - (checks[p.check].Low+checks[p.check].High)/2) }
	var pairs []pair
	for i := range checks {
		for k := range seen {
			if p := (pair{i, k}); apart(p) < farOff { // never of a stage that was not seen, whose temperature is no number
				pairs = append(pairs, p)
			}
		}
	}
	slices.SortStableFunc(pairs, func(a, b pair) int { return cmp.Compare(apart(a), apart(b)) })
	used := map[int]bool{}
	for _, p := range pairs {
		key := checks[p.check].Key
		if _, answered := answers[key]; !answered && !used[p.seen] {
			answers[key], used[p.seen] = celsius(seen[p.seen]), true
		}
	}
}
