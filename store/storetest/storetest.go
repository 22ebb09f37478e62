// Package storetest gives a test a fresh, migrated database on a throw-away server.
package storetest

import (
	"context"
	"fmt"
	"os"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/jmoiron/sqlx"

	"ironthread/soak"
	"ironthread/store"
	"ironthread/store/localdb"
)

var server *localdb.Server

// Main runs a package's tests with one server, and stops it after them.
func Main(m *testing.M) int {
	dir, err := os.MkdirTemp(soak.InMemory(), "ironthread-test-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	server, err = localdb.Start(context.Background(), localdb.Options{Dir: dir + "/db", Throwaway: true})
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer func() {
		if err := server.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, err)
		}
	}()
	return m.Run()
}

// DSN makes a database of its own for one test.
func DSN(t testing.TB) string {
	t.Helper()
	name := fmt.Sprintf("test%d_%d", os.Getpid(), copies.Add(1))
	create(t, name, "")
	return server.DSN(name)
}

// Open gives a store on a database of its own.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), DSN(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

var (
	filling sync.Mutex
	filled  = map[string]bool{}
)

// Filled gives a store on a database of its own that begins as fill left it; fill runs once for all tests
// that name it so.
func Filled(t testing.TB, name string, fill func(ctx context.Context, s *store.Store) error) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), filledDSN(t, name, fill))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

func filledDSN(t testing.TB, name string, fill func(ctx context.Context, s *store.Store) error) string {
	t.Helper()
	template := "filled_" + name
	filling.Lock()
	defer filling.Unlock()
	if !filled[name] {
		create(t, template, "")
		s, err := store.Open(context.Background(), server.DSN(template))
		if err == nil {
			err = fill(context.Background(), s)
			s.Close()
		}
		if err != nil {
			t.Fatal(err)
		}
		filled[name] = true
	}
	own := fmt.Sprintf("own%d_%d", os.Getpid(), copies.Add(1))
	create(t, own, " TEMPLATE "+template)
	return server.DSN(own)
}

var copies atomic.Int64

func create(t testing.TB, name, from string) {
	t.Helper()
	db, err := sqlx.Open("pgx", server.DSN("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec("CREATE DATABASE " + name + from); err != nil {
		t.Fatal(err)
	}
}
