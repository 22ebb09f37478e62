package probe

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"
	"unicode/utf8"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// What an observation answers, said through its kind: nothing here knows one kind from another.

// Kind is the kind of question that the observation answers; nil where it answers none.
func (o *Observation) Kind() Kind {
	for _, k := range kinds {
		if k.answers(o) {
			return k
		}
	}
	return nil
}

// Do names the kind of question that the observation answers; empty where it answers none.
func (o *Observation) Do() Do {
	if k := o.Kind(); k != nil {
		return k.Do()
	}
	return ""
}

// Word is the answer in a word, empty for a figure.
func (o *Observation) Word() string {
	if k, ok := o.Kind().(Worded); ok {
		return k.Word(o)
	}
	return ""
}

// Reading is the answer as a figure; nil for words.
func (o *Observation) Reading() *Reading {
	if k, ok := o.Kind().(Figured); ok {
		return *k.Reading(o)
	}
	return nil
}

// Asking is an observation of a test without its answer: state, set-up and where the leads go.
func Asking(t Test) Observation {
	o := Observation{State: t.State.Name, Setup: SetupWords(t.Setup)}
	t.Kind().ask(&o, t)
	return o
}

// Stand gives an observation without an answer some answer of a kind, so that its test can be told.
func (o *Observation) Stand(do Do) {
	if k := Of(do); k != nil {
		k.some(o)
	}
}

// About puts in the part that a test of a part is about.
func (o *Observation) About(do Do, part string) {
	if k, ok := Of(do).(interface {
		about(o *Observation, part string)
	}); ok {
		k.about(o, part)
	}
}

// Check holds the observation against the circuit and gives its set-up.
func (o *Observation) Check(c *harness.Circuit) ([]electric.Action, error) {
	t, err := o.Test(c)
	return t.Setup, err
}

// Test is the test the observation answers, checked against the circuit.
func (o *Observation) Test(c *harness.Circuit) (Test, error) {
	t := Test{Do: o.Do(), State: c.States[0], With: strings.TrimPrefix(o.With, light)}
	var err error
	if t.Setup, err = o.Held(c); err != nil {
		return t, err
	}
	if o.Unreachable {
		t.At, err = c.FindPin(o.At)
		return t, err
	}
	if n := o.count(); n != 1 {
		return t, fmt.Errorf("an observation is one of fans, volts, amps, ohms, lamp, led, relay, codes, bench, turned, looked, wiggled; "+
			"here are %d", n)
	}
	kind := t.Kind()
	if kind.InState() || o.State != "" {
		if t.State, err = c.FindState(o.State); err != nil {
			return t, err
		}
	}
	if _, fans := kind.(Seen); fans && len(o.Fans) == 0 {
		return t, fmt.Errorf("fans need at least one fan: {M1: stopped}")
	}
	if err := o.checkFigures(); err != nil {
		return t, err
	}
	if t, err = kind.asked(c, o, t); err != nil {
		return t, err
	}
	if k, ok := kind.(Worded); ok && !slices.Contains(k.Words(t), k.Word(o)) {
		return t, fmt.Errorf("%s: the answer cannot be %q (%s)", t.Do, harness.Clipped(k.Word(o), maxKey), strings.Join(k.Words(t), ", "))
	}
	return t, nil
}

// Held is the set-up that held, how the vehicle stood included.
func (o *Observation) Held(c *harness.Circuit) ([]electric.Action, error) {
	setup, err := electric.ParseSetup(c, o.Setup)
	if err != nil {
		return setup, err
	}
	for _, words := range o.stood() {
		a, err := electric.ParseAction(c, words)
		if err != nil {
			return nil, err
		}
		_, setup = electric.Said(setup, a.Verb)
		setup = append(setup, a)
	}
	return setup, nil
}

// stood is how the vehicle stood by the observation's own keys, as a set-up spells it.
func (o *Observation) stood() []string {
	var list []string
	for _, said := range []struct {
		verb electric.Verb
		word string
	}{{electric.Engine, o.Engine}, {electric.Key, o.Key}, {electric.AC, o.AC}} {
		if said.word != "" {
			list = append(list, string(said.verb)+" "+said.word)
		}
	}
	for _, said := range []struct {
		verb   electric.Verb
		figure *float64
	}{{electric.Coolant, o.Coolant}, {electric.Pressure, o.Pressure}, {electric.RoadSpeed, o.Speed}} {
		if said.figure != nil {
			list = append(list, fmt.Sprintf("%s %g", said.verb, *said.figure))
		}
	}
	return list
}

// count counts how many things the observation says it is.
func (o *Observation) count() int {
	n := 0
	for _, k := range kinds {
		if k.answers(o) {
			n++
		}
	}
	return n
}

