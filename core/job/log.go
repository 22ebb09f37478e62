// Package job folds a job's append-only log into how the job stands.
//
// In goes the list of entries, out comes what was seen (each with the set-up that held at
// that moment), the ledger of what is still done to the car, and whether the job is closed.
// Nothing is ever changed: striking an entry out is an entry too, so that every state of a
// job can be replayed and audited.
package job

import (
	"slices"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Kind is what an entry records.
type Kind string

// Kinds of entry. What each records is a type of body.go.
const (
	Opened   Kind = "opened"
	Seen     Kind = "seen"
	Did      Kind = "did"
	Undid    Kind = "undid"
	Noted    Kind = "noted"
	Struck   Kind = "struck"
	Closed   Kind = "closed"
	Reopened Kind = "reopened"
	Repaired Kind = "repaired"
	Checked  Kind = "checked"
	Pictured Kind = "pictured"
	Drilled  Kind = "drilled"
	Handed   Kind = "handed"
	Moved    Kind = "moved"
)

// Reason is why a job closes.
type Reason string

// Reasons. Only a verified job needs no words of its own.
const (
	Verified      Reason = "verified"
	NothingFound  Reason = "nothing found"
	NotReproduced Reason = "not reproduced"
	Declined      Reason = "repair declined"
	PassedOn      Reason = "passed on"
	OtherReason   Reason = "other"
)

// Reasons lists those a job may close with without being verified. That nothing was found is one only where every state was seen
// as it should be.
var Reasons = []Reason{NothingFound, NotReproduced, Declined, PassedOn, OtherReason}

// Entry is one line of the log.
type Entry struct {
	Seq  int
	At   time.Time
	Who  string
	Body Body // nil in none that is kept
}

// Kind is what kind of entry it is.
func (e Entry) Kind() Kind { return e.Body.Kind() }

// Bead is an entry as the thread shows it.
type Bead struct {
	Entry
	StruckOut bool
	Title     string
	Detail    string
	Telling   bool // it was not as a healthy car would show
	Photos    []int64
	Notes     []string // about this entry
}

// State is how a job stands.
type State struct {
	Beads  []Bead
	Seen   []probe.Observation // not struck out, oldest first
	Ledger []electric.Action
	Now    diagnose.Now
	Closed bool
	Reason Reason
	Last   int // the newest entry's Seq

	Closing    Closing     // of a closed job
	Conclusion *Conclusion // of a closed job; nil where it was closed before conclusions were kept

	Drill *Hidden // what is hidden in the vehicle, where the job is a drill
	Score *Score  // of a drill that has ended

	Repairs []Repair          // not struck out, oldest first
	Said    map[string]string // checks answered by hand since the last repair, by their key
}

// Fold replays the log. An entry that the circuit no longer permits is shown with the reason
// and counts for nothing.
func Fold(c *harness.Circuit, entries []Entry) *State {
	struck := struckOut(entries)
	s := &State{Said: map[string]string{}}
	for _, e := range entries {
		s.Last = max(s.Last, e.Seq)
		switch body := e.Body.(type) {
		case Strike:
			continue
		case Drill: // shown to nobody, and never struck out
			s.Drill = &body.Hidden
			continue
		}
		if s.attach(e, struck[e.Seq]) {
			continue
		}
		b := Bead{Entry: e, StruckOut: struck[e.Seq]}
		var err error
		if !b.StruckOut {
			err = s.bring(c, e.Body)
		}
		said := e.Body.said(c)
		b.Title, b.Detail, b.Telling = said.title, said.detail, said.telling
		if err != nil {
			b.Detail = "does not count: " + err.Error()
		}
		s.Beads = append(s.Beads, b)
	}
	s.Now.Setup = s.Ledger
	return s
}

// bring lets an entry do what it does; what is only told does nothing.
func (s *State) bring(c *harness.Circuit, b Body) error {
	switch b := b.(type) {
	case onCar:
		return b.bring(c, s)
	case ofJob:
		b.settle(s)
	}
	return nil
}

// attach puts a note or a photograph of an earlier entry on its bead.
func (s *State) attach(e Entry, struck bool) bool {
	var text string
	switch b := e.Body.(type) {
	case Note:
		text = b.Text
	case Picture:
		text = b.Text
	default:
		return false
	}
	about, _ := Beside(e.Body)
	k := slices.IndexFunc(s.Beads, func(b Bead) bool { return about != 0 && b.Seq == about })
	if k < 0 {
		return false
	}
	if struck {
		return true
	}
	at := &s.Beads[k]
	if p, ok := e.Body.(Picture); ok {
		at.Photos = append(at.Photos, p.Photo)
	}
	if text != "" {
		at.Notes = append(at.Notes, text)
	}
	return true
}

// Pinned is the revision of the harness that a job goes by: the one that its log names last, or the
// one it was opened with.
func Pinned(entries []Entry, opened int64) int64 {
	struck := struckOut(entries)
	for _, e := range slices.Backward(entries) {
		if to, ok := e.Body.(Move); ok && !struck[e.Seq] {
			return to.Revision
		}
	}
	return opened
}

func struckOut(entries []Entry) map[int]bool {
	struck := map[int]bool{}
	for _, e := range entries {
		if x, ok := e.Body.(Strike); ok {
			struck[x.Of] = true
		}
	}
	return struck
}
