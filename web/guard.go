package web

import (
	"context"
	"errors"
	"fmt"
	"mime"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/web/jobs"
	"ironthread/web/room"
)

// Limits on what is taken in.
const (
	maxBody    = 1 << 20
	maxHeader  = 64 << 10
	maxQuery   = 16 << 10
	requestFor = 40 * time.Second // a request and all it asks for, unless a page may wait longer than that for the guide
)

// hosts refuses requests that name another host than those configured: a page elsewhere that has its
// own name pointed here must not be served.
func (a *App) named(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		if !slices.Contains(a.hosts, strings.ToLower(strings.Trim(host, "[]"))) {
			w.Header().Set("Content-Type", "text/plain; charset=utf-8")
			w.WriteHeader(http.StatusMisdirectedRequest)
			_, _ = fmt.Fprintln(w, "This server does not go by that name; use the address it was started with.")
			return
		}
		if r.Method == http.MethodHead { // as GET, and the server leaves the body out
			asked := *r
			asked.Method = http.MethodGet
			r = &asked
		}
		next.ServeHTTP(w, r)
	})
}

// headed sets the policy that every answer carries, whoever gives it: pages, and what is refused before any page.
func (a *App) headed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; frame-ancestors "+
			"'none'; form-action 'self'")
		if a.secure {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

// guard bounds the request in bytes and time, and refuses what is no text.
func (a *App) guard(c *gin.Context) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), a.requestFor)
	defer cancel()
	c.Request = c.Request.WithContext(ctx)
	limit := int64(maxBody)
	switch path := c.Request.URL.Path; {
	case strings.HasSuffix(path, "/photo"):
		limit += room.MaxPhotoBytes
	case path == "/library/trace" || path == "/library/pages" || strings.HasPrefix(path, "/traces/") && strings.HasSuffix(path, "/page"):
		limit += room.MaxPageBytes
	case strings.HasPrefix(path, "/jobs/") && strings.HasSuffix(path, "/log"):
		limit += jobs.MaxLog
	case path == "/jobs/import":
		limit += jobs.MaxJobFile
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, limit)
	if status, sentence := readable(c.Request, limit); status != http.StatusOK {
		a.front.Fail(c, status, sentence)
		return
	}
	c.Next()
}

// multipartInMemory is how much of a form with files is kept in memory while it is read.
const multipartInMemory = 4 << 20

// readable reads a request's form, and says what is wrong with the request, if anything is.
func readable(r *http.Request, limit int64) (status int, sentence string) {
	const noText = "The request holds what is no text (a NUL, or broken UTF-8); nothing was done."
	if !room.PlainText(r.URL.Path) || len(r.URL.RawQuery) > maxQuery {
		return http.StatusBadRequest, noText
	}
	query, err := url.ParseQuery(r.URL.RawQuery)
	if err != nil || !plainForm(query) {
		return http.StatusBadRequest, noText
	}
	if r.Method != http.MethodPost {
		return http.StatusOK, ""
	}
	kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type")) // what cannot be read is no form
	switch {
	case kind == "multipart/form-data":
		err = r.ParseMultipartForm(multipartInMemory)
	case kind == "application/x-www-form-urlencoded", r.ContentLength == 0:
		err = r.ParseForm()
	default:
		return http.StatusUnsupportedMediaType, "A form is expected here; nothing was done."
	}
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		return http.StatusRequestEntityTooLarge, fmt.Sprintf("That is more than the %d MB that are taken in at once; nothing was recorded.",
			limit>>20)
	case err != nil:
		return http.StatusBadRequest, "The form could not be read; nothing was done. Send it again."
	case !plainForm(r.PostForm), r.MultipartForm != nil && !plainForm(r.MultipartForm.Value):
		return http.StatusBadRequest, noText
	}
	return http.StatusOK, ""
}

// recovered turns a panic into a page that says so; the log has the rest.
func (a *App) recovered(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			a.front.LogPanic("panic", room.Caught(p), "path", c.Request.URL.Path)
			a.front.Fail(c, http.StatusInternalServerError, "Something went wrong here; what was recorded before is safe.")
		}
	}()
	c.Next()
}

// health asks the database: without it nothing can be recorded.
func (a *App) health(c *gin.Context) {
	if err := a.keep.Healthy(c.Request.Context()); err != nil {
		c.String(http.StatusServiceUnavailable, "the database does not answer")
		return
	}
	c.String(http.StatusOK, "ok")
}

func plainForm(form url.Values) bool {
	for key, values := range form {
		if !room.PlainText(key) || slices.ContainsFunc(values, func(v string) bool { return !room.PlainText(v) }) {
			return false
		}
	}
	return true
}
