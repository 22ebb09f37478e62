package diagnose

import (
	"fmt"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Alike is why suspects cannot be told apart by any reading, and the one inspection that
// decides.
type Alike struct {
	Reason  string `json:"reason"`
	Decides string `json:"decides"`
}

// alikeness says why the members of a group read alike; nil for one alone. The reasons are
// physical and common practice, the first that fits is given.
func (g *inquiry) alikeness(members []int) *Alike {
	if len(members) < 2 {
		return nil
	}
	if slices.Contains(members, g.nobody()) {
		return &Alike{
			"None of them changes what a fan does in any state.",
			"Nothing need be done for the fans; clamp currents and looking at the joints would tell the rest.",
		}
	}
	lead := g.suspects[members[0]].Fault
	var others []fault.Fault
	for _, i := range members[1:] {
		if f := g.suspects[i].Fault; f.Words != "" {
			others = append(others, f)
		}
	}
	if len(others) == 0 {
		return nil
	}
	sameRepair := !slices.ContainsFunc(others, func(f fault.Fault) bool { return electric.RepairOf(f) != electric.RepairOf(lead) })
	if sameRepair {
		return &Alike{"The same part is renewed whichever it is.", "The part on the bench, or opened, shows which it was."}
	}
	all := append([]fault.Fault{lead}, others...)
	for _, rule := range []func([]fault.Fault) *Alike{g.blownOrShort, g.stuckOrShort, g.openInRow, g.weakInRow} {
		if why := rule(all); why != nil {
			return why
		}
	}
	return &Alike{
		"Every reading that can be taken here is the same for them, within what a meter and the cars' spread allow.",
		fmt.Sprintf("Look at %s first, terminal and part: it is the likeliest.", lead.Subject()),
	}
}

func firstThat(all []fault.Fault, match func(fault.Fault) bool) (fault.Fault, bool) {
	n := slices.IndexFunc(all, match)
	if n < 0 {
		return fault.Fault{}, false
	}
	return all[n], true
}

// blownOrShort: a short blows the fuse, and then looks like the fuse.
func (g *Guide) blownOrShort(all []fault.Fault) *Alike {
	isFuse := func(f fault.Fault) bool {
		return f.On == fault.OnPart && g.circuit.Part(f.Part).Kind() == harness.KindFuse
	}
	fuse, blown := firstThat(all, isFuse)
	short, shorted := firstThat(all, func(f fault.Fault) bool { return f.Words == fault.Grounded || f.Words == fault.Seized })
	if !blown || !shorted {
		return nil
	}
	var decides string
	if isShort(short) {
		decides = g.inspection(short, fuse.Part)
	} else {
		decides = fmt.Sprintf("%s unplugged and turned by hand: stuck, it is the motor; free, it is the fuse alone.", short.Part)
	}
	return &Alike{fmt.Sprintf("%s has blown the fuse, so the circuit is as dead as with %s alone.", short, fuse), decides}
}

// stuckOrShort: a control line shorted to ground is a driver stuck on.
func (g *Guide) stuckOrShort(all []fault.Fault) *Alike {
	line, grounded := firstThat(all, func(f fault.Fault) bool { return f.On == fault.OnWire && f.Words == fault.Grounded })
	driver, stuck := firstThat(all, func(f fault.Fault) bool { return f.On == fault.OnRole && f.Words == fault.AlwaysOn })
	if !grounded || !stuck {
		return nil
	}
	return &Alike{
		fmt.Sprintf("The line held at ground by %s reads as it does when %s holds it.", line.Subject(), driver.Pin),
		fmt.Sprintf("%s unplugged: a short stays, a driver lets go.", driver.Pin.Part),
	}
}

// openInRow: breaks in a row with nothing to touch between them.
func (g *Guide) openInRow(all []fault.Fault) *Alike {
	for _, f := range all {
		switch f.Words {
		case fault.Open, fault.MakeOpen, fault.RestOpen, fault.CoilOpen, fault.WayOpen, fault.SticksAtRest:
		default:
			return nil
		}
	}
	return g.inRow(all, "Each breaks the same current, and there is no place to touch between them.")
}

// weakInRow: resistances in a row.
func (g *Guide) weakInRow(all []fault.Fault) *Alike {
	for _, f := range all {
		switch f.Words {
		case fault.Resists, fault.MakeBurnt, fault.RestBurnt, fault.WayResists, fault.PostResists:
		default:
			return nil
		}
	}
	return g.inRow(all, "Each adds its ohms to the same current, and there is no place to touch between them.")
}

func (g *Guide) inRow(all []fault.Fault, reason string) *Alike {
	at, ok := firstThat(all, func(f fault.Fault) bool { return f.On == fault.OnPin })
	if ok {
		return &Alike{reason, fmt.Sprintf("Look at the terminal %s: spread, green, pushed back? If it is sound, it is the part or the wire behind it.", at.Pin)}
	}
	return &Alike{reason, "Open the loom where they meet, or run a wire beside it for the length of one test."}
}
