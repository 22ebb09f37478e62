// Package pincheck checks a conversion harness cavity by cavity: from each cavity of the controller's plug to where its wire
// should end, with the plug off and the battery off.
//
// In go a circuit and what the meter showed, out come what every cell should have shown and which crossing, open, short or
// reversed coil explains what it did show, with the move that puts it right. The one idea: every expected figure comes from
// solving the circuit in the set-up of the check, so that a wrong cavity with the relays in shows two coils in series and not
// an open line; and every candidate is the circuit with that one mistake made in it, solved again.
package pincheck

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/units"
)

// Check is one controller's plug against one set-up.
type Check struct {
	Controller string
	RelaysOut  bool
	Rows       []Row
	Columns    []harness.Pin

	model *electric.Model
	setup []electric.Action
}

// Row is one cavity of the plug.
type Row struct {
	Pin    harness.Pin
	Does   string // its function as drawn
	Colour string
	Goes   []harness.Pin // where its wires should end
}

// Cell is what a meter should show between a row's cavity and a column's pin; nil ohms are an open line.
type Cell struct {
	Ohms *float64
	// OneWay says that a diode lies between: with the leads the other way round, or on a range that does not turn it on, the
	// meter shows an open line.
	OneWay bool
}

// String spells a cell as a meter shows it.
func (c Cell) String() string {
	if c.Ohms == nil {
		return "OL"
	}
	return strconv.FormatFloat(*c.Ohms, 'f', 1, 64)
}

// Entry is what was read in a cell: a buzzer's word, an open line, or ohms.
type Entry struct {
	Row, Column int
	Buzz        string // Beeps or Silent; else a figure
	Open        bool
	Ohms        float64
}

// Words of a buzzer.
const (
	Beeps  = "beeps"
	Silent = "silent"
)

// Bounds of what a meter shows. A buzzer's limit lies between 10 and 100 Ω, unnulled leads have up to 1 Ω (common practice);
// coils of one type differ by a tenth or so.
const (
	buzzSurely = 10.0
	buzzNever  = 100.0
	leads      = 1.0
	meterOhms  = 0.2
	coilShare  = 0.15
	mostPins   = 40
	mostCells  = 800
)

// New lays out the check of a controller's plug. The error says what is missing.
func New(m *electric.Model, controller string, relaysOut bool) (*Check, error) {
	c := &Check{Controller: controller, RelaysOut: relaysOut, model: m}
	part := m.Circuit.Part(controller)
	if part == nil || !HasPlug(part) {
		return nil, fmt.Errorf("pin check: there is no part with a plug called %q in this circuit", harness.Clipped(controller, 40))
	}
	for _, row := range cavities(part) {
		for _, w := range m.Circuit.Wires {
			if w.From == row.Pin || w.To == row.Pin {
				row.Colour = w.Colour
			}
		}
		row.Goes = ends(m.Circuit, row.Pin)
		c.Rows = append(c.Rows, row)
		for _, pin := range row.Goes {
			if !slices.Contains(c.Columns, pin) {
				c.Columns = append(c.Columns, pin)
			}
		}
	}
	c.further()
	if len(c.Rows) > mostPins || len(c.Rows)*len(c.Columns) > mostCells {
		return nil, fmt.Errorf("pin check: %d cavities and %d ends are more than one sheet holds", len(c.Rows), len(c.Columns))
	}
	c.setup = setup(m.Circuit, part, relaysOut)
	return c, nil
}

// HasPlug tells whether a part is joined by a plug of several cavities that can be checked pin by pin.
func HasPlug(p *harness.Part) bool {
	switch p.Kind() {
	case harness.KindController, harness.KindFanModule, harness.KindPWMModule, harness.KindSpeedController, harness.KindConnector:
		return true
	}
	return p.Kind() == harness.KindMotor && len(p.Pins()) > 2
}

// cavities are a plug's, with what each does as drawn: of a connector in the line those of its first half.
func cavities(part *harness.Part) []Row {
	var rows []Row
	ctl, controls := part.Spec.(*harness.Controller)
	for i, pin := range part.Pins() {
		row := Row{Pin: pin}
		switch {
		case controls:
			row.Does = does(ctl.PinRoles[i])
		case part.Kind() == harness.KindConnector && i%2 == 1:
			continue
		}
		rows = append(rows, row)
	}
	return rows
}

// further adds the ends that no cavity goes to and that are found wrong as often: the feed of each relay that the plug pulls, and
// where the plug's grounds come together.
func (c *Check) further() {
	add := func(pin harness.Pin) {
		if !slices.Contains(c.Columns, pin) && (len(c.Columns)+1)*len(c.Rows) <= mostCells {
			c.Columns = append(c.Columns, pin)
		}
	}
	for _, pin := range slices.Clone(c.Columns) {
		if p := c.model.Circuit.Part(pin.Part); p.Kind() == harness.KindRelay && (pin.Name == "85" || pin.Name == "86") {
			add(harness.Pin{Part: p.Name, Name: map[string]string{"85": "86", "86": "85"}[pin.Name]})
		}
	}
	for _, p := range c.model.Circuit.OfKind(harness.KindGround) {
		add(p.Pins()[0])
	}
}

// does words a cavity's function.
func does(r *harness.PinRole) string {
	words := r.Label
	switch {
	case r.Command() != "" && !strings.Contains(words, r.Command()):
		words = strings.TrimSpace(words + " " + r.Command())
	case r.Ground:
		words = strings.TrimSpace(words + " ground")
	case r.Power:
		words = strings.TrimSpace(words + " power")
	case r.Input != "":
		words = strings.TrimSpace(words + " input " + r.Input)
	}
	return words
}

