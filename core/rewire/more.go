package rewire

import (
	"fmt"
	"slices"
)

// What else a wish may say, and which ways that leaves: a fan that never turns alone, a fan with electronics of its own, what the
// fans do with a line broken, how long they may run on.

// refuseMore tells why a way cannot be for what a wish says beyond fans, speeds and who asks.
func (w *Wish) refuseMore(f Family) *limit {
	brushless := slices.IndexFunc(w.Fans, func(x Fan) bool { return x.Brushless != nil })
	switch {
	case brushless >= 0 && f != Module:
		return &limit{why: fmt.Sprintf("%s has its own electronics: its line tells it how fast to turn, and its supply is not to be switched or "+
			"lowered", w.Fans[brushless].Name), frees: "an output that pulses"}
	case f == Staged:
		if first := w.firstStage(); len(w.Fans) > 1 && (len(first) == len(w.Fans) || len(first) == 1 && w.Fans[first[0]].NeverAlone) {
			return &limit{why: fmt.Sprintf("%s is never to be the only fan that turns, and at %s it would be", w.Fans[first[0]].Name, w.Speeds[0]),
				frees: "both in series, or a resistor for each"}
		}
	}
	if l := w.refuseAlone(); l != nil {
		return l
	}
	if f == Module {
		if l := w.refuseBrushless(); l != nil {
			return l
		}
	}
	return w.refuseLine(f)
}

// refuseAlone: a fan that is never to turn alone needs another.
func (w *Wish) refuseAlone() *limit {
	if len(w.Fans) == 1 && w.Fans[0].NeverAlone {
		return &limit{why: fmt.Sprintf("%s is never to be the only fan that turns, and it is the only one there is", w.Fans[0].Name),
			frees: "a second fan"}
	}
	return nil
}

// refuseBrushless holds fans with electronics of their own against the line that is to tell them their speed.
func (w *Wish) refuseBrushless() *limit {
	most, err := minutes(w.RunOn)
	for _, fan := range w.Fans {
		b := fan.Brushless
		if b == nil || err != nil {
			continue
		}
		if level := w.level(); b.Level != level {
			return &limit{why: fmt.Sprintf("%s counts the %s part of a pulse, and another fan the %s part: one line cannot tell both", fan.Name,
				b.Level, level), frees: "fans of the same kind, or a line for each"}
		}
		if w.OpenLine != "" && b.OpenLine != w.OpenLine {
			return &limit{why: fmt.Sprintf("%s %s with its line broken, and the wish is that it %s", fan.Name, b.OpenLine, w.OpenLine),
				frees: "a fan that does"}
		}
		if own, err := minutes(b.RunOn); err == nil && w.RunOn != "" && own > most {
			return &limit{why: fmt.Sprintf("%s runs on by itself for %g min, and %g are the most that is wished", fan.Name, own, most),
				frees: fmt.Sprintf("%g min, or another fan", own)}
		}
		for _, r := range w.Requesters {
			if r.Gives == Pulses && r.Hertz > 0 && !(r.Hertz >= b.Hertz[0] && r.Hertz <= b.Hertz[1]) {
				return &limit{why: fmt.Sprintf("%s pulses at %g Hz, and %s listens from %g to %g Hz", r.Name, r.Hertz, fan.Name, b.Hertz[0],
					b.Hertz[1]), frees: "a controller that can be set to it, or another fan"}
			}
		}
	}
	return nil
}

// refuseLine holds whoever asks against what the fans are to do with a line broken.
func (w *Wish) refuseLine(f Family) *limit {
	for _, r := range w.Requesters {
		if r.Gives == Kill || f == Module || r.Gives == Pulses {
			continue // a module, and a fan's own electronics, are chosen for it
		}
		switch {
		case w.OpenLine == Runs && !w.pullsToStop(r):
			return &limit{why: fmt.Sprintf("%s asks by closing: with its wire broken nobody asks, and the fans are to run then", r.Name),
				frees: "an output that pulls its line to keep the fans off, or a switch that opens when it is hot behind such an output"}
		case w.OpenLine == Stops && r.Inverted:
			return &limit{why: fmt.Sprintf("%s pulls its line to keep the fans off: with the line broken they run, and are to stop then", r.Name),
				frees: "an output that pulls its line to run them"}
		}
	}
	return nil
}

// anyBrushed tells whether a fan has no electronics of its own.
func (w *Wish) anyBrushed() bool {
	return slices.ContainsFunc(w.Fans, func(f Fan) bool { return f.Brushless == nil })
}
