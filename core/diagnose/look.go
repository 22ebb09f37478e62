package diagnose

import (
	"context"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// Look words any test, chosen by the technician rather than by the guide, as the evidence
// stands: what a healthy car shows, and what each answer would leave.
func (g *Guide) Look(ctx context.Context, seen []probe.Observation, now Now, t probe.Test) (Move, error) {
	q, err := g.ask(ctx, now)
	if err != nil {
		return Move{}, err
	}
	b, _, _, err := q.evidence(seen)
	if err != nil {
		return Move{}, err
	}
	return q.move(t, b, now)
}

// Healthy is what a test shows on a car with nothing wrong, as drawn.
func (g *Guide) Healthy(t probe.Test) probe.Good { return g.healthy(t) }

// Suppose computes what the car shows in a state if this fault is in it: first run through
// every state with everything fitted, so that what blows has blown.
func (g *Guide) Suppose(words string, test probe.Test) (*electric.Point, error) {
	f, err := fault.Parse(g.circuit, words)
	if err != nil {
		return nil, err
	}
	before, err := g.model.Network(nil, []fault.Fault{f})
	if err != nil {
		return nil, err
	}
	blown := predict.Complain(before, g.circuit.States)
	n, err := g.model.Network(test.Setup, []fault.Fault{f})
	if err != nil {
		return nil, err
	}
	n.SetBlown(g.model.Carry(blown, nil, test.Setup))
	n.Rest()
	n.Enter(test.State)
	return n.Point(test.State), nil
}
