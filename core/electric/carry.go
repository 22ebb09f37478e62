package electric

import (
	"slices"

	"ironthread/core/harness"
)

// What has blown stays blown through all that follows on the same car, until it is renewed; and
// it may blow again. A network knows only its own set-up, so what has blown is handed from one
// network to the next as a word of bits, one a fuse: first the fuses of the circuit in the order
// of its parts (a relay's built-in fuse is one of them), then those of leads put on by hand.

// Carry takes what has blown from one set-up to the next: a fuse that has been renewed since is
// whole, two that have changed places took their state along, and a lead put on anew has a whole
// fuse of its own. A part renewed twice stands in a set-up twice.
func (m *Model) Carry(blown uint64, from, to []Action) uint64 {
	if blown == 0 {
		return 0
	}
	for i, part := range m.fused {
		if renewals(to, part) > renewals(from, part) {
			blown &^= 1 << i
		}
	}
	for _, a := range to {
		if a.Verb == Swapped && !slices.Contains(from, a) {
			blown = m.exchange(blown, a)
		}
	}
	for _, a := range from {
		if a.Verb == Swapped && !slices.Contains(to, a) { // and back again
			blown = m.exchange(blown, a)
		}
	}
	own := uint64(1)<<len(m.fused) - 1
	if !slices.Equal(leadsIn(from), leadsIn(to)) {
		blown &= own
	}
	return blown
}

// renewals counts how often a part has been renewed in a set-up.
func renewals(setup []Action, part string) int {
	n := 0
	for _, a := range setup {
		if a.Part == part && (a.Verb == Renewed || a.Verb == RenewedUsed) {
			n++
		}
	}
	return n
}

// exchange lets two parts' fuses change places.
func (m *Model) exchange(blown uint64, a Action) uint64 {
	i, j := slices.Index(m.fused, a.Part), slices.Index(m.fused, a.Other)
	if i < 0 || j < 0 || blown>>i&1 == blown>>j&1 {
		return blown
	}
	return blown ^ (1<<i | 1<<j)
}

func leadsIn(setup []Action) []Action {
	var leads []Action
	for _, a := range setup {
		if a.Verb == Jumper || a.Verb == GroundPin || a.Verb == Feed {
			leads = append(leads, a)
		}
	}
	return leads
}

// Fused lists the parts with a fuse in the order of the bits that say which has blown.
func (m *Model) Fused() []string { return m.fused }

// deadShort names what an action joins where that is the battery's two posts with nothing but
// wire between; empty where it is not.
func deadShort(c *harness.Circuit, a Action) string {
	var ends []harness.Pin
	post := map[string]bool{"+": false, "-": false}
	switch a.Verb {
	case Jumper:
		ends = []harness.Pin{a.From, a.To}
	case GroundPin:
		ends, post["-"] = []harness.Pin{a.From}, true
	case Feed:
		ends, post["+"] = []harness.Pin{a.From}, true
	default:
		return ""
	}
	for _, end := range ends {
		if at := hardAt(c, end); at != "" {
			post[at] = true
		}
	}
	if !post["+"] || !post["-"] {
		return ""
	}
	if len(ends) == 1 {
		return ends[0].String()
	}
	return ends[0].String() + " and " + ends[1].String()
}

// hardAt tells at which post of the battery a pin lies with nothing but wires and splices
// between: "+", "-", or neither. A chassis joint is the negative post.
func hardAt(c *harness.Circuit, pin harness.Pin) string {
	if pin.Inner {
		return ""
	}
	m := &Model{Circuit: c}
	post := ""
	here := func(at harness.Pin) bool {
		switch c.Part(at.Part).Kind() {
		case harness.KindBattery:
			post = at.Name
		case harness.KindGround:
			post = "-"
		}
		return post != ""
	}
	joins := func(kind harness.Kind) bool { return kind == harness.KindSplice }
	if !here(pin) {
		m.along(pin, joins, here)
	}
	return post
}
