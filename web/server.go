// Package web serves the pages: a handler reads the request, asks store and core, fills one
// page struct and renders it. Pages work without scripts; with them, htmx swaps the part of
// the page that changed, rendered by the same templates.
package web

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/store"
)

// Keeper is what the pages need of the store.
type Keeper interface {
	Jobs(ctx context.Context) ([]store.Job, error)
	Job(ctx context.Context, id int64) (store.Job, error)
	Entries(ctx context.Context, id int64) ([]job.Entry, error)
	LastSeq(ctx context.Context, id int64) (int, error)
	Append(ctx context.Context, id int64, saw int, entries ...job.Entry) ([]job.Entry, error)
	OpenJob(ctx context.Context, vehicle, harness int64, title, who string, at time.Time) (int64, error)
	Harnesses(ctx context.Context) ([]store.Harness, error)
	Vehicles(ctx context.Context) ([]store.Vehicle, error)
	HarnessNamed(ctx context.Context, name string) (store.Harness, error)
	ReviseHarness(ctx context.Context, name, saw, title, source string) error
	AddHarness(ctx context.Context, name, title, source string) (string, error)
	PutPhoto(ctx context.Context, harness int64, p store.Photo) error
	Photos(ctx context.Context, harness int64) ([]store.Photo, error)
	Picture(ctx context.Context, harness int64, box string) ([]byte, error)
	TagPhoto(ctx context.Context, harness int64, box string, tag store.Tag) error
	PutVehicle(ctx context.Context, name, notes string) (int64, error)
	AddJobPhoto(ctx context.Context, jobID int64, jpeg []byte) (int64, error)
	JobPhoto(ctx context.Context, jobID, id int64) ([]byte, error)
	Setting(ctx context.Context, name string, value any) (bool, error)
	Set(ctx context.Context, name string, value any) error
	ImportJob(ctx context.Context, vehicle, harness int64, title string, opened time.Time, entries []job.Entry, photos map[int64][]byte) (int64, error)
	AllEntries(ctx context.Context) (map[int64][]job.Entry, error)
}

// Options of the application.
type Options struct {
	Workshop string // shown on the Bay
	Log      *slog.Logger
	Now      func() time.Time
	Patience time.Duration // how long a page waits for a drawing or an assessment on its way
}

// defaultPatience, for a drawing and for an assessment, leaves a page well under a third of a
// second.
const defaultPatience = 90 * time.Millisecond

// App is the web application.
type App struct {
	keep     Keeper
	opts     Options
	circuits *circuits
	learning learning
	studies  studies
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
	files, err := newStatic()
	if err != nil {
		return nil, err
	}
	pages, err := newPages(files)
	if err != nil {
		return nil, err
	}
	return &App{keep: keep, opts: opts, circuits: worked, pages: pages, static: files}, nil
}

// Limits on what is taken in.
const (
	maxBody   = 1 << 20
	maxText   = 2000
	maxHeader = 64 << 10
)

// Handler gives the routes.
func (a *App) Handler() http.Handler {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.HandleMethodNotAllowed = true
	r.Use(a.recovered, guard)
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
	r.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok") })
	r.NoRoute(func(c *gin.Context) { a.fail(c, http.StatusNotFound, "There is no such page.") })
	r.NoMethod(func(c *gin.Context) { a.fail(c, http.StatusMethodNotAllowed, "That cannot be done here.") })
	return http.NewCrossOriginProtection().Handler(r)
}

// Warm prepares the circuits of every harness in the background, so that the first page of a
// job need not wait.
func (a *App) Warm(ctx context.Context) {
	list, err := a.keep.Harnesses(ctx)
	if err != nil {
		a.opts.Log.Warn("warming circuits", "error", err)
		return
	}
	var benches []*bench
	for _, h := range list {
		b, err := a.circuits.get(h.Source)
		if err != nil {
			a.opts.Log.Error("harness in the store", "name", h.Name, "error", err)
			continue
		}
		benches = append(benches, b)
	}
	for _, step := range []func(*bench){func(b *bench) { b.drawing() }, (*bench).predict} { // drawings first: every page has one
		for _, b := range benches {
			if ctx.Err() != nil {
				return
			}
			step(b)
		}
	}
}

// guard sets the policy every answer carries and bounds the body.
func guard(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cache-Control", "no-store")
	limit := int64(maxBody)
	switch path := c.Request.URL.Path; {
	case strings.HasSuffix(path, "/photo"):
		limit += maxPhotoBytes
	case path == "/jobs/import":
		limit += maxJobFile
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, limit)
	c.Next()
}

// recovered turns a panic into a page that says so; the log has the rest.
func (a *App) recovered(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			a.opts.Log.Error("panic", "path", c.Request.URL.Path, "panic", fmt.Sprint(p))
			a.fail(c, http.StatusInternalServerError, "Something went wrong here; what was recorded before is safe.")
		}
	}()
	c.Next()
}

// Server wraps the handler with the time limits of a public listener.
func (a *App) Server(addr string) *http.Server {
	return &http.Server{
		Addr: addr, Handler: a.Handler(), MaxHeaderBytes: maxHeader,
		ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 30 * time.Second,
		WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute,
	}
}
