package probe

import (
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// placeFold is how many times as long a part takes to get at by its place.
func placeFold(at string) float64 {
	for _, p := range hardPlaces {
		if strings.Contains(strings.ToLower(at), p.word) {
			return p.fold
		}
	}
	return 1
}

// reach prices getting a lead onto a pin.
func (t Test) reach(c *harness.Circuit, pin harness.Pin) float64 {
	part := c.Part(pin.Part)
	if part.Access > 0 {
		return part.Access
	}
	minutes := part.Traits().Reach * placeFold(part.At)
	out := slices.Contains(t.Setup, electric.Action{Verb: electric.Out, Part: part.Name})
	if part.Kind() == harness.KindRelay && !out {
		minutes += minutesBackside
	}
	return minutes
}

// SetupMinutes prices going from one set-up to another.
func SetupMinutes(from, to []electric.Action) float64 {
	minutes := 0.0
	price := func(a, b []electric.Action) {
		for _, action := range a {
			if slices.Contains(b, action) {
				continue
			}
			switch {
			case action.Verb == electric.Out:
				minutes += minutesRelay
			case action.Verb == electric.Swapped:
				minutes += minutesSwap
			case action.Verb == electric.Replaced:
				minutes += minutesStandIn
			case action.Detaches():
				minutes += minutesPlug
			default:
				minutes += minutesLead
			}
		}
	}
	price(from, to)
	price(to, from)
	return minutes
}
