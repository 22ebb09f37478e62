package job

import (
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// What a job's log keeps of a drill; how one is played and judged is said by package drill.

// Hidden is what a drill's vehicle has; it is kept in its log, and told at the end.
type Hidden struct {
	Faults []string `json:"faults"`
	Seed   uint64   `json:"seed"`
	Lesson string   `json:"lesson,omitempty"`
}

// In reads what is hidden in a vehicle of this circuit.
func (h Hidden) In(c *harness.Circuit) ([]fault.Fault, error) {
	var faults []fault.Fault
	for _, words := range h.Faults {
		f, err := fault.Parse(c, words)
		if err != nil {
			return nil, err
		}
		faults = append(faults, f)
	}
	return faults, nil
}

// Score is what a drill came to. It is kept in the log as it was judged.
type Score struct {
	Truth        []string `json:"truth"`
	Lesson       string   `json:"lesson,omitempty"`
	Said         []string `json:"said,omitempty"` // what was repaired, or said to be it
	Won          bool     `json:"won"`            // everything hidden was repaired or named, and nothing else renewed
	Tests        int      `json:"tests"`
	Minutes      float64  `json:"minutes"` // by the price of each test, not by the clock
	Wrong        []string `json:"wrong,omitempty"`
	Condemned    []string `json:"condemned,omitempty"` // parts condemned without a reading under load at their ground
	Unsafe       []string `json:"unsafe,omitempty"`    // moves that can hurt somebody or something
	Sufficed     int      `json:"sufficed"`            // after how many readings the evidence held the truth at a verdict's belief; 0: never
	Replay       []Moment `json:"replay,omitempty"`    // what the evidence left after each reading
	GuideTests   int      `json:"guide-tests"`
	GuideTime    float64  `json:"guide-time"`
	GuideVerdict string   `json:"guide-verdict,omitempty"`
}

// Moment is a reading of a drill, and what the evidence left after it.
type Moment struct {
	Seen   string  `json:"seen"`
	Leader string  `json:"leader"`
	Belief float64 `json:"belief"` // in the leader
	Truth  float64 `json:"truth"`  // in what was hidden
	Unsafe string  `json:"unsafe,omitempty"`
}
