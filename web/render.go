package web

import (
	"bytes"
	"context"
	"crypto/rand"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/store"
)

//go:embed templates/*.html
var templateFiles embed.FS

// pages holds one parsed template set per page.
type pages struct{ sets map[string]*template.Template }

func newPages(files *static) (*pages, error) {
	base, err := template.New("layout.html").Funcs(template.FuncMap{
		"static":  files.url,
		"percent": percent,
		"clock":   func(t time.Time) string { return t.Format("15:04") },
		"day":     func(t time.Time) string { return t.Format("2 Jan 2006") },
		"minutes": minutes,
		"width":   func(p float64) int { return int(math.Round(100 * math.Max(0, math.Min(1, p)))) },
		"join":    strings.Join,
		"lower":   strings.ToLower,
		"add":     func(a, b int) int { return a + b },
		"less":    func(a, b float64) float64 { return a - b },
		"one":     func(v float64) string { return fmt.Sprintf("%.1f", v) },
		"fine":    func(p float64) string { return fmt.Sprintf("%.1f %%", 100*p) },
		"money":   func(v float64) string { return fmt.Sprintf("%.0f", v) },
		"share":   func(done, of int) float64 { return float64(done) / math.Max(1, float64(of)) },
		"times":   timesWords,
		"token":   newToken,
		"jobtabs": func() []jobTab { return jobTabs },
		"pair":    func(a, b any) struct{ A, B any } { return struct{ A, B any }{a, b} },
	}).ParseFS(templateFiles, "templates/layout.html", "templates/parts.html")
	if err != nil {
		return nil, fmt.Errorf("web: templates: %w", err)
	}
	p := &pages{sets: map[string]*template.Template{}}
	for _, name := range []string{"bay.html", "job.html", "library.html", "sheet.html", "start.html", "editor.html", "new.html",
		"boxes.html", "error.html",
		"why.html", "believe.html", "drive.html", "verify.html", "report.html", "logbook.html", "study.html", "tools.html", "waiting.html"} {
		set, err := base.Clone()
		if err == nil {
			set, err = set.ParseFS(templateFiles, "templates/"+name)
		}
		if err != nil {
			return nil, fmt.Errorf("web: templates: %w", err)
		}
		p.sets[name] = set
	}
	return p, nil
}

// newToken names one form of one page, so that it is taken once however often it is sent.
func newToken() (string, error) {
	b := make([]byte, 16)
	if _, err := rand.Read(b); err != nil {
		return "", fmt.Errorf("web: a form's token: %w", err)
	}
	return hex.EncodeToString(b), nil
}

// jobTab is one of a job's pages.
type jobTab struct{ Tab, Path, Label string }

var jobTabs = []jobTab{
	{"job", "", "Job"}, {"why", "/why", "Why"}, {"believe", "/believe", "Prove me wrong"}, {"drive", "/drive", "Driving"},
	{"verify", "/verify", "Verify and close"}, {"report", "/report", "Report"},
}

// timesWords says by how much a reading changed the odds.
func timesWords(t float64) string {
	switch {
	case t > 1e3:
		return "for it, more than 1000 times"
	case t >= 1.15:
		return fmt.Sprintf("for it, %.2g times", t)
	case t > 1/1.15:
		return "says little"
	case t >= 1e-3:
		return fmt.Sprintf("against it, %.2g times", 1/t)
	}
	return "against it, more than 1000 times"
}

func percent(p float64) string {
	switch {
	case p > 0 && p < 0.01:
		return "<1 %"
	case p > 0.99 && p < 1:
		return ">99 %"
	}
	return fmt.Sprintf("%.0f %%", 100*p)
}

func minutes(m float64) string {
	if m < 1 {
		return "under 1 min"
	}
	return fmt.Sprintf("%.0f min", m)
}

// frame is what every page carries.
type frame struct {
	Title  string
	Nav    string // which entry of the bar is this
	Who    string
	Notice string // a sentence at the top
	Bad    bool   // the notice says that something was not done
}

func (a *App) frame(c *gin.Context, title, nav string) frame {
	return frame{Title: title, Nav: nav, Who: who(c)}
}

