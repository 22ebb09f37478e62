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

// AnyJob stands for all jobs: what was written while nobody listened may be of any of them.
const AnyJob int64 = 0

// Listen calls told with the number of each job whose log grows, until the context ends. A connection that is lost is made
// anew, and told is then called with AnyJob. says hears why news is cut off, once each time, and nil once it is back.
func (s *Store) Listen(ctx context.Context, told func(job int64), says func(err error)) {
	cut := false
	for ctx.Err() == nil {
		err := s.listen(ctx, func() {
			if cut {
				says(nil)
			}
			cut = false
			told(AnyJob)
		}, told)
		if !cut && ctx.Err() == nil {
			cut = true
			says(wrap("listening for news", err))
		}
		select {
		case <-time.After(newsRest):
		case <-ctx.Done():
		}
	}
}

// listen listens on one connection until it is lost, and says why; began is called once it listens.
func (s *Store) listen(ctx context.Context, began func(), told func(job int64)) error {
	connecting, cancel := context.WithTimeout(ctx, connectTimeout)
	defer cancel()
	c, err := pgx.Connect(connecting, s.dsn)
	if err != nil {
		return err
	}
	defer func() {
		closing, done := context.WithTimeout(context.WithoutCancel(ctx), healthTimeout)
		defer done()
		_ = c.Close(closing) // what listened has gone either way
	}()
	if _, err := c.Exec(connecting, "LISTEN "+newsChannel); err != nil {
		return err
	}
	began()
	for {
		n, err := c.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		if id, err := strconv.ParseInt(n.Payload, 10, 64); err == nil {
			told(id)
		}
	}
}
