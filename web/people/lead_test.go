package people_test

import (
	"net/http"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/demo/demotest"
	"ironthread/soak"
	"ironthread/web"
	"ironthread/web/webtest"
)

// A closed job goes on when a lead says why; what it came to stays in its log, and a second end is a record of its own.
func TestAClosedJobIsReopened(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	j := w.ClosedJob(1)
	id := webtest.ID(t, j)
	before := w.Record(j)
	webtest.Says(t, w.Post(j+"/reopen").Body.String(), "Say why the job goes on")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/reopen", "text", "the fan stops when hot").Code)
	page := w.Get(j).Body.String()
	webtest.Says(t, page, "the fan stops when hot")
	webtest.Says(t, page, "Closed: passed on")
	webtest.Says(t, w.Post(j+"/reopen", "text", "twice").Body.String(), "This job is not closed")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/note", "text", "joint of F3 hot").Code)
	webtest.Says(t, w.Get("/?show=open").Body.String(), j)
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/close", "reason", "other", "text", "joint made anew").Code)
	after := w.Record(j)
	assert.Contains(t, after["/csv"], "joint made anew")
	assert.Contains(t, after["/csv"], "to the yard", "the first end")
	assert.NotEqual(t, before["/csv"], after["/csv"])
	entries, err := w.Keep.Entries(t.Context(), id)
	require.NoError(t, err)
	ends := 0
	for _, e := range entries {
		if end, ok := e.Body.(job.Closing); ok {
			ends++
			assert.NotNil(t, end.Conclusion)
		}
	}
	assert.Equal(t, 2, ends)
}

// The archive: out of the Bay, found there, and back.
func TestAJobGoesIntoTheArchive(t *testing.T) {
	w := webtest.Open(t)
	j := w.ClosedJob(7)
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/archive").Code)
	link := `href="` + j + `"`
	webtest.Silent(t, w.Get("/?find=low").Body.String(), link)
	webtest.Says(t, w.Get("/?find=low&show=archive").Body.String(), link)
	webtest.Says(t, w.Get("/logbook").Body.String(), link)
	webtest.Says(t, w.Get(j).Body.String(), "It is in the archive")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/archive", "back", "1").Code)
	webtest.Says(t, w.Get("/?find=low").Body.String(), link)
	open := w.NewJobOn("f1-one-relay", "no fan")
	assert.Equal(t, http.StatusConflict, w.Post(open+"/archive").Code)
	assert.Equal(t, http.StatusNotFound, w.Post("/jobs/x/archive").Code)
}

// What a workshop sets holds for all; what is no number is refused.
func TestSettingsOfTheWorkshop(t *testing.T) {
	w := webtest.Open(t)
	const refused = http.StatusUnprocessableEntity
	for days, want := range map[string]int{"90": http.StatusSeeOther, "-1": refused, "soon": refused} {
		assert.Equal(t, want, w.Post("/settings", "archive", days).Code, days)
	}
	webtest.Says(t, w.Get("/settings").Body.String(), `value="90"`)
}

// A lead makes a revision the one of record; what is drawn later waits until a lead has looked.
func TestTheHarnessOfRecord(t *testing.T) {
	w := webtest.Open(t)
	const at = "/harnesses/f1-one-relay"
	h, err := w.Keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	webtest.Says(t, w.Get(at).Body.String(), "None is of record")
	webtest.Says(t, w.Get(at).Body.String(), "Make it the one")
	require.Equal(t, http.StatusSeeOther, w.Post(at+"/record", "revision", strconv.FormatInt(h.Revision, 10)).Code)
	webtest.Says(t, w.Get(at).Body.String(), "The one of record, by Technician")
	r := w.Post(at+"/edit", "saw", strconv.FormatInt(h.Newest, 10), "text", strings.ReplaceAll(h.Source, "F1", "F8"))
	require.Equal(t, http.StatusSeeOther, r.Code)
	page := w.Get(at).Body.String()
	webtest.Says(t, page, "jobs go by that one")
	webtest.Says(t, page, "parts gone: F1")
	j := w.NewJobOn("f1-one-relay", "no fan")
	page = w.Get(j).Body.String()
	webtest.Silent(t, page, "F8")
	webtest.Silent(t, page, "Jobs go by another revision")
	now, err := w.Keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	require.Equal(t, http.StatusSeeOther, w.Post(at+"/record", "revision", strconv.FormatInt(now.Revision, 10)).Code)
	webtest.Says(t, w.Get(j).Body.String(), "Jobs go by another revision of this harness now")
	assert.Equal(t, http.StatusNotFound, w.Post(at+"/record", "revision", "99999").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post(at+"/record", "revision", "x").Code)
	require.Equal(t, http.StatusSeeOther, w.Post(at+"/record", "revision", "0").Code)
	webtest.Says(t, w.Get(at).Body.String(), "None is of record")
}

