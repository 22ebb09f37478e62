package web

import (
	"context"

	"container/list"
	"crypto/sha256"
	"fmt"
	"sync"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/sheet"
	"ironthread/core/trace"
)

// How many circuits and drawings are kept worked out.
const (
	keptCircuits = 64
	keptBenches  = 128
)

// circuits keeps what is worked out from harness files: circuits by the hash of their text
// without the drawing's places, drawings by the hash of the whole. Nothing of it is state:
// another instance works it out again.
type circuits struct {
	mu      sync.Mutex
	works   *recent[*work]
	benches *recent[*bench]
}

// worked is shared by all applications of the process: what is worked out depends on the
// file's text alone.
var worked = &circuits{works: newRecent[*work](keptCircuits), benches: newRecent[*bench](keptBenches)}

// work is one circuit with what does not depend on its drawing, each made when first asked
// for.
type work struct {
	circuit *harness.Circuit
	model   *electric.Model
	guide   *diagnose.Guide
	traced  sync.Once
	roles   map[harness.Pin]trace.Conductor
	tried   sync.Once
	guards  *trace.Protection

	assessed assessments
}

// bench is one harness file: its circuit worked out, and its drawing.
type bench struct {
	*work
	sum   [32]byte
	drawn *drawn
}

// get reads a harness file, or finds it read before.
func (c *circuits) get(source string) (*bench, error) { return c.getAfter(source, nil) }

// getAfter is get for a file that came from another by an edit: where its text keeps no places
// it is drawn from where the other's parts stood.
func (c *circuits) getAfter(source string, before *bench) (*bench, error) {
	sum := sha256.Sum256([]byte(source))
	c.mu.Lock()
	defer c.mu.Unlock()
	if b, ok := c.benches.find(sum); ok {
		return b, nil
	}
	circuit, err := harness.Read([]byte(source))
	if err != nil {
		return nil, err
	}
	w, err := c.work(source)
	if err != nil {
		return nil, err
	}
	b := &bench{work: w, sum: sum, drawn: draw(circuit, before)}
	c.benches.keep(sum, b)
	return b, nil
}

func hash(text string) []byte {
	sum := sha256.Sum256([]byte(text))
	return sum[:]
}

// work finds or works out the circuit of a file.
func (c *circuits) work(source string) (*work, error) {
	text, _ := harness.SplitPlaces(source)
	sum := sha256.Sum256([]byte(text))
	if w, ok := c.works.find(sum); ok {
		return w, nil
	}
	circuit, err := harness.Read([]byte(text))
	if err != nil {
		return nil, err
	}
	model, err := electric.New(circuit)
	if err != nil {
		return nil, err
	}
	w := &work{circuit: circuit, model: model}
	if len(circuit.Fans()) > 0 { // without a fan there is a sheet, and nothing to diagnose
		if w.guide, err = diagnose.New(model); err != nil {
			return nil, err
		}
	}
	c.works.keep(sum, w)
	return w, nil
}

// bySum finds a file read before by its hash; nil where it is no longer kept.
func (c *circuits) bySum(sum [32]byte) *bench {
	c.mu.Lock()
	defer c.mu.Unlock()
	b, _ := c.benches.find(sum)
	return b
}

// conductors gives every pin's role, worked out the first time; nil where it cannot be.
func (w *work) conductors() map[harness.Pin]trace.Conductor {
	w.traced.Do(func() { w.roles, _ = trace.Roles(w.model) })
	return w.roles
}

// protection tells which fuse protects what, worked out the first time; nil where it cannot be.
func (w *work) protection() *trace.Protection {
	w.tried.Do(func() { w.guards, _ = trace.Protects(w.model) })
	return w.guards
}

// predict works out what a job's first page needs.
func (w *work) predict() {
	if w.guide == nil {
		return
	}
	_, _ = w.guide.Assess(context.Background(), nil, diagnose.Now{}) // an error shows on the page that asks again
}

// drawn is a drawing in the making: no request draws it, they look whether it is there.
type drawn struct {
	start   sync.Once
	ready   chan struct{}
	circuit *harness.Circuit
	before  *bench
	sheet   *sheet.Sheet
	failed  string // what went wrong, empty when nothing did
}

func draw(c *harness.Circuit, before *bench) *drawn {
	return &drawn{ready: make(chan struct{}), circuit: c, before: before}
}

// begin starts the drawing in the background, once.
func (d *drawn) begin() {
	d.start.Do(func() {
		go func() {
			defer close(d.ready)
			defer func() {
				if p := recover(); p != nil {
					d.sheet, d.failed = sheet.Blank(), fmt.Sprint(p)
				}
			}()
			if d.before != nil && len(d.circuit.Places) == 0 {
				last := d.before.drawing()
				for i := range last.Places {
					d.circuit.Places = append(d.circuit.Places, &last.Places[i])
				}
			}
			d.before = nil
			d.sheet = sheet.Draw(d.circuit)
		}()
	})
}

// drawing gives the sheet, however long it takes.
func (b *bench) drawing() *sheet.Sheet {
	b.drawn.begin()
	<-b.drawn.ready
	return b.drawn.sheet
}

// drawnWithin gives the sheet if it is there, or gets there within so long.
func (b *bench) drawnWithin(patience time.Duration) (*sheet.Sheet, bool) {
	b.drawn.begin()
	select {
	case <-b.drawn.ready:
		return b.drawn.sheet, true
	default:
	}
	timer := time.NewTimer(patience)
	defer timer.Stop()
	select {
	case <-b.drawn.ready:
		return b.drawn.sheet, true
	case <-timer.C:
		return nil, false
	}
}

// recent keeps the values asked for last, by hash.
type recent[V any] struct {
	most  int
	bySum map[[32]byte]*list.Element
	order *list.List // of kept[V], newest first
}

type kept[V any] struct {
	sum   [32]byte
	value V
}

func newRecent[V any](most int) *recent[V] {
	return &recent[V]{most: most, bySum: map[[32]byte]*list.Element{}, order: list.New()}
}

func (r *recent[V]) find(sum [32]byte) (V, bool) {
	e, ok := r.bySum[sum]
	if !ok {
		var none V
		return none, false
	}
	r.order.MoveToFront(e)
	return e.Value.(kept[V]).value, true
}

func (r *recent[V]) keep(sum [32]byte, v V) {
	r.bySum[sum] = r.order.PushFront(kept[V]{sum, v})
	if r.order.Len() > r.most {
		oldest := r.order.Back()
		r.order.Remove(oldest)
		delete(r.bySum, oldest.Value.(kept[V]).sum)
	}
}
