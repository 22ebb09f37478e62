package bench

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/rewire"
)

// The sheets that judge a part from its readings.

var leadsField = Field{Key: "leads", Label: "The leads held together read", Unit: "Ω", Usual: "0.3", Least: 0, Most: 5}

var cardSheet = &Sheet{
	Name: "card", Title: "Resistor card", About: "Which terminal is which, from ohms between the terminals of a card out of the vehicle. " +
		"Give each pair " +
		"once, as 1-2 0.6; 1-3 1.5; 2-3 1.1.",
	Fields: []Field{supplyField, leadsField,
		{Key: "pairs", Label: "Readings between terminals", Text: true, Usual: "1-2 0.7; 1-3 1.2; 1-4 2.1; 2-3 0.8; 2-4 1.7; 3-4 1.2"},
		{Key: "amps", Label: "The fan alone takes", Unit: "A", Usual: "14", Least: 0.5, Most: 60}},
	work: card,
}

// pair is a reading between two terminals, leads taken off; open: it showed nothing.
type pair struct {
	a, b string
	ohms float64
	open bool
}

func pairsOf(text string, leads float64) ([]pair, error) {
	var list []pair
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return r == ';' || r == '\n' }) {
		words := strings.Fields(part)
		if len(words) == 0 {
			continue
		}
		a, b, ok := strings.Cut(words[0], "-")
		if len(words) != 2 || !ok || a == "" || b == "" || a == b {
			return nil, fmt.Errorf("readings are pairs such as \"1-2 0.6\", not %q", strings.TrimSpace(part))
		}
		if w := strings.ToLower(words[1]); w == "ol" || w == "open" {
			list = append(list, pair{a, b, 0, true})
			continue
		}
		figures, err := numbers(words[1])
		if err != nil || len(figures) != 1 {
			return nil, fmt.Errorf("between %s and %s: %q is no figure", a, b, words[1])
		}
		list = append(list, pair{a, b, max(0, figures[0]-leads), false})
	}
	if len(list) > 15 {
		return nil, errors.New("a card has at most six terminals, fifteen pairs")
	}
	return list, nil
}

func card(v Values) (*Result, error) {
	list, err := pairsOf(v.Word("pairs"), v.Of("leads"))
	if err != nil {
		return nil, err
	}
	c := cardRead{list: list}
	for _, p := range list {
		for _, n := range []string{p.a, p.b} {
			if !slices.Contains(c.names, n) {
				c.names = append(c.names, n)
			}
		}
	}
	if len(c.names) < 2 {
		return nil, errors.New("two terminals at least, with the ohms between them")
	}
	r := &Result{}
	for _, p := range list {
		if p.open {
			r.Cautions = append(r.Cautions, fmt.Sprintf("Between %s and %s it is open: the limiter or a wire of the card has gone. Why: no "+
				"air, or a fan that drags; find that before a new one goes in.", p.a, p.b))
		}
	}
	taps, worst := c.along()
	if taps == nil {
		r.say("The card", "every pair open", practice, "open throughout")
		return r, nil
	}
	var order []string
	for _, t := range taps {
		order = append(order, t.name)
	}
	r.say("Order along the card", "the pair with most ohms are its ends; the rest by distance", practice, "%s", strings.Join(order, " – "))
	for i := 1; i < len(taps); i++ {
		r.say(fmt.Sprintf("Step %s – %s", taps[i-1].name, taps[i].name), "difference of two readings from one end, leads taken off",
			ohmsLaw, "%.2f Ω", taps[i].ohms-taps[i-1].ohms)
	}
	if worst > 0.3 {
		r.Cautions = append(r.Cautions, fmt.Sprintf("The readings do not add up along one line by %.1f Ω: null the leads, clean the "+
			"terminals, read again.", worst))
	}
	if err := fanByEach(r, v, taps); err != nil {
		return nil, err
	}
	r.say("Common terminal", "the end from which the next tap is nearest: it has the limiter and meets no resistor", practice, "%s, "+
		"likely", taps[0].name)
	r.Cautions = append(r.Cautions, "Which end is the common one cannot be told by ohms alone where both end steps are small: follow the "+
		"thick wire.")
	return r, nil
}

// cardRead is what was read between the terminals of a card.
type cardRead struct {
	list  []pair
	names []string
}

// tap is a terminal and the ohms from the common end to it.
type tap struct {
	name string
	ohms float64
}

