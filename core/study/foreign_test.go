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
			assert.InDelta(t, 1, r.Right, 1e-9, "%+v", r.Trials)
		})
	}
}
