// Package tracing is where the page of somebody's manual becomes a circuit: a page is taken in and straightened, parts and pins are tapped
// where they stand, wires from pin to pin; what is missing is said as it grows, and the circuit goes into the library with its pages.
//
// What is being traced is kept in the database as it stands, so that a phone may lie down and be taken up again; the steps that can be
// undone live in the page.
package tracing

import (
	"context"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/printed"
	"ironthread/store"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// Keeper is what this room needs of the store.
type Keeper interface {
	HarnessNamed(ctx context.Context, name string) (store.Harness, error)
	AddHarness(ctx context.Context, name, title, source string) (store.Harness, error)
	BeginTrace(ctx context.Context, state []byte, who string) (int64, error)
	PutTrace(ctx context.Context, id int64, state []byte) error
	Trace(ctx context.Context, id int64) (*store.Traced, error)
	PutTracePage(ctx context.Context, id int64, p store.PrintedPage) (int, error)
	TracePage(ctx context.Context, id int64, number int) (store.PrintedPage, error)
	EndTrace(ctx context.Context, id int64, h store.Harness, places printed.Places) error
	PageOf(ctx context.Context, harness, on int64, number int) (store.PrintedPage, error)
	Printed(ctx context.Context, harness, revision int64) (*store.Printing, error)
	PutPages(ctx context.Context, h store.Harness, pages []store.PrintedPage, places printed.Places) error
}

// Tracing serves the pages.
type Tracing struct {
	*room.Room
	keep     Keeper
	circuits *worked.Circuits
}

//go:embed templates/*.html
var templates embed.FS

// New reads the room's templates.
func New(s *room.Shared, keep Keeper, circuits *worked.Circuits) (*Tracing, error) {
	r, err := room.New(s, templates)
	if err != nil {
		return nil, fmt.Errorf("tracing: %w", err)
	}
	return &Tracing{r, keep, circuits}, nil
}

// Routes adds the room's addresses.
func (a *Tracing) Routes(r gin.IRouter) {
	r.GET("/library/trace", a.ask)
	r.POST("/library/trace", a.begin)
	r.GET("/library/list", a.list)
	r.POST("/library/list", a.readList)
	r.POST("/library/pages", a.takeArchive)
	r.GET("/harnesses/:name/archive", a.archive)
	r.GET("/traces/:id", a.page)
	r.POST("/traces/:id", a.save)
	r.POST("/traces/:id/page", a.another)
	r.GET("/traces/:id/pages/:n", a.picture)
	r.POST("/traces/:id/straighten", a.straighten)
	r.POST("/traces/:id/fixes", a.fixes)
	r.POST("/traces/:id/finish", a.finish)
	r.GET("/harnesses/:name/pages/:n", a.pageOf)
}

// askPage asks for a page.
type askPage struct {
	room.Frame
	Of, OfTitle string // the circuit that it is to be laid on
}

func (a *Tracing) ask(c *gin.Context) { a.showAsk(c, http.StatusOK, nil) }

func (a *Tracing) showAsk(c *gin.Context, status int, wrong error) {
	p := askPage{Frame: a.Frame(c, "From a page", "library"), Of: room.Clip(c.DefaultQuery("of", c.PostForm("of")), room.MaxTitle)}
	if p.Of != "" {
		h, err := a.keep.HarnessNamed(c.Request.Context(), p.Of)
		if err != nil {
			a.FailWith(c, err)
			return
		}
		p.OfTitle = h.Title
	}
	if wrong != nil {
		p.Refuse(wrong)
	}
	a.Render(c, status, "ask.html", p)
}

// begin takes the first page in.
func (a *Tracing) begin(c *gin.Context) {
	page, err := room.ReadPage(c)
	if err != nil {
		a.showAsk(c, http.StatusUnprocessableEntity, err)
		return
	}
	t := &printed.Trace{Volts: 12}
	if name := c.PostForm("of"); name != "" {
		h, err := a.keep.HarnessNamed(c.Request.Context(), room.Clip(name, room.MaxTitle))
		if err != nil {
			a.FailWith(c, err)
			return
		}
		if t, err = printed.Lay(h.Name, h.Title, h.Source); err != nil {
			a.showAsk(c, http.StatusUnprocessableEntity, err)
			return
		}
	}
	state, err := json.Marshal(t)
	var id int64
	if err == nil {
		id, err = a.keep.BeginTrace(c.Request.Context(), state, room.Who(c))
	}
	if err == nil {
		_, err = a.keep.PutTracePage(c.Request.Context(), id, *page)
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/traces/%d", id))
}

// tracePage is the page that is worked on.
type tracePage struct {
	room.Frame
	ID     int64
	State  string // JSON
	Pages  string // JSON
	Kinds  []kindName
	Of     string
	Colour []string
	Sizes  []string
}

// kindName is a kind of part as one says it.
type kindName struct{ Kind, Name, Pins string }

func (a *Tracing) traceAt(c *gin.Context) (*store.Traced, bool) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		a.Fail(c, http.StatusNotFound, "There is no such page being traced.")
		return nil, false
	}
	t, err := a.keep.Trace(c.Request.Context(), id)
	if err != nil {
		a.FailWith(c, err)
		return nil, false
	}
	return t, true
}

