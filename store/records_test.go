package store_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/printed"
	"ironthread/store"
	"ironthread/store/storetest"
)

// Five instances start together on one empty database: one brings the schema up to date, all serve.
func TestFiveInstancesStartTogether(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	dsn := storetest.DSN(t)
	var wait sync.WaitGroup
	for n := range 5 {
		wait.Go(func() {
			s, err := store.Open(t.Context(), dsn)
			if !assert.NoError(t, err, "instance %d", n) {
				return
			}
			defer s.Close()
			_, err = s.PutVehicle(t.Context(), fmt.Sprintf("Gritter %d", n), "")
			assert.NoError(t, err)
		})
	}
	wait.Wait()
	s, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer s.Close()
	list, err := s.Vehicles(t.Context())
	require.NoError(t, err)
	assert.Len(t, list, 5)
}

// errHeld is a refusal of these tests' own.
var errHeld = errors.New("refused")

// closes is the decision to close, if nothing is left out.
func closes(l *store.Log) ([]job.Entry, error) {
	c, err := harness.Read([]byte(l.Source))
	if err != nil {
		return nil, err
	}
	if s := job.Fold(c, l.Entries); s.Closed || len(s.Ledger) > 0 {
		return nil, errHeld
	}
	return []job.Entry{{At: time.Now(), Who: "Oda", Body: job.Closing{Text: "done", Reason: job.NotReproduced}}}, nil
}

// pulls is the decision to pull a fuse, if the job is open.
func pulls(l *store.Log) ([]job.Entry, error) {
	c, err := harness.Read([]byte(l.Source))
	if err != nil {
		return nil, err
	}
	if job.Fold(c, l.Entries).Closed {
		return nil, errHeld
	}
	return []job.Entry{{At: time.Now(), Who: "Per", Body: job.Done{Action: "F1 out"}}}, nil
}

// A fuse pulled and the job closed at the same moment, hundreds of times: whichever comes first, the
// other is refused. No closed job has a fuse out.
func TestClosingAndPullingNeverBothHold(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	pairs := 300
	if testing.Short() {
		pairs = 40
	}
	var closed, out atomic.Int64
	var wait sync.WaitGroup
	slots := make(chan struct{}, 8)
	for range pairs {
		id := newJob(t, s)
		slots <- struct{}{}
		wait.Go(func() {
			defer func() { <-slots }()
			var two sync.WaitGroup
			for _, decide := range []store.Decide{closes, pulls} {
				two.Go(func() {
					if _, err := s.Append(ctx, id, 1, "", decide); err != nil {
						assert.ErrorIs(t, err, errHeld)
					}
				})
			}
			two.Wait()
			at, err := s.Job(ctx, id)
			assert.NoError(t, err)
			entries, err := s.Entries(ctx, id)
			assert.NoError(t, err)
			c, err := harness.Read([]byte(at.Source))
			assert.NoError(t, err)
			state := job.Fold(c, entries)
			assert.False(t, state.Closed && len(state.Ledger) > 0, "job %d is closed with %v", id, state.Ledger)
			assert.Len(t, entries, 2, "one of the two, never both, never neither")
			if state.Closed {
				closed.Add(1)
			} else {
				out.Add(1)
			}
		})
	}
	wait.Wait()
	t.Logf("%d pairs: closed first %d times, pulled first %d times, both never", pairs, closed.Load(), out.Load())
}

