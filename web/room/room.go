// Package room is what all pages share: the frame of a page and its templates, forms and their limits, lists
// in pages, static files, and one sentence for whatever goes wrong.
//
// The rooms of the application (package jobs, circuits, logbook, people) each stand on a [Room]: it holds the
// room's own templates, cut from one layout and one set of parts. A handler reads the request, asks the store
// and core, fills one page struct and renders it; where htmx asked for a part of the page, the same template
// gives the part alone.
package room

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"path"
	"regexp"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/store"
)

// Shared is what every room is given.
type Shared struct {
	Workshop string // shown on the Bay
	Reached  bool   // other devices can reach the application
	Log      *slog.Logger
	Now      func() time.Time
	Patience time.Duration // how long a page waits for a drawing or an assessment on its way
	Static   *Static
}

//go:embed templates/*.html
var shared embed.FS

// Room renders the pages of one room.
type Room struct {
	*Shared
	pages map[string]*template.Template
}

// New is a room with its pages. The error names the template that cannot be read.
func New(s *Shared, files embed.FS) (*Room, error) {
	made, _ := read.LoadOrStore(files, sync.OnceValues(func() (map[string]*template.Template, error) { return pagesOf(files) }))
	pages, err := made.(func() (map[string]*template.Template, error))()
	if err != nil {
		return nil, err
	}
	return &Room{s, pages}, nil
}

// read holds the pages that have been read, by the files that they come from: they are the same for every instance in a process.
var read sync.Map

// pagesOf reads a room's templates, one page a file.
func pagesOf(files fs.FS) (map[string]*template.Template, error) {
	static, err := TheStatic()
	if err != nil {
		return nil, err
	}
	base, err := template.New("layout.html").Funcs(funcs(static)).ParseFS(shared, "templates/*.html")
	if err != nil {
		return nil, fmt.Errorf("room: templates: %w", err)
	}
	pages := map[string]*template.Template{}
	names, err := fs.Glob(files, "templates/*.html")
	if err != nil {
		return nil, fmt.Errorf("room: templates: %w", err)
	}
	own, err := base.Clone()
	if err == nil {
		err = parseParts(own, files, names)
	}
	if err != nil {
		return nil, fmt.Errorf("room: templates: %w", err)
	}
	for _, name := range names {
		page, err := own.Clone()
		if err == nil {
			page, err = page.ParseFS(files, name)
		}
		if err != nil {
			return nil, fmt.Errorf("room: templates: %w", err)
		}
		pages[path.Base(name)] = page
	}
	pages["error.html"] = template.Must(base.Clone())
	return pages, nil
}

// parseParts reads the files of a room that hold parts for several of its pages.
func parseParts(into *template.Template, files fs.FS, names []string) error {
	for _, name := range names {
		if !strings.HasSuffix(name, "-parts.html") {
			continue
		}
		if _, err := into.ParseFS(files, name); err != nil {
			return err
		}
	}
	return nil
}

// Frame is what every page carries.
type Frame struct {
	Title   string
	Nav     string // which entry of the bar is this
	Who     string
	Signed  bool   // somebody has signed in, and the name is theirs
	Lead    bool   // who has signed in is a lead
	MayLead bool   // may do what is a lead's: a lead, or anybody where nobody signs in
	Large   bool   // in large type
	Look    string // how it looks, where that is chosen
	Notice  string // a sentence at the top
	Bad     bool   // the notice says that something was not done
}

// Frame begins a page.
func (r *Room) Frame(c *gin.Context, title, nav string) Frame {
	return Frame{Title: title, Nav: nav, Who: Who(c), Signed: c.GetString(signedKey) != "", Lead: c.GetBool(leadKey),
		MayLead: Leads(c), Large: Large(c), Look: LookOf(c)}
}

// Refuse puts the sentence of an error at the top of the page, as something that was not done.
func (f *Frame) Refuse(err error) { f.Notice, f.Bad = Sentence(err), true }

// Sentence words an error for a page.
func Sentence(err error) string { return Capitalise(err.Error()) + "." }

