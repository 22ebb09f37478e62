// Package webtest is the application on the demo workshop, for the tests of its rooms: pages are asked for and forms are sent
// as a browser does, without one.
package webtest

import (
	"bytes"
	"context"
	"fmt"
	"html"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ironthread/core/predict"
	"ironthread/demo/demotest"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/worked"
)

// Hosts is what requests made by httptest name.
var Hosts = []string{"example.com"}

// Circuits are worked out once for all tests of a package.
var Circuits = worked.NewCircuits(predict.DefaultBytes, nil)

// forms counts the forms sent, so that each has a token of its own.
var forms atomic.Int64

// Token is one that no form has had.
func Token() string { return fmt.Sprintf("form-%d", forms.Add(1)) }

// Options are those of a workshop whose pages wait for what they show.
func Options() web.Options {
	return web.Options{Hosts: Hosts, Circuits: Circuits, Workshop: "Skerrow County Works", Patience: time.Minute, Loopback: true}
}

// Workshop is the application on the demo workshop.
type Workshop struct {
	T       *testing.T
	App     *web.App
	Handler http.Handler
	Keep    *store.Store
}

// Open gives a workshop of a test's own.
func Open(t *testing.T) *Workshop {
	t.Helper()
	return OpenWith(t, Options())
}

// Bare is a workshop with the library's circuits and nothing but one job, which it names (see [demotest.Bare]).
func Bare(t *testing.T) (w *Workshop, job string) {
	t.Helper()
	keep, id := demotest.Bare(t)
	return openOn(t, keep, Options()), fmt.Sprintf("/jobs/%d", id)
}

// OpenWith is the same as Open with options of the test's own.
func OpenWith(t *testing.T, options web.Options) *Workshop {
	t.Helper()
	return openOn(t, demotest.Open(t), options)
}

func openOn(t *testing.T, keep *store.Store, options web.Options) *Workshop {
	t.Helper()
	app, err := web.New(keep, options)
	require.NoError(t, err)
	t.Cleanup(app.Close)
	return &Workshop{t, app, app.Handler(), keep}
}

// Impatient is a workshop whose pages wait for nothing, on circuits that nobody has worked out: every page that works
// something out says at first that it is on its way.
func Impatient(t *testing.T) *Workshop {
	t.Helper()
	options := Options()
	options.Circuits, options.Patience = worked.NewCircuits(predict.DefaultBytes, nil), time.Nanosecond
	return OpenWith(t, options)
}

// Do sends a request.
func (w *Workshop) Do(r *http.Request) *httptest.ResponseRecorder {
	w.T.Helper()
	rec := httptest.NewRecorder()
	w.Handler.ServeHTTP(rec, r)
	return rec
}

// Get asks for a page.
func (w *Workshop) Get(path string) *httptest.ResponseRecorder {
	return w.Do(httptest.NewRequest(http.MethodGet, path, nil))
}

// Post sends a form, with a token of its own unless it has one.
func (w *Workshop) Post(path string, form ...string) *httptest.ResponseRecorder {
	return w.Do(w.Request(http.MethodPost, path, form...))
}

