// Package job folds a job's append-only log into how the job stands.
//
// In goes the list of entries, out comes what was seen (each with the set-up that held at
// that moment), the ledger of what is still done to the car, and whether the job is closed.
// Nothing is ever changed: striking an entry out is an entry too, so that every state of a
// job can be replayed and audited.
package job

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/repair"
)

// Kind is what an entry records.
type Kind string

// Kinds of entry.
const (
	Opened Kind = "opened" // Body: Text, the complaint
	Seen   Kind = "seen"   // Body: Seen
	Did    Kind = "did"    // Body: Action, a set-up action that holds from now on
	Undid  Kind = "undid"  // Body: Action, a set-up action that holds no longer
	Noted  Kind = "noted"  // Body: Text
	Struck Kind = "struck" // Body: Seq of the entry struck out
	Closed Kind = "closed" // Body: Text, what it was and what was done; Reason

	Reopened Kind = "reopened" // Body: Text, why a closed job goes on; what it came to before stays in the log

	Repaired Kind = "repaired" // Body: Action, Text, Fault, Proven, Parts, Minutes
	Checked  Kind = "checked"  // Body: Check, Text: a check before closing, answered by hand
	Pictured Kind = "pictured" // Body: Photo, Text; Seq of the entry it belongs to
	Drilled  Kind = "drilled"  // Body: Hidden, what a drill's vehicle has; shown to nobody before the end
	Handed   Kind = "handed"   // Body: Text, the name of who goes on with the job
	Moved    Kind = "moved"    // Body: Revision of the harness that the job goes by from now on; Text, what changes
)

// Kinds lists them all.
var Kinds = []Kind{Opened, Seen, Did, Undid, Noted, Struck, Closed, Repaired, Checked, Pictured, Moved, Drilled, Handed, Reopened}

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
	Kind Kind
	Body Body
}

// Body is what an entry carries; which fields, its kind says. Good is what a car with nothing wrong
// would have shown, kept as it was when the reading was taken.
type Body struct {
	Text   string             `json:"text,omitempty"`
	Seen   *probe.Observation `json:"seen,omitempty"`
	Good   *probe.Good        `json:"good,omitempty"`
	Action string             `json:"action,omitempty"`
	Seq    int                `json:"seq,omitempty"`

	Fault   string  `json:"fault,omitempty"`   // found, at a repair
	Proven  bool    `json:"proven,omitempty"`  // it was, then
	Parts   string  `json:"parts,omitempty"`   // used
	Minutes float64 `json:"minutes,omitempty"` // the repair took
	Check   string  `json:"check,omitempty"`   // key of a check
	Reason  Reason  `json:"reason,omitempty"`  // of closing
	Photo   int64   `json:"photo,omitempty"`

	Revision   int64       `json:"revision,omitempty"` // of the harness
	Hidden     *Hidden     `json:"hidden,omitempty"`
	Score      *Score      `json:"score,omitempty"`      // of a drill that has ended
	Conclusion *Conclusion `json:"conclusion,omitempty"` // of a closed job, as it stood then

	Expected string `json:"expected,omitempty"` // Good in words, as older logs have it; for reading only
}

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

	Conclusion *Conclusion // of a closed job; nil where it was closed before conclusions were kept

	Drill *Hidden // what is hidden in the vehicle, where the job is a drill
	Score *Score  // of a drill that has ended

	Repairs []Body            // not struck out, oldest first
	Said    map[string]string // checks answered by hand since the last repair, by their key
}

// Fold replays the log. An entry that the circuit no longer permits is shown with the reason
// and counts for nothing.
func Fold(c *harness.Circuit, entries []Entry) *State {
	struck := struckOut(entries)
	s := &State{Said: map[string]string{}}
	for _, e := range entries {
		s.Last = max(s.Last, e.Seq)
		if e.Kind == Drilled {
			s.Drill = e.Body.Hidden
			continue
		}
		if e.Kind == Struck || s.attach(e, struck[e.Seq]) {
			continue
		}
		b := Bead{Entry: e, StruckOut: struck[e.Seq]}
		var err error
		if !b.StruckOut {
			err = s.apply(c, e)
		}
		b.Title, b.Detail, b.Telling = word(c, e)
		if err != nil {
			b.Detail = "does not count: " + err.Error()
		}
		s.Beads = append(s.Beads, b)
	}
	s.Now.Setup = s.Ledger
	return s
}

// attach puts a note or a photograph of an earlier entry on its bead.
func (s *State) attach(e Entry, struck bool) bool {
	if e.Body.Seq == 0 || e.Kind != Noted && e.Kind != Pictured {
		return false
	}
	for i := range s.Beads {
		b := &s.Beads[i]
		if b.Seq != e.Body.Seq {
			continue
		}
		switch {
		case struck:
		case e.Kind == Pictured:
			b.Photos = append(b.Photos, e.Body.Photo)
		}
		if !struck && e.Body.Text != "" {
			b.Notes = append(b.Notes, e.Body.Text)
		}
		return true
	}
	return false
}

