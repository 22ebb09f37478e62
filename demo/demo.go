// Package demo loads the demo workshop. Everything in it is invented: the workshop, its
// vehicles, their circuits, the people and every figure.
package demo

import (
	"context"
	"fmt"
	"math"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/core/repair"
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
	_, jobs, err := keep.Jobs(ctx, store.Find{Anywhere: true, Limit: 1})
	if err != nil || jobs > 0 {
		return err
	}
	l := &loader{ctx: ctx, keep: keep, vehicles: map[string]int64{}, harnesses: map[string]int64{}, guides: map[string]*diagnose.Guide{}}
	defer l.close()
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
	if err := lay(ctx, keep); err != nil {
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
	after    int
	did      string // a set-up action
	note     string
	repaired *job.Repair
	verified string // every check made and as it should be, then closed with these words
	closed   string // with a reason other than verified
	seen     *probe.Observation
}

type loader struct {
	ctx                 context.Context
	keep                *store.Store
	vehicles, harnesses map[string]int64
	guides              map[string]*diagnose.Guide
}

// tell writes a story's log, with what a healthy car would have shown beside each reading.
func (l *loader) tell(s story, now time.Time) error {
	guide, err := l.guide(s.harness)
	if err != nil {
		return err
	}
	at := now.Add(-s.ago)
	id, err := l.keep.OpenJob(l.ctx, store.NewJob{Vehicle: l.vehicles[s.vehicle], Harness: l.harnesses[s.harness], Title: s.title,
		Who: s.who, At: at})
	if err != nil {
		return err
	}
	t := &telling{ctx: l.ctx, story: s, circuit: guide.Circuit(), model: guide.Model(), guide: guide, at: at}
	for _, e := range s.events {
		if err := t.event(e); err != nil {
			return err
		}
	}
	_, err = l.keep.Append(l.ctx, id, 1, "", func(*store.Log) ([]job.Entry, error) { return t.entries, nil })
	return err
}

// guide gives the guide of a circuit of the library, which is made once for all the stories that go by it.
func (l *loader) guide(name string) (*diagnose.Guide, error) {
	if g := l.guides[name]; g != nil {
		return g, nil
	}
	entry, err := library.Open(name)
	if err != nil {
		return nil, err
	}
	model, err := electric.New(entry.Circuit)
	if err != nil {
		return nil, err
	}
	g, err := diagnose.New(model)
	if err != nil {
		return nil, err
	}
	l.guides[name] = g
	return g, nil
}

// close lets go of what the guides have kept.
func (l *loader) close() {
	for _, g := range l.guides {
		g.Close()
	}
}

// telling is a story's log in the writing.
type telling struct {
	ctx context.Context
	story
	circuit *harness.Circuit
	model   *electric.Model
	guide   *diagnose.Guide
	at      time.Time
	ledger  []string
	repairs []job.Repair
	entries []job.Entry
}

func (t *telling) write(after int, body job.Body) {
	t.at = t.at.Add(time.Duration(after) * time.Minute)
	t.entries = append(t.entries, job.Entry{At: t.at, Who: t.who, Body: body})
}

func (t *telling) event(e event) error {
	switch {
	case e.did != "":
		t.write(e.after, job.Done{Action: e.did})
		t.ledger = append(t.ledger, e.did)
	case e.note != "":
		t.write(e.after, job.Note{Text: e.note})
	case e.repaired != nil:
		t.write(e.after, *e.repaired)
		t.ledger = append(t.ledger, e.repaired.Action)
		t.repairs = append(t.repairs, *e.repaired)
	case e.verified != "":
		return t.verify(e)
	case e.closed != "":
		return t.close(e.after, e.closed, job.NotReproduced)
	default:
		return t.see(e.after, *e.seen)
	}
	return nil
}

// see writes an observation with what a healthy car would have shown.
func (t *telling) see(after int, o probe.Observation) error {
	o.Setup = append([]string(nil), t.ledger...)
	test, err := o.Test(t.circuit)
	if err != nil {
		return err
	}
	good := t.guide.Healthy(test)
	t.write(after, job.Reading{Seen: o, Good: &good})
	return nil
}

// verify goes through the verification list with everything as it should be, and closes.
func (t *telling) verify(e event) error {
	setup, err := electric.ParseSetup(t.circuit, t.ledger)
	if err != nil {
		return err
	}
	list, err := repair.List(t.model, setup)
	if err != nil {
		return err
	}
	for _, r := range t.repairs {
		if f, err := fault.Parse(t.circuit, r.Fault); err == nil {
			list = append(list, repair.Causes(t.model, f)...)
		}
	}
	for _, check := range list {
		if check.Test == nil {
			t.write(1, job.Check{Key: check.Key, Answer: repair.AsExpected})
			continue
		}
		var o probe.Observation
		switch check.Test.Do {
		case probe.LookAtFans:
			o = probe.Seen(check.Test.State.Name, check.Fans)
		case probe.Amps:
			o = probe.Read(check.Test.State.Name, probe.InAmps.Shows(math.Round(5*(check.Low+check.High))/10), check.Test.At.String())
			o.How.Zeroed = true
		default:
			o = probe.Observation{Question: probe.Question{Do: probe.TroubleCodes, State: check.Test.State.Name}, Answer: probe.Codes{}}
		}
		if err := t.see(1, o); err != nil {
			return err
		}
	}
	return t.close(e.after, e.verified, job.Verified)
}

// close closes the job, with what it came to.
func (t *telling) close(after int, words string, reason job.Reason) error {
	opened := job.Entry{At: t.at, Who: t.who, Body: job.Complaint{Text: t.title}}
	state := job.Fold(t.circuit, append([]job.Entry{opened}, t.entries...))
	list, err := repair.List(t.model, state.Ledger)
	if err != nil {
		return err
	}
	as, err := t.guide.Assess(t.ctx, state.Seen, state.Now)
	if err != nil {
		return err
	}
	state.Closed, state.Reason = true, reason
	came := job.Conclude(t.circuit, job.Verify(t.model, list, state), state, as, t.title)
	t.write(after, job.Closing{Text: words, Reason: reason, Conclusion: came})
	return nil
}
