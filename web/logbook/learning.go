package logbook

import (
	"context"
	"sync"
	"time"

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
}

// Closed is what counting the closed jobs needs of the store.
type Closed interface {
	ClosedJobs(ctx context.Context, words string) ([]store.Line, error)
	ClosedVersion(ctx context.Context) (string, error)
	Setting(ctx context.Context, name string, value any) (bool, error)
}

// NewLearning counts nothing yet.
func NewLearning(keep Closed) *Learning { return &Learning{keep: keep} }

// learningKept is how long other instances' closings may go unnoticed.
const learningKept = 10 * time.Second

// Counted is what the workshop's own closed jobs teach, and their book.
func (l *Learning) Counted(ctx context.Context) (*logbook.Book, diagnose.Experience, error) {
	l.mu.Lock()
	if time.Now().Before(l.until) {
		defer l.mu.Unlock()
		return l.book, l.value, nil
	}
	version := l.version
	from := l.from
	l.mu.Unlock()
	now, err := l.keep.ClosedVersion(ctx)
	if err != nil {
		return nil, nil, err
	}
	var since time.Time
	if _, err := l.keep.Setting(ctx, learnFrom, &since); err != nil {
		return nil, nil, err
	}
	var lines []logbook.Line
	if same := now == version && since.Equal(from); !same {
		if lines, err = l.closedLines(ctx, ""); err != nil {
			return nil, nil, err
		}
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if lines != nil || l.book == nil {
		l.version, l.from, l.book, l.value = now, since, logbook.Sum(lines), logbook.Experience(lines, since)
	}
	l.until = time.Now().Add(learningKept)
	return l.book, l.value, nil
}

// closedLines reads the summaries of closed jobs, for counting.
func (l *Learning) closedLines(ctx context.Context, words string) ([]logbook.Line, error) {
	list, err := l.keep.ClosedJobs(ctx, words)
	if err != nil {
		return nil, err
	}
	lines := make([]logbook.Line, 0, len(list))
	for _, line := range list {
		lines = append(lines, logbook.Line{Summary: line.Summary})
	}
	return lines, nil
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
	l.mu.Unlock()
}
