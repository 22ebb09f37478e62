package logbook

import (
	"context"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/soak"
	"ironthread/store"
)

// slow is a store with so many closed jobs that reading them takes until the test lets go.
type slow struct {
	reads, jobs atomic.Int64
	goes        chan struct{}
}

func (s *slow) ClosedJobs(context.Context) ([]store.Line, error) {
	s.reads.Add(1)
	<-s.goes
	list := make([]store.Line, s.jobs.Load())
	for k := range list {
		list[k].Summary = job.Summary{Closed: true, Found: []string{"F1 open"}, Kinds: []string{"fuse open"}}
	}
	return list, nil
}

func (s *slow) ClosedVersion(context.Context) (string, error) {
	return strconv.FormatInt(s.jobs.Load(), 10), nil
}
func (s *slow) Setting(context.Context, string, any) (bool, error) { return false, nil }

// Closed jobs are counted once for all who ask at the same moment; and while a further one is being counted in, what was
// counted before holds, so that no page waits for it.
func TestClosedJobsAreCountedOnceForAll(t *testing.T) {
	s := &slow{goes: make(chan struct{})}
	s.jobs.Store(3)
	l := NewLearning(s)
	var all sync.WaitGroup
	for range 30 {
		all.Go(func() {
			book, _, err := l.Counted(t.Context())
			assert.NoError(t, err)
			assert.Equal(t, 3, book.Jobs)
		})
	}
	soak.Await(t, "the first reading", func() bool { return s.reads.Load() > 0 })
	close(s.goes)
	all.Wait()
	assert.Equal(t, int64(1), s.reads.Load())

	s.goes = make(chan struct{})
	s.jobs.Store(4)
	l.Forget()
	book, _, err := l.Counted(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 3, book.Jobs)
	close(s.goes)
	soak.Await(t, "the fourth", func() bool {
		book, _, err := l.Counted(t.Context())
		return err == nil && book.Jobs == 4
	})
	assert.Equal(t, int64(2), s.reads.Load())
}
