// Package instruct puts tests into words that a person with a lead in one hand can follow.
//
// In goes a circuit, a test and how the car stands, out come a title, the steps from there to the reading,
// and the cautions that apply. The one idea: every sentence is written for the set-up on the car right now;
// what is already done is not asked for again. Which test is worth making is not decided here.
package instruct

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Test words a test.
func Test(c *harness.Circuit, t probe.Test, now Now) Card {
	w := &writer{circuit: c, test: t, now: now}
	w.step(w.setupSteps(now.Setup, t.OnTheCar())...)
	w.asked = w.inState()
	w.interventions()
	t.Kind().Tell(w, t)
	return w.card
}

// interventions cautions about what the test does to the car.
func (w *writer) interventions() {
	does := func(verb electric.Verb) bool {
		return slices.ContainsFunc(w.test.Setup, func(a electric.Action) bool { return a.Verb == verb && !slices.Contains(w.now.Setup, a) })
	}
	if does(electric.Jumper) || does(electric.Feed) || does(electric.GroundPin) {
		w.caution(fusedOnly)
	}
	if does(electric.Pack) && w.test.Kind().InState() {
		w.caution(fusedOnly, packSags)
	}
	if does(electric.Swapped) {
		w.caution(intervenes)
	}
	for _, a := range w.test.Setup { // a card or a resistor renewed and not yet run
		renewed := a.Verb == electric.Renewed || a.Verb == electric.RenewedUsed
		if part := w.circuit.Part(a.Part); renewed && part != nil && w.test.Kind().InState() {
			if part.Traits().Airflow {
				w.caution("Bolt " + a.Part + " into its airflow first: outside it, it overheats within seconds.")
			}
		}
	}
}
