package jobs

import (
	"cmp"
	"net/url"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// A test of a technician's own choice, as the page's address names it.

// ownTest is the test a technician chose, from the page's address.
func ownTest(m *electric.Model, state *harness.State, ledger []electric.Action, q url.Values) (probe.Test, error) {
	c, do := m.Circuit, cmp.Or(q.Get("do"), string(probe.Volts))
	switch {
	case q.Get("as") == "move":
		asked := questionIn(q) // with a set-up of its own, all of it in the address
		asked.State = state.Name
		return asked.Test(c)
	case q.Get("look") != "":
		do = string(probe.LookAtFans)
	case q.Get("part") != "":
		return probe.OfPart(c, do, state, ledger, q.Get("part"))
	}
	t, err := probe.WithLeads(c, do, state, ledger, [2]string{q.Get("pin"), q.Get("from")})
	if err == nil && !t.Kind().InState() && t.At.Part != "" && m.NothingFeeds(ledger, t.At, t.From) {
		t.Setup = ledger // a pulled relay's socket, an open plug: there is nothing to be switched off
	}
	return t, err
}
