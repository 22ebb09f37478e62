package instruct

import (
	"strings"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// A fault has one spelling everywhere, short enough for a log; beside it stands what the trade calls it, and what its part
// is called on the car.

// meant says what a fault's words mean at the car, by kind of part where that differs; empty: they say it themselves.
var meant = map[string]string{
	fault.Resists: "high resistance", fault.WayResists: "high resistance", fault.PostResists: "high resistance at its post",
	fault.Grounded: "shorted to ground", fault.ToBattery: "shorted to battery", fault.Wrong: "wrong rating fitted",
	fault.CoilOpen: "coil broken", fault.CoilShorted: "coil's turns shorted",
	fault.MakeOpen: "30 to 87 does not close", fault.MakeBurnt: "30 to 87 closes and carries nothing",
	fault.MakeWelded: "30 to 87 does not open",
	fault.RestOpen:   "30 to 87a does not close", fault.RestBurnt: "30 to 87a closes and carries nothing",
	fault.MakeOpenB: "second pole: 30 to 87 does not close", fault.MakeBurntB: "second pole: 30 to 87 carries nothing",
	fault.RestOpenB: "second pole: 30 to 87a does not close", fault.RestBurntB: "second pole: 30 to 87a carries nothing",
	fault.SticksAtRest: "does not pull in", fault.SticksIn: "does not let go", fault.Brushes: "starts now and then, or when tapped",
	fault.Worn: "drags", fault.Reversed: "turns the wrong way", fault.Dead: "gives nothing", fault.AlwaysOn: "does not let go",
	fault.Off: "reads wrong", fault.Flat: "too few volts", fault.Crossed: "changed over in the plug", fault.NoPower: "as if it had no feed",
	fault.FuseOpen:  "the fuse built into it has blown",
	fault.StuckFull: "runs full whatever it is told", fault.LimiterOpen: "its one-shot thermal fuse has opened",
}

// Gloss is what stands beside a fault for whoever reads it at the car: the label of its part, and its words as the trade
// says them. It is empty where the fault's own words say all.
func Gloss(c *harness.Circuit, words string) string {
	f, err := fault.Parse(c, words)
	if err != nil {
		return ""
	}
	var said []string
	for _, name := range f.Parts() {
		if part := c.Part(name); part != nil && part.Label != "" {
			said = append(said, labelled(part))
		}
	}
	switch meaning := meant[f.Words]; {
	case f.Words == fault.Open && f.On == fault.OnPart && c.Part(f.Part).Kind() == harness.KindFuse:
		said = append(said, "blown")
	case f.Words == fault.Open && f.On == fault.OnPin:
		said = append(said, "terminal spread or backed out")
	case f.Words == fault.Open && f.On == fault.OnWire:
		said = append(said, "broken")
	case meaning != "":
		said = append(said, meaning)
	}
	return strings.Join(said, ": ")
}

// labelled is a part's label with what it is, where the label alone does not say it: "link fuse", "low relay".
func labelled(part *harness.Part) string {
	kind := string(part.Kind())
	if (part.Kind() == harness.KindFuse || part.Kind() == harness.KindRelay) && !strings.Contains(part.Label, kind) {
		return part.Label + " " + kind
	}
	return part.Label
}
