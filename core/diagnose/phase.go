package diagnose

import (
	"slices"

	"ironthread/core/electric"
)

// phase is a car between two repairs: what has been renewed on it so far. Each repair makes
// another car of it: what was read before holds for the old one only.
type phase struct {
	repairs []electric.Action
}

func phaseOf(setup []electric.Action) phase {
	var ph phase
	for _, a := range setup {
		if a.Verb == electric.Renewed || a.Verb == electric.RenewedUsed {
			ph.repairs = append(ph.repairs, a)
		}
	}
	return ph
}

// untouched tells whether nothing has been renewed yet.
func (ph phase) untouched() bool { return len(ph.repairs) == 0 }

func (ph phase) words() []string {
	var words []string
	for _, a := range ph.repairs {
		words = append(words, a.String())
	}
	return words
}

// holds tells whether what was done in a set-up was done to the car as it is now.
func (ph phase) holds(setup []electric.Action) bool {
	return slices.Equal(phaseOf(setup).repairs, ph.repairs)
}
