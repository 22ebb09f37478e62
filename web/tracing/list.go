package tracing

import (
	"errors"
	"io"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/printed"
	"ironthread/store"
	"ironthread/web/room"
)

// A circuit from a list of wires: what was understood of it is shown before anything is kept, with the kind of each part to be confirmed.

// listPage takes a list, and shows what was understood of it.
type listPage struct {
	room.Frame
	Text    string
	Title   string
	List    *printed.List
	Columns []columnRead
	Kinds   []harness.Kind
	Missing []string
}

// columnRead is a column of ours and what it is called in the list.
type columnRead struct{ Ours, Theirs string }

func (a *Tracing) list(c *gin.Context) {
	a.Render(c, http.StatusOK, "list.html", listPage{Frame: a.Frame(c, "From a list", "library")})
}

// readList reads the list that was pasted or chosen; once it is confirmed it goes into the library.
func (a *Tracing) readList(c *gin.Context) {
	p := listPage{Frame: a.Frame(c, "From a list", "library"), Kinds: harness.Kinds()}
	text, err := listText(c)
	if err == nil {
		p.Text = text
		p.Title, err = room.Field(c, "title", "the title", room.MaxTitle)
	}
	if err == nil {
		p.List, err = printed.ReadList(text)
	}
	if err != nil {
		p.Refuse(err)
		a.Render(c, http.StatusUnprocessableEntity, "list.html", p)
		return
	}
	t := p.List.Trace
	t.Title = p.Title
	for i := range t.Parts {
		if kind := harness.Kind(c.PostForm("kind-" + t.Parts[i].Name)); kind != "" {
			t.Parts[i].Kind = kind
		}
	}
	for _, x := range []string{"from", "from pin", "to", "to pin", "colour", "size", "length"} {
		if theirs := p.List.Columns[x]; theirs != "" {
			p.Columns = append(p.Columns, columnRead{x, theirs})
		}
	}
	stands := t.Look()
	p.Missing = stands.Missing
	if len(stands.Wrong) > 0 {
		p.Missing = append(p.Missing, stands.Wrong...)
	}
	if c.PostForm("confirm") == "" || len(stands.Wrong) > 0 {
		status := http.StatusOK
		if c.PostForm("confirm") != "" {
			status = http.StatusUnprocessableEntity
			p.Refuse(errors.New("it cannot be put into the library yet: " + stands.Wrong[0]))
		}
		a.Render(c, status, "list.html", p)
		return
	}
	title := p.Title
	if title == "" {
		title = "From a wire list"
	}
	var h store.Harness
	if h, err = a.keep.AddHarness(c.Request.Context(), room.Slug(title), title, stands.Text); err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name))
}

// listText is the list that was chosen as a file, or pasted.
func listText(c *gin.Context) (string, error) {
	file, err := c.FormFile("file")
	if err != nil || file.Size == 0 {
		return c.PostForm("text"), nil
	}
	f, err := file.Open()
	if err != nil {
		return "", errors.New("the file could not be read")
	}
	defer f.Close() // it was only read
	b, err := io.ReadAll(io.LimitReader(f, printed.MostListBytes+1))
	if err != nil || !room.PlainText(string(b)) {
		return "", errors.New("the file is no text; save the spreadsheet as CSV")
	}
	return string(b), nil
}
