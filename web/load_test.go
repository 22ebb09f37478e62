package web_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/demo"
	"ironthread/soak"
	"ironthread/store"
	"ironthread/store/storetest"
	"ironthread/web"
	"ironthread/web/webtest"
)

// grown is the demo workshop after many years: its jobs again and again, each with forty entries.
func grown(t *testing.T, jobs int) *store.Store {
	t.Helper()
	dsn := storetest.DSN(t)
	keep, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	t.Cleanup(func() { keep.Close() })
	require.NoError(t, demo.Load(t.Context(), keep, time.Now()))
	db, err := sqlx.Open("pgx", dsn)
	require.NoError(t, err)
	defer db.Close()
	for _, step := range []string{
		`INSERT INTO jobs (vehicle_id, title, opened_at, opened_with, revision_id, summary, closed, closed_at, last_seq, words, standing,
			standing_seq)
		SELECT vehicle_id, title || ' ' || n, opened_at - n * interval '1 hour', opened_with, revision_id, summary, closed,
			closed_at - n * interval '1 hour', 40, words, standing, standing_seq
		FROM jobs, generate_series(1, $1::int / (SELECT count(*) FROM jobs)) n`,
		`INSERT INTO entries (job_id, seq, at, who, kind, body)
		SELECT j.id, n, j.opened_at + n * interval '1 minute', 'Technician', 'note', '{"text": "seen again"}'
		FROM jobs j, generate_series(1, 40) n
		WHERE NOT EXISTS (SELECT 1 FROM entries e WHERE e.job_id = j.id) AND $1 > 0`,
	} {
		_, err = db.ExecContext(t.Context(), step, jobs)
		require.NoError(t, err)
	}
	_, err = db.ExecContext(t.Context(), `VACUUM ANALYZE`)
	require.NoError(t, err)
	return keep
}

// slowest has so many clients ask for a page again and again, and gives the 95th percentile of their waits.
func slowest(t *testing.T, h http.Handler, path string, clients, asks int) time.Duration {
	t.Helper()
	var mu sync.Mutex
	var took []time.Duration
	var all sync.WaitGroup
	for range clients {
		all.Go(func() {
			for range asks {
				r := httptest.NewRecorder()
				start := time.Now()
				h.ServeHTTP(r, httptest.NewRequest(http.MethodGet, path, nil))
				wait := time.Since(start)
				mu.Lock()
				took = append(took, wait)
				mu.Unlock()
				assert.Equal(t, http.StatusOK, r.Code, path)
			}
		})
	}
	all.Wait()
	slices.Sort(took)
	return took[len(took)*95/100]
}

// The Bay, the logbook and a search stay quick in a workshop of many years, with all its people asking at
// once. IRONTHREAD_LOAD measures it with so many jobs of forty entries each and up to 64 clients.
func TestAWorkshopOfManyYears(t *testing.T) {
	soak.Only(t, "TestListsPageByPage, in web/jobs")
	jobs, asks, clients := 1000, 320, []int{16}
	if many, err := strconv.Atoi(os.Getenv("IRONTHREAD_LOAD")); err == nil {
		jobs, asks, clients = many, 1600, []int{1, 16, 64}
	}
	keep := grown(t, jobs)
	options := webtest.Options()
	app, err := web.New(keep, options)
	require.NoError(t, err)
	h := app.Handler()
	for _, path := range []string{"/", "/?find=bus", "/logbook", "/logbook?find=bus", "/jobs/2",
		"/harnesses/f3-twin-series-parallel?state=low"} {
		slowest(t, h, path, 1, 3) // the drawing and the guide's tables are made at the first asking
		for _, n := range clients {
			p95 := slowest(t, h, path, n, asks/n)
			t.Logf("%6d jobs, %2d clients, %-50s p95 %v", jobs, n, path, p95.Round(100*time.Microsecond))
		}
	}
}

// Many people who have signed in look at pages of all kinds at once, over real connections: all are answered, and quickly.
// IRONTHREAD_LOAD measures it for longer.
func TestManyWhoHaveSignedIn(t *testing.T) {
	soak.Only(t, "TestSeveralInstancesBehindOneAddress, in web/people")
	const clients = 64
	rounds := 3
	if os.Getenv("IRONTHREAD_LOAD") != "" {
		rounds = 60
	}
	_, tech := webtest.Staffed(t)
	server := httptest.NewServer(tech.App.Handler())
	defer server.Close()
	paths := []string{"/", "/jobs/2", "/jobs/5", "/jobs/7", "/logbook", "/library",
		"/harnesses/f3-twin-series-parallel?state=low", "/jobs/5/why", "/jobs/4/report", "/bench/wire"}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: clients}}
	ask := func(path string) (int, time.Duration) {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, server.URL+path, nil)
		require.NoError(t, err)
		r.Host = webtest.Hosts[0]
		r.AddCookie(tech.Cookies["session"])
		began := time.Now()
		answer, err := client.Do(r)
		if !assert.NoError(t, err) {
			return 0, 0
		}
		_, err = io.Copy(io.Discard, answer.Body)
		assert.NoError(t, err)
		assert.NoError(t, answer.Body.Close())
		return answer.StatusCode, time.Since(began)
	}
	for range 3 { // drawings and guides are made at the first asking
		for _, path := range paths {
			ask(path)
		}
	}
	var mu sync.Mutex
	var took []time.Duration
	var all sync.WaitGroup
	began := time.Now()
	for n := range clients {
		all.Go(func() {
			for k := range rounds * len(paths) {
				status, wait := ask(paths[(n+k)%len(paths)])
				assert.Equal(t, http.StatusOK, status)
				mu.Lock()
				took = append(took, wait)
				mu.Unlock()
			}
		})
	}
	all.Wait()
	slices.Sort(took)
	t.Logf("%d views by %d clients: %.0f a second, p50 %v, p99 %v", len(took), clients, float64(len(took))/time.Since(began).Seconds(),
		took[len(took)/2].Round(time.Millisecond), took[len(took)*99/100].Round(time.Millisecond))
}
