package web_test

import (
	"net/http"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/demo/demotest"
	"ironthread/web"
)

// A closed job goes on when a lead says why; what it came to stays in its log, and a second end is a record of its own.
func TestAClosedJobIsReopened(t *testing.T) {
	w := open(t)
	j := w.closedJob(1)
	id := idOf(t, j)
	before := w.record(j)
	says(t, w.post(j+"/reopen").Body.String(), "Say why the job goes on")
	require.Equal(t, http.StatusSeeOther, w.post(j+"/reopen", "text", "the fan stops when hot").Code)
	page := w.get(j).Body.String()
	says(t, page, "the fan stops when hot")
	says(t, page, "Closed: passed on")
	says(t, w.post(j+"/reopen", "text", "twice").Body.String(), "This job is not closed")
	require.Equal(t, http.StatusSeeOther, w.post(j+"/note", "text", "joint of F3 hot").Code)
	says(t, w.get("/?show=open").Body.String(), j)
	require.Equal(t, http.StatusSeeOther, w.post(j+"/close", "reason", "other", "text", "joint made anew").Code)
	after := w.record(j)
	assert.Contains(t, after["/csv"], "joint made anew")
	assert.Contains(t, after["/csv"], "to the yard", "the first end")
	assert.NotEqual(t, before["/csv"], after["/csv"])
	entries, err := w.keep.Entries(t.Context(), id)
	require.NoError(t, err)
	ends := 0
	for _, e := range entries {
		if e.Kind == job.Closed {
			ends++
			assert.NotNil(t, e.Body.Conclusion)
		}
	}
	assert.Equal(t, 2, ends)
}

// The archive: out of the Bay, found there, and back.
func TestAJobGoesIntoTheArchive(t *testing.T) {
	w := open(t)
	j := w.closedJob(7)
	require.Equal(t, http.StatusSeeOther, w.post(j+"/archive").Code)
	link := `href="` + j + `"`
	silent(t, w.get("/?find=low").Body.String(), link)
	says(t, w.get("/?find=low&show=archive").Body.String(), link)
	says(t, w.get("/logbook").Body.String(), link)
	says(t, w.get(j).Body.String(), "It is in the archive")
	require.Equal(t, http.StatusSeeOther, w.post(j+"/archive", "back", "1").Code)
	says(t, w.get("/?find=low").Body.String(), link)
	open := w.newJobOn("f1-one-relay", "no fan")
	assert.Equal(t, http.StatusConflict, w.post(open+"/archive").Code)
	assert.Equal(t, http.StatusNotFound, w.post("/jobs/x/archive").Code)
}

// What a workshop sets holds for all; what is no number is refused.
func TestSettingsOfTheWorkshop(t *testing.T) {
	w := open(t)
	const refused = http.StatusUnprocessableEntity
	for days, want := range map[string]int{"90": http.StatusSeeOther, "-1": refused, "soon": refused} {
		assert.Equal(t, want, w.post("/settings", "archive", days).Code, days)
	}
	says(t, w.get("/settings").Body.String(), `value="90"`)
}

// A lead makes a revision the one of record; what is drawn later waits until a lead has looked.
func TestTheHarnessOfRecord(t *testing.T) {
	w := open(t)
	const at = "/harnesses/f1-one-relay"
	h, err := w.keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	says(t, w.get(at).Body.String(), "None is of record")
	says(t, w.get(at).Body.String(), "Make it the one")
	require.Equal(t, http.StatusSeeOther, w.post(at+"/record", "revision", strconv.FormatInt(h.Revision, 10)).Code)
	says(t, w.get(at).Body.String(), "The one of record, by Technician")
	r := w.post(at+"/edit", "saw", strconv.FormatInt(h.Newest, 10), "text", strings.ReplaceAll(h.Source, "F1", "F8"))
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.get(at).Body.String()
	says(t, page, "jobs go by that one")
	says(t, page, "parts gone: F1")
	j := w.newJobOn("f1-one-relay", "no fan")
	page = w.get(j).Body.String()
	silent(t, page, "F8")
	silent(t, page, "Jobs go by another revision")
	now, err := w.keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	require.Equal(t, http.StatusSeeOther, w.post(at+"/record", "revision", strconv.FormatInt(now.Revision, 10)).Code)
	says(t, w.get(j).Body.String(), "Jobs go by another revision of this harness now")
	assert.Equal(t, http.StatusNotFound, w.post(at+"/record", "revision", "99999").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.post(at+"/record", "revision", "x").Code)
	require.Equal(t, http.StatusSeeOther, w.post(at+"/record", "revision", "0").Code)
	says(t, w.get(at).Body.String(), "None is of record")
}

