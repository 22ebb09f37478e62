package probe_test

import (
	"encoding/json"
	"math"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/library"
)

func circuit(t *testing.T) *harness.Circuit {
	t.Helper()
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	return e.Circuit
}

func TestReadingsAsPeopleTypeThem(t *testing.T) {
	for typed, want := range map[string]float64{
		"12.3": 12.3, "12,3": 12.3, " 12.3 V ": 12.3, "12,3V": 12.3, "250 mV": 0.25, "-0.2": -0.2, "−6,1 v": -6.1, "0": 0, "12 volts": 12,
	} {
		r, err := probe.InVolts.Parse(typed)
		require.NoError(t, err, typed)
		assert.InDelta(t, want, r.Figure, 1e-12, typed)
		assert.False(t, r.Open)
	}
	for _, typed := range []string{"OL", "ol", "O.L", " open "} {
		r, err := probe.InVolts.Parse(typed)
		require.NoError(t, err)
		assert.True(t, r.Open)
	}
	for _, typed := range []string{"", "12,,3 V", "12.3.4", "twelve", "1,234.5", "NaN", "1e400", "999", "12 A"} {
		_, err := probe.InVolts.Parse(typed)
		require.Error(t, err, typed)
		assert.NotContains(t, err.Error(), "\n")
	}
}

func TestReadingsSurviveTheLog(t *testing.T) {
	for _, r := range []probe.Reading{{Figure: 12.34}, {Open: true}, {Figure: -0.5}} {
		b, err := json.Marshal(r)
		require.NoError(t, err)
		var back probe.Reading
		require.NoError(t, json.Unmarshal(b, &back))
		assert.Equal(t, r, back)
	}
}

func TestObservationsFile(t *testing.T) {
	c := circuit(t)
	seen, err := probe.ReadObservations([]byte(`
- {state: low,  fans: {M1: stopped, M2: running}}
- {state: low,  setup: [K1 out], volts: "12,5", at: K1.30}
- {state: high, volts: 0.3, at: F1.a, from: K1.30}
`), c)
	require.NoError(t, err)
	require.Len(t, seen, 3)
	assert.Equal(t, "low: M1 stopped, M2 running", seen[0].String())
	assert.Equal(t, "low: 12.5 V at K1.30 (K1 out)", seen[1].String())
	assert.Equal(t, "high: 0.3 V at F1.a from K1.30", seen[2].String())

	for text, want := range map[string]string{
		"- {state: low, volts: 12, at: K9.30}":                  "line 1: K9.30: there is no part K9",
		"- {state: lo, volts: 12, at: K1.30}":                   `line 1: there is no state "lo" in this harness (off, low, high)`,
		"\n- {state: low, fans: {M9: stopped}}":                 "line 2: there is no part M9",
		"- {state: low, fans: {K1: stopped}}":                   "K1 is a relay, not a fan",
		"- {state: low, fans: {M1: dancing}}":                   `a fan cannot be "dancing"`,
		"- {state: low, volt: 12}":                              `there is no key "volt" here`,
		"- {state: low}":                                        "an observation is one of fans, volts",
		"- {state: low, volts: 12}":                             "volts need at",
		"- {state: low, volts: 12, at: K1.30'}":                 "read at the cavity; write K1.30",
		"- {state: low, setup: [K9 out], volts: 12, at: K1.30}": "there is no part K9",
		"- {state: low, setup: {a: b}, volts: 12, at: K1.30}":   "setup: ",
		"state: low": "the file is a list",
		"- [":        "observations: ",
	} {
		_, err := probe.ReadObservations([]byte(text), c)
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), want)
	}
}

func TestTestsOffered(t *testing.T) {
	c := circuit(t)
	tests := probe.Tests(c, nil)
	seen := map[string]bool{}
	for _, x := range tests {
		key := string(x.Do) + x.State.Name + probe.SetupKey(x.Setup) + x.At.String() + x.From.String()
		assert.False(t, seen[key], "%s twice", key)
		seen[key] = true
	}
	assert.True(t, seen["fanshigh"+""+"."+"."] || seen["fanshigh"], "a look at high")
	assert.True(t, seen["voltslowK1 outK1.30"])
	assert.False(t, seen["voltslowK1 outM1.+"], "a relay is pulled for its own socket")
	assert.True(t, seen["voltslowK3.30K3.87a"], "the drop over the rest contact")
	assert.False(t, seen["voltslowBAT.-"], "the black lead is there")
}

