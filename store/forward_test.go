package store_test

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/store"
	"ironthread/store/storetest"
)

// asOf fills a database whose schema is that of a version with what the application of that version would have written: a
// harness, a vehicle, and a job with a complaint, a fuse pulled and a note.
func asOf(t *testing.T, db *sql.DB, version int64) {
	t.Helper()
	do := func(statement string, args ...any) {
		_, err := db.ExecContext(t.Context(), statement, args...)
		require.NoError(t, err, statement)
	}
	do(`INSERT INTO vehicles (name, notes) VALUES ('Gritter 6', 'salt')`)
	switch {
	case version < 4:
		do(`INSERT INTO harnesses (name, title, source) VALUES ('twin', 'Twin fans', $1)`, circuit)
		do(`INSERT INTO jobs (vehicle_id, harness_id, title) VALUES (1, 1, 'runs hot')`)
	default:
		do(`INSERT INTO harnesses (name) VALUES ('twin')`)
		do(`INSERT INTO harness_revisions (harness_id, number, title, source) VALUES (1, 1, 'Twin fans', $1)`, circuit)
		do(`UPDATE harnesses SET revision_id = 1`)
		do(`INSERT INTO jobs (vehicle_id, opened_with, revision_id, title) VALUES (1, 1, 1, 'runs hot')`)
	}
	for k, e := range []job.Entry{
		{Body: job.Complaint{Text: "runs hot"}}, {Body: job.Done{Action: "F1 out"}}, note("salt in the plug"),
	} {
		b, err := json.Marshal(e.Body)
		require.NoError(t, err)
		do(`INSERT INTO entries (job_id, seq, who, kind, body) VALUES (1, $1, 'Oda', $2, $3)`, k+1, string(e.Kind()), b)
	}
	if version >= 3 {
		do(`INSERT INTO job_photos (job_id, jpeg) VALUES (1, '\xffd8ff')`)
	}
	if version == 11 { // pages without a revision
		do(`INSERT INTO harness_pages (harness_id, number, jpeg, width, height) VALUES (1, 1, 'page', 9, 6)`)
		do(`INSERT INTO harness_places (harness_id, places) VALUES (1, '{"F1": {"page": 1, "x": 7, "y": 8}}')`)
	}
	if version >= 5 {
		do(`INSERT INTO people (name, role, secret) VALUES ('Maud', 'lead', 'x')`)
	}
}

// A database of every version before is brought to this one, with everything in it.
func TestForwardFromEveryVersion(t *testing.T) {
	files, err := os.ReadDir("migrations")
	require.NoError(t, err)
	for version := int64(1); version < int64(len(files)); version++ {
		t.Run(fmt.Sprint(version), func(t *testing.T) {
			dsn := storetest.DSN(t)
			db, err := sql.Open("pgx", dsn)
			require.NoError(t, err)
			provider, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("migrations"))
			require.NoError(t, err)
			_, err = provider.UpTo(t.Context(), version)
			require.NoError(t, err)
			asOf(t, db, version)
			require.NoError(t, db.Close())

			s, err := store.Open(t.Context(), dsn)
			require.NoError(t, err)
			defer s.Close()
			list, of, err := s.Jobs(t.Context(), store.Find{Words: "hot gritter", Limit: 5})
			require.NoError(t, err)
			require.Equal(t, 1, of)
			assert.Equal(t, []string{"F1 is out"}, list[0].Summary.Ledger)
			assert.Equal(t, "Twin fans", list[0].Harness)
			at, err := s.Job(t.Context(), list[0].ID)
			require.NoError(t, err)
			assert.Equal(t, circuit, at.Source)
			entries, err := s.Entries(t.Context(), list[0].ID)
			require.NoError(t, err)
			require.Len(t, entries, 3)
			assert.Equal(t, "salt in the plug", entries[2].Body.(job.Note).Text)
			if version >= 3 {
				_, err = s.JobPhoto(t.Context(), list[0].ID, 1)
				require.NoError(t, err)
			}
			_, err = s.Append(t.Context(), list[0].ID, 3, "", write(note("goes on")))
			require.NoError(t, err)
			if version >= 5 {
				_, err = s.PersonNamed(t.Context(), "maud")
				require.NoError(t, err)
			}
			if version == 11 {
				of, err := s.Printed(t.Context(), 1, at.Revision)
				require.NoError(t, err)
				require.Len(t, of.Pages, 1)
				assert.Equal(t, 7, of.Places["F1"].X)
			}
		})
	}
}