// Several instances behind one address: what is begun at one goes on at another, whichever answers.
func TestSeveralInstancesBehindOneAddress(t *testing.T) {
	keep := demotest.Open(t)
	var all []*webtest.Workshop
	for range 3 {
		options := webtest.Options()
		options.Circuits = nil // each works circuits out for itself
		app, err := web.New(keep, options)
		require.NoError(t, err)
		t.Cleanup(app.Close)
		all = append(all, &webtest.Workshop{T: t, Handler: app.Handler(), Keep: keep})
	}
	turn := 0
	next := func() *webtest.Workshop { turn++; return all[turn%len(all)] }

	// A draft read at one is drawn at another.
	h, err := keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	r := next().Post("/drafts", "text", strings.ReplaceAll(h.Source, "F1", "F7"))
	require.Equal(t, http.StatusOK, r.Code)
	_, sum, _ := strings.Cut(r.Body.String(), `"sum":"`)
	sum, _, _ = strings.Cut(sum, `"`)
	soak.Await(t, "it", func() bool { return strings.Contains(next().Get("/drafts/"+sum).Body.String(), "F7") })
	assert.Equal(t, http.StatusNotFound, next().Get("/drafts/none").Code)

	// A job begun at one is worked at the others, each entry at the next.
	j := next().NewJobOn("f3-twin-series-parallel", "no low")
	for _, form := range [][]string{
		{"/seen", "do", "fans", "state", "high", "fan-M1", "fast", "fan-M2", "fast"},
		{"/seen", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped"},
		{"/seen", "do", "volts", "state", "low", "at", "F3.a", "reading", "12.2"},
		{"/seen", "do", "volts", "state", "low", "at", "F3.b", "reading", "0"},
	} {
		require.Equal(t, http.StatusSeeOther, next().Post(j+form[0], form[1:]...).Code)
	}
	if testing.Short() { // each instance works the circuit out for itself, which takes long under the race detector
		return
	}
	soak.Await(t, "it", func() bool { return strings.Contains(next().Get(j).Body.String(), "Verdict, proven") })

	// A study begun at one is seen and stopped at another.
	const study = "/harnesses/f3-twin-series-parallel/study"
	require.Equal(t, http.StatusSeeOther, all[0].Post(study, "kind", "spread").Code)
	soak.Await(t, "it", func() bool { return strings.Contains(all[1].Get(study).Body.String(), "Played") })
	require.Equal(t, http.StatusSeeOther, all[2].Post(study, "kind", "clean").Code) // it is on its way: this changes nothing
	require.Equal(t, http.StatusSeeOther, all[1].Post(study, "stop", "1").Code)
	for _, w := range all {
		soak.Await(t, "it", func() bool { return !strings.Contains(w.Get(study).Body.String(), "Played") })
	}
}

// A session begun at one instance holds at the others, and ends at all of them.
func TestASessionHoldsAtEveryInstance(t *testing.T) {
	lead, tech := webtest.Staffed(t)
	other := openSecond(t, lead.Door)
	tech.Handler = other
	assert.Equal(t, http.StatusOK, tech.Do(http.MethodGet, "/").Code)
	require.Equal(t, http.StatusSeeOther, tech.Do(http.MethodPost, "/jobs/7/note", "text", "from the other", "token", "s1").Code)
	tech.Handler = lead.Handler
	webtest.Says(t, tech.Do(http.MethodGet, "/jobs/7").Body.String(), "from the other")
	require.Equal(t, http.StatusSeeOther, tech.Do(http.MethodPost, "/signout").Code)
	tech.Handler = other
	assert.Equal(t, http.StatusSeeOther, tech.Do(http.MethodGet, "/").Code)
}

// openSecond is a second instance on the same database.
func openSecond(t *testing.T, d *webtest.Door) http.Handler {
	t.Helper()
	second := webtest.NewDoor(t, d.Keep)
	return second.App.Handler()
}
