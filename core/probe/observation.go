// Package probe holds what can be tried on a car and what was seen: questions, what they cost in minutes, and their answers as
// they are written in files, logs and forms.
//
// In goes a circuit, out comes the list of tests that can be made on it; what a test would show is not said here (package
// electric computes it), nor which is best (package diagnose). The one idea: what is asked ([Question]) and what came of it
// ([Answer]) are two things, and everything that is special about a kind of question stands with that kind.
package probe

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Question is what is put to a car, by the names that people use: it can be written down, and read again when the circuit has
// changed meanwhile. Held against a circuit it is a [Test].
type Question struct {
	Do    Do
	State string   // by its name; empty where the question needs none
	Setup []string // the whole set-up that holds, and how the vehicle stands in it: "K1 out", "engine running"

	At   string // a pin; "K1.86'" is the terminal of the part itself, out of its place
	From string // of two leads the other one; empty: the battery's negative post
	With string // "heavy" or "light" lamp; the pin of a second wire under a clamp; "energised" relay on the bench
	Part string // of a question about a part, a wire or a terminal
}

// Observation is a question with its answer, and how the answer was taken.
type Observation struct {
	Question
	Answer Answer
	How    How
}

// How tells how a figure was taken.
type How struct {
	// Leads are the ohms that a meter's leads add, taken off the figure already; Nulled says that the meter took them off.
	// Where neither is given they are in the figure, and not known.
	Leads  float64
	Nulled bool
	// Zeroed says that the clamp was zeroed with the other consumers on.
	Zeroed bool
}

// Answer is one of [Fans], [Word], [Figure] and [Codes].
type Answer interface {
	// same tells roughly whether an answer is this one, which was expected.
	same(seen Answer) bool
	spelled() string
	texts() []string // every text in it, for its bounds
}

// Fans is what each fan that was looked at did.
type Fans map[string]string

// Word is an answer in one of a few words.
type Word string

// Figure is what a meter showed, set to a unit. A display without a figure is open: a pin that floats shows it in volts, a
// broken line in ohms.
type Figure struct {
	Reading
	Unit *Unit
}

// Codes are the fault codes that are stored. None is an answer too.
type Codes []string

// NotReached answers that the pin cannot be got at: nothing is known by it.
const NotReached Word = "cannot be reached"

// Shows is a figure on a meter that is set to the unit.
func (u *Unit) Shows(v float64) Figure { return Figure{Reading{Figure: v}, u} }

// ShowsNone is a meter that is set to the unit and shows no figure.
func (u *Unit) ShowsNone() Figure { return Figure{Reading{Open: true}, u} }

// Seen is a look at fans, in a state.
func Seen(state string, fans Fans, setup ...string) Observation {
	return Observation{Question: Question{Do: LookAtFans, State: state, Setup: setup}, Answer: fans}
}

// Read is a meter's figure in a state; it may be one between two pins, at and from.
func Read(state string, figure Figure, at string, from ...string) Observation {
	q := Question{Do: Do(figure.Unit.Word), State: state, At: at}
	if len(from) > 0 {
		q.From = from[0]
	}
	return Observation{Question: q, Answer: figure}
}

// Told is an answer in a word about a part.
func Told(do Do, part string, word Word, setup ...string) Observation {
	return Observation{Question: Question{Do: do, Part: part, Setup: setup}, Answer: word}
}

// Kind is the kind of the question; nil where it is none.
func (q Question) Kind() Kind { return Of(q.Do) }

// Unreachable tells whether the pin could not be got at.
func (o Observation) Unreachable() bool { return o.Answer == NotReached }

// Fans is what each fan did; nil where the observation is no look.
func (o Observation) Fans() Fans {
	fans, _ := o.Answer.(Fans)
	return fans
}

// Word is the answer in a word, empty for a look and for a figure that is compared as such.
func (o Observation) Word() string {
	switch a := o.Answer.(type) {
	case Word:
		return string(a)
	case Codes:
		return a.word()
	case Figure:
		if a.Unit.word != nil {
			return a.Unit.word(a.Figure)
		}
	}
	return ""
}

