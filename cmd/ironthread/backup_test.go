package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/demo"
	"ironthread/store"
	"ironthread/store/localdb"
)

// A backup restored into an empty database gives the same pages; into one that holds something it is refused, and only the
// newest stay.
func TestBackupAndRestore(t *testing.T) {
	server, err := localdb.Start(t.Context(), localdb.Options{Dir: filepath.Join(folder(t), "db"), Throwaway: true})
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, server.Stop()) })
	for _, name := range []string{"workshop", "again"} {
		require.NoError(t, server.EnsureDatabase(t.Context(), name))
	}
	keep, err := store.Open(t.Context(), server.DSN("workshop"))
	require.NoError(t, err)
	require.NoError(t, demo.Load(t.Context(), keep, time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)))
	keep.Close()

	dir := t.TempDir()
	code, out, errs := command("", "backup", dir, "--dsn", server.DSN("workshop"))
	require.Equal(t, 0, code, errs)
	list, err := filepath.Glob(filepath.Join(dir, "*"))
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Contains(t, out, list[0])
	info, err := os.Stat(list[0])
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "the log of a workshop is nobody else's")

	code, _, errs = command("", "restore", list[0], "--dsn", server.DSN("workshop"))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "into an empty one only")
	code, _, errs = command("", "restore", list[0], "--dsn", server.DSN("again"))
	require.Equal(t, 0, code, errs)

	pages := func(name string) string {
		url, stop := started(t, "serve", "--dsn", server.DSN(name), "--listen", "127.0.0.1:0")
		defer func() { assert.Zero(t, stop()) }()
		var all strings.Builder
		for _, page := range []string{"/", "/jobs/1/report", "/jobs/4/report", "/logbook", "/harnesses/f3-twin-series-parallel/export/yaml"} {
			all.WriteString(strings.ReplaceAll(seen(t, url+page), url, ""))
		}
		return withoutTokens(all.String())
	}
	assert.Equal(t, pages("workshop"), pages("again"))

	for range 3 {
		code, _, errs = command("", "backup", dir, "--keep", "2", "--dsn", server.DSN("again"))
		require.Equal(t, 0, code, errs)
	}
	list, err = filepath.Glob(filepath.Join(dir, "*"))
	require.NoError(t, err)
	assert.Len(t, list, 2)
	code, _, errs = command("", "restore", "none.dump", "--dsn", server.DSN("again"))
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "no such backup")
	code, _, errs = command("", "backup", dir, "--dsn", "postgres://nobody@127.0.0.1:1/none")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "pg_dump")
	list, err = filepath.Glob(filepath.Join(dir, "*.part"))
	require.NoError(t, err)
	assert.Empty(t, list, "half a backup is none")
}
