package electric

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"ironthread/core/harness"
)

// Instrument is what the two leads belong to.
type Instrument string

// Instruments. Each is stamped into the circuit and loads it truthfully.
const (
	Voltmeter Instrument = "volts"
	Lamp      Instrument = "lamp"
	HeavyLamp Instrument = "heavy lamp"
	LEDTester Instrument = "led"
	Ohmmeter  Instrument = "ohms"
	Clamp     Instrument = "amps"
)

// Measurement is one reading to be taken. From defaults to the battery's negative post; a
// clamp reads the current into At and has no From.
type Measurement struct {
	Condition
	Instrument Instrument
	At, From   harness.Pin
	Leads      float64 // ohms of an ohmmeter's two leads, not nulled
	Zero       float64 // amps an open clamp shows before the fans are switched on
}

// Measured is what the instrument shows. Figure is nil for an open line; Word is what a lamp
// or tester does.
//
// Shows is the bare display where leads or zero are still in it; Figure is what remains of it
// once they are taken off.
type Measured struct {
	Instrument Instrument `json:"instrument"`
	At         string     `json:"at"`
	From       string     `json:"from,omitempty"`
	Figure     *float64   `json:"figure"`
	Shows      *float64   `json:"shows,omitempty"`
	Unit       string     `json:"unit"`
	Word       string     `json:"word,omitempty"`
	Notes      []string   `json:"notes,omitempty"` // what the instrument itself does to the circuit
}

// Instruments' own figures (the format's defaults, for 12 V; lamps scale with the supply).
const (
	lampWatts      = 4.0
	heavyLampWatts = 21.0
	ohmmeterAmps   = 1e-3
	openAboveOhms  = 40e6
	liveVolts      = 0.01
	dimFrom        = 2.0 // volts across a 12 V lamp
	brightFrom     = 9.0
	ledFrom        = 0.5e-3 // amps from which an LED is seen to light
)

