package web

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/core/sheet"
	"ironthread/core/trace"
)

// How many circuits, drawings, answers of a circuit and verification lists are kept worked out. What the
// guides foretell is bounded in bytes beside that.
const (
	keptCircuits = 64
	keptBenches  = 128
	keptAnswers  = 16
	keptLists    = 8
)

// Circuits keeps what is worked out from harness files: circuits by the hash of their text
// without the drawing's places, drawings by the hash of the whole. Nothing of it is state:
// another instance works it out again.
type Circuits struct {
	works   *lru.Cache[string, *work]
	benches *lru.Cache[string, *bench]
	reading singleflight.Group // so that a file is read once for all who ask, and nobody else waits
	budget  *predict.Budget
}

// NewCircuits makes room for circuits, so many bytes for what their guides foretell.
func NewCircuits(bytes int64) *Circuits {
	c := &Circuits{budget: predict.NewBudget(bytes)}
	c.works, _ = lru.NewWithEvict(keptCircuits, func(_ string, w *work) { w.close() }) // fails for sizes below one only
	c.benches, _ = lru.New[string, *bench](keptBenches)
	return c
}

// work is one circuit with what does not depend on its drawing, each made when first asked
// for.
type work struct {
	circuit *harness.Circuit
	model   *electric.Model
	guide   *diagnose.Guide // nil where nothing can be diagnosed; unfit says why
	unfit   string
	traced  sync.Once
	roles   map[harness.Pin]trace.Conductor
	tried   sync.Once
	guards  *trace.Protection
	lists   *lru.Cache[string, []repair.Check]

	answers *answers
}

func (w *work) close() {
	w.answers.purge()
	if w.guide != nil {
		w.guide.Close()
	}
}

// bench is one harness file: its circuit worked out, and its drawing.
type bench struct {
	*work
	sum   string
	drawn *drawn
}

// get reads a harness file, or finds it read before.
func (c *Circuits) get(source string) (*bench, error) { return c.getAfter(source, nil) }

// getAfter is get for a file that came from another by an edit: where its text keeps no places
// it is drawn from where the other's parts stood.
func (c *Circuits) getAfter(source string, before *bench) (*bench, error) {
	sum := sumOf(source)
	if b, ok := c.benches.Get(sum); ok {
		return b, nil
	}
	v, err, _ := c.reading.Do(sum, func() (any, error) {
		return safely(func() (any, error) {
			circuit, err := harness.Read([]byte(source))
			if err != nil {
				return nil, err
			}
			w, err := c.work(source)
			if err != nil {
				return nil, err
			}
			b := &bench{work: w, sum: sum, drawn: draw(circuit, before)}
			c.benches.Add(sum, b)
			return b, nil
		})
	})
	if err != nil {
		return nil, err
	}
	return v.(*bench), nil
}

func sumOf(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:])
}

// work finds or works out the circuit of a file.
func (c *Circuits) work(source string) (*work, error) {
	text, _ := harness.SplitPlaces(source)
	sum := sumOf(text)
	if w, ok := c.works.Get(sum); ok {
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
	w := &work{circuit: circuit, model: model, answers: newAnswers(keptAnswers)}
	w.lists, _ = lru.New[string, []repair.Check](keptLists)
	if w.guide, err = diagnose.NewWithin(model, c.budget); err != nil { // there is a sheet, and nothing to diagnose
		w.guide, w.unfit = nil, err.Error()
	}
	c.works.Add(sum, w)
	return w, nil
}

// bySum finds a file read before by its hash; nil where it is no longer kept.
func (c *Circuits) bySum(sum string) *bench {
	b, _ := c.benches.Get(sum)
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

// checks is the verification list with what lasts of a set-up.
func (w *work) checks(setup []electric.Action) ([]repair.Check, error) {
	key := probe.SetupKey(probe.Lasting(setup))
	if list, ok := w.lists.Get(key); ok {
		return list, nil
	}
	list, err := repair.List(w.model, setup)
	if err == nil {
		w.lists.Add(key, list)
	}
	return list, err
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

// drawingSlots bounds how many drawings are made at once: one a core would leave none for the pages.
var drawingSlots = make(chan struct{}, 2)

// begin starts the drawing in the background, once.
func (d *drawn) begin() {
	d.start.Do(func() {
		go func() {
			defer close(d.ready)
			drawingSlots <- struct{}{}
			defer func() { <-drawingSlots }()
			defer func() {
				if p := recover(); p != nil {
					d.sheet, d.failed = sheet.Blank(), fmt.Sprint(p)
				}
			}()
			if d.before != nil && len(d.circuit.Places) == 0 {
				if last, there := d.before.drawnWithin(0); there { // one that is not there yet is no beginning
					for i := range last.Places {
						d.circuit.Places = append(d.circuit.Places, &last.Places[i])
					}
				}
			}
			d.before = nil
			d.sheet = sheet.Draw(d.circuit)
		}()
	})
}

// drawing gives the sheet as soon as it is there, unless nobody waits any more.
func (b *bench) drawing(ctx context.Context) (*sheet.Sheet, error) {
	b.drawn.begin()
	select {
	case <-b.drawn.ready:
		return b.drawn.sheet, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
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
