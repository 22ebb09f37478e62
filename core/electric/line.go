package electric

import (
	"fmt"
	"strings"

	"ironthread/core/harness"
)

// A whole set-up as one line, as a person types it: "K1 out, jumper K1.30 K1.87".

// mostInLine bounds how many actions one line may hold.
const mostInLine = 40

// ParseLine reads the actions of a line, with commas or semicolons between them. A place that was cleaned ("fuse box cleaned",
// "cleaned bonnet box B") stands for all parts that sit there. The error names the action that cannot be.
func ParseLine(c *harness.Circuit, line string) ([]Action, error) {
	var list []Action
	for _, words := range strings.FieldsFunc(line, func(r rune) bool { return r == ',' || r == ';' }) {
		words = strings.TrimSpace(words)
		if words == "" {
			continue
		}
		a, err := ParseAction(c, words)
		if err == nil {
			list = append(list, a)
			continue
		}
		cleaned := cleanedThere(c, words)
		if len(cleaned) == 0 {
			return nil, err
		}
		list = append(list, cleaned...)
	}
	switch {
	case len(list) == 0:
		return nil, fmt.Errorf("set-up: say what is done to the car, as in K1 out, jumper K1.30 K1.87")
	case len(list) > mostInLine:
		return nil, fmt.Errorf("set-up: %d actions are more than the %d that one line may hold", len(list), mostInLine)
	}
	return list, nil
}

// cleanedThere are the cleanings of all parts at a place that was cleaned; none where the words say something else.
func cleanedThere(c *harness.Circuit, words string) []Action {
	words = strings.ToLower(strings.Join(strings.Fields(words), " "))
	place, before := strings.CutPrefix(words, "cleaned ")
	if !before {
		var after bool
		if place, after = strings.CutSuffix(words, " cleaned"); !after {
			return nil
		}
	}
	var list []Action
	for _, p := range c.Parts {
		at := strings.ToLower(p.At)
		if at == "" || !strings.HasPrefix(at, place) && !strings.Contains(" "+at+" ", " "+place+" ") {
			continue
		}
		if a, err := ParseAction(c, "cleaned "+p.Name); err == nil {
			list = append(list, a)
		}
	}
	return list
}
