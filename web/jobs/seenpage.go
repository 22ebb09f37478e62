package jobs

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"net/http"
	"regexp"

	"github.com/gin-gonic/gin"
	lru "github.com/hashicorp/golang-lru/v2"

	"ironthread/web/room"
)

// A job's page is looked at far more often than its log grows: by everybody in the workshop, again after each glance elsewhere.
// What was put together once is kept while nothing that it is made of has changed, and given out again with tokens of its own in
// every form. Only whole pages are kept, never one that says that something is being worked out.

const (
	pagesKept = 96
	pageBytes = 512 << 10 // of one page; a longer one is put together anew
)

// seenPages are pages that were put together, by a hash of all that they are made of.
type seenPages struct {
	kept *lru.Cache[[sha256.Size]byte, [][]byte]
}

func newSeenPages() *seenPages {
	kept, _ := lru.New[[sha256.Size]byte, [][]byte](pagesKept) // fails for sizes below one only
	return &seenPages{kept}
}

// formToken is where a form's token stands on a page.
var formToken = regexp.MustCompile(`name="token" value="[0-9a-f]{32}"`)

// A token is written back between these.
const (
	beforeIt = `name="token" value="`
	behindIt = `"`
)

// madeOf is all that a job's page is made of: the job, its log so far, what the workshop has learnt, who looks, with what tools,
// in which units, and what the address asks for.
func (a *Jobs) madeOf(c *gin.Context, j *jobAt) ([sha256.Size]byte, error) {
	kit, school := room.KitOf(c)
	b, err := json.Marshal(struct {
		Job, Learnt, Frame, Units, Kit, School any
		Last                                   int
		Address, Parts, Drawn                  string
		Meter, Led                             bool
	}{j.Job, j.learnt, a.Frame(c, j.Title, "bay"), room.UnitsOf(c), kit, school, j.state.Last, c.Request.URL.RequestURI(),
		c.GetHeader("HX-Request") + " " + c.GetHeader("HX-History-Restore-Request"), c.GetHeader(drawnHeader), a.watches.Meter(j.ID) != nil,
		led(c)})
	return sha256.Sum256(b), err
}

// again gives a page out that was put together before; false where there is none.
func (s *seenPages) again(c *gin.Context, key [sha256.Size]byte) bool {
	parts, ok := s.kept.Get(key)
	if !ok {
		return false
	}
	var b bytes.Buffer
	for i, part := range parts {
		if i > 0 {
			token, err := room.NewToken()
			if err != nil {
				return false
			}
			b.WriteString(beforeIt + token + behindIt)
		}
		b.Write(part)
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", b.Bytes())
	return true
}

// keep keeps a page between its tokens.
func (s *seenPages) keep(key [sha256.Size]byte, page []byte) {
	if len(page) > pageBytes {
		return
	}
	var parts [][]byte
	at := 0
	for _, t := range formToken.FindAllIndex(page, -1) {
		parts = append(parts, bytes.Clone(page[at:t[0]]))
		at = t[1]
	}
	s.kept.Add(key, append(parts, bytes.Clone(page[at:])))
}

// copying is an answer's writer that keeps a copy of what goes out.
type copying struct {
	gin.ResponseWriter
	page bytes.Buffer
}

func (w *copying) Write(b []byte) (int, error) {
	w.page.Write(b)
	return w.ResponseWriter.Write(b)
}

func (w *copying) WriteString(s string) (int, error) {
	w.page.WriteString(s)
	return w.ResponseWriter.WriteString(s)
}
