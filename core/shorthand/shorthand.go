// Package shorthand reads what somebody at a car says in few words: "k2 87 12.1", "f1 blown", "low: m1 slow, m2 stopped",
// "lamp k1 30 bright", "k1 out, jumper k1.30 k1.87".
//
// In goes a circuit and a line, out comes one observation with the set-up that it was made in, or what was done to the car. The one
// idea: a line names places and says a word or a figure of them, in any order; which test that was follows from the word. Lower
// case is as good as upper. Where a line can mean two things, or none, the error says in one sentence what is missing.
package shorthand

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// mostWords bounds a line.
const mostWords = 60

// Said is what a line says: something seen, or something done to the car.
type Said struct {
	Seen *probe.Observation
	Done []electric.Action
}

// Examples are lines that are understood, for a page's field.
var Examples = []string{"k2 87 12.1", "f1 blown", "m1 stuck", "k1 out"}

// reader reads one line.
type reader struct {
	c      *harness.Circuit
	state  *harness.State
	now    []electric.Action
	line   string
	places []place
	spots  []string        // wires and terminals that were looked at, as the format spells them
	words  []string        // what is no place
	read   map[string]bool // of those words, the ones that have been understood
}

// Read reads a line. state is the one in which things are read unless the line begins with another; now is the set-up that holds.
func Read(c *harness.Circuit, line string, state *harness.State, now []electric.Action) (*Said, error) {
	words := strings.Fields(strings.ToLower(strings.NewReplacer(";", ", ", "→", " ", "–", "-").Replace(line)))
	switch {
	case len(words) == 0:
		return nil, fmt.Errorf("say what was seen or done, as in %s", strings.Join(Examples, ", "))
	case len(words) > mostWords:
		return nil, fmt.Errorf("a line has at most %d words", mostWords)
	}
	r := &reader{c: c, state: state, now: now, line: line, read: map[string]bool{}}
	words = r.leadingState(words)
	if done := r.done(words); done != nil {
		return &Said{Done: done}, nil
	}
	r.take(words)
	o, err := r.all(r.seen())
	if err != nil {
		if done, wrong := electric.ParseLine(c, line); wrong == nil {
			return &Said{Done: done}, nil
		}
		return nil, err
	}
	return &Said{Seen: o}, nil
}

// leadingState takes a state's name, "high" or "high:", off the front of a line.
func (r *reader) leadingState(words []string) []string {
	longest := 0
	for _, s := range r.c.States { // of "step" and "step 1" the longer name
		name := strings.Fields(strings.ToLower(s.Name))
		if len(words) <= len(name) || len(name) <= longest {
			continue
		}
		front := slices.Clone(words[:len(name)])
		front[len(front)-1] = strings.TrimSuffix(front[len(front)-1], ":")
		if slices.Equal(front, name) {
			r.state, longest = s, len(name)
		}
	}
	return words[longest:]
}

// done reads a line as set-up actions, with its places spelled as the circuit has them; nil where it is none.
func (r *reader) done(words []string) []electric.Action {
	var spelled []string
	for at := 0; at < len(words); {
		bare := strings.TrimRight(words[at], ",")
		p, n := placeAt(r.c, append([]string{bare}, words[at+1:]...))
		if n == 0 || strings.HasSuffix(words[at], ",") && n > 1 {
			spelled = append(spelled, words[at])
			at++
			continue
		}
		last := words[at+n-1]
		if n > 1 && strings.HasSuffix(last, ",") { // the terminal carries the comma
			p, n = placeAt(r.c, append(slices.Clone(words[at:at+n-1]), strings.TrimRight(last, ",")))
		}
		name := p.String()
		if strings.HasSuffix(words[at+n-1], ",") {
			name += ","
		}
		spelled = append(spelled, name)
		at += n
	}
	list, err := electric.ParseLine(r.c, strings.Join(spelled, " "))
	if err != nil {
		return nil
	}
	return list
}

