package job

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/repair"
)

// What an entry records. Each kind of entry has a type of its own, which says what the entry does to the job when the log is
// folded, and how the thread words it. Another kind of entry is another type here, and a line in the table of readers below.
// Nothing else has to know it.

// Body is what an entry records.
type Body interface {
	Kind() Kind // the name under which the log keeps it

	said(*harness.Circuit) line
}

// onCar is an entry that does something to the car, or says something of it: an error where the circuit no longer permits that.
type onCar interface {
	bring(*harness.Circuit, *State) error
}

// ofJob is an entry that changes how the job itself stands.
type ofJob interface {
	settle(*State)
}

// line is how the thread says an entry.
type line struct {
	title, detail string
	telling       bool // it was not as a healthy car would show
}

// Complaint is what a job was opened for.
type Complaint struct {
	Text string `json:"text,omitempty"`
}

// Reading is what was seen, and what a car with nothing wrong would have shown, kept as it was when the reading was taken.
type Reading struct {
	Seen probe.Observation `json:"seen"`
	Good *probe.Good       `json:"good,omitempty"`

	Expected string `json:"expected,omitempty"` // Good in words, as older logs have it; for reading only
}

// Done is a set-up action that holds from now on.
type Done struct {
	Action string `json:"action,omitempty"`
}

// PutBack is a set-up action that holds no longer.
type PutBack struct {
	Why    string `json:"text,omitempty"`
	Action string `json:"action,omitempty"`
}

// Note is a line that somebody wrote.
type Note struct {
	Text  string `json:"text,omitempty"`
	About int    `json:"seq,omitempty"` // the entry that it stands beside; 0 for none
}

// Strike takes an entry out of the reckoning; it stays in the log.
type Strike struct {
	Of int `json:"seq,omitempty"`
}

// Closing ends a job.
type Closing struct {
	Text       string      `json:"text,omitempty"` // what it was and what was done
	Reason     Reason      `json:"reason,omitempty"`
	Score      *Score      `json:"score,omitempty"`      // of a drill
	Conclusion *Conclusion `json:"conclusion,omitempty"` // as it stood then; nil in logs from before conclusions were kept

	// What the circuit's printed page shows round the fault, kept as a photograph of the job, since pages can be laid anew; 0 for none.
	Page  int64  `json:"photo,omitempty"`
	Shows string `json:"shows,omitempty"` // the places on it
}

// Reopening says why a closed job goes on; what it came to before stays in the log.
type Reopening struct {
	Why string `json:"text,omitempty"`
}

// Repair is what was renewed, and the fault that it was for.
type Repair struct {
	Text    string  `json:"text,omitempty"`
	Action  string  `json:"action,omitempty"`
	Fault   string  `json:"fault,omitempty"`
	Proven  bool    `json:"proven,omitempty"` // the fault was, then
	Parts   string  `json:"parts,omitempty"`  // used
	Minutes float64 `json:"minutes,omitempty"`
}

// Check is a check before closing, answered by hand.
type Check struct {
	Answer string `json:"text,omitempty"`
	Key    string `json:"check,omitempty"`
}

// Picture is a photograph.
type Picture struct {
	Text  string `json:"text,omitempty"`
	About int    `json:"seq,omitempty"` // the entry that it belongs to; 0 for none
	Photo int64  `json:"photo,omitempty"`
}

// Drill makes a job one: its vehicle has what is hidden here, shown to nobody before the end.
type Drill struct {
	Hidden Hidden `json:"hidden"`
}

// Handing gives a job to somebody else.
type Handing struct {
	To string `json:"text,omitempty"`
}

// Move lets a job go by another revision of its harness.
type Move struct {
	Changes  string `json:"text,omitempty"` // between the two, in words
	Revision int64  `json:"revision,omitempty"`
}

// Unread is an entry that this program cannot read: it counts for nothing, and is kept as it was. A log outlives its program.
type Unread struct {
	As  Kind
	Raw json.RawMessage
	Why error
}

