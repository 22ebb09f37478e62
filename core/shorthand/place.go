package shorthand

import (
	"slices"
	"strconv"
	"strings"

	"ironthread/core/harness"
)

// place is something on the drawing that words name: a part, or a terminal of it.
type place struct {
	part *harness.Part
	pin  string // empty: the part as a whole
}

func (p place) String() string {
	if p.pin == "" {
		return p.part.Name
	}
	return harness.Pin{Part: p.part.Name, Name: p.pin}.String()
}

// terminal is the place as a terminal: that of a part with one only, or of a fan the side that it is fed from. ok is false where
// the part has several and none is said.
func (p place) terminal() (name string, ok bool) {
	pins := p.part.Pins()
	switch {
	case p.pin != "" || len(pins) == 1:
		return p.String(), true
	case p.part.Kind() == harness.KindMotor && len(pins) == 2:
		return pins[0].String(), true
	}
	return "", false
}

// pinWords are what people call terminals.
var pinWords = map[string]string{"plus": "+", "positive": "+", "minus": "-", "negative": "-"}

// placeAt is the place that words begin with, and how many of them name it; 0 where they name none.
func placeAt(c *harness.Circuit, words []string) (place, int) {
	if len(words) == 0 {
		return place{}, 0
	}
	if kind := harness.KindCalled(words[0]); kind != "" && len(words) > 1 { // "fuse f3", "fuse 3"
		if p, n := placeAt(c, words[1:]); n > 0 && p.part.Kind() == kind {
			return p, n + 1
		}
		if part := numbered(c, kind, words[1]); part != nil {
			p, n := withPin(c, part, words[2:])
			return p, n + 2
		}
	}
	if name, pin, found := strings.Cut(words[0], "."); found {
		if part := partNamed(c, name); part != nil {
			if at := pinOf(c, part, pin); at != "" {
				return place{part, at}, 1
			}
		}
	}
	if part := partNamed(c, words[0]); part != nil {
		p, n := withPin(c, part, words[1:])
		return p, n + 1
	}
	if part, n := labelled(c, words); n > 0 {
		p, more := withPin(c, part, words[n:])
		return p, n + more
	}
	if kind := harness.KindCalled(words[0]); kind != "" { // "fan", where there is one
		if list := c.OfKind(kind); len(list) == 1 {
			p, n := withPin(c, list[0], words[1:])
			return p, n + 1
		}
	}
	return place{}, 0
}

// withPin takes the terminal that follows a part's name.
func withPin(c *harness.Circuit, part *harness.Part, words []string) (place, int) {
	skipped := 0
	if len(words) > 1 && (words[0] == "pin" || words[0] == "terminal") {
		words, skipped = words[1:], 1
	}
	if len(words) > 0 {
		if pin := pinOf(c, part, words[0]); pin != "" {
			return place{part, pin}, skipped + 1
		}
	}
	return place{part: part}, 0
}

func partNamed(c *harness.Circuit, word string) *harness.Part {
	for _, p := range c.Parts {
		if strings.EqualFold(p.Name, word) {
			return p
		}
	}
	return nil
}

// pinOf is a part's terminal by its name, its print on the relay, or what people call it.
func pinOf(c *harness.Circuit, part *harness.Part, word string) string {
	if as, known := pinWords[word]; known {
		word = as
	}
	for _, pin := range part.Pins() {
		if pin.Name != "" && strings.EqualFold(pin.Name, word) {
			return pin.Name
		}
	}
	if pin, err := c.FindPin(part.Name + "." + word); err == nil && part.Kind() == harness.KindRelay {
		return pin.Name
	}
	return ""
}

// labelled is the part whose label the words begin with, the longest; 0 where there is none.
func labelled(c *harness.Circuit, words []string) (*harness.Part, int) {
	var best *harness.Part
	most := 0
	for _, p := range c.Parts {
		label := strings.Fields(strings.ToLower(p.Label))
		if len(label) > most && len(label) <= len(words) && slices.Equal(label, words[:len(label)]) {
			best, most = p, len(label)
		}
	}
	return best, most
}

// numbered is the part of a kind whose name ends in a number.
func numbered(c *harness.Circuit, kind harness.Kind, word string) *harness.Part {
	if _, err := strconv.Atoi(word); err != nil {
		return nil
	}
	for _, p := range c.OfKind(kind) {
		if strings.TrimLeft(p.Name, "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz") == word {
			return p
		}
	}
	return nil
}

// Place is the part or the terminal that a line names and says nothing else of: "fuse 3", "k2 87"; empty where it is anything else.
func Place(c *harness.Circuit, line string) string {
	words := strings.Fields(strings.ToLower(line))
	if len(words) > mostWords {
		return ""
	}
	p, n := placeAt(c, words)
	if n == 0 || n < len(words) {
		return ""
	}
	return p.String()
}
