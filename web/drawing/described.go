package drawing

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/probe"
)

// A drawing in words, for whoever hears the page: what is fed and turns, what is pulled in, what is suspected, and what was read. The
// letters that stand loose on the drawing say nothing to them, and are left out.

// mostDescribed bounds how many suspects and readings are told.
const mostDescribed = 5

// Described says what a drawing shows; evidence is what lies over it, and may be the same.
func Described(look, evidence *Look) string {
	var said []string
	if p := look.Point; p != nil {
		for _, name := range slices.Sorted(maps.Keys(p.Motors)) {
			m := p.Motors[name]
			word := string(m.Speed)
			if m.Speed != electric.Stopped {
				word += " with " + probe.FormatVolts(m.Volts)
			}
			said = append(said, name+" "+word)
		}
		for _, name := range slices.Sorted(maps.Keys(p.Relays)) {
			said = append(said, name+" "+p.Relays[name])
		}
		for _, name := range slices.Sorted(maps.Keys(p.Fuses)) {
			if p.Fuses[name].Open {
				said = append(said, name+" blown")
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(look.Away)) {
		said = append(said, name+" "+look.Away[name])
	}
	text := strings.Join(said, ", ")
	suspects := slices.Collect(maps.Keys(evidence.Parts))
	slices.SortFunc(suspects, func(a, b string) int {
		if d := evidence.Parts[b] - evidence.Parts[a]; d != 0 {
			return int(1e6 * d)
		}
		return strings.Compare(a, b)
	})
	var list []string
	for _, name := range suspects {
		if evidence.Parts[name] >= hatchFrom && len(list) < mostDescribed {
			list = append(list, fmt.Sprintf("%s %.0f %%", name, 100*evidence.Parts[name]))
		}
	}
	if len(list) > 0 {
		text += ". Suspected: " + strings.Join(list, ", ")
	}
	list = nil
	for _, pin := range slices.Sorted(maps.Keys(evidence.Readings)) {
		if len(list) < mostDescribed {
			list = append(list, pin+" reads "+evidence.Readings[pin])
		}
	}
	if len(list) > 0 {
		text += ". Measured: " + strings.Join(list, ", ")
	}
	if evidence.Next != "" {
		text += ". The red lead goes to " + evidence.Next
	}
	return strings.TrimPrefix(text, ". ") + "."
}