// MarshalJSON gives back what was read.
func (u Unread) MarshalJSON() ([]byte, error) { return u.Raw, nil }

// readers read each kind of body.
var readers = map[Kind]func([]byte) (Body, error){
	Opened: read[Complaint], Seen: read[Reading], Did: read[Done], Undid: read[PutBack], Noted: read[Note], Struck: read[Strike],
	Closed: read[Closing], Reopened: read[Reopening], Repaired: read[Repair], Checked: read[Check], Pictured: read[Picture],
	Drilled: read[Drill], Handed: read[Handing], Moved: read[Move],
}

// mostOfKind is how much of the name of an unknown kind is said.
const mostOfKind = 40

// Known tells whether there is such a kind of entry.
func Known(kind Kind) bool { return readers[kind] != nil }

// ReadBody reads what json.Marshal wrote of a body. The error is one of JSON's; a reading that holds no observation that can be
// read, and a kind that is not known, is Unread.
func ReadBody(kind Kind, data []byte) (Body, error) {
	if len(data) == 0 {
		data = []byte("{}") // what has nothing to say says nothing
	}
	if !json.Valid(data) {
		return nil, fmt.Errorf("the body of an entry is no JSON")
	}
	why := fmt.Errorf("there is no kind of entry %q", harness.Clipped(string(kind), mostOfKind))
	if reader := readers[kind]; reader != nil {
		body, err := reader(data)
		if err == nil {
			return body, nil
		}
		why = err
	}
	return Unread{kind, slices.Clone(data), why}, nil
}

func read[T Body](data []byte) (Body, error) {
	var body T
	if err := json.Unmarshal(data, &body); err != nil {
		return nil, err
	}
	if r, ok := Body(body).(Reading); ok && r.Seen.Answer == nil {
		return nil, fmt.Errorf("it carries no observation")
	}
	return body, nil
}

// Beside is the number of the entry that a body speaks of, 0 for none, and the body with another number there.
func Beside(b Body) (int, func(int) Body) {
	switch b := b.(type) {
	case Note:
		return b.About, func(to int) Body { b.About = to; return b }
	case Picture:
		return b.About, func(to int) Body { b.About = to; return b }
	case Strike:
		return b.Of, func(to int) Body { b.Of = to; return b }
	}
	return 0, func(int) Body { return b }
}

// ActionOf is the set-up action or the repair that a body enters or takes back, in words; empty for none.
func ActionOf(b Body) string {
	switch b := b.(type) {
	case Done:
		return b.Action
	case PutBack:
		return b.Action
	case Repair:
		return b.Action
	}
	return ""
}

// Kind is the name of each in the log.
func (Complaint) Kind() Kind { return Opened }
func (Reading) Kind() Kind   { return Seen }
func (Done) Kind() Kind      { return Did }
func (PutBack) Kind() Kind   { return Undid }
func (Note) Kind() Kind      { return Noted }
func (Strike) Kind() Kind    { return Struck }
func (Closing) Kind() Kind   { return Closed }
func (Reopening) Kind() Kind { return Reopened }
func (Repair) Kind() Kind    { return Repaired }
func (Check) Kind() Kind     { return Checked }
func (Picture) Kind() Kind   { return Pictured }
func (Drill) Kind() Kind     { return Drilled }
func (Handing) Kind() Kind   { return Handed }
func (Move) Kind() Kind      { return Moved }
func (u Unread) Kind() Kind  { return u.As }

func (r Reading) bring(c *harness.Circuit, s *State) error {
	if _, err := r.Seen.Check(c); err != nil {
		return err
	}
	s.Seen = append(s.Seen, r.Seen)
	s.Now.State = c.State(r.Seen.State)
	return nil
}

func (d Done) bring(c *harness.Circuit, s *State) error { return s.enter(c, d.Action) }