// Several instances behind one address: what is begun at one goes on at another, whichever answers.
func TestSeveralInstancesBehindOneAddress(t *testing.T) {
	keep := demotest.Open(t)
	var all []*workshop
	for range 3 {
		options := testOptions()
		options.Circuits = nil // each works circuits out for itself
		app, err := web.New(keep, options)
		require.NoError(t, err)
		t.Cleanup(app.Close)
		all = append(all, &workshop{t, app.Handler(), keep})
	}
	turn := 0
	next := func() *workshop { turn++; return all[turn%len(all)] }

	// A draft read at one is drawn at another.
	h, err := keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	r := next().post("/drafts", "text", strings.ReplaceAll(h.Source, "F1", "F7"))
	require.Equal(t, http.StatusOK, r.Code)
	_, sum, _ := strings.Cut(r.Body.String(), `"sum":"`)
	sum, _, _ = strings.Cut(sum, `"`)
	assert.Eventually(t, func() bool { return strings.Contains(next().get("/drafts/"+sum).Body.String(), "F7") }, 10*time.Second,
		50*time.Millisecond)
	assert.Equal(t, http.StatusNotFound, next().get("/drafts/none").Code)

	// A job begun at one is worked at the others, each entry at the next.
	j := next().newJobOn("f3-twin-series-parallel", "no low")
	for _, form := range [][]string{
		{"/seen", "do", "fans", "state", "high", "fan-M1", "fast", "fan-M2", "fast"},
		{"/seen", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped"},
		{"/seen", "do", "volts", "state", "low", "at", "F3.a", "reading", "12.2"},
		{"/seen", "do", "volts", "state", "low", "at", "F3.b", "reading", "0"},
	} {
		require.Equal(t, http.StatusSeeOther, next().post(j+form[0], form[1:]...).Code)
	}
	if testing.Short() { // each instance works the circuit out for itself, which takes long under the race detector
		return
	}
	assert.Eventually(t, func() bool { return strings.Contains(next().get(j).Body.String(), "Verdict, proven") }, time.Minute,
		50*time.Millisecond)

	// A study begun at one is seen and stopped at another.
	const study = "/harnesses/f3-twin-series-parallel/study"
	require.Equal(t, http.StatusSeeOther, all[0].post(study, "kind", "spread").Code)
	assert.Eventually(t, func() bool { return strings.Contains(all[1].get(study).Body.String(), "Played") }, 5*time.Second,
		50*time.Millisecond)
	require.Equal(t, http.StatusSeeOther, all[2].post(study, "kind", "clean").Code) // it is on its way: this changes nothing
	require.Equal(t, http.StatusSeeOther, all[1].post(study, "stop", "1").Code)
	for n, w := range all {
		assert.Eventually(t, func() bool { return !strings.Contains(w.get(study).Body.String(), "Played") }, 10*time.Second,
			50*time.Millisecond, n)
	}
}

// A session begun at one instance holds at the others, and ends at all of them.
func TestASessionHoldsAtEveryInstance(t *testing.T) {
	lead, tech := staffed(t)
	other := openSecond(t, lead.door)
	tech.handler = other
	assert.Equal(t, http.StatusOK, tech.do(http.MethodGet, "/").Code)
	require.Equal(t, http.StatusSeeOther, tech.do(http.MethodPost, "/jobs/7/note", "text", "from the other", "token", "s1").Code)
	tech.handler = lead.handler
	says(t, tech.do(http.MethodGet, "/jobs/7").Body.String(), "from the other")
	require.Equal(t, http.StatusSeeOther, tech.do(http.MethodPost, "/signout").Code)
	tech.handler = other
	assert.Equal(t, http.StatusSeeOther, tech.do(http.MethodGet, "/").Code)
}

// openSecond is a second instance on the same database.
func openSecond(t *testing.T, d *door) http.Handler {
	t.Helper()
	second := newDoor(t, d.keep)
	return second.app.Handler()
}