func (a *Tracing) page(c *gin.Context) {
	kept, ok := a.traceAt(c)
	if !ok {
		return
	}
	t, err := printed.Read(kept.State)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	p := tracePage{Frame: a.Frame(c, "From a page", "library"), ID: kept.ID, State: string(kept.State), Of: t.Of, Colour: harness.Colours,
		Sizes: []string{"0.5", "0.75", "1", "1.5", "2.5", "4", "6", "10"}}
	type picture struct{ Number, Width, Height int }
	pages := []picture{}
	for _, x := range kept.Pages {
		pages = append(pages, picture{x.Number, x.Width, x.Height})
	}
	b, err := json.Marshal(pages)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	p.Pages = string(b)
	for _, kind := range harness.Kinds() {
		p.Kinds = append(p.Kinds, kindName{string(kind), kind.SpokenOf(), kind.Traits().Taps})
	}
	a.Render(c, http.StatusOK, "trace.html", p)
}

// save keeps how far it is, and says what it makes.
func (a *Tracing) save(c *gin.Context) {
	kept, t, ok := a.posted(c)
	if !ok {
		return
	}
	state, err := json.Marshal(t)
	if err == nil {
		err = a.keep.PutTrace(c.Request.Context(), kept.ID, state)
	}
	if err != nil {
		c.JSON(http.StatusServiceUnavailable, gin.H{"wrong": []string{"It could not be kept just now; it is tried again with the next step."}})
		return
	}
	c.JSON(http.StatusOK, t.Look())
}

// posted is the trace that was sent; what is wrong with it has been answered.
func (a *Tracing) posted(c *gin.Context) (*store.Traced, *printed.Trace, bool) {
	kept, ok := a.traceAt(c)
	if !ok {
		return nil, nil, false
	}
	t, err := printed.Read([]byte(c.PostForm("state")))
	if err != nil {
		c.JSON(http.StatusUnprocessableEntity, gin.H{"wrong": []string{room.Sentence(err)}})
		return nil, nil, false
	}
	return kept, t, true
}

