// Package probe holds what can be tried on a car and what was seen: tests, what they cost
// in minutes, and observations as they are written in files, logs and answers.
//
// In goes a circuit, out comes the list of tests that can be made on it; what a test would
// show is not said here (package electric computes it), nor which is best (package
// diagnose).
package probe

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Observation is one thing seen or read, in the shape of the observations file. One of the
// keys of a [Do] is given. Setup is the whole set-up that held.
type Observation struct {
	State string            `json:"state,omitempty"`
	Setup []string          `json:"setup,omitempty"`
	Fans  map[string]string `json:"fans,omitempty"` // what each fan did

	Volts *Reading `json:"volts,omitempty"` // at At, from From
	Amps  *Reading `json:"amps,omitempty"`  // into the part at At
	Ohms  *Reading `json:"ohms,omitempty"`  // between At and From
	Lamp  string   `json:"lamp,omitempty"`
	LED   string   `json:"led,omitempty"`
	At    string   `json:"at,omitempty"`
	From  string   `json:"from,omitempty"` // empty: the battery's negative post
	With  string   `json:"with,omitempty"` // "heavy": of a lamp
	Leads float64  `json:"leads,omitempty"`
	// Zeroed says that the clamp was zeroed with the other consumers on.
	Zeroed bool `json:"zeroed,omitempty"`

	Relay   string    `json:"relay,omitempty"` // felt or heard
	Felt    string    `json:"felt,omitempty"`
	Codes   *[]string `json:"codes,omitempty"`   // an empty list is evidence too
	Turned  string    `json:"turned,omitempty"`  // a fan turned by hand
	Looked  string    `json:"looked,omitempty"`  // a part looked at closely
	Wiggled string    `json:"wiggled,omitempty"` // a part tapped, or its wires wiggled
	Found   string    `json:"found,omitempty"`   // of Turned, Looked, Wiggled

	Bench     string   `json:"bench,omitempty"` // a relay out, its Ohms between two of its pins
	Between   []string `json:"between,omitempty"`
	Energised bool     `json:"energised,omitempty"`

	Unreachable bool `json:"unreachable,omitempty"` // At cannot be got at: nothing is known by it
}

// FanWords are the words for what a fan does; an ear cannot tell slow from fast, so that
// "running" is allowed.
var FanWords = []string{string(electric.Stopped), string(electric.Slow), string(electric.Fast), string(electric.Backwards), Running,
	Cycling}

// Running is a fan that turns, slow or fast; Cycling one that starts and stops quickly.
const (
	Running = "running"
	Cycling = "cycling"
)

// Words of answers that are no figure, by what was done.
var Words = map[Do][]string{
	Lamp: {"off", "dim", "bright"}, LED: {"off", "lights"}, Relay: {"click", "nothing"},
	Turned: {"free", "drags", "stuck"}, Looked: {"clean", "heat", "corrosion"}, Wiggled: {"steady", "changes"},
	Codes: {"none", "some"},
}

// Do is the kind of test the observation answers; empty where it answers none.
func (o *Observation) Do() Do {
	switch {
	case o.Fans != nil:
		return LookAtFans
	case o.Bench != "", o.Ohms != nil:
		return Ohms
	case o.Volts != nil:
		return Volts
	case o.Amps != nil:
		return Amps
	case o.Lamp != "":
		return Lamp
	case o.LED != "":
		return LED
	case o.Relay != "":
		return Relay
	case o.Codes != nil:
		return Codes
	case o.Turned != "":
		return Turned
	case o.Looked != "":
		return Looked
	case o.Wiggled != "":
		return Wiggled
	}
	return ""
}

// Word is the answer in a word, empty for a figure.
func (o *Observation) Word() string {
	switch o.Do() {
	case Lamp:
		return o.Lamp
	case LED:
		return o.LED
	case Relay:
		return o.Felt
	case Turned, Looked, Wiggled:
		return o.Found
	case Codes:
		if len(*o.Codes) > 0 {
			return "some"
		}
		return "none"
	}
	return ""
}

