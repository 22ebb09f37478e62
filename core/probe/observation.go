// Package probe holds what can be tried on a car and what was seen: tests, what they cost
// in minutes, and observations as they are written in files, logs and answers.
//
// In goes a circuit, out comes the list of tests that can be made on it; what a test would
// show is not said here (package electric computes it), nor which is best (package
// diagnose).
package probe

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Observation is one thing seen or read, in the shape of the observations file. Exactly one
// of Fans and Volts is given. Setup is the whole set-up that held.
type Observation struct {
	State string            `json:"state"`
	Setup []string          `json:"setup,omitempty"`
	Fans  map[string]string `json:"fans,omitempty"`  // what each fan did
	Volts *Reading          `json:"volts,omitempty"` // at At, from From
	At    string            `json:"at,omitempty"`
	From  string            `json:"from,omitempty"` // empty: the battery's negative post
}

// Reading is a meter's figure; Open is a display that shows no figure ("OL").
type Reading struct {
	Figure float64
	Open   bool
}

func (r Reading) String() string {
	if r.Open {
		return "OL"
	}
	return strconv.FormatFloat(r.Figure, 'f', -1, 64)
}

// MarshalJSON writes the figure, or "OL".
func (r Reading) MarshalJSON() ([]byte, error) {
	if r.Open {
		return []byte(`"OL"`), nil
	}
	return json.Marshal(r.Figure)
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (r *Reading) UnmarshalJSON(b []byte) error {
	var s string
	if json.Unmarshal(b, &s) != nil {
		s = string(b)
	}
	read, err := ParseVolts(s)
	*r = read
	return err
}

// MaxVolts is the largest figure a fan circuit's meter can honestly show.
const MaxVolts = 60

// ParseVolts reads a reading as people type it: "12.3", "12,3", "12.3 V", "250 mV", "OL".
func ParseVolts(s string) (Reading, error) {
	text := strings.TrimSpace(s)
	bare := strings.ToLower(strings.ReplaceAll(text, " ", ""))
	if bare == "ol" || bare == "o.l" || bare == "open" {
		return Reading{Open: true}, nil
	}
	scale := 1.0
	for _, unit := range []struct {
		name  string
		scale float64
	}{{"mv", 1e-3}, {"volts", 1}, {"volt", 1}, {"vdc", 1}, {"v", 1}} {
		if cut, ok := strings.CutSuffix(bare, unit.name); ok {
			bare, scale = cut, unit.scale
			break
		}
	}
	bare = strings.Replace(bare, "−", "-", 1)
	if strings.Count(bare, ",") == 1 && !strings.Contains(bare, ".") {
		bare = strings.Replace(bare, ",", ".", 1)
	}
	v, err := strconv.ParseFloat(bare, 64)
	switch {
	case text == "":
		return Reading{}, fmt.Errorf("type what the meter shows, as in 12.3 V, or OL")
	case err != nil || math.IsNaN(v) || math.IsInf(v, 0):
		return Reading{}, fmt.Errorf("%q is not a reading in volts; type it as 12.3, 12,3, 250 mV or OL", text)
	case math.Abs(v*scale) > MaxVolts:
		return Reading{}, fmt.Errorf("%q is more than %d V; look at the meter's range", text, MaxVolts)
	}
	return Reading{Figure: v * scale}, nil
}

// FanWords are the words for what a fan does; an ear cannot tell slow from fast, so that
// "running" is allowed.
var FanWords = []string{string(electric.Stopped), string(electric.Slow), string(electric.Fast), string(electric.Backwards), Running}

// Running is a fan that turns, slow or fast.
const Running = "running"

// Check holds the observation against the circuit and gives its set-up.
func (o *Observation) Check(c *harness.Circuit) ([]electric.Action, error) {
	if _, err := c.FindState(o.State); err != nil {
		return nil, err
	}
	setup, err := electric.ParseSetup(c, o.Setup)
	if err != nil {
		return nil, err
	}
	switch {
	case o.Fans != nil && o.Volts != nil:
		return nil, fmt.Errorf("an observation is either fans or volts, not both")
	case o.Fans != nil:
		return setup, o.checkFans(c)
	case o.Volts == nil:
		return nil, fmt.Errorf("an observation needs fans or volts")
	}
	for _, pin := range []string{o.At, o.From} {
		if pin == "" && o.At != "" {
			continue // from defaults to the battery's negative post
		}
		if o.At == "" {
			return nil, fmt.Errorf("volts need at: a pin")
		}
		found, err := c.FindPin(pin)
		if err != nil {
			return nil, err
		}
		if found.Inner {
			return nil, fmt.Errorf("%s: volts are read at the cavity; write %s", pin, found.Cavity())
		}
	}
	return setup, nil
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
	var s string
	if o.Fans != nil {
		s = o.State + ": " + o.FansWords()
	} else {
		value := o.Volts.String()
		if !o.Volts.Open {
			value += " V"
		}
		s = fmt.Sprintf("%s: %s at %s", o.State, value, o.At)
		if o.From != "" {
			s += " from " + o.From
		}
	}
	if len(o.Setup) > 0 {
		s += " (" + strings.Join(o.Setup, ", ") + ")"
	}
	return s
}

// FansWords says what each fan did: "M1 fast, M2 stopped".
func (o *Observation) FansWords() string {
	var list []string
	for _, name := range sortedFans(o.Fans) {
		list = append(list, name+" "+o.Fans[name])
	}
	return strings.Join(list, ", ")
}

// maxObservations bounds a file; no job has as many.
const maxObservations = 500

// ReadObservations reads an observations file and checks it against the circuit. The error
// names the line.
func ReadObservations(b []byte, c *harness.Circuit) ([]Observation, error) {
	if len(b) > harness.MaxBytes {
		return nil, fmt.Errorf("observations: the file is larger than %d KiB", harness.MaxBytes>>10)
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(b, &doc); err != nil {
		return nil, fmt.Errorf("observations: %s", strings.TrimPrefix(err.Error(), "yaml: "))
	}
	if doc.Kind == 0 {
		return nil, nil
	}
	list := doc.Content[0]
	if list.Kind != yaml.SequenceNode {
		return nil, fmt.Errorf("observations: line %d: the file is a list, each line as in \"- {state: low, fans: {M1: stopped}}\"", list.Line)
	}
	if len(list.Content) > maxObservations {
		return nil, fmt.Errorf("observations: more than %d", maxObservations)
	}
	var all []Observation
	for _, n := range list.Content {
		o, err := readObservation(n)
		if err == nil {
			_, err = o.Check(c)
		}
		if err != nil {
			return nil, fmt.Errorf("observations: line %d: %w", n.Line, err)
		}
		all = append(all, o)
	}
	return all, nil
}

func readObservation(n *yaml.Node) (Observation, error) {
	var o Observation
	if n.Kind != yaml.MappingNode {
		return o, fmt.Errorf("an observation is as in {state: low, volts: 12.3, at: K3.30}")
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, v := n.Content[i].Value, n.Content[i+1]
		var err error
		switch key {
		case "state":
			o.State = v.Value
		case "at":
			o.At = v.Value
		case "from":
			o.From = v.Value
		case "setup":
			err = v.Decode(&o.Setup)
		case "fans":
			err = v.Decode(&o.Fans)
		case "volts":
			var r Reading
			r, err = ParseVolts(v.Value)
			o.Volts = &r
		default:
			return o, fmt.Errorf("there is no key %q here (state, setup, fans, volts, at, from)", key)
		}
		if err != nil {
			return o, fmt.Errorf("%s: %s", key, strings.TrimPrefix(err.Error(), "yaml: "))
		}
	}
	return o, nil
}