// A revision of record is what jobs go by; what only moves parts of the drawing stays of record.
func TestJobsGoByTheRevisionOfRecord(t *testing.T) {
	s := storetest.Open(t)
	ctx := t.Context()
	h, err := s.AddHarness(ctx, "twin", "Twin fans", circuit)
	require.NoError(t, err)
	require.NoError(t, s.MakeRecord(ctx, "twin", h.Revision, "Maud", h.MadeAt))
	assert.ErrorIs(t, s.MakeRecord(ctx, "twin", h.Revision+99, "Maud", h.MadeAt), store.ErrNotFound)
	require.NoError(t, s.ReviseHarness(ctx, "twin", h.Revision, "Twin fans", circuit+"# edited\n"))
	vehicle, err := s.PutVehicle(ctx, "Gritter 6", "")
	require.NoError(t, err)
	open := func() store.Job {
		id, err := s.OpenJob(ctx, store.NewJob{Vehicle: vehicle, Harness: h.ID, Title: "hot", Who: "Oda", At: h.MadeAt})
		require.NoError(t, err)
		j, err := s.Job(ctx, id)
		require.NoError(t, err)
		return j
	}
	j := open()
	assert.Equal(t, h.Revision, j.Revision)
	assert.Equal(t, h.Revision, j.Newest, "nobody is led to what no lead has looked at")
	now, err := s.HarnessNamed(ctx, "twin")
	require.NoError(t, err)
	assert.Equal(t, 2, now.Number)
	assert.Equal(t, 1, now.Record.Number)
	assert.Equal(t, "Maud", now.Record.By)
	require.NoError(t, s.MakeRecord(ctx, "twin", now.Revision, "Maud", h.MadeAt))
	require.NoError(t, s.ReviseHarness(ctx, "twin", now.Revision, "Twin fans", now.Source+"sheet:\n  - {part: M1, x: 40, row: 2}\n"))
	assert.Equal(t, 3, open().Number)
	require.NoError(t, s.MakeRecord(ctx, "twin", 0, "Maud", h.MadeAt))
	require.NoError(t, s.ReviseHarness(ctx, "twin", open().Newest, "Twin fans", circuit+"# again\n"))
	assert.Equal(t, 4, open().Number)
}

// A closed job goes into the archive by hand, or by itself after so many days, and comes back when it is reopened.
func TestTheArchive(t *testing.T) {
	s := storetest.Open(t)
	ctx := t.Context()
	id := newJob(t, s)
	assert.ErrorIs(t, s.Archive(ctx, id, true), store.ErrNotFound, "an open one stays in the Bay")
	closed := note("")
	closed.Body, closed.At = job.Closing{}, closed.At.AddDate(0, 0, -40)
	_, err := s.Append(ctx, id, 1, "", write(closed))
	require.NoError(t, err)
	count := func(f store.Find) int {
		f.Limit = 5
		_, of, err := s.Jobs(ctx, f)
		require.NoError(t, err)
		return of
	}
	for days, want := range map[int]int64{0: 0, 41: 0} {
		n, err := s.Housekeep(ctx, days)
		require.NoError(t, err)
		assert.Equal(t, want, n)
	}
	n, err := s.Housekeep(ctx, 39)
	require.NoError(t, err)
	assert.Equal(t, int64(1), n)
	assert.Equal(t, []int{0, 1, 1, 1}, []int{count(store.Find{}), count(store.Find{Archived: true}), count(store.Find{Anywhere: true}),
		count(store.Find{Closed: true, Anywhere: true, Words: "hot"})})
	list, err := s.ClosedJobs(ctx)
	require.NoError(t, err)
	assert.Len(t, list, 1, "it still teaches")
	again := note("it came back")
	again.Body = job.Reopening{Why: "it came back"}
	_, err = s.Append(ctx, id, 2, "", write(again))
	require.NoError(t, err)
	assert.Equal(t, 1, count(store.Find{Open: true}))
	assert.Equal(t, 0, count(store.Find{Archived: true}))
}

