package electric

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/harness"
	"ironthread/core/units"
)

// How the vehicle stands: what the engine and the key do, whether the air conditioning is asked for, how hot the
// coolant is. A state of the file says it once for all; whoever is at the car says it for now, and what is said for
// now goes before the state's own words. It is part of the set-up, so that every reading carries it.

// The verbs of how the vehicle stands, as the format spells them. Runs carries the word or the figure.
const (
	Engine    Verb = "engine"   // off, running or cranking: it decides the volts of the supply
	Key       Verb = "key"      // on or off
	AC        Verb = "ac"       // asked for: on or off
	Coolant   Verb = "coolant"  // °C
	Pressure  Verb = "pressure" // bar, of the refrigerant's high side
	RoadSpeed Verb = "speed"    // km/h
)

// What the engine does, as the format spells it.
const (
	EngineOff      = "off"
	EngineRunning  = "running"
	EngineCranking = "cranking"
)

// Engines lists what an engine does.
var Engines = []string{EngineOff, EngineRunning, EngineCranking}

// stand is one thing that can be said of how the vehicle stands.
type stand struct {
	verb      Verb
	words     []string // that are allowed; nil: a figure
	low, high float64  // of a figure
	unit      string
	put       func(s *harness.State, word string, figure float64)
}

// stands lists them in the order in which they are brought about.
var stands = []stand{
	{verb: Key, words: onOff, put: func(s *harness.State, word string, _ float64) { s.Key = word == onOff[0] }},
	{verb: Engine, words: Engines, put: func(s *harness.State, word string, _ float64) {
		s.Running, s.Cranking = word == EngineRunning, word == EngineCranking
	}},
	{verb: AC, words: onOff, put: func(s *harness.State, word string, _ float64) { s.AC = word == onOff[0] }},
	{verb: Coolant, low: -60, high: 200, unit: "°C", put: func(s *harness.State, _ string, v float64) { s.Coolant = &v }},
	{verb: Pressure, high: 100, unit: "bar", put: func(s *harness.State, _ string, v float64) { s.Pressure = &v }},
	{verb: RoadSpeed, high: 400, unit: "km/h", put: func(s *harness.State, _ string, v float64) { s.Speed = &v }},
}

var onOff = []string{"on", "off"}

// StandVerbs lists the verbs in that order.
var StandVerbs = []Verb{Key, Engine, AC, Coolant, Pressure, RoadSpeed}

func standOf(verb Verb) *stand {
	k := slices.IndexFunc(stands, func(s stand) bool { return s.verb == verb })
	if k < 0 {
		return nil
	}
	return &stands[k]
}

// Spoken is how the vehicle stands, as people say it: "engine running", "A/C on", "coolant at 104 °C".
func (a Action) Spoken() string {
	s := standOf(a.Verb)
	switch {
	case s == nil:
		return a.String()
	case a.Verb == AC:
		return "A/C " + a.Runs
	case a.Verb == Pressure:
		return "refrigerant at " + a.Runs + " " + s.unit
	case a.Verb == RoadSpeed:
		return "at " + a.Runs + " " + s.unit
	case s.unit != "":
		return string(a.Verb) + " at " + a.Runs + " " + s.unit
	}
	return a.String()
}

// Passes tells whether the action says something of the moment alone: how hot the coolant is now is not how hot it is at the
// next look.
func (a Action) Passes() bool { return a.Verb == Coolant || a.Verb == Pressure || a.Verb == RoadSpeed }

// Stands tells whether the action says how the vehicle stands; such a one is nothing that must be undone before a job
// closes.
func (a Action) Stands() bool { return standOf(a.Verb) != nil }

// Standing splits a set-up into how the vehicle stands and what is done to it.
func Standing(setup []Action) (standing, rest []Action) {
	for _, a := range setup {
		if a.Stands() {
			standing = append(standing, a)
			continue
		}
		rest = append(rest, a)
	}
	return standing, rest
}

// EngineIn is what a set-up says of the engine, and the set-up without it; empty where it says nothing.
func EngineIn(setup []Action) (runs string, rest []Action) { return Said(setup, Engine) }

// Said is what a set-up says of one thing of how the vehicle stands, and the set-up without it; empty where it says
// nothing.
func Said(setup []Action, verb Verb) (word string, rest []Action) {
	for _, a := range setup {
		if a.Verb == verb {
			word = a.Runs
			continue
		}
		rest = append(rest, a)
	}
	return word, rest
}

// Under is a state as the set-up has it: what is said there of how the vehicle stands goes before what the state says.
// Where the set-up says nothing it is the state itself.
func Under(s *harness.State, setup []Action) *harness.State {
	standing, _ := Standing(setup)
	if len(standing) == 0 {
		return s
	}
	under := *s
	for _, a := range standing {
		figure, _ := strconv.ParseFloat(a.Runs, 64) // read once already
		standOf(a.Verb).put(&under, a.Runs, figure)
	}
	return &under
}

// EngineUnder is what the engine does in a state, as the set-up has it.
func EngineUnder(s *harness.State, setup []Action) string {
	switch under := Under(s, setup); {
	case under.Cranking:
		return EngineCranking
	case under.Running:
		return EngineRunning
	}
	return EngineOff
}

// parseStand reads "engine running", "ac on" and "coolant 104".
func parseStand(w []string) (Action, error) {
	a, s := Action{Verb: Verb(w[0]), Runs: w[1]}, standOf(Verb(w[0]))
	if len(w) == 3 && s.unit != "" && w[2] == s.unit {
		w = w[:2]
	}
	if s.words != nil {
		if len(w) != 2 || !slices.Contains(s.words, a.Runs) {
			return a, fmt.Errorf("%s is one of %s", s.verb, strings.Join(s.words, ", "))
		}
		return a, nil
	}
	v, err := units.Figure(a.Runs)
	if len(w) != 2 || err != nil || !(v >= s.low && v <= s.high) {
		return a, fmt.Errorf("%s is a figure from %g to %g %s", s.verb, s.low, s.high, s.unit)
	}
	a.Runs = strconv.FormatFloat(v, 'f', -1, 64) // one spelling for one figure
	return a, nil
}