func TestMinutes(t *testing.T) {
	c := circuit(t)
	low := c.State("low")
	out := []electric.Action{{Verb: electric.Out, Part: "K1"}}
	at := harness.ParsePin("K1.30")
	socket := probe.Test{Do: probe.Volts, State: low, Setup: out, At: at}
	behind := probe.Test{Do: probe.Volts, State: low, At: at}
	assert.Less(t, socket.Minutes(c, low, nil), behind.Minutes(c, low, nil), "pulling the relay beats back-probing")
	assert.Greater(t, socket.Minutes(c, nil, nil), socket.Minutes(c, low, nil), "a command takes time")
	assert.InDelta(t, 2, probe.SetupMinutes(nil, []electric.Action{{Verb: electric.Unplugged, Part: "M1"}}), 1e-9)
	c.Part("K1").Access = 12
	assert.Greater(t, socket.Minutes(c, low, nil), 12.0)
}

func TestLasting(t *testing.T) {
	c := circuit(t)
	setup, err := electric.ParseSetup(c, []string{"K1 out", "F3 renewed", "M1 unplugged", "swapped K1 K2"})
	require.NoError(t, err)
	assert.Equal(t, []string{"F3 renewed", "swapped K1 K2"}, probe.SetupWords(probe.Lasting(setup)))
}

func TestObservationsOfEveryKind(t *testing.T) {
	c := circuit(t)
	all, err := probe.ReadObservations([]byte(`
- {state: low, lamp: dim, at: M1.+, with: heavy}
- {state: low, led: lights, at: ECU.61}
- {state: high, amps: 31.5, at: F1.b, zeroed: true}
- {state: off, setup: [BAT apart, M2 unplugged], ohms: open, at: F3.b, from: M2.+, leads: 0.3}
- {state: off, setup: [BAT apart], ohms: 0.7, at: F3.b, from: M2.+, leads: 0.3}
- {bench: K3, ohms: 88, between: [86, 85]}
- {bench: K3, ohms: 0.1, between: [30, 87], energised: true}
- {state: low, relay: K1, felt: click}
- {codes: []}
- {codes: [P0480]}
- {turned: M1, found: drags, setup: [M1 unplugged]}
- {looked: K3, found: corrosion}
- {wiggled: K3, found: steady}
- {unreachable: true, volts: null, at: F3.a}
`), c)
	require.NoError(t, err)
	want := []string{
		"low: heavy lamp dim at M1.+", "low: LED lights at ECU.61", "high: 31.5 A at F1.b", "off: OL at F3.b from M2.+ (BAT apart, M2 unplugged)",
		"off: 0.4 Ω at F3.b from M2.+ (BAT apart)", "K3 on the bench: 88 Ω between 86 and 85",
		"K3 on the bench: 0.1 Ω between 30 and 87, energised",
		"low: K1: click", "no codes", "codes P0480", "M1 by hand: drags (M1 unplugged)", "K3 looked at: corrosion", "K3 wiggled: steady",
		"F3.a cannot be reached",
	}
	require.Len(t, all, len(want))
	keys := map[string]string{}
	for i := range all {
		assert.Equal(t, want[i], all[i].String())
		made, err := all[i].Test(c)
		require.NoError(t, err)
		if other, twice := keys[made.Key()]; twice && !strings.Contains(want[i], "codes") {
			t.Errorf("%s and %s are one test", want[i], other)
		}
		keys[made.Key()] = want[i]
		b, err := json.Marshal(all[i])
		require.NoError(t, err)
		var back probe.Observation
		require.NoError(t, json.Unmarshal(b, &back))
		assert.Equal(t, all[i].String(), back.String())
	}
	assert.InDelta(t, 0.4, all[4].Reading().Figure, 1e-12, "the leads' own ohms are taken off")
	for text, want := range map[string]string{
		"- {state: low, lamp: red, at: M1.+}":                               "the answer cannot be",
		"- {state: low, lamp: dim}":                                         "need at",
		"- {state: low, ohms: 3, at: M1.+}":                                 "ohms need from",
		"- {state: low, amps: 3, at: G1}":                                   "a clamp goes round a wire",
		"- {bench: M1, ohms: 3, between: [a, b]}":                           "has no pin",
		"- {bench: ECU, ohms: 3, between: [61, 62]}":                        "is not measured out of the car",
		"- {bench: F1, ohms: 3, between: [a, b], energised: true}":          "only a relay is energised",
		"- {looked: K1, found: blown}":                                      "the answer cannot be",
		"- {state: low, engine: humming, volts: 3, at: K1.30}":              "engine is one of off, running, cranking",
		"- {bench: K1, ohms: 3, between: [30]}":                             "two of its pins",
		"- {relay: K1, felt: click, state: low, codes: []}":                 "here are 2",
		"- {turned: K1, found: free}":                                       "is a relay, not a motor",
		"- {looked: K9, found: clean}":                                      "there is no part K9",
		"- {state: low, volts: 3, at: K1.30'}":                              "read at the cavity",
		"- {state: low, fans: {M1: cycling}}\n- {state: low, smelt: burnt}": `no key "smelt"`,
	} {
		_, err := probe.ReadObservations([]byte(text), c)
		assert.ErrorContains(t, err, want, text)
	}
}

