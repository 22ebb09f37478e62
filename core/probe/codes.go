package probe

import (
	"errors"
	"fmt"
	"strings"

	"ironthread/core/harness"
)

// codes are the fault codes that the controller has stored. It sees the coil side only: a code stands where
// a driver's pin was, in some state, not at the volts that the command asks for.
type codes struct{ aside }

func (codes) Do() Do                                                      { return TroubleCodes }
func (codes) InState() bool                                               { return false }
func (codes) keys() keys                                                  { return keys{answer: "codes"} }
func (codes) where(Test, *Question)                                       {}
func (codes) Words(Test) []string                                         { return codeWords }
func (codes) line(o *Observation) string                                  { return o.Answer.spelled() }
func (codes) tool() string                                                { return "scan tool" }
func (codes) within(k Kit) bool                                           { return k.Scan != NoTool }
func (codes) menu() []Choice                                              { return nil }
func (codes) minutes(*harness.Circuit, Test) float64                      { return minutesCodes }
func (codes) asked(_ *harness.Circuit, _ *Question, t Test) (Test, error) { return t, nil }

// Say is no codes, or some that nobody has written down.
func (codes) Say(word string) Answer {
	if word == codeWords[0] {
		return Codes{}
	}
	return Codes{word}
}

// Asks is what a page writes there.
func (codes) Asks() (label, example string) { return "Fault codes, or none", "P0480, or none" }

// Type reads a list of fault codes as people type it; "none" is an answer, nothing typed is not.
func (codes) Type(text string) (Answer, error) {
	list := Codes{}
	if strings.TrimSpace(text) == "" {
		return nil, errors.New("type the codes, as P0480, several with commas; or none, which is an answer too")
	}
	for _, word := range strings.FieldsFunc(strings.ToUpper(text), func(r rune) bool { return r == ',' || r == ' ' || r == ';' }) {
		switch {
		case word == strings.ToUpper(codeWords[0]):
		case codeForm.MatchString(word):
			list = append(list, word)
		default:
			return nil, fmt.Errorf("%q is no fault code; type it as P0480, several with commas, or none", harness.Clipped(word, 30))
		}
	}
	return list, nil
}

func (codes) Chances(s Subject, t Test, into []float64) error {
	chance, known, err := s.Noticed(t)
	into[1] = codeAnyway + chance*(codeSet-codeAnyway)
	if !known {
		into[1] = 0.5
	}
	into[0] = 1 - into[1]
	return err
}

func (codes) Tell(to Teller, _ Test) {
	to.Title("Read the fault codes")
	to.Step("Read the stored codes of the fan outputs; “none” is an answer too: the controller sees the coil side only.")
}