// take parts the words into places and the rest.
func (r *reader) take(words []string) {
	for at := 0; at < len(words); {
		words[at] = strings.TrimRight(words[at], ",:")
		rest := slices.Clone(words[at:])
		for k := range rest[:min(len(rest), 4)] {
			rest[k] = strings.TrimRight(rest[k], ",:")
		}
		if rest[0] == "wire" || rest[0] == "pin" || rest[0] == "terminal" {
			if n := r.spot(rest); n > 0 {
				at += n
				continue
			}
		}
		if p, n := placeAt(r.c, rest); n > 0 {
			r.places = append(r.places, p)
			at += n
			continue
		}
		if words[at] != "" {
			r.words = append(r.words, words[at])
		}
		at++
	}
}

// spot takes "wire k1.87 - m1.+" or "pin m1.-"; it gives how many words that were.
func (r *reader) spot(words []string) int {
	kind, at := words[0], 1
	one, n := placeAt(r.c, words[at:])
	if n == 0 {
		return 0
	}
	at += n
	if kind != "wire" {
		if one.pin == "" {
			return 0
		}
		r.spots = append(r.spots, "pin "+one.String())
		return at
	}
	for at < len(words) && (words[at] == "-" || words[at] == "to") {
		at++
	}
	other, n := placeAt(r.c, words[at:])
	if n == 0 {
		return 0
	}
	from, ok := one.terminal()
	to, also := other.terminal()
	if !ok || !also {
		return 0
	}
	wire := r.c.Wire(harness.ParsePin(from), harness.ParsePin(to))
	if wire == nil {
		return 0
	}
	r.spots = append(r.spots, fmt.Sprintf("wire %s - %s", wire.From, wire.To))
	return at + n
}

var (
	codeForm   = regexp.MustCompile(`^[pcbu][0-9a-f]{4}$`)
	partForm   = regexp.MustCompile(`^[a-z]+[0-9]+(\.\S+)?$`)
	figureForm = regexp.MustCompile(`^[-+−]?[0-9]`)
)

// speech are the words by which people tell a lamp, a buzzer and the like, beside the format's own.
var speech = map[string]string{
	"beep": "beeps", "beeped": "beeps", "no": "", "not": "", "without": "", "clicks": "click", "clicked": "click", "seized": "stuck",
	"turns": "", "is": "", "at": "",
	"on": "", "the": "", "reads": "", "shows": "", "and": "", "to": "", "from": "", "by": "", "hand": "", "was": "",
	"corroded": "corrosion", "burnt": "heat", "scorched": "heat", "off": "off", "dead": "stopped", "stands": "stopped", "runs": "running",
}

// has is the first of the words said that is among these, which is thereby understood; empty where none is.
func (r *reader) has(words ...string) string {
	for _, w := range r.words {
		if slices.Contains(words, w) {
			r.read[w] = true
			return w
		}
	}
	return ""
}

// all refuses a line of which a word has been left over: half a sentence may say the opposite of the whole.
func (r *reader) all(o *probe.Observation, err error) (*probe.Observation, error) {
	if err != nil {
		return nil, err
	}
	for _, w := range r.words {
		if !r.read[w] {
			return nil, fmt.Errorf("it is not clear what %q says here; nothing was recorded", harness.Clipped(w, 40))
		}
	}
	return o, nil
}

// seen reads what is no set-up as something that was seen.
func (r *reader) seen() (*probe.Observation, error) {
	negated := r.has("no", "not", "without") != ""
	var kept []string
	for _, w := range r.words {
		if as, known := speech[w]; known {
			w = as
		}
		if w != "" {
			kept = append(kept, w)
		}
	}
	r.words = kept
	for _, w := range r.words {
		if partForm.MatchString(w) && !codeForm.MatchString(w) {
			return nil, fmt.Errorf("there is no part %s in this circuit", strings.ToUpper(w))
		}
	}
	if negated && r.has("beeps", "click", "code", "codes") == "" { // "not blown" must never be read as blown
		return nil, errors.New("say what was seen, not what was not: in place of not blown, looks whole")
	}
	switch {
	case r.has("code", "codes") != "" || slices.ContainsFunc(r.words, codeForm.MatchString):
		return r.codes(negated)
	case len(r.fanWords()) > 0:
		return r.fans()
	case r.has("lamp", "light", "led") != "":
		return r.lamp()
	case r.has("beeps", "silent", "buzzer") != "":
		word := "beeps"
		if negated || r.has("silent") != "" {
			word = "silent"
		}
		return r.leads(string(probe.Buzzer), word)
	case r.has("click", "felt") != "" && len(r.places) == 1:
		word := "click"
		if negated || r.has("nothing") != "" {
			word = "nothing"
		}
		return r.ofPart(probe.Relay, word)
	case r.figure() != "":
		return r.figured()
	}
	return r.byHand()
}