// A form that is sent twenty times is taken once.
func TestAFormIsTakenOnce(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	id := newJob(t, s)
	var taken, already atomic.Int64
	var wait sync.WaitGroup
	for range 20 {
		wait.Go(func() {
			switch _, err := s.Append(ctx, id, 1, "one form", write(note("salt"))); {
			case err == nil:
				taken.Add(1)
			case errors.Is(err, store.ErrAlready):
				already.Add(1)
			default:
				assert.NoError(t, err)
			}
		})
	}
	wait.Wait()
	assert.EqualValues(t, 1, taken.Load())
	assert.EqualValues(t, 19, already.Load())
	entries, err := s.Entries(ctx, id)
	require.NoError(t, err)
	assert.Len(t, entries, 2)
	// A form that was refused is not used up.
	_, err = s.Append(ctx, id, 1, "another form", func(*store.Log) ([]job.Entry, error) { return nil, errHeld })
	require.ErrorIs(t, err, errHeld)
	_, err = s.Append(ctx, id, 1, "another form", write(note("corrected")))
	require.NoError(t, err)
}

// A job goes by the revision it was opened with, whatever becomes of the harness, until its log says
// otherwise; struck, it goes by the old one again.
func TestAJobIsPinnedToItsRevision(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	id := newJob(t, s)
	h, err := s.HarnessNamed(ctx, "twin")
	require.NoError(t, err)
	require.NoError(t, s.ReviseHarness(ctx, "twin", h.Newest, "Twin fans, edited", circuit+"# edited\n"))
	at, err := s.Job(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, circuit, at.Source)
	assert.Equal(t, "Twin fans", at.Harness)
	assert.NotEqual(t, at.Revision, at.Newest)
	move := job.Entry{At: time.Now(), Who: "Oda", Body: job.Move{Revision: at.Newest}}
	_, err = s.Append(ctx, id, 1, "", write(move))
	require.NoError(t, err)
	moved, err := s.Job(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, circuit+"# edited\n", moved.Source)
	_, err = s.Append(ctx, id, 2, "", write(job.Entry{At: time.Now(), Who: "Oda", Body: job.Strike{Of: 2}}))
	require.NoError(t, err)
	back, err := s.Job(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, at.Revision, back.Revision)
	require.NoError(t, s.SetAside(ctx, "twin"))
	gone, err := s.Job(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, circuit, gone.Source, "deleted from the library, kept for its jobs")
	assert.Empty(t, gone.Sheet)
	_, err = s.OpenJob(ctx, store.NewJob{Vehicle: 1, Harness: h.ID, Title: "x", Who: "Oda", At: time.Now()})
	require.ErrorIs(t, err, store.ErrNotFound)
	// A shipped one that was deleted stays so.
	_, err = s.PutHarness(ctx, "twin", "Twin fans", circuit+"# newer\n")
	require.NoError(t, err)
	_, err = s.HarnessNamed(ctx, "twin")
	require.ErrorIs(t, err, store.ErrNotFound)
}

// The database itself refuses to change what is recorded.
func TestRecordsNeverChange(t *testing.T) {
	dsn := storetest.DSN(t)
	s, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer s.Close()
	newJob(t, s)
	db, err := sqlx.Open("pgx", dsn)
	require.NoError(t, err)
	defer db.Close()
	for _, q := range []string{
		`UPDATE entries SET who = 'nobody'`, `DELETE FROM entries`, `UPDATE harness_revisions SET source = ''`, `DELETE FROM harness_revisions`,
	} {
		_, err := db.Exec(q)
		require.Error(t, err, q)
		assert.Contains(t, err.Error(), "never changed", q)
	}
}

