package probe

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// An observation as it is written: one flat mapping, in a file as in a log. A key of its kind gives the answer ("volts: 12.3"), or
// the part that it is about ("relay: K1, felt: click"); all other keys say where and how. Everything that is written in two ways
// is read into one here: ohms of a part on the bench are ohms between two terminals of the part itself, and how the vehicle stood
// is part of the set-up. What an older version has written reads the same.

// record is such a mapping: text, true and false, lists of text, and what each fan did.
type record map[string]any

// shared are the keys that every kind may have, in the order in which they are written.
var shared = []string{"state", "setup", "engine", "key", "ac", "coolant", "pressure", "speed", "at", "from", "with", "leads", "nulled",
	"zeroed", "bench", "between", "energised", "unreachable"}

// stands are the keys for how the vehicle stood, over what the state says of it: the engine off, running or cranking; key and
// A/C on or off; coolant in °C, refrigerant in bar, km/h.
var stands = []struct {
	key  string
	verb electric.Verb
}{{"engine", electric.Engine}, {"key", electric.Key}, {"ac", electric.AC}, {"coolant", electric.Coolant},
	{"pressure", electric.Pressure}, {"speed", electric.RoadSpeed}}

// text is a word or a figure as it was written; empty where there is none.
func (r record) text(key string) string {
	switch v := r[key].(type) {
	case string:
		return v
	case json.Number:
		return v.String()
	}
	return ""
}

// list is a list of words, which may be written as one word alone.
func (r record) list(key string) ([]string, error) {
	switch v := r[key].(type) {
	case nil:
		return nil, nil
	case []string:
		return v, nil
	case []any:
		var words []string
		for _, entry := range v {
			word, ok := entry.(string)
			if number, is := entry.(json.Number); is {
				word, ok = number.String(), true
			}
			if !ok {
				return nil, fmt.Errorf("%s: a word is expected here", key)
			}
			words = append(words, word)
		}
		if len(words) > maxListed {
			return nil, fmt.Errorf("%s: %d entries are more than the %d that it may have", key, len(words), maxListed)
		}
		return words, nil
	}
	return nil, fmt.Errorf("%s: a list is expected here, as in [K1 out]", key)
}

// isSet tells whether a yes stands there.
func (r record) isSet(key string) bool {
	return r[key] == true || slices.Contains([]string{"yes", "on", "true"}, r.text(key))
}

// observation reads the mapping. The error says which key is wrong. withLeads tells whether the leads' ohms are in the figure still:
// in a file they are, in a log they have been taken off.
func (r record) observation(withLeads bool) (Observation, error) {
	var o Observation
	setup, err := r.list("setup")
	if err != nil {
		return o, err
	}
	for _, key := range []string{"state", "at", "from", "with"} {
		switch r[key].(type) {
		case nil, string, json.Number:
		default:
			return o, fmt.Errorf("%s: a word is expected here", key)
		}
	}
	o.Question = Question{State: r.text("state"), Setup: r.stood(setup), At: r.text("at"), From: r.text("from"), With: r.text("with")}
	if o.How, err = r.how(); err != nil {
		return o, err
	}
	if r.isSet("unreachable") {
		o.Answer = NotReached
		return o, o.Sound()
	}
	if word := r.text("ohms"); slices.Contains(buzzWords, word) { // what the meter's buzzer did
		r["buzz"] = word
		delete(r, "ohms")
	}
	kind, err := r.kind()
	if err != nil {
		return o, err
	}
	o.Do, o.Part = kind.Do(), r.text(kind.keys().part)
	if err := r.onBench(&o.Question); err != nil {
		return o, err
	}
	if o.Answer, err = r.answer(kind); err != nil {
		return o, fmt.Errorf("%s: %w", kind.keys().answer, err)
	}
	if f, ok := o.Answer.(Figure); ok && f.Unit == &InOhms && o.How.Leads > 0 && !f.Open && withLeads {
		// The display still had the leads in it; a meter shows no millionths.
		f.Figure = math.Round(max(0, f.Figure-o.How.Leads)*1e6) / 1e6
		o.Answer = f
	}
	return o, o.Sound()
}

