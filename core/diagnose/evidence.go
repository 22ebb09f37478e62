package diagnose

import (
	"fmt"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// The log is read as questions and their answers. A look recorded fifty times is one question with
// one answer: whoever has misread once misreads again, so that repeating says nothing new about the
// car. Two different answers to one question cannot both hold, but on a car whose fault comes and
// goes: one of them is a misread, and which one, the repeats only hint at.

// fit tells how well one answer fits one suspect's cars, each from 0 to 1. The scale between
// questions does not matter.
type fit [cars]float64

// answer is one distinct answer to a question, with how often it was given.
type answer struct {
	seen  *probe.Observation
	count int
	fits  []fit // by suspect; nil: it says nothing now
}

// question is one test as it was made, on a car whose fuses stood as they did then.
type question struct {
	test    probe.Test
	words   int // the number of answers between which a misread is shared
	answers []answer
}

// evidence is the log as it has been weighed.
type evidence struct {
	questions []*question
	of        []place // by observation
	moves     []int   // the questions in the order in which the car met them
}

// place is where an observation stands: in which question, as which answer; -1 for one that asks
// nothing.
type place struct{ question, answer int }

// read weighs the log in its order. What blows in one state stays blown in the next, until it is
// renewed.
func (g *inquiry) read(seen []probe.Observation) (*evidence, error) {
	e := &evidence{of: make([]place, len(seen))}
	at := map[string]int{}
	for k := range seen {
		o := &seen[k]
		t, err := o.Test(g.circuit)
		if err != nil {
			return nil, fmt.Errorf("observation %d: %w", k+1, err)
		}
		if o.Unreachable {
			e.of[k] = place{-1, -1}
			continue
		}
		name := t.Key() + g.standing()
		n, known := at[name]
		if !known {
			n = len(e.questions)
			at[name] = n
			e.questions = append(e.questions, &question{test: t, words: wordsOf(t)})
		}
		q := e.questions[n]
		a := slices.IndexFunc(q.answers, func(a answer) bool { return same(t, a.seen, o) })
		if a < 0 {
			a = len(q.answers)
			fits, err := g.likelihood(t, o)
			if err != nil {
				return nil, fmt.Errorf("observation %d: %w", k+1, err)
			}
			if !g.holds(t.Setup) {
				fits = g.before(fits)
			}
			q.answers = append(q.answers, answer{seen: o, fits: fits})
		}
		q.answers[a].count++
		e.of[k] = place{n, a}
		if !known {
			e.moves = append(e.moves, n)
			if err := g.moveTo(t.OnTheCar(), g.entered(t)); err != nil {
				return nil, fmt.Errorf("observation %d: %w", k+1, err)
			}
		}
	}
	return e, nil
}

// entered is the state that a test brings the car into; -1 where none is: with the power off, by hand
// and eye, from a tool.
func (g *inquiry) entered(t probe.Test) int {
	switch t.Do {
	case probe.LookAtFans, probe.Volts, probe.Lamp, probe.LED, probe.Amps, probe.Relay:
		return g.stateIndex(t.State)
	}
	return -1
}

// standing tells one way in which the cars' fuses have blown from another.
func (s *stand) standing() string {
	var sum uint64 = 14695981039346656037 // FNV-1a
	for _, b := range s.blown {
		for _, w := range b {
			sum = (sum ^ w) * 1099511628211
		}
	}
	return fmt.Sprintf("#%x", sum)
}

// wordsOf is the number of answers between which a misread of a test is shared.
func wordsOf(t probe.Test) int {
	switch {
	case t.Do == probe.LookAtFans:
		return len(probe.SpeedWords)
	case probe.Words[t.Do] != nil:
		return len(probe.Words[t.Do])
	}
	return 3 // a figure: low, right, high
}

// same tells whether two observations are the same answer to one question: the same words, or
// figures that a meter cannot tell apart.
func same(t probe.Test, a, b *probe.Observation) bool {
	x, y := a.Reading(), b.Reading()
	switch {
	case t.Do == probe.LookAtFans:
		return a.FansWords() == b.FansWords()
	case x == nil || y == nil:
		return a.Word() == b.Word()
	case x.Open || y.Open:
		return x.Open == y.Open
	}
	return math.Abs(scaled(t, x.Figure)-scaled(t, y.Figure)) <= 2*finenessOf(t).spread
}

// floor is what a misread makes of an answer that the car cannot give.
func (q *question) floor() float64 { return misread / float64(q.words) }

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
			for k, p := range a.fits[i] {
				into[k] += math.Log(p)
			}
		}
		return
	}
	var mixed fit
	for _, a := range counted {
		share := float64(a.count) / float64(total)
		for k, p := range a.fits[i] {
			mixed[k] += share * p
		}
	}
	doubt := float64(len(counted)-1) * math.Log(q.floor())
	for k, p := range mixed {
		into[k] = math.Log(p) + doubt
	}
}

