package harness

import (
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// ResistorCard is a row of resistors behind a one-shot limiter: in, limiter, then step after
// step with a tap behind each. The taps are numbered from 1.
type ResistorCard struct {
	Steps   []float64 // ohms, in order from in
	Opens   float64   // °C at which the limiter opens; 0: no limiter
	Airflow Airflow
}

func (*ResistorCard) Kind() Kind { return KindResistorCard }

// Pins lists in, 1, 2, …
func (r *ResistorCard) Pins() []string {
	pins := []string{"in"}
	for i := range r.Steps {
		pins = append(pins, strconv.Itoa(i+1))
	}
	return pins
}
func (*ResistorCard) describe() string { return "resistor card" }
func (r *ResistorCard) fields() []field {
	return []field{
		figures("steps", &r.Steps, 1e-3, 1e4).must(),
		group("limiter", func() bool { return r.Opens > 0 }, number("opens", &r.Opens, 30, 400).must()),
		choice("airflow", &r.Airflow, AirflowNeeded, AirflowNotNeeded),
	}
}

// Limiter is a one-shot thermal cut-out.
type Limiter struct{ Opens float64 }

func (*Limiter) Kind() Kind        { return KindLimiter }
func (*Limiter) Pins() []string    { return twoEnds }
func (*Limiter) describe() string  { return "limiter" }
func (l *Limiter) fields() []field { return []field{number("opens", &l.Opens, 30, 400).must()} }

// Selector joins c to the pins of its present position.
type Selector struct{ Positions []*Position }

// Position is one place of a selector; it may join nothing.
type Position struct {
	Name string
	Pins []string
}

func (*Selector) Kind() Kind { return KindSelector }

// Pins lists c and every pin a position joins.
func (s *Selector) Pins() []string {
	pins := []string{"c"}
	for _, p := range s.Positions {
		for _, pin := range p.Pins {
			if !slices.Contains(pins, pin) {
				pins = append(pins, pin)
			}
		}
	}
	return pins
}
func (*Selector) describe() string { return "selector" }
func (s *Selector) fields() []field {
	return []field{{
		key: "positions", required: true, schema: mapSchema(listSchema(anyScalar, true)),
		read: func(r *reader, n *yaml.Node, where string) {
			if !r.short(n, where+": positions", "positions", maxList) {
				return
			}
			r.pairs(n, where+": positions", func(k, v *yaml.Node) {
				p := &Position{Name: k.Value}
				words("pins", &p.Pins).read(r, v, where+": "+k.Value)
				s.Positions = append(s.Positions, p)
			})
		},
		node: func() *yaml.Node {
			m := &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
			for _, p := range s.Positions {
				m.Content = append(m.Content, scalar(p.Name), words("pins", &p.Pins).node())
			}
			return m
		},
	}}
}

// Switch2 is a centre-off switch: c to a, c to b, or neither.
type Switch2 struct{}

func (*Switch2) Kind() Kind       { return KindSwitch2 }
func (*Switch2) Pins() []string   { return []string{"c", "a", "b"} }
func (*Switch2) describe() string { return "centre-off switch" }
func (*Switch2) fields() []field  { return nil }

// FanModule switches its outputs by a table of patterns of its inputs. An input is asserted
// while it is pulled below a third of the feed.
type FanModule struct {
	Inputs  []string
	Outs    []string // as the file lists them; the table may name all of them itself
	Feeds   []string
	Grounds []string
	Table   []*Row
	Ramp    float64 // s
	Electronics
}

// Electronics is what fan modules and PWM modules share: pins of a supply of its own for the logic, where it is not the
// load's feed, and what each output may carry.
type Electronics struct {
	Logic                 []string
	RatedAmps, RatedWatts float64
}

func (e *Electronics) fields() []field {
	return []field{
		words("logic", &e.Logic),
		e.ratingField(),
	}
}

// ratingField binds what each output may carry: {amps: 30} or {watts: 400}, or in short 30A or 400W.
func (e *Electronics) ratingField() field {
	f := group("rating", func() bool { return e.RatedAmps > 0 || e.RatedWatts > 0 },
		number("amps", &e.RatedAmps, 0.1, 1000), number("watts", &e.RatedWatts, 1, 20000))
	long := f.read
	f.read = func(r *reader, n *yaml.Node, where string) {
		at, unit := &e.RatedAmps, "A"
		if strings.HasSuffix(n.Value, "W") {
			at, unit = &e.RatedWatts, "W"
		}
		v, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(n.Value, unit)), 64)
		switch {
		case n.Kind != yaml.ScalarNode:
			long(r, n, where)
		case err != nil || !(v >= 0.1 && v <= 20000) || !strings.HasSuffix(n.Value, unit):
			r.fail(n, where, "rating is amps or watts of an output, as in 30A or 400W")
		default:
			*at = v
		}
	}
	return f
}

