// Package web is the application: its rooms put together behind one guard, and the server that carries them.
//
// Pages work without scripts; with them, htmx swaps the part of the page that changed, rendered by the same
// templates. Each room (package jobs, circuits, rewire, bench, logbook, people) says which few methods of the store it needs.
package web

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/predict"
	"ironthread/store"
	"ironthread/web/bench"
	"ironthread/web/circuits"
	"ironthread/web/jobs"
	"ironthread/web/logbook"
	"ironthread/web/people"
	"ironthread/web/rewire"
	"ironthread/web/room"
	"ironthread/web/tracing"
	"ironthread/web/worked"
)

// Keeper is what the rooms need of the store, and what the application itself needs.
type Keeper interface {
	jobs.Keeper
	circuits.Keeper
	logbook.Keeper
	rewire.Keeper
	tracing.Keeper
	bench.Keeper
	people.Settings
	worked.Shelf
	Housekeep(ctx context.Context, days int) (int64, error)
	Healthy(ctx context.Context) error
	OpenRevisions(ctx context.Context, most int) ([]string, error)
}

// Options of the application.
type Options struct {
	Workshop string // shown on the Bay
	Log      *slog.Logger
	Now      func() time.Time
	Patience time.Duration    // how long a page waits for a drawing or an assessment on its way
	Bytes    int64            // of what the guides of all circuits keep foretold; 0: the default
	Circuits *worked.Circuits // shared with other applications of the process; nil: its own
	// Simulated are vehicles that are known to answer, offered on the page of a job with their harness.
	Simulated []jobs.Known
	// Loopback says that a vehicle and a meter may be on this machine: simulated ones.
	Loopback bool
	// KeyPrograms are the programs that make keys for outputs of a vehicle that ask for them, by name.
	KeyPrograms map[string]string
	Accounts    *people.Accounts // nil: nobody signs in, and the application must listen on loopback only
	Address     string           // by which another device finds it, for its QR code
	Secure      bool             // it is reached by TLS
	// Fingerprint is that of its certificate, as browsers show it; empty where it has none of its own.
	Fingerprint string
	Metrics     *Metrics // nil: nothing is counted
	Requests    bool     // each request is a line of the log
	Proxies     []string // addresses of proxies that are believed about who asks
	Hosts       []string // names that the application goes by, without ports; none: those of loopback
}

// loopbackNames are the hosts that the application goes by where none are configured.
var loopbackNames = []string{"127.0.0.1", "localhost", "::1"}

// defaultPatience, for a drawing and for an assessment, leaves a page well under a third of a second.
const defaultPatience = 90 * time.Millisecond

// App is the web application.
type App struct {
	keep     Keeper
	hosts    []string
	circuits *worked.Circuits
	front    *room.Room // for what no room answers
	static   *room.Static
	rooms    []interface{ Routes(r gin.IRouter) }
	jobs     *jobs.Jobs
	accounts *people.Accounts
	secure   bool
	proxies  []string
	metrics  *Metrics
	requests bool

	requestFor time.Duration
}

// Listen passes on what is written by anybody, here or at another instance, until the context ends.
func (a *App) Listen(ctx context.Context) { a.jobs.Listen(ctx) }

// Close leaves all vehicles that are connected, with what was commanded given back.
func (a *App) Close() { a.jobs.Close() }

// New makes the application; the error is a template or static file that cannot be read.
func New(keep Keeper, opts Options) (*App, error) {
	shared := &room.Shared{Workshop: opts.Workshop, Reached: opts.Address != "", Log: opts.Log, Now: opts.Now, Patience: opts.Patience}
	if shared.Now == nil {
		shared.Now = time.Now
	}
	if shared.Log == nil {
		shared.Log = slog.Default()
	}
	if shared.Patience == 0 {
		shared.Patience = defaultPatience
	}
	if opts.Bytes == 0 {
		opts.Bytes = predict.DefaultBytes
	}
	a := &App{keep: keep, hosts: opts.Hosts, circuits: opts.Circuits, accounts: opts.Accounts, secure: opts.Secure, proxies: opts.Proxies,
		metrics: opts.Metrics, requests: opts.Requests, requestFor: max(requestFor, 2*opts.Patience)}
	if len(a.hosts) == 0 {
		a.hosts = loopbackNames
	}
	if a.circuits == nil {
		a.circuits = worked.NewCircuits(opts.Bytes, keep)
	}
	if a.metrics != nil {
		if err := a.metrics.foretold(a.circuits.Budget().Bytes); err != nil {
			return nil, err
		}
	}
	return a, a.furnish(shared, opts)
}

