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
	made := 0
	for _, volts := range []int{12, 24} {
		for _, fans := range []int{1, 2} {
			for _, low := range family.Lows {
				for _, by := range family.Switchers {
					for _, amps := range []float64{7, 16, 28} {
						a := family.Answers{Title: "Pump: rear", Volts: volts, Fans: fans, Amps: amps, Low: low, Switched: by}
						if a.Check() != nil {
							continue
						}
						made++
						t.Run(fmt.Sprintf("%d V, %d, %s, %s, %g A", volts, fans, low, by, amps), func(t *testing.T) { runs(t, a) })
					}
				}
			}
		}
	}
	assert.Equal(t, 2*3*(1*(4+3)+1*(6+5)), made) // one fan: four lows by a controller, three by a switch; two fans: six and five
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
			assert.NotContains(t, []string{"short", "buzzes", "stalled", "backwards"}, w.Kind, w.Text)
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