// Reading is the answer as a figure; nil for words.
func (o Observation) Reading() *Reading {
	if f, ok := o.Answer.(Figure); ok {
		return &f.Reading
	}
	return nil
}

// Held is the set-up that held, how the vehicle stood included.
func (q Question) Held(c *harness.Circuit) ([]electric.Action, error) {
	return electric.ParseSetup(c, q.Setup)
}

// Test holds the question against a circuit: its parts, pins and state are there, and the set-up can be.
func (q Question) Test(c *harness.Circuit) (Test, error) {
	t := Test{Do: q.Do, State: c.States[0]}
	kind := q.Kind()
	if kind == nil {
		return t, fmt.Errorf("there is no test %q", harness.Clipped(string(q.Do), maxKey))
	}
	var err error
	if t.Setup, err = q.Held(c); err != nil {
		return t, err
	}
	if kind.InState() || q.State != "" {
		if t.State, err = c.FindState(q.State); err != nil {
			return t, err
		}
	}
	if with, ok := kind.(interface{ with(q *Question) error }); ok && q.With != "" {
		err = with.with(&q)
	} else if q.With != "" {
		err = fmt.Errorf("with goes with a lamp (light or heavy) or with a clamp (the pin of a second wire)")
	}
	if err != nil {
		return t, err
	}
	return kind.asked(c, &q, t)
}

// Test is the test that the observation answers, checked against the circuit, its answer too.
func (o Observation) Test(c *harness.Circuit) (Test, error) {
	if o.Unreachable() {
		t := Test{State: c.States[0]}
		var err error
		if t.Setup, err = o.Held(c); err == nil {
			t.At, err = c.FindPin(o.At)
		}
		return t, err
	}
	if err := o.Sound(); err != nil {
		return Test{State: c.States[0]}, err
	}
	t, err := o.Question.Test(c)
	if err != nil {
		return t, err
	}
	switch k := t.Kind().(type) {
	case Looking:
		fans := o.Fans()
		if len(fans) == 0 {
			return t, fmt.Errorf("fans need at least one fan: {M1: stopped}")
		}
		return t, fans.of(c)
	case Worded:
		if !slices.Contains(k.Words(t), o.Word()) {
			return t, fmt.Errorf("%s: the answer cannot be %q (%s)", t.Do, harness.Clipped(o.Word(), maxKey), strings.Join(k.Words(t), ", "))
		}
	case Figured:
		if f, ok := o.Answer.(Figure); !ok || f.Unit != k.Unit() {
			return t, fmt.Errorf("%s need a figure", t.Do)
		}
	}
	return t, nil
}

// Check holds the observation against the circuit and gives its set-up.
func (o Observation) Check(c *harness.Circuit) ([]electric.Action, error) {
	t, err := o.Test(c)
	return t.Setup, err
}

// codeForm is the form of a fault code (SAE J2012: a letter and four hexadecimal figures).
var codeForm = regexp.MustCompile(`^[PCBU][0-9A-F]{4}$`)

// Sound tells why an observation cannot be one, whatever the circuit: figures that no meter shows, texts and lists longer than
// anybody types.
func (o Observation) Sound() error {
	texts := append([]string{string(o.Do), o.State, o.At, o.From, o.With, o.Part}, o.Setup...)
	listed := len(o.Setup)
	if o.Answer != nil {
		said := o.Answer.texts()
		listed = max(listed, len(said))
		texts = append(texts, said...)
	}
	tooLong := func(s string) bool { return len(s) > maxWords || !utf8.ValidString(s) || strings.ContainsRune(s, 0) }
	switch {
	case listed > 2*maxListed || slices.ContainsFunc(texts, tooLong):
		return fmt.Errorf("a text or a list in the observation is longer than anybody types")
	case !(o.How.Leads >= 0 && o.How.Leads <= mostLeads):
		return fmt.Errorf("two leads have from 0 to %d Ω", mostLeads)
	}
	switch a := o.Answer.(type) {
	case Figure:
		if !a.Unit.Fits(a.Reading) {
			return fmt.Errorf("%g %s is no reading: a meter shows up to %g %s", a.Figure, a.Unit.Name, a.Unit.Most, a.Unit.Name)
		}
	case Codes:
		for _, code := range a {
			if code != codeWords[1] && !codeForm.MatchString(code) {
				return fmt.Errorf("%q is no fault code; write it as P0480", harness.Clipped(code, maxKey))
			}
		}
	}
	return nil
}

