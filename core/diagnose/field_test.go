package diagnose_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"ironthread/core/diagnose"
	"ironthread/core/probe"
	"ironthread/library"
)

// fieldCase is a job as somebody entered it: the readings were computed for a fault by hand and then rounded and bent as
// a person's are, so that the judge is not the guide's own car.
type fieldCase struct {
	Circuit string    `yaml:"circuit"`
	Had     []string  `yaml:"had"` // what the car had: patterns, any of which may lead
	Never   []string  `yaml:"never"`
	AtLeast float64   `yaml:"at-least"`
	Quiet   *bool     `yaml:"quiet"` // nothing is called contradicting; so unless said otherwise
	Seen    yaml.Node `yaml:"seen"`
}

// share is the belief on the faults that a pattern fits.
func share(a *diagnose.Assessment, patterns []string) float64 {
	whole := regexp.MustCompile("^(" + strings.Join(patterns, "|") + ")$")
	sum := 0.0
	for _, s := range a.Suspects {
		if whole.MatchString(s.Fault) {
			sum += s.Probability
			continue
		}
		for _, other := range s.SameAs {
			if whole.MatchString(other) {
				sum += s.Probability
				break
			}
		}
	}
	return sum
}

func TestFieldCases(t *testing.T) {
	files, err := filepath.Glob("testdata/field/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".yaml"), func(t *testing.T) {
			text, err := os.ReadFile(file)
			require.NoError(t, err)
			c := fieldCase{AtLeast: 0.8}
			require.NoError(t, yaml.Unmarshal(text, &c))
			seenText, err := yaml.Marshal(&c.Seen)
			require.NoError(t, err)
			e, err := library.Open(c.Circuit)
			require.NoError(t, err)
			seen, err := probe.ReadObservations(seenText, e.Circuit)
			require.NoError(t, err)
			g := diagnose.Shared(t, c.Circuit)
			setup, err := seen[len(seen)-1].Held(e.Circuit)
			require.NoError(t, err)
			a, err := g.Assess(t.Context(), seen, diagnose.Now{Setup: setup})
			require.NoError(t, err)
			var told []string
			for _, s := range a.Suspects[:min(6, len(a.Suspects))] {
				told = append(told, s.Fault)
			}
			had := share(a, c.Had)
			t.Logf("%.0f %% on what the car had; leading: %s", 100*had, strings.Join(told, ", "))
			assert.GreaterOrEqual(t, had, c.AtLeast)
			if len(c.Never) > 0 {
				assert.LessOrEqual(t, share(a, c.Never), 0.05)
			}
			if c.Quiet == nil || *c.Quiet {
				assert.Empty(t, a.Surprising)
			}
		})
	}
}
