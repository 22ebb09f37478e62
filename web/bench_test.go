package web_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/demo"
	"ironthread/demo/demotest"
	"ironthread/web"
	"ironthread/web/webtest"
)

// BenchmarkSheetStateSwitch switches states on the Sheet page of every library circuit in turn
// and reports the 95th percentile of the answers, drawings being there.
func BenchmarkSheetStateSwitch(b *testing.B) {
	keep := demotest.Open(b)
	app, err := web.New(keep, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop, Patience: time.Minute})
	require.NoError(b, err)
	h := app.Handler()
	list, err := keep.Harnesses(b.Context())
	require.NoError(b, err)
	var addresses []string
	for _, x := range list {
		c, err := harness.Read([]byte(x.Source))
		require.NoError(b, err)
		for _, s := range c.States {
			addresses = append(addresses,
				"/harnesses/"+x.Name+"?state="+url.QueryEscape(s.Name)+"&at="+url.QueryEscape(c.Parts[0].Pins()[0].String()))
		}
	}
	ask := func(address string) {
		r := httptest.NewRecorder()
		h.ServeHTTP(r, httptest.NewRequest(http.MethodGet, address, nil))
		if r.Code != http.StatusOK {
			b.Fatalf("%s: %d", address, r.Code)
		}
	}
	for _, address := range addresses {
		ask(address)
	}
	var took []time.Duration
	for b.Loop() {
		start := time.Now()
		ask(addresses[len(took)%len(addresses)])
		took = append(took, time.Since(start))
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)*95/100].Microseconds())/1000, "p95-ms")
}

// BenchmarkFirstPageOfAJob opens the first page of a job on circuits that nothing is known of
// yet, and reports the longest answer: what is not there within the page's patience comes later.
func BenchmarkFirstPageOfAJob(b *testing.B) {
	keep := demotest.Open(b)
	app, err := web.New(keep, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop})
	require.NoError(b, err)
	h := app.Handler()
	list, err := keep.Harnesses(b.Context())
	require.NoError(b, err)
	vehicle, err := keep.PutVehicle(b.Context(), "Test rig", "")
	require.NoError(b, err)
	var longest time.Duration
	n := 0
	for b.Loop() {
		x := list[n%len(list)]
		n++
		text := fmt.Sprintf("%s\n# unknown %d\n", x.Source, n)
		cold, err := keep.AddHarness(b.Context(), "cold", x.Title, text)
		require.NoError(b, err)
		id, err := keep.OpenJob(b.Context(), vehicle, cold.ID, "not right", "Technician", time.Now(), "")
		require.NoError(b, err)
		r := httptest.NewRecorder()
		start := time.Now()
		h.ServeHTTP(r, httptest.NewRequest(http.MethodGet, fmt.Sprintf("/jobs/%d", id), nil))
		longest = max(longest, time.Since(start))
		require.Equal(b, http.StatusOK, r.Code)
		// The next is asked for once all of this one is there: one technician, one car.
		for strings.Contains(r.Body.String(), "hx-trigger=\"load delay") {
			time.Sleep(20 * time.Millisecond)
			r = httptest.NewRecorder()
			h.ServeHTTP(r, httptest.NewRequest(http.MethodGet, fmt.Sprintf("/jobs/%d", id), nil))
		}
	}
	b.ReportMetric(float64(longest.Microseconds())/1000, "longest-ms")
}