// furnish puts the rooms in.
func (a *App) furnish(shared *room.Shared, opts Options) (err error) {
	if a.static, err = room.TheStatic(); err != nil {
		return fmt.Errorf("web: %w", err)
	}
	shared.Static = a.static
	learnt := logbook.NewLearning(a.keep)
	atJobs, err := jobs.New(shared, a.keep, a.circuits, learnt)
	if err != nil {
		return fmt.Errorf("web: %w", err)
	}
	atJobs.Simulated, a.jobs = opts.Simulated, atJobs
	atJobs.AllowLoopback(opts.Loopback)
	atJobs.SetKeyPrograms(opts.KeyPrograms)
	atCircuits, err := circuits.New(shared, a.keep, a.circuits)
	if err != nil {
		return fmt.Errorf("web: %w", err)
	}
	atLogbook, err := logbook.New(shared, a.keep, a.circuits, learnt)
	if err != nil {
		return fmt.Errorf("web: %w", err)
	}
	atRewire, err := rewire.New(shared, a.keep, a.circuits)
	if err != nil {
		return fmt.Errorf("web: %w", err)
	}
	atTracing, err := tracing.New(shared, a.keep, a.circuits)
	if err != nil {
		return fmt.Errorf("web: %w", err)
	}
	atBench, err := bench.New(shared, a.keep, a.circuits)
	if err != nil {
		return fmt.Errorf("web: %w", err)
	}
	atPeople, err := people.New(shared, a.keep, opts.Accounts, people.Place{Address: opts.Address, Fingerprint: opts.Fingerprint})
	if err != nil {
		return fmt.Errorf("web: %w", err)
	}
	a.front = atPeople.Room
	a.rooms = []interface{ Routes(r gin.IRouter) }{atJobs, atCircuits, atRewire, atTracing, atBench, atLogbook, atPeople}
	return nil
}

// Handler gives the routes, behind the door and the names.
func (a *App) Handler() http.Handler {
	var h http.Handler = a.engine()
	return a.headed(a.named(inTurn(http.NewCrossOriginProtection().Handler(h), newTurns())))
}

// Addresses lists every address with its method.
func (a *App) Addresses() gin.RoutesInfo { return a.engine().Routes() }

func (a *App) engine() *gin.Engine {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.HandleMethodNotAllowed = true
	if err := r.SetTrustedProxies(a.proxies); err != nil {
		a.front.Log.Error("proxies", "error", err) // they were checked where they were given
	}
	r.Use(a.watched, a.recovered, a.guard)
	if a.accounts != nil {
		r.Use(a.accounts.Session(a.front), a.accounts.Gate(a.front))
	}
	r.GET("/static/:version/*file", a.static.Serve)
	for _, name := range room.Named {
		r.GET(name, a.static.ServeNamed)
	}
	r.GET("/healthz", a.health)
	r.GET("/readyz", a.health)
	for _, room := range a.rooms {
		room.Routes(r)
	}
	r.NoRoute(func(c *gin.Context) { a.front.Fail(c, http.StatusNotFound, "There is no such page.") })
	r.NoMethod(func(c *gin.Context) { a.front.Fail(c, http.StatusMethodNotAllowed, "That cannot be done here.") })
	return r
}

// How many circuits are worked out at a start, how long it rests between them, and how long one may take.
const (
	warmedCircuits = 12
	warmRest       = 50 * time.Millisecond
	warmFor        = 5 * time.Minute
)

// Warm works out the circuits that open jobs go by, one at a time in the background, so that the first
// page of a job need not wait. A circuit that cannot be worked out is logged and left; it stops nothing.
func (a *App) Warm(ctx context.Context) {
	if err := a.jobs.SettleAll(ctx); err != nil {
		a.front.Log.Warn("how open jobs stand", "error", err)
	}
	list, err := a.keep.OpenRevisions(ctx, warmedCircuits)
	if err != nil {
		a.front.Log.Warn("warming circuits", "error", err)
		return
	}
	for _, source := range list {
		b, err := a.circuits.Get(source)
		if err != nil {
			a.front.Log.Error("harness of an open job", "error", err)
			continue
		}
		if _, err := b.Drawing(ctx); err != nil {
			return // the application ends
		}
		if b.Guide != nil {
			if _, _, err := b.Assess(ctx, nil, diagnose.Now{}, warmFor); err != nil && ctx.Err() == nil {
				a.front.Log.Error("circuit of an open job", "title", b.Drawn.Title, "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(warmRest):
		}
	}
}

// housekeepEvery is how often what is of no use any more is cleared away.
const housekeepEvery = time.Hour

// Housekeep clears away what is of no use any more, and moves jobs closed long ago into the archive, until the context ends.
func (a *App) Housekeep(ctx context.Context) {
	for {
		set, err := people.SetOf(ctx, a.keep)
		if err == nil {
			for n := int64(store.ArchivedAtOnce); err == nil && n == store.ArchivedAtOnce; {
				if n, err = a.keep.Housekeep(ctx, set.ArchiveDays); n > 0 {
					a.front.Log.Info("archived", "jobs", n)
				}
			}
		}
		if err != nil && ctx.Err() == nil {
			a.front.Log.Warn("housekeeping", "error", err) // it is tried again
		}
		select {
		case <-time.After(housekeepEvery):
		case <-ctx.Done():
			return
		}
	}
}

// Server wraps the handler with the time limits of a public listener.
func (a *App) Server(addr string) *http.Server {
	s := &http.Server{
		Addr: addr, Handler: a.Handler(), MaxHeaderBytes: maxHeader,
		ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 30 * time.Second,
		WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute,
	}
	s.RegisterOnShutdown(a.jobs.EndStreams)
	return s
}
