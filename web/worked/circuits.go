// Package worked keeps what is worked out from harness files: circuits and their guides, what the evidence of a job
// leaves, drawings, verification lists.
//
// In goes the text of a harness file, out comes everything that pages ask of it. The one idea: nothing is worked out
// twice at once, nothing is waited for beyond a page's patience, and nothing of it is state: another instance works
// it out again.
package worked

import (
	"crypto/sha256"
	"encoding/hex"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/core/trace"
)

// How many circuits, drawings, answers of a circuit and verification lists are kept worked out. What the
// guides foretell is bounded in bytes beside that.
const (
	keptCircuits = 64
	keptFiles    = 128
	keptAnswers  = 16
	keptLists    = 8
)

// Circuits keeps what is worked out from harness files: circuits by the hash of their text
// without the drawing's places, drawings by the hash of the whole. Nothing of it is state:
// another instance works it out again.
type Circuits struct {
	circuits *lru.Cache[string, *Circuit]
	files    *lru.Cache[string, *File]
	reading  singleflight.Group // so that a file is read once for all who ask, and nobody else waits
	budget   *predict.Budget
	shelf    Shelf
}

// Budget is the bytes that all guides share.
func (c *Circuits) Budget() *predict.Budget { return c.budget }

// NewCircuits makes room for circuits, so many bytes for what their guides foretell. Drawings are kept on the shelf; nil
// keeps none.
func NewCircuits(bytes int64, shelf Shelf) *Circuits {
	c := &Circuits{budget: predict.NewBudget(bytes), shelf: shelf}
	c.circuits, _ = lru.NewWithEvict(keptCircuits, func(_ string, w *Circuit) { w.close() }) // fails for sizes below one only
	c.files, _ = lru.New[string, *File](keptFiles)
	return c
}

// Circuit is one circuit with what does not depend on its drawing, each made when first asked
// for.
type Circuit struct {
	Drawn  *harness.Circuit
	Model  *electric.Model
	Guide  *diagnose.Guide // nil where nothing can be diagnosed; unfit says why
	Unfit  string
	traced sync.Once
	roles  map[harness.Pin]trace.Conductor
	tried  sync.Once
	guards *trace.Protection
	truths []trace.Truth
	doubts []electric.Warning
	lists  *lru.Cache[string, []repair.Check]

	answers *answers
}

func (w *Circuit) close() {
	w.answers.letGo(func() {
		if w.Guide != nil {
			w.Guide.Close()
		}
	})
}

// File is one harness file: its circuit worked out, and its drawing.
type File struct {
	*Circuit
	Sum   string
	drawn *drawn
}

// Get reads a harness file, or finds it read before.
func (c *Circuits) Get(source string) (*File, error) { return c.GetAfter(source, nil) }

// GetAfter is Get for a file that came from another by an edit: where its text keeps no places it is drawn from
// where the other's parts stood.
func (c *Circuits) GetAfter(source string, before *File) (*File, error) {
	sum := SumOf(source)
	if f, ok := c.files.Get(sum); ok {
		return f, nil
	}
	v, err, _ := c.reading.Do(sum, func() (any, error) {
		return safely(func() (any, error) {
			circuit, err := harness.Read([]byte(source))
			if err != nil {
				return nil, err
			}
			w, err := c.circuit(source)
			if err != nil {
				return nil, err
			}
			f := &File{Circuit: w, Sum: sum, drawn: &drawn{circuit: circuit, source: source, sum: sum, before: before,
				shelf: c.shelf, done: make(chan struct{})}}
			c.files.Add(sum, f)
			return f, nil
		})
	})
	if err != nil {
		return nil, err
	}
	return v.(*File), nil
}

// SumOf is the hash of a text.
func SumOf(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:])
}

// circuit finds or works out the circuit of a file.
func (c *Circuits) circuit(source string) (*Circuit, error) {
	text, _ := harness.SplitPlaces(source)
	sum := SumOf(text)
	if w, ok := c.circuits.Get(sum); ok {
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
	w := &Circuit{Drawn: circuit, Model: model, answers: newAnswers(keptAnswers)}
	w.lists, _ = lru.New[string, []repair.Check](keptLists)
	if w.Guide, err = diagnose.NewWithin(model, c.budget); err != nil { // there is a sheet, and nothing to diagnose
		w.Guide, w.Unfit = nil, err.Error()
	}
	c.circuits.Add(sum, w)
	return w, nil
}

// BySum finds a file read before by its hash; nil where it is no longer kept.
func (c *Circuits) BySum(sum string) *File {
	b, _ := c.files.Get(sum)
	return b
}

// Conductors gives every pin's role, worked out the first time; nil where it cannot be.
func (w *Circuit) Conductors() map[harness.Pin]trace.Conductor {
	w.traced.Do(func() { w.roles, _ = trace.Roles(w.Model) })
	return w.roles
}

// try works out what a circuit's drawing alone tells.
func (w *Circuit) try() {
	w.guards, _ = trace.Protects(w.Model)
	w.truths, _ = trace.Truths(w.Model)
	w.doubts = trace.Doubts(w.Model)
}

// Protection tells which fuse protects what, worked out the first time; nil where it cannot be.
func (w *Circuit) Protection() *trace.Protection {
	w.tried.Do(w.try)
	return w.guards
}

// Truths are the tables of the circuit's fan modules.
func (w *Circuit) Truths() []trace.Truth {
	w.tried.Do(w.try)
	return w.truths
}

// Doubts is what is doubtful in the circuit as it is drawn.
func (w *Circuit) Doubts() []electric.Warning {
	w.tried.Do(w.try)
	return w.doubts
}

// Checks is the verification list with what lasts of a set-up.
func (w *Circuit) Checks(setup []electric.Action) ([]repair.Check, error) {
	key := probe.SetupKey(probe.Lasting(setup))
	if list, ok := w.lists.Get(key); ok {
		return list, nil
	}
	list, err := repair.List(w.Model, setup)
	if err == nil {
		w.lists.Add(key, list)
	}
	return list, err
}
