package room

import (
	"context"
	"sync"

	"github.com/gin-gonic/gin"
)

// Turns lets a few pieces of heavy work be done at once, and takes those who wait in turn, person by person: whoever asks for
// very much waits for their own work, not the others for it.
type Turns struct {
	mu      sync.Mutex
	free    int
	waiting map[string][]chan struct{} // of each person, in the order in which they came
	order   []string                   // persons who wait; the first is next
}

// NewTurns lets so many be done at once.
func NewTurns(atOnce int) *Turns { return &Turns{free: atOnce, waiting: map[string][]chan struct{}{}} }

// Asker is whose turn a request takes: of whoever has signed in, else of the address.
func Asker(c *gin.Context) string {
	if SignedHere(c) {
		return "person " + Who(c)
	}
	return "address " + c.ClientIP()
}

// Take waits for a turn of somebody's; done gives it back. The error is the context's.
func (t *Turns) Take(ctx context.Context, who string) (done func(), err error) {
	t.mu.Lock()
	if t.free > 0 {
		t.free--
		t.mu.Unlock()
		return sync.OnceFunc(t.next), nil
	}
	mine := make(chan struct{})
	if len(t.waiting[who]) == 0 {
		t.order = append(t.order, who)
	}
	t.waiting[who] = append(t.waiting[who], mine)
	t.mu.Unlock()
	select {
	case <-mine:
		return sync.OnceFunc(t.next), nil
	case <-ctx.Done():
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	list := t.waiting[who]
	for k, w := range list {
		if w == mine {
			t.waiting[who] = append(list[:k:k], list[k+1:]...)
			t.tidy(who)
			return nil, ctx.Err()
		}
	}
	return sync.OnceFunc(t.next), nil // the turn came just then
}

// next hands a turn on to the person who has waited longest for one.
func (t *Turns) next() {
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.order) == 0 {
		t.free++
		return
	}
	who := t.order[0]
	t.order = t.order[1:]
	first := t.waiting[who][0]
	t.waiting[who] = t.waiting[who][1:]
	if len(t.waiting[who]) > 0 {
		t.order = append(t.order, who) // the others first
	} else {
		delete(t.waiting, who)
	}
	close(first)
}

// tidy drops a person for whom nothing waits any more.
func (t *Turns) tidy(who string) {
	if len(t.waiting[who]) > 0 {
		return
	}
	delete(t.waiting, who)
	for k, w := range t.order {
		if w == who {
			t.order = append(t.order[:k:k], t.order[k+1:]...)
			return
		}
	}
}
