package logic

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/harness"
)

// One output for two stages: the second stage's line is taken off its own output, which is then spare, and follows the first
// stage's output. Where the two lines work the same way a wire joins them; where one runs its stage by an open line, a
// changeover relay stands between: its rest contact holds that line down while the output rests.

// Tied is a circuit with two stages on one output.
type Tied struct {
	Circuit *harness.Circuit
	Spare   string // the output that is free now
	How     string
}

// The relay that stands between, and its contacts' rating, A (common practice).
const tieName = "KT"

// Tie puts the stage of the output called tied on the output called kept (pins of one controller), which commands by pulling
// to ground, or, inverted, by letting go. The error says what stands in the way.
func Tie(c *harness.Circuit, kept, tied harness.Pin, inverted bool) (*Tied, error) {
	text, err := harness.Write(c)
	if err != nil {
		return nil, fmt.Errorf("logic: %w", err)
	}
	made, err := harness.Read(text)
	if err != nil {
		return nil, fmt.Errorf("logic: %w", err)
	}
	keptRole, tiedRole := role(made, kept), role(made, tied)
	switch {
	case kept.Part != tied.Part || kept == tied || keptRole == nil || tiedRole == nil:
		return nil, fmt.Errorf("logic: %s and %s are not two outputs of one controller", kept, tied)
	case keptRole.Command() == "" || tiedRole.Command() == "" || keptRole.PWMOn != "" || tiedRole.PWMOn != "" ||
		keptRole.SourcesOn != "" || tiedRole.SourcesOn != "":
		return nil, fmt.Errorf("logic: %s and %s must both command by pulling a line to ground", kept, tied)
	case made.Part(tieName) != nil:
		return nil, fmt.Errorf("logic: there is a part %s already", tieName)
	}
	keptLine, tiedLine := far(made, kept), far(made, tied)
	if keptLine == (harness.Pin{}) || tiedLine == (harness.Pin{}) {
		return nil, fmt.Errorf("logic: %s or %s leads nowhere", kept, tied)
	}
	t := &Tied{Circuit: made, Spare: tied.String()}
	// keptLow and tiedLow: to ground runs the stage. Pulling is what the output does while the stages run.
	keptLow, tiedLow, pulling := keptRole.SinksOn != "", tiedRole.SinksOn != "", !inverted
	command, gone := keptRole.Command(), tiedRole.Command()
	keptRole.SinksOn, keptRole.SinksUnless = command, ""
	if inverted {
		keptRole.SinksOn, keptRole.SinksUnless = "", command
	}
	drop(made, tied)
	if keptLow == pulling && tiedLow == pulling {
		join(made, keptLine, tiedLine, "GN")
		t.How = fmt.Sprintf("a wire joins %s to %s: both lines follow %s, whose driver then carries both coils", keptLine, tiedLine, kept)
	} else if err := t.between(made, kept, asksBy{keptLine, keptLow == pulling}, asksBy{tiedLine, tiedLow == pulling}); err != nil {
		return nil, err
	}
	forget(made, tied, gone, command)
	if text, err = harness.Write(made); err != nil {
		return nil, fmt.Errorf("logic: %w", err)
	}
	if t.Circuit, err = harness.Read(text); err != nil {
		return nil, fmt.Errorf("logic: %w", err)
	}
	return t, nil
}

// asksBy is a line of the coils, and whether it wants the output's own way.
type asksBy struct {
	line harness.Pin
	same bool
}

