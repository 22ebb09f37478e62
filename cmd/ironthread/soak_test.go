package main

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"ironthread/core/drill"
	"ironthread/library"
	"ironthread/soak"
)

// Virtual technicians work drills by the pages alone, one after the other for as long as they are let: they press the first
// button that takes a reading from the vehicle, do the repair that is offered, and say at the end what it is. What the server
// then holds in memory must not grow.

// form is one form of a page with what its fields hold.
type form struct {
	action string
	values url.Values
}

// formsOf reads the forms of a page: hidden and text fields, and the first button that has a name.
func formsOf(page string) []form {
	root, err := html.Parse(strings.NewReader(page))
	if err != nil {
		return nil
	}
	var list []form
	attr := func(n *html.Node, key string) string {
		for _, a := range n.Attr {
			if a.Key == key {
				return a.Val
			}
		}
		return ""
	}
	for n := range root.Descendants() {
		if n.Type != html.ElementNode || n.Data != "form" || attr(n, "method") != "post" {
			continue
		}
		f := form{attr(n, "action"), url.Values{}}
		for x := range n.Descendants() {
			if kind := attr(x, "type"); x.Data == "input" && (kind == "hidden" || kind == "" || kind == "text") {
				f.values.Add(attr(x, "name"), attr(x, "value"))
			}
		}
		list = append(list, f)
	}
	return list
}

// technician is one of them.
type technician struct {
	url    string
	who    string
	pause  time.Duration
	client *http.Client
	done   *atomic.Int64 // drills ended
	views  *atomic.Int64
}

