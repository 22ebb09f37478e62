package probe

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// ReadObservations reads an observations file and checks it against the circuit. The error
// names the line.
func ReadObservations(b []byte, c *harness.Circuit) ([]Observation, error) {
	if len(b) > harness.MaxBytes {
		return nil, fmt.Errorf("observations: the file is larger than %d KiB", harness.MaxBytes>>10)
	}
	doc, err := harness.OneDocument(b)
	if err != nil {
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
		if err == nil && o.Direct != nil {
			err = o.fedDirectly(c)
		}
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
	given, keys := map[string]bool{}, o.keys()
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, v := n.Content[i].Value, n.Content[i+1]
		if given[key] {
			return o, fmt.Errorf("%q is given twice", harness.Clipped(key, maxKey))
		}
		given[key] = true
		bind := keys[key]
		if bind == nil {
			known := strings.Join(slices.Sorted(maps.Keys(keys)), ", ")
			return o, fmt.Errorf("there is no key %q here (%s)", harness.Clipped(key, maxKey), known)
		}
		if err := bind(v); err != nil {
			return o, fmt.Errorf("%s: %s", key, strings.TrimPrefix(err.Error(), "yaml: "))
		}
	}
	if o.Leads > 0 && o.Ohms != nil && !o.Ohms.Open {
		// The display still had the leads in it; a meter shows no millionths.
		o.Ohms.Figure = math.Round(max(0, o.Ohms.Figure-o.Leads)*1e6) / 1e6
	}
	return o, nil
}

// directWords are what a motor does with fused power on it, and what a look at it calls that.
var directWords = map[string]string{"runs": Running, "slow": string(electric.Slow), "nothing": string(electric.Stopped)}

// fedDirectly makes of "bench: M1, direct: [L, C], found: runs" a look at the fan with battery packs on it.
func (o *Observation) fedDirectly(c *harness.Circuit) error {
	part, word := c.Part(o.Bench), directWords[o.Found]
	switch {
	case part == nil || part.Kind() != harness.KindMotor:
		return fmt.Errorf("direct: %q is no motor of this circuit", harness.Clipped(o.Bench, maxKey))
	case len(o.Direct) == 0 || len(o.Direct)%2 != 0:
		return fmt.Errorf("direct is pairs of pins, plus and minus, as in [L, C]")
	case word == "":
		return fmt.Errorf("found: a motor fed directly cannot be %q (runs, slow, nothing)", harness.Clipped(o.Found, maxKey))
	}
	if o.State == "" {
		o.State = c.States[0].Name
	}
	if unplugged := part.Name + " " + string(electric.Unplugged); !slices.Contains(o.Setup, unplugged) {
		o.Setup = append(o.Setup, unplugged)
	}
	for k := 0; k < len(o.Direct); k += 2 {
		o.Setup = append(o.Setup, Direct(part.Name, o.Direct[k], o.Direct[k+1]).String())
	}
	o.Fans = map[string]string{part.Name: word}
	o.Bench, o.Found, o.Direct = "", "", nil
	return nil
}

// keys says where each key of the file goes: those that every kind shares, and each kind's own.
func (o *Observation) keys() map[string]func(*yaml.Node) error {
	all := map[string]func(*yaml.Node) error{
		"state": wordAt(&o.State), "engine": wordAt(&o.Engine), "key": wordAt(&o.Key), "ac": wordAt(&o.AC), "setup": bounded(&o.Setup),
		"coolant": bounded(&o.Coolant), "pressure": bounded(&o.Pressure), "speed": bounded(&o.Speed),
		"at": wordAt(&o.At), "from": wordAt(&o.From), "with": wordAt(&o.With),
		"direct": bounded(&o.Direct), "unreachable": bounded(&o.Unreachable), "leads": leadsAt(o),
		"nulled": bounded(&o.Nulled), "zeroed": bounded(&o.Zeroed),
	}
	for _, k := range kinds {
		maps.Copy(all, k.keys(o))
	}
	return all
}
