package circuits

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/pincheck"
	"ironthread/store"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// pinsPage is the check of a controller's plug, cavity by cavity. What was read is in the address, so that a half-done check
// can be kept and gone on with.
type pinsPage struct {
	room.Frame
	Harness     store.Harness
	Controllers []room.Choice
	RelaysOut   bool
	Setup       []string
	Columns     []string
	Rows        []pinRow
	Found       *pincheck.Found
	Next        string
	CSV         string
	Job         string // the job that the findings go into, by its number; empty: none
}

// Noted is what a check came to, as it goes into a job's thread.
func (p *pinsPage) Noted() string {
	text := fmt.Sprintf("Pin check: all %d readings are as drawn", p.Found.Of)
	if len(p.Found.Wrong) > 0 {
		text = fmt.Sprintf("Pin check: %d of %d readings are not as drawn", len(p.Found.Wrong), p.Found.Of)
		for i, m := range p.Found.Mistakes {
			text += []string{": ", ", or "}[min(i, 1)] + m.What
		}
	}
	return room.Clip(text, room.MaxText)
}

type pinRow struct {
	Cavity, Does, Colour string
	Cells                []pinCell
}

// pinCell is a field with what it should show.
type pinCell struct {
	Field, Value, Expect, Label string
	Home                        bool // here the cavity's own wire should end
	Wrong, Next                 bool
}

// checkWithin bounds a check's arithmetic.
const checkWithin = 20 * time.Second

// maxCSV bounds a list that is read in, bytes.
const maxCSV = 64 << 10

// plug gives the check that an address asks for; the page is answered where there is none.
func (a *Circuits) plug(c *gin.Context) (h store.Harness, b *worked.File, check *pincheck.Check, ok bool) {
	if h, b, ok = a.harnessAt(c); !ok {
		return h, b, nil, false
	}
	list := plugsOf(b.Drawn)
	if len(list) == 0 {
		a.Fail(c, http.StatusUnprocessableEntity,
			"There is no part with a plug of several cavities in this circuit, so there is no plug to check.")
		return h, b, nil, false
	}
	check, err := pincheck.New(b.Model, c.DefaultQuery("controller", list[0].Name), c.Query("relays") == "out")
	if err != nil {
		a.Refuse(c, err)
		return h, b, nil, false
	}
	return h, b, check, true
}

// plugsOf are the parts whose plugs can be checked, controllers first.
func plugsOf(c *harness.Circuit) []*harness.Part {
	list := c.OfKind(harness.KindController)
	for _, p := range c.Parts {
		if p.Kind() != harness.KindController && pincheck.HasPlug(p) {
			list = append(list, p)
		}
	}
	return list
}

func (a *Circuits) pins(c *gin.Context) {
	h, b, check, ok := a.plug(c)
	if !ok {
		return
	}
	ctx, stop := context.WithTimeout(c.Request.Context(), checkWithin)
	defer stop()
	p := &pinsPage{Frame: a.Frame(c, "Pin check: "+h.Title, "library"), Harness: h, RelaysOut: check.RelaysOut,
		CSV: fmt.Sprintf("/harnesses/%s/pins/list?%s", url.PathEscape(h.Name), c.Request.URL.RawQuery)}
	for _, words := range check.Setup() {
		p.Setup = append(p.Setup, electric.DoneSpoken(b.Drawn, words))
	}
	if id, err := strconv.ParseInt(c.Query("job"), 10, 64); err == nil && id > 0 {
		p.Job = strconv.FormatInt(id, 10)
	}
	for _, part := range plugsOf(b.Drawn) {
		p.Controllers = append(p.Controllers, room.Choice{Value: part.Name, Label: strings.TrimSpace(part.Name + " " + part.Label),
			Chosen: part.Name == check.Controller})
	}
	entries, wrong := p.lay(check, c)
	cells, err := check.Expect(ctx)
	if err == nil && len(entries) > 0 && wrong == nil {
		p.Found, err = check.Find(ctx, entries)
	}
	if err != nil {
		a.Refuse(c, err)
		return
	}
	p.fill(cells)
	status := http.StatusOK
	if wrong != nil {
		p.Refuse(wrong)
		status = http.StatusUnprocessableEntity
	}
	a.Render(c, status, "pins.html", p)
}

