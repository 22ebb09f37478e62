// Package localdb runs a private PostgreSQL server on loopback, for the demo and for tests.
//
// It uses Debian's packages. The server listens on 127.0.0.1 only, on a free port that is
// never 5432, and asks for a generated password, which lies beside the data, readable by its
// owner alone.
package localdb

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver
	"github.com/jmoiron/sqlx"
)

// Server is a running server.
type Server struct {
	dir  string
	bin  string
	port int
	pass string
}

// Options of a server.
type Options struct {
	Dir       string // where data and password lie; made if missing
	Throwaway bool   // for tests: no flushing to disk
	Port      int    // to listen on; 0: a free one
}

const (
	owner      = "app"
	readyIn    = 30 * time.Second
	neverPort  = 5432
	systemUser = "postgres" // who runs the server where this process is root
)

// Start starts a server on the data in opts.Dir, creating them first where there are none.
func Start(ctx context.Context, opts Options) (*Server, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	s := &Server{dir: opts.Dir, bin: bin}
	if err := s.prepare(ctx); err != nil {
		return nil, err
	}
	if err := s.stopOrphan(ctx); err != nil {
		return nil, err
	}
	for try := range startTries {
		if try > 0 { // a server that was killed may need a moment to let go of its memory
			select {
			case <-ctx.Done():
				return nil, ctx.Err()
			case <-time.After(time.Duration(try) * startRest):
			}
		}
		if s.port = opts.Port; s.port == 0 {
			if s.port, err = freePort(); err != nil {
				return nil, err
			}
		}
		if err = s.start(ctx, opts.Throwaway); err == nil {
			return s, nil
		}
	}
	return nil, err
}

// How often a start is tried, and how much longer it rests before each further try.
const (
	startTries = 6
	startRest  = 300 * time.Millisecond
)

// stopOrphan stops a server that still runs on this data, as its pid file tells: whoever started it was
// killed before it could stop it. That nobody else uses the data is the caller's care.
func (s *Server) stopOrphan(ctx context.Context) error {
	if _, err := os.Stat(filepath.Join(s.data(), "postmaster.pid")); err != nil {
		return nil // none, or nothing that this user could stop
	}
	var err error
	for _, how := range []string{"fast", "immediate"} {
		if s.run(ctx, "pg_ctl", "-D", s.data(), "status") != nil {
			return nil // the file was left behind by one that runs no longer; the next start takes it away
		}
		if err = s.run(ctx, "pg_ctl", "-D", s.data(), "-m", how, "-w", "stop"); err == nil {
			return nil
		}
	}
	if s.run(ctx, "pg_ctl", "-D", s.data(), "status") != nil {
		return nil // it has ended by itself meanwhile
	}
	return err
}

// DSN is the address of a database on the server.
func (s *Server) DSN(database string) string {
	u := url.URL{
		Scheme: "postgres", User: url.UserPassword(owner, s.pass),
		Host: net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)), Path: "/" + database,
		RawQuery: "sslmode=disable",
	}
	return u.String()
}

// Stop stops the server and waits for it.
func (s *Server) Stop() error {
	ctx, cancel := context.WithTimeout(context.Background(), readyIn)
	defer cancel()
	return s.run(ctx, "pg_ctl", "-D", s.data(), "-m", "fast", "-w", "stop")
}

func (s *Server) data() string { return filepath.Join(s.dir, "data") }

// binaries finds the newest of Debian's PostgreSQL servers.
func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres") // the pattern is well-formed
	if len(found) == 0 {
		return "", errors.New("localdb: PostgreSQL is not installed; on Debian: apt-get install postgresql")
	}
	slices.Sort(found)
	return filepath.Dir(found[len(found)-1]), nil
}

func (s *Server) prepare(ctx context.Context) error {
	if err := os.MkdirAll(s.dir, 0o755); err != nil {
		return fmt.Errorf("localdb: %w", err)
	}
	if err := s.own(s.dir); err != nil {
		return err
	}
	passFile := filepath.Join(s.dir, "password")
	if _, err := os.Stat(filepath.Join(s.data(), "PG_VERSION")); err == nil {
		pass, err := os.ReadFile(passFile)
		if err != nil {
			return fmt.Errorf("localdb: %w", err)
		}
		s.pass = strings.TrimSpace(string(pass))
		return nil
	}
	secret := make([]byte, 16)
	if _, err := rand.Read(secret); err != nil {
		return fmt.Errorf("localdb: %w", err)
	}
	s.pass = hex.EncodeToString(secret)
	if err := os.WriteFile(passFile, []byte(s.pass+"\n"), 0o600); err != nil {
		return fmt.Errorf("localdb: %w", err)
	}
	if err := s.own(passFile); err != nil {
		return err
	}
	return s.run(ctx, "initdb", "-D", s.data(), "-U", owner, "-A", "scram-sha-256", "--pwfile", passFile,
		"-E", "UTF8", "--locale=C.UTF-8", "--no-sync", "--no-instructions")
}

