package jobs_test

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/demo/demotest"
	"ironthread/soak"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/webtest"
)

// A closed job's record is the same for ever: whatever is edited, deleted or shipped anew under it, and
// whatever other jobs teach the guide.
func TestAClosedRecordNeverChanges(t *testing.T) {
	w := webtest.Open(t)
	jobs := 20
	if testing.Short() {
		jobs = 3
	}
	var list []string
	for n := range jobs {
		list = append(list, w.ClosedJob(n))
	}
	before := map[string]map[string]string{}
	for _, j := range list {
		before[j] = w.Record(j)
	}
	same := func(what string) {
		for _, j := range list {
			for form, now := range w.Record(j) {
				require.Equal(t, before[j][form] == now, true, "%s: %s%s is no longer what it was", what, j, form)
			}
		}
	}
	name := "/harnesses/f3-twin-series-parallel"
	h, err := w.Keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	edited := strings.NewReplacer("F1", "F9", "Twin fans", "Other fans").Replace(h.Source)
	r := w.Post(name+"/edit", "saw", strconv.FormatInt(h.Newest, 10), "text", edited)
	require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	same("edited")
	webtest.Says(t, w.Get(list[0]).Body.String(), "F3 renewed")
	_, err = w.Keep.PutHarness(t.Context(), "f3-twin-series-parallel", "As shipped anew", h.Source+"# newer\n")
	require.NoError(t, err)
	same("shipped anew")
	w.ClosedJob(99)
	same("more closed jobs to learn from")
	require.Equal(t, http.StatusSeeOther, w.Post(name+"/delete").Code)
	same("deleted")
}

// An open job stays with its revision until somebody moves it, sees what that changes, and can take it
// back.
func TestAnOpenJobMovesWhenItIsTold(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f1-one-relay", "no fan")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/seen", "do", "volts", "state", "hot", "at", "F1.b", "reading", "0").Code)
	h, err := w.Keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	edited := strings.ReplaceAll(h.Source, "F1", "F8")
	require.Equal(t, http.StatusSeeOther, w.Post("/harnesses/f1-one-relay/edit", "saw", strconv.FormatInt(h.Newest, 10), "text", edited).Code)
	page := w.Get(j).Body.String()
	webtest.Says(t, page, "Jobs go by another revision of this harness now")
	webtest.Says(t, page, "parts gone: F1")
	webtest.Says(t, page, "1 of 1 readings would no longer count")
	webtest.Says(t, page, "0 V at F1.b")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/move").Code)
	page = w.Get(j).Body.String()
	webtest.Says(t, page, "does not count: ")
	webtest.Silent(t, page, "Jobs go by another revision")
	entries, err := w.Keep.Entries(t.Context(), webtest.ID(t, j))
	require.NoError(t, err)
	last := entries[len(entries)-1]
	require.Equal(t, job.Moved, last.Kind())
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/strike", "seq", strconv.Itoa(last.Seq)).Code)
	webtest.Silent(t, w.Get(j).Body.String(), "does not count")
	// A closed job never moves.
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/close", "reason", "passed on", "text", "x").Code)
	webtest.Says(t, w.Post(j+"/move").Body.String(), "This job is closed")
	webtest.Silent(t, w.Get(j).Body.String(), "Jobs go by another revision")
}

// Whatever is sent at the same moment through the pages, no job closes with something out, no entry lands
// after the end, nothing is struck twice, and one form is one entry.
func TestDecisionsAtTheSameMoment(t *testing.T) {
	w, _ := webtest.Bare(t)
	together := func(posts ...func()) {
		var wait sync.WaitGroup
		for _, p := range posts {
			wait.Go(p)
		}
		wait.Wait()
	}
	for range 12 {
		j := w.NewJobOn("f1-one-relay", "race")
		w.Get(j)
		together(
			func() { w.Post(j+"/setup", "action", "F1 out") },
			func() { w.Post(j+"/close", "reason", "passed on", "text", "x") },
		)
		entries, err := w.Keep.Entries(t.Context(), webtest.ID(t, j))
		require.NoError(t, err)
		require.Len(t, entries, 2, "one of the two")
	}
	j := w.NewJobOn("f1-one-relay", "twice")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/note", "text", "a").Code)
	strike := func() { w.Post(j+"/strike", "seq", "2") }
	together(strike, strike, strike)
	form := func() { w.Post(j+"/seen", "token", "one form", "do", "fans", "state", "hot", "fan-M1", "fast") }
	var twenty []func()
	for range 20 {
		twenty = append(twenty, form)
	}
	together(twenty...)
	entries, err := w.Keep.Entries(t.Context(), webtest.ID(t, j))
	require.NoError(t, err)
	assert.Len(t, entries, 4, "complaint, note, one strike, one reading")
	r := w.Post(j+"/seen", "token", "one form", "do", "fans", "state", "hot", "fan-M1", "fast")
	require.Equal(t, http.StatusSeeOther, r.Code)
	webtest.Says(t, w.Get(r.Header().Get("Location")).Body.String(), "recorded once")
	webtest.Says(t, w.Post(j+"/note", "token", "", "text", "b").Body.String(), "page that is out of date")
}