// Say puts a word in as the answer of this kind of test.
func (o *Observation) Say(do Do, word string) {
	switch do {
	case Lamp:
		o.Lamp = word
	case LED:
		o.LED = word
	case Relay:
		o.Felt = word
	case Turned, Looked, Wiggled:
		o.Found = word
	case Codes:
		o.Codes = &[]string{}
		if word != Words[Codes][0] {
			*o.Codes = []string{word}
		}
	}
}

// Stand gives an observation without an answer some answer, so that its test can be told.
func (o *Observation) Stand(do Do) {
	switch do {
	case LookAtFans:
		o.Fans = map[string]string{}
	case Amps:
		o.Amps = &Reading{}
	case Ohms:
		o.Ohms = &Reading{}
	case Volts:
		o.Volts = &Reading{}
	default:
		if words := Words[do]; words != nil {
			o.Say(do, words[0])
		}
	}
}

// About puts in the part that a test of a part is about.
func (o *Observation) About(do Do, part string) {
	switch do {
	case Relay:
		o.Relay = part
	case Turned:
		o.Turned = part
	case Looked:
		o.Looked = part
	case Wiggled:
		o.Wiggled = part
	}
}

// Reading is the answer as a figure; nil for words.
func (o *Observation) Reading() *Reading {
	switch {
	case o.Volts != nil:
		return o.Volts
	case o.Amps != nil:
		return o.Amps
	}
	return o.Ohms
}

// part is the part a test of a part is about.
func (o *Observation) part() string {
	for _, name := range []string{o.Relay, o.Turned, o.Looked, o.Wiggled} {
		if name != "" {
			return name
		}
	}
	return ""
}

// Check holds the observation against the circuit and gives its set-up.
func (o *Observation) Check(c *harness.Circuit) ([]electric.Action, error) {
	t, err := o.Test(c)
	return t.Setup, err
}

// Test is the test the observation answers, checked against the circuit.
func (o *Observation) Test(c *harness.Circuit) (Test, error) {
	t := Test{Do: o.Do(), State: c.States[0], With: strings.TrimPrefix(o.With, "light")}
	var err error
	if t.Setup, err = electric.ParseSetup(c, o.Setup); err != nil {
		return t, err
	}
	if o.Unreachable {
		t.At, err = c.FindPin(o.At)
		return t, err
	}
	if n := o.answers(); n != 1 {
		return t, fmt.Errorf("an observation is one of fans, volts, amps, ohms, lamp, led, relay, codes, bench, turned, looked, wiggled; here are %d", n)
	}
	needsState := slices.Contains([]Do{LookAtFans, Volts, Amps, Lamp, LED, Relay}, t.Do)
	if needsState || o.State != "" {
		if t.State, err = c.FindState(o.State); err != nil {
			return t, err
		}
	}
	if words := Words[t.Do]; words != nil && !slices.Contains(words, o.Word()) {
		return t, fmt.Errorf("%s: the answer cannot be %q (%s)", t.Do, harness.Clipped(o.Word(), maxKey), strings.Join(words, ", "))
	}
	if err := o.checkFigures(); err != nil {
		return t, err
	}
	switch t.Do {
	case LookAtFans:
		return t, o.checkFans(c)
	case Codes:
		return t, nil
	case Relay, Turned, Looked, Wiggled:
		t.Part = o.part()
		return t, o.checkPart(c, t.Do)
	}
	if o.Bench != "" {
		return o.benchTest(c, t)
	}
	return o.leads(c, t)
}

