package diagnose

import (
	"fmt"
	"slices"

	"ironthread/core/probe"
)

// Surprise is an observation that fits nothing the others leave.
type Surprise struct {
	Index int    `json:"index"`
	Text  string `json:"text"`
}

// surprises finds the observations that fit nothing the others leave, and those that gainsay another
// answer to the same question.
func (in *inquiry) surprises(seen []probe.Observation, e *evidence, sums logs, b *belief) []Surprise {
	expected := make([][]float64, len(e.questions))
	for n, q := range e.questions {
		expected[n] = in.expected(q, sums)
	}
	var list []Surprise
	for k, at := range e.of {
		if at.question < 0 || expected[at.question] == nil {
			continue
		}
		q := e.questions[at.question]
		a := q.answers[at.answer]
		if a.fits == nil {
			continue
		}
		switch {
		case q.counted() > 1 && q.weaker(at.answer) && !in.comesAndGoesLeads(b):
			list = append(list, Surprise{k, fmt.Sprintf("%s: another answer to the same question contradicts this; take it again",
				seen[k].String())})
		case directPlace(q.test) != "" || q.test.Do == probe.Wiggled:
			// It tells the state of that part, whatever else is wrong: a finding of its own.
		case q.counted() == 1 && expected[at.question][at.answer] < surprisingBelow && !in.explained(b, q, a):
			list = append(list, Surprise{k, fmt.Sprintf("%s: this contradicts the rest: take it again%s", seen[k].String(), in.orTwo(b))})
		}
	}
	return list
}

// orTwo is what else may be where readings contradict each other: two faults at once, named where a pair is in sight.
func (in *inquiry) orTwo(b *belief) string {
	if len(b.pairs) == 0 {
		return ", or two things are wrong"
	}
	return fmt.Sprintf(", or two things are wrong: %s and %s", in.guide.suspects[b.pairs[0].i].Name, in.guide.suspects[b.pairs[0].j].Name)
}

// comesAndGoesLeads tells whether the likeliest suspect shows now and not then, so that two answers
// to one question are no surprise.
func (in *inquiry) comesAndGoesLeads(b *belief) bool {
	lead := 0
	for i := range b.of {
		if b.of[i] > b.of[lead] {
			lead = i
		}
	}
	return in.guide.suspects[lead].ComesAndGoes()
}

// explained tells whether a suspect or a pair of faults that is believed in accounts for an answer.
func (in *inquiry) explained(b *belief, q *question, a answer) bool {
	well := func(i int) float64 {
		f := q.fits(a, i)
		return slices.Max(f[:])
	}
	for i, s := range in.guide.suspects {
		if !s.Unknown && b.of[i] >= leadingAt && well(i) > explainsWell {
			return true
		}
	}
	for _, p := range b.pairs {
		if p.p >= pairExplains && (max(well(p.i), well(p.j)) > explainsWell || in.pairExplains(b, p, q)) {
			return true
		}
	}
	return false
}

// pairExplains tells whether a pair's own cars answer a question as it was answered.
func (in *inquiry) pairExplains(b *belief, p pairBelief, q *question) bool {
	ij, best := [2]int{p.i, p.j}, 0.0
	_, err := in.pairingOf(ij).through(b.asked, in.guide.pairFitsOf(ij), func(a askedOnce, of *pairFits) {
		if a.question == q && !a.old {
			best = slices.Max(of.fit[:])
		}
	})
	return err == nil && best > explainsWell
}

// expected is how likely each answer to a question was, going by all other questions; nil where it
// says nothing now.
func (in *inquiry) expected(q *question, sums logs) []float64 {
	if !slices.ContainsFunc(q.answers, func(a answer) bool { return a.fits != nil }) {
		return nil
	}
	b := in.believe(in.leftOut(q, sums))
	list := make([]float64, len(q.answers))
	for n, a := range q.answers {
		if a.fits == nil {
			continue
		}
		for i, s := range in.guide.suspects {
			if s.Unknown {
				continue
			}
			f := q.fits(a, i)
			for k, w := range b.car[i] {
				list[n] += b.of[i] * w * f[k]
			}
		}
	}
	return list
}
