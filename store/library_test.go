package store_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/store"
	"ironthread/store/storetest"
)

// A harness is found by name, takes a free name where its own is taken, and is saved only over
// what its editor saw.
func TestHarnesses(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	_, err := s.PutHarness(ctx, "twin", "Twin fans", "first")
	require.NoError(t, err)
	mine, err := s.AddHarness(ctx, "twin", "Twin fans", "mine")
	require.NoError(t, err)
	assert.Equal(t, "twin-2", mine.Name)
	yours, err := s.AddHarness(ctx, "twin", "Twin fans", "yours")
	require.NoError(t, err)
	assert.Equal(t, "twin-3", yours.Name)
	_, err = s.HarnessNamed(ctx, "triplet")
	assert.ErrorIs(t, err, store.ErrNotFound)

	require.NoError(t, s.ReviseHarness(ctx, "twin-2", mine.Revision, "Twin fans, two", "mine, better"))
	err = s.ReviseHarness(ctx, "twin-2", mine.Revision, "Twin fans, two", "somebody else's")
	assert.ErrorIs(t, err, store.ErrChanged)
	assert.ErrorIs(t, s.ReviseHarness(ctx, "triplet", 0, "", ""), store.ErrNotFound)
	h, err := s.HarnessNamed(ctx, "twin-2")
	require.NoError(t, err)
	assert.Equal(t, "mine, better", h.Source)
	assert.Equal(t, "Twin fans, two", h.Title)
	assert.Equal(t, 2, h.Number)
	old, err := s.Revision(ctx, mine.Revision)
	require.NoError(t, err)
	assert.Equal(t, "mine", old.Source, "what was is still there")
	assert.Equal(t, 1, old.Number)

	// A shipped one is brought up to date only while nobody has edited it here.
	_, err = s.PutHarness(ctx, "twin", "Twin fans, newer", "second")
	require.NoError(t, err)
	h, err = s.HarnessNamed(ctx, "twin")
	require.NoError(t, err)
	assert.Equal(t, "second", h.Source)
	require.NoError(t, s.ReviseHarness(ctx, "twin", h.Newest, "Twin fans, ours", "edited"))
	_, err = s.PutHarness(ctx, "twin", "Twin fans, newest", "third")
	require.NoError(t, err)
	h, err = s.HarnessNamed(ctx, "twin")
	require.NoError(t, err)
	assert.Equal(t, "edited", h.Source)
	assert.Equal(t, "Twin fans, ours", h.Title)
	list, err := s.Harnesses(ctx)
	require.NoError(t, err)
	assert.Len(t, list, 3)
}

func TestVehiclesKeepTheirNames(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	first, err := s.PutVehicle(ctx, "Gritter 6", "")
	require.NoError(t, err)
	again, err := s.PutVehicle(ctx, "Gritter 6", "other notes")
	require.NoError(t, err)
	assert.Equal(t, first, again)
	_, err = s.PutVehicle(ctx, "Ferry", "")
	require.NoError(t, err)
	list, err := s.Vehicles(ctx)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "Ferry", list[0].Name, "by name")
	_, err = s.OpenJob(ctx, store.NewJob{Vehicle: 999, Harness: 999, Title: "x", Who: "Oda", At: time.Now()})
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// A box's photograph: kept, replaced with its tags left, tagged, a tag taken off.
func TestPhotographsOfBoxes(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	h, err := s.PutHarness(ctx, "twin", "Twin fans", "source")
	require.NoError(t, err)
	require.NoError(t, s.PutPhoto(ctx, h, store.Photo{Box: "bonnet box", Width: 40, Height: 30, JPEG: []byte{1}}))
	require.NoError(t, s.TagPhoto(ctx, h, "bonnet box", store.Tag{Part: "K1", X: 100, Y: 200, Wide: 90, Turn: 1}))
	require.NoError(t, s.TagPhoto(ctx, h, "bonnet box", store.Tag{Part: "K2", X: 300, Y: 200, Wide: 90}))
	require.NoError(t, s.TagPhoto(ctx, h, "bonnet box", store.Tag{Part: "K1", X: 110, Y: 200, Wide: 90, Turn: 2}))
	require.NoError(t, s.PutPhoto(ctx, h, store.Photo{Box: "bonnet box", Width: 80, Height: 60, JPEG: []byte{2}}))
	photos, err := s.Photos(ctx, h)
	require.NoError(t, err)
	require.Len(t, photos, 1)
	assert.Equal(t, 80, photos[0].Width)
	assert.ElementsMatch(t, []store.Tag{{Part: "K1", X: 110, Y: 200, Wide: 90, Turn: 2}, {Part: "K2", X: 300, Y: 200, Wide: 90}},
		photos[0].Tags)
	assert.Empty(t, photos[0].JPEG, "a list carries no pictures")
	b, err := s.Picture(ctx, h, "bonnet box")
	require.NoError(t, err)
	assert.Equal(t, []byte{2}, b)
	require.NoError(t, s.TagPhoto(ctx, h, "bonnet box", store.Tag{Part: "K1"}))
	photos, err = s.Photos(ctx, h)
	require.NoError(t, err)
	require.Len(t, photos[0].Tags, 1)
	assert.Equal(t, "K2", photos[0].Tags[0].Part)
	_, err = s.Picture(ctx, h, "cab box")
	assert.ErrorIs(t, err, store.ErrNotFound)
	assert.ErrorIs(t, s.TagPhoto(ctx, h, "cab box", store.Tag{Part: "K1", Wide: 9}), store.ErrNotFound)
}

