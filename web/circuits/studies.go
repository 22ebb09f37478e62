package circuits

import (
	"context"
	"encoding/json"
	"errors"
	"sync"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/study"
	"ironthread/store"
	"ironthread/web/room"
)

// A study plays for minutes in the background of one instance. How far it has come, and what it found, is in the database:
// whoever asks at another instance sees it there, and can stop it.

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

// Bounds of a study in time, and how often it gives a sign of life.
const (
	longestStudy = 30 * time.Minute
	studyBeat    = time.Second
)

// played is a study on its way.
type played struct {
	mu       sync.Mutex
	done, of int
	reports  []*study.Report
	failed   string
}

// standing is the study as it is kept.
func (p *played) standing(kind string, playing bool) store.Study {
	p.mu.Lock()
	defer p.mu.Unlock()
	reports := p.reports
	if reports == nil {
		reports = []*study.Report{}
	}
	b, err := json.Marshal(reports)
	failed := p.failed
	if err != nil {
		b, failed = []byte("[]"), "The study's figures could not be kept."
	}
	return store.Study{Kind: kind, Playing: playing, Done: p.done, Total: p.of, Reports: b, Failed: failed}
}

// play plays a study to its end, or until somebody stops it, or the application ends.
func (a *Circuits) play(sum, kind string, guide *diagnose.Guide) {
	ctx, stop := context.WithTimeout(context.Background(), longestStudy)
	defer stop()
	p := &played{}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		if broken := p.run(ctx, guide, studyRuns(kind)); broken != nil {
			a.LogPanic("a study broke off", broken, "kind", kind)
		}
	}()
	beat := time.NewTicker(studyBeat)
	defer beat.Stop()
	for {
		select {
		case <-ended:
			<-a.playing // whoever sees the end may begin the next
			if _, err := a.keep.KeepStudy(context.WithoutCancel(ctx), sum, p.standing(kind, false)); err != nil {
				a.Log.Error("keeping a study", "error", err)
			}
			return
		case <-beat.C:
			stopped, err := a.keep.KeepStudy(ctx, sum, p.standing(kind, true))
			if err != nil {
				a.Log.Warn("keeping a study", "error", err) // the next sign of life says the same
			}
			if stopped {
				stop()
			}
		}
	}
}

// run plays the runs; what it gives is a panic that broke it off.
func (p *played) run(ctx context.Context, g *diagnose.Guide, runs []study.Options) (broken *room.Broken) {
	defer func() {
		if panicked := recover(); panicked != nil {
			broken = room.Caught(panicked)
			p.mu.Lock()
			p.failed = "The study broke off; the log of the application says why."
			p.mu.Unlock()
		}
		g.Close()
	}()
	for _, o := range runs {
		r, err := study.Play(ctx, g, o, func(done, of int) {
			p.mu.Lock()
			defer p.mu.Unlock()
			p.done, p.of = done, of
		})
		p.mu.Lock()
		switch {
		case err == nil, errors.Is(err, context.Canceled) && r != nil && len(r.Trials) > 0:
			p.reports = append(p.reports, r)
		case !errors.Is(err, context.Canceled):
			p.failed = room.Capitalise(err.Error()) + "."
		}
		p.mu.Unlock()
		if err != nil {
			return nil
		}
	}
	return nil
}
