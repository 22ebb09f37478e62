package rewire

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

// The order of building, and what each check in it must show: the circuit is solved as far as it then stands.

// order is the order of building, low proven first, then high.
func (d *design) order(b *Build) error {
	relays, fans := d.actions(harness.KindRelay), d.actions(harness.KindMotor)
	b.Steps = append(b.Steps, Step{Do: "Battery negative off. Mount the box, the relays' sockets and the fuse holders; lay the wires by " +
		"the wire list; " +
		"fuses out, relays out, fans unplugged. Leave the old wiring in place until all works."})
	steps := []struct {
		do     string
		states []string
		set    []electric.Action
		look   func(s *harness.State, set []electric.Action) ([]Expected, error)
	}{
		{"Battery on, the coils' fuse in: prove the key's feed. It must be dead with the key off, alive with the key on, and stay alive " +
			"while " +
			"the engine is cranked.", []string{parkedState, offState, crankingState}, slices.Concat(relays, fans), d.coilFeedsAt},
		{"Prove each control line before a relay is in: red lead to the battery's plus, black lead to the cavity; a line that pulls shows " +
			"the " +
			"battery's volts.", append([]string{offState}, d.w.Speeds...), slices.Concat(relays, fans), d.linesAt},
		{"Feeds' fuses and relays in, fans still unplugged: low first, then high.", append([]string{offState}, d.w.Speeds...), fans,
			d.plugsAt},
		{"Fans plugged in, hands away: low first, then high, each fan looked at and the current taken by clamp at the battery.",
			append([]string{offState}, d.w.Speeds...), nil, d.running},
		{"What nobody asks for: the key off and hot, the controller's plug off.", []string{parkedState}, nil, d.running},
	}
	for _, step := range steps {
		out := Step{Do: step.do}
		for _, a := range step.set {
			out.Set = append(out.Set, a.String())
		}
		for _, name := range step.states {
			s := d.c.State(name)
			if s == nil {
				continue
			}
			list, err := step.look(s, step.set)
			if err != nil {
				return err
			}
			out.Checks = append(out.Checks, list...)
		}
		if len(out.Checks) > 0 {
			b.Steps = append(b.Steps, out)
		}
	}
	checks, err := d.eachAsks()
	if err != nil {
		return err
	}
	b.Steps = append(b.Steps, Step{Do: "Everybody who asks, by themselves, the others still: first with the engine off, then with it running.",
		Checks: checks}, Step{Do: "A watched warm-up to both thresholds; feel the touch points; only then take the old wiring out, cap what " +
		"stays live, and put the labels on."})
	return nil
}

// eachAsks is what each requester by itself must bring about, the engine off and running; and what whoever forbids must end.
func (d *design) eachAsks() ([]Expected, error) {
	var list []Expected
	for _, row := range d.truth() {
		name := killedState
		if row.Asks != "off" {
			for _, r := range d.w.Requesters {
				if r.Name == row.Requester {
					name = d.w.stateOf(r)
				}
			}
		}
		s := d.c.State(name)
		if s == nil {
			s = d.c.State(row.Asks)
		}
		if s == nil {
			continue
		}
		for _, running := range []bool{false, true} {
			at := *s
			at.Running = running
			p, err := d.m.Solve(electric.Condition{State: &at})
			if err != nil {
				return nil, fmt.Errorf("rewire: %w", err)
			}
			var fans []string
			for i := range d.w.Fans {
				fans = append(fans, fmt.Sprintf("%s %s", d.motor(i), p.Motors[d.motor(i)].Speed))
			}
			does, engine := "asks", "engine off"
			if row.Asks == "off" {
				does = "forbids while all ask"
			}
			if running {
				engine = "engine running"
			}
			list = append(list, Expected{fmt.Sprintf("%s %s, %s: clamp round the feeds at the battery; the fans", row.Requester, does, engine),
				fmt.Sprintf("%.1f A; %s", math.Abs(d.fromBattery(p)), strings.Join(fans, ", "))})
		}
	}
	return list, nil
}

// actions take all parts of a kind out or off.
func (d *design) actions(kind harness.Kind) []electric.Action {
	var list []electric.Action
	for _, p := range d.c.OfKind(kind) {
		list = append(list, electric.Action{Verb: electric.DetachVerb(kind), Part: p.Name})
	}
	return list
}