// The fault that a repair is entered for is waited for, however long it takes: with no patience at all the
// form is shown again until it is there.
func TestARepairWaitsForItsFault(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	options := webtest.Options()
	options.Patience, options.Circuits = time.Nanosecond, nil
	w := webtest.OpenWith(t, options)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/seen", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped").Code)
	waited := 0
	soak.Await(t, "the repair", func() bool {
		r := w.Post(j+"/repair", "action", "F3 renewed", "token", "the repair")
		if r.Code == http.StatusSeeOther {
			return true
		}
		require.Equal(t, http.StatusAccepted, r.Code, webtest.Notice(r.Body.String()))
		webtest.Says(t, r.Body.String(), "Not recorded yet")
		webtest.Says(t, r.Body.String(), `value="F3 renewed"`)
		waited++
		return false
	})
	assert.Positive(t, waited)
	entries, err := w.Keep.Entries(t.Context(), webtest.ID(t, j))
	require.NoError(t, err)
	last, ok := entries[len(entries)-1].Body.(job.Repair)
	require.True(t, ok)
	assert.NotEmpty(t, last.Fault, "never silently without")
	require.Len(t, entries, 3)
}

// The lists read what is kept beside the logs: found by words, page by page.
func TestListsPageByPage(t *testing.T) {
	w := webtest.Open(t)
	for n := range 33 {
		w.NewJobOn("f1-one-relay", fmt.Sprintf("complaint %d", n))
	}
	page := w.Get("/").Body.String()
	webtest.Says(t, page, "1 to 12 of 40")
	webtest.Says(t, page, "/?from=12")
	webtest.Says(t, w.Get("/?from=12").Body.String(), "13 to 24 of 40")
	found := w.Get("/?find=complaint+7").Body.String()
	webtest.Says(t, found, "complaint 7")
	webtest.Silent(t, found, "complaint 8")
	webtest.Says(t, w.Get("/?find=nowhere").Body.String(), "No job holds these words")
	webtest.Says(t, w.Get("/logbook?find=fuse+f1").Body.String(), "F1")
	_, of, err := w.Keep.Jobs(context.Background(), store.Find{Words: "complaint", Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, 33, of)
}

// meddled is a store in which somebody else writes a note just before an entry is decided on.
type meddled struct {
	*store.Store
	times int
}

func (m *meddled) Append(ctx context.Context, id int64, saw int, token string, decide store.Decide) ([]job.Entry, error) {
	if m.times > 0 {
		m.times--
		_, err := m.Store.Append(ctx, id, saw, fmt.Sprintf("meddling %d", m.times), func(*store.Log) ([]job.Entry, error) {
			return []job.Entry{{At: time.Now(), Who: "Oda", Body: job.Note{Text: "seen too"}}}, nil
		})
		if err != nil {
			return nil, err
		}
	}
	return m.Store.Append(ctx, id, saw, token, decide)
}

// Where others write while a repair's fault is weighed it is weighed again, and answered once; where they
// never stop the person is told.
func TestTheLogGrowsWhileTheEvidenceIsWeighed(t *testing.T) {
	for _, c := range []struct{ times, code int }{{1, http.StatusSeeOther}, {100, http.StatusConflict}} {
		keep, id := demotest.Bare(t)
		m := &meddled{Store: keep}
		app, err := web.New(m, webtest.Options())
		require.NoError(t, err)
		t.Cleanup(app.Close)
		w := &webtest.Workshop{T: t, Handler: app.Handler(), Keep: m.Store}
		path := fmt.Sprintf("/jobs/%d", id)
		m.times = c.times
		r := w.Post(path+"/repair", "action", "K1 replaced")
		assert.Equal(t, c.code, r.Code)
		webtest.Silent(t, r.Body.String(), "Something went wrong")
		m.times = 0
		renewed := strings.Contains(w.Get(path+"/verify").Body.String(), "K1 replaced")
		assert.Equal(t, c.code == http.StatusSeeOther, renewed, "written once or not at all")
	}
}