// setup is how the vehicle stands: battery off, the plug off, and the relays out where that is asked.
func setup(c *harness.Circuit, plug *harness.Part, relaysOut bool) []electric.Action {
	list := []electric.Action{
		{Verb: electric.DetachVerb(harness.KindBattery), Part: c.OfKind(harness.KindBattery)[0].Name},
		{Verb: electric.DetachVerb(plug.Kind()), Part: plug.Name},
	}
	if relaysOut {
		for _, p := range c.OfKind(harness.KindRelay) {
			list = append(list, electric.Action{Verb: electric.DetachVerb(harness.KindRelay), Part: p.Name})
		}
	}
	return list
}

// ends are the pins at which a cavity's wires end: straight, through splices, or behind a diode.
func ends(c *harness.Circuit, at harness.Pin) []harness.Pin {
	var list []harness.Pin
	seen := map[harness.Pin]bool{at: true}
	queue := []harness.Pin{at}
	for len(queue) > 0 {
		here := queue[0]
		queue = queue[1:]
		for _, w := range c.Wires {
			for _, pair := range [][2]harness.Pin{{w.From, w.To}, {w.To, w.From}} {
				if pair[0] != here || seen[pair[1]] {
					continue
				}
				seen[pair[1]] = true
				switch part := c.Part(pair[1].Part); part.Kind() {
				case harness.KindSplice:
					queue = append(queue, pair[1])
				case harness.KindDiode: // the wire goes on behind it
					list = append(list, pair[1])
					for _, other := range part.Pins() {
						if !seen[other] {
							seen[other] = true
							queue = append(queue, other)
						}
					}
				default:
					list = append(list, pair[1])
				}
			}
		}
	}
	return list
}

// Setup is the set-up in words.
func (c *Check) Setup() []string {
	var list []string
	for _, a := range c.setup {
		list = append(list, a.String())
	}
	return list
}

// Expect is what every cell should show, rows × columns.
func (c *Check) Expect(ctx context.Context) ([][]Cell, error) {
	cells := make([][]Cell, len(c.Rows))
	for i := range c.Rows {
		cells[i] = make([]Cell, len(c.Columns))
		for k := range c.Columns {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			cell, err := c.read(c.model, i, k)
			if err != nil {
				return nil, err
			}
			cells[i][k] = cell
		}
	}
	return cells, nil
}

// read is what a meter shows in a cell of a circuit.
func (c *Check) read(m *electric.Model, row, column int) (Cell, error) {
	between := func(red, black harness.Pin) (*float64, error) {
		r, err := m.Measure(electric.Measurement{Condition: electric.Condition{State: m.Circuit.States[0], Setup: c.setup},
			Instrument: electric.Ohmmeter, At: red, From: black})
		if err != nil {
			return nil, fmt.Errorf("pin check: %w", err)
		}
		return r.Figure, nil
	}
	there, err := between(c.Rows[row].Pin, c.Columns[column])
	if err != nil || len(m.Circuit.OfKind(harness.KindDiode)) == 0 && !c.suppressed() {
		return Cell{Ohms: there}, err
	}
	back, err := between(c.Columns[column], c.Rows[row].Pin)
	cell := Cell{Ohms: there}
	switch {
	case there == nil:
		cell.Ohms, cell.OneWay = back, back != nil
	case back == nil:
		cell.OneWay = true
	case *back < *there: // what is read depends on which way the leads lie
		cell.Ohms = back
	}
	return cell, err
}

// suppressed tells whether a relay of the circuit has a diode across its coil.
func (c *Check) suppressed() bool {
	return slices.ContainsFunc(c.model.Circuit.OfKind(harness.KindRelay), func(p *harness.Part) bool {
		return p.Spec.(*harness.Relay).Suppression == harness.DiodeSuppr
	})
}

// ParseEntry reads what was written in a cell: "beeps", "b", "silent", "s", "OL", "open", or ohms such as "0.4" or "1.2k".
func ParseEntry(text string) (Entry, error) {
	word := strings.ToLower(strings.TrimSpace(text))
	switch word {
	case "b", "beep", Beeps:
		return Entry{Buzz: Beeps}, nil
	case "s", "-", Silent:
		return Entry{Buzz: Silent}, nil
	case "ol", "o", "open", "0l":
		return Entry{Open: true}, nil
	}
	factor := 1.0
	if k, found := strings.CutSuffix(word, "k"); found {
		word, factor = k, 1000
	}
	ohms, err := units.Figure(strings.TrimSuffix(word, "ω"))
	if err != nil || !(ohms >= 0 && ohms*factor <= 1e7) {
		return Entry{}, fmt.Errorf("%q is no reading: beeps, silent, OL, or ohms", harness.Clipped(text, 20))
	}
	return Entry{Ohms: ohms * factor}, nil
}

// String spells an entry.
func (e Entry) String() string {
	switch {
	case e.Buzz != "":
		return e.Buzz
	case e.Open:
		return "OL"
	}
	return strconv.FormatFloat(e.Ohms, 'f', -1, 64)
}

// Fits tells whether an entry can come from a cell.
func (e Entry) Fits(c Cell) bool {
	switch {
	case e.Buzz == Beeps:
		return c.Ohms != nil && *c.Ohms < buzzNever
	case e.Buzz == Silent:
		return c.Ohms == nil || *c.Ohms+leads > buzzSurely || c.OneWay
	case e.Open:
		return c.Ohms == nil || c.OneWay
	}
	return c.Ohms != nil && e.Ohms >= *c.Ohms*(1-coilShare)-meterOhms && e.Ohms <= *c.Ohms*(1+coilShare)+meterOhms+leads
}

var errNoEntries = errors.New("pin check: nothing has been read yet")