func (r *reader) codes(none bool) (*probe.Observation, error) {
	var list []string
	for _, w := range r.words {
		if codeForm.MatchString(w) {
			r.read[w] = true
			list = append(list, w)
		}
	}
	if len(list) == 0 {
		if !none && r.has("none") == "" {
			return nil, errors.New("say the codes, as in P0480, or codes none")
		}
		list = []string{"none"}
	}
	t, err := probe.WithLeads(r.c, string(probe.TroubleCodes), r.state, r.now, [2]string{})
	if err != nil {
		return nil, err
	}
	return answered(t, strings.Join(list, " "))
}

// fanWords are the words for what a fan does among those said.
func (r *reader) fanWords() []string {
	var list []string
	for _, w := range r.words {
		if slices.Contains(probe.SpeedWords, w) || w == probe.Running || w == probe.Cycling {
			r.read[w] = true
			list = append(list, w)
		}
	}
	return list
}

// fans reads "m1 slow, m2 stopped"; one word is for all that are named.
func (r *reader) fans() (*probe.Observation, error) {
	words := r.fanWords()
	saw := probe.Fans{}
	for k, p := range r.places {
		if p.part.Kind() != harness.KindMotor {
			return nil, fmt.Errorf("%s is no fan that could be %s", p.part.Name, words[0])
		}
		switch {
		case len(words) == 1:
			saw[p.part.Name] = words[0]
		case len(words) == len(r.places):
			saw[p.part.Name] = words[k]
		default:
			return nil, errors.New("say after each fan what it did, as in m1 slow, m2 stopped")
		}
	}
	if len(saw) == 0 {
		fans := r.c.Fans()
		if len(fans) != 1 {
			return nil, errors.New("say which fan, as in m1 " + words[0])
		}
		saw[fans[0].Name] = words[0]
	}
	o := probe.Seen(r.state.Name, saw, probe.SetupWords(r.now)...)
	return &o, nil
}

func (r *reader) lamp() (*probe.Observation, error) {
	do, words := string(probe.Lamp), []string{"off", "dim", "bright"}
	if r.has("led") != "" {
		do, words = string(probe.LED), []string{"off", "lights"}
	}
	word := r.has(words...)
	if word == "" {
		return nil, fmt.Errorf("say what the lamp did: %s", strings.Join(words, ", "))
	}
	if r.has("heavy") != "" {
		do = "heavy"
	}
	return r.leads(do, word)
}

// leads is a test with leads at one or two places.
func (r *reader) leads(do, answer string) (*probe.Observation, error) {
	if len(r.places) == 0 || len(r.places) > 2 {
		return nil, fmt.Errorf("say where, as in k2 87 %s", answer)
	}
	ends := [2]string{}
	for k, p := range r.places {
		end, ok := p.terminal()
		if !ok {
			return nil, fmt.Errorf("say which terminal of %s: %s", p.part.Name, terminals(p.part))
		}
		ends[k] = end
	}
	t, err := probe.WithLeads(r.c, do, r.state, r.now, [2]string{ends[0], ends[1]})
	if err != nil {
		return nil, err
	}
	return answered(t, answer)
}

func terminals(p *harness.Part) string {
	var list []string
	for _, pin := range p.Pins() {
		list = append(list, pin.Name)
	}
	return strings.Join(list, ", ")
}

// figure is the figure among the words, with the unit that stands beside it; empty where there is none.
func (r *reader) figure() string {
	for k, w := range r.words {
		if w == "ol" || w == "open" && len(r.places) == 2 {
			r.read[w] = true
			return "OL"
		}
		if figureForm.MatchString(w) {
			r.read[w] = true
			if k+1 < len(r.words) && unitOf(r.words[k+1]) != "" {
				return w + " " + r.words[k+1]
			}
			return w
		}
	}
	return ""
}

