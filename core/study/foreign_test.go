package study_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/study"
	"ironthread/soak"
)

// unnamed is what falls short: three shorts whose fuse is named (it has blown, and behind a module nothing tells by which wire), and
// one joint in a coil's ground, bad by just so many ohms that one of two feeds still pulls the relay: hardly any car that is foretold has
// just these, and a joint in the other feed is named.
var unnamed = map[string]string{
	"wire FM.o - FAN.+ grounded":                  "FW open",
	"wires FW.b - FM.30 and FX.b - FM.15 crossed": "FX open",
	"wires FM.31 - GB and FM.o - FAN.+ crossed":   "FW open",
	"wire RY.85 - GN resists":                     "wire DI.k - RY.86 resists",
}

// Circuits drawn by hand that are in no library, nothing of the guide was tuned on them: each works as drawn, and what is wrong with
// one is named on clean readings. In every run one fault of every third; in the soak all.
func TestCircuitsOfNoLibrary(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	files, err := filepath.Glob("testdata/foreign/*.harness.yaml")
	require.NoError(t, err)
	require.Len(t, files, 15)
	for k, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".harness.yaml"), func(t *testing.T) {
			text, err := os.ReadFile(file)
			require.NoError(t, err)
			c, err := harness.Read(text)
			require.NoError(t, err)
			m, err := electric.New(c)
			require.NoError(t, err)
			words := map[string]bool{}
			for _, s := range c.States {
				p, err := m.Solve(electric.Condition{State: s})
				require.NoError(t, err)
				assert.Empty(t, p.Warnings, s.Name)
				for _, motor := range p.Motors {
					words[string(motor.Speed)] = true
				}
			}
			assert.True(t, words["stopped"] && words["fast"], "its fans rest in some state and run in another: %v", words)
			if k%3 != 0 && !soak.Whole() {
				return // a third of them is played in every run
			}
			g, err := diagnose.New(m)
			require.NoError(t, err)
			every := len(g.Hypotheses())/2 + 1 + k // another kind of fault on each
			if soak.Whole() {
				every = 1
			}
			r, err := study.Play(t.Context(), g, study.Options{Every: every}, nil)
			require.NoError(t, err)
			require.NotEmpty(t, r.Trials)
			for _, x := range r.Trials {
				if !x.Found && unnamed[x.Fault] != x.Named {
					t.Errorf("%s: named %s, confident %v, after %v", x.Fault, x.Named, x.Confident, x.Asked)
				}
			}
		})
	}
}
