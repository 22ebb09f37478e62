package web

import (
	"net/http"
	"net/http/httptest"
	"runtime"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"

	"ironthread/soak"
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
		runtime.Gosched()
		now.Add(-1)
	}), turns)
	ask := func(method, path string) {
		h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(method, path, nil))
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
	soak.Await(t, "both turns taken", func() bool { return len(turns) == 2 })
	for method, path := range map[string]string{http.MethodPost: "/jobs/7/note", http.MethodGet: "/jobs/7/events"} {
		ask(method, path) // these wait for nobody
	}
	ask(http.MethodGet, "/") // and this until the stuck ones have given their turns up
	close(release)
	all.Wait()
	assert.Empty(t, turns)
}
