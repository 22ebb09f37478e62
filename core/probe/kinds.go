package probe

import (
	"slices"

	"ironthread/core/electric"
)

// kinds is every kind there is, in the order in which an observation is held against them: ohms before
// volts, for a relay on the bench gives ohms.
var kinds = []Kind{
	look{}, ohms{}, volts{}, amps{}, lamp{}, led{}, click{}, codes{},
	buzzer{}, turned, looked, wiggled,
}

// Of is the kind of that name; nil for a name that is none.
func Of(do Do) Kind {
	for _, k := range kinds {
		if k.Do() == do {
			return k
		}
	}
	return nil
}

// Kinds lists every kind there is.
func Kinds() []Kind { return slices.Clone(kinds) }

// Kind is the kind of a test.
func (t Test) Kind() Kind { return Of(t.Do) }

// Instrument is what a test lays on the circuit; false for a test without one.
func (t Test) Instrument() (electric.Instrument, bool) {
	if laid, ok := t.Kind().(interface {
		instrument(t Test) electric.Instrument
	}); ok {
		return laid.instrument(t), true
	}
	return "", false
}