// belief is what the evidence leaves: the probability of each suspect, summing to one, and
// for each suspect how likely each of its cars is, summing to one.
type belief struct {
	of     []float64
	car    []fit
	counts []int     // the suspects that count in choosing a test, once asked for
	sum    float64   // the logarithm of all single faults' weights together
	single []float64 // the part of the belief that one fault is all; nil: all of it
	pairs  []pairBelief
	same   []int // those that change no fan, taken as one with "no fault"
}

// logs are the logarithms of how well a suspect's cars fit all that was seen.
type logs []fit

// weigh adds up the logarithms of how well everything seen fits, car by car. Readings on one car hang
// together: a weak battery or a bad joint's ohms show in all of them.
func (g *inquiry) weigh(e *evidence) logs {
	sums := make(logs, len(g.suspects))
	var one fit
	for _, q := range e.questions {
		for i, s := range g.suspects {
			q.log(s, i, &one)
			for k := range one {
				sums[i][k] += one[k]
			}
		}
	}
	return sums
}

// believe makes a belief of priors and logarithms.
func (g *inquiry) believe(sums logs) *belief {
	b := &belief{of: make([]float64, len(g.suspects)), car: make([]fit, len(g.suspects))}
	weights := make([]float64, len(g.suspects)) // logarithms
	top := math.Inf(-1)
	for i, s := range g.suspects {
		most := slices.Max(sums[i][:])
		sum := 0.0
		for k, l := range sums[i] {
			b.car[i][k] = math.Exp(l - most)
			sum += b.car[i][k]
		}
		for k := range b.car[i] {
			b.car[i][k] /= sum
		}
		weights[i] = math.Log(g.prior(s)) + most + math.Log(sum/cars)
		top = max(top, weights[i])
	}
	sum := 0.0
	for i, w := range weights {
		b.of[i] = math.Exp(w - top)
		sum += b.of[i]
	}
	for i := range b.of {
		b.of[i] /= sum
	}
	b.sum = top + math.Log(sum)
	return b
}

// surprises finds the observations that fit nothing the others leave, and those that gainsay another
// answer to the same question.
func (g *inquiry) surprises(seen []probe.Observation, e *evidence, sums logs, b *belief) []Surprise {
	expected := make([][]float64, len(e.questions))
	for n, q := range e.questions {
		expected[n] = g.expected(q, sums)
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
		case len(q.answers) > 1 && q.weaker(at.answer) && !g.comesAndGoesLeads(b):
			list = append(list, Surprise{k, fmt.Sprintf("%s: another answer to the same question contradicts this; take it again",
				seen[k].String())})
		case len(q.answers) == 1 && expected[at.question][at.answer] < surprisingBelow && !b.explains(a.fits):
			list = append(list, Surprise{k, fmt.Sprintf("%s: this contradicts the rest; take it again", seen[k].String())})
		}
	}
	return list
}

