package rewire

import (
	"context"
	"encoding/csv"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/rewire"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// buildPage is what is printed and taken to the bench.
type buildPage struct {
	room.Frame
	Workshop string
	Wish     *rewire.Wish
	Way      *rewire.Proposal
	Sheets   *rewire.Build
	Paper    *worked.Paper // the drawing, with its sizes
	Back     string
	// Where the sheets are handed out.
	PDF, WiresCSV, PartsCSV string
	BuiltURL                string
}

func (a *Rewire) sheets(c *gin.Context) (*buildPage, bool) {
	work, x, ok := a.chosen(c)
	if !ok {
		return nil, false
	}
	b, err := x.Sheets(work.wish)
	if err != nil {
		a.Refuse(c, err)
		return nil, false
	}
	q := "?" + c.Request.URL.RawQuery
	return &buildPage{Frame: a.Frame(c, work.wish.Title+": "+x.Title, "rewire"), Workshop: a.Workshop, Wish: work.wish, Way: x, Sheets: b,
		Back: "/rewire" + q, PDF: "/rewire/build/sheets.pdf" + q, WiresCSV: "/rewire/build/wires.csv" + q,
		PartsCSV: "/rewire/build/parts.csv" + q, BuiltURL: "/rewire/built" + q}, true
}

// build shows the build sheets as a page that prints.
func (a *Rewire) build(c *gin.Context) {
	if p, ok := a.sheets(c); ok {
		if b, err := a.circuits.Get(p.Way.Harness); err == nil {
			p.Paper = b.OnPaper(c, a.Room, &drawing.Look{Sizes: sizesOf(p.Way.Circuit)})
		}
		a.Render(c, http.StatusOK, "build.html", p)
	}
}

// buildFile hands the build sheets out: pdf, or a list as csv.
func (a *Rewire) buildFile(c *gin.Context) {
	p, ok := a.sheets(c)
	if !ok {
		return
	}
	name := room.Slug(p.Wish.Title)
	send := func(kind, extension string, body []byte, err error) {
		if err != nil {
			a.FailWith(c, err)
			return
		}
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+extension))
		c.Data(http.StatusOK, kind, body)
	}
	switch c.Param("form") {
	case "sheets.pdf":
		body, err := p.pdf(c.Request.Context(), a)
		send("application/pdf", ".pdf", body, err)
	case "wires.csv":
		body, err := table(p.wires())
		send("text/csv; charset=utf-8", "-wires.csv", body, err)
	case "parts.csv":
		body, err := table(p.parts())
		send("text/csv; charset=utf-8", "-parts.csv", body, err)
	default:
		a.Fail(c, http.StatusNotFound, "Build sheets are handed out as sheets.pdf, wires.csv and parts.csv.")
	}
}

func table(rows [][]string) ([]byte, error) {
	var b strings.Builder
	w := csv.NewWriter(&b)
	for i := range rows {
		rows[i] = harness.Cells(rows[i])
	}
	if err := w.WriteAll(rows); err != nil {
		return nil, fmt.Errorf("the list: %w", err)
	}
	return []byte(b.String()), nil
}