// volts is a voltmeter's reading in words, its sign left out: which lead is which is said beside it.
func (d *design) volts(s *harness.State, set []electric.Action, at, from harness.Pin) (string, error) {
	r, err := d.m.Measure(electric.Measurement{Condition: electric.Condition{State: s, Setup: set}, Instrument: electric.Voltmeter, At: at,
		From: from})
	if err != nil {
		return "", fmt.Errorf("rewire: %w", err)
	}
	if r.Figure == nil {
		return "nothing", nil
	}
	return fmt.Sprintf("%.1f V", math.Abs(*r.Figure)), nil
}

// coilPins lists the pins of all relays' coils on one side, told apart by their wire's function.
func (d *design) coilPins(does string) []harness.Pin {
	var list []harness.Pin
	for i, w := range d.c.Wires {
		if d.does(i) != does {
			continue
		}
		for _, pin := range []harness.Pin{w.From, w.To} {
			if d.c.Part(pin.Part).Kind() == harness.KindRelay && (pin.Name == "85" || pin.Name == "86") && !slices.Contains(list, pin) {
				list = append(list, pin)
			}
		}
	}
	return list
}

func (d *design) coilFeedsAt(s *harness.State, set []electric.Action) ([]Expected, error) {
	pins := d.coilPins(coilFeed)
	if d.part("FM") != nil {
		pins = append(pins, harness.Pin{Part: d.name("FM"), Name: "l"})
	}
	return d.each(s, set, pins, harness.Pin{Part: d.name("BAT"), Name: "-"}, "black lead on the battery's minus, red on %s")
}

func (d *design) linesAt(s *harness.State, set []electric.Action) ([]Expected, error) {
	return d.each(s, set, d.coilPins(control), harness.Pin{Part: d.name("BAT"), Name: "+"}, "%s against the battery's plus")
}

func (d *design) plugsAt(s *harness.State, set []electric.Action) ([]Expected, error) {
	var list []Expected
	for i := range d.w.Fans {
		plus, minus := harness.Pin{Part: d.motor(i), Name: "+"}, harness.Pin{Part: d.motor(i), Name: "-"}
		if d.f == Series && s.Name == d.w.Speeds[0] { // nothing flows with the plugs off: each side by itself
			one, err := d.each(s, set, []harness.Pin{plus, minus}, harness.Pin{Part: d.name("BAT"), Name: "-"}, "%s of its plug")
			if err != nil {
				return nil, err
			}
			list = append(list, one...)
			continue
		}
		text, err := d.volts(s, set, plus, minus)
		if err != nil {
			return nil, err
		}
		list = append(list, Expected{fmt.Sprintf("%s: across the plug of %s", s.Name, d.motor(i)), text})
	}
	return list, nil
}

func (d *design) each(s *harness.State, set []electric.Action, pins []harness.Pin, from harness.Pin, words string) ([]Expected, error) {
	var list []Expected
	for _, pin := range pins {
		text, err := d.volts(s, set, pin, from)
		if err != nil {
			return nil, err
		}
		list = append(list, Expected{s.Name + ": " + fmt.Sprintf(words, pin), text})
	}
	return list, nil
}

func (d *design) running(s *harness.State, set []electric.Action) ([]Expected, error) {
	list := make([]Expected, 0, 2)
	p, err := d.m.Solve(electric.Condition{State: s, Setup: set})
	if err != nil {
		return nil, fmt.Errorf("rewire: %w", err)
	}
	var words []string
	for i := range d.w.Fans {
		words = append(words, fmt.Sprintf("%s %s", d.motor(i), p.Motors[d.motor(i)].Speed))
	}
	list = append(list, Expected{s.Name + ", engine off: the fans", strings.Join(words, ", ")},
		Expected{s.Name + ", engine off: clamp round the feeds at the battery", fmt.Sprintf("%.1f A", math.Abs(d.fromBattery(p)))})
	if s.Name == parkedState && d.part("ECU") != nil {
		stands, err := d.stands()
		if err != nil {
			return nil, err
		}
		for _, x := range stands {
			if x.Condition == "controller unplugged" {
				var words []string
				for i := range d.w.Fans {
					words = append(words, fmt.Sprintf("%s %s", d.motor(i), x.Fans[d.motor(i)]))
				}
				list = append(list, Expected{"key on, the controller's plug off: the fans", strings.Join(words, ", ")})
			}
		}
	}
	return list, nil
}