// checkFigures refuses a figure that no meter shows and words that mean nothing.
func (o *Observation) checkFigures() error {
	for _, k := range kinds {
		figured, ok := k.(Figured)
		if !ok {
			continue
		}
		unit := figured.Unit()
		if r := *figured.Reading(o); r != nil && !unit.Fits(*r) {
			return fmt.Errorf("%g %s is no reading: a meter shows up to %g %s", r.Figure, unit.Name, unit.Most, unit.Name)
		}
	}
	switch {
	case o.With != "" && o.Lamp == "" && o.Amps == nil:
		return fmt.Errorf("with goes with a lamp (light or heavy) or with a clamp (the pin of a second wire)")
	case o.With != "" && o.Amps == nil && o.With != heavy && o.With != light:
		return fmt.Errorf("a lamp is light or heavy, not %q", harness.Clipped(o.With, maxKey))
	case !(o.Leads >= 0 && o.Leads <= mostLeads):
		return fmt.Errorf("two leads have from 0 to %d Ω", mostLeads)
	}
	if o.Codes != nil {
		for _, code := range *o.Codes {
			if code != codeWords[1] && !codeForm.MatchString(code) {
				return fmt.Errorf("%q is no fault code; write it as P0480", harness.Clipped(code, maxKey))
			}
		}
	}
	return nil
}

// Sound tells why an observation that comes from elsewhere cannot be kept: figures that no meter shows,
// texts and lists longer than anybody types. Whether the circuit permits it, [Observation.Test] says.
func (o *Observation) Sound() error {
	if err := o.checkFigures(); err != nil {
		return err
	}
	// Every text and every list of the observation, whichever kinds of reading there are.
	var texts []string
	lists := 0
	for at, all := 0, reflect.ValueOf(o).Elem(); at < all.NumField(); at++ {
		switch v := all.Field(at).Interface().(type) {
		case string:
			texts = append(texts, v)
		case []string:
			texts, lists = append(texts, v...), max(lists, len(v))
		case *[]string:
			if v != nil {
				texts, lists = append(texts, *v...), max(lists, len(*v))
			}
		case map[string]string:
			lists = max(lists, len(v))
			for key, word := range v {
				texts = append(texts, key, word)
			}
		}
	}
	tooLong := func(s string) bool { return len(s) > maxWords || !utf8.ValidString(s) || strings.ContainsRune(s, 0) }
	if lists > maxListed || slices.ContainsFunc(texts, tooLong) {
		return fmt.Errorf("a text or a list in the observation is longer than anybody types")
	}
	return nil
}

// String says in a line what was seen.
func (o *Observation) String() string {
	s := o.bare()
	if o.State != "" {
		s = o.State + ": " + s
	}
	setup := append(slices.Clone(o.Setup), o.stood()...)
	if len(setup) > 0 {
		s += " (" + SaidSetup(setup) + ")"
	}
	return s
}

// SaidSetup lists a set-up for people, who say "replaced" where the file says "renewed".
func SaidSetup(setup []string) string {
	said := slices.Clone(setup)
	for k, words := range said {
		if part, used := strings.CutSuffix(words, " "+string(electric.RenewedUsed)); used {
			said[k] = part + " replaced by a used one"
		} else if part, renewed := strings.CutSuffix(words, " "+string(electric.Renewed)); renewed {
			said[k] = part + " replaced"
		}
	}
	return strings.Join(said, ", ")
}

// bare is the line without state and set-up.
func (o *Observation) bare() string {
	if o.Unreachable {
		return o.At + " cannot be reached"
	}
	if k := o.Kind(); k != nil {
		return k.line(o)
	}
	return ""
}

// GoodOf is what an answer says that was given by a car with nothing wrong.
func GoodOf(o *Observation) Good {
	switch k := o.Kind().(type) {
	case Figured:
		return *k.good(*k.Reading(o))
	case Worded:
		return Good{Word: k.Word(o)}
	}
	return Good{Fans: o.Fans}
}

// Agrees tells roughly whether an answer is as it should be: the same words, or within a volt, an
// amp, or a third of the ohms.
func (g *Good) Agrees(o *Observation) bool {
	r := o.Reading()
	switch {
	case o.Unreachable || !g.Given():
		return true
	case g.Fans != nil:
		return o.Fans != nil && sameFans(g.Fans, o.Fans)
	case g.Word != "":
		return o.Word() == g.Word
	case r == nil:
		return true
	case g.Floats:
		return r.Open || math.Abs(r.Figure) < 1
	case g.Ohms != nil && o.Ohms != nil:
		return g.Ohms.Open == r.Open && (r.Open || math.Abs(r.Figure-g.Ohms.Figure) < max(0.3, g.Ohms.Figure/3))
	case r.Open:
		return false
	case g.Volts != nil && o.Volts != nil:
		return math.Abs(r.Figure-g.Volts.Figure) < 1
	case g.Amps != nil && o.Amps != nil:
		return math.Abs(r.Figure-g.Amps.Figure) < 1
	}
	return false
}

// sameFans holds what was seen of some fans against what each should do; an ear cannot tell slow
// from fast.
func sameFans(should, seen map[string]string) bool {
	for fan, word := range seen {
		running := word == Running && slices.Contains([]string{string(electric.Slow), string(electric.Fast)}, should[fan])
		if should[fan] != word && !running {
			return false
		}
	}
	return true
}

// Told is the test that an observation without an answer asks for, as a kind of question.
func (o *Observation) Told(c *harness.Circuit, do Do) (Test, error) {
	kind := Of(do)
	if kind == nil {
		return Test{}, fmt.Errorf("there is no test %q", harness.Clipped(string(do), maxKey))
	}
	asked := *o
	if _, fans := kind.(Seen); fans { // an empty answer would be no test
		state, err := c.FindState(o.State)
		if err != nil {
			return Test{}, err
		}
		setup, err := o.Held(c)
		return Test{Do: do, State: state, Setup: setup}, err
	}
	kind.some(&asked)
	return asked.Test(c)
}
