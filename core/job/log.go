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
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
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
	Closed Kind = "closed" // Body: Text, what it was and what was done
)

// Entry is one line of the log.
type Entry struct {
	Seq  int
	At   time.Time
	Who  string
	Kind Kind
	Body Body
}

// Body is what an entry carries; which fields, its kind says. Expected is what a car with
// nothing wrong would have shown, kept as it was when the reading was taken.
type Body struct {
	Text     string             `json:"text,omitempty"`
	Seen     *probe.Observation `json:"seen,omitempty"`
	Expected string             `json:"expected,omitempty"`
	Action   string             `json:"action,omitempty"`
	Seq      int                `json:"seq,omitempty"`
}

// Bead is an entry as the thread shows it.
type Bead struct {
	Entry
	StruckOut bool
	Title     string
	Detail    string
	Telling   bool // it was not as a healthy car would show
}

// State is how a job stands.
type State struct {
	Beads  []Bead
	Seen   []probe.Observation // not struck out, oldest first
	Ledger []electric.Action
	Now    diagnose.Now
	Closed bool
	Last   int // the newest entry's Seq
}

// Fold replays the log. An entry that the circuit no longer permits is shown with the reason
// and counts for nothing.
func Fold(c *harness.Circuit, entries []Entry) *State {
	struck := map[int]bool{}
	for _, e := range entries {
		if e.Kind == Struck {
			struck[e.Body.Seq] = true
		}
	}
	s := &State{}
	for _, e := range entries {
		s.Last = max(s.Last, e.Seq)
		if e.Kind == Struck {
			continue
		}
		b := Bead{Entry: e, StruckOut: struck[e.Seq]}
		var err error
		if !b.StruckOut {
			err = s.apply(c, e)
		}
		b.Title, b.Detail, b.Telling = word(e)
		if err != nil {
			b.Detail = "does not count: " + err.Error()
		}
		s.Beads = append(s.Beads, b)
	}
	s.Now.Setup = s.Ledger
	return s
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
	case Did, Undid:
		a, err := electric.ParseAction(c, e.Body.Action)
		if err != nil {
			return err
		}
		s.Ledger = slices.DeleteFunc(slices.Clone(s.Ledger), func(o electric.Action) bool { return o == a })
		if e.Kind == Did {
			s.Ledger = append(s.Ledger, a)
		}
	case Closed:
		s.Closed = true
	}
	return nil
}

// word says an entry in a line, with what was expected below it.
func word(e Entry) (title, detail string, telling bool) {
	switch e.Kind {
	case Seen:
		if e.Body.Seen == nil {
			return "Nothing readable", "", false
		}
		title = e.Body.Seen.String()
		if e.Body.Expected != "" {
			detail = e.Body.Expected + " if all were well"
			telling = !agrees(e.Body.Seen, e.Body.Expected)
		}
		return title, detail, telling
	case Did:
		return e.Body.Action, "from here on", false
	case Undid:
		return "no longer: " + e.Body.Action, "", false
	case Closed:
		return "Closed", e.Body.Text, false
	case Opened:
		return e.Body.Text, "the complaint", true
	}
	return e.Body.Text, "", false
}

// agrees tells roughly whether a reading is as expected: the same words, or within a volt.
func agrees(o *probe.Observation, expected string) bool {
	if o.Fans != nil {
		return o.FansWords() == expected
	}
	var volts float64
	if _, err := fmt.Sscanf(expected, "%f", &volts); err != nil {
		return o.Volts.Open
	}
	d := o.Volts.Figure - volts
	return !o.Volts.Open && d < 1 && d > -1
}

// Marshal writes a body for the store.
func (b Body) Marshal() ([]byte, error) { return json.Marshal(b) }

// Unmarshal reads what Marshal wrote.
func (b *Body) Unmarshal(data []byte) error { return json.Unmarshal(data, b) }