// units are what people write behind a figure, by the test that shows it.
var units = map[string]probe.Do{
	"v": probe.Volts, "mv": probe.Volts, "volt": probe.Volts, "volts": probe.Volts, "a": probe.Amps, "ma": probe.Amps, "amp": probe.Amps,
	"amps": probe.Amps, "ohm": probe.Ohms, "ohms": probe.Ohms, "ω": probe.Ohms, "kω": probe.Ohms, "mω": probe.Ohms, "kohm": probe.Ohms,
	"°c": probe.Infrared, "c": probe.Infrared, "°f": probe.Infrared, "f": probe.Infrared,
}

func unitOf(word string) probe.Do {
	return units[strings.ToLower(strings.TrimLeft(word, "-+−0123456789.,"))]
}

// figured reads a figure: in the unit that is said, ohms where a line is open, volts else.
func (r *reader) figured() (*probe.Observation, error) {
	figure := r.figure()
	do := probe.Volts
	for _, w := range r.words {
		if unit := unitOf(w); unit != "" && (r.read[w] || !figureForm.MatchString(w)) {
			r.read[w] = true
			do = unit
		}
	}
	if figure == "OL" || r.has("ohms", "resistance") != "" {
		do = probe.Ohms
	}
	if do == probe.Infrared && len(r.places) == 1 { // how warm a part is, not a pin
		return r.ofPart(do, figure)
	}
	return r.leads(string(do), figure)
}

// ofPart is a test of one part.
func (r *reader) ofPart(do probe.Do, answer string) (*probe.Observation, error) {
	t, err := probe.OfPart(r.c, string(do), r.state, r.now, r.places[0].part.Name)
	if err != nil {
		return nil, err
	}
	return answered(t, answer)
}

// byHand reads what was seen or felt at a part, a wire or a terminal.
func (r *reader) byHand() (*probe.Observation, error) {
	if len(r.spots) == 1 && len(r.words) > 0 {
		q := probe.Question{Do: probe.Looked, State: r.state.Name, Setup: probe.SetupWords(r.now), Part: r.spots[0]}
		t, err := q.Test(r.c)
		if err != nil {
			return nil, err
		}
		return r.worded(t)
	}
	if len(r.places) != 1 {
		return nil, r.unclear()
	}
	part := r.places[0].part
	for _, do := range []probe.Do{probe.Turned, probe.Wiggled, probe.Looked} {
		t, err := probe.OfPart(r.c, string(do), r.state, r.now, part.Name)
		if err != nil {
			continue
		}
		if o, err := r.worded(t); err == nil {
			return o, nil
		}
	}
	if t, err := probe.OfPart(r.c, string(probe.Looked), r.state, r.now, part.Name); err == nil && len(r.words) > 0 {
		kind, _ := t.Kind().(probe.Worded)
		return nil, fmt.Errorf("of %s one may say %s, or give a figure at a terminal", part.Name, strings.Join(kind.Words(t), ", "))
	}
	return nil, r.unclear()
}

func (r *reader) unclear() error {
	return fmt.Errorf("it is not clear what %q says; say a place and what was seen there, as in %s",
		harness.Clipped(r.line, 60), strings.Join(Examples, ", "))
}

// worded answers a test by the word for it that was said.
func (r *reader) worded(t probe.Test) (*probe.Observation, error) {
	kind, ok := t.Kind().(probe.Worded)
	if !ok {
		return nil, r.unclear()
	}
	said := strings.Join(r.words, " ")
	for _, word := range kind.Words(t) {
		if said == word {
			for _, w := range r.words {
				r.read[w] = true
			}
		}
		if said == word || r.has(word) != "" {
			return answered(t, word)
		}
	}
	return nil, fmt.Errorf("say one of %s", strings.Join(kind.Words(t), ", "))
}

// answered is a test with its answer.
func answered(t probe.Test, answer string) (*probe.Observation, error) {
	o, err := t.Question().Answered(answer)
	if err != nil {
		return nil, err
	}
	return &o, nil
}
