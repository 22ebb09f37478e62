package probe

import (
	"fmt"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/units"
)

// infrared is a thermometer held at a part while its fan runs: "61 °C at K1's socket". What is lost in a joint or a contact warms
// it: the loss is the volts across what the current goes through, times that current, and every watt of it makes the part so many
// degrees warmer. The figure is coarse (what is bright reflects, and how warm it is under the bonnet nobody knows), so that it is
// compared in steps. It is a tool that few have: it is asked for only where somebody says that it is at hand.
type infrared struct {
	aside
	saidAsIs
}

// Infrared asks how warm a part is while its fan runs.
const Infrared Do = "infrared"

// Celsius is what an infrared thermometer shows.
var Celsius = Unit{Name: "°C", Word: "celsius", Most: 400, Example: "61 or 61 °C", names: []string{"°c", "celsius", "degrees", "c"},
	spell: func(v float64) string { return fmt.Sprintf("%.0f °C", v) }, word: warmth}

// How warm a part gets (common practice, and unmeasured).
const (
	underBonnet  = 30.0 // °C about a part that loses nothing, with the engine warm or cold,
	bonnetSpread = 10.0 // give or take
	perWatt      = 8.0  // degrees a watt makes a relay, a fuse or a plug in its housing warmer
	perWattShare = 0.35 // and how differently parts are cooled, as a share of that
	minutesWarm  = 2.0  // until it is as warm as it will get
	hottestPart  = 250.0
)

// warmSteps are the steps in which a part's warmth is compared, °C.
var warmSteps = []float64{45, 70, 100}

var warmWords = []string{"below 45 °C", "45 to 70 °C", "70 to 100 °C", "above 100 °C"}

// warmth is the step that a figure falls into.
func warmth(celsius float64) string {
	k, _ := slices.BinarySearch(warmSteps, math.Nextafter(celsius, math.Inf(1)))
	return warmWords[k]
}

func (infrared) Do() Do                    { return Infrared }
func (infrared) InState() bool             { return true }
func (infrared) keys() keys                { return keys{answer: "celsius", part: "infrared"} }
func (infrared) where(t Test, q *Question) { q.Part = t.Part }
func (infrared) tool() string              { return "infrared thermometer" }
func (infrared) within(k Kit) bool         { return k.Infrared }
func (infrared) Words(Test) []string       { return warmWords }
func (infrared) Asks() (label, example string) {
	return "Degrees Celsius", "61 °C"
}

func (infrared) line(o *Observation) string {
	if f, ok := o.Answer.(Figure); ok {
		return f.spelled() + " at " + o.Part
	}
	return o.Word() + " at " + o.Part
}

func (infrared) minutes(c *harness.Circuit, t Test) float64 { return minutesWarm + minutesAt(c, t) }

func (infrared) menu() []Choice {
	return []Choice{{Word: string(Infrared), Label: "Infrared thermometer", atPart: true, rank: 13}}
}

// Type reads what the thermometer shows, or a step.
func (infrared) Type(text string) (Answer, error) {
	if slices.Contains(warmWords, text) {
		return Word(text), nil
	}
	r, err := Celsius.Parse(text)
	if warm, wrong := units.Celsius(text); err != nil && wrong == nil && math.Abs(warm) <= Celsius.Most { // "142 F"
		r, err = Reading{Figure: math.Round(warm)}, nil
	}
	if err == nil && r.Open {
		err = fmt.Errorf("type what the thermometer shows, as in %s", Celsius.Example)
	}
	return Figure{r, &Celsius}, err
}

func (infrared) asked(c *harness.Circuit, q *Question, t Test) (Test, error) {
	t.Part, t.Of = q.Part, c.Part(q.Part)
	err := onPart(c, Infrared, q.Part, "")
	if err == nil && !warms(t.Of) {
		err = fmt.Errorf("infrared: how warm %s is says nothing of its joints", t.Part)
	}
	return t, err
}

// around is the question in each state, with the car as it stands.
func (infrared) around(c *harness.Circuit, now []electric.Action, part *harness.Part) []Test {
	var tests []Test
	for _, s := range c.States {
		if warms(part) && !slices.ContainsFunc(now, func(a electric.Action) bool { return a.Part == part.Name && a.Detaches() }) {
			tests = append(tests, Test{Do: Infrared, State: s, Setup: now, Part: part.Name, Of: part})
		}
	}
	return tests
}

// warms tells whether a part that is as it should be stays cool, so that warmth means a bad joint.
func warms(part *harness.Part) bool {
	return part.Traits().Cool
}

// Chances are those of each step, by what the part loses on a car.
func (infrared) Chances(s Subject, t Test, into []float64) error {
	lost := 0.0
	for _, pin := range t.Of.Pins() {
		volts, err := s.Shows(Test{Do: Volts, State: t.State, Setup: t.Setup, At: pin})
		if err != nil {
			return err
		}
		amps, err := s.Shows(Test{Do: Amps, State: t.State, Setup: t.Setup, At: pin})
		if err != nil {
			return err
		}
		if !math.IsNaN(volts) && !math.IsNaN(amps) {
			lost += volts * amps
		}
	}
	warmer := math.Min(hottestPart, math.Max(0, lost)*perWatt)
	spread := math.Hypot(bonnetSpread, perWattShare*warmer)
	below := 0.0
	for k, step := range warmSteps {
		upTo := math.Erfc((underBonnet+warmer-step)/(spread*math.Sqrt2)) / 2
		into[k], below = upTo-below, upTo
	}
	into[len(warmSteps)] = 1 - below
	return nil
}

func (infrared) Tell(to Teller, t Test) {
	to.Title("How warm is %s, %s%s", t.Part, to.Asked(), to.With())
	to.Step(fmt.Sprintf("Let the fans run for two minutes; then hold the infrared thermometer close to %s%s.", t.Part, to.Place(t.Part)),
		"Aim at plastic or paint beside its terminals: bright metal reflects, and reads too cold.")
	to.Caution(LeadsClear)
}
