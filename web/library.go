package web

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
)

// libraryPage lists the harnesses with small drawings.
type libraryPage struct {
	frame
	Query string
	Cards []libraryCard
	Total int
	Text  string // an import that was refused
	Wrong []string
}

type libraryCard struct {
	ID                 int64
	Name, Title, Notes string
	Parts, Wires       int
	States             []string
	Drawing            string
	Unfit              string // why nothing can be diagnosed with it
}

func (a *App) library(c *gin.Context) { a.showLibrary(c, http.StatusOK, libraryPage{}) }

func (a *App) showLibrary(c *gin.Context, status int, page libraryPage) {
	page.frame = a.frame(c, "Library", "library")
	page.Query = clip(strings.TrimSpace(c.Query("q")), 80)
	if len(page.Wrong) > 0 {
		page.Notice, page.Bad = "The harness was not taken in; what is wrong stands below.", true
	}
	list, err := a.keep.Harnesses(c.Request.Context())
	if err != nil {
		a.failWith(c, err)
		return
	}
	page.Total = len(list)
	for _, h := range list {
		if !strings.Contains(strings.ToLower(h.Title+" "+h.Name+" "+h.Source), strings.ToLower(page.Query)) {
			continue
		}
		b, err := a.circuits.get(h.Source)
		if err != nil { // shown with the reason, to be mended or deleted
			page.Cards = append(page.Cards, libraryCard{ID: h.ID, Name: h.Name, Title: h.Title, Unfit: err.Error()})
			continue
		}
		card := libraryCard{
			ID: h.ID, Name: h.Name, Title: h.Title, Notes: firstSentence(b.circuit.Notes),
			Parts: len(b.circuit.Parts), Wires: len(b.circuit.Wires),
			Drawing: fmt.Sprintf("/harnesses/%s/export/svg", url.PathEscape(h.Name)), Unfit: b.unfit,
		}
		for _, s := range b.circuit.States {
			card.States = append(card.States, s.Name)
		}
		page.Cards = append(page.Cards, card)
	}
	a.render(c, status, "library.html", page)
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
func (a *App) importHarness(c *gin.Context) {
	text := c.PostForm("text")
	if file, err := c.FormFile("file"); err == nil && file.Size > 0 {
		f, err := file.Open()
		if err != nil {
			a.fail(c, http.StatusUnprocessableEntity, "The file could not be read.")
			return
		}
		defer f.Close()
		b, err := io.ReadAll(io.LimitReader(f, harness.MaxBytes+1))
		if err != nil {
			a.fail(c, http.StatusUnprocessableEntity, "The file could not be read.")
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
	added, err := a.keep.AddHarness(c.Request.Context(), slug(title), title, text)
	if err != nil {
		a.failWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(added.Name))
}

// clipText bounds what is sent back of a refused import.
func clipText(s string) string {
	if len(s) > harness.MaxBytes {
		return ""
	}
	return strings.ToValidUTF8(s, "")
}

// slug makes a name for an address out of a title.
func slug(title string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	name := strings.Trim(b.String(), "-")
	if name == "" {
		name = "circuit"
	}
	return name[:min(len(name), 60)]
}

// harnessAt finds the harness of a request; on failure it has answered.
func (a *App) harnessAt(c *gin.Context) (store.Harness, *bench, bool) {
	h, err := a.revisionAsked(c)
	if err != nil {
		a.failWith(c, err)
		return h, nil, false
	}
	b, err := a.circuits.get(h.Source)
	if err != nil {
		a.fail(c, http.StatusUnprocessableEntity, "This harness cannot be read: "+err.Error()+".")
		return h, nil, false
	}
	return h, b, true
}

// revisionAsked is the harness of a request in the revision that its address names, or in the newest.
func (a *App) revisionAsked(c *gin.Context) (store.Harness, error) {
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
func (a *App) export(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	form := c.Param("form")
	send := func(kind, extension string, write func(io.Writer) error) {
		var out strings.Builder
		if err := write(&out); err != nil {
			a.fail(c, http.StatusUnprocessableEntity, capitalise(err.Error())+".")
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
			drawn, err := b.drawing(c.Request.Context())
			if err != nil {
				return errors.New("the drawing is still being made; ask for it again")
			}
			text, err := drawing.Standalone(drawn, &drawing.Look{Title: b.circuit.Title})
			if err != nil {
				return err
			}
			_, err = io.WriteString(w, text)
			return err
		})
	case "yaml":
		send("application/yaml; charset=utf-8", ".harness.yaml", func(w io.Writer) error {
			_, err := io.WriteString(w, h.Source)
			return err
		})
	case "csv":
		send("text/csv; charset=utf-8", ".csv", func(w io.Writer) error { return b.circuit.WriteWireList(w) })
	case "json":
		send("application/json", ".json", func(w io.Writer) error {
			return harness.WriteJSON(w, []byte(h.Source))
		})
	case "spice":
		state, err := b.circuit.FindState(c.DefaultQuery("state", b.circuit.States[len(b.circuit.States)-1].Name))
		if err != nil {
			a.fail(c, http.StatusUnprocessableEntity, capitalise(err.Error())+".")
			return
		}
		send("text/plain; charset=utf-8", ".cir", func(w io.Writer) error {
			return b.model.Netlist(w, electric.Condition{State: state})
		})
	default:
		a.fail(c, http.StatusNotFound, "A harness is handed out as svg, yaml, csv, json or spice.")
	}
}