// stood is a set-up with how the vehicle stood; what is said later goes before what was said first.
func (r record) stood(setup []string) []string {
	for _, s := range stands {
		word := r.text(s.key)
		if truth, is := r[s.key].(bool); is { // "key: on" is read as a yes by some
			word = map[bool]string{true: "on", false: "off"}[truth]
		}
		if word == "" {
			continue
		}
		setup = slices.DeleteFunc(slices.Clone(setup), func(words string) bool { return strings.HasPrefix(words, string(s.verb)+" ") })
		setup = append(setup, string(s.verb)+" "+word)
	}
	return setup
}

// how reads how a figure was taken.
func (r record) how() (How, error) {
	h := How{Nulled: r.isSet("nulled"), Zeroed: r.isSet("zeroed")}
	switch leads := r.text("leads"); leads {
	case "":
	case nulled:
		h.Nulled = true
	default:
		ohms, err := InOhms.Parse(leads)
		if err == nil && (ohms.Open || ohms.Figure < 0 || ohms.Figure > mostLeads) {
			err = fmt.Errorf("two leads have from 0 to %d Ω", mostLeads)
		}
		if err != nil {
			return h, fmt.Errorf("leads: %w", err)
		}
		h.Leads = ohms.Figure
	}
	return h, nil
}

// kind is the one kind whose key is there.
func (r record) kind() (Kind, error) {
	var found, all []string
	var kind Kind
	for _, k := range kinds {
		marks := k.keys().marks()
		all = append(all, marks)
		if r[marks] != nil {
			found, kind = append(found, marks), k
		}
	}
	if len(found) == 0 && r["bench"] != nil {
		return nil, fmt.Errorf("bench: ohms are missing")
	}
	if len(found) != 1 {
		return nil, fmt.Errorf("an observation is one of %s; here are %d", strings.Join(all, ", "), len(found))
	}
	return kind, nil
}

// onBench reads between which terminals of a part in the hand it was measured.
func (r record) onBench(q *Question) error {
	part := r.text("bench")
	if part == "" {
		return nil
	}
	between, err := r.list("between")
	if err != nil {
		return err
	}
	if len(between) != 2 {
		return fmt.Errorf("bench: between is two of its pins, as in [86, 85]")
	}
	q.At = harness.Pin{Part: part, Name: between[0], Inner: true}.String()
	q.From = harness.Pin{Part: part, Name: between[1], Inner: true}.String()
	if r.isSet(energised) {
		q.With = energised
	}
	return nil
}

// answer reads the answer, of the shape that the kind has.
func (r record) answer(kind Kind) (Answer, error) {
	key := kind.keys().answer
	switch k := kind.(type) {
	case Looking:
		all, ok := r[key].(map[string]any)
		if !ok {
			return nil, fmt.Errorf("a fan and what it did are expected here, as in {M1: stopped}")
		}
		fans := Fans{}
		for name, word := range all {
			if fans[name], ok = word.(string); !ok {
				return nil, fmt.Errorf("a word is expected here")
			}
		}
		return fans, nil
	case Figured:
		if number, ok := r[key].(json.Number); ok {
			v, err := number.Float64()
			return k.Unit().Shows(v), err
		}
		word, ok := r[key].(string)
		if !ok {
			return nil, fmt.Errorf("a figure is expected here, as in %s", k.Unit().Example)
		}
		reading, err := k.Unit().Parse(word)
		return Figure{reading, k.Unit()}, err
	case Typed:
		if word := r.text(key); word != "" {
			return k.Type(word)
		}
		codes, err := r.list(key)
		return Codes(append([]string{}, codes...)), err
	}
	switch word := r[key].(type) {
	case nil:
		return Word(""), nil
	case string:
		return Word(word), nil
	case bool: // "lamp: off" is read as a no by some
		return Word(map[bool]string{true: "on", false: "off"}[word]), nil
	}
	return nil, fmt.Errorf("a word is expected here")
}

