package web

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// What takes long is worked out in the background, once for all who ask, and no page waits for it
// beyond its patience: it shows how far it has come and asks again. When nobody has asked for a while,
// nobody waits any more, and the work is stopped.

// How long a piece of work goes on without anybody asking for it, and how long at the most.
const (
	abandonedAfter = 12 * time.Second
	longestWork    = 5 * time.Minute
)

// working is something being worked out.
type working struct {
	ready   chan struct{}
	value   any
	err     error
	stop    context.CancelFunc
	idle    *time.Timer
	waiting int // how many wait for it just now; guarded by the mutex of its answers
}

// answers keeps what has been worked out, and what is being worked out, by a key. It is safe for use by
// many goroutines.
type answers struct {
	mu   sync.Mutex
	kept *lru.Cache[string, *working]
}

func newAnswers(most int) *answers {
	kept, _ := lru.NewWithEvict(most, func(_ string, w *working) { w.stop() }) // fails for sizes below one only
	return &answers{kept: kept}
}

// ask gives what is worked out under a key if it is there, or gets there within so long; ready is false
// while it is still being worked out.
func (a *answers) ask(ctx context.Context, key string, patience time.Duration,
	work func(ctx context.Context) (any, error)) (value any, ready bool, err error) {
	w := a.begin(key, work)
	defer a.leave(w)
	select {
	case <-w.ready:
		return w.value, true, w.err
	default:
	}
	timer := time.NewTimer(patience)
	defer timer.Stop()
	select {
	case <-w.ready:
		return w.value, true, w.err
	case <-timer.C:
		return nil, false, nil
	case <-ctx.Done():
		return nil, false, ctx.Err()
	}
}

// begin finds a piece of work or starts it; whoever waits for it keeps it going, until they leave.
func (a *answers) begin(key string, work func(ctx context.Context) (any, error)) *working {
	a.mu.Lock()
	defer a.mu.Unlock()
	if w, ok := a.kept.Get(key); ok {
		w.waiting++
		w.idle.Stop()
		return w
	}
	ctx, stop := context.WithTimeout(context.Background(), longestWork)
	w := &working{ready: make(chan struct{}), stop: stop, idle: time.AfterFunc(longestWork, stop), waiting: 1}
	a.kept.Add(key, w)
	go func() {
		defer stop()
		defer w.idle.Stop()
		w.value, w.err = safely(func() (any, error) { return work(ctx) })
		if errors.Is(w.err, context.Canceled) || errors.Is(w.err, context.DeadlineExceeded) {
			a.drop(key, w) // whoever asks next begins anew
		}
		close(w.ready)
	}()
	return w
}

// leave says that one of those who asked waits no longer; they may ask again for a while.
func (a *answers) leave(w *working) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if w.waiting--; w.waiting == 0 {
		w.idle.Reset(abandonedAfter)
	}
}

func (a *answers) drop(key string, w *working) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if now, ok := a.kept.Peek(key); ok && now == w {
		a.kept.Remove(key)
	}
}

// purge lets go of everything, and stops what is being worked out.
func (a *answers) purge() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.kept.Purge()
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
