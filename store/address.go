package store

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
)

// Environment is a database's address as PostgreSQL's own tools take it from the environment (libpq's variables). The error
// says that it is none.
func Environment(dsn string) ([]string, error) {
	c, err := pgx.ParseConfig(dsn)
	if err != nil {
		return nil, fmt.Errorf("store: the address of the database cannot be read: %w", err)
	}
	env := []string{"PGHOST=" + c.Host, "PGPORT=" + strconv.Itoa(int(c.Port)), "PGDATABASE=" + c.Database, "PGUSER=" + c.User,
		"PGCONNECT_TIMEOUT=10"}
	if c.Password != "" {
		env = append(env, "PGPASSWORD="+c.Password)
	}
	if c.TLSConfig == nil {
		env = append(env, "PGSSLMODE=disable")
	}
	return env, nil
}

// Name is the database's name in an address; empty where it is none.
func Name(dsn string) string {
	c, err := pgx.ParseConfig(dsn)
	if err != nil {
		return ""
	}
	return c.Database
}

const lookTimeout = 15 * time.Second

// Empty tells whether a database holds no table yet.
func Empty(ctx context.Context, dsn string) (bool, error) {
	ctx, cancel := context.WithTimeout(ctx, lookTimeout)
	defer cancel()
	c, err := pgx.Connect(ctx, dsn)
	if err != nil {
		return false, wrap("connecting", err)
	}
	defer c.Close(ctx) // it was only asked
	var n int
	err = c.QueryRow(ctx, `SELECT count(*) FROM pg_catalog.pg_tables WHERE schemaname NOT IN ('pg_catalog', 'information_schema')`).Scan(&n)
	return n == 0, wrap("looking for tables", err)
}
