package main

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/soak"
	"ironthread/store"
	"ironthread/store/localdb"
)

// builtIn is the folder of the binary, which goes when the tests are over.
var builtIn string

// built is the binary itself: what is killed here is a process, not a goroutine.
var built = sync.OnceValues(func() (string, error) {
	var err error
	if builtIn, err = os.MkdirTemp("", "ironthread-bin-"); err != nil {
		return "", err
	}
	name := filepath.Join(builtIn, "ironthread")
	out, err := exec.Command("go", "build", "-ldflags", "-s -w", "-o", name, ".").CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	return name, nil
})

// process is a running command of the binary.
type process struct {
	cmd *exec.Cmd
	url string
}

func launch(t *testing.T, args ...string) *process {
	t.Helper()
	binary, err := built()
	require.NoError(t, err)
	cmd := exec.Command(binary, args...)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	lines := bufio.NewScanner(out)
	address := regexp.MustCompile(`Iron Thread is at (http://\S+)`)
	for lines.Scan() {
		if m := address.FindStringSubmatch(lines.Text()); m != nil {
			return &process{cmd, m[1]}
		}
	}
	t.Fatalf("%v did not start", args)
	return nil
}

func (p *process) signal(t *testing.T, s os.Signal) {
	t.Helper()
	require.NoError(t, p.cmd.Process.Signal(s))
	_ = p.cmd.Wait()
}

// A demo that was killed, or whose terminal was closed, leaves nothing that keeps the next one from
// starting; what was recorded is there.
func TestTheDemoComesBackAfterAnyEnd(t *testing.T) {
	dir, port := folder(t), freePort(t)
	for n, end := range soak.Of([]os.Signal{syscall.SIGKILL, syscall.SIGHUP},
		[]os.Signal{syscall.SIGKILL, syscall.SIGHUP, syscall.SIGKILL, syscall.SIGTERM}) {
		p := launch(t, "demo", "--port", port, "--dir", dir)
		text := fmt.Sprintf("note %d", n)
		r, err := http.PostForm(p.url+"/jobs/7/note", url.Values{"text": {text}, "token": {text}})
		require.NoError(t, err)
		r.Body.Close()
		page := seen(t, p.url+"/jobs/7")
		for k := range n + 1 {
			assert.Contains(t, page, fmt.Sprintf("note %d", k))
		}
		p.signal(t, end)
		if end == syscall.SIGHUP || end == syscall.SIGTERM {
			_, err := os.Stat(filepath.Join(dir, "db", "data", "postmaster.pid"))
			assert.True(t, os.IsNotExist(err), "%v stops the database too", end)
		}
	}
	stopDemoDatabase(t, dir)
}

// stopDemoDatabase stops what a killed demo may have left, so that the test leaves nothing running.
func stopDemoDatabase(t *testing.T, dir string) {
	t.Helper()
	db, err := localdb.Start(t.Context(), localdb.Options{Dir: filepath.Join(dir, "db"), Throwaway: true})
	require.NoError(t, err)
	require.NoError(t, db.Stop())
}

// kills is how often each is killed: once in every run, as many as IRONTHREAD_KILLS says for a
// measurement.
func kills() int {
	if n, err := strconv.Atoi(os.Getenv("IRONTHREAD_KILLS")); err == nil {
		return n
	}
	return 1
}

// writing sends notes one after the other until it is told to stop; one whose answer did not come is sent
// again, as a browser would, until it is answered.
type writing struct {
	url  func() string
	who  int
	job  int64
	next int
	ack  []string
	of   *atomic.Int64 // answered, of all writers
}

// writers is how many write at once, a few to each job.
const writers = 20

// writersOn has all of them write; while waits until they have been answered some more times, and stop ends them and gives
// each with what it was answered.
func writersOn(t *testing.T, url func() string, jobs []int64) (while func(), stop func() []*writing) {
	t.Helper()
	ctx, cancel := context.WithCancel(t.Context())
	var wait sync.WaitGroup
	var list []*writing
	answered := &atomic.Int64{}
	for n := range writers {
		w := &writing{url: url, who: n, job: jobs[n%len(jobs)], of: answered}
		list = append(list, w)
		wait.Go(func() { w.send(ctx) })
	}
	while = func() {
		from := answered.Load()
		soak.Await(t, "more answers", func() bool { return answered.Load() >= from+answersBetween })
	}
	return while, func() []*writing {
		cancel()
		wait.Wait()
		return list
	}
}

// answersBetween is how many entries are answered between two kills: the next come while others are half written.
const answersBetween = 10

