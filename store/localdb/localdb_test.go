package localdb_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/soak"
	"ironthread/store/localdb"
)

// A server keeps its data over a restart, never listens on the system's port, and its password
// is readable by its owner alone.
func TestAServerAndItsRestart(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	dir, err := os.MkdirTemp(soak.InMemory(), "localdb-test-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	ctx := context.Background()
	opts := localdb.Options{Dir: filepath.Join(dir, "db"), Throwaway: true}

	s, err := localdb.Start(ctx, opts)
	require.NoError(t, err)
	require.NoError(t, s.EnsureDatabase(ctx, "bay"))
	require.NoError(t, s.EnsureDatabase(ctx, "bay"), "a second time it is there")
	assert.NotContains(t, s.DSN("bay"), ":5432/")
	db, err := sqlx.Connect("pgx", s.DSN("bay"))
	require.NoError(t, err)
	_, err = db.Exec("CREATE TABLE beads (n integer); INSERT INTO beads VALUES (7)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	info, err := os.Stat(filepath.Join(dir, "db", "password"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, s.Stop())

	s, err = localdb.Start(ctx, opts)
	require.NoError(t, err)
	defer func() { assert.NoError(t, s.Stop()) }()
	db, err = sqlx.Connect("pgx", s.DSN("bay"))
	require.NoError(t, err)
	defer db.Close()
	var n int
	require.NoError(t, db.Get(&n, "SELECT n FROM beads"))
	assert.Equal(t, 7, n)
	_, err = sqlx.Connect("pgx", "postgres://app:wrong@"+s.DSN("bay")[len("postgres://app:")+33:])
	assert.Error(t, err, "a wrong password is refused")
}

func TestReadable(t *testing.T) {
	dir := t.TempDir()
	closed := filepath.Join(dir, "closed")
	require.NoError(t, os.MkdirAll(filepath.Join(closed, "below"), 0o755))
	require.NoError(t, os.Chmod(closed, 0o700))
	if os.Geteuid() == 0 {
		assert.False(t, localdb.Readable(filepath.Join(closed, "below")), "the database's own user cannot pass")
	} else {
		assert.True(t, localdb.Readable(filepath.Join(closed, "below")))
	}
}
