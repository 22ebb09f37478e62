package diagnose

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/probe"
)

// The log is read as questions and their answers. A look recorded fifty times is one question with
// one answer: whoever has misread once misreads again, so that repeating says nothing new about the
// car. Two different answers to one question cannot both hold, but on a car whose fault comes and
// goes: one of them is a misread, and which one, the repeats only hint at.

// answer is one distinct answer to a question, with how often it was given.
type answer struct {
	seen  *probe.Observation
	count int
	fits  []fit // by suspect; nil: it says nothing now

	looked []fit // the same of a look, also where a closer or later one has replaced it
}

// question is one test as it was made, on a car whose fuses stood as they did then.
type question struct {
	test    probe.Test
	words   int // the number of answers between which a misread is shared
	answers []answer

	// cured is how likely an intervention before this question has mended each suspect for good, by suspect; nil
	// where nothing has been touched.
	cured []float64
	well  int // the suspect "no fault"
}

// evidence is the log as it has been weighed.
type evidence struct {
	questions []*question
	of        []place // by observation
	moves     []int   // the questions in the order in which the car met them

	// cured is how likely each suspect, were it the fault, has been mended by an intervention; by suspect.
	cured map[int]float64
}

// place is where an observation stands: in which question, as which answer; -1 for one that asks
// nothing.
type place struct{ question, answer int }

// read weighs the log in its order. What blows in one state stays blown in the next, until it is
// renewed.
func (in *inquiry) read(seen []probe.Observation) (*evidence, error) {
	e := &evidence{of: make([]place, len(seen))}
	at := map[string]int{}
	for k := range seen {
		o := &seen[k]
		t, err := o.Test(in.guide.circuit)
		if err != nil {
			return nil, fmt.Errorf("observation %d: %w", k+1, err)
		}
		if o.Unreachable() {
			e.of[k] = place{-1, -1}
			continue
		}
		asked := in.answers(t, nil)
		name := t.Key() + in.stand.standing()
		n, known := at[name]
		if !known {
			n = len(e.questions)
			at[name] = n
			e.questions = append(e.questions, &question{
				test: t, words: asked.choices(), cured: in.curedBy(t), well: in.guide.suspects.nobody(),
			})
		}
		q := e.questions[n]
		a, more := q.find(asked, o)
		if a < 0 || more != nil {
			if more == nil {
				a, more = len(q.answers), o
				q.answers = append(q.answers, answer{})
			}
			fits, err := in.likelihood(t, more)
			if err != nil {
				return nil, fmt.Errorf("observation %d: %w", k+1, err)
			}
			if !in.phase.holds(t.Setup) {
				fits = in.before(fits)
			}
			q.answers[a].seen, q.answers[a].fits = more, fits
		}
		q.answers[a].count++
		e.of[k] = place{n, a}
		q.closerLook(a)
		if !known {
			e.moves = append(e.moves, n)
			if err := in.moveTo(t.OnTheCar(), in.entered(t)); err != nil {
				return nil, fmt.Errorf("observation %d: %w", k+1, err)
			}
		}
	}
	return e, nil
}

// find is the answer that an observation gives once more; -1 where there is none. A look that names other fans than an earlier
// one and gainsays none of them is the same look: more is what both saw together, nil where that is nothing new.
func (q *question) find(asked answering, o *probe.Observation) (at int, more *probe.Observation) {
	if o.Fans() == nil {
		return slices.IndexFunc(q.answers, func(a answer) bool { return asked.same(a.seen, o) }), nil
	}
	for k, a := range q.answers {
		both, gainsaid := maps.Clone(a.seen.Fans()), false
		for fan, word := range o.Fans() {
			had, looked := both[fan]
			gainsaid = gainsaid || looked && had != word
			both[fan] = word
		}
		switch {
		case gainsaid:
		case len(both) == len(a.seen.Fans()):
			return k, nil
		default:
			joined := *a.seen
			joined.Answer = both
			return k, &joined
		}
	}
	return -1, nil
}

// closerLook takes the last look at a thing for the one that counts: it was seen closer, or later. Only that a fuse looks
// whole says nothing against its having been seen blown.
func (q *question) closerLook(last int) {
	if q.test.Do != probe.Looked {
		return
	}
	if q.answers[last].seen.Word() == "looks whole" {
		for k, a := range q.answers {
			if a.seen.Word() == "blown" {
				last = k
			}
		}
	}
	for k := range q.answers {
		a := &q.answers[k]
		if a.looked == nil {
			a.looked = a.fits
		}
		a.fits = nil
	}
	q.answers[last].fits = q.answers[last].looked
}

// floor is what a misread makes of an answer that the car cannot give.
func (q *question) floor() float64 { return misreadOf(q.test) / float64(q.words) }

