package web_test

import (
	"context"
	"fmt"
	"html"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/predict"
	"ironthread/demo/demotest"
	"ironthread/store"
	"ironthread/store/storetest"
	"ironthread/web"
	"ironthread/web/worked"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }

// testHosts is what requests made by httptest name.
var testHosts = []string{"example.com"}

// testCircuits are worked out once for all tests.
var testCircuits = worked.NewCircuits(predict.DefaultBytes, nil)

// forms counts the forms sent, so that each has a token of its own.
var forms atomic.Int64

func aToken() string { return fmt.Sprintf("form-%d", forms.Add(1)) }

// workshop is the application on the demo workshop.
type workshop struct {
	t    *testing.T
	h    http.Handler
	keep *store.Store
}

func open(t *testing.T) *workshop {
	t.Helper()
	return openWith(t, testOptions())
}

func openWith(t *testing.T, options web.Options) *workshop {
	t.Helper()
	keep := demotest.Open(t)
	app, err := web.New(keep, options)
	require.NoError(t, err)
	return &workshop{t, app.Handler(), keep}
}

func (w *workshop) do(r *http.Request) *httptest.ResponseRecorder {
	w.t.Helper()
	rec := httptest.NewRecorder()
	w.h.ServeHTTP(rec, r)
	return rec
}

func (w *workshop) get(path string) *httptest.ResponseRecorder {
	return w.do(httptest.NewRequest(http.MethodGet, path, nil))
}

func (w *workshop) post(path string, form ...string) *httptest.ResponseRecorder {
	return w.do(w.request(http.MethodPost, path, form...))
}

