package shorthand_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/shorthand"
	"ironthread/library"
)

func twin(t testing.TB) *harness.Circuit {
	t.Helper()
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	return e.Circuit
}

const examples = "k2 87 12.1, f1 blown, m1 stuck, k1 out"

// What people say of a car, as they say it.
func TestWhatPeopleSay(t *testing.T) {
	c := twin(t)
	for line, want := range map[string]string{
		"k2 87 12.1":                  "low: 12.1 V at K2.87",
		"K2.87 12,1 V":                "low: 12.1 V at K2.87",
		"12.1v at k2 87":              "low: 12.1 V at K2.87",
		"high: k2 pin 87 0.3 v":       "high: 0.3 V at K2.87",
		"nearside fan plus 6.1":       "low: 6.1 V at M1.+",
		"fuse 3 a 12.2":               "low: 12.2 V at F3.a",
		"f3 a f3 b 250 mV":            "low: 0.25 V at F3.a from F3.b",
		"m1 14.5 a":                   "low: 14.5 A at M1.+",
		"k1 86 k1 85 88 ohm":          "low: 88 Ω at K1.86 from K1.85 (BAT apart)",
		"f3 a f3 b beeps":             "low: buzzer beeps at F3.a from F3.b (BAT apart)",
		"f3 a f3 b no beep":           "low: buzzer silent at F3.a from F3.b (BAT apart)",
		"lamp k1 30 bright":           "low: lamp bright at K1.30",
		"heavy lamp k1 30 dim":        "low: heavy lamp dim at K1.30",
		"relay k1 clicks":             "low: K1: click",
		"k1 no click":                 "low: K1: nothing",
		"low: m1 slow, m2 stopped":    "low: M1 slow, M2 stopped",
		"high m1 m2 fast":             "high: M1 fast, M2 fast",
		"nearside fan dead":           "low: M1 stopped",
		"m1 stuck":                    "off: M1 by hand: stuck (M1 unplugged)",
		"f1 blown":                    "low: F1 looked at: blown",
		"fuse 1 looks whole":          "low: F1 looked at: looks whole",
		"k3 corroded":                 "low: K3 looked at: corrosion",
		"wire k1 87 - m1 plus melted": "low: wire K1.87 - M1.+ looked at: melted",
		"pin m1.- backed out":         "low: pin M1.- looked at: backed out",
		"m1 changes":                  "low: M1 wiggled: changes",
		"codes none":                  "low: no codes",
		"k1 61 °c":                    "low: 61 °C at K1",
		"relay k1 142 f":              "low: 61 °C at K1",
		"k1 61c":                      "low: 61 °C at K1",
		"p0480 p0481":                 "low: codes P0480, P0481",
		"ground 1 0.1":                "low: 0.1 V at G1",
		"k1 out":                      "did K1 out",
		"K1 out, jumper K1.30 K1.87":  "did K1 out; jumper K1.30 K1.87",
		"k1 out; jumper k1 30 k1 87":  "did K1 out; jumper K1.30 K1.87",
		"nearside fan unplugged":      "did M1 unplugged",
		"fuse 3 replaced":             "did F3 renewed",
		"bonnet box cleaned, engine running": "did F1 cleaned; F2 cleaned; F3 cleaned; F4 cleaned; K1 cleaned; K2 cleaned; K3 cleaned; " +
			"engine running",
		"k2 12.1":                 "! say which terminal of K2: 86, 85, 30, 87",
		"k9 87 12.1":              "! there is no part K9 in this circuit",
		"f1 purple":               "! of F1 one may say clean, blown, looks whole, heat, corrosion, or give a figure at a terminal",
		"":                        "! say what was seen or done, as in " + examples,
		"fast":                    "! say which fan, as in m1 fast",
		"k2 87 12.1 13":           "! it is not clear what \"13\" says here; nothing was recorded",
		"f1 hardly blown":         "! it is not clear what \"hardly\" says here; nothing was recorded",
		"k2 87 maybe 12.1 v":      "! it is not clear what \"maybe\" says here; nothing was recorded",
		"m1 almost slow":          "! it is not clear what \"almost\" says here; nothing was recorded",
		"f1 not blown":            "! say what was seen, not what was not: in place of not blown, looks whole",
		"m1 not stuck":            "! say what was seen, not what was not: in place of not blown, looks whole",
		"m1 not slow":             "! say what was seen, not what was not: in place of not blown, looks whole",
		"k1 slow":                 "! K1 is no fan that could be slow",
		"lamp k1 30":              "! say what the lamp did: off, dim, bright",
		"codes":                   "! say the codes, as in P0480, or codes none",
		strings.Repeat("k1 ", 80): "! a line has at most 60 words",
		"good morning":            "! it is not clear what \"good morning\" says; say a place and what was seen there, as in " + examples,
	} {
		said, err := shorthand.Read(c, line, c.State("low"), nil)
		var got string
		switch {
		case err != nil:
			got = "! " + err.Error()
		case said.Seen != nil:
			got = said.Seen.String()
			_, err := said.Seen.Test(c)
			assert.NoError(t, err, line)
		default:
			var list []string
			for _, a := range said.Done {
				list = append(list, a.String())
			}
			got = "did " + strings.Join(list, "; ")
		}
		assert.Equal(t, want, got, "%q", line)
	}
}

// Printed numbers are as good as the standard's, on a circuit of its own.
func TestPrintedNumbers(t *testing.T) {
	text := strings.Replace(string(mustOpen(t, "f1-one-relay").Text), "kind: relay,", "kind: relay, pins: {30: 3, 87: 5, 86: 2, 85: 1},", 1)
	c, err := harness.Read([]byte(text))
	require.NoError(t, err)
	relay := c.OfKind(harness.KindRelay)[0].Name
	said, err := shorthand.Read(c, strings.ToLower(relay)+" 5 12.1", c.States[0], nil)
	require.NoError(t, err)
	assert.Equal(t, relay+".87", said.Seen.At)
}

func mustOpen(t testing.TB, name string) library.Entry {
	t.Helper()
	e, err := library.Open(name)
	require.NoError(t, err)
	return e
}

// Whatever words stand in a line, in whatever order: it is read or refused with one sentence, and nothing panics.
func TestAnyWordsAreReadOrRefused(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	c := twin(t)
	words := strings.Fields("k1 k2.87 87 30 m1 + - plus f3 a b wire pin fuse fan relay 3 12.1 0.3v 14 a ohm ol lamp bright dim off beeps " +
		"silent click no codes p0480 stuck blown melted slow fast stopped low: high , ; to out jumper feed engine running cleaned " +
		"replaced bat apart k9 π")
	rng := rand.New(rand.NewPCG(4, 2))
	read := 0
	for range 40000 {
		var line []string
		for range 1 + rng.IntN(4) {
			line = append(line, words[rng.IntN(len(words))])
		}
		said, err := shorthand.Read(c, strings.Join(line, " "), c.State("low"), nil)
		if err != nil {
			assert.NotContains(t, err.Error(), "\n")
			continue
		}
		read++
		if said.Seen != nil {
			_, err := said.Seen.Test(c)
			assert.NoError(t, err, "%q", line)
		}
	}
	assert.Greater(t, read, 500)
}
