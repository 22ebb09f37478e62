// Package demo loads the demo workshop. Everything in it is invented: the workshop, its
// vehicles, their circuits, the people and every figure.
package demo

import (
	"context"
	"fmt"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/library"
	"ironthread/store"
)

// Workshop is the demo workshop's name.
const Workshop = "Skerrow County Works"

// Library puts the shipped harnesses into the store, or brings them up to date.
func Library(ctx context.Context, keep *store.Store) error {
	entries, err := library.All()
	if err != nil {
		return err
	}
	for _, e := range entries {
		if _, err := keep.PutHarness(ctx, e.Name, e.Circuit.Title, string(e.Text)); err != nil {
			return err
		}
	}
	return nil
}

var vehicles = []string{"Gritter 4", "Gritter 6", "Gritter 9", "Library bus", "Verge mower", "Tide-gate pump truck"}

// Load fills an empty store with the workshop; a store that has jobs keeps them as they are.
func Load(ctx context.Context, keep *store.Store, now time.Time) error {
	if err := Library(ctx, keep); err != nil {
		return err
	}
	jobs, err := keep.Jobs(ctx)
	if err != nil || len(jobs) > 0 {
		return err
	}
	l := &loader{ctx: ctx, keep: keep, vehicles: map[string]int64{}, harnesses: map[string]int64{}}
	for _, name := range vehicles {
		if l.vehicles[name], err = keep.PutVehicle(ctx, name, ""); err != nil {
			return err
		}
	}
	list, err := keep.Harnesses(ctx)
	if err != nil {
		return err
	}
	for _, h := range list {
		l.harnesses[h.Name] = h.ID
	}
	if err := photograph(ctx, keep, l.harnesses["f3-twin-series-parallel"]); err != nil {
		return err
	}
	for _, j := range stories {
		if err := l.tell(j, now); err != nil {
			return fmt.Errorf("demo: %s: %w", j.title, err)
		}
	}
	return nil
}

// story is one job of the demo as it happened.
type story struct {
	vehicle, harness, title, who string
	ago                          time.Duration // since it was opened
	events                       []event
}

// event is one entry, so many minutes after the one before.
type event struct {
	after  int
	did    string // a set-up action
	undid  string
	note   string
	closed string
	seen   *probe.Observation
}

type loader struct {
	ctx                 context.Context
	keep                *store.Store
	vehicles, harnesses map[string]int64
}

// tell writes a story's log, with what a healthy car would have shown beside each reading.
func (l *loader) tell(s story, now time.Time) error {
	entry, err := library.Open(s.harness)
	if err != nil {
		return err
	}
	model, err := electric.New(entry.Circuit)
	if err != nil {
		return err
	}
	guide, err := diagnose.New(model)
	if err != nil {
		return err
	}
	at := now.Add(-s.ago)
	id, err := l.keep.OpenJob(l.ctx, l.vehicles[s.vehicle], l.harnesses[s.harness], s.title, s.who, at)
	if err != nil {
		return err
	}
	var entries []job.Entry
	var ledger []string
	for _, e := range s.events {
		at = at.Add(time.Duration(e.after) * time.Minute)
		next := job.Entry{At: at, Who: s.who}
		switch {
		case e.did != "":
			next.Kind, next.Body.Action = job.Did, e.did
			ledger = append(ledger, e.did)
		case e.undid != "":
			next.Kind, next.Body.Action = job.Undid, e.undid
			ledger = without(ledger, e.undid)
		case e.note != "":
			next.Kind, next.Body.Text = job.Noted, e.note
		case e.closed != "":
			next.Kind, next.Body.Text = job.Closed, e.closed
		default:
			seen := *e.seen
			seen.Setup = append([]string(nil), ledger...)
			next.Kind, next.Body.Seen = job.Seen, &seen
			if next.Body.Expected, err = expected(guide, entry.Circuit, &seen); err != nil {
				return err
			}
		}
		entries = append(entries, next)
	}
	_, err = l.keep.Append(l.ctx, id, 1, entries...)
	return err
}

func expected(guide *diagnose.Guide, c *harness.Circuit, o *probe.Observation) (string, error) {
	setup, err := o.Check(c)
	if err != nil {
		return "", err
	}
	t := probe.Test{Do: probe.LookAtFans, State: c.State(o.State), Setup: setup}
	if o.Volts != nil {
		t.Do, t.At = probe.Volts, harness.ParsePin(o.At)
	}
	return guide.Healthy(t), nil
}

func without(list []string, gone string) []string {
	var kept []string
	for _, s := range list {
		if s != gone {
			kept = append(kept, s)
		}
	}
	return kept
}