func (w *writing) send(ctx context.Context) {
	client := &http.Client{Timeout: 5 * time.Second, CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}
	for ctx.Err() == nil {
		w.next++
		text := fmt.Sprintf("note %d of %d", w.next, w.who)
		form := url.Values{"text": {text}, "token": {text}}
		for {
			r, err := client.PostForm(fmt.Sprintf("%s/jobs/%d/note", w.url(), w.job), form)
			if err == nil {
				r.Body.Close()
				if r.StatusCode == http.StatusSeeOther {
					w.ack = append(w.ack, text)
					w.of.Add(1)
					break
				}
			}
			if ctx.Err() != nil {
				return
			}
			runtime.Gosched() // at once: the server may be there again
		}
	}
}

// setupWorkshop starts a database with a few jobs in it.
func setupWorkshop(t *testing.T) (db *localdb.Server, opts localdb.Options, dsn string, jobs []int64) {
	t.Helper()
	port, err := strconv.Atoi(freePort(t))
	require.NoError(t, err)
	opts = localdb.Options{Dir: filepath.Join(folder(t), "db"), Port: port} // flushed to disk: what is answered must stay
	db, err = localdb.Start(t.Context(), opts)
	require.NoError(t, err)
	require.NoError(t, db.EnsureDatabase(t.Context(), "workshop"))
	dsn = db.DSN("workshop")
	p := launch(t, "serve", "--dsn", dsn, "--listen", "127.0.0.1:0")
	p.signal(t, syscall.SIGTERM)
	keep, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer keep.Close()
	vehicle, err := keep.PutVehicle(t.Context(), "Gritter 6", "")
	require.NoError(t, err)
	h, err := keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	for range writers / 4 {
		id, err := keep.OpenJob(t.Context(), store.NewJob{Vehicle: vehicle, Harness: h.ID, Title: "killed", Who: "Oda", At: time.Now()})
		require.NoError(t, err)
		jobs = append(jobs, id)
	}
	return db, opts, dsn, jobs
}

// lostAndDoubled holds the logs against what was answered.
func lostAndDoubled(t *testing.T, dsn string, jobs []int64, list []*writing) (answered, lost, doubled int) {
	t.Helper()
	keep, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer keep.Close()
	times := map[string]int{}
	for _, id := range jobs {
		entries, err := keep.Entries(t.Context(), id)
		require.NoError(t, err)
		for k, e := range entries {
			require.Equal(t, k+1, e.Seq, "no gap")
			if note, ok := e.Body.(job.Note); ok {
				times[note.Text]++
			}
		}
	}
	for _, w := range list {
		answered += len(w.ack)
		for _, text := range w.ack {
			if times[text] == 0 {
				lost++
			}
		}
	}
	for _, n := range times {
		doubled += n - 1
	}
	return answered, lost, doubled
}

// The server is killed while entries are written: nothing that was answered is lost, nothing is doubled.
func TestKillTheServerWhileWriting(t *testing.T) {
	db, _, dsn, jobs := setupWorkshop(t)
	defer func() { assert.NoError(t, db.Stop()) }()
	listen := "127.0.0.1:" + freePort(t)
	while, stop := writersOn(t, func() string { return "http://" + listen }, jobs)
	for range kills() {
		p := launch(t, "serve", "--dsn", dsn, "--listen", listen)
		while()
		p.signal(t, syscall.SIGKILL)
	}
	p := launch(t, "serve", "--dsn", dsn, "--listen", listen)
	while()
	list := stop()
	p.signal(t, syscall.SIGTERM)
	answered, lost, doubled := lostAndDoubled(t, dsn, jobs, list)
	t.Logf("server killed %d times, %d entries of %d writers answered: lost %d, doubled %d", kills(), answered, writers, lost, doubled)
	assert.Zero(t, lost)
	assert.Zero(t, doubled)
	assert.Positive(t, answered)
}

// The database is killed while entries are written: the same.
func TestKillTheDatabaseWhileWriting(t *testing.T) {
	db, opts, dsn, jobs := setupWorkshop(t)
	p := launch(t, "serve", "--dsn", dsn, "--listen", "127.0.0.1:0")
	while, stop := writersOn(t, func() string { return p.url }, jobs)
	for range kills() {
		while()
		b, err := os.ReadFile(filepath.Join(opts.Dir, "data", "postmaster.pid"))
		require.NoError(t, err)
		first, _, _ := strings.Cut(string(b), "\n")
		pid, err := strconv.Atoi(strings.TrimSpace(first))
		require.NoError(t, err)
		require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
		db, err = localdb.Start(t.Context(), opts)
		require.NoError(t, err)
	}
	while()
	list := stop()
	p.signal(t, syscall.SIGTERM)
	answered, lost, doubled := lostAndDoubled(t, dsn, jobs, list)
	t.Logf("database killed %d times, %d entries of %d writers answered: lost %d, doubled %d", kills(), answered, writers, lost, doubled)
	assert.Zero(t, lost)
	assert.Zero(t, doubled)
	assert.Positive(t, answered)
	require.NoError(t, db.Stop())
}
