package job

import (
	"time"

	"ironthread/core/diagnose"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Summary is what lists need of a job, so that nobody has to fold its log for them: kept beside the
// log and written with every entry of it.
type Summary struct {
	Last     int       `json:"last"` // the newest entry's Seq
	LastAt   time.Time `json:"last-at"`
	Opened   time.Time `json:"opened"`
	Readings int       `json:"readings"`
	Ledger   []string  `json:"ledger,omitempty"` // what is still done to the car; of a closed job what does not last
	Family   string    `json:"family"`           // the circuit's title

	Closed   bool      `json:"closed,omitempty"`
	ClosedAt time.Time `json:"closed-at,omitzero"`
	Reason   Reason    `json:"reason,omitempty"`
	Said     string    `json:"said,omitempty"`  // at closing
	Found    []string  `json:"found,omitempty"` // faults repaired, the last one last
	Kinds    []string  `json:"kinds,omitempty"` // what kind of fault each is
	Wrong    int       `json:"wrong,omitempty"` // parts renewed that were not it
	Minutes  float64   `json:"minutes"`         // from the first entry to the last
	Practice *Practice `json:"practice,omitempty"`
	With     string    `json:"with,omitempty"` // who goes on with the job, where it was handed over
}

// Practice is how a drill ended, for the record of whoever ended it.
type Practice struct {
	Who     string  `json:"who"`
	Won     bool    `json:"won"`
	Tests   int     `json:"tests"`
	Minutes float64 `json:"minutes"` // by the price of each reading
	Guide   float64 `json:"guide"`   // minutes of the guide on the same vehicle
	Unsafe  int     `json:"unsafe"`
}

// Summarise sums a folded job up.
func Summarise(c *harness.Circuit, s *State) Summary {
	sum := Summary{Last: s.Last, Readings: len(s.Seen), Family: c.Title, Closed: s.Closed, Reason: s.Reason}
	if len(s.Beads) > 0 {
		first, last := s.Beads[0], s.Beads[len(s.Beads)-1]
		sum.Opened, sum.LastAt, sum.Minutes = first.At, last.At, last.At.Sub(first.At).Minutes()
	}
	for _, b := range s.Beads {
		if b.StruckOut {
			continue
		}
		switch body := b.Body.(type) {
		case Handing:
			sum.With = body.To
		case Closing:
			if !s.Closed {
				continue
			}
			sum.Said, sum.ClosedAt = body.Text, b.At
			if x := body.Score; x != nil {
				sum.Practice = &Practice{b.Who, x.Won, x.Tests, x.Minutes, x.GuideTime, len(x.Unsafe)}
			}
		}
	}
	for _, a := range s.Ledger {
		if !s.Closed || !a.Lasts() && !a.Stands() { // what lasts is a closed car's own
			sum.Ledger = append(sum.Ledger, a.DoneWords(c))
		}
	}
	for k, r := range s.Repairs {
		if r.Fault == "" {
			continue
		}
		if k < len(s.Repairs)-1 && !r.Proven { // renewed on suspicion, and the trouble stayed
			sum.Wrong++
			continue
		}
		sum.Found = append(sum.Found, r.Fault)
		if f, err := fault.Parse(c, r.Fault); err == nil {
			sum.Kinds = append(sum.Kinds, diagnose.KindOf(c, f))
		}
	}
	return sum
}

// Conclusion is what a closed job came to, kept as it stood at that moment: a later harness, a later
// version of the guide or the workshop's later experience do not change a record.
type Conclusion struct {
	Verdict *Found     `json:"verdict,omitempty"`
	Also    []string   `json:"also,omitempty"` // defects measured, seen or felt beside it
	Checks  []Answered `json:"checks"`
	Causes  []Answered `json:"causes,omitempty"`
	Owner   []string   `json:"owner"` // half a page in plain words
}

// Found is what the evidence left at the end.
type Found struct {
	Faults      []string `json:"faults"`
	Probability float64  `json:"probability"`
	Proven      bool     `json:"proven"`
	Lacks       []string `json:"lacks,omitempty"`
}

// Answered is a check before closing with what was seen of it.
type Answered struct {
	Text   string `json:"text"`
	Expect string `json:"expect"`
	Why    string `json:"why,omitempty"` // it is asked
	Read   string `json:"read,omitempty"`
	Done   bool   `json:"done"`
	Wrong  bool   `json:"wrong,omitempty"`
}
