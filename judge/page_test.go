package judge

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"golang.org/x/sync/errgroup"
	"ironthread/soak"
)

// The same vehicle as the command line's, worked from the pages: the application runs as a process of its own, and what is pressed is
// posted as a browser posts it. Judged is the state of the vehicle, beside what the page says of it.

// served is the application on a database of its own.
type served struct {
	cmd  *exec.Cmd
	url  string
	http *http.Client
}

func serve(t *testing.T, command string) *served {
	t.Helper()
	free, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	port := free.Addr().(*net.TCPAddr).Port
	require.NoError(t, free.Close())
	dir, err := os.MkdirTemp(soak.InMemory(), "judge-page")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755)) // the database's own user looks into it
	cmd := exec.Command(command, "demo", "--port", fmt.Sprint(port), "--dir", filepath.Join(dir, "demo"))
	cmd.Dir = dir
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	s := &served{cmd: cmd, http: &http.Client{Timeout: patience, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}}
	t.Cleanup(func() {
		_ = cmd.Process.Signal(syscall.SIGTERM) // the database ends with it
		_ = cmd.Wait()
		endDatabase(filepath.Join(dir, "demo", "db", "data", "postmaster.pid"))
		_ = os.RemoveAll(dir) // what is left there hurts nobody
	})
	lines := bufio.NewScanner(out)
	for address := regexp.MustCompile(`Iron Thread is at (http://\S+)`); lines.Scan(); {
		if m := address.FindStringSubmatch(lines.Text()); m != nil {
			s.url = m[1]
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return s
		}
	}
	t.Fatal("the application did not start")
	return nil
}

// endDatabase ends the database that an application left which was killed: the process that the file names.
func endDatabase(file string) {
	b, err := os.ReadFile(file)
	if err != nil {
		return // it has ended with the application
	}
	first, _, _ := strings.Cut(string(b), "\n")
	if pid, err := strconv.Atoi(strings.TrimSpace(first)); err == nil && pid > 1 {
		_ = syscall.Kill(pid, syscall.SIGINT) // whatever it was doing nobody needs any more
	}
}