// Lists read summaries: found by words from their beginnings, page by page, open before closed.
func TestJobsAreListedAndFound(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	var ids []int64
	for range 7 {
		ids = append(ids, newJob(t, s))
	}
	_, err := s.Append(ctx, ids[2], 1, "", write(
		job.Entry{At: time.Now(), Who: "Oda", Body: job.Repair{Action: "F1 renewed", Fault: "F1 open", Proven: true}},
		job.Entry{At: time.Now(), Who: "Oda", Body: job.Closing{Text: "salzige Brücke O'Hara", Reason: job.Verified}}))
	require.NoError(t, err)
	list, of, err := s.Jobs(ctx, store.Find{Limit: 3, From: 6})
	require.NoError(t, err)
	assert.Equal(t, 7, of)
	require.Len(t, list, 1)
	assert.Equal(t, ids[2], list[0].ID, "closed ones last")
	assert.Equal(t, []string{"fuse open"}, list[0].Summary.Kinds)
	for words, n := range map[string]int{"f1 open": 1, "SALZ brück": 1, "hara": 1, "gritt": 7, "runs hot twin": 7, "f2": 0,
		"' | & ! :* --": 7, "": 7} {
		_, of, err := s.Jobs(ctx, store.Find{Words: words, Limit: 1})
		require.NoError(t, err, words)
		assert.Equal(t, n, of, "%q", words)
	}
	closed, err := s.ClosedJobs(ctx)
	require.NoError(t, err)
	assert.Len(t, closed, 1)
	version, err := s.ClosedVersion(ctx)
	require.NoError(t, err)
	require.NoError(t, s.PutStanding(ctx, ids[0], 1, store.Standing{Stage: "narrowing", Text: "4 left"}))
	list, _, err = s.Jobs(ctx, store.Find{Open: true, Limit: 10})
	require.NoError(t, err)
	at := slices.IndexFunc(list, func(l store.Line) bool { return l.ID == ids[0] })
	require.NotNil(t, list[at].Standing)
	assert.Equal(t, "narrowing", list[at].Standing.Stage)
	_, err = s.Append(ctx, ids[0], 1, "", write(note("newer")))
	require.NoError(t, err)
	list, _, err = s.Jobs(ctx, store.Find{Open: true, Limit: 10})
	require.NoError(t, err)
	at = slices.IndexFunc(list, func(l store.Line) bool { return l.ID == ids[0] })
	assert.Nil(t, list[at].Standing, "older than the newest entry")
	again, err := s.ClosedVersion(ctx)
	require.NoError(t, err)
	assert.Equal(t, version, again)
}

// A database that hangs does not hold a call for ever.
func TestACallHasADeadline(t *testing.T) {
	s := storetest.Open(t)
	ctx, cancel := context.WithTimeout(t.Context(), time.Nanosecond)
	defer cancel()
	_, _, err := s.Jobs(ctx, store.Find{})
	require.ErrorIs(t, err, store.ErrUnreachable)
	require.NoError(t, s.Healthy(t.Context()))
}

// A full disk is said as such, and nothing of what was being written is there afterwards.
func TestAFullDiskIsSaid(t *testing.T) {
	dsn := storetest.DSN(t)
	s, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	id := newJob(t, s)
	before, err := s.Entries(t.Context(), id)
	require.NoError(t, err)
	db, err := sqlx.Open("pgx", dsn)
	require.NoError(t, err)
	defer db.Close()
	for _, step := range []string{
		`CREATE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS
			$$ BEGIN RAISE EXCEPTION 'no space left on device' USING ERRCODE = '53100'; END $$`,
		`CREATE TRIGGER full_disk BEFORE INSERT ON entries FOR EACH ROW EXECUTE FUNCTION full_disk()`,
	} {
		_, err = db.ExecContext(t.Context(), step)
		require.NoError(t, err)
	}
	_, err = s.Append(t.Context(), id, 1, "a form", write(note("salt")))
	require.ErrorIs(t, err, store.ErrFull)
	after, err := s.Entries(t.Context(), id)
	require.NoError(t, err)
	assert.Equal(t, before, after)
	_, err = db.ExecContext(t.Context(), `DROP TRIGGER full_disk ON entries`)
	require.NoError(t, err)
	_, err = s.Append(t.Context(), id, 1, "a form", write(note("salt")))
	assert.NoError(t, err, "the form was not used up by the attempt")
}