// Capitalise begins a sentence.
func Capitalise(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// Render sends a page. It is executed into a buffer first, so that half a page is never sent.
func (r *Room) Render(c *gin.Context, status int, name string, page any) {
	var b strings.Builder
	if err := r.pages[name].Execute(&b, page); err != nil {
		r.Log.Error("rendering", "page", name, "error", err)
		c.String(http.StatusInternalServerError, "This page could not be put together; what was recorded is safe.")
		return
	}
	c.Data(status, "text/html; charset=utf-8", inUnits([]byte(b.String()), UnitsOf(c)))
}

// betweenLines is what a template's layout leaves between lines; it means nothing to a browser.
var betweenLines = regexp.MustCompile(`\s*\n\s*`)

// Part sends one part of a page, for what htmx fetches by itself. No part holds preformatted text, so that the
// blanks of its template stay here.
func (r *Room) Part(c *gin.Context, status int, name, part string, page any) {
	var b strings.Builder
	if err := r.pages[name].ExecuteTemplate(&b, part, page); err != nil {
		r.Log.Error("rendering", "part", part, "error", err)
		c.Status(http.StatusNoContent)
		return
	}
	c.Data(status, "text/html; charset=utf-8", inUnits([]byte(betweenLines.ReplaceAllString(b.String(), "\n")), UnitsOf(c)))
}

// Fail shows one sentence with the right status.
func (r *Room) Fail(c *gin.Context, status int, sentence string) {
	f := r.Frame(c, http.StatusText(status), "")
	f.Notice, f.Bad = sentence, true
	r.Render(c, status, "error.html", struct{ Frame }{f})
	c.Abort()
}

// Refuse shows the sentence of an error about what somebody entered.
func (r *Room) Refuse(c *gin.Context, err error) {
	r.Fail(c, http.StatusUnprocessableEntity, Sentence(err))
}

const (
	notHere    = "There is no such job; it may be on another workshop's server. The Bay lists those that are here."
	noHarness  = "There is no such harness; the Library lists those that are here."
	safeBefore = "what was recorded before is safe"
)

// Broken is a panic that was caught: what it said, and where.
type Broken struct {
	Value any
	Stack []byte
}

// Caught is a panic as an error; it is called where the panic is recovered, so that the stack is that of the panic.
func Caught(value any) *Broken { return &Broken{value, debug.Stack()} }

func (b *Broken) Error() string { return fmt.Sprintf("this could not be worked out: %v", b.Value) }

// LogPanic logs an error, with the stack where it was a panic.
func (r *Shared) LogPanic(what string, err error, about ...any) {
	var broken *Broken
	about = append(about, "error", err)
	if errors.As(err, &broken) {
		about = append(about, "stack", string(broken.Stack))
	}
	r.Log.Error(what, about...)
}

// FailWith words an error of the store.
func (r *Room) FailWith(c *gin.Context, err error) {
	switch {
	case errors.Is(err, store.ErrNotFound) && strings.HasPrefix(c.Request.URL.Path, "/harnesses"):
		r.Fail(c, http.StatusNotFound, noHarness)
	case errors.Is(err, store.ErrNotFound):
		r.Fail(c, http.StatusNotFound, notHere)
	case errors.Is(err, store.ErrFull):
		r.Log.Error("database", "error", err)
		r.Fail(c, http.StatusServiceUnavailable,
			"The database's disk is full, so nothing was recorded just now; "+safeBefore+". Make room on it.")
	case errors.Is(err, context.Canceled) && c.Request.Context().Err() != nil: // whoever asked has gone, and reads nothing
		c.AbortWithStatus(http.StatusServiceUnavailable)
	case errors.Is(err, context.Canceled):
		r.Fail(c, http.StatusServiceUnavailable, "That was broken off before it was worked out; "+safeBefore+". Try again in a moment.")
	case errors.Is(err, store.ErrBusy):
		r.Fail(c, http.StatusServiceUnavailable, "So much is being worked out just now that no more is begun; "+safeBefore+
			". Try again in a moment.")
	case errors.Is(err, context.DeadlineExceeded):
		r.Fail(c, http.StatusServiceUnavailable,
			"That took too long, so nothing was recorded just now; "+safeBefore+". Try again in a moment.")
	case errors.Is(err, store.ErrUnreachable):
		r.Log.Error("database", "error", err)
		r.Fail(c, http.StatusServiceUnavailable,
			"The database cannot be reached, so nothing was recorded just now; "+safeBefore+". Try again in a moment.")
	default:
		r.LogPanic("request", err, "path", c.Request.URL.Path)
		r.Fail(c, http.StatusInternalServerError, "Something went wrong here; "+safeBefore+".")
	}
}
