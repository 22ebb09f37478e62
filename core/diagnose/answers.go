package diagnose

import (
	"ironthread/core/probe"
)

// A test made on every suspect's cars gives, for each of them, what it would answer. Answers come in three
// shapes: what each fan does, a word, a figure. What is compared, and how, depends on the shape alone; which
// kind of question it was is package probe's business.

// answering is a test, as the suspects' cars answer it.
type answering interface {
	// choices is the number of answers between which a misread is shared.
	choices() int
	// same tells whether two observations are the same answer.
	same(a, b *probe.Observation) bool
	// fit tells how well an answer fits a suspect's cars, a misread left aside.
	fit(f *fit, i int, o *probe.Observation) error
	// classes gathers the answers that the suspects would give.
	classes(b *belief, live []int) (*outcomes, error)
	// usual words what a suspect's cars answer.
	usual(i int) (string, error)
	// differ tells whether the cars of two suspects answer differently.
	differ(i, j int) (bool, error)
}

// answers prepares a test; the figures of these suspects are foretold together as soon as any of them is
// needed.
func (in *inquiry) answers(t probe.Test, which []int) answering {
	switch kind := t.Kind().(type) {
	case probe.Worded:
		return &worded{g: in, kind: kind, car: foretoldCar{g: in, test: t, which: which}, row: make([]float64, len(kind.Words(t)))}
	case probe.Figured:
		return &figured{g: in, kind: kind, test: t, which: which, fine: kind.Fineness(t)}
	}
	return &fans{g: in, test: t, which: which}
}
