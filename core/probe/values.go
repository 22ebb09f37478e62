package probe

import (
	"fmt"

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

func leadsAt(at *float64) func(*yaml.Node) error {
	return func(v *yaml.Node) error {
		r, err := InOhms.Parse(v.Value)
		if err == nil && (r.Open || r.Figure < 0 || r.Figure > mostLeads) {
			err = fmt.Errorf("two leads have from 0 to %d Ω", mostLeads)
		}
		*at = r.Figure
		return err
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