// String says in a line what was seen.
func (o Observation) String() string {
	var s string
	if o.Unreachable() {
		s = o.At + " " + string(NotReached)
	} else if k := o.Kind(); k != nil {
		s = k.line(&o)
	}
	if o.State != "" {
		s = o.State + ": " + s
	}
	if len(o.Setup) > 0 {
		s += " (" + SaidSetup(o.Setup) + ")"
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

// at writes an answer with where it was read.
func (q Question) at(answer string) string {
	s := answer + " at " + q.At
	if q.From != "" {
		s += " from " + q.From
	}
	return s
}

// String says what each fan did: "M1 fast, M2 stopped".
func (f Fans) String() string {
	var list []string
	for _, name := range slices.Sorted(maps.Keys(f)) {
		list = append(list, name+" "+f[name])
	}
	return strings.Join(list, ", ")
}

func (f Fans) spelled() string { return f.String() }

// of checks the fans against the circuit.
func (f Fans) of(c *harness.Circuit) error {
	for _, name := range slices.Sorted(maps.Keys(f)) {
		switch part := c.Part(name); {
		case part == nil:
			return fmt.Errorf("there is no part %s", name)
		case part.Kind() != harness.KindMotor:
			return fmt.Errorf("%s is a %s, not a fan", name, part.Kind())
		case !slices.Contains(FanWords, f[name]):
			return fmt.Errorf("%s: a fan cannot be %q (%s)", name, f[name], strings.Join(FanWords, ", "))
		}
	}
	return nil
}

// same holds what was seen of some fans against what each should do; an ear cannot tell slow from fast.
func (f Fans) same(seen Answer) bool {
	fans, ok := seen.(Fans)
	for fan, word := range fans {
		running := word == Running && slices.Contains([]string{string(electric.Slow), string(electric.Fast)}, f[fan])
		if f[fan] != word && !running {
			return false
		}
	}
	return ok && fans != nil
}

func (f Fans) texts() []string {
	var list []string
	for name, word := range f {
		list = append(list, name, word)
	}
	return list
}

func (w Word) spelled() string {
	if w == Word(codeWords[0]) {
		return noCodes
	}
	return string(w)
}

func (w Word) texts() []string { return []string{string(w)} }

func (w Word) same(seen Answer) bool {
	o := Observation{Answer: seen}
	return o.Word() == string(w)
}

func (f Figure) texts() []string { return nil }

func (f Figure) spelled() string {
	switch {
	case f.Open && f.Unit == &InVolts:
		return "nothing (floating)"
	case f.Open:
		return f.Unit.spell(math.Inf(1))
	}
	return f.Unit.spell(f.Figure)
}

// same tells whether a figure is within what the unit takes for the same, a volt, an amp, or a third of the ohms. A display that
// wanders about nought is that of a pin which hangs on nothing.
func (f Figure) same(seen Answer) bool {
	read, ok := seen.(Figure)
	switch {
	case !ok:
		return seen == nil
	case f.Open && f.Unit == &InVolts:
		return read.Open || math.Abs(read.Figure) < f.Unit.near
	case f.Unit != read.Unit || f.Open != read.Open:
		return false
	}
	return f.Open || math.Abs(read.Figure-f.Figure) < max(f.Unit.near, f.Unit.nearShare*f.Figure)
}

func (c Codes) word() string {
	if len(c) > 0 {
		return codeWords[1]
	}
	return codeWords[0]
}

func (c Codes) texts() []string { return c }

func (c Codes) same(seen Answer) bool { return Word(c.word()).same(seen) }

func (c Codes) spelled() string {
	if len(c) == 0 {
		return noCodes
	}
	return "codes " + strings.Join(c, ", ")
}
