package instruct

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Alike is why suspects cannot be told apart by any reading, and the one inspection that
// decides.
type Alike struct {
	Reason  string `json:"reason"`
	Decides string `json:"decides"`
}

// WhyAlike says why faults that stand together read alike, the likeliest first; nil for one alone. harmless
// says that "no fault" stands among them. The reasons are physical and common practice, the first that fits
// is given.
func WhyAlike(m *electric.Model, faults []fault.Fault, harmless bool) *Alike {
	if harmless {
		return &Alike{
			"As small as the readings leave them, none of them changes what a fan does in any state.",
			"The fans need no repair; clamp currents and a look at the joints would tell the rest.",
		}
	}
	if len(faults) < 2 {
		return nil
	}
	lead := faults[0]
	if !slices.ContainsFunc(faults, func(f fault.Fault) bool { return electric.RepairOf(f) != electric.RepairOf(lead) }) {
		return &Alike{"The same part is replaced whichever it is.", "The part on the bench, or opened, shows which it was."}
	}
	w := &why{m, m.Circuit}
	for _, rule := range []func([]fault.Fault) *Alike{w.blownOrShort, w.stuckOrShort, w.openInRow, w.weakInRow} {
		if why := rule(faults); why != nil {
			return why
		}
	}
	return &Alike{
		"Every reading that can be taken here is the same for them, within what a meter and the cars' spread allow.",
		fmt.Sprintf("Look at %s first, terminal and part: it is the likeliest.", lead.Subject()),
	}
}

// why looks for the reason in a circuit.
type why struct {
	model   *electric.Model
	circuit *harness.Circuit
}

func firstThat(all []fault.Fault, match func(fault.Fault) bool) (fault.Fault, bool) {
	n := slices.IndexFunc(all, match)
	if n < 0 {
		return fault.Fault{}, false
	}
	return all[n], true
}

// blownOrShort: a short blows the fuse, and then looks like the fuse.
func (w *why) blownOrShort(all []fault.Fault) *Alike {
	isFuse := func(f fault.Fault) bool {
		return f.On == fault.OnPart && w.circuit.Part(f.Part).Kind() == harness.KindFuse
	}
	fuse, blown := firstThat(all, isFuse)
	short, shorted := firstThat(all, func(f fault.Fault) bool { return f.Words == fault.Grounded || f.Words == fault.Seized })
	if !blown || !shorted {
		return nil
	}
	var decides string
	if short.IsShort() {
		decides = w.inspection(short, fuse.Part)
	} else {
		decides = fmt.Sprintf("%s unplugged and turned by hand: stuck, it is the motor; free, it is the fuse alone.", short.Part)
	}
	return &Alike{fmt.Sprintf("%s has blown the fuse, so the circuit is as dead as with %s alone.", short, fuse), decides}
}

// stuckOrShort: a control line shorted to ground is a driver stuck on.
func (w *why) stuckOrShort(all []fault.Fault) *Alike {
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
func (w *why) openInRow(all []fault.Fault) *Alike {
	for _, f := range all {
		switch f.Words {
		case fault.Open, fault.MakeOpen, fault.RestOpen, fault.CoilOpen, fault.WayOpen, fault.SticksAtRest:
		default:
			return nil
		}
	}
	return w.inRow(all, "Each breaks the same current, and there is no place to touch between them.")
}

// weakInRow: resistances in a row.
func (w *why) weakInRow(all []fault.Fault) *Alike {
	for _, f := range all {
		switch f.Words {
		case fault.Resists, fault.MakeBurnt, fault.RestBurnt, fault.WayResists, fault.PostResists:
		default:
			return nil
		}
	}
	return w.inRow(all, "Each adds its ohms to the same current, and there is no place to touch between them.")
}

func (w *why) inRow(all []fault.Fault, reason string) *Alike {
	at, ok := firstThat(all, func(f fault.Fault) bool { return f.On == fault.OnPin })
	if ok {
		return &Alike{reason, fmt.Sprintf("Look at the terminal %s: spread, green, pushed back? If it is sound, it is the part or the wire "+
			"behind it.", at.Pin)}
	}
	return &Alike{reason, "Open the loom where they meet, or run a wire beside it for the length of one test."}
}

// inspection says how a short is told from the fuse that it has blown: at the shorted wire itself, for
// from the fuse a resting contact may hide it, and by a new fuse in the state in which it blows.
func (w *why) inspection(f fault.Fault, fuse string) string {
	t := probe.ToGround(w.model, f, nil)
	words := probe.SetupWords(append([]electric.Action{{Verb: electric.Out, Part: fuse}}, t.Setup...))
	text := fmt.Sprintf("%s: ohms from %s to battery negative; near nothing is the short.", strings.Join(words, ", "), t.At)
	if s := w.blowsIn(f, fuse); s != nil {
		text += fmt.Sprintf(" A new fuse that blows again in %s says the same.", s.Name)
	}
	return text
}

// blowsIn is the first state in which a fault opens a fuse that is whole; nil where none does.
func (w *why) blowsIn(f fault.Fault, fuse string) *harness.State {
	n, err := w.model.Network(nil, []fault.Fault{f})
	bit := slices.Index(w.model.Fused(), fuse)
	if err != nil || bit < 0 {
		return nil
	}
	for _, s := range w.circuit.States {
		n.Restore()
		n.Enter(s)
		if n.Blown()>>bit&1 == 1 {
			return s
		}
	}
	return nil
}
