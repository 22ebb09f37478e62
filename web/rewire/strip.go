package rewire

import (
	"fmt"

	"ironthread/core/harness"
	"ironthread/core/rewire"
)

// Two ways of making a speed differ in what the current goes through. Each is drawn as short rows of signs, from the battery to ground,
// beside bars that are as long as a figure is beside the same figure of the other ways: the shorter, the better, but for the speed.

// Measures of a strip, in its own units.
const (
	signWide = 46
	rowHigh  = 34
)

// strip is one speed of one way.
type strip struct {
	Speed      string
	Signs      []sign
	Rows       []rail
	Wide, High int
	Words      string // the same for whoever does not see it
}

// sign is a part in a row; X and Y are its middle.
type sign struct {
	Kind, Name, Contact string
	X, Y                int
}

// rail is the line that a row hangs on.
type rail struct{ X, Y int }

// strips draws each speed of a way.
func strips(x *rewire.Proposal, speeds []string) ([]strip, error) {
	var list []strip
	for _, speed := range speeds {
		paths, err := x.Paths(speed)
		if err != nil {
			return nil, err
		}
		s := strip{Speed: speed}
		for row, path := range paths {
			at, words := signWide/2, ""
			for _, step := range path {
				kind, shown := signOf(step)
				if !shown {
					continue
				}
				s.Signs = append(s.Signs, sign{kind, step.Part, step.Contact, at, row*rowHigh + rowHigh/2 - 5})
				at += signWide
				words += step.Part + " " + step.Contact + ", "
			}
			s.Rows = append(s.Rows, rail{at, row*rowHigh + rowHigh/2 - 5})
			s.Wide = max(s.Wide, at)
			s.Words += words + "ground. "
		}
		s.High = max(1, len(paths)) * rowHigh
		list = append(list, s)
	}
	return list, nil
}

// signOf is how a part is drawn in a strip; false for what only holds wires together.
func signOf(step rewire.Through) (kind string, shown bool) {
	switch step.Kind {
	case harness.KindFuse, harness.KindMotor, harness.KindResistor, harness.KindLimiter:
		return string(step.Kind), true
	case harness.KindRelay:
		if len(step.Contact) > 2 && step.Contact[2] == 'a' {
			return "rest", true
		}
		return "make", true
	case harness.KindSplice, harness.KindConnector:
		return "", false
	}
	return "box", true
}

// bars are shares of the largest among the ways, 0 to 1.
type bars struct{ Heat, Lost, Hot, Price, Copper float64 }

// weigh makes the bars.
func weigh(ways []way) {
	of := []struct {
		figure func(*way) float64
		bar    func(*bars) *float64
	}{
		{func(w *way) float64 { return w.WastedMax }, func(b *bars) *float64 { return &b.Heat }},
		{func(w *way) float64 { return w.Lost }, func(b *bars) *float64 { return &b.Lost }},
		{func(w *way) float64 { return w.LostHot }, func(b *bars) *float64 { return &b.Hot }},
		{func(w *way) float64 { return w.Price }, func(b *bars) *float64 { return &b.Price }},
		{func(w *way) float64 { return w.Copper }, func(b *bars) *float64 { return &b.Copper }},
	}
	for _, x := range of {
		most := 0.0
		for i := range ways {
			most = max(most, x.figure(&ways[i]))
		}
		for i := range ways {
			if most > 0 {
				*x.bar(&ways[i].Bars) = x.figure(&ways[i]) / most
			}
		}
	}
}

// Box is the strip's frame.
func (s strip) Box() string { return fmt.Sprintf("0 0 %d %d", s.Wide+8, s.High) }
