package family_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/family"
	"ironthread/core/harness"
)

// Every set of answers that goes together makes a circuit that does what it is asked: low is
// slow, high is fast, nothing blows, nothing buzzes.
func TestEveryAnswer(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	made := 0
	for _, volts := range []int{12, 24} {
		for _, fans := range []int{1, 2} {
			for _, low := range family.Lows {
				for _, by := range family.Switchers {
					for _, amps := range []float64{7, 16, 28} {
						for k, a := range []family.Answers{{}, {NoLink: true, GroundRelay: true}, {Inverted: true}, {Sources: true}} {
							a.Title, a.Volts, a.Fans, a.Amps, a.Low, a.Switched = "Pump: rear", volts, fans, amps, low, by
							if a.Check() != nil {
								continue
							}
							made++
							t.Run(fmt.Sprintf("%d V, %d, %s, %s, %g A, %d", volts, fans, low, by, amps, k), func(t *testing.T) { runs(t, a) })
						}
					}
				}
			}
		}
	}
	assert.Greater(t, made, 200)
}

func runs(t *testing.T, a family.Answers) {
	text, err := family.Write(a)
	require.NoError(t, err)
	c, err := harness.Read([]byte(text))
	require.NoError(t, err, text)
	assert.Equal(t, a.Title, c.Title)
	assert.Len(t, c.Fans(), a.Fans)
	m, err := electric.New(c)
	require.NoError(t, err)
	last := len(c.States) - 1
	for k, s := range c.States {
		p, err := m.Solve(electric.Condition{State: s})
		require.NoError(t, err)
		require.True(t, p.Settled, s.Name)
		for _, w := range p.Warnings {
			assert.NotContains(t, []string{"short", "buzzes", "stalled", "backwards", "contact", "reversed", "diode", "parked"}, w.Kind, w.Text)
		}
		for name, f := range p.Fuses {
			assert.False(t, f.Open, "%s blows in %s", name, s.Name)
		}
		for n, fan := range c.Fans() {
			want := electric.Slow
			switch {
			case k == 0, a.Low == family.Staged && k == 1 && n == 1:
				want = electric.Stopped
			case k == last, a.Low == family.Staged:
				want = electric.Fast
			}
			assert.Equal(t, want, p.Motors[fan.Name].Speed, "%s in %s\n%s", fan.Name, s.Name, text)
		}
	}
}

func TestAnswersThatDoNotGoTogether(t *testing.T) {
	good := family.Answers{Volts: 12, Fans: 2, Amps: 15, Low: family.Series, Switched: family.Controller}
	require.NoError(t, good.Check())
	for want, change := range map[string]func(*family.Answers){
		"12 or 24 volts":       func(a *family.Answers) { a.Volts = 6 },
		"one fan or two":       func(a *family.Answers) { a.Fans = 3 },
		"a fan takes":          func(a *family.Answers) { a.Amps = 0 },
		"no way to make low":   func(a *family.Answers) { a.Low = "magic" },
		"does not switch fans": func(a *family.Answers) { a.Switched = "nobody" },
		"needs two fans":       func(a *family.Answers) { a.Fans = 1 },
		"told its speed":       func(a *family.Answers) { a.Low, a.Switched = family.Module, family.Thermoswitch },
	} {
		a := good
		change(&a)
		_, err := family.Write(a)
		assert.ErrorContains(t, err, want)
	}
}

// A large fan has a relay that carries it, and the file says so; what a rest contact cannot carry is refused.
func TestALargeFan(t *testing.T) {
	a := family.Answers{Volts: 12, Fans: 1, Amps: 60, Low: family.FullOnly, Switched: family.Controller}
	text, err := family.Write(a)
	require.NoError(t, err)
	assert.Contains(t, text, "60 A are too much for a usual relay of 40 A: a relay of 100 A is drawn.")
	assert.Contains(t, text, "make: 100")
	a.Inverted = true
	_, err = family.Write(a)
	assert.ErrorContains(t, err, "60 A is too much for it")
}

// An inverted line fails safe, and stops with the key.
func TestAnInvertedLine(t *testing.T) {
	text, err := family.Write(family.Answers{Volts: 12, Fans: 1, Amps: 14, Low: family.Resistor, Switched: family.Controller, Inverted: true})
	require.NoError(t, err)
	c, err := harness.Read([]byte(text))
	require.NoError(t, err)
	m, err := electric.New(c)
	require.NoError(t, err)
	speed := func(state, setup string) electric.Speed {
		var done []electric.Action
		if setup != "" {
			done, err = electric.ParseSetup(c, []string{setup})
			require.NoError(t, err)
		}
		p, err := m.Solve(electric.Condition{State: c.State(state), Setup: done})
		require.NoError(t, err)
		return p.Motors["M1"].Speed
	}
	assert.Equal(t, electric.Stopped, speed("off", ""))
	assert.Equal(t, electric.Slow, speed("off", "ECU unplugged"), "with the line open the fan runs")
	assert.Equal(t, electric.Stopped, speed("off", "key off"), "a parked vehicle's does not")
}
