package web_test

import (
	"bytes"
	"compress/zlib"
	"context"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/demo/demotest"
	"ironthread/store"
	"ironthread/web"
)

// newJobOn opens a job on a circuit of the library and gives its address.
func (w *workshop) newJobOn(circuit, complaint string) string {
	w.t.Helper()
	h, err := w.keep.HarnessNamed(w.t.Context(), circuit)
	require.NoError(w.t, err)
	r := w.post("/jobs", "vehicle", "Gritter 40", "harness", strconv.FormatInt(h.ID, 10), "complaint", complaint)
	require.Equal(w.t, http.StatusSeeOther, r.Code, notice(r.Body.String()))
	return r.Header().Get("Location")
}

// closedJob takes a job through a repair to its end.
func (w *workshop) closedJob(n int) string {
	w.t.Helper()
	job := w.newJobOn("f3-twin-series-parallel", fmt.Sprintf("no low, %d", n))
	for _, form := range [][]string{
		{"/seen", "do", "fans", "state", "high", "fan-M1", "fast", "fan-M2", "fast"},
		{"/seen", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped"},
		{"/seen", "do", "volts", "state", "low", "at", "F3.a", "reading", "12.2"},
		{"/seen", "do", "volts", "state", "low", "at", "F3.b", "reading", "0"},
		{"/repair", "action", "F3 renewed", "text", "new fuse, salt cleaned off", "minutes", "6"},
		{"/close", "reason", "passed on", "text", "to the yard"},
	} {
		r := w.post(job+form[0], form[1:]...)
		require.Equal(w.t, http.StatusSeeOther, r.Code, "%s: %s", form[0], notice(r.Body.String()))
	}
	return job
}

// tokens are of each page anew; nothing else of a record may change.
var tokens = regexp.MustCompile(`name="token" value="[^"]*"`)

// pdfText unpacks what a PDF draws: its streams, in their order.
func pdfText(t *testing.T, pdf []byte) string {
	t.Helper()
	var text strings.Builder
	for {
		_, after, found := bytes.Cut(pdf, []byte("stream\n"))
		if !found {
			return text.String()
		}
		stream, rest, _ := bytes.Cut(after, []byte("\nendstream"))
		if r, err := zlib.NewReader(bytes.NewReader(stream)); err == nil {
			b, err := io.ReadAll(r)
			require.NoError(t, err)
			text.Write(b)
		}
		pdf = rest
	}
}

// record is a closed job in every form in which it is handed out.
func (w *workshop) record(address string) map[string]string {
	w.t.Helper()
	forms := map[string]string{}
	for _, form := range []string{"", "/pdf", "/csv", "/json"} {
		r := w.get(address + "/report" + form)
		require.Equal(w.t, http.StatusOK, r.Code, form)
		body := r.Body.Bytes()
		forms[form] = tokens.ReplaceAllString(string(body), "")
		if form == "/pdf" {
			forms[form] = pdfText(w.t, body)
			require.Contains(w.t, forms[form], "F3 open")
		}
	}
	return forms
}

// A closed job's record is the same for ever: whatever is edited, deleted or shipped anew under it, and
// whatever other jobs teach the guide.
func TestAClosedRecordNeverChanges(t *testing.T) {
	w := open(t)
	jobs := 20
	if testing.Short() {
		jobs = 3
	}
	var list []string
	for n := range jobs {
		list = append(list, w.closedJob(n))
	}
	before := map[string]map[string]string{}
	for _, j := range list {
		before[j] = w.record(j)
	}
	same := func(what string) {
		for _, j := range list {
			for form, now := range w.record(j) {
				require.Equal(t, before[j][form] == now, true, "%s: %s%s is no longer what it was", what, j, form)
			}
		}
	}
	name := "/harnesses/f3-twin-series-parallel"
	h, err := w.keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	edited := strings.NewReplacer("F1", "F9", "Twin fans", "Other fans").Replace(h.Source)
	r := w.post(name+"/edit", "saw", strconv.FormatInt(h.Newest, 10), "text", edited)
	require.Equal(t, http.StatusSeeOther, r.Code, notice(r.Body.String()))
	same("edited")
	says(t, w.get(list[0]).Body.String(), "F3 renewed")
	_, err = w.keep.PutHarness(t.Context(), "f3-twin-series-parallel", "As shipped anew", h.Source+"# newer\n")
	require.NoError(t, err)
	same("shipped anew")
	w.closedJob(99)
	same("more closed jobs to learn from")
	require.Equal(t, http.StatusSeeOther, w.post(name+"/delete").Code)
	same("deleted")
}

// An open job stays with its revision until somebody moves it, sees what that changes, and can take it
// back.
func TestAnOpenJobMovesWhenItIsTold(t *testing.T) {
	w := open(t)
	j := w.newJobOn("f1-one-relay", "no fan")
	require.Equal(t, http.StatusSeeOther, w.post(j+"/seen", "do", "volts", "state", "hot", "at", "F1.b", "reading", "0").Code)
	h, err := w.keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	edited := strings.ReplaceAll(h.Source, "F1", "F8")
	require.Equal(t, http.StatusSeeOther, w.post("/harnesses/f1-one-relay/edit", "saw", strconv.FormatInt(h.Newest, 10), "text", edited).Code)
	page := w.get(j).Body.String()
	says(t, page, "Jobs go by another revision of this harness now")
	says(t, page, "parts gone: F1")
	says(t, page, "1 of 1 readings would no longer count")
	says(t, page, "0 V at F1.b")
	require.Equal(t, http.StatusSeeOther, w.post(j+"/move").Code)
	page = w.get(j).Body.String()
	says(t, page, "does not count: ")
	silent(t, page, "Jobs go by another revision")
	entries, err := w.keep.Entries(t.Context(), idOf(t, j))
	require.NoError(t, err)
	last := entries[len(entries)-1]
	require.Equal(t, job.Moved, last.Kind)
	require.Equal(t, http.StatusSeeOther, w.post(j+"/strike", "seq", strconv.Itoa(last.Seq)).Code)
	silent(t, w.get(j).Body.String(), "does not count")
	// A closed job never moves.
	require.Equal(t, http.StatusSeeOther, w.post(j+"/close", "reason", "passed on", "text", "x").Code)
	says(t, w.post(j+"/move").Body.String(), "This job is closed")
	silent(t, w.get(j).Body.String(), "Jobs go by another revision")
}

func idOf(t *testing.T, address string) int64 {
	t.Helper()
	id, err := strconv.ParseInt(strings.TrimPrefix(address, "/jobs/"), 10, 64)
	require.NoError(t, err)
	return id
}

// Whatever is sent at the same moment through the pages, no job closes with something out, no entry lands
// after the end, nothing is struck twice, and one form is one entry.
func TestDecisionsAtTheSameMoment(t *testing.T) {
	w := open(t)
	together := func(posts ...func()) {
		var wait sync.WaitGroup
		for _, p := range posts {
			wait.Go(p)
		}
		wait.Wait()
	}
	for range 12 {
		j := w.newJobOn("f1-one-relay", "race")
		w.get(j)
		together(
			func() { w.post(j+"/setup", "action", "F1 out") },
			func() { w.post(j+"/close", "reason", "passed on", "text", "x") },
		)
		entries, err := w.keep.Entries(t.Context(), idOf(t, j))
		require.NoError(t, err)
		require.Len(t, entries, 2, "one of the two")
	}
	j := w.newJobOn("f1-one-relay", "twice")
	require.Equal(t, http.StatusSeeOther, w.post(j+"/note", "text", "a").Code)
	strike := func() { w.post(j+"/strike", "seq", "2") }
	together(strike, strike, strike)
	form := func() { w.post(j+"/seen", "token", "one form", "do", "fans", "state", "hot", "fan-M1", "fast") }
	var twenty []func()
	for range 20 {
		twenty = append(twenty, form)
	}
	together(twenty...)
	entries, err := w.keep.Entries(t.Context(), idOf(t, j))
	require.NoError(t, err)
	assert.Len(t, entries, 4, "complaint, note, one strike, one reading")
	r := w.post(j+"/seen", "token", "one form", "do", "fans", "state", "hot", "fan-M1", "fast")
	require.Equal(t, http.StatusSeeOther, r.Code)
	says(t, w.get(r.Header().Get("Location")).Body.String(), "recorded once")
	says(t, w.post(j+"/note", "token", "", "text", "b").Body.String(), "page that is out of date")
}

// The fault that a repair is entered for is waited for, however long it takes: with no patience at all the
// form is shown again until it is there.
func TestARepairWaitsForItsFault(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	options := testOptions()
	options.Patience, options.Circuits = time.Nanosecond, nil
	w := openWith(t, options)
	j := w.newJobOn("f3-twin-series-parallel", "no low")
	require.Equal(t, http.StatusSeeOther, w.post(j+"/seen", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped").Code)
	waited := 0
	for {
		r := w.post(j+"/repair", "action", "F3 renewed", "token", "the repair")
		if r.Code == http.StatusSeeOther {
			break
		}
		require.Equal(t, http.StatusAccepted, r.Code, notice(r.Body.String()))
		says(t, r.Body.String(), "Not recorded yet")
		says(t, r.Body.String(), `value="F3 renewed"`)
		waited++
		time.Sleep(50 * time.Millisecond)
	}
	assert.Positive(t, waited)
	entries, err := w.keep.Entries(t.Context(), idOf(t, j))
	require.NoError(t, err)
	last := entries[len(entries)-1]
	require.Equal(t, job.Repaired, last.Kind)
	assert.NotEmpty(t, last.Body.Fault, "never silently without")
	require.Len(t, entries, 3)
}

// The lists read what is kept beside the logs: found by words, page by page.
func TestListsPageByPage(t *testing.T) {
	w := open(t)
	for n := range 33 {
		w.newJobOn("f1-one-relay", fmt.Sprintf("complaint %d", n))
	}
	page := w.get("/").Body.String()
	says(t, page, "1 to 20 of 40")
	says(t, page, "/?from=20")
	says(t, w.get("/?from=20").Body.String(), "21 to 40 of 40")
	found := w.get("/?find=complaint+7").Body.String()
	says(t, found, "complaint 7")
	silent(t, found, "complaint 8")
	says(t, w.get("/?find=nowhere").Body.String(), "No job holds these words")
	says(t, w.get("/logbook?find=fuse+f1").Body.String(), "F1")
	_, of, err := w.keep.Jobs(context.Background(), store.Find{Words: "complaint", Limit: 1})
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
			return []job.Entry{{At: time.Now(), Who: "Oda", Kind: job.Noted, Body: job.Body{Text: "seen too"}}}, nil
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
		m := &meddled{Store: demotest.Open(t)}
		app, err := web.New(m, testOptions())
		require.NoError(t, err)
		w := &workshop{t, app.Handler(), m.Store}
		path := w.jobNamed("Gritter 6")
		m.times = c.times
		r := w.post(path+"/repair", "action", "K3 renewed")
		assert.Equal(t, c.code, r.Code)
		silent(t, r.Body.String(), "Something went wrong")
		m.times = 0
		renewed := strings.Contains(w.get(path+"/verify").Body.String(), "K3 renewed")
		assert.Equal(t, c.code == http.StatusSeeOther, renewed, "written once or not at all")
	}
}
