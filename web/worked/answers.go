package worked

import (
	"context"
	"errors"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"ironthread/store"
	"ironthread/web/room"
)

// What takes long is worked out in the background, once for all who ask, and no page waits for it beyond its
// patience: it shows how far it has come and asks again. What somebody waits for is never dropped, whatever else is
// asked meanwhile; when nobody has asked for a while, nobody waits any more, and the work is stopped.

const (
	abandonedAfter = 12 * time.Second // nobody has asked for so long: the work is stopped
	longestWork    = 5 * time.Minute
	mostWorking    = 64 // questions of one circuit on their way; more are refused, not dropped
	workedAtOnce   = 2  // of them, the others wait their turn
)

// answers keeps what has been worked out by a key, and works out what is missing. It is safe for use by many
// goroutines.
type answers struct {
	mu      sync.Mutex
	kept    *lru.Cache[string, result]
	working map[string]*task
	turns   chan struct{}
	after   func() // once nothing is on its way any more; set when the circuit is let go of
}

type result struct {
	value any
	err   error
}

// task is a question on its way.
type task struct {
	result
	done    chan struct{}
	stop    context.CancelFunc
	waiting int         // pages that wait for it just now
	idle    *time.Timer // stops it once nobody has asked for a while
}

// newAnswers keeps so many answers.
func newAnswers(most int) *answers {
	kept, _ := lru.New[string, result](most) // fails for sizes below one only
	return &answers{kept: kept, working: map[string]*task{}, turns: make(chan struct{}, workedAtOnce)}
}

// ask gives what is worked out under a key if it is there, or gets there within so long; ready is false while
// it is still being worked out. The error is that of the work; store.ErrBusy where too much is on its way.
func (a *answers) ask(ctx context.Context, key string, patience time.Duration,
	work func(ctx context.Context) (any, error)) (value any, ready bool, err error) {
	until := time.NewTimer(patience)
	defer until.Stop()
	for {
		t, err := a.join(key, work)
		if err != nil {
			return nil, true, err
		}
		select {
		case <-t.done:
		case <-until.C:
			a.leave(t)
			return nil, false, nil
		case <-ctx.Done():
			a.leave(t)
			return nil, false, ctx.Err()
		}
		a.leave(t)
		if errors.Is(t.err, context.Canceled) {
			continue // it was being stopped just when this page came: begin anew
		}
		return t.value, true, t.err
	}
}

// join finds a question on its way, or begins it, and waits with the others.
func (a *answers) join(key string, work func(ctx context.Context) (any, error)) (*task, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if r, ok := a.kept.Get(key); ok {
		return &task{result: r, done: closed}, nil
	}
	t := a.working[key]
	if t == nil {
		if len(a.working) >= mostWorking {
			return nil, store.ErrBusy
		}
		ctx, stop := context.WithTimeout(context.Background(), longestWork)
		t = &task{done: make(chan struct{}), stop: stop}
		a.working[key] = t
		t.idle = time.AfterFunc(abandonedAfter, func() { a.abandon(t) })
		go a.work(ctx, key, t, work)
	}
	t.waiting++
	return t, nil
}

// closed is what an answer that is there waits for.
var closed = func() chan struct{} {
	c := make(chan struct{})
	close(c)
	return c
}()

// leave stops waiting; the question goes on for a while, as the page will ask again.
func (a *answers) leave(t *task) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if t.idle == nil {
		return // it was there already
	}
	if t.waiting--; t.waiting == 0 {
		t.idle.Reset(abandonedAfter)
	}
}

// abandon stops a question that nobody waits for.
func (a *answers) abandon(t *task) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if t.waiting == 0 {
		t.stop()
	}
}

// work works something out in its turn, and keeps it unless it was stopped: whoever asks next then begins anew.
func (a *answers) work(ctx context.Context, key string, t *task, work func(ctx context.Context) (any, error)) {
	defer t.stop()
	var r result
	select {
	case a.turns <- struct{}{}:
		r.value, r.err = safely(func() (any, error) { return work(ctx) })
		<-a.turns
	case <-ctx.Done():
		r.err = ctx.Err()
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if ctx.Err() == nil {
		a.kept.Add(key, r)
	}
	t.result = r
	t.idle.Stop()
	delete(a.working, key)
	close(t.done)
	if len(a.working) == 0 && a.after != nil {
		a.after()
	}
}

// letGo forgets what has been worked out, and calls after once nothing is on its way any more: what somebody waits for is
// worked out to its end.
func (a *answers) letGo(after func()) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.kept.Purge()
	if a.after = after; len(a.working) == 0 {
		after()
	}
}

// safely turns a panic into an error: one bad circuit is no reason for the others to suffer.
func safely[T any](work func() (T, error)) (value T, err error) {
	defer func() {
		if p := recover(); p != nil {
			err = room.Caught(p)
		}
	}()
	return work()
}