// A draft and a study are found at whichever instance; a study whose instance has gone is nobody's.
func TestWhatIsOnItsWayIsSeenByAll(t *testing.T) {
	s := storetest.Open(t)
	ctx := t.Context()
	_, err := s.Draft(ctx, "none")
	require.ErrorIs(t, err, store.ErrNotFound)
	require.NoError(t, s.KeepDraft(ctx, "sum", "text"))
	require.NoError(t, s.KeepDraft(ctx, "sum", "text"))
	text, err := s.Draft(ctx, "sum")
	require.NoError(t, err)
	assert.Equal(t, "text", text)

	require.NoError(t, s.BeginStudy(ctx, "sum", "clean"))
	require.ErrorIs(t, s.BeginStudy(ctx, "sum", "clean"), store.ErrStudying)
	stop, err := s.KeepStudy(ctx, "sum", store.Study{Playing: true, Done: 3, Total: 9, Reports: []byte("[]")})
	require.NoError(t, err)
	assert.False(t, stop)
	require.NoError(t, s.StopStudy(ctx, "sum"))
	stop, err = s.KeepStudy(ctx, "sum", store.Study{Playing: true, Done: 4, Total: 9, Reports: []byte("[]")})
	require.NoError(t, err)
	assert.True(t, stop)
	one, err := s.StudyOf(ctx, "sum")
	require.NoError(t, err)
	assert.True(t, one.Playing && one.Done == 4 && one.Total == 9 && one.Kind == "clean", "%+v", one)
	_, err = s.DB().ExecContext(ctx, `UPDATE studies SET beat = now() - interval '1 minute'`)
	require.NoError(t, err)
	one, err = s.StudyOf(ctx, "sum")
	require.NoError(t, err)
	assert.False(t, one.Playing)
	assert.True(t, strings.HasPrefix(one.Failed, "The study broke off"))
	require.NoError(t, s.BeginStudy(ctx, "sum", "spread"))
}

// A photograph that no entry names is forgotten after a day; one that an entry names stays.
func TestAPhotographOfNothingIsForgotten(t *testing.T) {
	dsn, ctx := storetest.DSN(t), t.Context()
	s, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	defer s.Close()
	id := newJob(t, s)
	named, err := s.AddJobPhoto(ctx, id, []byte("named"))
	require.NoError(t, err)
	stray, err := s.AddJobPhoto(ctx, id, []byte("stray"))
	require.NoError(t, err)
	fresh, err := s.AddJobPhoto(ctx, id, []byte("fresh"))
	require.NoError(t, err)
	pictured := note("the socket")
	pictured.Body = job.Picture{Text: "the socket", Photo: named}
	_, err = s.Append(ctx, id, 1, "", write(pictured))
	require.NoError(t, err)
	db, err := sqlx.Open("pgx", dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.ExecContext(ctx, `UPDATE job_photos SET added_at = now() - interval '2 days' WHERE id <> $1`, fresh)
	require.NoError(t, err)
	_, err = s.Housekeep(ctx, 0)
	require.NoError(t, err)
	for _, kept := range []int64{named, fresh} {
		_, err = s.JobPhoto(ctx, id, kept)
		assert.NoError(t, err)
	}
	_, err = s.JobPhoto(ctx, id, stray)
	assert.ErrorIs(t, err, store.ErrNotFound)
}