func (p PutBack) bring(c *harness.Circuit, s *State) error {
	a, err := electric.ParseAction(c, p.Action)
	if err != nil {
		return err
	}
	s.Ledger, _ = electric.Resting(slices.DeleteFunc(slices.Clone(s.Ledger), func(o electric.Action) bool { return o == a }))
	// A repair that is taken back is none.
	s.Repairs = slices.DeleteFunc(slices.Clone(s.Repairs), func(r Repair) bool { return r.Action == p.Action })
	return nil
}

func (r Repair) bring(c *harness.Circuit, s *State) error {
	if err := s.enter(c, r.Action); err != nil {
		return err
	}
	s.Repairs = append(s.Repairs, r)
	s.Said = map[string]string{} // another car: asked again
	return nil
}

func (k Check) settle(s *State) {
	s.Said[k.Key] = k.Answer
}

func (k Closing) settle(s *State) {
	s.Closed, s.Reason, s.Conclusion, s.Score, s.Closing = true, k.Reason, k.Conclusion, k.Score, k
}

func (Reopening) settle(s *State) {
	s.Closed, s.Reason, s.Conclusion, s.Score, s.Closing = false, "", nil, nil, Closing{}
}

func (u Unread) bring(*harness.Circuit, *State) error { return u.Why }

// enter puts an action into the ledger.
func (s *State) enter(c *harness.Circuit, words string) error {
	a, err := electric.ParseAction(c, words)
	if err != nil {
		return err
	}
	if a.Verb != electric.Renewed && a.Verb != electric.RenewedUsed { // a part may be renewed again
		s.Ledger = slices.DeleteFunc(slices.Clone(s.Ledger), func(o electric.Action) bool { return o == a })
	}
	kept, fallen := electric.Resting(electric.Then(s.Ledger, a)) // a part that is fitted again takes along what rested on it
	if s.Ledger = kept; slices.Contains(fallen, a) {
		return fmt.Errorf("%s rests on a part that is fitted", a)
	}
	return nil
}

func (k Complaint) said(*harness.Circuit) line { return line{k.Text, "the complaint", true} }
func (n Note) said(*harness.Circuit) line      { return line{title: n.Text} }
func (Strike) said(*harness.Circuit) line      { return line{} }
func (Drill) said(*harness.Circuit) line       { return line{} }
func (p Picture) said(*harness.Circuit) line   { return line{"Photograph", p.Text, false} }
func (r Reopening) said(*harness.Circuit) line { return line{"Reopened", r.Why, true} }
func (h Handing) said(*harness.Circuit) line   { return line{title: "Handed over to " + h.To} }
func (m Move) said(*harness.Circuit) line {
	return line{"The harness as it is drawn now", m.Changes, false}
}
func (Unread) said(*harness.Circuit) line { return line{title: "Nothing readable"} }

func (r Reading) said(*harness.Circuit) line {
	l := line{title: r.Seen.String()}
	switch {
	case r.Good.Given():
		l.detail, l.telling = "a good circuit: "+r.Good.String(), !r.Good.Agrees(&r.Seen)
	case r.Expected != "":
		l.detail = "a good circuit: " + r.Expected
	}
	return l
}

func (d Done) said(c *harness.Circuit) line {
	return line{electric.DoneSpoken(c, d.Action), "from here on", false}
}

func (p PutBack) said(c *harness.Circuit) line {
	return line{electric.BackSpoken(c, p.Action), p.Why, false}
}

func (r Repair) said(c *harness.Circuit) line {
	l := line{electric.DoneSpoken(c, r.Action), r.Text, false}
	if r.Minutes > 0 {
		l.detail = strings.TrimPrefix(fmt.Sprintf("%s; %.0f min", l.detail, r.Minutes), "; ")
	}
	return l
}

func (k Check) said(*harness.Circuit) line {
	title, detail := repair.Spoken(k.Key, k.Answer)
	return line{title, detail, k.Answer != repair.AsExpected}
}

func (k Closing) said(*harness.Circuit) line {
	if k.Reason == "" {
		return line{"Closed", k.Text, false}
	}
	return line{"Closed: " + string(k.Reason), k.Text, false}
}
