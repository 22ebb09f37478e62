package circuits

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// libraryPage lists the harnesses with small drawings.
type libraryPage struct {
	room.Frame
	Query string
	Cards []libraryCard
	Total int
	Text  string // an import that was refused
	Wrong []string
	Aside []store.Aside // circuits that were set aside, the latest first
	Just  *store.Aside  // the one that has just been
}

type libraryCard struct {
	ID                 int64
	Name, Title, Notes string
	Parts, Wires       int
	States             []string
	Drawing            string
	Unfit              string // why nothing can be diagnosed with it
	Jobs               int    // that go by it
	Unseen             bool   // by a lead, where people sign in
}

func (a *Circuits) library(c *gin.Context) { a.showLibrary(c, http.StatusOK, libraryPage{}) }

func (a *Circuits) showLibrary(c *gin.Context, status int, page libraryPage) {
	page.Frame = a.Frame(c, "Library", "library")
	page.Query = room.Clip(strings.TrimSpace(c.Query("q")), 80)
	if len(page.Wrong) > 0 {
		page.Notice, page.Bad = "The harness was not taken in; what is wrong stands below.", true
	}
	list, err := a.keep.Harnesses(c.Request.Context())
	if err != nil {
		a.FailWith(c, err)
		return
	}
	page.Total = len(list)
	jobs, err := a.keep.JobsOn(c.Request.Context())
	if err == nil {
		page.Aside, err = a.keep.SetAsides(c.Request.Context())
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	if c.Query("aside") != "" && len(page.Aside) > 0 {
		page.Just = &page.Aside[0]
	}
	for _, h := range list {
		if !strings.Contains(strings.ToLower(h.Title+" "+h.Name+" "+h.Source), strings.ToLower(page.Query)) {
			continue
		}
		b, err := a.circuits.Get(h.Source)
		if err != nil { // shown with the reason, to be mended or deleted
			page.Cards = append(page.Cards, libraryCard{ID: h.ID, Name: h.Name, Title: h.Title, Unfit: err.Error(), Jobs: jobs[h.ID]})
			continue
		}
		card := libraryCard{
			ID: h.ID, Name: h.Name, Title: h.Title, Notes: firstSentence(b.Drawn.Notes),
			Parts: len(b.Drawn.Parts), Wires: len(b.Drawn.Wires),
			Drawing: fmt.Sprintf("/harnesses/%s/export/svg", url.PathEscape(h.Name)), Unfit: b.Unfit, Jobs: jobs[h.ID],
			Unseen: page.Signed && !h.Shipped && h.Record.ID == 0,
		}
		for _, s := range b.Drawn.States {
			card.States = append(card.States, s.Name)
		}
		page.Cards = append(page.Cards, card)
	}
	a.Render(c, status, "library.html", page)
}

func firstSentence(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if i := strings.Index(s, ". "); i > 0 {
		return s[:i+1]
	}
	return s
}

// importHarness takes in a harness file, pasted or chosen; what is wrong with it is said line
// by line, and the text stays.
func (a *Circuits) importHarness(c *gin.Context) {
	text := c.PostForm("text")
	if file, err := c.FormFile("file"); err == nil && file.Size > 0 {
		f, err := file.Open()
		if err != nil {
			a.Fail(c, http.StatusUnprocessableEntity, "The file could not be read.")
			return
		}
		defer f.Close()
		b, err := io.ReadAll(io.LimitReader(f, harness.MaxBytes+1))
		if err != nil {
			a.Fail(c, http.StatusUnprocessableEntity, "The file could not be read.")
			return
		}
		text = string(b)
	}
	circuit, err := harness.Read([]byte(text))
	if err != nil {
		page := libraryPage{Text: clipText(text)}
		for _, e := range harness.AsErrors(err) {
			page.Wrong = append(page.Wrong, strings.TrimPrefix(e.Error(), "harness: "))
		}
		a.showLibrary(c, http.StatusUnprocessableEntity, page)
		return
	}
	title := circuit.Title
	if title == "" {
		title = "Untitled circuit"
	}
	added, err := a.keep.AddHarness(c.Request.Context(), room.Slug(title), title, text)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.taken(c, added, "/harnesses/"+url.PathEscape(added.Name))
}

// clipText bounds what is sent back of a refused import.
func clipText(s string) string {
	if len(s) > harness.MaxBytes {
		return ""
	}
	return strings.ToValidUTF8(s, "")
}

// harnessAt finds the harness of a request; on failure it has answered.
func (a *Circuits) harnessAt(c *gin.Context) (store.Harness, *worked.File, bool) {
	h, err := a.revisionAsked(c)
	if err != nil {
		a.FailWith(c, err)
		return h, nil, false
	}
	b, err := a.circuits.Get(h.Source)
	if err != nil {
		a.Fail(c, http.StatusUnprocessableEntity, "This harness cannot be read: "+err.Error()+".")
		return h, nil, false
	}
	return h, b, true
}

// revisionAsked is the harness of a request in the revision that its address names, or in the newest.
func (a *Circuits) revisionAsked(c *gin.Context) (store.Harness, error) {
	ctx := c.Request.Context()
	if id, err := strconv.ParseInt(c.Query("revision"), 10, 64); err == nil {
		h, err := a.keep.Revision(ctx, id)
		if err == nil && h.Name != c.Param("name") {
			err = fmt.Errorf("revision %d of %s: %w", id, c.Param("name"), store.ErrNotFound)
		}
		return h, err
	}
	return a.keep.HarnessNamed(ctx, c.Param("name"))
}

// export hands a harness out in an open format.
func (a *Circuits) export(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	form := c.Param("form")
	send := func(kind, extension string, write func(io.Writer) error) {
		var out strings.Builder
		if err := write(&out); err != nil {
			a.Fail(c, http.StatusUnprocessableEntity, room.Sentence(err))
			return
		}
		if extension != "" {
			c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", h.Name+extension))
		}
		c.Data(http.StatusOK, kind, []byte(out.String()))
	}
	switch form {
	case "svg":
		// The drawing carries its own style sheet inside.
		c.Header("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'")
		send("image/svg+xml", "", func(w io.Writer) error {
			drawn, err := b.Drawing(c.Request.Context())
			if err != nil {
				return errors.New("the drawing is still being made; ask for it again")
			}
			_, err = io.WriteString(w, drawing.Standalone(drawn, &drawing.Look{Title: b.Drawn.Title}))
			return err
		})
	case "yaml":
		send("application/yaml; charset=utf-8", ".harness.yaml", func(w io.Writer) error {
			_, err := io.WriteString(w, h.Source)
			return err
		})
	case "csv":
		send("text/csv; charset=utf-8", ".csv", func(w io.Writer) error { return b.Drawn.WriteWireList(w) })
	case "json":
		send("application/json", ".json", func(w io.Writer) error {
			return harness.WriteJSON(w, []byte(h.Source))
		})
	case "spice":
		state, err := b.Drawn.FindState(c.DefaultQuery("state", b.Drawn.States[len(b.Drawn.States)-1].Name))
		if err != nil {
			a.Fail(c, http.StatusUnprocessableEntity, room.Sentence(err))
			return
		}
		send("text/plain; charset=utf-8", ".cir", func(w io.Writer) error {
			return b.Model.Netlist(w, electric.Condition{State: state})
		})
	default:
		a.Fail(c, http.StatusNotFound, "A harness is handed out as svg, yaml, csv, json or spice.")
	}
}
