package trace

import (
	"fmt"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/size"
)

// What a look at the drawing alone finds, before anything is measured: a feed without a fuse, a fuse that is too large
// for a wire behind it, a coil's diode the wrong way round. Nothing of it is an error; all of it is worth a question.

// Doubts lists what is doubtful in a healthy circuit as it is drawn, each in a sentence.
func Doubts(m *electric.Model) []electric.Warning {
	var list []electric.Warning
	list = append(list, unfused(m.Circuit)...)
	list = append(list, largeFuses(m.Circuit)...)
	list = append(list, reversedDiodes(m.Circuit)...)
	list = append(list, strangeWindings(m.Circuit)...)
	for _, s := range m.Circuit.States {
		p, err := m.Solve(electric.Condition{State: s})
		if err != nil {
			continue
		}
		for _, w := range p.Warnings {
			known := slices.ContainsFunc(list, func(o electric.Warning) bool { return o.Kind == w.Kind && o.At == w.At })
			if !known && slices.Contains([]string{"reversed", "diode", "feeds", "parked", "contact"}, w.Kind) {
				w.Text = s.Name + ": " + w.Text
				list = append(list, w)
			}
		}
	}
	return list
}

// walk follows a conductor from a pin through whatever only joins, closed or not: wires, connectors, splices, switches and
// contacts. It stops where through says so, and calls at for each pin and over for each wire.
func walk(c *harness.Circuit, from harness.Pin, through func(p *harness.Part, at harness.Pin) []harness.Pin, over func(w *harness.Wire)) {
	seen := map[harness.Pin]bool{from: true}
	queue := []harness.Pin{from}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		visit := func(pin harness.Pin) {
			if !seen[pin] {
				seen[pin] = true
				queue = append(queue, pin)
			}
		}
		for _, w := range c.Wires {
			if w.From != at && w.To != at {
				continue
			}
			over(w)
			far := w.To
			if w.To == at {
				far = w.From
			}
			if kind := c.Part(far.Part).Kind(); kind == harness.KindGround || kind == harness.KindBattery && far.Name == "-" {
				continue // every circuit meets there
			}
			visit(far)
			for _, pin := range through(c.Part(far.Part), far) {
				visit(pin)
			}
		}
	}
}

// joined are the pins that a part joins to one of its own when it conducts, without consuming anything.
func joined(p *harness.Part, at harness.Pin) []harness.Pin {
	switch spec := p.Spec.(type) {
	case *harness.Connector:
		side := map[byte]string{'a': "b", 'b': "a"}[at.Name[0]]
		return []harness.Pin{{Part: p.Name, Name: side + at.Name[1:]}}
	case *harness.Relay:
		if at.Name == "85" || at.Name == "86" || spec.Fuse > 0 {
			return nil
		}
		return slices.DeleteFunc(slices.Clone(p.Pins()), func(pin harness.Pin) bool { return pin.Name == "85" || pin.Name == "86" })
	case *harness.Splice, *harness.Switch, *harness.Diode, *harness.Selector, *harness.Switch2, *harness.StagedSwitch:
		return p.Pins()
	}
	if ends := p.Traits().Joins; slices.Contains(ends[:], at.Name) && at.Name != "" {
		return []harness.Pin{{Part: p.Name, Name: ends[0]}, {Part: p.Name, Name: ends[1]}}
	}
	return nil
}

// unfused finds loads that are fed from the battery with no fuse on the way.
func unfused(c *harness.Circuit) []electric.Warning {
	var list []electric.Warning
	for _, battery := range c.OfKind(harness.KindBattery) {
		walk(c, harness.Pin{Part: battery.Name, Name: "+"}, func(p *harness.Part, at harness.Pin) []harness.Pin {
			switch p.Kind() {
			case harness.KindMotor, harness.KindFanModule, harness.KindPWMModule, harness.KindSpeedController, harness.KindController,
				harness.KindLamp, harness.KindResistor, harness.KindResistorCard:
				w := electric.Warning{Kind: "unfused", At: at.String(), Text: fmt.Sprintf(
					"%s is fed from %s with no fuse on the way: a chafed wire there burns until the battery is empty", at, battery.Name)}
				if !slices.Contains(list, w) {
					list = append(list, w)
				}
			case harness.KindRelay:
				if at.Name == "85" || at.Name == "86" {
					list = append(list, electric.Warning{Kind: "unfused", At: at.String(), Text: fmt.Sprintf(
						"the coil at %s is fed from %s with no fuse on the way", at, battery.Name)})
				}
			}
			return joined(p, at)
		}, func(*harness.Wire) {})
	}
	return list
}

