package diagnose

import (
	"context"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"ironthread/core/car"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/probe"
	"ironthread/library"
)

// Guides are made once for all tests of the package: what one test has had foretold another need not. What a guide keeps
// changes no answer of it.
var guides struct {
	sync.Mutex
	of map[string]*Guide
}

// Shared gives the guide of a circuit of the library that all tests share.
func Shared(t testing.TB, name string) *Guide {
	t.Helper()
	guides.Lock()
	defer guides.Unlock()
	if g := guides.of[name]; g != nil {
		return g
	}
	if guides.of == nil {
		guides.of = map[string]*Guide{}
	}
	g := Fresh(t, name)
	guides.of[name] = g
	return g
}

// Fresh gives a guide of its own, which knows nothing yet.
func Fresh(t testing.TB, name string) *Guide {
	t.Helper()
	e, err := library.Open(name)
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	g, err := New(m)
	require.NoError(t, err)
	return g
}

// ForgetPairs drops what is known of pairs of faults, for measuring; it tells whether anything was.
func (g *Guide) ForgetPairs() bool {
	some := g.paired.Len() > 0
	g.paired.Purge()
	return some
}

// Asking begins a question of a test's own.
func (g *Guide) asking(t testing.TB, now Now) *inquiry {
	t.Helper()
	q, err := g.ask(context.Background(), now)
	require.NoError(t, err)
	return q
}

// proving begins a proof as the evidence stands.
func (g *Guide) proving(t testing.TB, seen []probe.Observation, now Now) *prover {
	t.Helper()
	q := g.asking(t, now)
	b, _, _, err := q.evidence(seen)
	require.NoError(t, err)
	return q.chooser(b, seen, now).prover(nil)
}

// Driven is a car with these faults, as drawn, that answers a guide's moves without error.
type Driven struct {
	t   testing.TB
	Car *car.Car
}

// Drive puts faults into a car of the guide's circuit.
func (g *Guide) Drive(t testing.TB, words ...string) *Driven {
	t.Helper()
	var faults []fault.Fault
	for _, w := range words {
		f, err := fault.Parse(g.circuit, w)
		require.NoError(t, err)
		faults = append(faults, f)
	}
	c, err := car.New(g.model, car.Options{}, faults...)
	require.NoError(t, err)
	return &Driven{t, c}
}

// Answer makes the move on the car.
func (d *Driven) Answer(m *Move) probe.Observation {
	d.t.Helper()
	o, err := d.Car.Answer(m.Question)
	require.NoError(d.t, err, m.Title)
	return o
}

// ShortInspection is a short, the fuse that it blows and the test that decides between them.
type ShortInspection struct {
	Fault, Fuse string
	Test        probe.Test
}

// ShortInspections lists those of a circuit.
func ShortInspections(t testing.TB, m *electric.Model) []ShortInspection {
	t.Helper()
	g, err := New(m)
	require.NoError(t, err)
	var list []ShortInspection
	for _, s := range g.suspects {
		for _, fuse := range g.BlownBy(s.Fault) {
			if s.Fault.IsShort() {
				list = append(list, ShortInspection{s.Name, fuse, probe.ToGround(m, s.Fault, nil)})
			}
		}
	}
	return list
}

// With answers the same question again with one thing more in the set-up.
func (d *Driven) With(o probe.Observation, more string) probe.Observation {
	d.t.Helper()
	asked := o.Question
	asked.Setup = append(slices.Clone(o.Setup), more)
	again, err := d.Car.Answer(asked)
	require.NoError(d.t, err)
	return again
}