// asks sends a form, or a plain request where there is none, and gives the answer's code, its place and its text.
func (s *served) asks(path string, form ...string) (code int, location, text string, err error) {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	method, values := http.MethodGet, url.Values{}
	if len(form) > 0 {
		method = http.MethodPost
		values.Set("token", fmt.Sprintf("judge-%d", time.Now().UnixNano()))
	}
	for i := 0; i+1 < len(form); i += 2 {
		values.Add(form[i], form[i+1])
	}
	r, err := http.NewRequestWithContext(ctx, method, s.url+path, strings.NewReader(values.Encode()))
	if err != nil {
		return 0, "", "", err
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	answer, err := s.http.Do(r)
	if err != nil {
		return 0, "", "", err
	}
	defer answer.Body.Close() // it has been read
	b, err := io.ReadAll(answer.Body)
	return answer.StatusCode, answer.Header.Get("Location"), string(b), err
}

// newJob opens a job that goes by the circuit with a low and a high.
func (s *served) newJob(t *testing.T, vehicle string) string {
	t.Helper()
	_, _, bay, err := s.asks("/")
	require.NoError(t, err)
	circuit := regexp.MustCompile(`<option value="(\d+)"[^>]*>\s*Twin fans, series and parallel, link fuse`).FindStringSubmatch(bay)
	require.NotNil(t, circuit)
	code, at, text, err := s.asks("/jobs", "vehicle", vehicle, "harness", circuit[1], "complaint", "no fan")
	require.NoError(t, err)
	require.Equal(t, http.StatusSeeOther, code, text)
	return at
}

const pageData = "vehicle-data: 1\ntitle: foreign\ncontroller: 0x1001\nvalues: {}\noutputs:\n  low: {id: 0x4101}\n"

// notRunning is what a page says where nobody knows whether something still runs.
const notRunning = "key off stops it"

// worked connects, commands, gives back and leaves, and gives all that the pages said meanwhile.
func (s *served) worked(job string, v *foreign) (said string, err error) {
	steps := [][]string{
		{"/scan/connect", "address", v.l.Addr().String(), "data", pageData},
		{"/scan/command", "state", "low", "hold", "60"},
		{"/scan/live"}, {"/scan/command", "return", "1"}, {"/scan/live"}, {"/scan"}, {"/scan/leave", "leave", "1"}, {"/scan/live"},
	}
	for _, step := range steps {
		_, _, text, err := s.asks(job+step[0], step[1:]...)
		if err != nil {
			return said, fmt.Errorf("%s: %w", step[0], err)
		}
		said += text
	}
	return said, nil
}

// Each misbehaviour at each message, worked from the page: at the end the output is off, or the page has said that it may be on.
func TestNothingIsLeftRunningFromThePage(t *testing.T) {
	s := serve(t, built(t))
	const atOnce = 12
	jobs := make(chan string, atOnce)
	for k := range atOnce {
		jobs <- s.newJob(t, fmt.Sprintf("Judge %d", k+1))
	}
	var mu sync.Mutex
	var lines []string
	tried, loose := 0, 0
	var group errgroup.Group
	group.SetLimit(atOnce)
	n := 0
	for _, message := range messages {
		for _, x := range spoils() {
			if n++; n%3 != 0 && os.Getenv("IRONTHREAD_WHOLE") == "" { // the rest in the soak
				continue
			}
			v := newForeign(t, x, message)
			group.Go(func() error {
				job := <-jobs
				defer func() { jobs <- job }()
				began := time.Now()
				said, err := s.worked(job, v)
				if err != nil {
					return fmt.Errorf("%s: %s: %w", message, x.name, err)
				}
				mu.Lock()
				defer mu.Unlock()
				tried++
				on, says := v.running(), strings.Contains(said, notRunning)
				if says {
					loose++
				}
				lines = append(lines, fmt.Sprintf("%-46s on %-5v says that it may run: %-5v %4.1f s", message+": "+x.name, on, says,
					time.Since(began).Seconds()))
				assert.False(t, on && !says, "%s: %s: the fan runs, and the page does not say that it may", message, x.name)
				return nil
			})
		}
	}
	require.NoError(t, group.Wait())
	slices.Sort(lines)
	for _, line := range lines {
		t.Log(line)
	}
	t.Logf("%d misbehaviours worked from the page, %d of which say that control may not be given back", tried, loose)
	assert.Greater(t, tried, 20)
}

// An application that ends gives back; one that is killed leaves the vehicle to let go by itself, since nobody keeps its session alive.
// From the press to the output that is on: the time is logged.
func TestTheApplicationEnds(t *testing.T) {
	command := built(t)
	for name, end := range map[string]syscall.Signal{"it is ended": syscall.SIGTERM, "it is killed": syscall.SIGKILL} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := serve(t, command)
			job := s.newJob(t, "Judge")
			v := newForeign(t, spoil{}, "nothing")
			code, _, text, err := s.asks(job+"/scan/connect", "address", v.l.Addr().String(), "data", pageData)
			require.NoError(t, err)
			require.Equal(t, http.StatusSeeOther, code, text)
			var took []time.Duration
			for range 20 {
				began := time.Now()
				code, _, text, err := s.asks(job+"/scan/command", "state", "low", "hold", "60")
				require.NoError(t, err)
				require.Equal(t, http.StatusSeeOther, code, text)
				require.True(t, v.running())
				took = append(took, v.switched().Sub(began))
				_, _, _, err = s.asks(job+"/scan/command", "return", "1")
				require.NoError(t, err)
				require.False(t, v.running())
			}
			slices.Sort(took)
			t.Logf("from the press to the output that is on: p50 %v, p95 %v", took[len(took)/2], took[len(took)*95/100])
			code, _, text, err = s.asks(job+"/scan/command", "state", "low", "hold", "60")
			require.NoError(t, err)
			require.Equal(t, http.StatusSeeOther, code, text)
			require.NoError(t, s.cmd.Process.Signal(end))
			_ = s.cmd.Wait()
			if end == syscall.SIGTERM {
				assert.False(t, v.running(), "what ends gives back first")
				return
			}
			limit := time.NewTimer(patience)
			defer limit.Stop()
			for again := time.NewTicker(50 * time.Millisecond); v.running(); {
				select {
				case <-again.C:
				case <-limit.C:
					t.Fatal("somebody keeps the session alive")
				}
			}
		})
	}
}
