package main

import (
	"io"
	"net"
	"net/http"
	"os"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/soak"
	"ironthread/store/storetest"
)

// page is written by the server and read by the test.
type page struct {
	mu   sync.Mutex
	text strings.Builder
}

func (p *page) Write(b []byte) (int, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.text.Write(b)
}

func (p *page) String() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.text.String()
}

// started runs a serving command until stop, which sends what a terminal or a service manager
// sends and gives the exit status.
func started(t *testing.T, args ...string) (url string, stop func() int) {
	t.Helper()
	url, _, stop = startedWith(t, args...)
	return url, stop
}

// startedWith is the same, with what the command writes.
func startedWith(t *testing.T, args ...string) (url string, out *page, stop func() int) {
	t.Helper()
	out = &page{}
	var errs page
	ended := make(chan int, 1)
	go func() { ended <- run(args, strings.NewReader(""), out, &errs) }()
	address := regexp.MustCompile(`Iron Thread is at (https?://\S+)`)
	soak.Await(t, "its address", func() bool {
		select {
		case code := <-ended:
			t.Fatalf("it ended with %d: %s", code, errs.String())
		default:
		}
		m := address.FindStringSubmatch(out.String())
		if m != nil {
			url = m[1]
		}
		return m != nil
	})
	return url, out, func() int {
		t.Helper()
		require.NoError(t, syscall.Kill(os.Getpid(), syscall.SIGTERM))
		select {
		case code := <-ended:
			assert.NotContains(t, errs.String(), "ERROR")
			return code
		case <-time.After(3 * time.Minute):
			t.Fatal("it did not stop")
			return -1
		}
	}
}

func seen(t *testing.T, url string) string {
	t.Helper()
	r, err := http.Get(url)
	require.NoError(t, err)
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, r.StatusCode)
	return string(b)
}

// withoutTokens takes out of pages what is new at every look: the tokens of forms.
func withoutTokens(text string) string {
	return regexp.MustCompile(`name="token" value="[0-9a-f]+"`).ReplaceAllString(text, "")
}

// folder is one that the database's own user can read.
func folder(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp(soak.InMemory(), "ironthread-serve-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	return dir
}

// freePort is a port that nothing listens on just now.
func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return strconv.Itoa(l.Addr().(*net.TCPAddr).Port)
}

// The demo starts from nothing, refuses a second one, stops when told, and comes back with what
// was recorded.
func TestTheDemo(t *testing.T) {
	dir, port := folder(t), freePort(t)
	url, stop := started(t, "demo", "--port", port, "--dir", dir)
	assert.Contains(t, seen(t, url), "Skerrow County Works")
	assert.Contains(t, seen(t, url+"/library"), "Twin fans, series and parallel, link fuse")

	code, _, errs := command("", "demo", "--port", freePort(t), "--dir", dir)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "running already from this folder")
	code, _, errs = command("", "demo", "--port", port, "--dir", folder(t))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "127.0.0.1:"+port+" is taken")

	r, err := http.PostForm(url+"/jobs/7/note", map[string][]string{"text": {"green with salt"}, "token": {"one form"}})
	require.NoError(t, err)
	r.Body.Close()
	require.Equal(t, http.StatusOK, r.StatusCode)
	assert.Zero(t, stop())
	_, err = http.Get(url)
	require.Error(t, err, "it has stopped")

	url, stop = started(t, "demo", "--port", port, "--dir", dir)
	assert.Contains(t, seen(t, url+"/jobs/7"), "green with salt")
	assert.Zero(t, stop())
}

func TestMain(m *testing.M) {
	code := storetest.Main(m)
	os.RemoveAll(builtIn) // nothing, where nothing was built
	os.Exit(code)
}

// aDatabase is an empty one.
func aDatabase(t *testing.T) string {
	t.Helper()
	return storetest.DSN(t)
}

// A workshop's own database: the library is there, the demo's jobs are not; a port taken is
// named.
func TestServe(t *testing.T) {
	dsn := aDatabase(t)
	url, stop := started(t, "serve", "--dsn", dsn, "--listen", "127.0.0.1:0", "--workshop", "Yard Nine")
	assert.Equal(t, "ok", seen(t, url+"/healthz"))
	bay := seen(t, url)
	assert.Contains(t, bay, "Yard Nine")
	assert.NotContains(t, bay, "/jobs/1\"")
	assert.Contains(t, seen(t, url+"/library"), "Twin fans, series and parallel, link fuse")
	code, _, errs := command("", "serve", "--dsn", dsn, "--listen", strings.TrimPrefix(url, "http://"))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "is taken; choose another port")
	assert.Zero(t, stop())

	t.Setenv("IRONTHREAD_DSN", "")
	code, _, errs = command("", "serve")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "--dsn (or IRONTHREAD_DSN) is needed")
	for listen, words := range map[string]string{"0.0.0.0:8080": "--state names the folder", "nowhere": "missing port"} {
		code, _, errs = command("", "serve", "--dsn", dsn, "--listen", listen)
		assert.Equal(t, 2, code, listen)
		assert.Contains(t, errs, words)
	}
	code, _, errs = command("", "demo", "--port", "70000")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "a port lies between 1 and 65535")
}
