package web_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"net/http/httptest"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/demo"
	"ironthread/demo/demotest"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/webtest"
)

// outage is a store of which one call fails, the database having gone.
type outage struct {
	*store.Store
	left int // calls that still succeed
	hit  bool
}

func (o *outage) gone() error {
	o.left--
	if o.left != -1 {
		return nil
	}
	o.hit = true
	return fmt.Errorf("the plug was pulled: %w", store.ErrUnreachable)
}

// through makes a call unless the database has gone.
func through[T any](o *outage, call func() (T, error)) (T, error) {
	if err := o.gone(); err != nil {
		var none T
		return none, err
	}
	return call()
}

func (o *outage) Healthy(ctx context.Context) error {
	_, err := through(o, func() (int, error) { return 0, o.Store.Healthy(ctx) })
	return err
}

func (o *outage) Jobs(ctx context.Context, find store.Find) (list []store.Line, of int, err error) {
	list, err = through(o, func() (list []store.Line, err error) {
		list, of, err = o.Store.Jobs(ctx, find)
		return list, err
	})
	return list, of, err
}

func (o *outage) ClosedJobs(ctx context.Context) ([]store.Line, error) {
	return through(o, func() ([]store.Line, error) { return o.Store.ClosedJobs(ctx) })
}

func (o *outage) Before(ctx context.Context, id int64) ([]store.Line, error) {
	return through(o, func() ([]store.Line, error) { return o.Store.Before(ctx, id) })
}

func (o *outage) ClosedVersion(ctx context.Context) (string, error) {
	return through(o, func() (string, error) { return o.Store.ClosedVersion(ctx) })
}

func (o *outage) Job(ctx context.Context, id int64) (store.Job, error) {
	return through(o, func() (store.Job, error) { return o.Store.Job(ctx, id) })
}

func (o *outage) Entries(ctx context.Context, id int64) ([]job.Entry, error) {
	return through(o, func() ([]job.Entry, error) { return o.Store.Entries(ctx, id) })
}

func (o *outage) LastSeq(ctx context.Context, id int64) (int, error) {
	return through(o, func() (int, error) { return o.Store.LastSeq(ctx, id) })
}

func (o *outage) Append(ctx context.Context, id int64, saw int, token string, decide store.Decide) ([]job.Entry, error) {
	return through(o, func() ([]job.Entry, error) { return o.Store.Append(ctx, id, saw, token, decide) })
}

func (o *outage) OpenJob(ctx context.Context, n store.NewJob) (int64, error) {
	return through(o, func() (int64, error) { return o.Store.OpenJob(ctx, n) })
}

func (o *outage) OpenRevisions(ctx context.Context, most int) ([]string, error) {
	return through(o, func() ([]string, error) { return o.Store.OpenRevisions(ctx, most) })
}

func (o *outage) ImportJob(ctx context.Context, in store.Imported) (int64, error) {
	return through(o, func() (int64, error) { return o.Store.ImportJob(ctx, in) })
}

func (o *outage) Harnesses(ctx context.Context) ([]store.Harness, error) {
	return through(o, func() ([]store.Harness, error) { return o.Store.Harnesses(ctx) })
}

func (o *outage) Titles(ctx context.Context) ([]store.Harness, error) {
	return through(o, func() ([]store.Harness, error) { return o.Store.Titles(ctx) })
}

func (o *outage) HarnessNamed(ctx context.Context, name string) (store.Harness, error) {
	return through(o, func() (store.Harness, error) { return o.Store.HarnessNamed(ctx, name) })
}

func (o *outage) Revision(ctx context.Context, id int64) (store.Harness, error) {
	return through(o, func() (store.Harness, error) { return o.Store.Revision(ctx, id) })
}

func (o *outage) ReviseAs(ctx context.Context, by store.Reviser, to store.Revised) error {
	_, err := through(o, func() (int, error) { return 0, o.Store.ReviseAs(ctx, by, to) })
	return err
}

func (o *outage) AddHarness(ctx context.Context, name, title, source string) (store.Harness, error) {
	return through(o, func() (store.Harness, error) { return o.Store.AddHarness(ctx, name, title, source) })
}

