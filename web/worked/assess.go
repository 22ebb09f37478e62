package worked

import (
	"context"
	"encoding/json"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/probe"
)

// Assess gives what the evidence leaves if that is known, or gets known within so long; ready
// is false while it is being worked out.
func (w *Circuit) Assess(ctx context.Context, seen []probe.Observation, now diagnose.Now,
	patience time.Duration) (as *diagnose.Assessment, ready bool, err error) {
	return asked[*diagnose.Assessment](ctx, w, patience, question{"assess", seen, now, nil}, func(ctx context.Context) (any, error) {
		return w.Guide.Assess(ctx, seen, now)
	})
}

// Look weighs a test of a person's own choice.
func (w *Circuit) Look(ctx context.Context, seen []probe.Observation, now diagnose.Now, t probe.Test,
	patience time.Duration) (m diagnose.Move, ready bool, err error) {
	return asked[diagnose.Move](ctx, w, patience, question{"look", seen, now, t.Key()}, func(ctx context.Context) (any, error) {
		return w.Guide.Look(ctx, seen, now, t)
	})
}

// Why explains a suspect.
func (w *Circuit) Why(ctx context.Context, seen []probe.Observation, now diagnose.Now, fault string,
	patience time.Duration) (*diagnose.Explanation, bool, error) {
	return asked[*diagnose.Explanation](ctx, w, patience, question{"why", seen, now, fault}, func(ctx context.Context) (any, error) {
		return w.Guide.Why(ctx, seen, now, fault)
	})
}

// Refute looks for what could prove a believed part innocent.
func (w *Circuit) Refute(ctx context.Context, seen []probe.Observation, now diagnose.Now, part string,
	patience time.Duration) (*diagnose.Stakes, bool, error) {
	return asked[*diagnose.Stakes](ctx, w, patience, question{"refute", seen, now, part}, func(ctx context.Context) (any, error) {
		return w.Guide.Refute(ctx, seen, now, part)
	})
}

// Once works something else out of the circuit in the background, once for all who ask, and keeps it by its key.
func Once[T any](ctx context.Context, w *Circuit, key string, patience time.Duration, work func() (T, error)) (value T, ready bool,
	err error) {
	v, ready, err := w.answers.ask(ctx, key, patience, func(context.Context) (any, error) { return work() })
	if ready && err == nil {
		value = v.(T)
	}
	return value, ready, err
}

// question is what the guide is asked: by which evidence, as the car stands, and what it is about beside the evidence.
type question struct {
	what  string
	seen  []probe.Observation
	now   diagnose.Now
	about any
}

// asked puts a question to the guide in the background.
func asked[T any](ctx context.Context, w *Circuit, patience time.Duration, q question, work func(ctx context.Context) (any, error)) (
	answer T, ready bool, err error) {
	now := q.now
	state := ""
	if now.State != nil {
		state = now.State.Name
	}
	b, err := json.Marshal(struct {
		What, State string
		Seen        []probe.Observation
		Setup       []string
		Kit         probe.Kit
		School      probe.School
		Learnt      diagnose.Experience
		About       any
	}{q.what, state, q.seen, probe.SetupWords(now.Setup), now.Kit, now.School, now.Learnt, q.about})
	if err != nil {
		return answer, false, err
	}
	v, ready, err := w.answers.ask(ctx, SumOf(string(b)), patience, work)
	if ready && err == nil {
		answer = v.(T)
	}
	return answer, ready, err
}