// Measure takes one reading. The error says what cannot be measured, and why.
func (m *Model) Measure(q Measurement) (*Measured, error) {
	if q.Instrument == Clamp {
		return m.clamp(q)
	}
	r := &Measured{Instrument: q.Instrument, At: q.At.String(), Unit: "V"}
	if q.From.Part != "" {
		r.From = q.From.String()
	}
	if q.Instrument == Ohmmeter {
		return m.ohms(q, r)
	}
	var a, b node
	scale := m.Circuit.Nominal() / 12
	n, err := m.enter(q.Condition, func(n *Network) (err error) {
		if a, b, err = n.leads(q); err != nil || a == b {
			return err
		}
		switch q.Instrument {
		case Lamp:
			n.addLamp(-1, a, b, 12*scale, lampWatts)
		case HeavyLamp:
			n.addLamp(-1, a, b, 12*scale, heavyLampWatts)
		case LEDTester:
			n.addCurve(curve{a: a, b: b, led: true, part: -1})
		default:
			n.resist(a, b, meterOhms, -1)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	volts := n.at(a) - n.at(b)
	r.Figure = &volts
	switch q.Instrument {
	case Lamp, HeavyLamp:
		r.Word = lampWord(math.Abs(volts) / scale)
	case LEDTester:
		r.Word = "off"
		if len(n.curves) > 0 && a != b && n.curves[len(n.curves)-1].through() > ledFrom {
			r.Word = "lights"
		}
	}
	r.Notes = m.disturbed(q, n)
	return r, nil
}

func lampWord(volts float64) string {
	switch {
	case volts < dimFrom:
		return "off"
	case volts <= brightFrom:
		return "dim"
	}
	return "bright"
}

func (n *Network) leads(q Measurement) (a, b node, err error) {
	if a, err = n.reach(q.At); err != nil {
		return a, b, err
	}
	b = post
	if q.From.Part != "" {
		b, err = n.reach(q.From)
	}
	return a, b, err
}

// disturbed names the relays that the instrument itself pulls in or lets go.
func (m *Model) disturbed(q Measurement, with *Network) []string {
	without, err := m.enter(q.Condition, nil)
	if err != nil {
		return nil
	}
	var notes []string
	for i := range with.relays {
		name := with.relays[i].part.Name
		switch in, was := with.pulledIn[i], without.pulledIn[i]; {
		case in && !was:
			notes = append(notes, fmt.Sprintf("the %s here passes enough to pull %s in", q.Instrument, name))
		case was && !in:
			notes = append(notes, fmt.Sprintf("the %s here lets %s go", q.Instrument, name))
		}
	}
	return notes
}

// clamp reads the current into the part at a pin.
func (m *Model) clamp(q Measurement) (*Measured, error) {
	n, err := m.enter(q.Condition, nil)
	if err != nil {
		return nil, err
	}
	amps := 0.0
	for i, w := range m.Circuit.Wires {
		switch q.At.Cavity() {
		case w.From:
			amps -= n.current(n.wires[i])
		case w.To:
			amps += n.current(n.wires[i])
		}
	}
	r := &Measured{Instrument: Clamp, At: q.At.String(), Figure: &amps, Unit: "A"}
	if q.Zero != 0 {
		r.shows(amps+q.Zero, "the clamp shows %s A of it before the fans run: zero it with the other consumers on", q.Zero)
	}
	return r, nil
}

// shows notes the bare display and what is still in it.
func (r *Measured) shows(display float64, format string, extra float64) {
	r.Shows = &display
	r.Notes = append(r.Notes, fmt.Sprintf(format, strconv.FormatFloat(extra, 'g', 3, 64)))
}

// ohms drives a milliampere through the leads. Parallel paths count; a live circuit is
// refused.
func (m *Model) ohms(q Measurement, r *Measured) (*Measured, error) {
	r.Unit = "Ω"
	var a, b node
	read := func(amps float64) (float64, error) {
		n, err := m.enter(q.Condition, func(n *Network) (err error) {
			a, b, err = n.leads(q)
			n.injected = injection{a, b, amps}
			return err
		})
		if err != nil {
			return 0, err
		}
		return n.at(a) - n.at(b), nil
	}
	rest, err := read(0)
	if err != nil {
		return nil, err
	}
	if math.Abs(rest) > liveVolts {
		return nil, fmt.Errorf("the circuit is live at %s (%.1f V): no ohmmeter on it; take the battery off first (set-up %q)", q.At, rest, m.batteryApart())
	}
	driven, err := read(ohmmeterAmps)
	if err != nil {
		return nil, err
	}
	ohms := (driven - rest) / ohmmeterAmps
	if ohms > openAboveOhms {
		r.Word = "open"
		return r, nil
	}
	r.Figure = &ohms
	if q.Leads > 0 {
		r.shows(ohms+q.Leads, "%s Ω of the display are the leads: null the meter with its leads held together", q.Leads)
	}
	return r, nil
}

func (m *Model) batteryApart() string {
	return m.Circuit.OfKind(harness.KindBattery)[0].Name + " apart"
}

// injection is an ohmmeter's current, into a and out of b.
type injection struct {
	a, b node
	amps float64
}

// surprises names what leads put on by hand do beside what they were put on for: relays they
// pull in elsewhere, because coils share a line.
func (m *Model) surprises(cond Condition, p *Point) []string {
	var list []string
	for i, a := range cond.Setup {
		if a.Verb != GroundPin && a.Verb != Jumper && a.Verb != Feed {
			continue
		}
		without := cond
		without.Setup = append(append([]Action(nil), cond.Setup[:i]...), cond.Setup[i+1:]...)
		n, err := m.enter(without, nil)
		if err != nil {
			continue
		}
		var others []string
		for k := range n.relays {
			name := n.relays[k].part.Name
			if !n.pulledIn[k] && p.Relays[name] == "pulled in" && name != a.From.Part && name != a.To.Part {
				others = append(others, name)
			}
		}
		if len(others) > 0 {
			list = append(list, fmt.Sprintf("%s also pulls in %s: their coils share this line", a, strings.Join(others, " and ")))
		}
	}
	return list
}
