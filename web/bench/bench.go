// Package bench is where people are with a part in the vice: small worked sheets, one question each, that stand alone and
// can be taken into a wish or noted in a job.
package bench

import (
	"context"
	"embed"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/bench"
	"ironthread/core/electric"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// Keeper is what this room needs of the store.
type Keeper interface {
	Jobs(ctx context.Context, find store.Find) (list []store.Line, of int, err error)
}

// Bench serves the sheets.
type Bench struct {
	*room.Room
	keep     Keeper
	circuits *worked.Circuits
}

//go:embed templates/*.html
var templates embed.FS

// New reads the room's templates.
func New(s *room.Shared, keep Keeper, circuits *worked.Circuits) (*Bench, error) {
	r, err := room.New(s, templates)
	if err != nil {
		return nil, fmt.Errorf("bench: %w", err)
	}
	return &Bench{r, keep, circuits}, nil
}

// Routes adds the room's addresses.
func (a *Bench) Routes(r gin.IRouter) {
	r.GET("/bench", a.list)
	r.GET("/bench/:name", a.sheet)
}

type listPage struct {
	room.Frame
	Sheets []*bench.Sheet
}

func (a *Bench) list(c *gin.Context) {
	a.Render(c, http.StatusOK, "list.html", listPage{a.Frame(c, "Bench", "bench"), bench.Sheets})
}

// sheetPage is one sheet; what was typed is in the address.
type sheetPage struct {
	room.Frame
	Sheet  *bench.Sheet
	Sheets []*bench.Sheet
	Fields []field
	Result *bench.Result
	Paper  *worked.Paper
	Plot   *drawing.Plot
	Wish   string // where a wish begins with it
	Note   string // the answer as a note
	Jobs   []store.Line
}

type field struct {
	bench.Field
	Value string
}

// jobsOffered is how many open jobs a sheet can be noted in.
const jobsOffered = 8

func (a *Bench) sheet(c *gin.Context) {
	s := bench.Find(c.Param("name"))
	if s == nil {
		a.Fail(c, http.StatusNotFound, "There is no such sheet; the Bench lists those that are here.")
		return
	}
	p := &sheetPage{Frame: a.Frame(c, s.Title, "bench"), Sheet: s, Sheets: bench.Sheets}
	typed := func(key string) string { return c.Query(key) }
	for _, f := range s.Fields {
		value, given := c.GetQuery(f.Key)
		if !given {
			value = f.Usual
		}
		p.Fields = append(p.Fields, field{f, room.Clip(value, room.MaxFind)})
	}
	status := http.StatusOK
	var err error
	if p.Result, err = s.Work(typed); err != nil {
		p.Refuse(err)
		status = http.StatusUnprocessableEntity
		a.Render(c, status, "sheet.html", p)
		return
	}
	if err := a.picture(c, p); err != nil {
		a.FailWith(c, err)
		return
	}
	if p.Jobs, _, err = a.keep.Jobs(c.Request.Context(), store.Find{Open: true, Limit: jobsOffered}); err != nil {
		a.FailWith(c, err)
		return
	}
	a.Render(c, status, "sheet.html", p)
}

// picture draws what was solved, or the curve; and words the answer for a wish and for a job.
func (a *Bench) picture(c *gin.Context, p *sheetPage) error {
	r := p.Result
	if r.Circuit != "" {
		b, err := a.circuits.Get(r.Circuit)
		if err != nil {
			return err
		}
		point, err := b.Model.Solve(electric.Condition{State: b.Drawn.State(r.State)})
		if err != nil {
			return err
		}
		for name, share := range r.Shares { // against what each turns at alone
			at := point.Motors[name]
			at.Speed = electric.SpeedWord(share)
			point.Motors[name] = at
		}
		p.Paper = b.OnPaper(c, a.Room, &drawing.Look{Point: point})
	}
	if k := r.Curve; k != nil && len(k.X) > 1 {
		p.Plot = &drawing.Plot{Title: k.Title, Unit: k.Unit, XUnit: k.XUnit, From: k.X[0], To: k.X[len(k.X)-1],
			Lines: []drawing.PlotLine{{Seconds: k.X, Values: k.Y}}}
		if !math.IsNaN(k.At) && k.At >= p.Plot.From && k.At <= p.Plot.To {
			p.Plot.Marks = []drawing.PlotMark{{At: k.At, Text: k.Mark}}
		}
	}
	if len(r.Wish) > 0 {
		q := url.Values{}
		for key, value := range r.Wish {
			if key != "fans" {
				q.Set(key, value)
			}
		}
		p.Wish = "/rewire?" + q.Encode()
	}
	words := []string{p.Sheet.Title + ":"}
	for _, l := range r.Lines {
		words = append(words, l.Label+": "+l.Value+".")
	}
	p.Note = room.Clip(strings.Join(words, " "), room.MaxText)
	return nil
}
