package circuits

import (
	"context"
	"errors"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"ironthread/core/diagnose"
	"ironthread/core/study"
	"ironthread/web/room"
)

// studying is a study on its way in the background; it is kept until another is begun, or others are
// looked at.
type studying struct {
	mu       sync.Mutex
	playing  bool
	kind     string
	done, of int
	reports  []*study.Report
	failed   string
	stop     context.CancelFunc
}

// keptStudies bounds how many circuits' studies are kept.
const keptStudies = 6

// studies by the circuit's text; the one looked at longest ago is forgotten, and stopped.
type studies struct {
	mu   sync.Mutex
	kept *lru.Cache[string, *studying]
}

func newStudies() *studies {
	kept, _ := lru.NewWithEvict(keptStudies, func(_ string, s *studying) { s.end() }) // fails for sizes below one only
	return &studies{kept: kept}
}

func (s *studies) of(sum string) *studying {
	s.mu.Lock()
	defer s.mu.Unlock()
	one, ok := s.kept.Get(sum)
	if !ok {
		one = &studying{stop: func() {}}
		s.kept.Add(sum, one)
	}
	return one
}

// busy tells whether a study is on its way that is not this one: they take a whole core.
func (s *studies) busy(but *studying) bool {
	for _, other := range s.kept.Values() {
		if other != but && other.running() {
			return true
		}
	}
	return false
}

func (s *studying) running() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.playing
}

func (s *studying) end() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stop()
}

// Kinds of study, each a list of runs.
var studyKinds = []room.Choice{
	{Value: "clean", Label: "Every fault, every reading right"},
	{Value: "spread", Label: "Cars within tolerance, 2 % misreads"},
	{Value: "doubles", Label: "Two faults at once, repaired to the end"},
}

func studyRuns(kind string) []study.Options {
	switch kind {
	case "spread":
		return []study.Options{{Spread: 1, Misread: 0.02}}
	case "doubles":
		return []study.Options{{Doubles: 40}}
	}
	return []study.Options{{}, {Policy: study.Textbook}}
}

// start begins a study unless one is on its way.
func (s *studying) start(guide *diagnose.Guide, kind string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.playing {
		return
	}
	ctx, stop := context.WithTimeout(context.Background(), longestStudy)
	s.playing, s.kind, s.stop, s.done, s.of, s.reports, s.failed = true, kind, stop, 0, 0, nil, ""
	go s.run(ctx, guide, studyRuns(kind))
}

func (s *studying) run(ctx context.Context, g *diagnose.Guide, runs []study.Options) {
	defer func() {
		p := recover()
		g.Close()
		s.mu.Lock()
		defer s.mu.Unlock()
		s.playing = false
		s.stop()
		if p != nil {
			s.failed = "The study broke off; the log of the application says why."
		}
	}()
	for _, o := range runs {
		r, err := study.Play(ctx, g, o, func(done, of int) {
			s.mu.Lock()
			defer s.mu.Unlock()
			s.done, s.of = done, of
		})
		s.mu.Lock()
		switch {
		case err == nil, errors.Is(err, context.Canceled) && r != nil && len(r.Trials) > 0:
			s.reports = append(s.reports, r)
		case !errors.Is(err, context.Canceled):
			s.failed = room.Capitalise(err.Error()) + "."
		}
		s.mu.Unlock()
		if err != nil {
			return
		}
	}
}

// longestStudy bounds a study in time.
const longestStudy = 30 * time.Minute
