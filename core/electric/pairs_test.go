package electric_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/library"
)

// setups gives set-ups that technicians make around a part, the plain one first.
func setups(c *harness.Circuit, part *harness.Part) [][]electric.Action {
	list := [][]electric.Action{nil}
	for _, t := range probe.Around(c, nil, part) {
		list = append(list, t.Setup)
	}
	if verb := electric.DetachVerb(part.Kind()); verb != "" && part.Kind() != harness.KindBattery {
		list = append(list, []electric.Action{{Verb: verb, Part: part.Name}})
	}
	return list
}

// TestTwoFaultsAndSetupsAgreeWithNgspice compares seeded pairs of faults, in set-ups with relays
// out, swapped, bridged and motors on a battery pack, with the outside judge.
func TestTwoFaultsAndSetupsAgreeWithNgspice(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	const pairs = 36 // a circuit
	entries, err := library.All()
	require.NoError(t, err)
	var worst difference
	runs := 0
	for k, e := range entries {
		m, err := electric.New(e.Circuit)
		require.NoError(t, err)
		rng := rand.New(rand.NewPCG(uint64(k), 0xFA))
		all := fault.All(e.Circuit)
		for range pairs {
			two := []fault.Fault{all[rng.IntN(len(all))].Fault, all[rng.IntN(len(all))].Fault}
			around := setups(e.Circuit, e.Circuit.Parts[rng.IntN(len(e.Circuit.Parts))])
			setup := around[rng.IntN(len(around))]
			n, err := m.Network(setup, two)
			if err != nil {
				continue // such a pair cannot be in one car
			}
			for _, s := range e.Circuit.States {
				n.Rest()
				n.Enter(s)
			}
			s := e.Circuit.States[rng.IntN(len(e.Circuit.States))]
			n.Rest()
			n.Enter(s)
			if p := n.Point(s); !p.Settled {
				continue // chatter has no operating point
			}
			name := e.Name + ", " + two[0].String() + " , " + two[1].String() + " , " + s.Name
			for _, p := range e.Circuit.OfKind(harness.KindRelay) { // swapped coils are judged by their volts alone
				if len(setup) > 0 {
					name += ", " + p.Name + " "
				}
			}
			d := &deck{} // one at a time: the judge finds its way through each more surely than through all at once
			d.add(t, name, n, s)
			d.compare(t, e.Circuit, d.run(t), &worst)
			runs++
		}
	}
	t.Logf("%d operating points, %d figures; largest difference %.3g V (%s), %.3g of a current (%s)",
		runs, worst.compared, worst.volts, worst.wherePin, worst.share, worst.wAt)
	require.Greater(t, runs, 300)
}

// What an instrument shows on a network that is tuned and asked again and again is what one
// measurement on a fresh one shows.
func TestAnInstrumentShowsWhatIsMeasured(t *testing.T) {
	m := loadModel(t, twin)
	c := m.Circuit
	f, err := fault.Parse(c, "wire F1.b - K1.30 resists 2")
	require.NoError(t, err)
	for _, instrument := range []electric.Instrument{electric.Voltmeter, electric.Lamp, electric.HeavyLamp, electric.LEDTester} {
		x, err := m.Instrument(nil, []fault.Fault{f}, instrument, harness.ParsePin("K1.30"), harness.Pin{})
		require.NoError(t, err)
		for range 2 {
			for _, s := range c.States {
				q := electric.Measurement{Instrument: instrument, At: harness.ParsePin("K1.30"),
					Condition: electric.Condition{State: s, Faults: []fault.Fault{f}}}
				once, err := m.Measure(q)
				require.NoError(t, err)
				require.NotNil(t, once.Figure)
				assert.InDelta(t, *once.Figure, x.Shows(s), 1e-6, "%s in %s", instrument, s.Name)
			}
		}
	}
}

// A repair takes just its fault away, and a part that has changed places takes its own along.
func TestWhichRepairMendsWhat(t *testing.T) {
	m := loadModel(t, twin)
	parse := func(words string) fault.Fault {
		f, err := fault.Parse(m.Circuit, words)
		require.NoError(t, err)
		return f
	}
	setup := func(words ...string) []electric.Action {
		s, err := electric.ParseSetup(m.Circuit, words)
		require.NoError(t, err)
		return s
	}
	for words, want := range map[string]string{
		"F3 open": "F3 renewed", "K1 make contact burnt": "K1 renewed", "pin M1.- open": "pin M1.- renewed",
		"wire K1.87 - M1.+ open": "wire K1.87 - M1.+ renewed", "ECU.61 dead": "ECU renewed",
		"wires K1.85 - ECU.61 and K2.85 - ECU.62 crossed": "wire K1.85 - ECU.61 renewed",
	} {
		f := parse(words)
		a := electric.RepairOf(f)
		assert.Equal(t, want, a.String())
		assert.True(t, a.Mends(f), words)
		assert.Empty(t, electric.RepairIn([]electric.Action{a}, f).Verb, "nothing left to mend")
		assert.False(t, a.Mends(parse("F1 open")))
	}
	coil := parse("K1 coil open")
	assert.Equal(t, "K2 renewed", electric.RepairIn(setup("swapped K1 K2"), coil).String(), "the relay is in the other socket now")
	assert.Equal(t, "K1 renewed", electric.RepairIn(setup("K2 renewed", "K3 out"), coil).String())
	assert.True(t, setup("swapped K1 K2")[0].Lasts())
	assert.False(t, setup("K1 out")[0].Lasts())
	healthy, err := m.Solve(electric.Condition{State: m.Circuit.State("low")})
	require.NoError(t, err)
	mended, err := m.Solve(electric.Condition{State: m.Circuit.State("low"), Setup: setup("wire K1.87 - M1.+ renewed"),
		Faults: []fault.Fault{parse("wire K1.87 - M1.+ open")}})
	require.NoError(t, err)
	assert.InDelta(t, healthy.Motors["M1"].RPM, mended.Motors["M1"].RPM, 1e-6)
}
