package jobs_test

import (
	"bufio"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/demo/demotest"
	"ironthread/web"
	"ironthread/web/webtest"
)

// An entry written at one instance is told at another within a second, and no stream outlives its reader.
func TestNewsReachesOtherInstances(t *testing.T) {
	keep, id := demotest.Bare(t)
	events, note := fmt.Sprintf("/jobs/%d/events", id), fmt.Sprintf("/jobs/%d/note", id)
	one, err := web.New(keep, webtest.Options())
	require.NoError(t, err)
	other, err := web.New(keep, webtest.Options())
	require.NoError(t, err)
	go other.Listen(t.Context())
	server := httptest.NewServer(other.Handler())
	defer server.Close()
	defer other.Close()
	ask := func(path string) *http.Response {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, server.URL+path, nil)
		require.NoError(t, err)
		r.Host = webtest.Hosts[0]
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		return answer
	}
	last, err := keep.LastSeq(t.Context(), id)
	require.NoError(t, err)
	r := ask(events + "?saw=" + strconv.Itoa(last))
	assert.Equal(t, "text/event-stream", r.Header.Get("Content-Type"))
	lines := make(chan string, 20)
	go func() {
		in := bufio.NewScanner(r.Body)
		for in.Scan() {
			lines <- in.Text()
		}
		close(lines)
	}()
	w := &webtest.Workshop{T: t, Handler: one.Handler(), Keep: keep}
	require.Equal(t, http.StatusSeeOther, w.Post(note, "text", "salt under the cap").Code)
	for line := range lines { // the test's own deadline ends it where nothing is told
		if line == "event: newer" {
			break
		}
	}
	assert.Equal(t, "data: "+strconv.Itoa(last+1), <-lines)
	require.NoError(t, r.Body.Close())
	behind := ask(events + "?saw=0") // whoever is behind is told at once
	in := bufio.NewScanner(behind.Body)
	for in.Scan() {
		if in.Text() == "event: newer" {
			break
		}
	}
	assert.Equal(t, "event: newer", in.Text())
	require.NoError(t, behind.Body.Close())
	assert.Equal(t, http.StatusNoContent, ask(events+"?saw=x").StatusCode)
}
