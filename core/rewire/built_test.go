package rewire_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/rewire"
)

// As built: what came out otherwise stands in the circuit of record, beside who signed and what was measured; a figure that is not what
// was foretold is named, one within what a battery's charge makes is not; and a wire that its fuse does not protect is refused.
func TestAsBuilt(t *testing.T) {
	w, err := rewire.Read([]byte("plan: 1\nfans: [{name: l, amps: 14, half-volts: ok}, {name: r, amps: 14, half-volts: ok}]\n" +
		"requesters: [{name: a, gives: ground, asks: low}, {name: b, gives: ground, asks: high}]\n"))
	require.NoError(t, err)
	plan, err := rewire.Propose(t.Context(), w, nil)
	require.NoError(t, err)
	p := &plan.Proposals[0]
	require.Equal(t, rewire.Series, p.Family)
	built := &rewire.AsBuilt{By: "A. Wright", Date: "2026-11-30", Laid: map[string]rewire.Laid{"K2.87 - M2.+": {Metres: 9}},
		Measured: []rewire.Measured{{Do: "low: clamp", Foretold: "6.3 A", Showed: "6,6 A"},
			{Do: "high: clamp", Foretold: "31.0 A", Showed: "22 A"},
			{Do: "the fans", Foretold: "M1 slow", Showed: "both slow"}}}
	c, differs, err := p.Build(w, built)
	require.NoError(t, err)
	assert.InDelta(t, 9, c.Wire(harness.Pin{Part: "K2", Name: "87"}, harness.Pin{Part: "M2", Name: "+"}).Length.Metres(), 1e-9)
	assert.Contains(t, c.Notes, "As built, 2026-11-30, signed A. Wright.")
	assert.Contains(t, c.Notes, "Measured: low: clamp: 6,6 A (foretold: 6.3 A).")
	assert.Contains(t, differs, "K2.87 - M2.+ is 9 m long, and 1.1 were drawn")
	assert.Contains(t, differs, "high: clamp: it showed 22 A, and 31.0 A was foretold")
	assert.Len(t, differs, 3, "the longer wire loses more than was wished, which is said: %v", differs)
	assert.Regexp(t, `M2 loses 0\.\d\d V on its feed, and 0\.50? V`, differs[1])
	text, err := harness.Write(c)
	require.NoError(t, err)
	_, err = harness.Read(text)
	require.NoError(t, err)

	for name, x := range map[string]struct {
		laid rewire.Laid
		by   string
		why  string
	}{
		"K2.87 - M2.+": {rewire.Laid{MM2: 1.5}, "A. Wright", "put a smaller fuse before it"},
		"BAT.+ - F1.a": {rewire.Laid{Metres: 1.2}, "A. Wright", "lies before its fuse"},
		"M1.- - K3.30": {rewire.Laid{Metres: 40}, "A. Wright", "20 m are the most"},
		"M2.- - G1":    {rewire.Laid{}, " ", "signs with a name"},
	} {
		_, _, err := p.Build(w, &rewire.AsBuilt{By: x.by, Laid: map[string]rewire.Laid{name: x.laid}})
		assert.ErrorContains(t, err, x.why, name)
	}
}

// What is on the shelf is taken where it is no smaller and not much too large; what it holds too little of is bought, and a shelf of
// nonsense is refused.
func TestTheShelf(t *testing.T) {
	const wish = "plan: 1\nfans: [{name: l, amps: 14, half-volts: ok}]\nrequesters: [{name: a, gives: ground, asks: high}]\nspeeds: [high]\n"
	p := planned(t, wish+"shelf: {relays: [30, 150], fuses: [45, 3], wires: [3, 8, 30, 0.75]}\n").Proposals[0]
	c := p.Circuit
	assert.InDelta(t, 45, c.Part("F1").Spec.(*harness.Fuse).Amps, 1e-9)
	assert.InDelta(t, 150, c.Part("K1").Spec.(*harness.Relay).Make, 1e-9)
	sizes := map[float64]int{}
	for _, w := range c.Wires {
		if w.Size.Given() {
			sizes[w.Size.SquareMM()]++
		}
	}
	assert.Positive(t, sizes[0.75], "coil wires: %v", sizes)
	assert.LessOrEqual(t, sizes[0.5], 1, "but for the vehicle's own: %v", sizes)
	assert.Zero(t, sizes[30], "far too thick: %v", sizes)
	for text, why := range map[string]string{"shelf: {fuses: [-1]}": "no size that one keeps", "shelf: {wires: [.nan]}": "shelf"} {
		_, err := rewire.Read([]byte(wish + text + "\n"))
		assert.ErrorContains(t, err, why)
	}
}
