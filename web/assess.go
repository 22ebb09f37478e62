package web

import (
	"context"

	"crypto/sha256"
	"encoding/json"
	"fmt"
	"sync"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/probe"
)

// keptAssessments bounds how many a circuit keeps.
const keptAssessments = 48

// assessing is an assessment in the making: no request makes it, they look whether it is there.
type assessing struct {
	ready chan struct{}
	as    *diagnose.Assessment
	err   error
}

// assessments of one circuit, by what they were asked of.
type assessments struct {
	mu    sync.Mutex
	bySum *recent[*assessing]
}

// assess gives what the evidence leaves if that is known, or gets known within so long; ready
// is false while it is being worked out.
func (w *work) assess(seen []probe.Observation, now diagnose.Now, patience time.Duration) (as *diagnose.Assessment, ready bool, err error) {
	sum := assessmentSum(seen, now)
	w.assessed.mu.Lock()
	if w.assessed.bySum == nil {
		w.assessed.bySum = newRecent[*assessing](keptAssessments)
	}
	one, ok := w.assessed.bySum.find(sum)
	if !ok {
		one = &assessing{ready: make(chan struct{})}
		w.assessed.bySum.keep(sum, one)
		go func() {
			defer close(one.ready)
			defer func() {
				if p := recover(); p != nil {
					one.err = fmt.Errorf("working out what the evidence leaves: %v", p)
				}
			}()
			one.as, one.err = w.guide.Assess(context.Background(), seen, now)
		}()
	}
	w.assessed.mu.Unlock()
	select {
	case <-one.ready:
		return one.as, true, one.err
	default:
	}
	timer := time.NewTimer(patience)
	defer timer.Stop()
	select {
	case <-one.ready:
		return one.as, true, one.err
	case <-timer.C:
		return nil, false, nil
	}
}

func assessmentSum(seen []probe.Observation, now diagnose.Now) [32]byte {
	state := ""
	if now.State != nil {
		state = now.State.Name
	}
	b, err := json.Marshal(struct {
		Seen   []probe.Observation
		State  string
		Setup  []string
		Kit    probe.Kit
		School probe.School
		Learnt diagnose.Experience
	}{seen, state, probe.SetupWords(now.Setup), now.Kit, now.School, now.Learnt})
	if err != nil { // such values always marshal
		return [32]byte{}
	}
	return sha256.Sum256(b)
}
