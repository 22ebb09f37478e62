package rewire

import (
	"context"
	"slices"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"ironthread/core/rewire"
	"ironthread/web/room"
)

// Bounds of what is worked out: how many plans are kept, how many are on their way at once, and how long one may take.
const (
	keptPlans = 16
	atOnce    = 2
	patience  = 2 * time.Minute // its turn included
)

// plan is what a wish comes to, on its way or there.
type plan struct {
	wish  *rewire.Wish
	ready chan struct{}
	plan  *rewire.Plan
	err   error

	mu       sync.Mutex
	done     int                // ways, found or refused
	found    []*rewire.Proposal // so far
	variants *lru.Cache[rewire.Family, []rewire.Variant]
}

// plans keeps what wishes come to.
type plans struct {
	kept  *lru.Cache[string, *plan]
	turns *room.Turns
}

func newPlans() *plans {
	p := &plans{turns: room.NewTurns(atOnce)}
	p.kept, _ = lru.New[string, *plan](keptPlans) // fails for sizes below one only
	return p
}

// of begins to work a wish out for somebody, or finds it begun.
func (p *plans) of(who, key string, wish *rewire.Wish) *plan {
	w := &plan{wish: wish, ready: make(chan struct{})}
	w.variants, _ = lru.New[rewire.Family, []rewire.Variant](len(rewire.Families))
	if before, there, _ := p.kept.PeekOrAdd(key, w); there {
		p.kept.Get(key) // it was asked for again
		return before
	}
	go func() {
		defer close(w.ready)
		ctx, stop := context.WithTimeout(context.Background(), patience) // others may wait for it when this page no longer does
		defer stop()
		done, err := p.turns.Take(ctx, who)
		if err != nil {
			w.err = err
			p.kept.Remove(key)
			return
		}
		defer done()
		w.plan, w.err = rewire.Propose(ctx, wish, w.hear)
		if w.err != nil {
			p.kept.Remove(key)
		}
	}()
	return w
}

// hear notes a way that is done.
func (w *plan) hear(p *rewire.Proposal) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.done++
	if p != nil {
		w.found = append(w.found, p)
	}
}

// sofar is how many ways are done, and what has been found.
func (w *plan) sofar() (done int, found []*rewire.Proposal) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.done, slices.Clone(w.found)
}

// within waits so long for a plan.
func (w *plan) within(ctx context.Context, most time.Duration) bool {
	timer := time.NewTimer(most)
	defer timer.Stop()
	select {
	case <-w.ready:
		return true
	case <-timer.C:
	case <-ctx.Done():
	}
	return false
}
