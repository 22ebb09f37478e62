package diagnose

import (
	"cmp"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/probe"
)

// What is measured, looked at or felt at a part by itself tells the state of that part, whatever the rest of the car does. A
// relay with 0.4 Ω across its closed contact has a burnt contact, even where the complaint has another cause. So each place
// that was tested directly is judged once more by those tests alone: how likely one of its own faults is there, against its
// being sound. The complaint's cause is sought beside that, among all the suspects.

// Found is a defect that was measured, seen or felt at a part itself.
type Found struct {
	Fault       string  `json:"fault"` // the likeliest of the part's faults that would have shown so
	Probability float64 `json:"probability"`
	repair      electric.Action
	members     []int // the suspects that would have shown so, likeliest first
	asked       []int // the questions that showed it
}

// direct judges each place that was tested directly, in the order in which the places were first tested.
func (in *inquiry) direct(e *evidence) []Found {
	var places []string
	at := map[string][]int{} // questions
	for n, q := range e.questions {
		place := directPlace(q.test)
		if place == "" || !q.counts() {
			continue
		}
		if at[place] == nil {
			places = append(places, place)
		}
		at[place] = append(at[place], n)
	}
	var list []Found
	for _, place := range places {
		if f, ok := in.foundAt(place, at[place], e); ok {
			list = append(list, f)
		}
	}
	return list
}

// directPlace is the part, wire or terminal that a test shows by itself; empty where it does not.
func directPlace(t probe.Test) string {
	switch {
	case t.Do == probe.Looked || t.Do == probe.Turned:
		return t.Part
	case t.Direct() && t.At.Part == t.From.Part:
		return t.At.Part
	}
	return ""
}

// foundAt weighs a place's own faults against its being sound, by the direct tests made there.
func (in *inquiry) foundAt(place string, asked []int, e *evidence) (Found, bool) {
	weigh := func(i int) float64 {
		sum := 0.0
		for _, n := range asked {
			var one fit
			e.questions[n].log(in.guide.suspects[i], i, &one)
			most, mean := slices.Max(one[:]), 0.0
			for _, l := range one {
				mean += math.Exp(l-most) / cars
			}
			sum += most + math.Log(mean)
		}
		return sum
	}
	sound := weigh(in.guide.suspects.nobody())
	here := Found{asked: asked}
	odds, all := map[int]float64{}, 0.0
	for i, s := range in.guide.suspects {
		if !s.isFault() || in.renewed(s) || !slices.Contains(s.Fault.Parts(), place) && s.Fault.Subject() != place {
			continue
		}
		// A fault that the tests would not have shown is neither found nor cleared by them.
		if told := weigh(i); told > sound+math.Log(shownFold) {
			odds[i] = in.priors[i] * math.Exp(told-sound)
			all += odds[i]
			here.members = append(here.members, i)
		}
	}
	if len(here.members) == 0 {
		return here, false
	}
	slices.SortStableFunc(here.members, func(x, y int) int { return cmp.Compare(odds[y], odds[x]) })
	lead := in.guide.suspects[here.members[0]]
	here.Fault, here.repair = lead.Name, electric.RepairOf(lead.Fault)
	here.Probability = all / (1 + all)
	return here, true
}

// renewed tells whether what the suspect's fault is of has been renewed since.
func (in *inquiry) renewed(s *suspect) bool { return s.renewedBy(in.phase.repairs) }

// follows tells whether what was seen at a place is what some other leading suspect does to it: a fuse that a seized motor
// has blown is no second defect.
func (in *inquiry) follows(f Found, e *evidence, b *belief) bool {
	share := 0.0
	shows := func(i int) bool {
		return !slices.ContainsFunc(f.asked, func(n int) bool { return e.questions[n].best(i) <= explainsWell })
	}
	for i, s := range in.guide.suspects {
		single := b.of[i]
		if b.single != nil {
			single = b.single[i]
		}
		if s.isFault() && !slices.Contains(f.members, i) && shows(i) {
			share += single
		}
	}
	for _, p := range b.pairs {
		for _, i := range [2]int{p.i, p.j} {
			if !slices.Contains(f.members, i) && shows(i) {
				share += p.p
				break
			}
		}
	}
	return share >= followsAt
}

// doneByAnother tells whether what was found at the leader's part may as well have been done to it by a suspect that still
// stands: a short that has blown the fuse.
func (pr *prover) doneByAnother(top Standing, e *evidence) bool {
	share := 0.0
	for _, f := range pr.found {
		if f.repair != electric.RepairOf(pr.guide.suspects[top.members[0]].Fault) {
			continue
		}
		for i, s := range pr.guide.suspects {
			shows := !slices.ContainsFunc(f.asked, func(n int) bool { return e.questions[n].best(i) <= explainsWell })
			if s.isFault() && shows && !slices.Contains(top.members, i) && !slices.Contains(f.members, i) {
				share += pr.choice.belief.of[i]
			}
		}
	}
	return share > 1-VerdictAt
}

// also lists what was found directly and is not in the verdict, nor done by what is.
func (in *inquiry) also(found []Found, v *Verdict, e *evidence, b *belief) []Found {
	var list []Found
	for _, f := range found {
		inVerdict := v != nil && slices.ContainsFunc(f.members, func(i int) bool { return slices.Contains(v.Faults, in.guide.suspects[i].Name) })
		if f.Probability >= foundAt && !inVerdict && !in.follows(f, e, b) {
			list = append(list, f)
		}
	}
	return list
}

// shownAt tells whether a direct test at the part itself shows the fault, or one that the same repair mends, as surely as a
// verdict asks.
func shownAt(found []Found, f fault.Fault) bool {
	return slices.ContainsFunc(found, func(x Found) bool { return x.Probability >= VerdictAt && x.repair == electric.RepairOf(f) })
}