// misreadOf is how often an answer to a test is wrong.
func misreadOf(t probe.Test) float64 {
	switch {
	case t.Do == probe.Looked:
		return misreadSeen
	case t.Direct():
		return misreadDirect
	}
	return misread
}

// fits is how well an answer fits a suspect's cars, whether an intervention has mended it or not.
func (q *question) fits(a answer, i int) fit {
	f := a.fits[i]
	if q.cured == nil || q.cured[i] == 0 {
		return f
	}
	for k := range f {
		f[k] = (1-q.cured[i])*f[k] + q.cured[i]*a.fits[q.well][k]
	}
	return f
}

// log is how well the question's answers fit a suspect's cars, as logarithms; into is written.
func (q *question) log(s *suspect, i int, into *fit) {
	*into = fit{}
	var counted []answer
	total := 0
	for _, a := range q.answers {
		if a.fits != nil {
			counted = append(counted, a)
			total += a.count
		}
	}
	switch {
	case len(counted) == 0:
		return
	case len(counted) == 1 || s.ComesAndGoes() || s.Unknown:
		for _, a := range counted {
			for k, p := range q.fits(a, i) {
				into[k] += math.Log(p)
			}
		}
		return
	}
	var mixed fit
	for _, a := range counted {
		share := float64(a.count) / float64(total)
		for k, p := range q.fits(a, i) {
			mixed[k] += share * p
		}
	}
	doubt := float64(len(counted)-1) * math.Log(q.floor())
	for k, p := range mixed {
		into[k] = math.Log(p) + doubt
	}
}

// weaker tells whether another answer was given as often or more often.
func (q *question) weaker(a int) bool {
	for n, other := range q.answers {
		if n != a && other.fits != nil && other.count >= q.answers[a].count {
			return true
		}
	}
	return false
}

// counts tells whether the question says anything now.
func (q *question) counts() bool {
	return slices.ContainsFunc(q.answers, func(a answer) bool { return a.fits != nil })
}

// counted is how many of the answers say something now.
func (q *question) counted() int {
	n := 0
	for _, a := range q.answers {
		if a.fits != nil {
			n++
		}
	}
	return n
}

// elsewhere tells whether the question is about a part by itself of which the suspect is no fault.
func (q *question) elsewhere(s *suspect) bool {
	place := directPlace(q.test)
	return place != "" && !slices.Contains(s.Fault.Parts(), place) && s.Fault.Subject() != place
}

// best is how well the answer that fits a suspect best does so, on its best car.
func (q *question) best(i int) float64 {
	best := 0.0
	for _, a := range q.answers {
		if a.fits != nil {
			best = max(best, slices.Max(a.fits[i][:]))
		}
	}
	return best
}

// plus is the question with an answer given once more.
func (q *question) plus(a answer) *question {
	next := &question{test: q.test, words: q.words, answers: slices.Clone(q.answers), cured: q.cured, well: q.well}
	for k := range next.answers {
		if next.answers[k].seen == a.seen {
			next.answers[k].count++
			return next
		}
	}
	a.count = 1
	next.answers = append(next.answers, a)
	return next
}

// weigh adds up the logarithms of how well everything seen fits, car by car. Readings on one car hang
// together: a weak battery or a bad joint's ohms show in all of them.
func (in *inquiry) weigh(e *evidence) logs {
	sums := make(logs, len(in.guide.suspects))
	var one fit
	touched := map[int]*intervened{}
	for _, q := range e.questions {
		for i, s := range in.guide.suspects {
			if q.cured != nil && q.cured[i] > 0 && q.counts() {
				if touched[i] == nil {
					touched[i] = &intervened{}
				}
				touched[i].add(q, s, i)
				continue
			}
			q.log(s, i, &one)
			for k := range one {
				sums[i][k] += one[k]
			}
		}
	}
	e.cured = map[int]float64{}
	for i, x := range touched {
		for k := range sums[i] {
			sums[i][k] += x.log(k)
		}
		most, all := slices.Max(sums[i][:]), 0.0
		for k, l := range sums[i] {
			w := math.Exp(l - most)
			all += w
			e.cured[i] += w * x.mended(k)
		}
		e.cured[i] /= all
	}
	return sums
}

// intervened is what was seen after an intervention that may have mended a suspect: mended for good, or not at all,
// and not anew with every reading.
type intervened struct {
	chance     float64
	still, not fit // as logarithms: with the fault there still, and without it
}