// another takes one more page in.
func (a *Tracing) another(c *gin.Context) {
	kept, ok := a.traceAt(c)
	if !ok {
		return
	}
	page, err := room.ReadPage(c)
	if err == nil {
		_, err = a.keep.PutTracePage(c.Request.Context(), kept.ID, *page)
	}
	if err != nil {
		a.Refuse(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/traces/%d", kept.ID))
}

func number(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil || n < 0 || n > printed.MostPages {
		return 0
	}
	return n
}

// picture hands a page's picture out: straightened, or as it was taken.
func (a *Tracing) picture(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		a.Fail(c, http.StatusNotFound, "There is no such page.")
		return
	}
	p, err := a.keep.TracePage(c.Request.Context(), id, number(c.Param("n")))
	if err != nil {
		a.FailWith(c, err)
		return
	}
	if c.Query("taken") != "" {
		c.Data(http.StatusOK, "image/jpeg", p.Taken)
		return
	}
	c.Data(http.StatusOK, "image/jpeg", p.JPEG)
}

// pageOf hands the picture of a circuit's page out.
func (a *Tracing) pageOf(c *gin.Context) {
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.Param("name"))
	var p store.PrintedPage
	if err == nil {
		on, _ := strconv.ParseInt(c.Query("on"), 10, 64) // nothing, or nothing that is a number: the last that was laid
		p, err = a.keep.PageOf(c.Request.Context(), h.ID, on, number(c.Param("n")))
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	c.Header("Cache-Control", "private, max-age=3600")
	c.Data(http.StatusOK, "image/jpeg", p.JPEG)
}

// straightenWithin bounds the work on one picture.
const straightenWithin = 20 * time.Second

// straighten makes a page straight by the corners that were put on it.
func (a *Tracing) straighten(c *gin.Context) {
	kept, ok := a.traceAt(c)
	if !ok {
		return
	}
	ctx, cancel := context.WithTimeout(c.Request.Context(), straightenWithin)
	defer cancel()
	at := number(c.PostForm("page"))
	p, err := a.keep.TracePage(ctx, kept.ID, at)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	corners, turns, err := cornersOf(c)
	var straight *store.PrintedPage
	if err == nil {
		straight, err = room.Straighten(ctx, p.Taken, corners, turns)
	}
	if err == nil {
		straight.Number, straight.Taken = at, p.Taken
		_, err = a.keep.PutTracePage(ctx, kept.ID, *straight)
	}
	if err != nil {
		c.JSON(http.StatusUnprocessableEntity, gin.H{"wrong": []string{room.Sentence(err)}})
		return
	}
	c.JSON(http.StatusOK, gin.H{"number": at, "width": straight.Width, "height": straight.Height})
}

func cornersOf(c *gin.Context) (corners [4]room.Corner, turns int, err error) {
	figures := strings.Fields(c.PostForm("corners"))
	if len(figures) != 8 {
		return corners, 0, errors.New("four corners are eight figures")
	}
	for i := range corners {
		x, err1 := strconv.ParseFloat(figures[2*i], 64)
		y, err2 := strconv.ParseFloat(figures[2*i+1], 64)
		if err := errors.Join(err1, err2); err != nil {
			return corners, 0, errors.New("a corner is two figures")
		}
		corners[i] = room.Corner{X: x, Y: y}
	}
	turns, err = strconv.Atoi(c.DefaultPostForm("turns", "0"))
	if err != nil {
		return corners, 0, errors.New("quarter turns are a figure")
	}
	return corners, turns, nil
}

// fixesWithin bounds the search for a wire that was forgotten.
const fixesWithin = 4 * time.Second

// fixes looks for one wire that would make the fans do what is wanted: "low M1 slow" a line.
func (a *Tracing) fixes(c *gin.Context) {
	_, t, ok := a.posted(c)
	if !ok {
		return
	}
	wanted := map[string]map[string]string{}
	for line := range strings.SplitSeq(room.Clip(c.PostForm("wanted"), room.MaxText), "\n") {
		words := strings.Fields(line)
		if len(words) != 3 {
			continue
		}
		if wanted[words[0]] == nil {
			wanted[words[0]] = map[string]string{}
		}
		wanted[words[0]][words[1]] = words[2]
	}
	ctx, cancel := context.WithTimeout(c.Request.Context(), fixesWithin)
	defer cancel()
	wires := t.Fixes(ctx, wanted)
	if wires == nil {
		wires = []printed.Wire{}
	}
	c.JSON(http.StatusOK, gin.H{"wires": wires})
}

// finish puts the circuit into the library with its pages; where the page was laid on a circuit that is there, only pages and places.
func (a *Tracing) finish(c *gin.Context) {
	kept, ok := a.traceAt(c)
	if !ok {
		return
	}
	t, err := printed.Read([]byte(c.PostForm("state")))
	if err != nil {
		a.Refuse(c, err)
		return
	}
	ctx := c.Request.Context()
	var h store.Harness
	if t.Of != "" {
		h, err = a.keep.HarnessNamed(ctx, t.Of)
	} else {
		stands := t.Look()
		if len(stands.Wrong) > 0 {
			a.Refuse(c, errors.New("it cannot be put into the library yet: "+stands.Wrong[0]))
			return
		}
		title := t.Title
		if title == "" {
			title = "Traced from its page"
		}
		h, err = a.keep.AddHarness(ctx, room.Slug(title), title, stands.Text)
	}
	if err == nil {
		err = a.keep.EndTrace(ctx, kept.ID, h, t.Places())
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"?paper=printed")
}
