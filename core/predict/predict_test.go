package predict_test

import (
	"context"
	"runtime"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/predict"
	"ironthread/library"
)

func tableOf(t *testing.T, b *predict.Budget) (*predict.Table, *electric.Model, []predict.Suspect) {
	t.Helper()
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	suspects := []predict.Suspect{{Name: "nothing"}}
	for _, words := range []string{"F1 open", "F2 open", "M1 open", "K1 coil open", "wire K1.87 - M1.+ grounded"} {
		f, err := fault.Parse(e.Circuit, words)
		require.NoError(t, err)
		suspects = append(suspects, predict.Suspect{Name: words, Fault: f})
	}
	table, err := predict.New(m, suspects, b)
	require.NoError(t, err)
	return table, m, suspects
}

// needed makes the figures of all suspects in a set-up, with nothing blown before.
func needed(t *testing.T, ctx context.Context, table *predict.Table, m *electric.Model, suspects []predict.Suspect,
	words ...string) ([]*predict.Figures, error) {
	t.Helper()
	setup, err := electric.ParseSetup(m.Circuit, words)
	require.NoError(t, err)
	page, err := table.Page(setup)
	require.NoError(t, err)
	which := []int{0} // the first twice: whoever asks may name one twice
	for i := range suspects {
		which = append(which, i)
	}
	of := make([]*predict.Figures, len(suspects))
	return of, page.Need(ctx, which, make([]predict.Blown, len(suspects)), of)
}

// What is kept stays within the budget, whatever is asked for, and is made again when it is needed again.
func TestKeptWithinABudget(t *testing.T) {
	const bytes = 200 << 10
	budget := predict.NewBudget(bytes)
	table, m, suspects := tableOf(t, budget)
	first, err := needed(t, t.Context(), table, m, suspects)
	require.NoError(t, err)
	most := budget.Bytes()
	require.Positive(t, most)
	for _, words := range []string{"F1 out", "F2 out", "K1 out", "K2 out", "K3 out", "M1 unplugged", "M2 unplugged"} {
		_, err := needed(t, t.Context(), table, m, suspects, words)
		require.NoError(t, err, words)
		most = max(most, budget.Bytes())
	}
	assert.LessOrEqual(t, budget.Bytes(), max(int64(bytes), most/2), "older set-ups were let go")
	again, err := needed(t, t.Context(), table, m, suspects)
	require.NoError(t, err)
	low := 1
	assert.Equal(t, first[1].Volts(low, 0), again[1].Volts(low, 0), "made again it is the same")
	table.Close()
	assert.Zero(t, budget.Bytes())
}

// Nobody waits, nothing is computed.
func TestNothingIsMadeForNobody(t *testing.T) {
	table, m, suspects := tableOf(t, predict.NewBudget(predict.DefaultBytes))
	ctx, stop := context.WithCancel(t.Context())
	stop()
	of, err := needed(t, ctx, table, m, suspects)
	require.ErrorIs(t, err, context.Canceled)
	for _, f := range of {
		assert.Nil(t, f)
	}
}

// Two pieces of work at once: what is told of how far it is never counts the one's suspects against the other's.
func TestProgressCountsItsOwn(t *testing.T) {
	table, _, suspects := tableOf(t, predict.NewBudget(predict.DefaultBytes))
	which := make([]int, len(suspects))
	for i := range which {
		which[i] = i
	}
	var all sync.WaitGroup
	for n, list := range [][]int{which, which[:3], which[:5]} {
		all.Go(func() {
			page, err := table.Page([]electric.Action{{Verb: electric.Engine, Runs: electric.Engines[n]}})
			assert.NoError(t, err)
			assert.NoError(t, page.Need(t.Context(), list, make([]predict.Blown, len(suspects)), make([]*predict.Figures, len(suspects))))
		})
	}
	ended := make(chan struct{})
	go func() { all.Wait(); close(ended) }()
	for {
		done, of := table.Progress()
		assert.LessOrEqual(t, done, of)
		select {
		case <-ended:
			return
		default:
			runtime.Gosched()
		}
	}
}