// along lays the terminals along the card, the common one first; worst is by how many ohms the readings do not add up along one line.
// The two ends are the pair with most ohms; the others lie between, in the order of their distance. Nil where every pair is open.
func (c *cardRead) along() (taps []tap, worst float64) {
	most := -1
	for i, p := range c.list {
		if !p.open && (most < 0 || p.ohms > c.list[most].ohms) {
			most = i
		}
	}
	if most < 0 {
		return nil, 0
	}
	// Seen from the common terminal, which has the limiter and no resistor, the next is nearly as far as the leads' own ohms.
	taps, worst = c.from(c.list[most].a)
	other, otherWorst := c.from(c.list[most].b)
	if len(taps) > 1 && len(other) > 1 && other[1].ohms < taps[1].ohms {
		return other, otherWorst
	}
	return taps, worst
}

// from lays the terminals by their distance from one.
func (c *cardRead) from(end string) (taps []tap, worst float64) {
	for _, n := range c.names {
		if ohms, known := c.between(end, n); known {
			taps = append(taps, tap{n, ohms})
		}
	}
	slices.SortFunc(taps, func(x, y tap) int {
		if x.ohms < y.ohms {
			return -1
		}
		return 1
	})
	for i, x := range taps {
		for _, y := range taps[i+1:] {
			if ohms, known := c.between(x.name, y.name); known {
				worst = max(worst, math.Abs(ohms-(y.ohms-x.ohms)))
			}
		}
	}
	return taps, worst
}

func (c *cardRead) between(a, b string) (float64, bool) {
	for _, p := range c.list {
		if !p.open && (p.a == a && p.b == b || p.a == b && p.b == a) {
			return p.ohms, true
		}
	}
	return 0, a == b
}

// fanByEach says how fast the fan runs behind each terminal, and what the card loses then.
func fanByEach(r *Result, v Values, taps []tap) error {
	supply, amps := v.Of("supply"), v.Of("amps")
	full, err := fullSpeed(supply, amps, 5*amps)
	if err != nil {
		return err
	}
	for _, t := range slices.Backward(taps) {
		p, err := solve(alone(supply, amps, 5*amps, t.ohms))
		if err != nil {
			return err
		}
		takes := math.Abs(p.Wires[0].Amps)
		r.say(fmt.Sprintf("Fan by %s (%.2f Ω before it)", t.name, t.ohms), "the fan through what lies between", solved,
			"%.0f %% of full speed, %.1f A, %.0f W in the card", 100*p.Motors["M"].RPM/full, takes, takes*takes*t.ohms)
	}
	if len(taps) > 1 {
		r.Curve, err = speedOver(supply, amps, 1.25*taps[len(taps)-1].ohms)
	}
	return err
}

var motorSheet = &Sheet{
	Name: "motor", Title: "Motor from clamp readings", About: "What a fan's motor is, from a clamp and the volts at its own plug.",
	Fields: []Field{
		{Key: "points", Label: "Readings at its plug", Text: true, Usual: "12.4 V 14 A; 6.1 V 5.0 A"},
		{Key: "start-amps", Label: "Peak at a start, if seen", Unit: "A", Least: 1, Most: 600},
		{Key: "start-volts", Label: "Volts at its plug in that instant", Unit: "V", Least: 1, Most: 60}},
	work: motor,
}

