package jobs_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/scan/wire"
	"ironthread/scan/wire/wiretest"
	"ironthread/store/storetest"
	"ironthread/web/webtest"
)

// What the tests send to a vehicle is read by tshark.
func TestMain(m *testing.M) {
	os.Exit(wiretest.Main(func() int { return storetest.Main(m) }, wire.Stream, wire.Datagram))
}

func TestBayShowsEveryStage(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	page := w.Get("/")
	require.Equal(t, http.StatusOK, page.Code)
	for _, want := range []string{"just begun", "narrowing", "closed", "K1 is out", "Skerrow County Works"} {
		webtest.Says(t, page.Body.String(), want)
	}
	h := page.Header()
	assert.Contains(t, h.Get("Content-Security-Policy"), "default-src 'self'")
	webtest.Silent(t, page.Body.String(), "style=")
}

func TestStartAJob(t *testing.T) {
	w := webtest.Open(t)
	twin := ""
	list, err := w.Keep.Harnesses(context.Background())
	require.NoError(t, err)
	for _, h := range list {
		if h.Name == "f3-twin-series-parallel" {
			twin = fmt.Sprint(h.ID)
		}
	}
	r := w.Post("/jobs", "vehicle", "Tide tender", "harness", twin, "complaint", "fan never runs")
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.Get(r.Header().Get("Location")).Body.String()
	webtest.Says(t, page, "Tide tender: fan never runs")
	webtest.Says(t, page, "Command every state, look at each fan")
	webtest.Says(t, w.Get(r.Header().Get("Location")+"?move=1").Body.String(), "Look at each fan, high commanded")
	for _, bad := range [][]string{
		{"vehicle", "1", "harness", "1", "complaint", "  "},
		{"vehicle", "1", "harness", "x", "complaint", "hot"},
		{"vehicle", "", "harness", "1", "complaint", "hot"},
		{"vehicle", "1", "harness", "999", "complaint", "hot"},
	} {
		assert.Equal(t, http.StatusUnprocessableEntity, w.Post("/jobs", bad...).Code, "%v", bad)
	}
}

func TestRecordAndStrike(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	r := w.Post(job+"/seen", "saw", "1", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped")
	require.Equal(t, http.StatusSeeOther, r.Code)
	r = w.Post(job+"/seen", "saw", "2", "do", "volts", "state", "low", "at", "F3.a", "reading", "12,4")
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.Get(job).Body.String()
	webtest.Says(t, page, "low: 12.4 V at F3.a")
	webtest.Says(t, page, "a good circuit: 6.2 V")

	require.Equal(t, http.StatusSeeOther, w.Post(job+"/strike", "saw", "3", "seq", "3").Code)
	webtest.Says(t, w.Get(job).Body.String(), "struck out")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post(job+"/strike", "saw", "4", "seq", "3").Code, "twice")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post(job+"/strike", "saw", "4", "seq", "1").Code, "the complaint stays")
}

func TestRecordingEntersTheSetup(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	r := w.Post(job+"/seen", "saw", "1", "do", "volts", "state", "low", "setup", "K1 out", "at", "K1.30", "reading", "12.5")
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.Get(job).Body.String()
	webtest.Says(t, page, "×: K1 is back in")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/setup", "saw", "3", "undo", "1", "action", "K1 out").Code)
	webtest.Silent(t, w.Get(job).Body.String(), "×: K1 is back in")
}

func TestTwoTabsAreTold(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	w.Post(job+"/note", "saw", "1", "text", "first tab")
	r := w.Post(job+"/note", "saw", "1", "text", "second tab")
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.Get(r.Header().Get("Location")).Body.String()
	webtest.Says(t, page, "Somebody else wrote to this job at the same moment (1 entry). Both are kept.")
	webtest.Says(t, page, "first tab")
	webtest.Says(t, page, "second tab")
	assert.Equal(t, http.StatusNoContent, w.Get(job+"/since?saw=3").Code)
	webtest.Says(t, w.Get(job+"/since?saw=1").Body.String(), "Somebody wrote 2 entries")
}

func TestBadInputIsOneSentenceWithTheRightStatus(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
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
		r := w.Post(c.path, form...)
		assert.Equal(t, c.code, r.Code, c.path)
		webtest.Says(t, r.Body.String(), c.want)
	}
	for path, code := range map[string]int{
		"/jobs/999": 404, job + "?pin=K9.1": 422, job + "?state=flying": 422, job + "?pin=K1.30'": 422, job + "?do=sniff&pin=K1.30": 422,
		job + "?do=turned&part=K1":   422,
		job + "/why?fault=M1+melted": 422, job + "/believe?part=K9": 422, job + "/drive?fault=K9+open": 422, job + "/report/doc": 404,
		job + "/photo/7": 404, "/static/x/none.js": 404,
	} {
		assert.Equal(t, code, w.Get(path).Code, path)
	}
	id, err := strconv.ParseInt(strings.TrimPrefix(job, "/jobs/"), 10, 64)
	require.NoError(t, err)
	entries, err := w.Keep.Entries(context.Background(), id)
	require.NoError(t, err)
	assert.Len(t, entries, 1, "nothing of all that was recorded")
}

func TestAJobClosesOnlyWithAnEmptyLedger(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Library bus") // K1 is out
	webtest.Says(t, w.Post(job+"/close", "text", "done").Body.String(), "The ledger is not empty: K1 out")
	w.Post(job+"/setup", "undo", "1", "action", "K1 out")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/close", "text", "F3 renewed elsewhere", "reason", "passed on").Code)
	webtest.Says(t, w.Get(job).Body.String(), "Closed")
	webtest.Says(t, w.Post(job+"/note", "text", "more").Body.String(), "This job is closed; start another")
}

func TestForeignOriginsAreRefused(t *testing.T) {
	w := webtest.Open(t)
	r := httptest.NewRequest(http.MethodPost, w.JobNamed("Gritter 6")+"/note", strings.NewReader("text=x"))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Origin", "http://webtest.Elsewhere.example")
	assert.Equal(t, http.StatusForbidden, w.Do(r).Code)
}

func TestTextIsEscaped(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	w.Post(job+"/note", "saw", "1", "text", `<script>alert(1)</script>`)
	page := w.Get(job).Body.String()
	webtest.Silent(t, page, "<script>alert")
	assert.True(t, strings.Contains(page, "&lt;script&gt;"))
}

func TestAPinOfOnesOwn(t *testing.T) {
	w := webtest.Open(t)
	page := w.Get(w.JobNamed("Gritter 6") + "?state=low&pin=M1.%2B").Body.String()
	webtest.Says(t, page, "Your choice")
	webtest.Says(t, page, "Volts at M1.+, low commanded")
	page = w.Get(w.JobNamed("Library bus") + "?view=suspect&state=low").Body.String()
	webtest.Says(t, page, "with F3 open</b>")
}
