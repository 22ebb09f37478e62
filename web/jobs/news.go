package jobs

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/store"
	"ironthread/web/room"
)

// Whoever has a job open is told at once when somebody else writes to it: by server-sent events, each a line that there is
// something to read. The page then asks for what it is. A stream ends by itself well within a request's time, and the browser
// begins it anew, so that none is ever left behind.

// Bounds of the streams.
const (
	streamFor   = 30 * time.Second
	mostStreams = 400
	mostOfOne   = 12 // of one person, or of one address where nobody signs in: tabs and devices
	againAfter  = 500 * time.Millisecond
)

// news knows who waits for which job.
type news struct {
	mu      sync.Mutex
	waiting map[int64]map[chan struct{}]bool
	open    int
	each    map[string]int // of whom
	over    chan struct{}  // closed once every stream is to end
	once    sync.Once
}

func newNews() *news {
	return &news{waiting: map[int64]map[chan struct{}]bool{}, each: map[string]int{}, over: make(chan struct{})}
}

// wait begins to wait for a job; false where too many wait already.
func (n *news) wait(id int64, who string) (told chan struct{}, done func(), ok bool) {
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.open >= mostStreams || n.each[who] >= mostOfOne {
		return nil, nil, false
	}
	n.open++
	n.each[who]++
	told = make(chan struct{}, 1)
	if n.waiting[id] == nil {
		n.waiting[id] = map[chan struct{}]bool{}
	}
	n.waiting[id][told] = true
	return told, func() {
		n.mu.Lock()
		defer n.mu.Unlock()
		n.open--
		if n.each[who]--; n.each[who] == 0 {
			delete(n.each, who)
		}
		delete(n.waiting[id], told)
		if len(n.waiting[id]) == 0 {
			delete(n.waiting, id)
		}
	}, true
}

// end ends every stream, and those to come at once.
func (n *news) end() { n.once.Do(func() { close(n.over) }) }

// tell wakes whoever waits for a job; everybody, where it is not known which.
func (n *news) tell(id int64) {
	n.mu.Lock()
	defer n.mu.Unlock()
	wake := func(waiting map[chan struct{}]bool) {
		for told := range waiting {
			select {
			case told <- struct{}{}:
			default: // it has not read the last one yet
			}
		}
	}
	if id != store.AnyJob {
		wake(n.waiting[id])
		return
	}
	for _, waiting := range n.waiting {
		wake(waiting)
	}
}

// EndStreams ends every stream: a server that stops waits for none.
func (a *Jobs) EndStreams() { a.news.end() }

// Listen passes on what is written anywhere, until the context ends.
func (a *Jobs) Listen(ctx context.Context) {
	a.keep.Listen(ctx, a.news.tell, func(err error) {
		if err != nil {
			a.Log.Warn("news of other instances is cut off; it is tried again", "error", err)
			return
		}
		a.Log.Info("news of other instances is here again")
	})
}

// events streams that a job's log has grown beyond what the page saw.
func (a *Jobs) events(c *gin.Context) {
	id, ok := jobID(c)
	saw, err := strconv.Atoi(c.Query("saw"))
	if !ok || err != nil {
		c.Status(http.StatusNoContent) // tells the browser not to begin again
		return
	}
	told, done, ok := a.news.wait(id, room.Asker(c))
	if !ok {
		c.Status(http.StatusServiceUnavailable)
		return
	}
	defer done()
	c.Header("Content-Type", "text/event-stream")
	c.Header("X-Accel-Buffering", "no") // a proxy passes it on at once
	c.Status(http.StatusOK)
	if _, err := fmt.Fprintf(c.Writer, "retry: %d\n\n", againAfter.Milliseconds()); err != nil {
		return
	}
	end := time.NewTimer(streamFor)
	defer end.Stop()
	for {
		last, err := a.keep.LastSeq(c.Request.Context(), id)
		if err != nil {
			return
		}
		if last > saw {
			saw = last
			if _, err := fmt.Fprintf(c.Writer, "event: newer\ndata: %d\n\n", last); err != nil {
				return
			}
		}
		c.Writer.Flush()
		select {
		case <-told:
		case <-end.C:
			return
		case <-a.news.over:
			return
		case <-c.Request.Context().Done():
			return
		}
	}
}