func motor(v Values) (*Result, error) {
	f := rewire.Fan{Name: "the fan"}
	for _, part := range strings.FieldsFunc(v.Word("points"), func(r rune) bool { return r == ';' || r == '\n' }) {
		list, err := numbers(strings.NewReplacer("V", " ", "A", " ").Replace(part))
		if err != nil || len(list) != 2 {
			return nil, fmt.Errorf("readings are pairs such as \"12.4 V 14 A\", not %q", strings.TrimSpace(part))
		}
		f.Points = append(f.Points, rewire.At{Volts: list[0], Amps: list[1]})
	}
	if len(f.Points) == 0 {
		return nil, errors.New("a reading at least: the volts at its plug, and the amps")
	}
	if err := f.Fit(); err != nil {
		return nil, err
	}
	r := &Result{Wish: map[string]string{"amps": figureOf(f.Amps)}}
	r.say("Running", "the reading with most volts", "", "%.3g A at %.3g V, %.0f W", f.Amps, f.Volts, f.Amps*f.Volts)
	start, how := f.Inrush, "two readings on one fan's curve, friction a tenth of the torque"
	if peak, at := v.Of("start-amps"), v.Of("start-volts"); !math.IsNaN(peak) && !math.IsNaN(at) {
		start, how = peak*f.Volts/at, "Rₐ = U / I in the instant of the start, leads and battery taken off by reading at the plug"
	}
	if start == 0 {
		start, how = 5*f.Amps, "five times the running amps, which is only a default"
	}
	if start < 1.5*f.Amps {
		return nil, fmt.Errorf("a start of %.3g A beside %.3g A running is no motor's: read the peak with peak hold", start, f.Amps)
	}
	ohms := f.Volts / start
	r.say("Armature", how, practice, "%.3f Ω, %.0f A at a start from %.3g V", ohms, start, f.Volts)
	back := f.Volts - f.Amps*ohms
	r.say("Back voltage at full speed", "U − I · Rₐ", "torque balance of a permanent-magnet motor", "%.2f V", back)
	half := alone(f.Volts, f.Amps, start, 0)
	half = strings.Replace(half, fmt.Sprintf("off: %g, running: %g", f.Volts, f.Volts), fmt.Sprintf("off: %g, running: %g", f.Volts/2,
		f.Volts/2), 1)
	p, err := solve(half)
	if err != nil {
		return nil, err
	}
	full, err := fullSpeed(f.Volts, f.Amps, start)
	if err != nil {
		return nil, err
	}
	r.say("At half its volts", "torque goes with the square of the speed", solved, "%.1f A, %.0f %% of its speed",
		math.Abs(p.Wires[0].Amps),
		100*p.Motors["M"].RPM/full)
	r.say("It stalls below", "I · Rₐ with a tenth of the running torque", practice+"; friction is a default", "%.1f V", 0.1*f.Amps*ohms)
	r.Wish["inrush"] = figureOf(start)
	r.Curve = &Curve{Title: "Amps over the volts at its plug", XUnit: "V", Unit: "A", At: f.Volts, Mark: "read"}
	for k := 2; k <= 24; k++ {
		u := f.Volts * float64(k) / 20
		at := strings.Replace(alone(f.Volts, f.Amps, start, 0), fmt.Sprintf("off: %g, running: %g", f.Volts, f.Volts),
			fmt.Sprintf("off: %g, running: %g", u, u), 1)
		if u < 1 || u > mostSupply {
			continue
		}
		point, err := solve(at)
		if err != nil {
			return nil, err
		}
		r.Curve.X, r.Curve.Y = append(r.Curve.X, u), append(r.Curve.Y, math.Abs(point.Wires[0].Amps))
	}
	return r, nil
}

// speedOver is a fan's speed over the ohms before it, per cent of what it turns at without any.
func speedOver(u, amps, most float64) (*Curve, error) {
	full, err := fullSpeed(u, amps, 5*amps)
	if err != nil {
		return nil, err
	}
	c := &Curve{Title: "Speed over the ohms before the fan", XUnit: "Ω", Unit: "% of full speed", At: math.NaN()}
	const points = 16
	for k := range points + 1 {
		ohms := max(0.001, most*float64(k)/points)
		p, err := solve(alone(u, amps, 5*amps, ohms))
		if err != nil {
			return nil, err
		}
		c.X, c.Y = append(c.X, ohms), append(c.Y, 100*p.Motors["M"].RPM/full)
	}
	return c, nil
}

