package electric_test

import (
	"math"
	"testing"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/library"
	"ironthread/library/librarytest"
)

// Whatever circuit the reader accepts can be solved in every state, healthy and with a fault in it: figures
// that are finite, and no panic.
func FuzzCircuits(f *testing.F) {
	entries, err := library.All()
	if err != nil {
		f.Fatal(err)
	}
	for k := range entries {
		f.Add(uint8(k), []byte{})
		f.Add(uint8(k), []byte{3, 0, 4, 20, 5, 9, 77, 3, 1})
	}
	f.Fuzz(func(t *testing.T, which uint8, changes []byte) {
		file := librarytest.Mutate(entries[int(which)%len(entries)].Text, changes)
		c, err := harness.Read(file)
		if err != nil {
			return
		}
		m, err := electric.New(c)
		if err != nil {
			return
		}
		faults := fault.All(c)
		for n, s := range c.States {
			cond := electric.Condition{State: s}
			if len(faults) > 0 && len(changes) > 0 {
				cond.Faults = []fault.Fault{faults[(int(changes[0])*31+n)%len(faults)].Fault}
			}
			p, err := m.Solve(cond)
			if err != nil {
				t.Fatalf("%s in %s: %v\n%s", cond.Faults, s.Name, err, file)
			}
			for pin, v := range p.Pins {
				if v != nil && (math.IsNaN(*v) || math.IsInf(*v, 0)) {
					t.Fatalf("%s reads %g in %s with %v\n%s", pin, *v, s.Name, cond.Faults, file)
				}
			}
		}
	})
}
