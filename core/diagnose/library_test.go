package diagnose

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/library"
	"ironthread/soak"
)

// everyGuide gives a guide for each circuit of the library.
func everyGuide(t *testing.T) map[string]*Guide {
	t.Helper()
	entries, err := library.All()
	require.NoError(t, err)
	var all []string
	for _, e := range entries {
		all = append(all, e.Name)
	}
	guides := map[string]*Guide{}
	for _, name := range soak.Of([]string{"f3-twin-series-parallel", "f6-resistor-card", "f7-discrete-module", "f8-pwm-module"}, all) {
		guides[name] = Shared(t, name)
	}
	return guides
}

// The proof of every fault of every circuit asks for readings that can be taken: pins that
// exist, in set-ups that can be, in a state where the fault shows.
func TestEveryProofCanBeMade(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for name, g := range everyGuide(t) {
		for i, s := range g.suspects {
			if s.Fault.Words == "" {
				continue
			}
			list := g.proving(t, nil, Now{}).lacking(i)
			if len(demandsOf(g.circuit, s.Fault)) > 0 {
				require.NotEmpty(t, list, "%s: %s is proven by nothing", name, s.Name)
			}
			for _, l := range list {
				assert.NotEmpty(t, l.text)
				assert.NotNil(t, l.test.State, "%s: %s: %s", name, s.Name, l.text)
				_, err := g.model.Network(l.test.Setup, nil)
				require.NoError(t, err, "%s: %s: %s", name, s.Name, l.text)
				if l.test.At.Part != "" {
					_, err := g.circuit.FindPin(l.test.At.String())
					require.NoError(t, err, "%s: %s", name, s.Name)
				}
			}
		}
	}
}

// A motor is never condemned on its feed alone, a relay never on its coil alone, a fuse never on
// one side, a wire never at one end; a controller never with its outputs unread.
func TestWhatAProofAsksFor(t *testing.T) {
	g := Shared(t, "f3-twin-series-parallel")
	pins := func(words string) string {
		f, err := fault.Parse(g.circuit, words)
		require.NoError(t, err)
		var list []string
		for _, d := range demandsOf(g.circuit, f) {
			list = append(list, d.pin.String())
		}
		return strings.Join(list, " ")
	}
	assert.Equal(t, "M1.+ M1.-", pins("M1 worn"))
	assert.Equal(t, "K1.86 K1.85 K1.30 K1.87", pins("K1 make contact open"))
	assert.Equal(t, "K3.86 K3.85 K3.30 K3.87a", pins("K3 rest contact burnt"))
	assert.Equal(t, "F3.a F3.b", pins("F3 open"))
	assert.Equal(t, "K1.87 M1.+", pins("wire K1.87 - M1.+ open"))
	assert.Contains(t, pins("ECU dead"), "ECU.61")
	assert.Contains(t, pins("ECU dead"), "ECU.5")
	assert.Contains(t, pins("ECU.62 dead"), "ECU.62")
	module := Shared(t, "f7-discrete-module")
	f, err := fault.Parse(module.circuit, "FM no power")
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(demandsOf(module.circuit, f)), 7, "feed, ground, every input, every output")
}

// The first look of every circuit tells something, and no look contradicts a healthy car.
func TestAHealthyCarSurprisesNobody(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for name, g := range everyGuide(t) {
		var seen []probe.Observation
		for _, s := range g.circuit.States {
			p, err := g.model.Solve(electric.Condition{State: s})
			require.NoError(t, err)
			looked := probe.Fans{}
			for _, fan := range g.fans {
				looked[fan] = string(p.Motors[fan].Speed)
			}
			seen = append(seen, probe.Seen(s.Name, looked))
		}
		a, err := g.Assess(t.Context(), seen, Now{})
		require.NoError(t, err)
		assert.Empty(t, a.Surprising, name)
		assert.Empty(t, a.Pairs, name)
		require.NotEmpty(t, a.Suspects)
		assert.Equal(t, NoFault, a.Suspects[0].Fault, "%s: %v", name, a.Suspects[0])
		assert.Greater(t, a.Suspects[0].Probability, 0.3, name)
	}
}

// What is forecast for an instrument is what measuring on the same car shows: on the car as
// drawn the healthy words and figures of every test around every part are those of Measure.
func TestHealthyWordsAreThoseOfTheCar(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for name, g := range everyGuide(t) {
		for _, p := range g.circuit.Parts {
			for _, test := range probe.Around(g.circuit, nil, p) {
				healthy := g.Healthy(test)
				good := healthy.String()
				require.NotEmpty(t, good, "%s: %s", name, test.Key())
				if test.Do != probe.Ohms {
					continue
				}
				x, err := g.model.Instrument(test.Setup, nil, electric.Ohmmeter, test.At, test.From)
				require.NoError(t, err)
				ohms := x.Shows(test.State)
				assert.Equal(t, probe.FormatOhms(ohms), good, "%s: %s", name, test.Key())
				if relay, ok := p.Spec.(*harness.Relay); ok && test.At.Name == "86" && relay.Suppression == "" && relay.CoilOhms > 0 {
					assert.InEpsilon(t, relay.CoilOhms, ohms, 0.01, "%s: the coil's own ohms", name)
				}
			}
		}
	}
}

// Ohms and volts are spelled as a meter shows them.
func TestFormats(t *testing.T) {
	for ohms, want := range map[float64]string{0: "0.0 Ω", 0.44: "0.44 Ω", 0.35: "0.35 Ω", 0.4: "0.4 Ω", 9.96: "10.0 Ω", 85: "85 Ω",
		2200: "2.2 kΩ", 4.7e6: "4.7 MΩ",
		9e7: "open"} {
		assert.Equal(t, want, probe.FormatOhms(ohms))
	}
	assert.Equal(t, "open", probe.FormatOhms(math.Inf(1)))
	assert.Equal(t, "open", probe.FormatOhms(math.NaN()))
	assert.Equal(t, "-6.2 V", probe.FormatVolts(-6.21))
	assert.Equal(t, "0.0 V", probe.FormatVolts(-0.04), "nought has no sign")
	assert.Equal(t, "0.0 A", probe.FormatAmps(-0.02))
}

// Every suspect of every circuit has a kind, and kinds do not carry a part's name.
func TestKindsOfFaults(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for name, g := range everyGuide(t) {
		for _, s := range g.suspects {
			if s.Fault.Words == "" {
				continue
			}
			kind := KindOf(g.circuit, s.Fault)
			require.NotEmpty(t, kind, "%s: %s", name, s.Name)
			for _, p := range g.circuit.Parts {
				assert.NotContains(t, strings.Fields(kind), p.Name, "%s: %s", name, s.Name)
			}
		}
		sum := 0.0
		for _, p := range g.Priors(Experience{"fuse open": 3, "wire resists": 4}) {
			sum += p.Now
		}
		assert.InDelta(t, 1-priorNothing-priorUnknown, sum, 1e-9, name)
	}
}
