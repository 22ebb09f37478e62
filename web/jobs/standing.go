package jobs

import (
	"context"
	"sync"
	"time"

	"ironthread/core/diagnose"
	"ironthread/store"
)

// How a job stands by the guide is kept beside its log, for the lists. It is worked out in the background after each entry, by
// the instance that wrote it; pages only read it, and a page that is read writes nothing.

const (
	settling    = 256             // jobs that wait to be settled; one more is left to the next start
	settleAfter = 3 * time.Second // the last entry: whoever writes mostly looks at the job next, which works out the same
	settleFor   = 2 * time.Minute // the longest that one may take
)

// settler works out how jobs stand, one after the other.
type settler struct {
	mu   sync.Mutex
	soon map[int64]*time.Timer // jobs that have just been written to
	due  chan int64
	ctx  context.Context //nolint:containedctx // it lives as long as the settler
	stop context.CancelFunc
}

// beginSettling starts it; it ends with the application.
func (a *Jobs) beginSettling() {
	ctx, stop := context.WithCancel(context.Background())
	a.settler = &settler{soon: map[int64]*time.Timer{}, due: make(chan int64), ctx: ctx, stop: stop}
	go func() {
		for {
			select {
			case id := <-a.settler.due:
				if err := a.settleJob(ctx, id); err != nil && ctx.Err() == nil {
					a.LogPanic("working out how a job stands", err, "job", id)
				}
			case <-ctx.Done():
				return
			}
		}
	}()
}

// settle has it worked out how a job stands, once nothing has been written to it for a while.
func (a *Jobs) settle(id int64) {
	s := a.settler
	s.mu.Lock()
	defer s.mu.Unlock()
	if t := s.soon[id]; t != nil {
		t.Reset(settleAfter)
		return
	}
	if len(s.soon) >= settling {
		return // very many are due; the list works it out for itself until the next start
	}
	s.soon[id] = time.AfterFunc(settleAfter, func() {
		s.mu.Lock()
		delete(s.soon, id)
		s.mu.Unlock()
		select {
		case s.due <- id:
		case <-s.ctx.Done():
		}
	})
}

// SettleAll has all open jobs settled that are not.
func (a *Jobs) SettleAll(ctx context.Context) error {
	lines, _, err := a.keep.Jobs(ctx, store.Find{Open: true, Limit: settling})
	for _, l := range lines {
		if l.Standing == nil {
			a.settle(l.ID)
		}
	}
	return err
}

func (a *Jobs) settleJob(ctx context.Context, id int64) error {
	ctx, stop := context.WithTimeout(ctx, settleFor)
	defer stop()
	j, err := a.keep.Job(ctx, id)
	if err != nil {
		return err
	}
	entries, err := a.keep.Entries(ctx, id)
	if err != nil {
		return err
	}
	at, err := a.folded(j, entries)
	if err != nil || at.state.Closed {
		return nil //nolint:nilerr // a circuit that cannot be worked with is told of on its pages
	}
	if at.learnt, err = a.learnt.Experience(ctx); err != nil {
		return err
	}
	as, ready, err := at.assess(ctx, settleFor)
	if err != nil || !ready {
		return err
	}
	return a.keep.PutStanding(ctx, id, at.state.Last, standingOf(at.state, as))
}

// assess weighs the evidence as lists tell of it: with every tool at hand.
func (j *jobAt) assess(ctx context.Context, patience time.Duration) (*diagnose.Assessment, bool, error) {
	now := j.state.Now
	now.Learnt = j.learnt
	return j.file.Assess(ctx, j.state.Seen, now, patience)
}
