// Package web serves the pages: a handler reads the request, asks store and core, fills one
// page struct and renders it. Pages work without scripts; with them, htmx swaps the part of
// the page that changed, rendered by the same templates.
package web

import (
	"context"
	"log/slog"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/predict"
	"ironthread/store"
)

// Keeper is what the pages need of the store.
type Keeper interface {
	Healthy(ctx context.Context) error
	Jobs(ctx context.Context, find store.Find) ([]store.Line, int, error)
	ClosedJobs(ctx context.Context, words string) ([]store.Line, error)
	ClosedVersion(ctx context.Context) (string, error)
	Job(ctx context.Context, id int64) (store.Job, error)
	Entries(ctx context.Context, id int64) ([]job.Entry, error)
	LastSeq(ctx context.Context, id int64) (int, error)
	Append(ctx context.Context, id int64, saw int, token string, decide store.Decide) ([]job.Entry, error)
	PutStanding(ctx context.Context, id int64, seq int, standing store.Standing) error
	OpenJob(ctx context.Context, vehicle, harness int64, title, who string, at time.Time, token string) (int64, error)
	OpenRevisions(ctx context.Context, most int) ([]string, error)
	ImportJob(ctx context.Context, in store.Imported) (int64, error)
	Harnesses(ctx context.Context) ([]store.Harness, error)
	Titles(ctx context.Context) ([]store.Harness, error)
	HarnessNamed(ctx context.Context, name string) (store.Harness, error)
	Revision(ctx context.Context, id int64) (store.Harness, error)
	ReviseHarness(ctx context.Context, name string, saw int64, title, source string) error
	AddHarness(ctx context.Context, name, title, source string) (store.Harness, error)
	DeleteHarness(ctx context.Context, name string) error
	Vehicles(ctx context.Context) ([]store.Vehicle, error)
	PutVehicle(ctx context.Context, name, notes string) (int64, error)
	PutPhoto(ctx context.Context, harness int64, p store.Photo) error
	Photos(ctx context.Context, harness int64) ([]store.Photo, error)
	Picture(ctx context.Context, harness int64, box string) ([]byte, error)
	TagPhoto(ctx context.Context, harness int64, box string, tag store.Tag) error
	AddJobPhoto(ctx context.Context, jobID int64, jpeg []byte) (int64, error)
	JobPhoto(ctx context.Context, jobID, id int64) ([]byte, error)
	Setting(ctx context.Context, name string, value any) (bool, error)
	Set(ctx context.Context, name string, value any) error
}

// Options of the application.
type Options struct {
	Workshop string // shown on the Bay
	Log      *slog.Logger
	Now      func() time.Time
	Patience time.Duration // how long a page waits for a drawing or an assessment on its way
	Bytes    int64         // of what the guides of all circuits keep foretold; 0: the default
	Circuits *Circuits     // shared with other applications of the process; nil: its own
	Hosts    []string      // names that the application goes by, without ports; none: those of loopback
}

// loopbackNames are the hosts that the application goes by where none are configured.
var loopbackNames = []string{"127.0.0.1", "localhost", "::1"}

// defaultPatience, for a drawing and for an assessment, leaves a page well under a third of a
// second.
const defaultPatience = 90 * time.Millisecond

// App is the web application.
type App struct {
	keep     Keeper
	opts     Options
	circuits *Circuits
	learning learning
	studies  *studies
	pages    *pages
	static   *static
}

// New makes the application; the error is a template or static file that cannot be read.
func New(keep Keeper, opts Options) (*App, error) {
	if opts.Now == nil {
		opts.Now = time.Now
	}
	if opts.Log == nil {
		opts.Log = slog.Default()
	}
	if opts.Patience == 0 {
		opts.Patience = defaultPatience
	}
	if opts.Bytes == 0 {
		opts.Bytes = predict.DefaultBytes
	}
	if len(opts.Hosts) == 0 {
		opts.Hosts = loopbackNames
	}
	if opts.Circuits == nil {
		opts.Circuits = NewCircuits(opts.Bytes)
	}
	files, err := newStatic()
	if err != nil {
		return nil, err
	}
	pages, err := newPages(files)
	if err != nil {
		return nil, err
	}
	return &App{keep: keep, opts: opts, circuits: opts.Circuits, pages: pages, studies: newStudies(), static: files}, nil
}

