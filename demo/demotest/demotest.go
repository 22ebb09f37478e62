// Package demotest gives a test the demo workshop on a database of its own.
package demotest

import (
	"context"
	"testing"
	"time"

	"ironthread/demo"
	"ironthread/store"
	"ironthread/store/storetest"
)

// Open gives a store that holds the demo workshop; it is loaded once for all tests of a package.
func Open(t testing.TB) *store.Store {
	t.Helper()
	return storetest.Filled(t, "demo", load)
}

// OnALine is the same over a line to the database that the test can stall or cut.
func OnALine(t testing.TB) (*store.Store, *storetest.Line) {
	t.Helper()
	return storetest.OnALine(t, "demo", load)
}

func load(ctx context.Context, s *store.Store) error { return demo.Load(ctx, s, time.Now()) }