// between puts the changeover relay in: the output pulls its coil; a line that wants the output's own way gets its make
// contact (or stays on the output), the other its rest contact.
func (t *Tied) between(c *harness.Circuit, output harness.Pin, kept, tied asksBy) error {
	feed := coilFeed(c, kept.line)
	if feed == (harness.Pin{}) {
		feed = coilFeed(c, tied.line)
	}
	grounds := c.OfKind(harness.KindGround)
	if feed == (harness.Pin{}) || len(grounds) == 0 {
		return fmt.Errorf("logic: there is no coil feed or no ground for %s to stand on", tieName)
	}
	add := &harness.Relay{Contacts: harness.Changeover, CoilOhms: 85 * c.Nominal() * c.Nominal() / 144, ContactOhms: 0.003,
		Make: 40, Rest: 20, Suppression: harness.Unsuppressed}
	add.PullIn, add.DropOut = 8*c.Nominal()/12, 1.2*c.Nominal()/12
	c.Parts = append(c.Parts, &harness.Part{Name: tieName, Label: "two stages on one output", Spec: add})
	pin := func(name string) harness.Pin { return harness.Pin{Part: tieName, Name: name} }
	join(c, feed, pin("86"), "OG")
	join(c, pin("30"), grounds[0].Pins()[0], "BN")
	var words []string
	contact := func(by asksBy) {
		name, does := "87a", "rest"
		if by.same {
			name, does = "87", "make"
		}
		join(c, by.line, pin(name), "GN/WH")
		words = append(words, fmt.Sprintf("its %s contact grounds %s", does, by.line))
	}
	// The kept line leaves its output and the relay's coil takes its place.
	drop(c, output)
	join(c, pin("85"), output, "GN")
	contact(kept)
	contact(tied)
	t.How = fmt.Sprintf("%s pulls a changeover relay %s: %s", output, tieName, strings.Join(words, ", "))
	return nil
}

func role(c *harness.Circuit, pin harness.Pin) *harness.PinRole {
	p := c.Part(pin.Part)
	if p == nil || p.Kind() != harness.KindController {
		return nil
	}
	return p.Spec.(*harness.Controller).Role(pin.Name)
}

// far is where a pin's wire ends.
func far(c *harness.Circuit, pin harness.Pin) harness.Pin {
	for _, w := range c.Wires {
		switch pin {
		case w.From:
			return w.To
		case w.To:
			return w.From
		}
	}
	return harness.Pin{}
}

// drop takes a pin's wires away.
func drop(c *harness.Circuit, pin harness.Pin) {
	c.Wires = slices.DeleteFunc(c.Wires, func(w *harness.Wire) bool { return w.From == pin || w.To == pin })
}

func join(c *harness.Circuit, from, to harness.Pin, colour string) {
	c.Wires = append(c.Wires, &harness.Wire{From: from, To: to, Parallel: 1, Colour: colour, Size: harness.Size{Figure: 0.5},
		Length: harness.Length{Figure: 0.5}})
}

// coilFeed is what feeds the coil, or the module's electronics, at the far end of a line: the other side of the coil.
func coilFeed(c *harness.Circuit, line harness.Pin) harness.Pin {
	p := c.Part(line.Part)
	if p == nil {
		return harness.Pin{}
	}
	switch spec := p.Spec.(type) {
	case *harness.Relay:
		other := map[string]string{"85": "86", "86": "85"}[line.Name]
		if other == "" {
			return harness.Pin{}
		}
		return far(c, harness.Pin{Part: p.Name, Name: other})
	case *harness.FanModule:
		if len(spec.Logic) > 0 {
			return far(c, harness.Pin{Part: p.Name, Name: spec.Logic[0]})
		}
		if len(spec.Feeds) > 0 {
			return far(c, harness.Pin{Part: p.Name, Name: spec.Feeds[0]})
		}
	}
	return harness.Pin{}
}

// forget takes the spare output's command out of states and strategy: where only it was asked for, the stages that are now
// one are not.
func forget(c *harness.Circuit, tied harness.Pin, gone, command string) {
	spec := c.Part(tied.Part).Spec.(*harness.Controller)
	spec.PinRoles = slices.DeleteFunc(spec.PinRoles, func(r *harness.PinRole) bool { return r.Name == tied.Name })
	without := func(list []string) []string {
		if list == nil {
			return nil
		}
		kept := slices.DeleteFunc(slices.Clone(list), func(w string) bool { return w == gone })
		if kept == nil {
			kept = []string{}
		}
		return kept
	}
	var states []*harness.State
	for _, s := range c.States {
		only := slices.Contains(s.Commands, gone) && !slices.Contains(s.Commands, command)
		if s.Commands = without(s.Commands); !only { // a state that asked for this stage alone is no more
			states = append(states, s)
		}
	}
	c.States = states
	c.Strategy = slices.DeleteFunc(c.Strategy, func(r *harness.Rule) bool { return r.Command == gone })
	for _, r := range c.Strategy {
		r.With = without(r.With)
	}
}
