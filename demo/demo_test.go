package demo_test

import (
	"context"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/repair"
	"ironthread/demo"
	"ironthread/library"
	"ironthread/store"
	"ironthread/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }

func TestTheWorkshopHasAJobAtEachStage(t *testing.T) {
	keep, ctx := storetest.Open(t), context.Background()
	require.NoError(t, demo.Load(ctx, keep, time.Now()))
	jobs, _, err := keep.Jobs(ctx, store.Find{Limit: 50})
	require.NoError(t, err)
	require.Len(t, jobs, 7)
	var begun, out, closed, renewed int
	for _, j := range jobs {
		entries, err := keep.Entries(ctx, j.ID)
		require.NoError(t, err)
		c, err := harness.Read([]byte(sourceOf(t, keep, j.ID)))
		require.NoError(t, err)
		s := job.Fold(c, entries)
		for _, b := range s.Beads {
			assert.NotContains(t, b.Detail, "does not count", "%s: %s", j.Title, b.Title)
		}
		switch {
		case s.Closed:
			closed++
		case len(s.Seen) == 0:
			begun++
		}
		for _, a := range s.Ledger {
			if a.Detaches() {
				out++
			} else if !s.Closed {
				renewed++
			}
		}
	}
	assert.Equal(t, []int{1, 1, 4, 1}, []int{begun, out, closed, renewed}, "begun, ledger not empty, closed, misled at first")
}

func TestASecondStartKeepsWhatTheUserDid(t *testing.T) {
	keep, ctx := storetest.Open(t), context.Background()
	require.NoError(t, demo.Load(ctx, keep, time.Now()))
	_, err := keep.Append(ctx, 1, 0, "", func(*store.Log) ([]job.Entry, error) {
		return []job.Entry{{At: time.Now(), Who: "Oda", Body: job.Note{Text: "mine"}}}, nil
	})
	require.NoError(t, err)
	before, err := keep.Entries(ctx, 1)
	require.NoError(t, err)
	require.NoError(t, demo.Load(ctx, keep, time.Now()))
	after, err := keep.Entries(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, len(before), len(after))
	jobs, _, err := keep.Jobs(ctx, store.Find{Limit: 50})
	require.NoError(t, err)
	assert.Len(t, jobs, 7)
}

// Every shipped harness teaches something, says where its parts are, and what colour its
// wires have.
func TestTheLibraryIsComplete(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(entries), 14)
	families := map[string]bool{}
	for _, e := range entries {
		family, _, _ := strings.Cut(e.Name, "-")
		families[family] = true
		assert.Greater(t, len(e.Circuit.Notes), 120, "%s: a paragraph on what it teaches", e.Name)
		assert.NotEmpty(t, e.Circuit.Title)
		assert.GreaterOrEqual(t, len(e.Circuit.States), 3, e.Name)
		for _, p := range e.Circuit.Parts {
			if p.Kind() != harness.KindBattery {
				assert.NotEmpty(t, p.At, "%s: %s has no place", e.Name, p.Name)
			}
		}
		for _, w := range e.Circuit.Wires {
			assert.NotEmpty(t, w.Colour, "%s: %s", e.Name, w)
			assert.True(t, w.Size.Given() && w.Length.Figure > 0, "%s: %s", e.Name, w)
		}
	}
	for _, f := range []string{"f1", "f2", "f3", "f4", "f5", "f6", "f7", "f8", "f9", "f10", "f11", "f12", "m1", "m2"} {
		assert.True(t, families[f], "family %s", f)
	}
	_, err = library.Open("none")
	assert.ErrorContains(t, err, `there is no harness "none"`)
}

// Every job of the demo that is closed as verified has its whole list seen and its causes
// asked; what each reading expected is what the circuit says.
func TestTheDemosJobsAreHonest(t *testing.T) {
	keep, ctx := storetest.Open(t), context.Background()
	require.NoError(t, demo.Load(ctx, keep, time.Now()))
	jobs, _, err := keep.Jobs(ctx, store.Find{Limit: 50})
	require.NoError(t, err)
	verified := 0
	for _, j := range jobs {
		entries, err := keep.Entries(ctx, j.ID)
		require.NoError(t, err)
		c, err := harness.Read([]byte(sourceOf(t, keep, j.ID)))
		require.NoError(t, err)
		m, err := electric.New(c)
		require.NoError(t, err)
		g, err := diagnose.New(m)
		require.NoError(t, err)
		s := job.Fold(c, entries)
		for k := range s.Seen {
			test, err := s.Seen[k].Test(c)
			require.NoError(t, err)
			for _, e := range entries {
				if r, ok := e.Body.(job.Reading); ok && r.Seen.String() == s.Seen[k].String() {
					assert.Equal(t, g.Healthy(test), *r.Good, "%s: %s", j.Title, s.Seen[k].String())
				}
			}
		}
		for _, r := range s.Repairs {
			_, err := fault.Parse(c, r.Fault)
			assert.NoError(t, err, j.Title)
		}
		if s.Reason != job.Verified {
			continue
		}
		verified++
		list, err := repair.List(m, s.Ledger)
		require.NoError(t, err)
		assert.Zero(t, repair.Left(repair.Tick(m, list, s.Seen, s.Said)), "%s", j.Title)
		// The guide, shown the same log up to the repair, comes to the fault that was found.
		last := s.Repairs[len(s.Repairs)-1]
		assert.True(t, last.Proven, j.Title)
	}
	assert.Equal(t, 3, verified)
}

// sourceOf is the harness file that a job goes by.
func sourceOf(t *testing.T, keep *store.Store, id int64) string {
	t.Helper()
	j, err := keep.Job(t.Context(), id)
	require.NoError(t, err)
	return j.Source
}
