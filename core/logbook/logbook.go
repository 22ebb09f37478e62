// Package logbook counts what a workshop's closed jobs teach: what failed how often, how long
// it took, how often the first repair was right.
//
// In go the summaries of jobs, out come counts, and the experience by which the guide's priors are
// brought up to date. The one idea: a job counts once it is closed as verified and names what
// was found; nothing else teaches.
package logbook

import (
	"cmp"
	"slices"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/job"
)

// Line is one closed job.
type Line struct {
	ID      int64
	Vehicle string
	Title   string
	job.Summary
}

// Count is how often something was met.
type Count struct {
	What string `json:"what"`
	N    int    `json:"n"`
}

// Book sums up.
type Book struct {
	Jobs        int     `json:"closed"`
	Verified    int     `json:"verified"`
	FirstTime   int     `json:"first-time"` // verified after one repair
	Nothing     int     `json:"nothing-found"`
	WrongParts  int     `json:"wrong-parts"`
	MeanMinutes float64 `json:"mean-minutes"`
	ByKind      []Count `json:"by-kind"`   // what failed: "fuse open"
	ByFamily    []Count `json:"by-family"` // jobs a circuit
}

// Sum counts closed jobs.
func Sum(lines []Line) *Book {
	b := &Book{}
	kinds, families := map[string]int{}, map[string]int{}
	for _, l := range lines {
		if !l.Closed {
			continue
		}
		b.Jobs++
		b.WrongParts += l.Wrong
		b.MeanMinutes += l.Minutes
		families[l.Family]++
		for _, k := range l.Kinds {
			kinds[k]++
		}
		if l.Reason == job.NothingFound {
			b.Nothing++
		}
		if l.Reason == job.Verified {
			b.Verified++
			if len(l.Found) == 1 && l.Wrong == 0 {
				b.FirstTime++
			}
		}
	}
	if b.Jobs > 0 {
		b.MeanMinutes /= float64(b.Jobs)
	}
	b.ByKind, b.ByFamily = counts(kinds), counts(families)
	return b
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
		if l.Reason != job.Verified || !l.ClosedAt.After(after) {
			continue
		}
		for _, k := range l.Kinds {
			e[k]++
		}
	}
	return e
}
