package trace

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// Truth is the table of a fan module: which pattern of its inputs gives what, and which states ask for it. Every row that
// has been seen to work proves the inputs of its pattern and the outputs that it drives.
type Truth struct {
	Module string
	Rows   []TruthRow
}

// TruthRow is one pattern.
type TruthRow struct {
	When   string   // the inputs that are pulled down: "a, b"; none is "none"
	Gives  string   // "o1 40 %"
	States []string // that ask for it in a healthy circuit
}

// Truths lists the tables of all fan modules of a circuit.
func Truths(m *electric.Model) ([]Truth, error) {
	var list []Truth
	for _, p := range m.Circuit.OfKind(harness.KindFanModule) {
		spec := p.Spec.(*harness.FanModule)
		t := Truth{Module: p.Name, Rows: []TruthRow{{When: "none", Gives: "off"}}}
		for _, row := range spec.Table {
			var gives []string
			for _, out := range spec.Outputs() {
				gives = append(gives, fmt.Sprintf("%s %.0f %%", out, 100*row.Drive[out]))
			}
			t.Rows = append(t.Rows, TruthRow{When: strings.Join(row.When, ", "), Gives: strings.Join(gives, ", ")})
		}
		for _, s := range m.Circuit.States {
			point, err := m.Solve(electric.Condition{State: s})
			if err != nil {
				return nil, err
			}
			for k := range t.Rows {
				if point.Modules[p.Name] == fmt.Sprintf("step %d", k) || k == 0 && point.Modules[p.Name] == "off" {
					t.Rows[k].States = append(t.Rows[k].States, s.Name)
				}
			}
		}
		list = append(list, t)
	}
	return list, nil
}

// Seen tells whether one of the states that ask for the row is among those named.
func (r TruthRow) Seen(states []string) bool {
	return slices.ContainsFunc(r.States, func(s string) bool { return slices.Contains(states, s) })
}
