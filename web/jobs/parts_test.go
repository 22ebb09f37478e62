package jobs_test

import (
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/web/webtest"
)

var drawnMark = regexp.MustCompile(`data-drawn="([^"]+)"`)

func drawnOf(t *testing.T, page string) string {
	t.Helper()
	m := drawnMark.FindStringSubmatch(page)
	require.NotNil(t, m, "the page does not say which drawing it has")
	return m[1]
}

// Recording a reading sends at most a third of the page's bytes, whether the state that is shown changes or stays.
func TestARecordedReadingIsAThirdOfThePage(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	whole := w.Get(job).Body.String()
	drawn := drawnOf(t, whole)
	for _, form := range [][]string{
		{"do", "fans", "state", "high", "fan-M1", "fast", "fan-M2", "fast"},
		{"do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped"},
		{"do", "volts", "state", "low", "at", "F3.a", "reading", "12.2"},
		{"do", "volts", "state", "low", "at", "F3.b", "reading", "0"},
	} {
		r := w.AsPage(drawn, job+"/seen", form...)
		require.Equal(t, http.StatusOK, r.Code, webtest.Notice(r.Body.String()))
		part := r.Body.String()
		t.Logf("page %d bytes, one recorded reading %d bytes", len(whole), len(part))
		assert.LessOrEqual(t, 3*len(part), len(whole), "%v", form)
		assert.Contains(t, part, "<hx-partial", "parts, not a page")
		assert.NotContains(t, part, "<html")
		if m := drawnMark.FindStringSubmatch(part); m != nil {
			drawn = m[1]
		}
	}
	assert.Contains(t, w.Get(job).Body.String(), "Verdict")
}

// Parts swapped into the page leave what the whole page says: every part of the answer stands in the page that a
// reload gives.
func TestThePartsAreThePages(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	drawn := drawnOf(t, w.Get(job).Body.String())
	part := w.AsPage(drawn, job+"/seen", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped").Body.String()
	whole := w.Get(job).Body.String()
	token := regexp.MustCompile(`name="token" value="[^"]*"`)
	blanks := regexp.MustCompile(`\s*\n\s*`)
	plain := func(s string) string { return blanks.ReplaceAllString(token.ReplaceAllString(s, ""), "\n") }
	for _, id := range []string{"thread", "switches", "move"} {
		section := regexp.MustCompile(`(?s)<(section|div)[^>]* id="` + id + `".*?</(section|div)>`)
		assert.Equal(t, plain(section.FindString(whole)), plain(section.FindString(part)), id)
	}
}

// Only the page that has a drawing is answered in parts: a first visit, a page of before, and a browser that goes
// back get the whole.
func TestWhoIsAnsweredInParts(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	drawn := drawnOf(t, w.Get(job).Body.String())
	assert.NotContains(t, w.AsPage(drawn, job).Body.String(), "<html")
	assert.Contains(t, w.AsPage("", job).Body.String(), "<html")
	back := httptest.NewRequest(http.MethodGet, job, nil)
	back.Header.Set("HX-Request", "true")
	back.Header.Set("HX-History-Restore-Request", "true")
	back.Header.Set("Drawn", drawn)
	assert.Contains(t, w.Do(back).Body.String(), "<html")

	// A refused reading sends the sentence alone, so that what was typed stays where it is.
	r := w.AsPage(drawn, job+"/seen", "do", "volts", "state", "low", "at", "F3.a", "reading", "12,,3")
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "is not a reading in volts")
	assert.NotContains(t, r.Body.String(), "hx-partial")
}

// A drawing by itself is kept by the browser: all that it depends on is in its address.
func TestTheDrawingIsKeptByTheBrowser(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	part := w.AsPage("another", job).Body.String()
	address := regexp.MustCompile(`hx-get="(/jobs/\d+/paper[^"]*)"`).FindStringSubmatch(part)
	require.NotNil(t, address)
	r := w.Get(strings.ReplaceAll(address[1], "&amp;", "&"))
	require.Equal(t, http.StatusOK, r.Code)
	assert.Contains(t, r.Header().Get("Cache-Control"), "max-age=")
	assert.Contains(t, r.Body.String(), "<svg")
	assert.Contains(t, address[1], "revision=")
}
