package worked

import (
	"context"
	"fmt"
	"net/http"
	"path"
	"runtime"
	"runtime/debug"
	"time"

	"github.com/gin-gonic/gin"
	"golang.org/x/sync/semaphore"
	"golang.org/x/sync/singleflight"

	"ironthread/core/harness"
	"ironthread/core/sheet"
	"ironthread/library"
	"ironthread/web/drawing"
	"ironthread/web/room"
)

// Shelf is where drawings stay between starts, for all instances.
type Shelf interface {
	Drawing(ctx context.Context, sum string, version int) ([]byte, error)
	KeepDrawing(ctx context.Context, sum string, version int, sheet []byte) error
}

// shelfTime bounds how long a drawing waits for the shelf before it is made anew.
const shelfTime = 2 * time.Second

// drawn is a drawing in the making: no request draws it, they look whether it is there.
type drawn struct {
	making  singleflight.Group
	circuit *harness.Circuit
	source  string // the harness file; let go of once the drawing is there
	sum     string
	before  *File // the drawing to begin from; let go of once this one is there
	shelf   Shelf // nil where nothing is kept
	done    chan struct{}
	sheet   *sheet.Sheet
	failed  string // what went wrong, empty when nothing did
}

// pens bounds how many drawings are made at once: one a core.
var pens = semaphore.NewWeighted(int64(runtime.GOMAXPROCS(0)))

// begin starts the drawing in the background, once.
func (d *drawn) begin() {
	select {
	case <-d.done:
		return
	default:
	}
	d.making.DoChan("", func() (any, error) {
		select {
		case <-d.done: // made by another while this one came
			return nil, nil
		default:
		}
		defer close(d.done)
		d.make()
		d.before, d.source = nil, ""
		return nil, nil
	})
}

// make finds the drawing where it was kept, or draws and keeps it.
func (d *drawn) make() {
	defer func() {
		if p := recover(); p != nil {
			d.sheet, d.failed = sheet.Blank(), fmt.Sprintf("%v\n%s", p, debug.Stack())
		}
	}()
	if d.sheet = d.found(); d.sheet != nil {
		return
	}
	if err := pens.Acquire(context.Background(), 1); err != nil { // it never is: the context does not end
		d.sheet, d.failed = sheet.Blank(), err.Error()
		return
	}
	defer pens.Release(1)
	if d.before != nil && len(d.circuit.Places) == 0 {
		select {
		case <-d.before.drawn.done:
			last := d.before.drawn.sheet
			for i := range last.Places {
				d.circuit.Places = append(d.circuit.Places, &last.Places[i])
			}
		default: // one that is not there yet is no beginning
		}
	}
	d.sheet = sheet.Draw(d.circuit)
	d.keep()
}

// found is the drawing as the library ships it, or as it was kept; nil where it is to be made.
func (d *drawn) found() *sheet.Sheet {
	b := library.Drawn(d.source)
	if b == nil && d.shelf != nil {
		ctx, stop := context.WithTimeout(context.Background(), shelfTime)
		defer stop()
		b, _ = d.shelf.Drawing(ctx, d.sum, sheet.Version) // whatever keeps it from being found, it can be made
	}
	if b == nil {
		return nil
	}
	s, err := sheet.Restore(d.circuit, b)
	if err != nil {
		return nil
	}
	return s
}

// keep puts the drawing on the shelf; where that fails it is made again at the next start.
func (d *drawn) keep() {
	if d.shelf == nil {
		return
	}
	b, err := d.sheet.Keep()
	if err != nil {
		return
	}
	ctx, stop := context.WithTimeout(context.Background(), shelfTime)
	defer stop()
	_ = d.shelf.KeepDrawing(ctx, d.sum, sheet.Version, b)
}

// Drawing gives the sheet as soon as it is there, unless nobody waits any more.
func (f *File) Drawing(ctx context.Context) (*sheet.Sheet, error) {
	f.drawn.begin()
	select {
	case <-f.drawn.done:
		return f.drawn.sheet, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// DrawnWithin gives the sheet if it is there, or gets there within so long.
func (f *File) DrawnWithin(patience time.Duration) (*sheet.Sheet, bool) {
	ctx, stop := context.WithTimeout(context.Background(), max(patience, time.Millisecond))
	defer stop()
	s, err := f.Drawing(ctx)
	return s, err == nil
}

// Paper is a drawing on a page: the picture with the layers beneath and above it, or word that it is on its way.
type Paper struct {
	Under, Svg, Over drawing.Picture
	Says             string // what it shows, in words
	Again            string // where the page asks again while the drawing is being made
	Failed           bool
}

// OnPaper draws a circuit with something laid over it; a drawing not yet made is not waited for beyond the
// page's patience.
func (f *File) OnPaper(c *gin.Context, r *room.Room, look *drawing.Look) *Paper {
	return f.paper(c, r, func(s *sheet.Sheet) *Paper {
		return &Paper{Svg: drawing.Sheet(s, look), Says: drawing.Described(look, look)}
	})
}

// InLayers draws what the evidence lays over a circuit apart from the circuit itself. The drawing itself is left
// out where the page has it already.
func (f *File) InLayers(c *gin.Context, r *room.Room, circuit, evidence *drawing.Look, there bool) *Paper {
	return f.paper(c, r, func(s *sheet.Sheet) *Paper {
		p := &Paper{Under: drawing.Under(s, evidence), Over: drawing.Over(s, evidence)}
		p.Says = drawing.Described(circuit, evidence)
		if !there {
			p.Svg = drawing.Sheet(s, circuit)
		}
		return p
	})
}

func (f *File) paper(c *gin.Context, r *room.Room, draw func(s *sheet.Sheet) *Paper) *Paper {
	s, there := f.DrawnWithin(r.Patience)
	if !there {
		again := c.Request.URL.RequestURI()
		if c.Request.Method != http.MethodGet { // a refused entry is answered by the job's page
			again = path.Dir(again)
		}
		return &Paper{Again: again}
	}
	if f.drawn.failed != "" {
		r.Log.Error("drawing", "circuit", f.Drawn.Title, "error", f.drawn.failed)
		return &Paper{Failed: true}
	}
	return draw(s)
}
