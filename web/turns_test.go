package web

import (
	"net/http"
	"net/http/httptest"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// A few pages are answered at a time; what takes long gives its turn up, and what is posted, streamed or asked by a watcher
// waits for nobody.
func TestPagesAreAnsweredInTurn(t *testing.T) {
	var now, most atomic.Int64
	release := make(chan struct{})
	turns := make(chan struct{}, 2)
	h := inTurn(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/stuck" {
			<-release
			return
		}
		if n := now.Add(1); n > most.Load() {
			most.Store(n)
		}
		time.Sleep(2 * time.Millisecond)
		now.Add(-1)
	}), turns)
	ask := func(method, path string) time.Duration {
		began := time.Now()
		h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(method, path, nil))
		return time.Since(began)
	}
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() { ask(http.MethodGet, "/") })
	}
	all.Wait()
	assert.LessOrEqual(t, most.Load(), int64(2))

	for range 2 {
		all.Go(func() { ask(http.MethodGet, "/stuck") })
	}
	assert.Eventually(t, func() bool { return len(turns) == 2 }, time.Second, time.Millisecond)
	for method, path := range map[string]string{http.MethodPost: "/jobs/7/note", http.MethodGet: "/jobs/7/events"} {
		assert.Less(t, ask(method, path), turnFor/2, path)
	}
	assert.Less(t, ask(http.MethodGet, "/"), 4*turnFor, "the stuck ones have given their turns up")
	close(release)
	all.Wait()
	assert.Empty(t, turns)
}
