package probe_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/probe"
	"ironthread/library"
	"ironthread/library/librarytest"
)

// Whatever is typed into an observations file is either read, and then says the same again when
// written and read once more, or refused with a sentence.
func FuzzObservations(f *testing.F) {
	e, err := library.Open("f3-twin-series-parallel")
	if err != nil {
		f.Fatal(err)
	}
	for _, seed := range []string{
		"- {state: low, volts: 12.3, at: K3.30}", "- {state: low, setup: [K1 out], volts: OL, at: K1.30}",
		"- {bench: K3, ohms: 88, between: [86, 85]}",
		"- {codes: [P0480]}", "- {state: low, fans: {M1: stopped, M2: cycling}}", "- {unreachable: true, at: F3.a}",
		"- {state: low, lamp: dim, at: M1.+, with: heavy}",
		"- {state: high, setup: [swapped K1 K2, M1 unplugged], amps: -3, at: F1.b}", "[", "- {volts: {a: b}}", "- {setup: 3}", "- &a [*a]",
		"- {ohms: 1e400, at: x}",
		"- {turned: M1, found: free}\n- {looked: F3, found: heat}", "- {state: low, volts: .nan, at: F3.a}",
		"- {between: [a, b, c], bench: K1, ohms: 1}",
	} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		all, err := probe.ReadObservations([]byte(text), e.Circuit)
		if err != nil {
			assert.NotEmpty(t, err.Error())
			assert.Less(t, len(err.Error()), 2000)
			return
		}
		for i := range all {
			test, err := all[i].Test(e.Circuit)
			assert.NoError(t, err, "what was read can be tested")
			assert.NotEmpty(t, all[i].String())
			assert.Positive(t, test.Minutes(e.Circuit, nil, nil))
			_ = test.Key()
		}
	})
}

// Whatever is typed as a reading is a finite figure within the meter's range, or refused.
func FuzzReadings(f *testing.F) {
	for _, seed := range []string{"12.3", "12,3 V", "OL", "−0.2", "1e309", "0x10", "  ", "2.2k", "1..2", "mV", "-", "∞", "NaN",
		"2.2 MΩ", "2M2", "4R7", "2k2", "470 mΩ", "0L", "1,5 kohm", "3meg", "5 µA", "1e3"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, u := range []probe.Unit{probe.InVolts, probe.InAmps, probe.InOhms} {
			r, err := u.Parse(text)
			if err != nil || r.Open {
				continue
			}
			assert.LessOrEqual(t, r.Figure, u.Most)
			assert.GreaterOrEqual(t, r.Figure, -u.Most)
			again, err := u.Parse(r.String())
			assert.NoError(t, err)
			assert.InDelta(t, r.Figure, again.Figure, 1e-9)
		}
	})
}

// Whatever is typed as a set-up is one that spells itself the same way, or refused.
func FuzzSetups(f *testing.F) {
	e, err := library.Open("m2-three-relay-two-winding")
	if err != nil {
		f.Fatal(err)
	}
	for _, seed := range []string{
		"K1 out", "M2 unplugged", "jumper K1.30 K1.87", "ground K1.85", "feed M1.+", "pack M1.+' M1.-'", "sensor CT replaced 200",
		"swapped K1 K3",
		"wire BAT.+ - F1.a renewed", "pin M1.- renewed", "K1 renewed used", "cleaned K1", "K1 cleaned", "jumper K1.30 K1.30", "out",
		"sensor CT replaced -1", "K1' out",
	} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		a, err := electric.ParseAction(e.Circuit, text)
		if err != nil {
			return
		}
		again, err := electric.ParseAction(e.Circuit, a.String())
		assert.NoError(t, err, text)
		assert.Equal(t, a, again, "a set-up spells itself")
	})
}

// Millions of changed readings, set-ups and observations: nothing panics, and what is refused is refused in a sentence.
func TestManyReadings(t *testing.T) {
	librarytest.Many(t, [][]byte{[]byte("12.3"), []byte("12,3 V"), []byte("OL"), []byte("2.2 MΩ"), []byte("4R7"), []byte("1e3"),
		[]byte("-0.2")},
		func(b []byte) {
			for _, u := range []probe.Unit{probe.InVolts, probe.InAmps, probe.InOhms} {
				if r, err := u.Parse(string(b)); err == nil && !r.Open && !(r.Figure <= u.Most && r.Figure >= -u.Most) {
					t.Errorf("%q reads %g", b, r.Figure)
				}
			}
		})
}

func TestManySetups(t *testing.T) {
	e, err := library.Open("m2-three-relay-two-winding")
	require.NoError(t, err)
	librarytest.Many(t, [][]byte{[]byte("K1 out"), []byte("jumper K1.30 K1.87"), []byte("sensor CT replaced 200"), []byte("swapped K1 K3"),
		[]byte("wire BAT.+ - F1.a renewed"), []byte("pin M1.- renewed"), []byte("pack M1.+' M1.-'")}, func(b []byte) {
		if a, err := electric.ParseAction(e.Circuit, string(b)); err == nil {
			if again, err := electric.ParseAction(e.Circuit, a.String()); err != nil || again != a {
				t.Errorf("%q spells itself %q: %v", b, a, err)
			}
		}
	})
}

func TestManyObservations(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	librarytest.Many(t, [][]byte{[]byte("- {state: low, volts: 12.3, at: K3.30}"), []byte("- {state: low, setup: [K1 out], volts: OL, " +
		"at: K1.30}"),
		[]byte("- {bench: K3, ohms: 88, between: [86, 85]}"), []byte("- {codes: [P0480]}"),
		[]byte("- {state: low, fans: {M1: stopped, M2: cycling}}"), []byte("- {turned: M1, found: free}"),
		[]byte("- {state: high, setup: [swapped K1 K2, M1 unplugged], amps: -3, at: F1.b}")}, func(b []byte) {
		all, err := probe.ReadObservations(b, e.Circuit)
		if err != nil && (err.Error() == "" || len(err.Error()) > 2000) {
			t.Errorf("%q: %v", b, err)
		}
		for i := range all {
			if _, err := all[i].Test(e.Circuit); err != nil {
				t.Errorf("%q was read and cannot be tested: %v", b, err)
			}
		}
	})
}
