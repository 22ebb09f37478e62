package probe

import (
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/harness"
)

// look is a look at each fan.
type look struct{ aside }

func (look) Do() Do                                 { return LookAtFans }
func (look) looks()                                 {}
func (look) InState() bool                          { return true }
func (look) answers(o *Observation) bool            { return o.Fans != nil }
func (look) some(o *Observation)                    { o.Fans = map[string]string{} }
func (look) ask(*Observation, Test)                 {}
func (look) line(o *Observation) string             { return o.FansWords() }
func (look) tool() string                           { return "" }
func (look) within(Kit) bool                        { return true }
func (look) minutes(*harness.Circuit, Test) float64 { return minutesLook }

func (look) keys(o *Observation) map[string]func(*yaml.Node) error {
	return map[string]func(*yaml.Node) error{"fans": bounded(&o.Fans)}
}

func (look) asked(c *harness.Circuit, o *Observation, t Test) (Test, error) {
	for _, name := range sortedFans(o.Fans) {
		part := c.Part(name)
		switch {
		case part == nil:
			return t, fmt.Errorf("there is no part %s", name)
		case part.Kind() != harness.KindMotor:
			return t, fmt.Errorf("%s is a %s, not a fan", name, part.Kind())
		case !slices.Contains(FanWords, o.Fans[name]):
			return t, fmt.Errorf("%s: a fan cannot be %q (%s)", name, o.Fans[name], strings.Join(FanWords, ", "))
		}
	}
	return t, nil
}
