// Package logbook counts what a workshop's closed jobs teach: what failed how often, how long
// it took, how often the first repair was right.
//
// In go folded jobs, out come counts, and the experience by which the guide's priors are
// brought up to date. The one idea: a job counts once it is closed as verified and names what
// was found; nothing else teaches.
package logbook

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/job"
)

// Line is one closed job.
type Line struct {
	ID       int64     `json:"id"`
	Vehicle  string    `json:"vehicle"`
	Title    string    `json:"title"`
	Family   string    `json:"family"` // the circuit's title
	Closed   time.Time `json:"closed"`
	Reason   string    `json:"reason"`
	Found    []string  `json:"found"` // faults repaired, the last one last
	Said     string    `json:"said"`  // at closing
	Minutes  float64   `json:"minutes"`
	Readings int       `json:"readings"`
	Wrong    int       `json:"wrong"` // parts renewed that were not it
	kinds    []string
}

// Add makes a job's line; false while it is open.
func Add(id int64, vehicle, title string, c *harness.Circuit, s *job.State) (Line, bool) {
	if !s.Closed || len(s.Beads) == 0 {
		return Line{}, false
	}
	last := s.Beads[len(s.Beads)-1]
	l := Line{
		ID: id, Vehicle: vehicle, Title: title, Family: c.Title, Closed: last.At, Reason: string(s.Reason),
		Readings: len(s.Seen), Minutes: last.At.Sub(s.Beads[0].At).Minutes(),
	}
	for _, b := range s.Beads {
		if b.Kind == job.Closed {
			l.Said, l.Closed = b.Body.Text, b.At
		}
	}
	for k, r := range s.Repairs {
		if r.Fault == "" {
			continue
		}
		if k < len(s.Repairs)-1 && !r.Proven { // renewed on suspicion, and the trouble stayed
			l.Wrong++
			continue
		}
		l.Found = append(l.Found, r.Fault)
		if f, err := fault.Parse(c, r.Fault); err == nil {
			l.kinds = append(l.kinds, diagnose.KindOf(c, f))
		}
	}
	return l, true
}

// Count is how often something was met.
type Count struct {
	What string `json:"what"`
	N    int    `json:"n"`
}

// Book sums up.
type Book struct {
	Lines       []Line  `json:"jobs"`
	Jobs        int     `json:"closed"`
	Verified    int     `json:"verified"`
	FirstTime   int     `json:"first-time"` // verified after one repair
	WrongParts  int     `json:"wrong-parts"`
	MeanMinutes float64 `json:"mean-minutes"`
	ByKind      []Count `json:"by-kind"`   // what failed: "fuse open"
	ByFamily    []Count `json:"by-family"` // jobs a circuit
}

// Sum counts the lines that hold all words of a search (in any of their texts).
func Sum(lines []Line, search string) *Book {
	b := &Book{Lines: []Line{}}
	kinds, families := map[string]int{}, map[string]int{}
	for _, l := range lines {
		if !l.holds(search) {
			continue
		}
		b.Lines = append(b.Lines, l)
		b.Jobs++
		b.WrongParts += l.Wrong
		b.MeanMinutes += l.Minutes
		families[l.Family]++
		for _, k := range l.kinds {
			kinds[k]++
		}
		if l.Reason == string(job.Verified) {
			b.Verified++
			if len(l.Found) == 1 && l.Wrong == 0 {
				b.FirstTime++
			}
		}
	}
	if b.Jobs > 0 {
		b.MeanMinutes /= float64(b.Jobs)
	}
	slices.SortStableFunc(b.Lines, func(x, y Line) int { return y.Closed.Compare(x.Closed) })
	b.ByKind, b.ByFamily = counts(kinds), counts(families)
	return b
}

func (l *Line) holds(search string) bool {
	text := strings.ToLower(strings.Join(append([]string{l.Vehicle, l.Title, l.Family, l.Said, l.Reason}, l.Found...), " "))
	for _, word := range strings.Fields(strings.ToLower(search)) {
		if !strings.Contains(text, word) {
			return false
		}
	}
	return true
}

func counts(of map[string]int) []Count {
	list := make([]Count, 0, len(of))
	for what, n := range of {
		list = append(list, Count{what, n})
	}
	slices.SortFunc(list, func(x, y Count) int { return cmp.Or(y.N-x.N, cmp.Compare(x.What, y.What)) })
	return list
}

// Experience is what jobs closed as verified after a moment teach the guide.
func Experience(lines []Line, after time.Time) diagnose.Experience {
	e := diagnose.Experience{}
	for _, l := range lines {
		if l.Reason != string(job.Verified) || !l.Closed.After(after) {
			continue
		}
		for _, k := range l.kinds {
			e[k]++
		}
	}
	return e
}