// weaker tells whether another answer was given as often or more often.
func (q *question) weaker(a int) bool {
	for n, other := range q.answers {
		if n != a && other.count >= q.answers[a].count {
			return true
		}
	}
	return false
}

// comesAndGoesLeads tells whether the likeliest suspect shows now and not then, so that two answers
// to one question are no surprise.
func (g *inquiry) comesAndGoesLeads(b *belief) bool {
	lead := 0
	for i := range b.of {
		if b.of[i] > b.of[lead] {
			lead = i
		}
	}
	return g.suspects[lead].ComesAndGoes()
}

// explains tells whether a pair of faults that is believed in accounts for an answer.
func (b *belief) explains(fits []fit) bool {
	for _, p := range b.pairs {
		if p.p >= pairExplains && max(slices.Max(fits[p.i][:]), slices.Max(fits[p.j][:])) > explainsWell {
			return true
		}
	}
	return false
}

// pairExplains is the belief in a pair from which on it counts as a leading one.
const pairExplains = 0.2

// expected is how likely each answer to a question was, going by all other questions; nil where it
// says nothing now.
func (g *inquiry) expected(q *question, sums logs) []float64 {
	if !slices.ContainsFunc(q.answers, func(a answer) bool { return a.fits != nil }) {
		return nil
	}
	without := make(logs, len(g.suspects))
	var one fit
	for i, s := range g.suspects {
		q.log(s, i, &one)
		for k := range one {
			without[i][k] = sums[i][k] - one[k]
		}
	}
	b := g.believe(without)
	list := make([]float64, len(q.answers))
	for n, a := range q.answers {
		if a.fits == nil {
			continue
		}
		for i, s := range g.suspects {
			if s.Unknown {
				continue
			}
			for k, w := range b.car[i] {
				list[n] += b.of[i] * w * a.fits[i][k]
			}
		}
	}
	return list
}

// mendedByChance is how often cleaning or swapping a part mends a bad joint at it, unnoticed
// (common practice).
const mendedByChance = 0.2

// likelihood weighs one answer for every suspect and every car of it. A reading that a car cannot
// show is a misread, which is kept possible.
func (g *inquiry) likelihood(t probe.Test, o *probe.Observation) ([]fit, error) {
	fits := make([]fit, len(g.suspects))
	weigh, err := g.weigher(t, o)
	if err != nil {
		return nil, err
	}
	floor := misread / float64(wordsOf(t))
	for i, s := range g.suspects {
		f := &fits[i]
		if s.Unknown {
			f.set(likelyUnknown)
			continue
		}
		weigh(f, i)
		for k := range f {
			f[k] = (1-misread)*f[k] + floor
		}
		if s.ComesAndGoes() {
			// It shows now and not then: the cars do not stay what they are.
			f.set(f.mean())
		}
	}
	g.disturbed(fits, t)
	return fits, nil
}

// disturbed allows that an intervention has changed the car: where a part has been cleaned or
// swapped, a bad joint at it may be none any more.
func (g *inquiry) disturbed(fits []fit, t probe.Test) {
	for _, a := range t.Setup {
		if a.Verb != electric.Swapped && a.Verb != electric.Cleaned {
			continue
		}
		healthy := fits[g.nobody()]
		for i, s := range g.suspects {
			touched := slices.ContainsFunc(s.Fault.Parts(), func(p string) bool { return p == a.Part || p == a.Other })
			if !touched || !isJoint(s.Fault) {
				continue
			}
			for k := range fits[i] {
				fits[i][k] = (1-mendedByChance)*fits[i][k] + mendedByChance*healthy[k]
			}
		}
	}
}