func (o *outage) SetAside(ctx context.Context, name string) error {
	_, err := through(o, func() (int, error) { return 0, o.Store.SetAside(ctx, name) })
	return err
}

func (o *outage) Vehicles(ctx context.Context) ([]store.Vehicle, error) {
	return through(o, func() ([]store.Vehicle, error) { return o.Store.Vehicles(ctx) })
}

func (o *outage) PutVehicle(ctx context.Context, name, notes string) (int64, error) {
	return through(o, func() (int64, error) { return o.Store.PutVehicle(ctx, name, notes) })
}

func (o *outage) PutPhoto(ctx context.Context, harness int64, p store.Photo) error {
	_, err := through(o, func() (int, error) { return 0, o.Store.PutPhoto(ctx, harness, p) })
	return err
}

func (o *outage) Photos(ctx context.Context, harness int64) ([]store.Photo, error) {
	return through(o, func() ([]store.Photo, error) { return o.Store.Photos(ctx, harness) })
}

func (o *outage) Picture(ctx context.Context, harness int64, box string) ([]byte, error) {
	return through(o, func() ([]byte, error) { return o.Store.Picture(ctx, harness, box) })
}

func (o *outage) TagPhoto(ctx context.Context, harness int64, box string, tag store.Tag) error {
	_, err := through(o, func() (int, error) { return 0, o.Store.TagPhoto(ctx, harness, box, tag) })
	return err
}

func (o *outage) AddJobPhoto(ctx context.Context, jobID int64, jpeg []byte) (int64, error) {
	return through(o, func() (int64, error) { return o.Store.AddJobPhoto(ctx, jobID, jpeg) })
}

func (o *outage) JobPhoto(ctx context.Context, jobID, id int64) ([]byte, error) {
	return through(o, func() ([]byte, error) { return o.Store.JobPhoto(ctx, jobID, id) })
}

func (o *outage) Setting(ctx context.Context, name string, value any) (bool, error) {
	return through(o, func() (bool, error) { return o.Store.Setting(ctx, name, value) })
}

func (o *outage) Set(ctx context.Context, name string, value any) error {
	_, err := through(o, func() (int, error) { return 0, o.Store.Set(ctx, name, value) })
	return err
}

