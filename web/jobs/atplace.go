package jobs

import (
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/instruct"
	"ironthread/core/probe"
)

// What can be done at a place: at a part, with it in the car or in the hand; at a wire; at a terminal. Everything that the log
// takes is offered there, so that nobody has to know under which name another page would have it.

// placeTest is one of those tests.
type placeTest struct {
	Title, URL string
	On         bool // it is the one that is shown
}

// places are where something can be done, as the page's list has them: parts, then wires, then terminals.
func (j *jobAt) places() []string {
	var list []string
	for _, p := range j.file.Drawn.Parts {
		list = append(list, p.Name)
	}
	for _, w := range j.file.Drawn.Wires {
		list = append(list, "wire "+w.From.String()+" - "+w.To.String())
	}
	for _, pin := range j.file.Model.Pins() {
		list = append(list, "pin "+pin.String())
	}
	return list
}

// atPlace lists the tests of a place in a state, as the car stands; empty for a place that there is not.
func (j *jobAt) atPlace(place string, state *harness.State) []placeTest {
	c, ledger := j.file.Drawn, j.state.Ledger
	var tests []probe.Test
	ask := func(q probe.Question) {
		q.State, q.Setup = state.Name, probe.SetupWords(ledger)
		if t, err := q.Test(c); err == nil {
			tests = append(tests, t)
		}
	}
	words := strings.Fields(place)
	switch {
	case c.Part(place) != nil:
		for _, t := range probe.Around(c, ledger, c.Part(place)) {
			if t.State == state || !t.Kind().InState() || slices.ContainsFunc(t.Setup,
				func(a electric.Action) bool { return a.Verb == electric.Pack }) {
				tests = append(tests, t)
			}
		}
		for _, t := range slices.Clone(tests) { // in the hand a buzzer says what an ohmmeter does
			if t.Do == probe.Ohms && t.At.Inner {
				t.Do = probe.Buzzer
				tests = append(tests, t)
			}
		}
	case len(words) == 4 && words[0] == "wire":
		ask(probe.Question{Do: probe.Looked, Part: place})
		if w := c.Wire(harness.ParsePin(words[1]), harness.ParsePin(words[3])); w != nil {
			along := probe.Along(c, ledger, w)
			beeps := along
			beeps.Do = probe.Buzzer
			tests = append(tests, along, beeps)
		}
	case len(words) == 2 && words[0] == "pin":
		ask(probe.Question{Do: probe.Looked, Part: place})
		for _, do := range []probe.Do{probe.Volts, probe.Lamp, probe.LED, probe.Amps} {
			ask(probe.Question{Do: do, At: words[1]})
		}
	}
	return j.offered(tests)
}

// offered words tests, each once, with the page that asks it.
func (j *jobAt) offered(tests []probe.Test) []placeTest {
	var list []placeTest
	for _, t := range tests {
		if _, err := j.file.Model.Network(t.Setup, nil); err != nil {
			continue // such a set-up cannot be
		}
		title := instruct.Test(j.file.Drawn, t, instruct.Now{Setup: j.state.Ledger}).Title
		if t.Do == probe.Buzzer && !strings.Contains(strings.ToLower(title), "buzz") {
			title = "Buzzer: " + title
		}
		if slices.ContainsFunc(list, func(x placeTest) bool { return x.Title == title }) {
			continue
		}
		list = append(list, placeTest{Title: title, URL: moveURL(j, t.Question())})
	}
	return list
}
