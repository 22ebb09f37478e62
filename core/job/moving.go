package job

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/harness"
)

// Moving says what a job would lose and gain by going by another circuit: what is gone and what is new,
// and how many of its entries would count no longer.
func Moving(now, c *harness.Circuit, entries []Entry) string {
	var list []string
	say := func(what string, names []string) {
		if len(names) > 0 {
			list = append(list, fmt.Sprintf("%s %s", what, strings.Join(names, ", ")))
		}
	}
	say("parts gone:", missing(partsOf(now), partsOf(c)))
	say("parts new:", missing(partsOf(c), partsOf(now)))
	say("wires gone:", missing(wiresOf(now), wiresOf(c)))
	say("wires new:", missing(wiresOf(c), wiresOf(now)))
	say("states gone:", missing(statesOf(now), statesOf(c)))
	if len(list) == 0 {
		list = append(list, "the same parts and wires, with other settings")
	}
	before, after := Fold(now, entries), Fold(c, entries)
	if lost := len(before.Seen) - len(after.Seen); lost > 0 {
		list = append(list, fmt.Sprintf("%d of %d readings would no longer count", lost, len(before.Seen)))
	}
	if lost := len(before.Ledger) - len(after.Ledger); lost > 0 {
		list = append(list, fmt.Sprintf("%d entries of the ledger would no longer hold", lost))
	}
	return strings.Join(list, "; ")
}

func partsOf(c *harness.Circuit) []string {
	var names []string
	for _, p := range c.Parts {
		names = append(names, p.Name)
	}
	return names
}

func wiresOf(c *harness.Circuit) []string {
	var names []string
	for _, w := range c.Wires {
		names = append(names, w.String())
	}
	return names
}

func statesOf(c *harness.Circuit) []string {
	var names []string
	for _, s := range c.States {
		names = append(names, s.Name)
	}
	return names
}

// missing lists what is in one list and not in the other.
func missing(one, other []string) []string {
	return slices.DeleteFunc(slices.Clone(one), func(s string) bool { return slices.Contains(other, s) })
}