// Without its database every call says so, and says what was being done.
func TestEveryCallSaysThatTheDatabaseIsGone(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	id := newJob(t, s)
	require.NoError(t, s.Close())
	var from time.Time
	for what, call := range map[string]func() error{
		"jobs":    func() error { _, _, err := s.Jobs(ctx, store.Find{}); return err },
		"job":     func() error { _, err := s.Job(ctx, id); return err },
		"entries": func() error { _, err := s.Entries(ctx, id); return err },
		"closed":  func() error { _, err := s.ClosedJobs(ctx); return err },
		"before":  func() error { _, err := s.Before(ctx, id); return err },
		"version": func() error { _, err := s.ClosedVersion(ctx); return err },
		"warm":    func() error { _, err := s.OpenRevisions(ctx, 3); return err },
		"stands":  func() error { return s.PutStanding(ctx, id, 1, store.Standing{}) },
		"healthy": func() error { return s.Healthy(ctx) },
		"old":     func() error { _, err := s.Revision(ctx, 1); return err },
		"delete":  func() error { return s.SetAside(ctx, "twin") },
		"last":    func() error { _, err := s.LastSeq(ctx, id); return err },
		"append":  func() error { _, err := s.Append(ctx, id, 1, "", write(note("x"))); return err },
		"open": func() error {
			_, err := s.OpenJob(ctx, store.NewJob{Vehicle: 1, Harness: 1, Title: "x", Who: "Oda", At: time.Now()})
			return err
		},
		"import": func() error {
			_, err := s.ImportJob(ctx, store.Imported{Vehicle: "x", Entries: []job.Entry{note("x")}})
			return err
		},
		"photo":    func() error { _, err := s.AddJobPhoto(ctx, id, []byte{1}); return err },
		"picture":  func() error { _, err := s.JobPhoto(ctx, id, 1); return err },
		"setting":  func() error { _, err := s.Setting(ctx, "learn-from", &from); return err },
		"set":      func() error { return s.Set(ctx, "learn-from", from) },
		"vehicles": func() error { _, err := s.Vehicles(ctx); return err },
		"harness":  func() error { _, err := s.HarnessNamed(ctx, "twin"); return err },
		"revise":   func() error { return s.ReviseHarness(ctx, "twin", 1, "b", "c") },
		"add":      func() error { _, err := s.AddHarness(ctx, "twin", "b", "c"); return err },
		"boxes":    func() error { _, err := s.Photos(ctx, 1); return err },
	} {
		err := call()
		require.Error(t, err, what)
		assert.True(t, errors.Is(err, store.ErrUnreachable), "%s: %v", what, err)
		assert.Contains(t, err.Error(), "store: ", what)
	}
}
