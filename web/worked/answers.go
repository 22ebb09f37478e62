package worked

import (
	"context"
	"fmt"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/sync/singleflight"
)

// What takes long is worked out in the background, once for all who ask, and no page waits for it beyond its
// patience: it shows how far it has come and asks again. When nobody has asked for a while, nobody waits any
// more, and the work is stopped.

const (
	abandonedAfter = 12 * time.Second // nobody has asked for so long: the work is stopped
	askedEvery     = 4 * time.Second  // whoever waits says so this often
	longestWork    = 5 * time.Minute
)

// answers keeps what has been worked out by a key, and works out what is missing. It is safe for use by many
// goroutines.
type answers struct {
	kept    *lru.Cache[string, result]
	working singleflight.Group
	wanted  *expirable.LRU[string, context.CancelFunc] // what somebody waits for, until nobody has asked for a while
}

type result struct {
	value any
	err   error
}

// newAnswers keeps so many answers.
func newAnswers(most int) *answers {
	kept, _ := lru.New[string, result](most) // fails for sizes below one only
	stop := func(_ string, cancel context.CancelFunc) { cancel() }
	return &answers{kept: kept, wanted: expirable.NewLRU(most, stop, abandonedAfter)}
}

// ask gives what is worked out under a key if it is there, or gets there within so long; ready is false while
// it is still being worked out.
func (a *answers) ask(ctx context.Context, key string, patience time.Duration,
	work func(ctx context.Context) (any, error)) (value any, ready bool, err error) {
	if r, ok := a.kept.Get(key); ok {
		return r.value, true, r.err
	}
	answer := a.working.DoChan(key, func() (any, error) { return a.work(key, work) })
	until := time.NewTimer(patience)
	defer until.Stop()
	wanted := time.NewTicker(askedEvery)
	defer wanted.Stop()
	a.want(key)
	for {
		select {
		case r := <-answer:
			return r.Val, true, r.Err
		case <-wanted.C:
			a.want(key)
		case <-until.C:
			return nil, false, nil
		case <-ctx.Done():
			return nil, false, ctx.Err()
		}
	}
}

// want says that somebody waits: the work goes on for a while.
func (a *answers) want(key string) {
	if stop, ok := a.wanted.Peek(key); ok {
		a.wanted.Add(key, stop)
	}
}

// work works something out, and keeps it unless it was stopped: whoever asks next then begins anew.
func (a *answers) work(key string, work func(ctx context.Context) (any, error)) (any, error) {
	if r, ok := a.kept.Get(key); ok { // it has just been worked out for another
		return r.value, r.err
	}
	ctx, stop := context.WithTimeout(context.Background(), longestWork)
	defer stop()
	a.wanted.Add(key, stop)
	defer a.wanted.Remove(key)
	value, err := safely(func() (any, error) { return work(ctx) })
	if ctx.Err() == nil {
		a.kept.Add(key, result{value, err})
	}
	return value, err
}

// stop lets go of everything, and stops what is being worked out.
func (a *answers) stop() {
	a.kept.Purge()
	a.wanted.Purge()
}

// safely turns a panic into an error: one bad circuit is no reason for the others to suffer.
func safely[T any](work func() (T, error)) (value T, err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("this circuit cannot be worked out: %v", p)
		}
	}()
	return work()
}
