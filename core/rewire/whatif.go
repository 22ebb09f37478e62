package rewire

import (
	"context"
	"errors"
	"fmt"
	"slices"
)

// One thing changed at a time, all else as it was wished: what each change does to what a failure leaves, to the price, and
// to what the fans do when the controller is away.

// Variant is a proposal with one thing changed. Why says why it cannot be, where it cannot.
type Variant struct {
	Change    string
	Lost      float64
	LostHot   float64
	Price     float64
	Copper    float64           // kg
	Unplugged map[string]string // what the fans do with the controller's plug off; nil without a controller
	Parked    map[string]string
	Why       string
}

// Variants changes one thing at a time of a wish and proposes the same way again. The first is the wish as it is.
func Variants(ctx context.Context, w *Wish, f Family) ([]Variant, error) {
	list := []Variant{}
	try := func(change string, with *Wish) error {
		v, err := variantOf(ctx, with, f)
		if err == nil {
			v.Change = change
			list = append(list, v)
		}
		return err
	}
	if err := try("as wished", w); err != nil {
		return nil, err
	}
	for i, r := range w.Requesters {
		if r.Gives != Ground {
			continue
		}
		with := *w
		with.Requesters = slices.Clone(w.Requesters)
		with.Requesters[i].Inverted = !r.Inverted
		words := fmt.Sprintf("%s keeps the fans off by pulling its line: an open line runs them", r.Name)
		if r.Inverted {
			words = fmt.Sprintf("%s runs the fans by pulling its line: an open line stops them", r.Name)
		}
		if err := try(words, &with); err != nil {
			return nil, err
		}
	}
	for _, speed := range w.Speeds { // a second, independent way to ask
		with := *w
		with.Requesters = append(slices.Clone(w.Requesters), Requester{Name: "second switch for " + speed, Gives: Switch, Asks: Asked(speed)})
		if err := with.Complete(); err != nil {
			continue // there is one of that name already, or too many
		}
		if err := try("a thermal switch asks for "+speed+" too", &with); err != nil {
			return nil, err
		}
	}
	if w.Gauge == EachRun {
		with := *w
		with.Gauge = OneGauge
		if err := try("one gauge for all that carries load", &with); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// variantOf is what a wish comes to in one way; where it cannot be had, why.
func variantOf(ctx context.Context, w *Wish, f Family) (v Variant, err error) {
	p, err := propose(ctx, w, f)
	var l *limit
	if errors.As(err, &l) {
		return Variant{Why: l.why}, nil
	}
	if err != nil {
		return v, err
	}
	v.Lost, v.LostHot, v.Price, v.Copper = p.Lost, p.LostHot, p.Price, p.Copper
	for _, s := range p.Stands {
		switch s.Condition {
		case "controller unplugged":
			v.Unplugged = s.Fans
		case parkedState:
			v.Parked = s.Fans
		}
	}
	return v, nil
}