func (x *intervened) add(q *question, s *suspect, i int) {
	x.chance = max(x.chance, q.cured[i])
	var one fit
	asItWas := *q
	asItWas.cured = nil
	asItWas.log(s, i, &one)
	for k := range one {
		x.still[k] += one[k]
	}
	asItWas.log(s, q.well, &one)
	for k := range one {
		x.not[k] += one[k]
	}
}

func (x *intervened) log(k int) float64 {
	most := max(x.still[k], x.not[k])
	return most + math.Log((1-x.chance)*math.Exp(x.still[k]-most)+x.chance*math.Exp(x.not[k]-most))
}

// mended is how likely a car has been mended, by what was seen afterwards.
func (x *intervened) mended(k int) float64 {
	return x.chance / (x.chance + (1-x.chance)*math.Exp(x.still[k]-x.not[k]))
}

// likelihood weighs one answer for every suspect and every car of it. A reading that a car cannot show is a
// misread, which is kept possible.
func (in *inquiry) likelihood(t probe.Test, o *probe.Observation) ([]fit, error) {
	fits := make([]fit, len(in.guide.suspects))
	answers := in.answers(t, in.guide.suspects.everyone())
	wrong := misreadOf(t)
	floor := wrong / float64(answers.choices())
	for i, s := range in.guide.suspects {
		f := &fits[i]
		if s.Unknown {
			f.set(likelyUnknown)
			continue
		}
		if err := answers.fit(f, i, o); err != nil {
			return nil, err
		}
		var seldom fit
		seldom.set(1)
		if looks, ok := answers.(*fans); ok {
			seldom = looks.mistaken(i, o)
		}
		for k := range f {
			f[k] = (1-wrong)*f[k] + floor*seldom[k]
		}
		if s.ComesAndGoes() {
			// It shows now and not then: the cars do not stay what they are.
			f.set(f.mean())
		}
	}
	if place := directPlace(t); place != "" {
		in.besideTheCause(place, fits)
	}
	return fits, nil
}

// besideTheCause allows that the place which a test shows by itself has a defect of its own beside the complaint's cause, if
// that is elsewhere: by such a test the suspects elsewhere are told from those at the place, never from each other. What the
// drawing does not show is elsewhere, too.
func (in *inquiry) besideTheCause(place string, fits []fit) {
	here := func(s *suspect) bool {
		return s.isFault() && (slices.Contains(s.Fault.Parts(), place) || s.Fault.Subject() == place)
	}
	own, share := 0.0, 0.0
	for i, s := range in.guide.suspects {
		if here(s) {
			own += in.priors[i] * fits[i].mean()
			share += in.priors[i]
		}
	}
	if share == 0 {
		return
	}
	also := secondDefect * own / share
	well := fits[in.guide.suspects.nobody()]
	for i, s := range in.guide.suspects {
		if here(s) { // its ohms may be any: the few cars foretold are too far apart to be held to theirs
			fits[i].set(fits[i].mean())
			continue
		}
		if s.Unknown {
			fits[i] = well
		}
		for k := range fits[i] {
			fits[i][k] += also
		}
	}
}

// curedBy allows that an intervention has changed the car: where a part has been cleaned or swapped, a bad joint at it
// may be none any more.
func (in *inquiry) curedBy(t probe.Test) []float64 {
	var cured []float64
	for _, a := range t.Setup {
		var chance float64
		switch a.Verb {
		case electric.Swapped:
			chance = mendedByChance
		case electric.Cleaned:
			chance = mendedByCleaning
		default:
			continue
		}
		for i, s := range in.guide.suspects {
			touched := slices.ContainsFunc(s.Fault.Parts(), func(p string) bool { return p == a.Part || p == a.Other })
			of := 0.0
			switch {
			case !touched:
			case s.Fault.IsJoint():
				of = chance
			case a.Verb == electric.Cleaned && s.Fault.IsContact():
				of = mendedByTouching
			}
			if of == 0 {
				continue
			}
			if cured == nil {
				cured = make([]float64, len(in.guide.suspects))
			}
			cured[i] = max(cured[i], of)
		}
	}
	return cured
}

// before makes of an observation from before the last repair what it still says. What ran then
// runs without the suspect's fault, whatever else was wrong, but for faults that hide each
// other; what failed may have been the part renewed and says nothing (nil).
func (in *inquiry) before(fits []fit) []fit {
	healthy, best := fits[in.guide.suspects.nobody()].mean(), 0.0
	for i := range fits {
		best = max(best, fits[i].mean())
	}
	if healthy < olderHealthy*best {
		return nil
	}
	for i, s := range in.guide.suspects {
		if s.renewedBy(in.phase.repairs) {
			fits[i].set(healthy) // the part was another one
			continue
		}
		for k := range fits[i] {
			fits[i][k] = max(fits[i][k], olderFloor*healthy)
		}
	}
	return fits
}
