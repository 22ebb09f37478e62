package probe

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// What a test costs in minutes, as the car stands: the way from one set-up to the next, the command, and
// what the kind of question takes by itself.

// Minutes prices a test when the car is in the given state and set-up (state nil: none yet).
func (t Test) Minutes(c *harness.Circuit, state *harness.State, now []electric.Action) float64 {
	minutes := SetupMinutes(now, t.Setup)
	kind := t.Kind()
	if kind == nil { // of a pin that cannot be reached: the way there
		return minutes + t.reach(c, t.At)
	}
	if kind.InState() && state != t.State {
		minutes += minutesCommand
	}
	return minutes + kind.minutes(c, t)
}

// Can tells whether the kit has what a test needs.
func (k Kit) Can(t Test) bool {
	for _, a := range t.Setup {
		switch a.Verb {
		case electric.Jumper, electric.GroundPin, electric.Feed, electric.Pack:
			if k.NoJumper {
				return false
			}
		case electric.Replaced:
			if k.NoDecade {
				return false
			}
		}
	}
	return t.Kind().within(k)
}

// Tools names what a test needs, for its card.
func (t Test) Tools() []string {
	var list []string
	add := func(tool string) {
		if !slices.Contains(list, tool) {
			list = append(list, tool)
		}
	}
	if tool := t.Kind().tool(); tool != "" {
		add(tool)
	}
	for _, a := range t.Setup {
		switch a.Verb {
		case electric.Jumper, electric.GroundPin, electric.Feed:
			add("fused lead")
		case electric.Pack:
			add("battery pack")
		case electric.Replaced:
			add("decade box")
		}
	}
	return list
}

// Risk orders tests that tell as much a minute: what needs a hand at a fan, a bridge or a
// battery pack comes after what does not, a module's pin after a fuse.
func (t Test) Risk(c *harness.Circuit) int {
	risk := t.Kind().risk()
	for _, a := range t.Setup {
		switch a.Verb {
		case electric.Jumper, electric.Pack, electric.Feed, electric.GroundPin:
			risk += 2
		case electric.Swapped, electric.Apart, electric.Replaced:
			risk++
		}
	}
	if t.From.Part != "" && t.Kind().InState() {
		risk++ // a lead in each hand, beside what runs
	}
	if t.At.Part != "" && c.Part(t.At.Part).Kind() == harness.KindController {
		risk++
	}
	return risk
}