// Handler gives the routes.
func (a *App) Handler() http.Handler {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.HandleMethodNotAllowed = true
	r.Use(a.recovered, a.guard)
	r.GET("/static/:version/*file", a.static.serve)
	r.GET("/", a.bay)
	r.POST("/jobs", a.startJob)
	r.GET("/jobs/:id", a.job)
	r.GET("/jobs/:id/since", a.since)
	r.POST("/jobs/:id/seen", a.record)
	r.POST("/jobs/:id/setup", a.setUp)
	r.POST("/jobs/:id/setup/all", a.setUpAll)
	r.POST("/jobs/:id/strike", a.strike)
	r.POST("/jobs/:id/note", a.note)
	r.POST("/jobs/:id/close", a.closeJob)
	r.POST("/jobs/:id/repair", a.repair)
	r.POST("/jobs/:id/check", a.check)
	r.POST("/jobs/:id/move", a.moveJob)
	r.POST("/jobs/:id/photo", a.addPhoto)
	r.GET("/jobs/:id/photo/:photo", a.jobPhoto)
	r.GET("/jobs/:id/why", a.why)
	r.GET("/jobs/:id/believe", a.believe)
	r.GET("/jobs/:id/drive", a.drive)
	r.GET("/jobs/:id/verify", a.verify)
	r.GET("/jobs/:id/report", a.report)
	r.GET("/jobs/:id/report/:form", a.reportAs)
	r.POST("/jobs/import", a.importJob)
	r.GET("/logbook", a.logbook)
	r.POST("/logbook/reset", a.resetPriors)
	r.GET("/tools", a.tools)
	r.POST("/tools", a.setTools)
	r.GET("/harnesses/:name/study", a.study)
	r.POST("/harnesses/:name/study", a.beginStudy)
	r.GET("/library", a.library)
	r.POST("/library", a.importHarness)
	r.GET("/library/new", a.newHarness)
	r.POST("/library/new", a.addHarness)
	r.GET("/harnesses/:name", a.sheet)
	r.GET("/harnesses/:name/export/:form", a.export)
	r.GET("/harnesses/:name/start", a.start)
	r.GET("/harnesses/:name/edit", a.edit)
	r.POST("/harnesses/:name/edit", a.saveHarness)
	r.POST("/harnesses/:name/copy", a.copyHarness)
	r.POST("/harnesses/:name/delete", a.deleteHarness)
	r.GET("/harnesses/:name/boxes", a.boxes)
	r.GET("/harnesses/:name/boxes/:part", a.boxes)
	r.GET("/harnesses/:name/boxes/photo", a.picture)
	r.POST("/harnesses/:name/boxes/photo", a.takePhoto)
	r.POST("/harnesses/:name/boxes/tag", a.tagPhoto)
	r.POST("/drafts", a.readDraft)
	r.GET("/drafts/:sum", a.draftDrawing)
	r.POST("/harnesses/:name/place", a.place)
	r.POST("/harnesses/:name/tidy", a.tidy)
	r.GET("/harness.schema.json", func(c *gin.Context) { c.Data(http.StatusOK, "application/schema+json", harness.Schema()) })
	r.POST("/who", a.setWho)
	r.GET("/healthz", a.health)
	r.NoRoute(func(c *gin.Context) { a.fail(c, http.StatusNotFound, "There is no such page.") })
	r.NoMethod(func(c *gin.Context) { a.fail(c, http.StatusMethodNotAllowed, "That cannot be done here.") })
	return a.hosts(http.NewCrossOriginProtection().Handler(r))
}

// How many circuits are worked out at a start, and how long it rests between them.
const (
	warmedCircuits = 12
	warmRest       = 50 * time.Millisecond
)

// Warm works out the circuits that open jobs go by, one at a time in the background, so that the first
// page of a job need not wait. A circuit that cannot be worked out is logged and left; it stops nothing.
func (a *App) Warm(ctx context.Context) {
	list, err := a.keep.OpenRevisions(ctx, warmedCircuits)
	if err != nil {
		a.opts.Log.Warn("warming circuits", "error", err)
		return
	}
	for _, source := range list {
		b, err := a.circuits.get(source)
		if err != nil {
			a.opts.Log.Error("harness of an open job", "error", err)
			continue
		}
		if _, err := b.drawing(ctx); err != nil {
			return // the application ends
		}
		if b.guide != nil {
			if _, _, err := b.assess(ctx, nil, diagnose.Now{}, longestWork); err != nil && ctx.Err() == nil {
				a.opts.Log.Error("circuit of an open job", "title", b.circuit.Title, "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(warmRest):
		}
	}
}

// Server wraps the handler with the time limits of a public listener.
func (a *App) Server(addr string) *http.Server {
	return &http.Server{
		Addr: addr, Handler: a.Handler(), MaxHeaderBytes: maxHeader,
		ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 30 * time.Second,
		WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute,
	}
}
