package store_test

import (
	"context"
	"fmt"
	"os"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/store"
	"ironthread/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }

func newJob(t *testing.T, s *store.Store) int64 {
	t.Helper()
	ctx := context.Background()
	vehicle, err := s.PutVehicle(ctx, "Gritter 6", "")
	require.NoError(t, err)
	harness, err := s.PutHarness(ctx, "twin", "Twin fans", circuit)
	require.NoError(t, err)
	id, err := s.OpenJob(ctx, store.NewJob{Vehicle: vehicle, Harness: harness, Title: "runs hot", Who: "Oda", At: time.Now()})
	require.NoError(t, err)
	return id
}

// circuit is the least harness file there can be.
const circuit = "harness: 1\nparts: {BAT: {kind: battery}, G1: {kind: ground}, M1: {kind: motor, volts: 12, amps: 8}, F1: {kind: fuse, " +
	"amps: 20}}\n" +
	"wires: {BAT.+ - F1.a: , F1.b - M1.+: , M1.- - G1: }\nstates: {on: {key: on}}\n"

// write is a decision to write these entries whatever the log holds.
func write(entries ...job.Entry) store.Decide {
	return func(*store.Log) ([]job.Entry, error) { return entries, nil }
}

func note(text string) job.Entry {
	return job.Entry{At: time.Now(), Who: "Oda", Body: job.Note{Text: text}}
}

func TestAJobAndItsLog(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	id := newJob(t, s)
	meanwhile, err := s.Append(ctx, id, 1, "", write(note("one"), note("two")))
	require.NoError(t, err)
	assert.Empty(t, meanwhile)
	entries, err := s.Entries(ctx, id)
	require.NoError(t, err)
	require.Len(t, entries, 3)
	assert.Equal(t, job.Opened, entries[0].Kind())
	assert.Equal(t, "two", entries[2].Body.(job.Note).Text)
	assert.Equal(t, 3, entries[2].Seq)
	last, err := s.LastSeq(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 3, last)
	jobs, of, err := s.Jobs(ctx, store.Find{Limit: 5})
	require.NoError(t, err)
	require.Len(t, jobs, 1)
	assert.Equal(t, 1, of)
	assert.Equal(t, "Gritter 6", jobs[0].Vehicle)
	assert.Equal(t, 3, jobs[0].Summary.Last)
	at, err := s.Job(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, circuit, at.Source)
}

// Two people at one job: nothing is lost, each is told what the other wrote.
func TestTwoWritersLoseNothing(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	id := newJob(t, s)
	const each = 20
	var wait sync.WaitGroup
	told := make([]int, 2)
	for w := range 2 {
		wait.Go(func() {
			for i := range each {
				meanwhile, err := s.Append(ctx, id, 1, "", write(note(fmt.Sprintf("%d/%d", w, i))))
				assert.NoError(t, err)
				told[w] = max(told[w], len(meanwhile))
			}
		})
	}
	wait.Wait()
	entries, err := s.Entries(ctx, id)
	require.NoError(t, err)
	assert.Len(t, entries, 1+2*each)
	for i, e := range entries {
		assert.Equal(t, i+1, e.Seq, "no gap, no double")
	}
	assert.GreaterOrEqual(t, told[0]+told[1], each, "what the other wrote is told")
}

func TestWhatIsNotThere(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	_, err := s.Job(ctx, 99)
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.Append(ctx, 99, 0, "", write(note("x")))
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.OpenJob(ctx, store.NewJob{Vehicle: 99, Harness: 99, Title: "x", Who: "y", At: time.Now()})
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = store.Open(ctx, "")
	assert.ErrorContains(t, err, "empty")
	_, err = store.Open(ctx, "postgres://nobody@127.0.0.1:1/none?sslmode=disable")
	assert.ErrorIs(t, err, store.ErrUnreachable)
}

func TestOpeningTwiceKeepsWhatIsThere(t *testing.T) {
	dsn, ctx := storetest.DSN(t), context.Background()
	for range 2 {
		s, err := store.Open(ctx, dsn)
		require.NoError(t, err)
		newJob(t, s)
		require.NoError(t, s.Close())
	}
	s, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	defer s.Close()
	jobs, _, err := s.Jobs(ctx, store.Find{Limit: 5})
	require.NoError(t, err)
	assert.Len(t, jobs, 2)
	harnesses, err := s.Harnesses(ctx)
	require.NoError(t, err)
	assert.Len(t, harnesses, 1, "a harness of that name is replaced")
}

func TestJobPhotosAndSettings(t *testing.T) {
	keep, ctx := storetest.Open(t), t.Context()
	in := store.Imported{Vehicle: "Gritter", Title: "runs hot", OpenedAt: time.Now(), Origin: "elsewhere",
		Harness: store.Harness{Name: "h", Title: "H", Source: circuit}, Entries: []job.Entry{
			{Seq: 1, At: time.Now(), Who: "Oda", Body: job.Complaint{Text: "runs hot"}},
			{Seq: 2, At: time.Now(), Who: "Oda", Body: job.Note{Text: "salt"}},
			{Seq: 3, At: time.Now(), Who: "Oda", Body: job.Picture{Photo: 40, About: 2}},
			{Seq: 4, At: time.Now(), Who: "Oda", Body: job.Picture{Photo: 7, About: 2}},
		}, Photos: map[int64][]byte{7: {7}, 40: {4, 0}}}
	id, err := keep.ImportJob(ctx, in)
	require.NoError(t, err)
	again, err := keep.ImportJob(ctx, in)
	require.ErrorIs(t, err, store.ErrAlready)
	assert.Equal(t, id, again, "the job that is here")
	all, err := keep.Entries(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 4)
	assert.Equal(t, "salt", all[1].Body.(job.Note).Text)
	for k, want := range [][]byte{{4, 0}, {7}} { // each under its number here
		b, err := keep.JobPhoto(ctx, id, all[2+k].Body.(job.Picture).Photo)
		require.NoError(t, err)
		assert.Equal(t, want, b)
	}

	photo, err := keep.AddJobPhoto(ctx, id, []byte{1, 2, 3})
	require.NoError(t, err)
	b, err := keep.JobPhoto(ctx, id, photo)
	require.NoError(t, err)
	assert.Equal(t, []byte{1, 2, 3}, b)
	_, err = keep.JobPhoto(ctx, id+1, photo)
	assert.ErrorIs(t, err, store.ErrNotFound, "another job's photograph")
	_, err = keep.AddJobPhoto(ctx, id+1, []byte{1})
	assert.ErrorIs(t, err, store.ErrNotFound)

	var from time.Time
	found, err := keep.Setting(ctx, "learn-from", &from)
	require.NoError(t, err)
	assert.False(t, found)
	now := time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC)
	require.NoError(t, keep.Set(ctx, "learn-from", now.Add(-time.Hour)))
	require.NoError(t, keep.Set(ctx, "learn-from", now))
	found, err = keep.Setting(ctx, "learn-from", &from)
	require.NoError(t, err)
	assert.True(t, found)
	assert.True(t, now.Equal(from))
}