var windingsSheet = &Sheet{
	Name: "windings", Title: "Two-winding motor", About: "A two-speed motor with two brush sets: what the readings of each winding say.",
	Fields: []Field{leadsField,
		{Key: "low", Label: "Low to common", Unit: "Ω", Usual: "0.9", Least: 0, Most: 1000},
		{Key: "high", Label: "High to common", Unit: "Ω", Usual: "0.7", Least: 0, Most: 1000},
		{Key: "low-amps", Label: "Running on low", Unit: "A", Usual: "10", Least: 0.1, Most: 100},
		{Key: "high-amps", Label: "Running on high", Unit: "A", Usual: "15", Least: 0.1, Most: 100}},
	work: func(v Values) (*Result, error) {
		r := &Result{}
		for _, w := range []string{"low", "high"} {
			ohms := v.Of(w) - v.Of("leads")
			r.say("Winding "+w, "reading less the leads", ohmsLaw, "%.2f Ω", max(0, ohms))
			if ohms > 5 {
				r.Cautions = append(r.Cautions, fmt.Sprintf("The %s winding reads %.1f Ω: brushes that do not touch, or an open winding. Turn "+
					"the shaft and read "+
					"again.", w, ohms))
			}
		}
		r.Circuit, r.State = fmt.Sprintf("harness: 1\ntitle: A motor with two windings\nsupply: {off: 12.6, running: 12.6}\nparts:\n"+
			"  BAT: {kind: battery, ohms: 0.001}\n  M: {kind: motor, volts: 12.6, windings: {low: {+: low, -: com, amps: %.4g}, "+
			"high: {+: high, -: com, amps: %.4g, rpm: 2400}}}\nwires:\n  BAT.+ - M.high: RD 10mm2 0.1m\n  M.com - BAT.-: BN 10mm2 0.1m\n"+
			"states:\n  on: {}\n", v.Of("low-amps"), v.Of("high-amps")), "on"
		ratio := v.Of("high-amps") / v.Of("low-amps")
		r.say("High against low", "I high / I low", practice+": half again as much on high", "%.2f times", ratio)
		switch {
		case ratio < 1.1:
			r.Cautions = append(r.Cautions, "High draws hardly more than low: its feed does not reach the second winding, or the fan drags "+
				"on low.")
		case ratio > 2.2:
			r.Cautions = append(r.Cautions, "High draws more than twice what low does: read both at the motor's own plug, with the same volts.")
		}
		r.Cautions = append(r.Cautions, "Ohms of a motor at rest are rough: brushes and their place decide. The running amps are the proof.")
		return r, nil
	},
}

var relaySheet = &Sheet{
	Name: "relay", Title: "Relay out of its socket", About: "Coil and contact from bench readings, leads taken off; a contact is judged " +
		"by what it loses.",
	Fields: []Field{{Key: "supply", Label: "Coil's supply", Unit: "V", Usual: "12.6", Least: 5, Most: mostSupply}, leadsField,
		{Key: "coil", Label: "Coil reads", Unit: "Ω", Usual: "85", Least: 0, Most: 2000},
		{Key: "contact", Label: "Contact reads, energised", Unit: "Ω", Usual: "0.4", Least: 0, Most: 1000},
		{Key: "load", Label: "It must carry", Unit: "A", Usual: "14", Least: 0.1, Most: 150},
		{Key: "warm", Label: "Coil at", Unit: "°C", Usual: "85", Least: -40, Most: 150}},
	work: func(v Values) (*Result, error) {
		r := &Result{}
		scale := v.Of("supply") / 12
		coil := v.Of("coil") - v.Of("leads")
		if coil <= 0 {
			return nil, fmt.Errorf("the coil reads no more than the leads: it is shorted, or the leads are on one terminal")
		}
		warm := coil * (1 + 0.00393*(v.Of("warm")-20))
		r.say("Coil", "R at 20 °C · (1 + 0.00393 · (T − 20))", "IEC 60028", "%.0f Ω cold, %.0f Ω at %g °C", coil, warm, v.Of("warm"))
		r.say("Coil current", "U / R", ohmsLaw, "%.2f A cold, %.2f A warm", v.Of("supply")/coil, v.Of("supply")/warm)
		if n := coil / (scale * scale); n < 50 || n > 180 {
			r.Cautions = append(r.Cautions, fmt.Sprintf("%.0f Ω is outside what relay coils have (some 60 to 110, up to 170 in service data; "+
				"common practice).", coil))
		}
		r.Curve = &Curve{Title: "Coil over its temperature", XUnit: "°C", Unit: "Ω", At: v.Of("warm"), Mark: "yours"}
		for celsius := -40.0; celsius <= 150; celsius += 10 {
			r.Curve.X, r.Curve.Y = append(r.Curve.X, celsius), append(r.Curve.Y, coil*(1+0.00393*(celsius-20)))
		}
		contact := max(0, v.Of("contact")-v.Of("leads"))
		lost := contact * v.Of("load")
		r.say("Contact", "reading less the leads", ohmsLaw, "%.2f Ω", contact)
		r.say("It loses", "I · R, I² · R", ohmsLaw, "%.2f V and %.1f W at %g A", lost, lost*v.Of("load"), v.Of("load"))
		switch {
		case contact < 0.15 && v.Of("leads") > 0.05:
			r.Cautions = append(r.Cautions, "So small an ohm cannot be told from the leads' own: judge the contact by its drop under load, "+
				"0.1 V or less.")
		case lost > 0.2*scale:
			r.Cautions = append(r.Cautions, fmt.Sprintf("At %g A this contact would lose %.1f V: burnt. A click proves the coil, not the "+
				"contact.", v.Of("load"),
				lost))
		}
		return r, nil
	},
}