// written gives the observation as a mapping, in the order in which it is written.
func (o Observation) written() []field {
	var list []field
	add := func(key string, value any, given bool) {
		if given {
			list = append(list, field{key, value})
		}
	}
	add("state", o.State, o.State != "")
	add("setup", o.Setup, len(o.Setup) > 0)
	answer := o.Answer
	var of keys
	if k := o.Kind(); k != nil {
		of = k.keys()
	}
	if of.part == "" && answer != nil && answer != NotReached {
		add(of.answer, answered(answer), of.answer != "")
	}
	part, between := o.OnBench()
	if part == "" {
		add("at", o.At, o.At != "")
		add("from", o.From, o.From != "")
	}
	add("with", o.With, o.With != "" && o.With != energised)
	add("leads", o.How.Leads, o.How.Leads > 0)
	add("nulled", true, o.How.Nulled)
	add("zeroed", true, o.How.Zeroed)
	add(of.part, o.Part, of.part != "")
	if of.part != "" && answer != nil && answer != NotReached {
		add(of.answer, answered(answer), true)
	}
	add("bench", part, part != "")
	add("between", between, part != "")
	add(energised, true, o.With == energised)
	add("unreachable", true, o.Unreachable())
	return list
}

// answered is an answer as it stands in a file.
func answered(a Answer) any {
	switch a := a.(type) {
	case Figure:
		return a.Reading
	case Codes:
		return append([]string{}, a...)
	}
	return a
}

// field is a key with its value.
type field struct {
	key   string
	value any
}

// MarshalJSON writes the observation as a log keeps it.
func (o Observation) MarshalJSON() ([]byte, error) {
	var b bytes.Buffer
	b.WriteByte('{')
	for k, f := range o.written() {
		if k > 0 {
			b.WriteByte(',')
		}
		v, err := json.Marshal(f.value)
		if err != nil {
			return nil, fmt.Errorf("writing an observation: %w", err)
		}
		b.WriteString(strconv.Quote(f.key) + ":")
		b.Write(v)
	}
	b.WriteByte('}')
	return b.Bytes(), nil
}

// UnmarshalJSON reads what this or an earlier version has written.
func (o *Observation) UnmarshalJSON(b []byte) error {
	r := record{}
	in := json.NewDecoder(bytes.NewReader(b))
	in.UseNumber()
	if err := in.Decode(&r); err != nil {
		return fmt.Errorf("reading an observation: %w", err)
	}
	var err error
	if *o, err = r.observation(false); err != nil {
		return fmt.Errorf("reading an observation: %w", err)
	}
	return nil
}

// MarshalJSON writes what was good: a figure under its unit, a word, or what each fan does.
func (g Good) MarshalJSON() ([]byte, error) {
	all := map[string]any{}
	switch a := g.Answer.(type) {
	case Figure:
		if a.Open && a.Unit == &InVolts {
			all["floats"] = true
		} else {
			all[a.Unit.Word] = a.Reading
		}
	case Fans:
		all["fans"] = a
	case Word:
		all["word"] = a
	}
	return json.Marshal(all)
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (g *Good) UnmarshalJSON(b []byte) error {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(b, &all); err != nil {
		return fmt.Errorf("reading what was good: %w", err)
	}
	for key, raw := range all {
		var err error
		switch unit := unitNamed(key); {
		case key == "floats":
			g.Answer = InVolts.ShowsNone()
		case key == "fans":
			fans := Fans{}
			err = json.Unmarshal(raw, &fans)
			g.Answer = fans
		case key == "word":
			var word Word
			err = json.Unmarshal(raw, &word)
			g.Answer = word
		case unit != nil:
			f := Figure{Unit: unit}
			err = json.Unmarshal(raw, &f.Reading)
			g.Answer = f
		}
		if err != nil {
			return fmt.Errorf("reading what was good: %w", err)
		}
	}
	return nil
}
