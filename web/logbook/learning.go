package logbook

import (
	"context"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"

	"ironthread/core/diagnose"
	"ironthread/core/logbook"
	"ironthread/store"
)

// The moment from which closed jobs count into the priors is a setting of the workshop.
const learnFrom = "learn-from"

// Learning keeps what is counted over closed jobs for as long as none is added to them.
type Learning struct {
	keep    Closed
	mu      sync.Mutex
	version string
	from    time.Time
	value   diagnose.Experience
	book    *logbook.Book
	until   time.Time // until then nobody asks whether one has been added

	forgotten int // how often Forget was called
	counting  singleflight.Group
}

// Closed is what counting the closed jobs needs of the store.
type Closed interface {
	ClosedJobs(ctx context.Context) ([]store.Line, error)
	ClosedVersion(ctx context.Context) (string, error)
	Setting(ctx context.Context, name string, value any) (bool, error)
}

// NewLearning counts nothing yet.
func NewLearning(keep Closed) *Learning { return &Learning{keep: keep} }

// learningKept is how long other instances' closings may go unnoticed.
const learningKept = 10 * time.Second

// countedWithin is how long a page waits for the counting of many closed jobs; until it is done, what was counted before holds.
const countedWithin = 400 * time.Millisecond

// Counted is what the workshop's own closed jobs teach, and their book. They are counted once for all who ask.
func (l *Learning) Counted(ctx context.Context) (*logbook.Book, diagnose.Experience, error) {
	l.mu.Lock()
	fresh, book, value := time.Now().Before(l.until), l.book, l.value
	l.mu.Unlock()
	if fresh {
		return book, value, nil
	}
	counted := l.counting.DoChan("", func() (any, error) { return nil, l.count(context.WithoutCancel(ctx)) })
	var late <-chan time.Time
	if book != nil {
		late = time.After(countedWithin)
	}
	select {
	case r := <-counted:
		if r.Err != nil {
			return nil, nil, r.Err
		}
	case <-late:
	case <-ctx.Done():
		return nil, nil, ctx.Err()
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.book, l.value, nil
}

// count counts anew where a job has been closed or reopened since, or the moment from which they count was set.
func (l *Learning) count(ctx context.Context) error {
	l.mu.Lock()
	version, from, forgotten := l.version, l.from, l.forgotten
	l.mu.Unlock()
	now, err := l.keep.ClosedVersion(ctx)
	if err != nil {
		return err
	}
	var since time.Time
	if _, err := l.keep.Setting(ctx, learnFrom, &since); err != nil {
		return err
	}
	var lines []logbook.Line
	if same := now == version && since.Equal(from); !same {
		if lines, err = l.closedLines(ctx); err != nil {
			return err
		}
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if lines != nil || l.book == nil {
		l.version, l.from, l.book, l.value = now, since, logbook.Sum(lines), logbook.Experience(lines, since)
	}
	if l.forgotten == forgotten { // else one was closed meanwhile, and whoever asks next counts again
		l.until = time.Now().Add(learningKept)
	}
	return nil
}

// closedLines reads the summaries of closed jobs, for counting.
func (l *Learning) closedLines(ctx context.Context) ([]logbook.Line, error) {
	list, err := l.keep.ClosedJobs(ctx)
	if err != nil {
		return nil, err
	}
	return summaries(list), nil
}

func summaries(list []store.Line) []logbook.Line {
	lines := make([]logbook.Line, 0, len(list))
	for _, line := range list {
		lines = append(lines, logbook.Line{Summary: line.Summary})
	}
	return lines
}

// Experience is what the workshop's own closed jobs teach.
func (l *Learning) Experience(ctx context.Context) (diagnose.Experience, error) {
	_, value, err := l.Counted(ctx)
	return value, err
}

// Forget makes the next request ask whether anything has been added.
func (l *Learning) Forget() {
	l.mu.Lock()
	l.until = time.Time{}
	l.forgotten++
	l.counting.Forget("") // what is being counted may lack the one that was closed just now
	l.mu.Unlock()
}
