package web

import (
	"container/list"
	"crypto/sha256"
	"sync"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/sheet"
	"ironthread/core/trace"
)

// keptCircuits bounds how many circuits are kept worked out.
const keptCircuits = 64

// circuits keeps, by the harness file's hash, what is worked out from it. Nothing of it is
// state: another instance works it out again.
type circuits struct {
	mu    sync.Mutex
	bySum map[[32]byte]*list.Element
	order *list.List // of *bench, newest first
}

// worked is shared by all applications of the process: what is worked out depends on the
// file's text alone.
var worked = newCircuits()

func newCircuits() *circuits {
	return &circuits{bySum: map[[32]byte]*list.Element{}, order: list.New()}
}

// bench is one circuit with its model, guide and drawing, each made when first asked for.
type bench struct {
	sum     [32]byte
	circuit *harness.Circuit
	model   *electric.Model
	guide   *diagnose.Guide
	drawn   sync.Once
	traced  sync.Once
	roles   map[harness.Pin]trace.Conductor
	sheet   *sheet.Sheet
}

// get reads a harness file, or finds it read before.
func (c *circuits) get(source string) (*bench, error) {
	sum := sha256.Sum256([]byte(source))
	c.mu.Lock()
	defer c.mu.Unlock()
	if e, ok := c.bySum[sum]; ok {
		c.order.MoveToFront(e)
		return e.Value.(*bench), nil
	}
	circuit, err := harness.Read([]byte(source))
	if err != nil {
		return nil, err
	}
	model, err := electric.New(circuit)
	if err != nil {
		return nil, err
	}
	b := &bench{sum: sum, circuit: circuit, model: model}
	if len(circuit.Fans()) > 0 { // without a fan there is a sheet, and nothing to diagnose
		if b.guide, err = diagnose.New(model); err != nil {
			return nil, err
		}
	}
	c.bySum[sum] = c.order.PushFront(b)
	if c.order.Len() > keptCircuits {
		oldest := c.order.Back()
		c.order.Remove(oldest)
		delete(c.bySum, oldest.Value.(*bench).sum)
	}
	return b, nil
}

// drawing gives the sheet, drawing it the first time.
func (b *bench) drawing() *sheet.Sheet {
	b.drawn.Do(func() { b.sheet = sheet.Draw(b.circuit) })
	return b.sheet
}

// conductors gives every pin's role, worked out the first time; nil where it cannot be.
func (b *bench) conductors() map[harness.Pin]trace.Conductor {
	b.traced.Do(func() { b.roles, _ = trace.Roles(b.model) })
	return b.roles
}

// warm draws the sheet and predicts the usual set-ups.
func (b *bench) warm() {
	b.drawing()
	if b.guide == nil {
		return
	}
	_, _ = b.guide.Assess(nil, diagnose.Now{}) // an error shows on the page that asks again
}
