package circuits

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/typed"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// editorPage is one harness file being typed: as a table, as text, as a drawing.
type editorPage struct {
	room.Frame
	Harness store.Harness
	Text    string
	Saw     int64 // the revision that was opened
	Wrong   []string
	Kinds   []harness.Kind
	Colours []string
	Sizes   []string
	Fielded []string // parts whose settings take several lines, and are fields on a page of their own
}

var usualSizes = []string{"0.5mm2", "0.75mm2", "1mm2", "1.5mm2", "2.5mm2", "4mm2", "6mm2", "10mm2", "16mm2"}

func (a *Circuits) edit(c *gin.Context) {
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.Param("name"))
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.showEditor(c, h, h.Revision, h.Source, nil)
}

// showEditor shows a text to be worked on, and what is wrong with it where it was refused.
func (a *Circuits) showEditor(c *gin.Context, h store.Harness, saw int64, text string, wrong harness.Errors) {
	p := &editorPage{Frame: a.Frame(c, "Edit: "+h.Title, "library"), Harness: h, Text: text, Saw: saw, Colours: harness.Colours,
		Sizes: usualSizes, Kinds: harness.Kinds()}
	if b, err := a.circuits.Get(h.Source); err == nil {
		for _, part := range b.Drawn.Parts {
			if furtherSettings[part.Kind()] != nil {
				p.Fielded = append(p.Fielded, part.Name)
			}
		}
	}
	for _, e := range wrong {
		p.Wrong = append(p.Wrong, strings.TrimPrefix(e.Error(), "harness: "))
	}
	status := http.StatusOK
	if len(p.Wrong) > 0 {
		status = http.StatusUnprocessableEntity
		p.Notice, p.Bad = "It is not saved: "+p.Wrong[0]+".", true
	}
	a.Render(c, status, "editor.html", p)
}

// saveHarness saves the text over the one that was opened, if it can be read.
func (a *Circuits) saveHarness(c *gin.Context) {
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.Param("name"))
	if err != nil {
		a.FailWith(c, err)
		return
	}
	text := strings.ReplaceAll(c.PostForm("text"), "\r\n", "\n")
	saw, _ := strconv.ParseInt(c.PostForm("saw"), 10, 64) // zero is no revision
	circuit, err := harness.Read([]byte(text))
	if err != nil {
		a.showEditor(c, h, saw, clipText(text), harness.AsErrors(err))
		return
	}
	if saw != h.Newest {
		a.Fail(c, http.StatusConflict, "Somebody else has saved this harness meanwhile; what you typed is still on your page. Open it beside "+
			"and compare.")
		return
	}
	title := circuit.Title
	if title == "" {
		title = h.Title
	}
	before, _ := a.circuits.Get(h.Source) // where the parts stood, for the next drawing
	if _, err := a.circuits.GetAfter(text, before); err != nil {
		a.Fail(c, http.StatusUnprocessableEntity, room.Sentence(err))
		return
	}
	if a.revise(c, h, title, text) {
		c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name))
	}
}

// copyHarness puts a copy into the library, to be changed.
func (a *Circuits) copyHarness(c *gin.Context) {
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.Param("name"))
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.addCopy(c, h, h.Name+"-copy", h.Title+", copy")
}

// makeRecord makes a revision the one of record: jobs go by it from then on, and newer ones wait until a lead has looked.
func (a *Circuits) makeRecord(c *gin.Context) {
	revision, err := strconv.ParseInt(c.PostForm("revision"), 10, 64)
	if err != nil || revision < 0 {
		a.Fail(c, http.StatusUnprocessableEntity, "Say which revision is to be the one of record.")
		return
	}
	if err := a.keep.MakeRecord(c.Request.Context(), c.Param("name"), revision, room.Who(c), a.Now()); err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(c.Param("name")))
}

// setAside takes a circuit out of the library.
func (a *Circuits) setAside(c *gin.Context) {
	if err := a.keep.SetAside(c.Request.Context(), c.Param("name")); err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/library?aside=1")
}