func TestKitsAndSchools(t *testing.T) {
	c := circuit(t)
	jumper, err := electric.ParseSetup(c, []string{"K1 out", "jumper K1.30 K1.87"})
	require.NoError(t, err)
	bridge := probe.Test{Do: probe.LookAtFans, State: c.States[1], Setup: jumper}
	assert.True(t, probe.Kit{}.Can(bridge))
	assert.False(t, probe.Kit{NoJumper: true}.Can(bridge))
	assert.Equal(t, []string{"fused lead"}, bridge.Tools())
	assert.False(t, probe.Kit{Scan: probe.NoTool}.Can(probe.Test{Do: probe.TroubleCodes}))
	assert.False(t, probe.Kit{NoClamp: true}.Can(probe.Test{Do: probe.Amps}))
	fuse := probe.Test{Do: probe.Volts, State: c.States[1], At: harness.Pin{Part: "F3", Name: "a"}}
	assert.Less(t, probe.FuseFirst.Weight(c, fuse), probe.PlainBest.Weight(c, fuse))
	assert.InDelta(t, 1, probe.SocketFirst.Weight(c, fuse), 0)
	swap, ok := probe.Neighbour(c, nil, "K2")
	require.True(t, ok)
	assert.Equal(t, "swapped K1 K2", swap.String())
	_, ok = probe.Neighbour(c, nil, "K3")
	assert.False(t, ok, "no other changeover relay is like it")
	_, ok = probe.Neighbour(c, []electric.Action{swap}, "K1")
	assert.False(t, ok, "it has changed places already")
	lamps := probe.WithoutMeter([]probe.Test{fuse, bridge}, probe.Kit{NoMeter: true})
	assert.Len(t, lamps, 2, "a lamp or an LED in the meter's place; a look needs none")
}

// Ohms as meters and colour codes spell them: mega is not milli, and a letter may stand for the point.
func TestOhmsKeepTheirPrefix(t *testing.T) {
	for typed, want := range map[string]float64{
		"2.2 MΩ": 2.2e6, "2.2M": 2.2e6, "2.2 Mohm": 2.2e6, "2M2": 2.2e6, "2.2 mΩ": 0.0022, "2k2": 2200, "2.2k": 2200,
		"2,2 kΩ": 2200, "4R7": 4.7,
		"0.4": 0.4, "85 ohms": 85, "470 mΩ": 0.47, "2.2 MEG": 2.2e6,
	} {
		r, err := probe.InOhms.Parse(typed)
		require.NoError(t, err, typed)
		assert.InEpsilon(t, want, r.Figure, 1e-12, typed)
	}
	for _, typed := range []string{"2k2k", "k2", "2.k2", "4R7k", "Ω", "1e9", "0x10", "2 GΩ", "12 V"} {
		_, err := probe.InOhms.Parse(typed)
		require.Error(t, err, typed)
	}
	long, err := probe.InOhms.Parse(strings.Repeat("9k", 5000))
	require.Error(t, err)
	assert.Zero(t, long)
	assert.Less(t, len(err.Error()), 300, "what is refused is not repeated at length")
}

func TestMeterShowsItsRange(t *testing.T) {
	assert.Zero(t, probe.Meter(math.NaN()), "a floating pin")
	assert.InDelta(t, probe.MaxVolts, probe.Meter(1e9), 0)
	assert.InDelta(t, -6.2, probe.Meter(-6.2), 0)
}

