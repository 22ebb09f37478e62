package probe

import (
	"fmt"
	"maps"
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
		o, err := readObservation(n, c)
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

func readObservation(n *yaml.Node, c *harness.Circuit) (Observation, error) {
	if n.Kind != yaml.MappingNode {
		return Observation{}, fmt.Errorf("an observation is as in {state: low, volts: 12.3, at: K3.30}")
	}
	known := knownKeys()
	for i := 0; i+1 < len(n.Content); i += 2 {
		if key := n.Content[i].Value; !slices.Contains(known, key) {
			return Observation{}, fmt.Errorf("there is no key %q here (%s)", harness.Clipped(key, maxKey), strings.Join(known, ", "))
		}
	}
	value, err := plain(n)
	if err != nil {
		return Observation{}, err
	}
	r := record(value.(map[string]any))
	if err := r.fedDirectly(c); err != nil {
		return Observation{}, err
	}
	return r.observation(true)
}

// knownKeys are those of the file: of every observation, and of each kind.
func knownKeys() []string {
	known := slices.Concat(shared, []string{"direct"})
	for _, k := range kinds {
		known = append(known, k.keys().answer, k.keys().part)
	}
	slices.Sort(known)
	return slices.DeleteFunc(slices.Compact(known), func(key string) bool { return key == "" })
}

// plain makes of a node lists, mappings, and text, true, false or nothing.
func plain(n *yaml.Node) (any, error) {
	if len(n.Content) > 2*maxListed {
		return nil, fmt.Errorf("%d entries are more than the %d that it may have", len(n.Content), maxListed)
	}
	switch n.Kind {
	case yaml.MappingNode:
		all := map[string]any{}
		for i := 0; i+1 < len(n.Content); i += 2 {
			key := n.Content[i].Value
			if _, twice := all[key]; twice {
				return nil, fmt.Errorf("%q is given twice", harness.Clipped(key, maxKey))
			}
			v, err := plain(n.Content[i+1])
			if err != nil {
				return nil, fmt.Errorf("%s: %w", harness.Clipped(key, maxKey), err)
			}
			all[key] = v
		}
		return all, nil
	case yaml.SequenceNode:
		list := []any{}
		for _, entry := range n.Content {
			v, err := plain(entry)
			if err != nil {
				return nil, err
			}
			list = append(list, v)
		}
		return list, nil
	case yaml.ScalarNode:
		var truth bool
		switch {
		case n.Tag == "!!null":
			return nil, nil
		case n.Tag == "!!bool" && n.Decode(&truth) == nil:
			return truth, nil
		}
		return n.Value, nil
	}
	return nil, fmt.Errorf("an alias means nothing here")
}

// directWords are what a motor does with fused power on it, and what a look at it calls that.
var directWords = map[string]string{"runs": Running, "slow": string(electric.Slow), "nothing": string(electric.Stopped)}

// fedDirectly makes of "bench: M1, direct: [L, C], found: runs" a look at the fan with battery packs on it.
func (r record) fedDirectly(c *harness.Circuit) error {
	if r["direct"] == nil {
		return nil
	}
	pins, err := r.list("direct")
	if err != nil {
		return err
	}
	setup, err := r.list("setup")
	if err != nil {
		return err
	}
	bench, found := r.text("bench"), r.text("found")
	part, word := c.Part(bench), directWords[found]
	switch {
	case part == nil || part.Kind() != harness.KindMotor:
		return fmt.Errorf("direct: %q is no motor of this circuit", harness.Clipped(bench, maxKey))
	case len(pins) == 0 || len(pins)%2 != 0:
		return fmt.Errorf("direct is pairs of pins, plus and minus, as in [L, C]")
	case word == "":
		return fmt.Errorf("found: a motor fed directly cannot be %q (runs, slow, nothing)", harness.Clipped(found, maxKey))
	}
	if r["state"] == nil {
		r["state"] = c.States[0].Name
	}
	if unplugged := part.Name + " " + string(electric.Unplugged); !slices.Contains(setup, unplugged) {
		setup = append(setup, unplugged)
	}
	for k := 0; k < len(pins); k += 2 {
		setup = append(setup, Direct(part.Name, pins[k], pins[k+1]).String())
	}
	r["setup"], r["fans"] = setup, map[string]any{part.Name: word}
	maps.DeleteFunc(r, func(key string, _ any) bool { return key == "bench" || key == "found" || key == "direct" })
	return nil
}