func (s *Server) start(ctx context.Context, throwaway bool) error {
	options := fmt.Sprintf("-c listen_addresses=127.0.0.1 -c port=%d -c unix_socket_directories=''", s.port)
	if throwaway {
		options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off -c autovacuum=off"
	}
	return s.run(ctx, "pg_ctl", "-D", s.data(), "-l", filepath.Join(s.dir, "server.log"),
		"-w", "-t", strconv.Itoa(int(readyIn.Seconds())), "-o", options, "start")
}

// run runs one of PostgreSQL's programs; they refuse root, so as root it runs as their own
// user.
func (s *Server) run(ctx context.Context, program string, args ...string) error {
	command := append([]string{filepath.Join(s.bin, program)}, args...)
	if os.Geteuid() == 0 {
		command = append([]string{"runuser", "-u", systemUser, "--"}, command...)
	}
	cmd := exec.CommandContext(ctx, command[0], command[1:]...) //nolint:gosec // PostgreSQL's own programs, no input of a user
	cmd.Dir = "/"
	cmd.Env = append(os.Environ(), "LC_ALL=C.UTF-8")
	// A log file, not a pipe: the server would inherit a pipe and hold it open.
	out, err := os.CreateTemp("", "localdb-*.log")
	if err != nil {
		return fmt.Errorf("localdb: %w", err)
	}
	defer os.Remove(out.Name())
	defer out.Close()
	cmd.Stdout, cmd.Stderr = out, out
	if err := cmd.Run(); err != nil {
		said, _ := os.ReadFile(out.Name())
		return fmt.Errorf("localdb: %s: %w: %s", program, err, strings.TrimSpace(string(said)))
	}
	return nil
}

// own hands a path to the system user where this process is root.
func (s *Server) own(path string) error {
	if os.Geteuid() != 0 {
		return nil
	}
	u, err := user.Lookup(systemUser)
	if err != nil {
		return fmt.Errorf("localdb: %w", err)
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	if err := os.Chown(path, uid, gid); err != nil {
		return fmt.Errorf("localdb: %w", err)
	}
	return nil
}

// Readable tells whether the system user could use a directory: as root, every folder above
// must let others through.
func Readable(dir string) bool {
	if os.Geteuid() != 0 {
		return true
	}
	for d := filepath.Clean(dir); d != "/" && d != "."; d = filepath.Dir(d) {
		info, err := os.Stat(d)
		if err != nil {
			continue
		}
		if info.Mode().Perm()&0o005 != 0o005 && d != filepath.Clean(dir) {
			return false
		}
	}
	return true
}

func freePort() (int, error) {
	for {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return 0, fmt.Errorf("localdb: %w", err)
		}
		port := l.Addr().(*net.TCPAddr).Port
		if err := l.Close(); err != nil {
			return 0, fmt.Errorf("localdb: %w", err)
		}
		if port != neverPort {
			return port, nil
		}
	}
}

// EnsureDatabase makes a database of this name if there is none.
func (s *Server) EnsureDatabase(ctx context.Context, name string) error {
	db, err := sqlx.ConnectContext(ctx, "pgx", s.DSN("postgres"))
	if err != nil {
		return fmt.Errorf("localdb: %w", err)
	}
	defer db.Close()
	var there bool
	if err := db.GetContext(ctx, &there, `SELECT EXISTS (SELECT FROM pg_database WHERE datname = $1)`, name); err != nil {
		return fmt.Errorf("localdb: %w", err)
	}
	if there {
		return nil
	}
	if _, err := db.ExecContext(ctx, "CREATE DATABASE "+pgx.Identifier{name}.Sanitize()); err != nil {
		return fmt.Errorf("localdb: %w", err)
	}
	return nil
}
