package store_test

import (
	"context"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"ironthread/soak"
	"ironthread/store"
	"ironthread/store/storetest"
)

// A listener that is cut off says why, comes back by itself, says that too, and has everybody look who waited: what was
// written meanwhile may be of any job.
func TestTheListenerComesBack(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	s, line := storetest.OnALine(t, "empty", func(context.Context, *store.Store) error { return nil })
	var mu sync.Mutex
	told, cut, back := map[int64]int{}, 0, 0
	count := func(n *int) int {
		mu.Lock()
		defer mu.Unlock()
		return *n
	}
	all := func() int {
		mu.Lock()
		defer mu.Unlock()
		return told[store.AnyJob]
	}
	go s.Listen(t.Context(), func(id int64) {
		mu.Lock()
		defer mu.Unlock()
		told[id]++
	}, func(err error) {
		mu.Lock()
		defer mu.Unlock()
		if err != nil {
			cut++
		} else {
			back++
		}
	})
	soak.Await(t, "the listener", func() bool { return all() == 1 })
	line.Cut()
	soak.Await(t, "word that it is cut off", func() bool { return count(&cut) == 1 })
	line.Mend()
	soak.Await(t, "word that it is back", func() bool { return count(&back) == 1 })
	assert.Equal(t, 2, all())
	id := newJob(t, s)
	_, err := s.Append(t.Context(), id, 1, "", write(note("salt")))
	assert.NoError(t, err)
	soak.Await(t, "news", func() bool { mu.Lock(); defer mu.Unlock(); return told[id] > 0 })
}