// Row is one line of the table: with just these inputs asserted, each output gets its share
// of the input volts.
type Row struct {
	When  []string
	Drive map[string]float64
}

func (*FanModule) Kind() Kind { return KindFanModule }

// Outputs lists the outputs the table drives, in the order of the file.
func (f *FanModule) Outputs() []string {
	list := slices.Clone(f.Outs)
	for _, row := range f.Table {
		for _, out := range sortedKeys(row.Drive) {
			if !slices.Contains(list, out) {
				list = append(list, out)
			}
		}
	}
	return list
}

// Pins lists feeds, inputs, outputs, grounds.
func (f *FanModule) Pins() []string {
	return joinPins(f.Feeds, f.Logic, f.Inputs, f.Outputs(), f.Grounds)
}

func joinPins(lists ...[]string) []string {
	var pins []string
	for _, list := range lists {
		for _, pin := range list {
			if !slices.Contains(pins, pin) {
				pins = append(pins, pin)
			}
		}
	}
	return pins
}

// Match finds the row whose inputs are just the asserted ones; nil: no row, all off.
func (f *FanModule) Match(asserted func(input string) bool) *Row {
	for _, row := range f.Table {
		fits := true
		for _, input := range f.Inputs {
			fits = fits && asserted(input) == slices.Contains(row.When, input)
		}
		if fits {
			return row
		}
	}
	return nil
}
func (*FanModule) describe() string { return "fan module" }
func (f *FanModule) fields() []field {
	return append(f.Electronics.fields(), []field{
		words("inputs", &f.Inputs).must(), words("outputs", &f.Outs), words("feeds", &f.Feeds).must(), words("grounds", &f.Grounds).must(),
		{
			key: "table", required: true, schema: listSchema(objectSchema(new(Row).fields()), false),
			read: func(r *reader, n *yaml.Node, where string) {
				if n.Kind != yaml.SequenceNode {
					r.fail(n, where, "table is a list, as in [{when: [a], drive: {out: 0.5}}]")
					return
				}
				if !r.short(n, where+": table", "rows", maxList) {
					return
				}
				for _, item := range n.Content {
					row := &Row{}
					r.fields(item, where+": table", row.fields())
					f.Table = append(f.Table, row)
				}
			},
			node: func() *yaml.Node {
				list := &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle}
				for _, row := range f.Table {
					list.Content = append(list.Content, flow(row.fields()))
				}
				return list
			},
		},
		number("ramp", &f.Ramp, 0.01, 60),
	}...)
}

func (r *Row) fields() []field {
	return []field{words("when", &r.When).mustOrNone(), figureMap("drive", &r.Drive, 0, 1).must()}
}

func (f *FanModule) check() string {
	for _, row := range f.Table {
		for _, input := range row.When {
			if !slices.Contains(f.Inputs, input) {
				return "the table speaks of " + input + ", which is no input (" + listWords(f.Inputs) + ")"
			}
		}
	}
	return ""
}

// PWMModule drives its outputs by the duty on one control wire.
type PWMModule struct {
	Control  string
	Feeds    []string
	Grounds  []string
	Outputs  []*OutputPair
	Min, Max float64 // duty window, per cent
	OnLevel  Level   // whether the low or the high part of a period counts
	HzFrom   float64
	HzTo     float64
	Open     Fallback
	Grounded Fallback
	Ramp     float64 // s
	Electronics
}