func (x *technician) ask(ctx context.Context, method, path string, values url.Values) (page, at string, err error) {
	select {
	case <-ctx.Done():
		return "", "", ctx.Err()
	case <-time.After(x.pause/2 + rand.N(x.pause)):
	}
	r, err := http.NewRequestWithContext(ctx, method, x.url+path, strings.NewReader(values.Encode()))
	if err != nil {
		return "", "", err
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.AddCookie(&http.Cookie{Name: "who", Value: x.who})
	answer, err := x.client.Do(r)
	if err != nil {
		return "", "", err
	}
	defer answer.Body.Close()
	b, err := io.ReadAll(answer.Body)
	x.views.Add(1)
	if err == nil && answer.StatusCode >= http.StatusInternalServerError {
		err = fmt.Errorf("%s %s: %s", method, path, answer.Status)
	}
	return string(b), answer.Request.URL.Path, err
}

// mostMoves is after how many readings a virtual technician says what it is at any rate.
const mostMoves = 25

var option = regexp.MustCompile(`<option value="([^"]+)"`)

// drill works one drill from the choice to the score.
func (x *technician) drill(ctx context.Context, circuit string) error {
	level := string(drill.Levels[rand.IntN(len(drill.Levels))])
	page, job, err := x.ask(ctx, http.MethodPost, "/drills", url.Values{"harness": {circuit}, "level": {level}})
	if err != nil {
		return err
	}
	offered := func(ending string) *form {
		for _, f := range formsOf(page) {
			if strings.HasSuffix(f.action, ending) {
				return &f
			}
		}
		return nil
	}
	for range mostMoves {
		next := offered("/drill/ask")
		if next == nil {
			next = offered("/repair")
		}
		if next == nil { // the next move may still be on its way
			if page, _, err = x.ask(ctx, http.MethodGet, job, nil); err != nil {
				return err
			}
			continue
		}
		if page, _, err = x.ask(ctx, http.MethodPost, next.action, next.values); err != nil {
			return err
		}
		if look := []string{"", "/why", "/drive", "/report", "/since?seq=1"}[rand.IntN(5)]; look != "" {
			if _, _, err := x.ask(ctx, http.MethodGet, job+look, nil); err != nil {
				return err
			}
		}
	}
	if page, _, err = x.ask(ctx, http.MethodGet, job+"/drill", nil); err != nil {
		return err
	}
	said := url.Values{"token": {fmt.Sprint(rand.Uint64())}}
	if m := option.FindStringSubmatch(page); m != nil {
		said.Set("fault", html.UnescapeString(m[1]))
	}
	if _, _, err = x.ask(ctx, http.MethodPost, job+"/drill", said); err == nil {
		x.done.Add(1)
	}
	return err
}

// resident is what a process holds in memory, in MB.
func resident(t *testing.T, pid int) float64 {
	t.Helper()
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	require.NoError(t, err)
	m := regexp.MustCompile(`VmRSS:\s+(\d+) kB`).FindSubmatch(b)
	require.NotNil(t, m)
	kb, err := strconv.Atoi(string(m[1]))
	require.NoError(t, err)
	return float64(kb) / 1024
}

// figure reads one of a watcher's figures, bytes as MB.
func figure(figures, name string) float64 {
	m := regexp.MustCompile(`(?m)^` + name + ` (\S+)$`).FindStringSubmatch(figures)
	if m == nil {
		return 0
	}
	v, err := strconv.ParseFloat(m[1], 64)
	if err != nil {
		return 0
	}
	return v / (1 << 20)
}

// soakFor is how long: some seconds in every run, as long as IRONTHREAD_SOAK says for a measurement.
func soakFor(t *testing.T) time.Duration {
	t.Helper()
	if words := os.Getenv("IRONTHREAD_SOAK"); words != "" {
		d, err := time.ParseDuration(words)
		require.NoError(t, err)
		return d
	}
	soak.Only(t, "TestADrill in web/jobs, and TestKillTheServerWhileWriting")
	return time.Minute
}

// Eight of them for an hour: nothing fails, and from a quarter on, memory is flat within a tenth.
func TestEightTechniciansForAnHour(t *testing.T) {
	long := soakFor(t)
	db, _, dsn, _ := setupWorkshop(t)
	defer func() { assert.NoError(t, db.Stop()) }()
	watcher := "127.0.0.1:" + freePort(t)
	// What the guides keep is bounded by --memory, and filled within the warm-up.
	p := launch(t, "serve", "--dsn", dsn, "--listen", "127.0.0.1:0", "--metrics", watcher, "--memory", "64")
	ctx, stop := context.WithTimeout(t.Context(), long)
	defer stop()
	entries, err := library.All()
	require.NoError(t, err)
	var names []string
	for _, e := range entries {
		names = append(names, e.Name)
	}
	var done, views atomic.Int64
	var all sync.WaitGroup
	for n := range 8 {
		x := &technician{p.url, fmt.Sprintf("Virtual %d", n), 600 * time.Millisecond, &http.Client{Timeout: 30 * time.Second}, &done, &views}
		all.Go(func() {
			for k := n; ctx.Err() == nil; k++ {
				if err := x.drill(ctx, names[k%len(names)]); ctx.Err() == nil {
					assert.NoError(t, err, names[k%len(names)])
				}
			}
		})
	}
	var held, foretold, heap []float64
	for every := time.NewTicker(long / 240); ctx.Err() == nil; {
		select {
		case <-every.C:
			held = append(held, resident(t, p.cmd.Process.Pid))
			figures := seen(t, "http://"+watcher+"/metrics")
			foretold, heap = append(foretold, figure(figures, "ironthread_foretold_bytes")), append(heap, figure(figures,
				"go_memstats_heap_alloc_bytes"))
		case <-ctx.Done():
		}
	}
	all.Wait()
	p.signal(t, syscall.SIGTERM)
	mean := func(list []float64) (sum float64) {
		for _, x := range list {
			sum += x / float64(len(list))
		}
		return sum
	}
	for k := range 12 {
		part := func(list []float64) []float64 { return list[k*len(list)/12 : (k+1)*len(list)/12] }
		t.Logf("from %v on: %.0f MB, of it %.0f MB on the heap, %.0f MB foretold", long*time.Duration(k)/12, mean(part(held)),
			mean(part(heap)),
			mean(part(foretold)))
	}
	t.Logf("%v, %d views, %d drills ended", long, views.Load(), done.Load())
	assert.Greater(t, views.Load(), int64(10))
	if long >= time.Hour {
		assert.Positive(t, done.Load())
		early, late := mean(held[len(held)/4:len(held)/2]), mean(held[len(held)*3/4:])
		assert.InEpsilon(t, early, late, 0.1, "the second quarter against the last")
	}
}