// weigher gives what fills in a suspect's fits for an answer.
func (g *inquiry) weigher(t probe.Test, o *probe.Observation) (func(f *fit, suspect int), error) {
	switch {
	case t.Do == probe.LookAtFans:
		p, err := g.pageFor(t.Setup, g.everyone())
		state := g.stateIndex(t.State)
		return func(f *fit, i int) { g.fansFit(f, p.of[i], g.suspects[i], state, o.Fans) }, err
	case probe.Words[t.Do] != nil:
		chances, err := g.words(t, g.everyone())
		word := slices.Index(probe.Words[t.Do], o.Word())
		row := make([]float64, len(probe.Words[t.Do]))
		return func(f *fit, i int) {
			for k := range f {
				chances(i, k, row)
				f[k] = row[word]
			}
		}, err
	}
	show, err := g.figures(t, g.everyone())
	return func(f *fit, i int) { figureFit(f, show, t, i, o.Reading()) }, err
}

func (f *fit) set(v float64) {
	for k := range f {
		f[k] = v
	}
}

func (f *fit) mean() float64 {
	sum := 0.0
	for _, v := range f {
		sum += v
	}
	return sum / cars
}

// figureFit compares a reading with the suspect's cars: a bell around each prediction, as
// wide as the meter's spread and the spread between cars ask for.
func figureFit(f *fit, show shows, t probe.Test, suspect int, r *probe.Reading) {
	var mean, square float64
	var at [cars]float64
	for k := range cars {
		v := scaled(t, show(suspect, k))
		at[k] = v
		mean += v / cars
		square += v * v / cars
	}
	// Silverman's rule for the width of a kernel estimate.
	spread := 1.06 * math.Sqrt(math.Max(0, square-mean*mean)) * math.Pow(cars, -0.2)
	width := math.Hypot(finenessOf(t).spread, spread)
	for k := range cars {
		if r.Open && t.Do != probe.Ohms { // a display without a figure: nothing was there
			f[k] = 0
			if math.IsNaN(show(suspect, k)) {
				f[k] = 1
			}
			continue
		}
		read := math.Inf(1)
		if !r.Open {
			read = r.Figure
		}
		d := (scaled(t, read) - at[k]) / width
		f[k] = math.Exp(-d * d / 2)
	}
}

// fansFit is the chance that a look at the fans gives these words.
func (g *inquiry) fansFit(fits *fit, f *predict.Figures, s *suspect, state int, seen map[string]string) {
	cycles := cyclingChance(s)
	chances := make([][][4]float32, len(g.fans))
	for n := range g.fans {
		chances[n] = f.Speeds(state, n)
	}
	for k := range cars {
		fits[k] = g.lookChance(seen, cycles, func(n int) [4]float64 { return widened(chances[n][k]) })
	}
}

func widened(x [4]float32) (y [4]float64) {
	for w := range x {
		y[w] = float64(x[w])
	}
	return y
}

// resistCycles is how likely a feed that cannot carry its fan makes it start and stop.
const resistCycles = 0.1

// cyclingChance is how likely a fan starts and stops quickly: often where the fault comes and goes,
// now and then where a joint cannot carry the fan, seldom otherwise.
func cyclingChance(s *suspect) float64 {
	switch {
	case s.ComesAndGoes():
		return 0.5
	case isJoint(s.Fault) && s.Fault.Words != "open":
		return resistCycles
	}
	return 0.02
}

// lookChance is the chance that fans whose words have these chances are described so; cycles is
// that of starting and stopping.
func (g *Guide) lookChance(seen map[string]string, cycles float64, chances func(fan int) [4]float64) float64 {
	chance := 1.0
	for f, name := range g.fans {
		word, looked := seen[name]
		if !looked {
			continue
		}
		c := chances(f)
		switch word {
		case probe.Running: // an ear cannot tell
			chance *= c[1] + c[2]
		case probe.Cycling: // what starts and stops does neither for long
			chance *= cycles
		default:
			if w := slices.Index(probe.SpeedWords, word); w >= 0 {
				chance *= c[w]
			}
		}
	}
	return chance
}