func decimal(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

func (p *buildPage) wires() [][]string {
	rows := [][]string{{"number", "from", "to", "colour", "mm2", "awg", "metres", "terminal at from", "terminal at to", "seal", "does",
		"amps"}}
	for _, w := range p.Sheets.Wires {
		seal, gauge := "", ""
		if w.AWG > 0 { // above AWG 2 none is sold here
			gauge = strconv.Itoa(w.AWG)
		}
		if w.Sealed {
			seal = "sealed"
		}
		rows = append(rows, []string{strconv.Itoa(w.Number), w.From, w.To, w.Colour, decimal(w.MM2), gauge,
			fmt.Sprintf("%.2f", w.Metres),
			w.FromTerminal, w.Terminal, seal, w.Does, decimal(w.Amps)})
	}
	return rows
}

func (p *buildPage) parts() [][]string {
	rows := [][]string{{"name", "what", "place", "price", "there already"}}
	for _, l := range p.Sheets.Parts {
		have, price := "", fmt.Sprintf("%.0f", l.Price)
		if l.Have {
			have, price = "yes", "there"
		}
		rows = append(rows, []string{l.Name, l.What, l.At, price, have})
	}
	return rows
}

// drawingPatience is how long the sheets wait for their drawing.
const drawingPatience = time.Minute

// pdf sets the sheets on A4.
func (p *buildPage) pdf(ctx context.Context, a *Rewire) ([]byte, error) {
	doc := room.NewPDF(p.Title, a.Workshop, a.Now())
	doc.Head(p.Title)
	doc.Line("Designed from a wish, solved and broken on purpose by calculation; invented colours and places. Check every step on the " +
		"vehicle. " +
		"Refrigerant, high-voltage and mains work belong to licensed people and local codes.")
	for _, w := range p.Way.Warnings {
		doc.Line("! " + w)
	}
	if b, err := a.circuits.Get(p.Way.Harness); err == nil { // the drawing first, with its sizes
		drawn, stop := context.WithTimeout(ctx, drawingPatience)
		defer stop()
		if s, err := b.Drawing(drawn); err == nil {
			doc.Sheet(s, p.sized())
		}
	}
	if len(p.Sheets.Done) > 0 {
		doc.Head("What is done to the harness that is there")
		for _, text := range p.Sheets.Done {
			doc.Line("[ ] " + text)
		}
	}
	doc.Head("Parts")
	widths := []float64{16, 104, 36, 18}
	for _, row := range p.parts() {
		doc.Row(widths, row[:4]...)
	}
	doc.Head("Wires")
	widths = []float64{7, 17, 19, 15, 12, 10, 12, 36, 36, 10}
	doc.Row(widths, "", "from", "to", "colour", "mm²", "AWG", "m", "terminal at from", "terminal at to", "seal")
	for _, w := range p.wires()[1:] {
		doc.Row(widths, append(w[:9:9], strings.TrimSuffix(w[9], "ed"))...)
	}
	var had []string
	for _, l := range p.Sheets.Lengths {
		had = append(had, fmt.Sprintf("%.2f m %s %g mm²", l.Metres, l.Colour, l.MM2))
	}
	doc.Line("To be had: " + strings.Join(had, ", ") + ".")
	doc.Head("Sockets")
	for _, s := range p.Sheets.Sockets {
		doc.Line(fmt.Sprintf("%s, %s", s.Name, s.What))
		for _, k := range s.Cavities {
			doc.Row([]float64{12, 12, 60, 40, 40}, k.Terminal, "("+k.Print+")", k.Wire, k.Colour, k.Does)
		}
	}
	doc.Head("Order of building")
	for i, s := range p.Sheets.Steps {
		doc.Line(fmt.Sprintf("%d. %s", i+1, s.Do))
		for _, k := range s.Checks {
			doc.Row([]float64{8, 130, 36}, "[ ]", k.Do, k.Shows)
		}
	}
	doc.Head("On the bench first")
	for _, s := range p.Sheets.Bench {
		doc.Line("[ ] " + s)
	}
	doc.Head("Trial run: touch points at full speed")
	for _, s := range p.Sheets.Touch {
		doc.Row([]float64{66, 18, 90}, s.What, fmt.Sprintf("%.1f W", s.Loss), s.Most)
	}
	if len(p.Sheets.Alike) > 0 {
		doc.Head("Not this one: alike in colour and size")
		for _, s := range p.Sheets.Alike {
			doc.Line(s)
		}
	}
	for _, r := range p.Sheets.Rules {
		doc.Head(r.Head)
		doc.Line(r.Text)
	}
	return doc.Bytes()
}

// keepHarness puts a way's harness into the library, and begins the job of commissioning it where a vehicle is named. The
// job is pinned to the harness as it was built, whatever is drawn later.
func (a *Rewire) keepHarness(c *gin.Context) {
	// The wish is posted as it stood in the address, so that the same code reads it.
	query, err := url.ParseQuery(room.Clip(c.PostForm("wish"), room.MaxText*2))
	if err != nil {
		a.Fail(c, http.StatusUnprocessableEntity, "That wish cannot be read; begin with the form.")
		return
	}
	vehicle, err := room.Field(c, "vehicle", "the vehicle's name", room.MaxTitle)
	if err != nil {
		a.Refuse(c, err)
		return
	}
	token := room.Clip(c.PostForm("token"), room.MaxWho)
	c.Request.URL.RawQuery = query.Encode()
	c.Request.Form, c.Request.PostForm = nil, nil
	work, x, ok := a.chosen(c)
	if !ok {
		return
	}
	a.putAway(c, put{x.Circuit.Title, x.Harness, vehicle, "Commissioning: " + work.wish.Title, token})
}

// put is a circuit to be put into the library, with the vehicle that it is in, if any, and the job that then begins.
type put struct{ title, text, vehicle, job, token string }

// putAway puts a circuit into the library, and begins its commissioning where there is a vehicle.
func (a *Rewire) putAway(c *gin.Context, p put) {
	ctx := c.Request.Context()
	added, err := a.keep.AddHarness(ctx, room.Slug(p.title), p.title, p.text)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	if p.vehicle == "" {
		c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(added.Name))
		return
	}
	id, err := a.keep.PutVehicle(ctx, p.vehicle, "")
	if err == nil {
		id, err = a.keep.OpenJob(ctx, store.NewJob{Vehicle: id, Harness: added.ID, Title: p.job, Who: room.Who(c), At: a.Now(), Token: p.token})
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d/verify", id))
}

// sizesOf are the sizes of a circuit's wires, mm², by wire.
func sizesOf(c *harness.Circuit) map[string]string {
	sizes := map[string]string{}
	for _, w := range c.Wires {
		if w.Size.Given() {
			sizes[w.String()] = fmt.Sprintf("%.3g", w.Size.SquareMM())
		}
	}
	return sizes
}

// sized gives what stands at a wire of the drawing: its size.
func (p *buildPage) sized() func(wire string) string {
	sizes := sizesOf(p.Way.Circuit)
	return func(wire string) string { return sizes[wire] }
}