// request is one with a form's fields.
func (w *workshop) request(method, path string, form ...string) *http.Request {
	values := url.Values{}
	for i := 0; i+1 < len(form); i += 2 {
		values.Add(form[i], form[i+1])
	}
	if !values.Has("token") {
		values.Set("token", aToken())
	}
	r := httptest.NewRequest(method, path, strings.NewReader(values.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return r
}

// says checks that a page holds a text, without printing the page.
func says(t *testing.T, page, want string) {
	t.Helper()
	if !strings.Contains(html.UnescapeString(page), want) {
		t.Errorf("the page does not say %q; its notice: %.300s", want, notice(page))
	}
}

// silent checks that a page does not hold a text.
func silent(t *testing.T, page, unwanted string) {
	t.Helper()
	if strings.Contains(page, unwanted) {
		t.Errorf("the page says %q", unwanted)
	}
}

func notice(page string) string {
	_, after, _ := strings.Cut(page, `id="notice"`)
	inside, _, _ := strings.Cut(after, "</div>")
	return inside
}

// jobNamed finds a demo job's address.
func (w *workshop) jobNamed(vehicle string) string {
	jobs, _, err := w.keep.Jobs(context.Background(), store.Find{Limit: 50})
	require.NoError(w.t, err)
	for _, j := range jobs {
		if j.Vehicle == vehicle {
			return fmt.Sprintf("/jobs/%d", j.ID)
		}
	}
	w.t.Fatalf("no job on %s", vehicle)
	return ""
}

func TestBayShowsEveryStage(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := open(t)
	page := w.get("/")
	require.Equal(t, http.StatusOK, page.Code)
	for _, want := range []string{"just begun", "narrowing", "closed", "K1 out", "Skerrow County Works"} {
		says(t, page.Body.String(), want)
	}
	h := page.Header()
	assert.Contains(t, h.Get("Content-Security-Policy"), "default-src 'self'")
	silent(t, page.Body.String(), "style=")
}

func TestStartAJob(t *testing.T) {
	w := open(t)
	twin := ""
	list, err := w.keep.Harnesses(context.Background())
	require.NoError(t, err)
	for _, h := range list {
		if h.Name == "f3-twin-series-parallel" {
			twin = fmt.Sprint(h.ID)
		}
	}
	r := w.post("/jobs", "vehicle", "Tide tender", "harness", twin, "complaint", "fan never runs")
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.get(r.Header().Get("Location")).Body.String()
	says(t, page, "Tide tender: fan never runs")
	says(t, page, "Command every state, look at each fan")
	says(t, w.get(r.Header().Get("Location")+"?move=1").Body.String(), "Look at each fan, high commanded")
	for _, bad := range [][]string{
		{"vehicle", "1", "harness", "1", "complaint", "  "},
		{"vehicle", "1", "harness", "x", "complaint", "hot"},
		{"vehicle", "", "harness", "1", "complaint", "hot"},
		{"vehicle", "1", "harness", "999", "complaint", "hot"},
	} {
		assert.Equal(t, http.StatusUnprocessableEntity, w.post("/jobs", bad...).Code, "%v", bad)
	}
}

func TestRecordAndStrike(t *testing.T) {
	w := open(t)
	job := w.jobNamed("Gritter 6")
	r := w.post(job+"/seen", "saw", "1", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped")
	require.Equal(t, http.StatusSeeOther, r.Code)
	r = w.post(job+"/seen", "saw", "2", "do", "volts", "state", "low", "at", "F3.a", "reading", "12,4")
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.get(job).Body.String()
	says(t, page, "low: 12.4 V at F3.a")
	says(t, page, "6.2 V if all were well")

	require.Equal(t, http.StatusSeeOther, w.post(job+"/strike", "saw", "3", "seq", "3").Code)
	says(t, w.get(job).Body.String(), "struck out")
	assert.Equal(t, http.StatusUnprocessableEntity, w.post(job+"/strike", "saw", "4", "seq", "3").Code, "twice")
	assert.Equal(t, http.StatusUnprocessableEntity, w.post(job+"/strike", "saw", "4", "seq", "1").Code, "the complaint stays")
}

func TestRecordingEntersTheSetup(t *testing.T) {
	w := open(t)
	job := w.jobNamed("Gritter 6")
	r := w.post(job+"/seen", "saw", "1", "do", "volts", "state", "low", "setup", "K1 out", "at", "K1.30", "reading", "12.5")
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.get(job).Body.String()
	says(t, page, "No longer: K1 out")
	require.Equal(t, http.StatusSeeOther, w.post(job+"/setup", "saw", "3", "undo", "1", "action", "K1 out").Code)
	silent(t, w.get(job).Body.String(), "No longer: K1 out")
}

func TestTwoTabsAreTold(t *testing.T) {
	w := open(t)
	job := w.jobNamed("Gritter 6")
	w.post(job+"/note", "saw", "1", "text", "first tab")
	r := w.post(job+"/note", "saw", "1", "text", "second tab")
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.get(r.Header().Get("Location")).Body.String()
	says(t, page, "Somebody else wrote to this job at the same moment (1 entry). Both are kept.")
	says(t, page, "first tab")
	says(t, page, "second tab")
	assert.Equal(t, http.StatusNoContent, w.get(job+"/since?saw=3").Code)
	says(t, w.get(job+"/since?saw=1").Body.String(), "Somebody wrote 2 entries")
}

func TestBadInputIsOneSentenceWithTheRightStatus(t *testing.T) {
	w := open(t)
	job := w.jobNamed("Gritter 6")
	for _, c := range []struct {
		path string
		form []string
		code int
		want string
	}{
		{job + "/seen", []string{"do", "volts", "state", "low", "at", "F3.a", "reading", "12,,3 V"}, 422, "is not a reading in volts"},
		{job + "/seen", []string{"do", "volts", "state", "low", "at", "K9.30", "reading", "12"}, 422, "there is no part K9"},
		{job + "/seen", []string{"do", "volts", "state", "lo", "at", "F3.a", "reading", "12"}, 422, "no state"},
		{job + "/seen", []string{"do", "fans", "state", "low"}, 422, "Say what at least one fan did"},
		{job + "/seen", []string{"do", "sniff", "state", "low"}, 422, "not clear what was read"},
		{job + "/setup", []string{"action", "K9 out"}, 422, "there is no part K9"},
		{job + "/setup", []string{"action", "M1 out"}, 422, "is nothing done to a motor"},
		{job + "/setup", []string{"undo", "1", "action", "K1 out"}, 422, "is not in the ledger any more"},
		{job + "/note", []string{"text", " "}, 422, "An empty note"},
		{job + "/strike", []string{"seq", "77"}, 422, "no such entry"},
		{job + "/close", []string{"text", ""}, 422, "Not verified yet"},
		{job + "/close", []string{"text", "x", "reason", "bored"}, 422, "no reason a job closes for"},
		{job + "/close", []string{"reason", "passed on"}, 422, "Say what it was"},
		{job + "/seen", []string{"do", "codes", "reading", "P04"}, 422, "is no fault code"},
		{job + "/seen", []string{"do", "relay", "state", "low", "part", "K1"}, 422, "Choose what was seen"},
		{job + "/seen", []string{"do", "relay", "state", "low", "part", "M1", "word", "click"}, 422, "not a relay"},
		{job + "/repair", []string{"action", "K1 out"}, 422, "is no repair"},
		{job + "/repair", []string{"action", "K1 renewed", "minutes", "soon"}, 422, "are no minutes"},
		{job + "/check", []string{"check", "luck", "text", "as expected"}, 422, "no such check"},
		{"/jobs/999/note", []string{"text", "x"}, 404, "There is no such job"},
		{"/jobs/abc/note", []string{"text", "x"}, 404, "There is no such job"},
		{"/nowhere", nil, 404, "There is no such page"},
	} {
		form := append([]string{"saw", "1"}, c.form...)
		r := w.post(c.path, form...)
		assert.Equal(t, c.code, r.Code, c.path)
		says(t, r.Body.String(), c.want)
	}
	for path, code := range map[string]int{
		"/jobs/999": 404, job + "?pin=K9.1": 422, job + "?state=flying": 422, job + "?pin=K1.30'": 422, job + "?do=sniff&pin=K1.30": 422,
		job + "?do=turned&part=K1":   422,
		job + "/why?fault=M1+melted": 422, job + "/believe?part=K9": 422, job + "/drive?fault=K9+open": 422, job + "/report/doc": 404,
		job + "/photo/7": 404, "/static/x/none.js": 404,
	} {
		assert.Equal(t, code, w.get(path).Code, path)
	}
	id, err := strconv.ParseInt(strings.TrimPrefix(job, "/jobs/"), 10, 64)
	require.NoError(t, err)
	entries, err := w.keep.Entries(context.Background(), id)
	require.NoError(t, err)
	assert.Len(t, entries, 1, "nothing of all that was recorded")
}

func TestAJobClosesOnlyWithAnEmptyLedger(t *testing.T) {
	w := open(t)
	job := w.jobNamed("Library bus") // K1 is out
	says(t, w.post(job+"/close", "text", "done").Body.String(), "The ledger is not empty: K1 out")
	w.post(job+"/setup", "undo", "1", "action", "K1 out")
	require.Equal(t, http.StatusSeeOther, w.post(job+"/close", "text", "F3 renewed elsewhere", "reason", "passed on").Code)
	says(t, w.get(job).Body.String(), "This job is closed")
	says(t, w.post(job+"/note", "text", "more").Body.String(), "This job is closed; start another")
}

func TestForeignOriginsAreRefused(t *testing.T) {
	w := open(t)
	r := httptest.NewRequest(http.MethodPost, w.jobNamed("Gritter 6")+"/note", strings.NewReader("text=x"))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Origin", "http://elsewhere.example")
	assert.Equal(t, http.StatusForbidden, w.do(r).Code)
}

func TestTextIsEscaped(t *testing.T) {
	w := open(t)
	job := w.jobNamed("Gritter 6")
	w.post(job+"/note", "saw", "1", "text", `<script>alert(1)</script>`)
	page := w.get(job).Body.String()
	silent(t, page, "<script>alert")
	assert.True(t, strings.Contains(page, "&lt;script&gt;"))
}

func TestAPinOfOnesOwn(t *testing.T) {
	w := open(t)
	page := w.get(w.jobNamed("Gritter 6") + "?state=low&pin=M1.%2B").Body.String()
	says(t, page, "Your choice")
	says(t, page, "Volts at M1.+, low commanded")
	page = w.get(w.jobNamed("Library bus") + "?view=suspect&state=low").Body.String()
	says(t, page, "with F3 open</b>")
}

// The last test of the package: the server is stopped under the open page.
func TestZTheDatabaseGone(t *testing.T) {
	w := open(t)
	job := w.jobNamed("Gritter 6")
	require.Equal(t, http.StatusOK, w.get(job).Code)
	storetest.StopServer(t)
	r := w.post(job+"/note", "saw", "1", "text", "x")
	assert.Equal(t, http.StatusServiceUnavailable, r.Code)
	says(t, r.Body.String(), "The database cannot be reached, so nothing was recorded just now")
	assert.Equal(t, http.StatusServiceUnavailable, w.get("/").Code)
	assert.Equal(t, http.StatusNoContent, w.get(job+"/since?saw=0").Code)
}
