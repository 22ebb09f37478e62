package probe

import (
	"fmt"
	"math"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/harness"
)

// maxObservations bounds a file; no job has as many.
const maxObservations = 5000

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

// Bounds of one observation.
const (
	maxKey    = 40
	maxListed = 64
	mostLeads = 10 // ohms
)

func readObservation(n *yaml.Node) (Observation, error) {
	var o Observation
	if n.Kind != yaml.MappingNode {
		return o, fmt.Errorf("an observation is as in {state: low, volts: 12.3, at: K3.30}")
	}
	given := map[string]bool{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, v := n.Content[i].Value, n.Content[i+1]
		if given[key] {
			return o, fmt.Errorf("%q is given twice", harness.Clipped(key, maxKey))
		}
		given[key] = true
		bind := o.bindings()[key]
		if bind == nil {
			return o, fmt.Errorf("there is no key %q here (state, setup, fans, volts, amps, ohms, lamp, led, at, from, with, relay, felt, codes, bench, between, energised, turned, looked, wiggled, found, unreachable, leads, zeroed)", harness.Clipped(key, maxKey))
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

// bindings says where each key of the file goes.
func (o *Observation) bindings() map[string]func(*yaml.Node) error {
	decode := func(at any) func(*yaml.Node) error {
		return func(v *yaml.Node) error {
			if len(v.Content) > 2*maxListed {
				return fmt.Errorf("%d entries are more than the %d that it may have", len(v.Content), maxListed)
			}
			return v.Decode(at)
		}
	}
	word := func(at *string) func(*yaml.Node) error {
		return func(v *yaml.Node) error {
			if v.Kind != yaml.ScalarNode {
				return fmt.Errorf("a word is expected here")
			}
			*at = v.Value
			return nil
		}
	}
	ohms := func(at *float64) func(*yaml.Node) error {
		return func(v *yaml.Node) error {
			r, err := InOhms.Parse(v.Value)
			if err == nil && (r.Open || r.Figure < 0 || r.Figure > mostLeads) {
				err = fmt.Errorf("two leads have from 0 to %d Ω", mostLeads)
			}
			*at = r.Figure
			return err
		}
	}
	figure := func(u Unit, at **Reading) func(*yaml.Node) error {
		return func(v *yaml.Node) error {
			if v.Tag == "!!null" {
				return nil
			}
			r, err := u.Parse(v.Value)
			*at = &r
			return err
		}
	}
	return map[string]func(*yaml.Node) error{
		"state": word(&o.State), "at": word(&o.At), "from": word(&o.From), "with": word(&o.With),
		"setup": decode(&o.Setup), "fans": decode(&o.Fans),
		"volts": figure(InVolts, &o.Volts), "amps": figure(InAmps, &o.Amps), "ohms": figure(InOhms, &o.Ohms),
		"lamp": word(&o.Lamp), "led": word(&o.LED), "relay": word(&o.Relay), "felt": word(&o.Felt),
		"codes": func(v *yaml.Node) error { o.Codes = &[]string{}; return v.Decode(o.Codes) },
		"bench": word(&o.Bench), "between": decode(&o.Between), "energised": decode(&o.Energised),
		"turned": word(&o.Turned), "looked": word(&o.Looked), "wiggled": word(&o.Wiggled), "found": word(&o.Found),
		"unreachable": decode(&o.Unreachable), "leads": ohms(&o.Leads), "zeroed": decode(&o.Zeroed),
	}
}
