package web

import (
	"net/http"
	"runtime"
	"strings"
	"sync"
	"time"
)

// When many ask for pages at once, a few are answered at a time, in the order in which they came: each then waits about as
// long as every other, and what all of them together hold in memory is bounded. A turn is short: whatever takes longer,
// because it waits for a drawing or for a slow network, goes on without one and keeps nobody waiting.

const (
	turnsPerCore = 2 // more than one, because an answer waits for the database
	turnFor      = 250 * time.Millisecond
)

// inTurn answers a few requests for pages at a time. Streams and files are no work, and what is posted waits for nobody.
func inTurn(next http.Handler, turns chan struct{}) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		path := r.URL.Path
		if r.Method != http.MethodGet || strings.HasSuffix(path, "/events") || strings.HasPrefix(path, "/static/") ||
			path == "/healthz" || path == "/readyz" {
			next.ServeHTTP(w, r)
			return
		}
		select {
		case turns <- struct{}{}:
		case <-r.Context().Done(): // whoever asked has gone
			return
		}
		var once sync.Once
		done := func() { once.Do(func() { <-turns }) }
		long := time.AfterFunc(turnFor, done)
		defer func() { long.Stop(); done() }()
		next.ServeHTTP(w, r)
	})
}

// newTurns makes room for as many as this machine answers at a time.
func newTurns() chan struct{} { return make(chan struct{}, turnsPerCore*runtime.GOMAXPROCS(0)) }