func (s *State) apply(c *harness.Circuit, e Entry) error {
	switch e.Kind {
	case Seen:
		if e.Body.Seen == nil {
			return fmt.Errorf("it carries no observation")
		}
		seen := *e.Body.Seen
		if _, err := seen.Check(c); err != nil {
			return err
		}
		s.Seen = append(s.Seen, seen)
		s.Now.State = c.State(seen.State)
	case Did, Undid, Repaired:
		a, err := electric.ParseAction(c, e.Body.Action)
		if err != nil {
			return err
		}
		if e.Kind == Undid { // a repair taken back is none
			s.Ledger, _ = electric.Resting(slices.DeleteFunc(slices.Clone(s.Ledger), func(o electric.Action) bool { return o == a }))
			s.Repairs = slices.DeleteFunc(slices.Clone(s.Repairs), func(r Body) bool { return r.Action == e.Body.Action })
			return nil
		}
		if a.Verb != electric.Renewed && a.Verb != electric.RenewedUsed { // a part may be renewed again
			s.Ledger = slices.DeleteFunc(slices.Clone(s.Ledger), func(o electric.Action) bool { return o == a })
		}
		kept, fallen := electric.Resting(electric.Then(s.Ledger, a)) // a part that is fitted again takes along what rested on it
		if s.Ledger = kept; slices.Contains(fallen, a) {
			return fmt.Errorf("%s rests on a part that is fitted", a)
		}
		if e.Kind == Repaired {
			s.Repairs = append(s.Repairs, e.Body)
			s.Said = map[string]string{} // another car: asked again
		}
	case Checked:
		s.Said[e.Body.Check] = e.Body.Text
	case Closed:
		s.Closed, s.Reason, s.Conclusion, s.Score = true, e.Body.Reason, e.Body.Conclusion, e.Body.Score
	case Reopened:
		s.Closed, s.Reason, s.Conclusion, s.Score = false, "", nil, nil
	}
	return nil
}

// word says an entry in a line, with what was expected below it.
func word(c *harness.Circuit, e Entry) (title, detail string, telling bool) {
	switch e.Kind {
	case Seen:
		if e.Body.Seen == nil {
			return "Nothing readable", "", false
		}
		title = e.Body.Seen.String()
		switch {
		case e.Body.Good.Given():
			detail = "a good circuit: " + e.Body.Good.String()
			telling = !e.Body.Good.Agrees(e.Body.Seen)
		case e.Body.Expected != "":
			detail = "a good circuit: " + e.Body.Expected
		}
		return title, detail, telling
	case Did:
		return electric.DoneSpoken(c, e.Body.Action), "from here on", false
	case Undid:
		return electric.BackSpoken(c, e.Body.Action), e.Body.Text, false
	case Repaired:
		detail = e.Body.Text
		if e.Body.Minutes > 0 {
			detail = strings.TrimPrefix(fmt.Sprintf("%s; %.0f min", detail, e.Body.Minutes), "; ")
		}
		return electric.DoneSpoken(c, e.Body.Action), detail, false
	case Checked:
		title, detail = repair.Spoken(e.Body.Check, e.Body.Text)
		return title, detail, e.Body.Text != repair.AsExpected
	case Pictured:
		return "Photograph", e.Body.Text, false
	case Closed:
		if e.Body.Reason != "" {
			return "Closed: " + string(e.Body.Reason), e.Body.Text, false
		}
		return "Closed", e.Body.Text, false
	case Opened:
		return e.Body.Text, "the complaint", true
	case Reopened:
		return "Reopened", e.Body.Text, true
	case Handed:
		return "Handed over to " + e.Body.Text, "", false
	case Moved:
		return "The harness as it is drawn now", e.Body.Text, false
	}
	return e.Body.Text, "", false
}

// Pinned is the revision of the harness that a job goes by: the one that its log names last, or the
// one it was opened with.
func Pinned(entries []Entry, opened int64) int64 {
	struck := struckOut(entries)
	for _, e := range slices.Backward(entries) {
		if e.Kind == Moved && !struck[e.Seq] {
			return e.Body.Revision
		}
	}
	return opened
}

func struckOut(entries []Entry) map[int]bool {
	struck := map[int]bool{}
	for _, e := range entries {
		if e.Kind == Struck {
			struck[e.Body.Seq] = true
		}
	}
	return struck
}

// Marshal writes a body for the store.
func (b Body) Marshal() ([]byte, error) { return json.Marshal(b) }

// Unmarshal reads what Marshal wrote. A log outlives its program: an observation that cannot be read makes its own entry count for
// nothing, and no other.
func (b *Body) Unmarshal(data []byte) error {
	type body Body
	var read struct {
		body
		Seen json.RawMessage `json:"seen"`
	}
	if err := json.Unmarshal(data, &read); err != nil {
		return err
	}
	*b = Body(read.body)
	var o probe.Observation
	if len(read.Seen) > 0 && json.Unmarshal(read.Seen, &o) == nil {
		b.Seen = &o
	}
	return nil
}