// putBack puts a circuit that was set aside back into the library.
func (a *Circuits) putBack(c *gin.Context) {
	id, err := strconv.ParseInt(c.PostForm("id"), 10, 64)
	if err == nil {
		err = a.keep.PutBack(c.Request.Context(), id)
	} else {
		err = store.ErrNotFound
	}
	switch {
	case errors.Is(err, store.ErrChanged):
		a.Fail(c, http.StatusConflict, "Another circuit goes by that name now, so that it stays aside. Set that one aside first.")
	case err != nil:
		a.FailWith(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/library")
	}
}

// draft is what the editor is told about the text being typed.
type draft struct {
	Text   string       `json:"text"` // with the change that was asked for
	Parts  []typed.Row  `json:"parts"`
	Wires  []typed.Row  `json:"wires"`
	Sum    string       `json:"sum"`           // names the drawing
	Svg    string       `json:"svg,omitempty"` // only where the drawing was asked for, and it is made
	Errors []draftError `json:"errors"`
	Pins   []string     `json:"pins"`
	Fans   []string     `json:"fans"` // what each state makes the fans do
}

type draftError struct {
	Line  int    `json:"line"`
	Where string `json:"where"`
	Msg   string `json:"msg"`
}

// draftForm is the text being typed, and what is changed in its rows.
type draftForm struct {
	Text    string `form:"text"`
	Base    string `form:"base"`                                        // the drawing to begin from
	Changes string `form:"changes" says:"a change" binding:"max=65536"` // a list of rowChange, as JSON
}

// rowChange is one change to one row, as it was made in a table.
type rowChange struct {
	Op      string        `json:"op"` // set, add or remove
	Section typed.Section `json:"section"`
	Row     int           `json:"row"`
	Cell    string        `json:"cell"`
	Value   string        `json:"value"`
}

// The longest text of one cell, and how many changes are made at once.
const (
	longestCell = 400
	mostChanges = 500
)

// changes are those that the form asks for, in their order.
func (f *draftForm) changes() ([]rowChange, error) {
	var list []rowChange
	if f.Changes == "" {
		return nil, nil
	}
	if err := json.Unmarshal([]byte(f.Changes), &list); err != nil {
		return nil, errors.New("the changes could not be read; none was made")
	}
	if len(list) > mostChanges {
		return nil, fmt.Errorf("there are %d changes at once, and at most %d are made; none was", len(list), mostChanges)
	}
	return list, nil
}

// made is the text with the change made; the error says why it is not.
func (f *rowChange) made(text string) (string, error) {
	if f.Section != typed.PartRows && f.Section != typed.WireRows {
		return text, fmt.Errorf("there is no table %q", f.Section)
	}
	if n := utf8.RuneCountInString(f.Value); n > longestCell {
		return text, fmt.Errorf("the cell has %d characters, and may have %d; it was left as it was", n, longestCell)
	}
	switch f.Op {
	case "add":
		return typed.AddRow(text, f.Section), nil
	case "remove":
		return typed.RemoveRow(text, f.Section, f.Row), nil
	case "set":
		return withUsualSettings(typed.SetCell(text, f.Section, f.Row, f.Cell, strings.TrimSpace(f.Value)), f), nil
	}
	return text, fmt.Errorf("there is no change %q", f.Op)
}

// withUsualSettings gives a part whose kind has just been chosen what a part of that kind is usually given.
func withUsualSettings(text string, f *rowChange) string {
	usual := harness.Kind(f.Value).Traits().Usual
	rows := typed.RowsOf(text, typed.PartRows)
	if f.Cell != "kind" || usual == "" || f.Row < 0 || f.Row >= len(rows) || rows[f.Row].Cells["settings"] != "" {
		return text
	}
	return typed.SetCell(text, typed.PartRows, f.Row, "settings", usual)
}

// rowsOf is a text with its rows, and nothing said of it yet.
func rowsOf(text string) draft {
	return draft{Text: text, Parts: typed.RowsOf(text, typed.PartRows), Wires: typed.RowsOf(text, typed.WireRows),
		Errors: []draftError{}, Pins: []string{}, Fans: []string{}}
}

// readDraft reads the text being typed, with a change to one of its rows where one is asked for: the rows, what is
// wrong with it, which pins there are. It draws nothing, because the next key may be on its way: whoever rests asks
// for the drawing, which begins from the last one.
func (a *Circuits) readDraft(c *gin.Context) {
	text := strings.ReplaceAll(c.PostForm("text"), "\r\n", "\n") // as it is, blanks and all
	var f draftForm
	var changes []rowChange
	err := room.Bind(c, &f)
	if err == nil {
		changes, err = f.changes()
	}
	if err != nil {
		d := rowsOf(text)
		d.Errors = append(d.Errors, draftError{0, "", err.Error()})
		c.JSON(http.StatusUnprocessableEntity, d)
		return
	}
	var left []draftError // changes that were not made
	for _, change := range changes {
		if text, err = change.made(text); err != nil {
			left = append(left, draftError{0, "", err.Error()})
		}
	}
	circuit, wrong := harness.Sketch([]byte(text))
	d := rowsOf(text)
	d.Errors = append(d.Errors, left...)
	typed.Blame(d.Parts, wrong)
	typed.Blame(d.Wires, wrong)
	for _, e := range wrong {
		d.Errors = append(d.Errors, draftError{e.Line, e.Where, e.Msg})
	}
	for _, part := range circuit.Parts {
		for _, pin := range part.Pins() {
			d.Pins = append(d.Pins, pin.String())
		}
	}
	if len(wrong) == 0 {
		b, err := a.circuits.GetAfter(text, a.circuits.BySum(f.Base))
		if err != nil {
			d.Errors = append(d.Errors, draftError{0, "", err.Error()})
		} else {
			d.Sum = b.Sum
			if err := a.keep.KeepDraft(c.Request.Context(), b.Sum, text); err != nil { // another instance could not draw it
				a.Log.Warn("keeping a draft", "error", err)
			}
			d.Fans = fansByState(b)
		}
	}
	c.JSON(http.StatusOK, d)
}

// draftDrawing draws what was typed, and is asked again while the drawing is being made.
func (a *Circuits) draftDrawing(c *gin.Context) {
	b, err := a.drafted(c)
	if err != nil {
		c.JSON(http.StatusNotFound, draft{})
		return
	}
	c.JSON(http.StatusOK, draft{Sum: c.Param("sum"), Svg: bare(b, a.Patience)})
}

// drafted is a text that was typed, here or at another instance.
func (a *Circuits) drafted(c *gin.Context) (*worked.File, error) {
	if b := a.circuits.BySum(c.Param("sum")); b != nil {
		return b, nil
	}
	text, err := a.keep.Draft(c.Request.Context(), c.Param("sum"))
	if err != nil {
		return nil, err
	}
	return a.circuits.Get(text)
}

// bare is the drawing alone, empty while it is being made.
func bare(b *worked.File, patience time.Duration) string {
	s, there := b.DrawnWithin(patience)
	if !there {
		return ""
	}
	return string(drawing.Sheet(s, &drawing.Look{Title: b.Drawn.Title}))
}

// fansByState tells in a line a state what the fans do there: the circuit answers while it is
// being typed.
func fansByState(b *worked.File) []string {
	lines := []string{}
	for _, s := range b.Drawn.States {
		p, err := b.Model.Solve(electric.Condition{State: s})
		if err != nil {
			continue
		}
		var words []string
		for _, fan := range b.Drawn.Fans() {
			m := p.Motors[fan.Name]
			words = append(words, fmt.Sprintf("%s %s %s", fan.Name, m.Speed, probe.FormatAmps(m.Amps)))
		}
		lines = append(lines, s.Name+": "+strings.Join(words, ", "))
	}
	return lines
}
