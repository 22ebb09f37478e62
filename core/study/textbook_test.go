package study

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/library"
)

// The textbook's order is that of the trade: looks before fuses, fuses before sockets, sockets
// before motors, modules late, drops last.
func TestTheTextbooksOrder(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	c := e.Circuit
	place := textbook(c)
	out, err := electric.ParseSetup(c, []string{"K1 out"})
	require.NoError(t, err)
	at := func(pin string, setup ...electric.Action) probe.Test {
		return probe.Test{Do: probe.Volts, State: c.States[1], At: harness.ParsePin(pin), Setup: setup}
	}
	drop := at("K1.87")
	drop.From = harness.ParsePin("M1.+")
	order := []probe.Test{
		{Do: probe.TroubleCodes, State: c.States[0]}, {Do: probe.LookAtFans, State: c.States[1]}, at("F1.a"), at("K1.30", out...), at("K1.30"),
		{Do: probe.Relay, State: c.States[1], Part: "K1"}, at("M1.+"), at("G1"), at("ECU.61"), drop,
	}
	for k := 1; k < len(order); k++ {
		assert.Less(t, place(order[k-1]), place(order[k]), "%s before %s", order[k-1].Key(), order[k].Key())
	}
}