// OutputPair is one output: its plus pin and, where drawn, its own return.
type OutputPair struct{ Name, Plus, Minus string }

// Fallback is what a module does when its control wire is not a signal.
type Fallback string

// Fallbacks.
const (
	FallFull Fallback = "full"
	FallOff  Fallback = "off"
	FallHold Fallback = "hold"
)

func (*PWMModule) Kind() Kind { return KindPWMModule }

// Pins lists feeds, control, outputs, grounds.
func (m *PWMModule) Pins() []string {
	var outs []string
	for _, o := range m.Outputs {
		outs = append(outs, o.Plus)
		if o.Minus != "" {
			outs = append(outs, o.Minus)
		}
	}
	return joinPins(m.Feeds, m.Logic, []string{m.Control}, outs, m.Grounds)
}
func (*PWMModule) describe() string { return "PWM module" }
func (m *PWMModule) fields() []field {
	return append(m.Electronics.fields(), []field{
		text("control", &m.Control).must(), words("feeds", &m.Feeds).must(), words("grounds", &m.Grounds).must(),
		named("outputs", &m.Outputs, func(o *OutputPair) *string { return &o.Name }, func(o *OutputPair) []field {
			return []field{text("+", &o.Plus).must(), text("-", &o.Minus)}
		}).must(),
		group("duty", func() bool { return m.Min > 0 || m.Max > 0 }, number("min", &m.Min, 1, 99), number("max", &m.Max, 1, 100)),
		choice("on-level", &m.OnLevel, Low, High),
		group("hertz", func() bool { return m.HzFrom > 0 || m.HzTo > 0 }, number("from", &m.HzFrom, 1, 1e5), number("to", &m.HzTo, 1, 1e5)),
		choice("open", &m.Open, FallFull, FallOff, FallHold),
		choice("grounded", &m.Grounded, FallOff, FallFull),
		number("ramp", &m.Ramp, 0.01, 60),
	}...)
}

// edgeOfWindow is how far below its window's lower edge a duty still counts as the edge, per cent: the edges are inside.
const edgeOfWindow = 0.01

// Duty window of a module that does not say (common practice).
const defaultDutyMin, defaultDutyMax = 10, 90

// Share is the share of full volts for a duty in per cent: none below the window, all at its
// end.
func (m *PWMModule) Share(duty float64) float64 {
	low, high := m.Min, m.Max
	if low == 0 {
		low = defaultDutyMin
	}
	if high == 0 {
		high = defaultDutyMax
	}
	if duty < low-edgeOfWindow {
		return 0
	}
	return min(1, duty/high)
}

// SpeedController is a manual electronic speed controller with three wires.
type SpeedController struct {
	Share float64
	Side  Level
}

func (*SpeedController) Kind() Kind       { return KindSpeedController }
func (*SpeedController) Pins() []string   { return []string{"+", "-", "out"} }
func (*SpeedController) describe() string { return "speed controller" }
func (s *SpeedController) fields() []field {
	return []field{number("share", &s.Share, 0, 1), choice("side", &s.Side, Low, High)}
}

// ShareIn is the knob's place in a state: the state's own figure, else the file's.
func (s *SpeedController) ShareIn(state *State, part string) float64 {
	if v, err := parseFigure(state.Position(part)); err == nil && v >= 0 && v <= 1 {
		return v
	}
	return s.Share
}

// Diode conducts from a to k.
type Diode struct{}

func (*Diode) Kind() Kind       { return KindDiode }
func (*Diode) Pins() []string   { return []string{"a", "k"} }
func (*Diode) describe() string { return "diode" }
func (*Diode) fields() []field  { return nil }

// Lamp is a filament lamp at its rated volts and watts.
type Lamp struct{ Volts, Watts float64 }

func (*Lamp) Kind() Kind       { return KindLamp }
func (*Lamp) Pins() []string   { return twoEnds }
func (*Lamp) describe() string { return "lamp" }
func (l *Lamp) fields() []field {
	return []field{number("volts", &l.Volts, 1, 60).must(), number("watts", &l.Watts, 0.1, 200).must()}
}
