package diagnose

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
)

// Repairs is what mends a fault on a car as it is set up: the part renewed, the wire or the terminal
// mended, and with a short the fuse that it has blown, which is renewed with it. It is empty where the
// set-up has mended the fault already.
func (g *Guide) Repairs(setup []electric.Action, f fault.Fault) []electric.Action {
	mend := electric.RepairIn(setup, f)
	if mend.Verb == "" || slices.Contains(setup, mend) {
		return nil
	}
	list := []electric.Action{mend}
	for _, fuse := range g.blownBy(f) {
		list = append(list, electric.Action{Verb: electric.Renewed, Part: fuse})
	}
	return list
}