// Request is one with a form's fields.
func (w *Workshop) Request(method, path string, form ...string) *http.Request {
	values := url.Values{}
	for i := 0; i+1 < len(form); i += 2 {
		values.Add(form[i], form[i+1])
	}
	if !values.Has("token") {
		values.Set("token", Token())
	}
	r := httptest.NewRequest(method, path, strings.NewReader(values.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return r
}

// Send sends a form with a file.
func (w *Workshop) Send(path, field, name string, content []byte, form ...string) *httptest.ResponseRecorder {
	var body bytes.Buffer
	m := multipart.NewWriter(&body)
	for i := 0; i+1 < len(form); i += 2 {
		_ = m.WriteField(form[i], form[i+1])
	}
	_ = m.WriteField("token", Token())
	part, _ := m.CreateFormFile(field, name)
	_, _ = part.Write(content)
	_ = m.Close()
	r := httptest.NewRequest(http.MethodPost, path, &body)
	r.Header.Set("Content-Type", m.FormDataContentType())
	return w.Do(r)
}

// AsPage asks as the page itself does: by htmx, saying which drawing it has. Redirects are followed with it, as a
// browser does.
func (w *Workshop) AsPage(drawn, path string, form ...string) *httptest.ResponseRecorder {
	w.T.Helper()
	ask := func(r *http.Request) *httptest.ResponseRecorder {
		r.Header.Set("HX-Request", "true")
		r.Header.Set("Drawn", drawn)
		return w.Do(r)
	}
	if form == nil {
		return ask(httptest.NewRequest(http.MethodGet, path, nil))
	}
	answer := ask(w.Request(http.MethodPost, path, form...))
	if answer.Code == http.StatusSeeOther {
		return ask(httptest.NewRequest(http.MethodGet, answer.Header().Get("Location"), nil))
	}
	return answer
}

// JobNamed finds a demo job's address by its vehicle.
func (w *Workshop) JobNamed(vehicle string) string {
	jobs, _, err := w.Keep.Jobs(context.Background(), store.Find{Limit: 50})
	require.NoError(w.T, err)
	for _, j := range jobs {
		if j.Vehicle == vehicle {
			return fmt.Sprintf("/jobs/%d", j.ID)
		}
	}
	w.T.Fatalf("no job on %s", vehicle)
	return ""
}

// NewJobOn opens a job on a circuit of the library and gives its address.
func (w *Workshop) NewJobOn(circuit, complaint string) string {
	w.T.Helper()
	h, err := w.Keep.HarnessNamed(w.T.Context(), circuit)
	require.NoError(w.T, err)
	r := w.Post("/jobs", "vehicle", "Gritter 40", "harness", strconv.FormatInt(h.ID, 10), "complaint", complaint)
	require.Equal(w.T, http.StatusSeeOther, r.Code, Notice(r.Body.String()))
	return r.Header().Get("Location")
}

// Opened takes a circuit in and opens a job on it.
func (w *Workshop) Opened(text string) string {
	w.T.Helper()
	r := w.Post("/library", "text", text)
	require.Equal(w.T, http.StatusSeeOther, r.Code, "%.400s", Notice(r.Body.String()))
	return w.NewJobOn(strings.TrimPrefix(r.Header().Get("Location"), "/harnesses/"), "all of them")
}

// ClosedJob takes a job through a repair to its end.
func (w *Workshop) ClosedJob(n int) string {
	w.T.Helper()
	job := w.NewJobOn("f3-twin-series-parallel", fmt.Sprintf("no low, %d", n))
	for _, form := range [][]string{
		{"/seen", "do", "fans", "state", "high", "fan-M1", "fast", "fan-M2", "fast"},
		{"/seen", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped"},
		{"/seen", "do", "volts", "state", "low", "at", "F3.a", "reading", "12.2"},
		{"/seen", "do", "volts", "state", "low", "at", "F3.b", "reading", "0"},
		{"/repair", "action", "F3 renewed", "text", "new fuse, salt cleaned off", "minutes", "6"},
		{"/close", "reason", "passed on", "text", "to the yard"},
	} {
		r := w.Post(job+form[0], form[1:]...)
		require.Equal(w.T, http.StatusSeeOther, r.Code, "%s: %s", form[0], Notice(r.Body.String()))
	}
	return job
}

// ID is a job's number, by its address.
func ID(t *testing.T, address string) int64 {
	t.Helper()
	id, err := strconv.ParseInt(strings.TrimPrefix(address, "/jobs/"), 10, 64)
	require.NoError(t, err)
	return id
}

// Says checks that a page holds a text, without printing the page.
func Says(t *testing.T, page, want string) {
	t.Helper()
	if !strings.Contains(html.UnescapeString(page), want) {
		t.Errorf("the page does not say %q; its notice: %.300s", want, Notice(page))
	}
}

// Silent checks that a page does not hold a text.
func Silent(t *testing.T, page, unwanted string) {
	t.Helper()
	if strings.Contains(page, unwanted) {
		t.Errorf("the page says %q", unwanted)
	}
}

// Notice is what a page tells first.
func Notice(page string) string {
	_, after, _ := strings.Cut(page, `id="notice"`)
	inside, _, _ := strings.Cut(after, "</div>")
	return inside
}
