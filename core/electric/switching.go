package electric

import (
	"slices"
	"strconv"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// sensor is a temperature sensor's branch; its ohms follow the state.
type sensor struct {
	curve  harness.Curve
	branch int
	off    float64 // °C by which it is wrong
}

func (n *Network) addCard(i int, p *harness.Part, spec *harness.ResistorCard) {
	at := n.terminal(p, "in")
	if spec.Opens > 0 {
		behind := n.newNode()
		if !n.has(p.Name, fault.LimiterOpen) {
			n.resist(at, behind, closedOhms, i)
		}
		at = behind
	}
	extra, resists := n.faultOf(p.Name, fault.Resists)
	for k, ohms := range spec.Steps {
		tap := strconv.Itoa(k + 1)
		next := n.terminal(p, tap)
		open, isOpen := n.faultOf(p.Name, fault.StepOpen)
		switch {
		case isOpen && open.Item == tap:
		case resists && k == 0:
			n.series(branch{a: at, b: next, ohms: ohms, part: i}, extra, harness.Pin{Part: p.Name, Name: "in"})
		default:
			n.resist(at, next, ohms, i)
		}
		at = next
	}
}

func (n *Network) addSelector(i int, p *harness.Part, spec *harness.Selector) {
	common := n.terminal(p, "c")
	if n.has(p.Name, fault.CommonOpen) {
		common = n.newNode()
	}
	open, isOpen := n.faultOf(p.Name, fault.PositionOpen)
	for _, pin := range spec.Pins()[1:] {
		n.add(branch{a: common, b: n.terminal(p, pin), ohms: closedOhms, gate: closedSwitch, index: len(n.switches), part: i})
		n.switches = append(n.switches, switchGate{closes: func(s *harness.State, _ bool) bool {
			for _, position := range spec.Positions {
				if position.Name == s.Position(p.Name) && slices.Contains(position.Pins, pin) {
					return !isOpen || open.Item != position.Name
				}
			}
			return false
		}})
	}
}

func (n *Network) addSwitch2(i int, p *harness.Part) {
	common := n.terminal(p, "c")
	for _, side := range []string{"a", "b"} {
		open, isOpen := n.faultOf(p.Name, fault.SideOpen)
		stuck, isStuck := n.faultOf(p.Name, fault.SideStuck)
		b := branch{a: common, b: n.terminal(p, side), ohms: closedOhms, gate: closedSwitch, index: len(n.switches), part: i}
		if isOpen && open.Item == side {
			b.gate = never
		}
		n.add(b)
		n.switches = append(n.switches, switchGate{
			stuck:  isStuck && stuck.Item == side,
			closes: func(s *harness.State, _ bool) bool { return s.Position(p.Name) == side },
		})
	}
}

func (n *Network) addStages(i int, p *harness.Part, spec *harness.StagedSwitch) {
	common := n.terminal(p, "c")
	for _, stage := range spec.Stages {
		open, isOpen := n.faultOf(p.Name, fault.StageOpen)
		stuck, isStuck := n.faultOf(p.Name, fault.StageStuck)
		b := branch{a: common, b: n.terminal(p, stage.Pin), ohms: closedOhms, gate: closedSwitch, index: len(n.switches), part: i}
		if isOpen && open.Item == stage.Pin {
			b.gate = never
		}
		n.add(b)
		n.switches = append(n.switches, switchGate{
			stuck: isStuck && stuck.Item == stage.Pin,
			closes: func(s *harness.State, before bool) bool {
				figure, known := spec.Figure(s)
				return known && stage.Closed(figure, before)
			},
		})
	}
}

func (n *Network) addSensor(i int, p *harness.Part, spec *harness.Sensor) {
	s, r := n.terminal(p, "s"), n.terminal(p, "r")
	switch {
	case n.has(p.Name, fault.Open):
		return
	case n.has(p.Name, fault.Shorted):
		n.resist(s, r, shortOhms, i)
		return
	}
	added := sensor{curve: spec.Curve, branch: n.resist(s, r, spec.Curve.Ohms(roomCelsius), i)}
	if f, ok := n.faultOf(p.Name, fault.Off); ok {
		added.off = orDefault(f.Figure, 15)
	}
	n.sensors = append(n.sensors, added)
}
