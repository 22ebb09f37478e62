package diagnose_test

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
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
	Circuit    string    `yaml:"circuit"`
	Had        []string  `yaml:"had"`   // what the car had: patterns, any of which may lead
	Never      []string  `yaml:"never"` // patterns that together hold at most 5 %
	AtLeast    float64   `yaml:"at-least"`
	Quiet      *bool     `yaml:"quiet"` // nothing is called contradicting; so unless said otherwise
	Seen       yaml.Node `yaml:"seen"`
	Pair       []string  `yaml:"pair"`
	Verdict    []string  `yaml:"verdict"` // what the verdict's faults together may read; none: no verdict
	Proven     *bool     `yaml:"proven"`
	Outcome    string    `yaml:"outcome"`
	Also       []string  `yaml:"also"`
	NotCleared []string  `yaml:"not-cleared"`
	NeverNext  []string  `yaml:"never-next"`
	Foretold   struct{ Do, State, Must string }
}

// fits tells whether a fault is one of the patterns, word for word.
func fits(patterns []string, fault string) bool {
	return regexp.MustCompile("^(" + strings.Join(patterns, "|") + ")$").MatchString(fault)
}

// share is the belief on the faults that a pattern fits; alike counts those that read the same.
func share(a *diagnose.Assessment, patterns []string, alike bool) float64 {
	sum := 0.0
	for _, s := range a.Suspects {
		if fits(patterns, s.Fault) || alike && slices.ContainsFunc(s.SameAs, func(other string) bool { return fits(patterns, other) }) {
			sum += s.Probability
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
			c.holds(t, c.assess(t))
		})
	}
}

// assess has the guide judge the case as the car stands after its last entry.
func (c *fieldCase) assess(t *testing.T) *diagnose.Assessment {
	text, err := yaml.Marshal(&c.Seen)
	require.NoError(t, err)
	e, err := library.Open(c.Circuit)
	require.NoError(t, err)
	seen, err := probe.ReadObservations(text, e.Circuit)
	require.NoError(t, err)
	setup, err := seen[len(seen)-1].Held(e.Circuit)
	require.NoError(t, err)
	a, err := diagnose.Shared(t, c.Circuit).Assess(t.Context(), seen, diagnose.Now{Setup: setup})
	require.NoError(t, err)
	return a
}

func (c *fieldCase) holds(t *testing.T, a *diagnose.Assessment) {
	var told []string
	for _, s := range a.Suspects[:min(6, len(a.Suspects))] {
		told = append(told, s.Fault)
	}
	t.Logf("leading: %s; %s", strings.Join(told, ", "), a.Outcome)
	if len(c.Had) > 0 {
		assert.GreaterOrEqual(t, share(a, c.Had, true), c.AtLeast, "what the car had")
	}
	if len(c.Never) > 0 {
		assert.LessOrEqual(t, share(a, c.Never, false), 0.05, "what it never had")
	}
	if c.Quiet == nil || *c.Quiet {
		assert.Empty(t, a.Surprising)
	}
	if len(c.Pair) > 0 {
		assert.True(t, slices.ContainsFunc(a.Pairs, func(p diagnose.Pair) bool {
			same := p.Faults == [2]string(c.Pair) || p.Faults == [2]string{c.Pair[1], c.Pair[0]}
			return same && p.Probability >= c.AtLeast
		}), "the pair %v among %v", c.Pair, a.Pairs)
	}
	if len(c.Verdict) > 0 {
		verdict := "none"
		if a.Verdict != nil {
			verdict = strings.Join(a.Verdict.Faults, ", ")
		}
		assert.True(t, fits(c.Verdict, verdict), "the verdict %q", verdict)
	}
	if c.Proven != nil && assert.NotNil(t, a.Verdict) {
		assert.Equal(t, *c.Proven, a.Verdict.Proven, "lacking: %v", a.Verdict.Lacks)
	}
	if c.Outcome != "" {
		assert.Equal(t, c.Outcome, string(a.Outcome))
	}
	for _, second := range c.Also {
		assert.True(t, slices.ContainsFunc(a.Also, func(f diagnose.Found) bool {
			return fits([]string{second}, f.Fault) && f.Probability >= 0.8
		}), "%s among %v", second, a.Also)
	}
	for _, part := range c.NotCleared {
		assert.NotContains(t, a.Cleared, part)
	}
	for _, m := range a.Next {
		assert.NotContains(t, c.NeverNext, string(m.Do))
	}
	for _, m := range a.Next {
		if c.Foretold.Do == string(m.Do) && c.Foretold.State == m.State {
			assert.Equal(t, c.Foretold.Must, m.Outcomes[0].Reading)
		}
	}
	assert.False(t, a.Verdict == nil && a.Outcome == diagnose.StillOpen && len(a.Next) == 0, "a verdict, an outcome or a next move, always")
}
