package web_test

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/demo"
	"ironthread/demo/demotest"
	"ironthread/store"
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
		id, err := keep.OpenJob(b.Context(), store.NewJob{Vehicle: vehicle, Harness: cold.ID, Title: "not right",
			Who: "Technician", At: time.Now()})
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

// BenchmarkPages is how quickly the pages that people have open all day are answered, with 16 and with 64 clients that ask
// without pause over real connections, on the cores that the server has too: the Bay, the half-way job, a sheet.
func BenchmarkPages(b *testing.B) {
	keep := demotest.Open(b)
	app, err := web.New(keep, webtest.Options())
	require.NoError(b, err)
	b.Cleanup(app.Close)
	server := httptest.NewServer(app.Handler())
	b.Cleanup(server.Close)
	for _, page := range []struct{ name, path string }{{"bay", "/"}, {"job", "/jobs/5"}, {"sheet",
		"/harnesses/f3-twin-series-parallel?state=low"}} {
		for _, clients := range []int{16, 64} {
			b.Run(fmt.Sprintf("%s-%d", page.name, clients), func(b *testing.B) {
				client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: clients}}
				ask := func() time.Duration {
					r, err := http.NewRequestWithContext(b.Context(), http.MethodGet, server.URL+page.path, nil)
					require.NoError(b, err)
					r.Host = webtest.Hosts[0]
					began := time.Now()
					answer, err := client.Do(r)
					if !assert.NoError(b, err) {
						return 0
					}
					_, err = io.Copy(io.Discard, answer.Body)
					assert.NoError(b, err)
					assert.NoError(b, answer.Body.Close())
					assert.Equal(b, http.StatusOK, answer.StatusCode)
					return time.Since(began)
				}
				ask() // drawing and guide are made at the first asking
				took := make([]time.Duration, b.N)
				var next atomic.Int64
				var all sync.WaitGroup
				b.ResetTimer()
				for range clients {
					all.Go(func() {
						for n := next.Add(1); n <= int64(b.N); n = next.Add(1) {
							took[n-1] = ask()
						}
					})
				}
				all.Wait()
				b.StopTimer()
				slices.Sort(took)
				b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "views/s")
				b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "p50-ms")
				b.ReportMetric(float64(took[len(took)*99/100].Microseconds())/1000, "p99-ms")
			})
		}
	}
}

// BenchmarkBesideHeavyPages is how quickly the Bay is answered while eight clients at once ask for what takes long: a new wish
// worked out, or a circuit's control page, each until it is there. Real connections, clients on the server's own cores.
func BenchmarkBesideHeavyPages(b *testing.B) {
	keep := demotest.Open(b)
	app, err := web.New(keep, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop})
	require.NoError(b, err)
	b.Cleanup(app.Close)
	server := httptest.NewServer(app.Handler())
	b.Cleanup(server.Close)
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16}}
	ask := func(path string) string {
		r, err := http.NewRequestWithContext(b.Context(), http.MethodGet, server.URL+path, nil)
		require.NoError(b, err)
		r.Host = webtest.Hosts[0]
		answer, err := client.Do(r)
		if !assert.NoError(b, err, path) {
			return ""
		}
		page, err := io.ReadAll(answer.Body)
		assert.NoError(b, err)
		assert.NoError(b, answer.Body.Close())
		assert.Equal(b, http.StatusOK, answer.StatusCode, path)
		return string(page)
	}
	ask("/")
	list, err := keep.Harnesses(b.Context())
	require.NoError(b, err)
	const heavy = 8
	var bay, long []time.Duration
	for round := 0; b.Loop(); round++ {
		var all sync.WaitGroup
		var mu sync.Mutex
		var going atomic.Int64
		going.Store(heavy)
		for n := range heavy {
			path := fmt.Sprintf("/rewire?fans=2&speeds=2&volts=12&title=Mower+%d&half=ok&amps=%d.%d&name=low+line&gives=ground&asks=low&limit=&"+
				"name=high+line&gives=ground&asks=high&limit=", n, 10+n, round)
			if n%2 == 1 {
				path = "/harnesses/" + list[(heavy*round+n)%len(list)].Name + "/logic"
			}
			all.Go(func() {
				defer going.Add(-1)
				began := time.Now()
				for strings.Contains(ask(path), "hx-trigger=\"load delay") {
					time.Sleep(50 * time.Millisecond) // as the page itself asks again
				}
				mu.Lock()
				long = append(long, time.Since(began))
				mu.Unlock()
			})
		}
		for going.Load() > 0 {
			began := time.Now()
			ask("/")
			bay = append(bay, time.Since(began))
		}
		all.Wait()
	}
	slices.Sort(bay)
	slices.Sort(long)
	b.ReportMetric(float64(bay[len(bay)/2].Microseconds())/1000, "bay-p50-ms")
	b.ReportMetric(float64(bay[len(bay)*99/100].Microseconds())/1000, "bay-p99-ms")
	b.ReportMetric(float64(bay[len(bay)-1].Microseconds())/1000, "bay-longest-ms")
	b.ReportMetric(float64(long[len(long)-1].Microseconds())/1000, "heavy-longest-ms")
}
