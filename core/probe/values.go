package probe

import (
	"fmt"
	"slices"

	"go.yaml.in/yaml/v3"
)

// What reads one value of the file into its place.

// bounded reads anything that has not too many entries.
func bounded(at any) func(*yaml.Node) error {
	return func(v *yaml.Node) error {
		if len(v.Content) > 2*maxListed {
			return fmt.Errorf("%d entries are more than the %d that it may have", len(v.Content), maxListed)
		}
		return v.Decode(at)
	}
}

func wordAt(at *string) func(*yaml.Node) error {
	return func(v *yaml.Node) error {
		if v.Kind != yaml.ScalarNode {
			return fmt.Errorf("a word is expected here")
		}
		*at = v.Value
		return nil
	}
}

// leadsAt reads what a meter's leads add: ohms, or that they are nulled.
func leadsAt(o *Observation) func(*yaml.Node) error {
	return func(v *yaml.Node) error {
		if v.Value == nulled {
			o.Nulled = true
			return nil
		}
		r, err := InOhms.Parse(v.Value)
		if err == nil && (r.Open || r.Figure < 0 || r.Figure > mostLeads) {
			err = fmt.Errorf("two leads have from 0 to %d Ω", mostLeads)
		}
		o.Leads = r.Figure
		return err
	}
}

// ohmsAt reads an ohmmeter's figure, or what its buzzer did.
func ohmsAt(o *Observation) func(*yaml.Node) error {
	figure := figureOf(InOhms, &o.Ohms)
	return func(v *yaml.Node) error {
		if slices.Contains(buzzWords, v.Value) {
			o.Buzz = v.Value
			return nil
		}
		return figure(v)
	}
}

func figureOf(u Unit, at **Reading) func(*yaml.Node) error {
	return func(v *yaml.Node) error {
		if v.Tag == "!!null" {
			return nil
		}
		r, err := u.Parse(v.Value)
		*at = &r
		return err
	}
}
