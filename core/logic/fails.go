package logic

import (
	"fmt"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// What one output for two stages means when something of it fails: a line that is open, an output that is dead or held on, the
// relay between. Two fans hang on one wire then, and which way they fall is the point of choosing its polarity.

// Failure is one thing wrong about a tied output, with what the fans do on a cold and on a hot engine.
type Failure struct {
	What      string
	Cold, Hot map[string]string
	NoCooling bool // on the hot engine nothing turns that should
	RunsOn    bool // on the cold engine something turns that should not
}

// Fails tries each single fault of the output, of its line and of the relay between, of a circuit made by [Tie].
func Fails(m *electric.Model, output harness.Pin) ([]Failure, error) {
	do := func(n *electric.Network, coolant float64) map[string]string {
		s := base(m)
		s.Coolant = &coolant
		n.Restore()
		n.Enter(s)
		return fansOf(n, s)
	}
	well, err := m.Network(nil, nil)
	if err != nil {
		return nil, fmt.Errorf("logic: %w", err)
	}
	shouldRest, shouldRun := do(well, cold), do(well, hot)
	list := []Failure{{What: "nothing wrong", Cold: shouldRest, Hot: shouldRun}}
	for _, s := range fault.All(m.Circuit) {
		if !about(s.Fault, output) {
			continue
		}
		n, err := m.Network(nil, []fault.Fault{s.Fault})
		if err != nil {
			continue // such a fault cannot be here
		}
		f := Failure{What: s.Fault.String(), Cold: do(n, cold), Hot: do(n, hot), NoCooling: true}
		for fan, word := range f.Hot {
			if word != string(electric.Stopped) || shouldRun[fan] == string(electric.Stopped) {
				f.NoCooling = false
			}
		}
		for fan, word := range f.Cold {
			f.RunsOn = f.RunsOn || word != string(electric.Stopped) && shouldRest[fan] == string(electric.Stopped)
		}
		list = append(list, f)
	}
	return list, nil
}

// about tells whether a fault is of the output itself, of a wire at it, or of the relay that stands between.
func about(f fault.Fault, output harness.Pin) bool {
	return f.On == fault.OnRole && f.Pin == output || f.On == fault.OnPin && f.Pin == output ||
		f.On == fault.OnWire && (f.Wire[0] == output || f.Wire[1] == output) || slices.Contains(f.Parts(), tieName)
}

// fansOf is what each fan does as a network stands in a state.
func fansOf(n *electric.Network, s *harness.State) map[string]string {
	fans := map[string]string{}
	for name, x := range n.Point(s).Motors {
		fans[name] = string(x.Speed)
	}
	return fans
}
