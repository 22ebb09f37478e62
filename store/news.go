package store

import (
	"context"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"
)

// News of what has been written reaches every instance through the database itself: whoever writes to a log notifies, and
// each instance listens on one connection of its own. News lost while that connection is down is no loss: it says only that
// there is something to read.

const newsChannel = "entries"

// notify tells all instances that a job's log has grown, once the transaction holds.
func notify(ctx context.Context, tx *sqlx.Tx, id int64) error {
	_, err := tx.ExecContext(ctx, `SELECT pg_notify($1, $2)`, newsChannel, strconv.FormatInt(id, 10))
	return wrap("telling of an entry", err)
}

// How long a listener rests before it tries to connect again.
const newsRest = 2 * time.Second

// Listen calls told with the number of each job whose log grows, until the context ends. A connection that is lost is made
// anew.
func (s *Store) Listen(ctx context.Context, told func(job int64)) {
	for ctx.Err() == nil {
		s.listen(ctx, told)
		select {
		case <-time.After(newsRest):
		case <-ctx.Done():
		}
	}
}

// listen listens on one connection until it is lost.
func (s *Store) listen(ctx context.Context, told func(job int64)) {
	connecting, cancel := context.WithTimeout(ctx, connectTimeout)
	defer cancel()
	c, err := pgx.Connect(connecting, s.dsn)
	if err != nil {
		return // it is tried again
	}
	defer func() {
		closing, done := context.WithTimeout(context.WithoutCancel(ctx), healthTimeout)
		defer done()
		_ = c.Close(closing) // what listened has gone either way
	}()
	if _, err := c.Exec(connecting, "LISTEN "+newsChannel); err != nil {
		return
	}
	for {
		n, err := c.WaitForNotification(ctx)
		if err != nil {
			return
		}
		if id, err := strconv.ParseInt(n.Payload, 10, 64); err == nil {
			told(id)
		}
	}
}
