package rewire

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"ironthread/core/harness"
	"ironthread/core/size"
)

// What was built is never quite what was drawn: a wire came out longer, another size was in the drawer. As built, the design is held
// against the same rules once more, with the figures that were measured beside those that were foretold; whoever built it signs, and
// that circuit is what later work goes by.

// Laid is a wire as it was laid: zero where it is as drawn.
type Laid struct{ MM2, Metres float64 }

// Measured is a check of the build sheets with what it showed.
type Measured struct{ Do, Foretold, Showed string }

// AsBuilt is what somebody says who has built a proposal.
type AsBuilt struct {
	Laid     map[string]Laid // by the wire's name
	Measured []Measured      // those that were done
	By, Date string
	Remarks  string
}

// Bounds of what is typed: wires that are sold, and ways in a vehicle.
const (
	mostBuiltMetres = 20.0
	leastDiffers    = 0.5  // V or A that a figure may be away from what was foretold
	shareDiffers    = 0.15 // or this share of it, whichever is more (common practice: a battery's charge alone makes a tenth)
)

// Build gives the circuit of record, and in sentences what of it differs from what was designed. The error is a sentence where it
// cannot be left so: a wire that its fuse does not protect.
func (p *Proposal) Build(w *Wish, b *AsBuilt) (c *harness.Circuit, differs []string, err error) {
	if strings.TrimSpace(b.By) == "" {
		return nil, nil, errors.New("whoever has built it signs with a name")
	}
	if c, err = harness.Read([]byte(p.Harness)); err != nil {
		return nil, nil, fmt.Errorf("rewire: %w", err)
	}
	d := &design{w: w, f: p.Family, c: p.Circuit, on: p.on}
	if err := d.solve(); err != nil {
		return nil, nil, err
	}
	d.guard()
	for i, wire := range d.c.Wires {
		laid, said := b.Laid[wire.String()]
		if !said || laid == (Laid{}) {
			continue
		}
		built := c.Wire(wire.From, wire.To)
		if built == nil {
			return nil, nil, fmt.Errorf("there is no wire %s to be laid", wire)
		}
		if laid.MM2 > 0 {
			may := size.Hot(laid.MM2, w.Heat, w.Insulation)
			if need := max(d.amps[i], d.behind[i]); may < need && laid.MM2 < wire.Size.SquareMM() {
				return nil, nil, fmt.Errorf("the wire %s of %g mm² carries %.0f A all day at %.0f °C, and %.0f A may come before its fuse opens: "+
					"lay a thicker one, or put a smaller fuse before it", wire, laid.MM2, may, w.Heat, need)
			}
			differs = append(differs, fmt.Sprintf("%s is of %g mm², and %g were drawn", wire, laid.MM2, wire.Size.SquareMM()))
			built.Size = harness.Size{Figure: laid.MM2}
		}
		if laid.Metres > 0 {
			if laid.Metres > mostBuiltMetres {
				return nil, nil, fmt.Errorf("the wire %s is %g m long: %g m are the most here", wire, laid.Metres, mostBuiltMetres)
			}
			if d.unfused(wire) && laid.Metres > mostUnfused+1e-9 && !d.isThere(wire) {
				return nil, nil, fmt.Errorf("the wire %s lies before its fuse and is %g m long: %g m are the most that nothing protects", wire,
					laid.Metres, mostUnfused)
			}
			differs = append(differs, fmt.Sprintf("%s is %g m long, and %g were drawn", wire, laid.Metres, wire.Length.Metres()))
			built.Length = harness.Length{Figure: laid.Metres}
		}
	}
	lost, err := d.lostAsBuilt(c)
	if err != nil {
		return nil, nil, err
	}
	differs = append(differs, lost...)
	for _, x := range b.Measured {
		if words := x.differs(); words != "" {
			differs = append(differs, words)
		}
	}
	c.Notes = strings.TrimSpace(c.Notes + "\n" + b.words(differs))
	return c, differs, nil
}

// lostAsBuilt says which fan loses more volts on its way than was wished, as it was built.
func (d *design) lostAsBuilt(c *harness.Circuit) (lost []string, err error) {
	built := &design{w: d.w, f: d.f, c: c, before: d.before}
	if d.on != nil {
		built.on, built.before = d.on, &asItWas{}
		if built.before, err = d.w.now(); err != nil {
			return nil, err
		}
	}
	if err := built.solve(); err != nil {
		return nil, err
	}
	for _, x := range built.drops(built.warm(built.full())) {
		if x.volts > x.over {
			lost = append(lost, fmt.Sprintf("%s loses %.2f V on its %s, and %.2f V were wished at the most", x.fan, x.volts, x.side(), x.over))
		}
	}
	return lost, nil
}

// leading is the figure that a text begins with, and its unit.
var leading = regexp.MustCompile(`^-?(\d+(?:[.,]\d+)?)\s*(V|A)?`)

// differs says in a sentence that a figure is not what was foretold; nothing where it is, or where no figure was.
func (x Measured) differs() string {
	want, got := leading.FindStringSubmatch(x.Foretold), leading.FindStringSubmatch(strings.TrimSpace(x.Showed))
	if want == nil || got == nil {
		return ""
	}
	foretold, err1 := strconv.ParseFloat(strings.Replace(want[1], ",", ".", 1), 64)
	showed, err2 := strconv.ParseFloat(strings.Replace(got[1], ",", ".", 1), 64)
	if err1 != nil || err2 != nil || math.Abs(foretold-showed) <= max(leastDiffers, shareDiffers*foretold) {
		return ""
	}
	return fmt.Sprintf("%s: it showed %s, and %s was foretold", x.Do, strings.TrimSpace(x.Showed), x.Foretold)
}

// words are what is kept with the circuit.
func (b *AsBuilt) words(differs []string) string {
	lines := []string{fmt.Sprintf("As built, %s, signed %s.", b.Date, b.By)}
	if b.Remarks != "" {
		lines = append(lines, b.Remarks)
	}
	for _, x := range b.Measured {
		lines = append(lines, fmt.Sprintf("Measured: %s: %s (foretold: %s).", x.Do, x.Showed, x.Foretold))
	}
	for _, x := range differs {
		lines = append(lines, "Not as drawn: "+x+".")
	}
	return strings.Join(lines, "\n")
}