// lay lays the fields out and reads what was typed into them; a cell that cannot be read stays as it was typed.
func (p *pinsPage) lay(check *pincheck.Check, c *gin.Context) (entries []pincheck.Entry, wrong error) {
	for _, pin := range check.Columns {
		p.Columns = append(p.Columns, pin.String())
	}
	for i, row := range check.Rows {
		line := pinRow{Cavity: row.Pin.String(), Does: row.Does, Colour: row.Colour}
		for k, pin := range check.Columns {
			cell := pinCell{Field: fmt.Sprintf("c-%d-%d", i, k), Label: fmt.Sprintf("%s to %s", row.Pin, pin), Home: slices.Contains(row.Goes, pin)}
			cell.Value = room.Clip(strings.TrimSpace(c.Query(cell.Field)), 20)
			if cell.Value != "" {
				e, err := pincheck.ParseEntry(cell.Value)
				if err != nil {
					wrong, cell.Wrong = fmt.Errorf("%s: %w", cell.Label, err), true
				} else {
					e.Row, e.Column = i, k
					entries = append(entries, e)
					cell.Value = e.String()
				}
			}
			line.Cells = append(line.Cells, cell)
		}
		p.Rows = append(p.Rows, line)
	}
	return entries, wrong
}

// fill writes what each cell should show, and marks those that read otherwise.
func (p *pinsPage) fill(cells [][]pincheck.Cell) {
	for i := range cells {
		for k, cell := range cells[i] {
			p.Rows[i].Cells[k].Expect = cell.String()
		}
	}
	if p.Found == nil {
		return
	}
	for _, e := range p.Found.Wrong {
		p.Rows[e.Row].Cells[e.Column].Wrong = true
	}
	if n := p.Found.Next; n != nil {
		cell := &p.Rows[n.Row].Cells[n.Column]
		cell.Next, p.Next = true, cell.Label
	}
}

// pinsList hands the check out as a list, one row a cavity: what should be shown where nothing was read yet.
func (a *Circuits) pinsList(c *gin.Context) {
	h, _, check, ok := a.plug(c)
	if !ok {
		return
	}
	p := &pinsPage{}
	if _, err := p.lay(check, c); err != nil {
		a.Refuse(c, err)
		return
	}
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", h.Name+"-pins.csv"))
	c.Header("Content-Type", "text/csv; charset=utf-8")
	w := csv.NewWriter(c.Writer)
	rows := [][]string{append([]string{"cavity", "does", "colour"}, p.Columns...)}
	for _, row := range p.Rows {
		line := []string{row.Cavity, row.Does, row.Colour}
		for _, cell := range row.Cells {
			line = append(line, cell.Value)
		}
		rows = append(rows, harness.Cells(line))
	}
	if err := w.WriteAll(rows); err != nil {
		a.Log.Warn("a list was not sent whole", "error", err)
	}
}

// readPins reads such a list in: rows and columns are found by their names, whatever their order.
func (a *Circuits) readPins(c *gin.Context) {
	h, _, check, ok := a.plug(c)
	if !ok {
		return
	}
	text := c.PostForm("text")
	if file, err := c.FormFile("file"); err == nil && file.Size > 0 {
		f, err := file.Open()
		if err != nil {
			a.Fail(c, http.StatusUnprocessableEntity, "That file cannot be opened.")
			return
		}
		defer func() { _ = f.Close() }() // it was only read
		body, err := io.ReadAll(io.LimitReader(f, maxCSV+1))
		if err != nil {
			a.Fail(c, http.StatusUnprocessableEntity, "That file cannot be read.")
			return
		}
		text = string(body)
	}
	q, err := cellsOf(check, text)
	if err != nil {
		a.Refuse(c, err)
		return
	}
	q.Set("controller", check.Controller)
	if check.RelaysOut {
		q.Set("relays", "out")
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/harnesses/%s/pins?%s", url.PathEscape(h.Name), q.Encode()))
}

// cellsOf reads a list into the fields of the page.
func cellsOf(check *pincheck.Check, text string) (url.Values, error) {
	if len(text) > maxCSV {
		return nil, fmt.Errorf("the list is larger than %d KiB", maxCSV>>10)
	}
	r := csv.NewReader(strings.NewReader(text))
	r.FieldsPerRecord = -1
	if first, _, _ := strings.Cut(text, "\n"); strings.Count(first, ";") > strings.Count(first, ",") {
		r.Comma = ';'
	}
	rows, err := r.ReadAll()
	if err != nil || len(rows) < 2 {
		return nil, errors.New("that is no list of readings: a first line with the names of the ends, then a line for each cavity")
	}
	q := url.Values{}
	for n, line := range rows[1:] {
		at := slices.IndexFunc(check.Rows, func(x pincheck.Row) bool { return x.Pin.String() == strings.TrimSpace(line[0]) })
		if at < 0 {
			return nil, fmt.Errorf("line %d: there is no cavity %q in this plug", n+2, harness.Clipped(line[0], 30))
		}
		for k, value := range line {
			if k >= len(rows[0]) {
				break
			}
			column := slices.IndexFunc(check.Columns, func(pin harness.Pin) bool { return pin.String() == strings.TrimSpace(rows[0][k]) })
			if column >= 0 && strings.TrimSpace(value) != "" {
				q.Set(fmt.Sprintf("c-%d-%d", at, column), room.Clip(strings.TrimSpace(value), 20))
			}
		}
	}
	return q, nil
}