// checkFigures refuses a figure that no meter shows and words that mean nothing.
func (o *Observation) checkFigures() error {
	for _, r := range []struct {
		reading *Reading
		unit    Unit
	}{{o.Volts, InVolts}, {o.Amps, InAmps}, {o.Ohms, InOhms}} {
		if r.reading != nil && !r.unit.Fits(*r.reading) {
			return fmt.Errorf("%g %s is no reading: a meter shows up to %g %s", r.reading.Figure, r.unit.Name, r.unit.Most, r.unit.Name)
		}
	}
	switch {
	case o.With != "" && o.Lamp == "":
		return fmt.Errorf("with goes with a lamp: light or heavy")
	case o.With != "" && o.With != "heavy" && o.With != "light":
		return fmt.Errorf("a lamp is light or heavy, not %q", harness.Clipped(o.With, maxKey))
	case !(o.Leads >= 0 && o.Leads <= mostLeads):
		return fmt.Errorf("two leads have from 0 to %d Ω", mostLeads)
	}
	if o.Codes != nil {
		for _, code := range *o.Codes {
			if code != Words[Codes][1] && !codeForm.MatchString(code) {
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
	texts := []string{o.State, o.At, o.From, o.With, o.Lamp, o.LED, o.Relay, o.Felt, o.Turned, o.Looked, o.Wiggled, o.Found, o.Bench}
	texts = append(append(texts, o.Setup...), o.Between...)
	lists := max(len(o.Setup), len(o.Between), len(o.Fans))
	if o.Codes != nil {
		lists = max(lists, len(*o.Codes))
	}
	for fan, word := range o.Fans {
		texts = append(texts, fan, word)
	}
	tooLong := func(s string) bool { return len(s) > maxWords || !utf8.ValidString(s) || strings.ContainsRune(s, 0) }
	if lists > maxListed || slices.ContainsFunc(texts, tooLong) {
		return fmt.Errorf("a text or a list in the observation is longer than anybody types")
	}
	return nil
}

// maxWords bounds a text of an observation, in bytes.
const maxWords = 200

// codeForm is the form of a fault code (SAE J2012: a letter and four hexadecimal figures).
var codeForm = regexp.MustCompile(`^[PCBU][0-9A-F]{4}$`)

// answers counts how many things the observation says it is.
func (o *Observation) answers() int {
	n := 0
	given := []bool{
		o.Fans != nil, o.Volts != nil, o.Amps != nil, o.Lamp != "", o.LED != "", o.Relay != "", o.Codes != nil,
		o.Turned != "", o.Looked != "", o.Wiggled != "", o.Ohms != nil || o.Bench != "",
	}
	for _, g := range given {
		if g {
			n++
		}
	}
	return n
}

// leads checks where the leads lie.
func (o *Observation) leads(c *harness.Circuit, t Test) (Test, error) {
	if o.At == "" {
		return t, fmt.Errorf("%s need at: a pin", t.Do)
	}
	for _, lead := range []struct {
		words string
		at    *harness.Pin
	}{{o.At, &t.At}, {o.From, &t.From}} {
		if lead.words == "" {
			continue // from defaults to the battery's negative post
		}
		found, err := c.FindPin(lead.words)
		if err != nil {
			return t, err
		}
		if found.Inner && t.Do != Ohms {
			return t, fmt.Errorf("%s: %s are read at the cavity; write %s", found, t.Do, found.Cavity())
		}
		*lead.at = found
	}
	if t.Do == Ohms && o.From == "" {
		return t, fmt.Errorf("ohms need from: the other pin")
	}
	if t.Do == Amps && c.Part(t.At.Part).Kind() == harness.KindGround {
		return t, fmt.Errorf("%s: a clamp goes round a wire; name the pin at its other end", t.At)
	}
	return t, nil
}

// benchTest turns a relay on the bench into ohms between its own terminals, energised by a
// battery pack where it says so.
func (o *Observation) benchTest(c *harness.Circuit, t Test) (Test, error) {
	part := c.Part(o.Bench)
	switch {
	case part == nil || part.Kind() != harness.KindRelay && part.Kind() != harness.KindSensor:
		return t, fmt.Errorf("bench: %s is no relay or sensor", o.Bench)
	case o.Ohms == nil:
		return t, fmt.Errorf("bench: ohms are missing")
	case len(o.Between) != 2:
		return t, fmt.Errorf("bench: between is two of its pins, as in [86, 85]")
	}
	for k, at := range []*harness.Pin{&t.At, &t.From} {
		pin, err := c.FindPin(o.Bench + "." + o.Between[k])
		if err != nil {
			return t, err
		}
		pin.Inner = true
		*at = pin
	}
	if part.Kind() == harness.KindSensor {
		if unplugged := (electric.Action{Verb: electric.Unplugged, Part: o.Bench}); !slices.Contains(t.Setup, unplugged) {
			t.Setup = append(slices.Clone(t.Setup), unplugged)
		}
		return t, nil
	}
	t.Setup = benchSetup(t.Setup, o.Bench, o.Energised)
	return t, nil
}

func benchSetup(setup []electric.Action, relay string, energised bool) []electric.Action {
	out := electric.Action{Verb: electric.Out, Part: relay}
	setup = slices.Clone(setup)
	if !slices.Contains(setup, out) {
		setup = append(setup, out)
	}
	pack := electric.Action{
		Verb: electric.Pack, From: harness.Pin{Part: relay, Name: "86", Inner: true}, To: harness.Pin{Part: relay, Name: "85", Inner: true},
	}
	if energised && !slices.Contains(setup, pack) {
		setup = append(setup, pack)
	}
	return setup
}

// partKinds is what each test of a part can be made on; nil: any part.
var partKinds = map[Do]harness.Kind{Relay: harness.KindRelay, Turned: harness.KindMotor}

func (o *Observation) checkPart(c *harness.Circuit, do Do) error {
	part := c.Part(o.part())
	if part == nil {
		return fmt.Errorf("there is no part %s", o.part())
	}
	if kind := partKinds[do]; kind != "" && part.Kind() != kind {
		return fmt.Errorf("%s: %s is a %s, not a %s", do, part.Name, part.Kind(), kind)
	}
	return nil
}

func (o *Observation) checkFans(c *harness.Circuit) error {
	if len(o.Fans) == 0 {
		return fmt.Errorf("fans need at least one fan: {M1: stopped}")
	}
	for _, name := range sortedFans(o.Fans) {
		part := c.Part(name)
		switch {
		case part == nil:
			return fmt.Errorf("there is no part %s", name)
		case part.Kind() != harness.KindMotor:
			return fmt.Errorf("%s is a %s, not a fan", name, part.Kind())
		case !slices.Contains(FanWords, o.Fans[name]):
			return fmt.Errorf("%s: a fan cannot be %q (%s)", name, o.Fans[name], strings.Join(FanWords, ", "))
		}
	}
	return nil
}

func sortedFans(fans map[string]string) []string {
	names := make([]string, 0, len(fans))
	for name := range fans {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// String says in a line what was seen.
func (o *Observation) String() string {
	s := o.bare()
	if o.State != "" {
		s = o.State + ": " + s
	}
	if len(o.Setup) > 0 {
		s += " (" + strings.Join(o.Setup, ", ") + ")"
	}
	return s
}

// bare is the line without state and set-up.
func (o *Observation) bare() string {
	between := func(figure string) string {
		s := figure + " at " + o.At
		if o.From != "" {
			s += " from " + o.From
		}
		return s
	}
	with := func(r *Reading, unit string) string {
		if r.Open {
			return r.String()
		}
		return r.String() + " " + unit
	}
	switch {
	case o.Unreachable:
		return o.At + " cannot be reached"
	case o.Fans != nil:
		return o.FansWords()
	case o.Bench != "" && o.Ohms != nil:
		s := fmt.Sprintf("%s on the bench: %s between %s", o.Bench, with(o.Ohms, "Ω"), strings.Join(o.Between, " and "))
		if o.Energised {
			s += ", energised"
		}
		return s
	case o.Ohms != nil:
		return between(with(o.Ohms, "Ω"))
	case o.Volts != nil:
		return between(with(o.Volts, "V"))
	case o.Amps != nil:
		return between(with(o.Amps, "A"))
	case o.Lamp != "":
		return between(strings.TrimSpace(o.With + " lamp " + o.Lamp))
	case o.LED != "":
		return between("LED " + o.LED)
	case o.Relay != "":
		return o.Relay + ": " + o.Felt
	case o.Codes != nil && len(*o.Codes) == 0:
		return "no codes"
	case o.Codes != nil:
		return "codes " + strings.Join(*o.Codes, ", ")
	case o.Turned != "":
		return o.Turned + " by hand: " + o.Found
	case o.Wiggled != "":
		return o.Wiggled + " wiggled: " + o.Found
	}
	return o.Looked + " looked at: " + o.Found
}

// FansWords says what each fan did: "M1 fast, M2 stopped".
func (o *Observation) FansWords() string {
	var list []string
	for _, name := range sortedFans(o.Fans) {
		list = append(list, name+" "+o.Fans[name])
	}
	return strings.Join(list, ", ")
}
