package circuits_test

import (
	"context"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/demo"
	"ironthread/demo/demotest"
	"ironthread/soak"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/webtest"
)

// A study runs in the background, tells how far it is, can be stopped, and shows its tables.
func TestTheStudyOfACircuit(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	const page = "/harnesses/f10-speed-controller/study"
	webtest.Says(t, w.Get(page).Body.String(), "Every fault, every reading right")
	wait := func() string {
		body := ""
		soak.Await(t, "the study's end", func() bool {
			body = w.Get(page).Body.String()
			return !strings.Contains(body, "Played")
		})
		return body
	}
	require.Equal(t, http.StatusSeeOther, w.Post(page, "kind", "clean").Code)
	w.Post(page, "kind", "doubles") // one at a time: this changes nothing
	assert.Equal(t, http.StatusConflict, w.Post("/harnesses/f1-one-relay/study", "kind", "clean").Code, "nor may another circuit's")
	body := wait()
	webtest.Says(t, body, "fixed textbook order")
	webtest.Says(t, body, "Minutes against the fixed order")
	webtest.Says(t, body, "G1 open")
	require.Equal(t, http.StatusSeeOther, w.Post(page, "kind", "spread").Code)
	require.Equal(t, http.StatusSeeOther, w.Post(page, "stop", "1").Code)
	webtest.Silent(t, wait(), "fixed textbook order")
	assert.Equal(t, http.StatusNotFound, w.Get("/harnesses/none/study").Code)
}

// Warming draws and predicts every circuit beforehand, and stops when it is told to.
func TestWarming(t *testing.T) {
	keep := demotest.Open(t)
	app, err := web.New(keep, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop})
	require.NoError(t, err)
	stopped, stop := context.WithCancel(t.Context())
	stop()
	app.Warm(stopped) // it ends
	server := app.Server("127.0.0.1:0")
	assert.Positive(t, server.ReadHeaderTimeout)
	assert.Positive(t, server.WriteTimeout)
}

// The report of a job in each of its stages, in words for the owner.
func TestReportsAtEveryStage(t *testing.T) {
	w := webtest.Open(t)
	for vehicle, want := range map[string]string{
		"Gritter 6": "We are still looking for the cause", "Verge mower": "We suspected the fan relay K3",
		"Gritter 9": "We found the trouble at the fuse F1", "Tide-gate pump truck": "We suspected the fan relay K1",
		"Gritter 4": "We found the trouble at the resistor R1",
	} {
		page := w.Get(w.JobNamed(vehicle) + "/report").Body.String()
		webtest.Says(t, page, want)
		webtest.Says(t, page, "keep hands and clothes away")
		pdf := w.Get(w.JobNamed(vehicle) + "/report/pdf")
		assert.Equal(t, http.StatusOK, pdf.Code)
		assert.Equal(t, "application/pdf", pdf.Header().Get("Content-Type"))
		assert.True(t, strings.HasSuffix(strings.TrimSpace(pdf.Body.String()), "%%EOF"))
		assert.Equal(t, "text/csv; charset=utf-8", w.Get(w.JobNamed(vehicle)+"/report/csv").Header().Get("Content-Type"))
	}
}

// A text that a spreadsheet would take for a formula is not one.
func TestCSVHoldsNoFormula(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	w.Post(job+"/note", "text", "=HYPERLINK(1)")
	webtest.Says(t, w.Get(job+"/report/csv").Body.String(), "'=HYPERLINK(1)")
}

// Job files that are wrong in one place each are refused with a sentence, and nothing is kept.
func TestWrongJobFiles(t *testing.T) {
	w := webtest.Open(t)
	before, _, err := w.Keep.Jobs(t.Context(), store.Find{Limit: 50})
	require.NoError(t, err)
	const begins = `{"iron-thread-job":"1","vehicle":"A","title":"b","opened-at":"2026-03-02T12:00:00Z","harness":"x",` +
		`"entries":[{"seq":1,"at":"2026-03-02T12:00:00Z","kind":"opened"},`
	unreadable := strings.Replace(begins, `"x"`, `"harness: 7"`, 1) + `{"seq":2,"at":"2026-03-02T12:00:00Z","kind":"noted"}]}`
	for text, want := range map[string]string{
		`{"iron-thread-job":"1"}`: "lacks its vehicle",
		`{"iron-thread-job":"1","vehicle":"A","title":"b","harness":"harness: 7"}`: "does not begin with the complaint",
		unreadable: "harness cannot be read",
		begins + `{"seq":2,"at":"2026-03-02T12:00:00Z","kind":"seen","body":{}}]}`: "Entry 2 of the job file: it carries no observation",
		begins + `{"seq":2,"at":"2026-03-02T12:00:00Z","kind":"sniffed"}]}`:        "Entry 2 of the job file: there is no kind",
		`"text"`: "This is no job file",
	} {
		r := w.Send("/jobs/import", "file", "job.json", []byte(text))
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, text)
		webtest.Says(t, r.Body.String(), want)
	}
	webtest.Says(t, w.Post("/jobs/import").Body.String(), "Choose a job file")
	after, _, err := w.Keep.Jobs(t.Context(), store.Find{Limit: 50})
	require.NoError(t, err)
	assert.Len(t, after, len(before))
}
