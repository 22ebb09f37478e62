package web_test

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

func TestStaticFilesAreKeptForEver(t *testing.T) {
	w := webtest.Open(t)
	page := w.Get("/").Body.String()
	found := regexp.MustCompile(`/static/[0-9a-f]{12}/app\.css`).FindString(page)
	require.NotEmpty(t, found)
	plain := w.Get(found)
	require.Equal(t, http.StatusOK, plain.Code)
	assert.Contains(t, plain.Header().Get("Cache-Control"), "immutable")
	assert.Empty(t, plain.Header().Get("Content-Encoding"))

	r := httptest.NewRequest(http.MethodGet, found, nil)
	r.Header.Set("Accept-Encoding", "gzip")
	zipped := w.Do(r)
	assert.Equal(t, "gzip", zipped.Header().Get("Content-Encoding"))
	assert.Less(t, zipped.Body.Len(), plain.Body.Len())

	r = httptest.NewRequest(http.MethodGet, found, nil)
	r.Header.Set("If-None-Match", plain.Header().Get("ETag"))
	assert.Equal(t, http.StatusNotModified, w.Do(r).Code)

	for _, file := range []string{"vendor/htmx.min.js", "vendor/bootstrap.min.css", "sheet.css", "app.js", "icon.svg"} {
		assert.Equal(t, http.StatusOK, w.Get(strings.Replace(found, "app.css", file, 1)).Code, file)
	}
}

// Everything a page names is served by the application itself: it works with no network.
func TestNothingComesFromElsewhere(t *testing.T) {
	w := webtest.Open(t)
	for _, path := range []string{"/", "/library", "/jobs/3", "/harnesses/f3-twin-series-parallel"} {
		page := w.Get(path).Body.String()
		for _, link := range regexp.MustCompile(`(?:src|href)="([^"]+)"`).FindAllStringSubmatch(page, -1) {
			assert.True(t, strings.HasPrefix(link[1], "/") || strings.HasPrefix(link[1], "#"), "%s names %s", path, link[1])
		}
	}
}

func TestTheTechniciansName(t *testing.T) {
	w := webtest.Open(t)
	r := w.Post("/who", "who", "  Ansa Pell ")
	require.Equal(t, http.StatusSeeOther, r.Code)
	cookie := r.Result().Cookies()[0]
	assert.True(t, cookie.HttpOnly)
	job := w.JobNamed("Gritter 6")
	post := httptest.NewRequest(http.MethodPost, job+"/note", strings.NewReader("saw=1&text=hello&token="+webtest.Token()))
	post.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	post.AddCookie(cookie)
	require.Equal(t, http.StatusSeeOther, w.Do(post).Code)
	webtest.Says(t, w.Get(job).Body.String(), "Ansa Pell")
	long := w.Post("/who", "who", strings.Repeat("x", 500))
	assert.Equal(t, http.StatusUnprocessableEntity, long.Code)
	webtest.Says(t, long.Body.String(), "has 500 characters, and at most 40 are kept")
}

func TestLimits(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	r := w.Post(job+"/note", "text", strings.Repeat("x", 2<<20))
	assert.NotEqual(t, http.StatusSeeOther, r.Code, "two megabytes are not taken in")
	assert.Equal(t, http.StatusMethodNotAllowed, w.Post("/", "a", "b").Code)
	assert.Equal(t, http.StatusOK, w.Get("/healthz").Code)
	// A long query, strange characters and an empty pin are answered, not broken on.
	for _, path := range []string{job + "?pin=" + strings.Repeat("K", 5000), job + "?state=%00", job + "?move=-7",
		job + "?move=99999999999999999999", job + "?others=x"} {
		assert.Less(t, w.Get(path).Code, 500, path[:min(len(path), 60)])
	}
}