// render executes a page into a buffer first, so that half a page is never sent.
func (a *App) render(c *gin.Context, status int, name string, page any) {
	var b bytes.Buffer
	if err := a.pages.sets[name].Execute(&b, page); err != nil {
		a.opts.Log.Error("rendering", "page", name, "error", err)
		c.String(http.StatusInternalServerError, "This page could not be put together; what was recorded is safe.")
		return
	}
	c.Data(status, "text/html; charset=utf-8", b.Bytes())
}

// renderPart executes one named template of the job page, for what htmx swaps.
func (a *App) renderPart(c *gin.Context, part string, page any) {
	var b bytes.Buffer
	if err := a.pages.sets["job.html"].ExecuteTemplate(&b, part, page); err != nil {
		a.opts.Log.Error("rendering", "part", part, "error", err)
		c.Status(http.StatusNoContent)
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", b.Bytes())
}

// fail shows one sentence with the right status.
func (a *App) fail(c *gin.Context, status int, sentence string) {
	f := a.frame(c, http.StatusText(status), "")
	f.Notice, f.Bad = sentence, true
	a.render(c, status, "error.html", struct{ frame }{f})
	c.Abort()
}

func notFoundWords(c *gin.Context) string {
	if strings.HasPrefix(c.Request.URL.Path, "/harnesses") {
		return "There is no such harness; the Library lists those that are here."
	}
	return "There is no such job; it may be on another workshop's server. The Bay lists those that are here."
}

// failWith words an error of the store.
func (a *App) failWith(c *gin.Context, err error) {
	switch {
	case errors.Is(err, store.ErrNotFound):
		a.fail(c, http.StatusNotFound, notFoundWords(c))
	case errors.Is(err, store.ErrFull):
		a.opts.Log.Error("database", "error", err)
		a.fail(c, http.StatusServiceUnavailable, "The database's disk is full, so nothing was recorded just now; what was recorded before is safe. Make room on it.")
	case errors.Is(err, context.Canceled):
		c.Abort() // whoever asked has gone
	case errors.Is(err, context.DeadlineExceeded):
		a.fail(c, http.StatusServiceUnavailable, "That took too long, so nothing was recorded just now; what was recorded before is safe. Try again in a moment.")
	case errors.Is(err, store.ErrUnreachable):
		a.opts.Log.Error("database", "error", err)
		a.fail(c, http.StatusServiceUnavailable, "The database cannot be reached, so nothing was recorded just now; what was recorded before is safe. Try again in a moment.")
	default:
		a.opts.Log.Error("request", "path", c.Request.URL.Path, "error", err)
		a.fail(c, http.StatusInternalServerError, "Something went wrong here; what was recorded before is safe.")
	}
}

// The technician's name is kept in a cookie; it signs log entries.
const (
	whoCookie  = "who"
	defaultWho = "Technician"
	whoAge     = 365 * 24 * 3600
	maxWho     = 40
)

func who(c *gin.Context) string {
	name, err := c.Cookie(whoCookie)
	if err != nil || strings.TrimSpace(name) == "" {
		return defaultWho
	}
	return clip(name, maxWho)
}

func (a *App) setWho(c *gin.Context) {
	name, err := field(c, "who", "the name", maxWho)
	if err != nil {
		a.fail(c, http.StatusUnprocessableEntity, capitalise(err.Error())+".")
		return
	}
	http.SetCookie(c.Writer, &http.Cookie{ //nolint:gosec // served on loopback over plain HTTP, where Secure would lose it
		Name: whoCookie, Value: url.QueryEscape(name), Path: "/", MaxAge: whoAge,
		HttpOnly: true, SameSite: http.SameSiteStrictMode,
	})
	c.Redirect(http.StatusSeeOther, cameFrom(c))
}

// clip shortens a text to so many characters and drops what cannot be shown.
func clip(s string, most int) string {
	s = strings.ToValidUTF8(s, "")
	s = strings.Map(func(r rune) rune {
		if r < ' ' && r != '\n' {
			return -1
		}
		return r
	}, s)
	if runes := []rune(s); len(runes) > most {
		return string(runes[:most])
	}
	return s
}