// The pages of a search are the pages of the whole list with all else left out, whether many jobs hold its words or few.
func TestThePagesOfASearch(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	s := storetest.Open(t)
	ctx := t.Context()
	vehicle, err := s.PutVehicle(ctx, "Gritter 6", "")
	require.NoError(t, err)
	harness, err := s.PutHarness(ctx, "twin", "Twin fans", circuit)
	require.NoError(t, err)
	at := time.Now()
	for n := range 460 {
		title := "hot"
		if n%2 == 0 {
			title += " and often"
		}
		if n%50 == 0 {
			title += " and seldom"
		}
		_, err := s.OpenJob(ctx, store.NewJob{Vehicle: vehicle, Harness: harness, Title: title,
			Who: "Oda", At: at.Add(time.Duration(n) * time.Second)})
		require.NoError(t, err)
	}
	all, _, err := s.Jobs(ctx, store.Find{Limit: 500})
	require.NoError(t, err)
	for word, many := range map[string]int{"often": 230, "seldom": 10} {
		var want, got []int64
		for _, l := range all {
			if strings.Contains(l.Title, word) {
				want = append(want, l.ID)
			}
		}
		require.Len(t, want, many)
		const step = 40
		for from := 0; ; from += step {
			page, of, err := s.Jobs(ctx, store.Find{Words: word, Limit: step, From: from})
			require.NoError(t, err)
			assert.Equal(t, min(many, from+store.Ahead), of)
			for _, l := range page {
				got = append(got, l.ID)
			}
			if len(page) < step {
				break
			}
		}
		assert.Equal(t, want, got, word)
	}
}

// Pages stay with the revision that they were laid on: a job that goes by an older one keeps the page that it had, and a revision on
// which nothing was laid takes what was laid before it.
func TestPagesStayWithTheirRevision(t *testing.T) {
	s := storetest.Open(t)
	ctx := t.Context()
	_, err := s.PutHarness(ctx, "twin", "Twin fans", circuit)
	require.NoError(t, err)
	first, err := s.HarnessNamed(ctx, "twin")
	require.NoError(t, err)
	none, err := s.Printed(ctx, first.ID, first.Revision)
	require.NoError(t, err)
	assert.Empty(t, none.Pages)
	revise := func(mark string) store.Harness {
		h, err := s.HarnessNamed(ctx, "twin")
		require.NoError(t, err)
		require.NoError(t, s.ReviseHarness(ctx, "twin", h.Newest, "Twin fans", circuit+"# "+mark+"\n"))
		h, err = s.HarnessNamed(ctx, "twin")
		require.NoError(t, err)
		return h
	}
	lay := func(h store.Harness, jpeg string) {
		require.NoError(t, s.PutPages(ctx, h, []store.PrintedPage{{Number: 1, Width: 9, Height: 6, JPEG: []byte(jpeg)}},
			printed.Places{"F1": {Page: 1, X: len(jpeg)}}))
	}
	shown := func(h store.Harness) string {
		of, err := s.Printed(ctx, h.ID, h.Revision)
		require.NoError(t, err)
		require.Len(t, of.Pages, 1)
		p, err := s.PageOf(ctx, h.ID, of.On, 1)
		require.NoError(t, err)
		assert.Equal(t, len(p.JPEG), of.Places["F1"].X, "its places are its own")
		return string(p.JPEG)
	}
	second := revise("again")
	lay(second, "a page")
	third := revise("once more")
	assert.Equal(t, "a page", shown(first), "none was laid before it: the first that there is")
	assert.Equal(t, "a page", shown(third), "nothing was laid anew")
	lay(third, "another page")
	assert.Equal(t, []string{"a page", "a page", "another page"}, []string{shown(first), shown(second), shown(third)})
	lay(third, "page, straighter")
	assert.Equal(t, "page, straighter", shown(third), "in place of what was laid on the same")
	last, err := s.PageOf(ctx, third.ID, 0, 1)
	require.NoError(t, err)
	assert.Equal(t, "page, straighter", string(last.JPEG))
	_, err = s.PageOf(ctx, third.ID, first.Revision, 1)
	require.ErrorIs(t, err, store.ErrNotFound)
}
