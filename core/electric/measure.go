package electric

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"ironthread/core/fault"
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
// clamp reads the current into At, and that into From with it where it is round two wires.
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
		if a, b, err = n.leads(q.At, q.From); err == nil {
			n.connect(q.Instrument, a, b)
		}
		return err
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

// connect stamps an instrument between two nodes; an ohmmeter and a clamp add nothing.
func (n *Network) connect(instrument Instrument, a, b node) {
	if a == b {
		return
	}
	volts := n.model.Circuit.Nominal()
	switch instrument {
	case Lamp:
		n.addLamp(-1, a, b, volts, lampWatts)
	case HeavyLamp:
		n.addLamp(-1, a, b, volts, heavyLampWatts)
	case LEDTester:
		n.addCurve(curve{a: a, b: b, led: true, part: -1})
	case Voltmeter:
		n.resist(a, b, meterOhms, -1)
	}
}

func (n *Network) leads(at, from harness.Pin) (a, b node, err error) {
	if a, err = n.reach(at); err != nil {
		return a, b, err
	}
	b = post
	if from.Part != "" {
		b, err = n.reach(from)
	}
	return a, b, err
}

// Instrumented is a network with an instrument's leads on it, ready to be read in any state on
// any car.
type Instrumented struct {
	*Network
	instrument Instrument
	at, beside harness.Pin // of a clamp: the wires it is round
	a, b       node
}

// Instrument builds the circuit with a set-up, faults and an instrument in it.
func (m *Model) Instrument(setup []Action, faults []fault.Fault, instrument Instrument, at, from harness.Pin) (*Instrumented, error) {
	x := &Instrumented{instrument: instrument, at: at.Cavity(), beside: from.Cavity()}
	var err error
	x.Network, err = m.build(setup, faults, func(n *Network) (err error) {
		if x.a, x.b, err = n.leads(at, from); err == nil {
			n.connect(instrument, x.a, x.b)
		}
		return err
	})
	return x, err
}

// Shows is the instrument's figure in a state entered from rest: volts across it, amps of a
// clamp, ohms (+Inf for an open line, NaN on a live one).
func (x *Instrumented) Shows(s *harness.State) float64 {
	n := x.Network
	read := func() float64 {
		n.Rest()
		n.Enter(s)
		return n.at(x.a) - n.at(x.b)
	}
	switch x.instrument {
	case Clamp:
		read()
		return n.ampsInto(x.at) + n.ampsInto(x.beside)
	case Ohmmeter:
		n.injected = injection{a: x.a, b: x.b}
		rest := read()
		if math.Abs(rest) > liveVolts {
			return math.NaN()
		}
		n.injected.amps = ohmmeterAmps
		ohms := (read() - rest) / ohmmeterAmps
		n.injected.amps = 0
		if ohms > openAboveOhms {
			return math.Inf(1)
		}
		return ohms
	}
	return read()
}

// NothingFeeds tells whether in no state anything reaches either of two pins from the battery with a set-up, so that an
// ohmmeter may be laid there with the battery on.
func (m *Model) NothingFeeds(setup []Action, at, from harness.Pin) bool {
	if at.Part == "" || from.Part == "" {
		return false
	}
	for _, s := range m.Circuit.States {
		p, err := m.Solve(Condition{State: s, Setup: setup})
		if err != nil {
			return false
		}
		for _, pin := range []harness.Pin{at, from} {
			if v := p.Pins[pin.Cavity().String()]; v != nil && math.Abs(*v) > liveVolts {
				return false
			}
		}
		// Two dead pins may still carry a current between them; an ohmmeter there must find no volts.
		if x, err := m.Instrument(setup, nil, Ohmmeter, at, from); err != nil || math.IsNaN(x.Shows(s)) {
			return false
		}
	}
	return true
}

// LampWord is what a lamp does at so many volts across it, on this circuit's nominal volts.
func (m *Model) LampWord(volts float64) string {
	return lampWord(math.Abs(volts) * 12 / m.Circuit.Nominal())
}

// AmpsInto is the current that the wires bring to a cavity as the network stands.
func (n *Network) AmpsInto(pin harness.Pin) float64 { return n.ampsInto(pin.Cavity()) }

// ampsInto is the current the wires bring to a pin; no pin is none.
func (n *Network) ampsInto(pin harness.Pin) float64 {
	if pin.Part == "" {
		return 0
	}
	amps, drawn := 0.0, false
	for i, w := range n.model.Circuit.Wires {
		drawn = drawn || w.From == pin || w.To == pin
		switch pin {
		case w.From:
			amps -= n.current(n.wires[i])
		case w.To:
			amps += n.current(n.wires[i])
		}
	}
	if post := n.model.Circuit.Part(pin.Part); !drawn && pin.Name == "-" && post.Kind() == harness.KindBattery {
		return -n.ampsInto(harness.Pin{Part: pin.Part, Name: "+"}) // all grounds come together at this post
	}
	return amps
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

// clamp reads the current into the part at a pin, and at a second pin where it is round two wires.
func (m *Model) clamp(q Measurement) (*Measured, error) {
	n, err := m.enter(q.Condition, nil)
	if err != nil {
		return nil, err
	}
	amps := n.ampsInto(q.At.Cavity()) + n.ampsInto(q.From.Cavity())
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
			a, b, err = n.leads(q.At, q.From)
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
		return nil, fmt.Errorf("the circuit is live at %s (%.1f V): no ohmmeter on it; take the battery off first (set-up %q)", q.At,
			rest, m.batteryApart())
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

// Floats tells, once Shows has read, whether the red lead lies where nothing conducts to the battery
// but the instrument itself.
func (x *Instrumented) Floats() bool {
	n := x.Network
	for i := range n.branches {
		if b := &n.branches[i]; b.part == -1 && b.ohms == meterOhms && x.instrument == Voltmeter {
			kept := b.gate
			b.gate = never
			n.islands()
			b.gate = kept
			return n.floats(x.a)
		}
	}
	return false
}