// allEntries reads the logs of all jobs.
func allEntries(t *testing.T, keep *store.Store) (map[int64][]job.Entry, error) {
	t.Helper()
	jobs, _, err := keep.Jobs(t.Context(), store.Find{Limit: 1000})
	if err != nil {
		return nil, err
	}
	all := map[int64][]job.Entry{}
	for _, j := range jobs {
		if all[j.ID], err = keep.Entries(t.Context(), j.ID); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// The database goes at each call that a request makes, in turn: every page and every action
// says so in one sentence, and no entry is half recorded.
func TestTheDatabaseGoesMidway(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	keep := demotest.Open(t)
	db := &outage{Store: keep, left: -1}
	app, err := web.New(db, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop, Patience: time.Minute})
	require.NoError(t, err)
	app.Close() // what is worked out in the background asks the database, too, and would be counted here
	w := &webtest.Workshop{T: t, Handler: app.Handler(), Keep: keep}
	id, name := "/jobs/6", "/harnesses/f3-twin-series-parallel"
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewGray(image.Rect(0, 0, 40, 30))))
	require.Equal(t, http.StatusSeeOther, w.Send(id+"/photo", "photo", "plug.png", picture.Bytes()).Code)
	require.Equal(t, http.StatusSeeOther, w.Send(name+"/boxes"+"/photo", "photo", "box.jpg", picture.Bytes(), "box", "bonnet box").Code)
	file := w.Get(id + "/report/json").Body.Bytes()
	other := bytes.ReplaceAll(file, []byte("Twin fans, series"), []byte("Twin fans of another year, series"))
	source, err := keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	saw := func() string { return strconv.FormatInt(source.Newest, 10) }

	type request struct {
		what string
		ask  func() *httptest.ResponseRecorder
	}
	requests := []request{
		{"take in", func() *httptest.ResponseRecorder { return w.Send("/jobs/import", "file", "job.json", file) }},
		{"take in other", func() *httptest.ResponseRecorder { return w.Send("/jobs/import", "file", "job.json", other) }},
		{"photograph", func() *httptest.ResponseRecorder { return w.Send(id+"/photo", "photo", "plug.png", picture.Bytes()) }},
		{"box", func() *httptest.ResponseRecorder {
			return w.Send(name+"/boxes"+"/photo", "photo", "box.jpg", picture.Bytes(), "box", "bonnet box")
		}},
	}
	for _, path := range []string{
		"/", id, id + "?pin=F3.a&state=low", id + "/why", id + "/believe?part=K3", id + "/drive", id + "/verify", id + "/report",
		id + "/report/json",
		id + "/photo/1", "/logbook", "/library", name, name + "/export/spice?state=low", name + "/start?state=low&fan=M1", name + "/edit",
		name + "/boxes", name + "/boxes" + "/K3",
		name + "/boxes" + "/photo?box=bonnet+box", name + "/study",
	} {
		requests = append(requests, request{path, func() *httptest.ResponseRecorder { return w.Get(path) }})
	}
	for _, form := range [][]string{
		{"/jobs", "vehicle", "Gritter 12", "harness", strconv.FormatInt(source.ID, 10), "complaint", "runs hot"},
		{id + "/seen", "do", "volts", "at", "F3.a", "state", "low", "reading", "12.2"},
		{id + "/setup", "action", "K2 out"},
		{id + "/setup/all", "setup", "K3 out"},
		{id + "/strike", "seq", "2"},
		{id + "/note", "text", "salt"},
		{id + "/repair", "action", "F3 renewed"},
		{"/logbook/reset"},
		{"/library", "text", source.Source},
		{name + "/edit", "saw", saw(), "text", source.Source + "\n# read again\n"},
		{name + "/copy"},
		{name + "/boxes" + "/tag", "box", "bonnet box", "part", "K1", "x", "10", "y", "10", "wide", "9", "turn", "0"},
		{name + "/place", "part", "K1", "dx", "40", "dy", "0"},
		{name + "/tidy"},
		{name + "/study"},
		{id + "/setup", "undo", "1", "action", "K3 out"},
		{id + "/close", "reason", "passed on", "text", "to the dealer"},
	} {
		requests = append(requests, request{"post " + form[0], func() *httptest.ResponseRecorder { return w.Post(form[0], form[1:]...) }})
	}
	for _, q := range requests {
		for n := range 30 {
			before, err := allEntries(t, keep)
			require.NoError(t, err)
			db.left, db.hit = n, false
			r := q.ask()
			db.left = -1
			if !db.hit {
				assert.Less(t, r.Code, 400, "%s: %s", q.what, webtest.Notice(r.Body.String()))
				assert.Positive(t, n, "%s asks the database nothing", q.what)
				break
			}
			if assert.Equal(t, http.StatusServiceUnavailable, r.Code, "%s, call %d", q.what, n+1) {
				webtest.Says(t, r.Body.String(), "The database cannot be reached")
			}
			after, err := allEntries(t, keep)
			require.NoError(t, err)
			assert.Equal(t, before, after, "%s, call %d", q.what, n+1)
		}
	}
}

// The database goes under the open page: a sentence, nothing recorded, nothing lost of the page.
func TestTheDatabaseGone(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	keep, line := demotest.OnALine(t)
	app, err := web.New(keep, webtest.Options())
	require.NoError(t, err)
	w := &webtest.Workshop{T: t, Handler: app.Handler(), Keep: keep}
	job := w.JobNamed("Gritter 6")
	require.Equal(t, http.StatusOK, w.Get(job).Code)
	line.Cut()
	r := w.Post(job+"/note", "saw", "1", "text", "x")
	assert.Equal(t, http.StatusServiceUnavailable, r.Code)
	webtest.Says(t, r.Body.String(), "The database cannot be reached, so nothing was recorded just now")
	assert.Equal(t, http.StatusServiceUnavailable, w.Get("/").Code)
	assert.Equal(t, http.StatusNoContent, w.Get(job+"/since?saw=0").Code)
	line.Mend()
	assert.Equal(t, http.StatusOK, w.Get(job).Code)
}