// Whatever text an observation carries is bounded, in the question and in every shape of an answer (the judge is the type itself:
// no list of fields is kept by hand).
func TestEveryTextOfAnObservationIsBounded(t *testing.T) {
	long := strings.Repeat("x", 5000)
	seen := 0
	for at := range reflect.TypeFor[probe.Question]().NumField() {
		var o probe.Observation
		switch f := reflect.ValueOf(&o.Question).Elem().Field(at); f.Kind() {
		case reflect.String:
			f.SetString(long)
		case reflect.Slice:
			f.Set(reflect.ValueOf([]string{long}))
		default:
			t.Fatalf("%s is of a type that is not bounded", reflect.TypeFor[probe.Question]().Field(at).Name)
		}
		seen++
		assert.Error(t, o.Sound(), reflect.TypeFor[probe.Question]().Field(at).Name)
	}
	assert.Greater(t, seen, 6)
	for _, answer := range []probe.Answer{probe.Word(long), probe.Fans{"M1": long}, probe.Fans{long: "fast"}, probe.Codes{long},
		probe.InVolts.Shows(61), probe.InOhms.Shows(math.NaN()), make(probe.Codes, 200)} {
		assert.Error(t, probe.Observation{Answer: answer}.Sound(), "%T", answer)
	}
}

// What an earlier version has written is read for what it was.
func TestObservationsOfEarlierVersions(t *testing.T) {
	c := circuit(t)
	for written, want := range map[string]string{
		`{"state":"low","engine":"running","volts":12.3,"at":"K1.30"}`:                   "low: 12.3 V at K1.30 (engine running)",
		`{"state":"low","setup":["engine off"],"engine":"running","fans":{"M1":"slow"}}`: "low: M1 slow (engine running)",
		`{"state":"low","coolant":95.5,"key":"on","fans":{"M1":"slow"}}`:                 "low: M1 slow (key on, coolant 95.5)",
		`{"ohms":88,"bench":"K3","between":["86","85"],"nulled":true}`:                   "K3 on the bench: 88 Ω between 86 and 85",
		`{"ohms":0.1,"bench":"K3","between":["30","87"],"energised":true}`:               "K3 on the bench: 0.1 Ω between 30 and 87, energised",
		`{"buzz":"beeps","bench":"F1","between":["a","b"]}`:                              "F1 on the bench: buzzer beeps between a and b",

		`{"ohms":0.4,"at":"F3.b","from":"M2.+","leads":0.3,"setup":["BAT apart"],"state":"off"}`: "off: 0.4 Ω at F3.b from M2.+ (BAT apart)",
		`{"ohms":"OL","at":"F3.b","from":"M2.+"}`:                                                "OL at F3.b from M2.+",
		`{"at":"F3.a","unreachable":true}`:                                                       "F3.a cannot be reached",
		`{"relay":"K1","felt":"click","state":"low"}`:                                            "low: K1: click",
		`{"codes":["P0480"],"state":"off"}`:                                                      "off: codes P0480",
		`{"amps":-3.5,"at":"F1.b","zeroed":true,"state":"high"}`:                                 "high: -3.5 A at F1.b",
	} {
		var o probe.Observation
		require.NoError(t, json.Unmarshal([]byte(written), &o), written)
		assert.Equal(t, want, o.String())
		_, err := o.Test(c)
		require.NoError(t, err, written)
		b, err := json.Marshal(o)
		require.NoError(t, err)
		var again probe.Observation
		require.NoError(t, json.Unmarshal(b, &again), "%s", b)
		assert.Equal(t, o, again, "%s", b)
	}
	var g probe.Good
	for written, want := range map[string]string{`{"volts":6.2}`: "6.2 V", `{"floats":true}`: "nothing (floating)", `{"ohms":"OL"}`: "open",
		`{"word":"none"}`: "no codes", `{"fans":{"M1":"slow","M2":"fast"}}`: "M1 slow, M2 fast", `{}`: ""} {
		g = probe.Good{}
		require.NoError(t, json.Unmarshal([]byte(written), &g))
		assert.Equal(t, want, g.String())
		b, err := json.Marshal(g)
		require.NoError(t, err)
		assert.JSONEq(t, written, string(b))
	}
}
