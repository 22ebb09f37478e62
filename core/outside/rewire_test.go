package outside

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/rewire"
	"ironthread/core/rewire/rewiretest"
	"ironthread/soak"
)

// In the soak every is how many wishes of the grid lie between two that the outside judge sees, each state with every fan held fast and
// with every fan and feed shorted, too; a wish whose proposals have every fault there is is one in so many of those. In every run it
// sees one of five, and breaks the proposals of the first of them.
const (
	every  = 6
	some   = 5
	broken = 24
)

// TestProposals judges what many wishes come to, each planned once: nothing of a proposal is over its rating in a healthy
// state, no fan loses more volts than is allowed, whoever asks gets the speed; and the outside judge finds the same volts and
// amps, well in every state, and with single faults.
func TestProposals(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	var trials []*trial
	wishes, proposals, refused := 0, 0, map[string]int{}
	lost := map[rewire.Family][]float64{}
	try := func(name, text string) {
		wishes++
		w, err := rewire.Read([]byte(text))
		require.NoError(t, err, name)
		plan, err := rewire.Propose(t.Context(), w, nil)
		require.NoError(t, err, name)
		for _, r := range plan.Refused {
			refused[string(r.Family)+": "+withoutFigures(r.Why)]++
		}
		judged, breaks := wishes%some == 0, wishes == some
		if soak.Whole() {
			judged, breaks = wishes%every == 0, wishes%(every*broken) == 0
		}
		for i := range plan.Proposals {
			p := &plan.Proposals[i]
			proposals++
			lost[p.Family] = append(lost[p.Family], p.Lost, p.LostHot)
			holds(t, w, p, name)
			if judged {
				trials = append(trials, proposed(t, p, breaks, soak.Whole() || breaks || wishes%(2*some) == 0)...)
			}
		}
	}
	rewiretest.Grid(try)
	grid := wishes
	rewiretest.More(try)
	t.Logf("%d wishes of the grid, %d of further kinds", grid, wishes-grid)
	var sum tally
	hold(t, trials, &sum)
	t.Logf("%d wishes, %d proposals, %d operating points judged: %+v", wishes, proposals, len(trials), sum)
	for family, list := range lost {
		some, hot := 0.0, 0.0
		for i := 0; i < len(list); i += 2 {
			some, hot = some+list[i], hot+list[i+1]
		}
		n := float64(len(list) / 2)
		t.Logf("%s: %.0f proposals, single faults that leave no cooling in some state %.1f %%, with all asking %.1f %%", family, n, 100*some/n,
			100*hot/n)
	}
	for _, why := range slices.Sorted(maps.Keys(refused)) {
		t.Logf("%4d × %s", refused[why], why)
	}
	least := 20
	if soak.Whole() {
		least = 300
	}
	assert.GreaterOrEqual(t, wishes, least)
	assert.GreaterOrEqual(t, len(trials), 100)
	assert.False(t, slices.ContainsFunc(trials, func(x *trial) bool { return !x.point.Settled }))
}

// proposed gives the points of a proposal: well in every state; with every fan held fast, with its turns shorted, and with each wire to
// a fan against ground, where it is to be stressed; and with every kind of fault where it is to be broken.
func proposed(t *testing.T, p *rewire.Proposal, breaks, stressed bool) []*trial {
	var trials []*trial
	load := loads(t, p.Model)
	kinds := soak.Kinds{}
	for _, s := range p.Circuit.States {
		trials = append(trials, aTrial(t, p.Model, load, s, fault.Fault{}, nil))
		for _, f := range fault.All(p.Circuit) {
			stresses := f.Fault.Words == fault.Seized || f.Fault.Words == fault.ShortedTurns || f.Fault.Words == fault.Grounded
			kind := s.Name + kindOf(p.Circuit, f.Fault)
			tried := breaks && kinds.Stands(kind) || stressed && stresses && (soak.Whole() || kinds.Stands("stressed "+kind))
			if !tried {
				continue
			}
			if x := aTrial(t, p.Model, load, s, f.Fault, nil); x.point.Settled {
				trials = append(trials, x)
			}
		}
	}
	return trials
}

func withoutFigures(words string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' || r == '.' {
			return -1
		}
		return r
	}, words)
}

// holds checks a proposal against its own file, solved anew.
func holds(t *testing.T, w *rewire.Wish, x *rewire.Proposal, name string) {
	t.Helper()
	c, err := harness.Read([]byte(x.Harness))
	require.NoError(t, err, name)
	m, err := electric.New(c)
	require.NoError(t, err, name)
	for _, s := range c.States {
		for _, running := range []bool{false, true} {
			at := *s
			at.Running = running && s.Key && !s.Cranking
			p, err := m.Solve(electric.Condition{State: &at})
			require.NoError(t, err, name)
			require.True(t, p.Settled, "%s: %s: %s", name, x.Family, s.Name)
			for _, warning := range p.Warnings {
				bad := []string{"fuse", "contact", "short", "buzzes", "driver", "stalled", "rating", "feeds"}
				require.NotContains(t, bad, warning.Kind, "%s: %s: %s: %s", name, x.Family, s.Name, warning.Text)
			}
			if s.Name == w.Speeds[len(w.Speeds)-1] && x.Family != rewire.Module {
				for i := range w.Fans {
					fan := fmt.Sprintf("M%d", i+1)
					require.Equal(t, electric.Fast, p.Motors[fan].Speed, "%s: %s", name, x.Family)
					require.LessOrEqual(t, *p.Pins["BAT.+"]-*p.Pins[fan+".+"], w.Limits.Drop+1e-6, "%s: %s: %s", name, x.Family, fan)
					require.LessOrEqual(t, math.Abs(*p.Pins[fan+".-"]), w.Limits.GroundDrop+1e-6, "%s: %s: %s", name, x.Family, fan)
				}
			}
		}
	}
}