// largeFuses finds fuses that are larger than a wire behind them carries. What is drawn without a size is left out.
func largeFuses(c *harness.Circuit) []electric.Warning {
	var list []electric.Warning
	behind := func(name string, amps float64, from harness.Pin) {
		var thinnest *harness.Wire
		walk(c, from, func(p *harness.Part, at harness.Pin) []harness.Pin {
			switch spec := p.Spec.(type) {
			case *harness.Motor:
				return p.Pins() // what flows through it flows on
			case *harness.Relay:
				if spec.Fuse > 0 {
					return nil
				}
			}
			return joined(p, at)
		}, func(w *harness.Wire) {
			if w.Size.Given() && carriesOf(w) < amps && (thinnest == nil || carriesOf(w) < carriesOf(thinnest)) {
				thinnest = w
			}
		})
		if thinnest != nil {
			list = append(list, electric.Warning{Kind: "large fuse", At: name, Text: fmt.Sprintf(
				"%s is a %s of %g A, and the wire %s behind it carries about %.0f A in the heat of an engine space (%s)",
				name, c.Part(name).Kind(), amps, thinnest, carriesOf(thinnest), thinnest.Size)})
		}
	}
	for _, p := range c.Parts {
		amps, opens := p.OpensAt()
		if !opens {
			continue
		}
		a, b := harness.Pin{Part: p.Name, Name: "a"}, harness.Pin{Part: p.Name, Name: "b"}
		switch {
		case fedFrom(c, a):
			behind(p.Name, amps, b)
		case fedFrom(c, b):
			behind(p.Name, amps, a)
		}
	}
	return list
}

// strangeWindings finds windings whose drawn speed does not follow from their amps and the load of the others: one of the
// figures is wrong, and the amps are what is reckoned with.
func strangeWindings(c *harness.Circuit) []electric.Warning {
	var list []electric.Warning
	for _, p := range c.Fans() {
		spec := p.Spec.(*harness.Motor)
		follows := electric.FollowingRPM(spec)
		for _, w := range spec.Windings {
			if rpm := follows[w.Name]; w.RPM > 0 && math.Abs(w.RPM-rpm) > windingShare*rpm {
				list = append(list, electric.Warning{Kind: "winding", At: p.Name, Text: fmt.Sprintf(
					"%s's winding %s is drawn with %.0f rpm; by its %.3g A it turns the fan at about %.0f, which is reckoned with", p.Name, w.Name,
					w.RPM, w.Amps, rpm)})
			}
		}
	}
	return list
}

// carriesOf is what a wire of the drawing may carry, amps.
func carriesOf(w *harness.Wire) float64 {
	return size.Ampacity(w.Size.SquareMM()) * float64(max(1, w.Parallel))
}

// fedFrom tells whether a pin hangs on the battery with no fuse between.
func fedFrom(c *harness.Circuit, pin harness.Pin) bool {
	found := false
	walk(c, pin, func(p *harness.Part, at harness.Pin) []harness.Pin {
		if p.Kind() == harness.KindBattery && at.Name == "+" {
			found = true
		}
		return joined(p, at)
	}, func(*harness.Wire) {})
	return found
}

// reversedDiodes finds relays whose coil gets plus where the diode's anode is: the circuit is solved without the diodes,
// since with one the wrong way round the fuse has blown before anything can be read.
func reversedDiodes(c *harness.Circuit) []electric.Warning {
	bare := *c
	bare.Parts = slices.Clone(c.Parts)
	var with []*harness.Part
	for i, p := range bare.Parts {
		spec, ok := p.Spec.(*harness.Relay)
		if !ok || spec.Suppression != harness.DiodeSuppr {
			continue
		}
		part, plain := *p, *spec
		plain.Suppression = harness.Unsuppressed
		part.Spec = &plain
		bare.Parts[i] = &part
		with = append(with, p)
	}
	if len(with) == 0 {
		return nil
	}
	m, err := electric.New(&bare)
	if err != nil {
		return nil
	}
	var list []electric.Warning
	for _, p := range with {
		anode, cathode := p.Name+".85", p.Name+".86"
		if p.Spec.(*harness.Relay).Cathode == "85" {
			anode, cathode = cathode, anode
		}
		for _, s := range c.States {
			point, err := m.Solve(electric.Condition{State: s})
			if err != nil {
				break
			}
			if a, k := point.Pins[anode], point.Pins[cathode]; a != nil && k != nil && *a-*k > wrongWayVolts {
				list = append(list, electric.Warning{Kind: "diode", At: p.Name, Text: electric.DiodeWords(p.Name)})
				break
			}
		}
	}
	return list
}
