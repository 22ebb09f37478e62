// Package demotest gives a test the demo workshop on a database of its own.
package demotest

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ironthread/demo"
	"ironthread/store"
	"ironthread/store/storetest"
)

// Open gives a store that holds the demo workshop; it is loaded once for all tests of a package.
func Open(t testing.TB) *store.Store {
	t.Helper()
	return storetest.Filled(t, "demo", load)
}

// Bare gives a store with the library's circuits and one job, "Gritter 6: runs hot", on the smallest of them: for tests to which
// the rest of the workshop is nothing, and which run slowly, as with the race detector.
func Bare(t testing.TB) (s *store.Store, id int64) {
	t.Helper()
	s = storetest.Filled(t, "bare", demo.Library)
	h, err := s.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	vehicle, err := s.PutVehicle(t.Context(), "Gritter 6", "")
	require.NoError(t, err)
	id, err = s.OpenJob(t.Context(), store.NewJob{Vehicle: vehicle, Harness: h.ID, Title: "runs hot", Who: "Oda Brenn", At: time.Now()})
	require.NoError(t, err)
	return s, id
}

// OnALine is the same over a line to the database that the test can stall or cut.
func OnALine(t testing.TB) (*store.Store, *storetest.Line) {
	t.Helper()
	return storetest.OnALine(t, "demo", load)
}

func load(ctx context.Context, s *store.Store) error { return demo.Load(ctx, s, time.Now()) }
