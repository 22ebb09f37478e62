package diagnose

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// game is one car with its faults.
type game struct {
	g       *Guide
	faults  []fault.Fault
	car     electric.Car
	clean   bool // the car as drawn, every answer right
	misread float64
	rng     *rand.Rand
	nets    map[string]*electric.Network
	blown   uint64
	ran     bool
}

// Player is a car as drawn but for its faults, that answers moves without error: for studies
// from outside, and for trying the pages.
type Player struct{ car *game }

// Player puts faults into a car. An error says which cannot be.
func (g *Guide) Player(faults ...string) (*Player, error) {
	m := &game{g: g, clean: true, rng: rand.New(rand.NewPCG(1, 0x57)), nets: map[string]*electric.Network{}}
	for _, words := range faults {
		f, err := fault.Parse(g.circuit, words)
		if err != nil {
			return nil, err
		}
		m.faults = append(m.faults, f)
	}
	if m.network(nil) == nil {
		return nil, fmt.Errorf("these faults cannot be in one car")
	}
	return &Player{m}, nil
}

// Answer makes the test on the car.
func (p *Player) Answer(m *Move) probe.Observation { return p.car.answer(m) }

// network is the car as it really is, in a set-up.
func (m *game) network(setup []electric.Action) *electric.Network {
	key := probe.SetupKey(setup)
	if n := m.nets[key]; n != nil {
		return n
	}
	n, err := m.g.model.Network(setup, m.faults)
	if err != nil {
		return nil
	}
	n.Tune(m.car)
	m.nets[key] = n
	return n
}

// history runs the car through every state once: the complaint has happened.
func (m *game) history() {
	if m.ran {
		return
	}
	m.ran = true
	n := m.network(nil)
	n.Restore()
	for _, s := range m.g.circuit.States {
		n.Rest()
		n.Enter(s)
	}
	m.blown = n.Blown()
}

// answer makes a test on the car.
func (m *game) answer(move *Move) probe.Observation {
	m.history()
	setup, err := electric.ParseSetup(m.g.circuit, move.Setup)
	state := m.g.circuit.State(move.State)
	o := move.Asked()
	if err != nil {
		return o
	}
	n := m.network(setup)
	if m.comes() && m.rng.IntN(2) == 0 { // it does not show just now
		if n, err = m.g.model.Network(setup, nil); err != nil {
			return o
		}
		n.Tune(m.car)
		n.Restore()
	} else {
		n.SetBlown(m.blown)
	}
	n.Rest()
	n.Enter(state)
	wrong := m.misread > 0 && m.rng.Float64() < m.misread
	switch {
	case move.Do == probe.LookAtFans:
		o.Fans = m.look(n, wrong)
	case probe.Words[move.Do] != nil:
		m.word(move, setup, n, &o, wrong)
	default:
		m.figure(move, setup, n, &o, wrong)
	}
	return o
}

// look is what each fan does; a wrong one has one fan taken for something else.
func (m *game) look(n *electric.Network, wrong bool) map[string]string {
	fans := map[string]string{}
	shares := make([]float32, len(m.g.fans))
	n.FanShares(shares)
	for k, fan := range m.g.fans {
		fans[fan] = string(electric.SpeedWord(float64(shares[k])))
	}
	if wrong {
		fan := m.g.fans[m.rng.IntN(len(m.g.fans))]
		fans[fan] = speedWords[m.rng.IntN(3)]
	}
	return fans
}

// figure is what the instrument shows, to two places.
func (m *game) figure(move *Move, setup []electric.Action, n *electric.Network, o *probe.Observation, wrong bool) {
	var v float64
	if move.Do == probe.Volts {
		readings := make([]float32, len(m.g.model.Pins()))
		n.MeterVolts(readings)
		v = float64(readings[m.g.pinAt[harness.ParsePin(move.At)]])
		if move.From != "" {
			v -= float64(readings[m.g.pinAt[harness.ParsePin(move.From)]])
		}
		v = meter(v)
	} else {
		v = m.instrument(move, setup, o)
	}
	r := &probe.Reading{Figure: math.Round(100*v) / 100}
	if math.IsInf(v, 1) || v > probe.InOhms.Most {
		r = &probe.Reading{Open: true}
	}
	if wrong {
		r = &probe.Reading{Figure: math.Round(100*m.rng.Float64()*m.g.circuit.SupplyVolts(false)) / 100}
	}
	switch move.Do {
	case probe.Volts:
		o.Volts = r
	case probe.Amps:
		o.Amps = r
	default:
		o.Ohms = r
	}
}

// instrument lays one other than the voltmeter on.
func (m *game) instrument(move *Move, setup []electric.Action, o *probe.Observation) float64 {
	asked := *o
	asked.Stand(move.Do)
	t, err := asked.Test(m.g.circuit)
	if err != nil {
		return 0
	}
	x, err := m.g.instrument(t, setup, m.faults)
	if err != nil {
		return 0
	}
	x.Tune(m.car)
	x.SetBlown(m.blown)
	return x.Shows(t.State)
}

// word answers in a word: as surely as the guide takes people to be, where cars are random;
// as it is, where readings are clean.
func (m *game) word(move *Move, setup []electric.Action, n *electric.Network, o *probe.Observation, wrong bool) {
	words := probe.Words[move.Do]
	chance := make([]float64, len(words))
	switch move.Do {
	case probe.Lamp, probe.LED:
		v := math.Abs(meter(m.instrument(move, setup, o)))
		var at int
		if move.Do == probe.Lamp {
			at = slices.Index(words, m.g.model.LampWord(v))
		} else {
			at = slices.Index(words, electric.LEDWord(v))
		}
		chance[max(0, at)] = 1
	case probe.Relay:
		in := make([]float32, len(m.g.relayAt))
		n.PulledIn(in)
		clicks := in[m.g.relayAt[move.Part]] >= 0.5 && !slices.ContainsFunc(m.faults, func(f fault.Fault) bool { return stuckIn(f, move.Part) })
		chance[0] = 1 - surelyHeard
		if clicks {
			chance[0] = surelyHeard
		}
		chance[1] = 1 - chance[0]
	case probe.Codes:
		chance[1] = codeAnyway
		if m.code() {
			chance[1] = codeSet
		}
		chance[0] = 1 - chance[1]
	default:
		m.g.partWords(fault.Fault{}, probe.Test{Do: move.Do, Part: move.Part}, chance)
		for _, f := range m.faults {
			also := make([]float64, len(words))
			m.g.partWords(f, probe.Test{Do: move.Do, Part: move.Part}, also)
			if also[0] < chance[0] {
				chance = also
			}
		}
	}
	pick := 0
	if m.clean {
		for k := range chance { // a clean reading
			if chance[k] > chance[pick] {
				pick = k
			}
		}
	} else {
		at := m.rng.Float64()
		for k, p := range chance {
			if at -= p; at < 0 {
				pick = k
				break
			}
		}
	}
	if wrong {
		pick = m.rng.IntN(len(words))
	}
	o.Say(move.Do, words[pick])
}

// code tells whether the controller has seen a driver's pin not follow its command.
func (m *game) code() bool {
	well, err := m.g.model.Network(nil, nil)
	if err != nil {
		return false
	}
	well.Tune(m.car)
	ill := m.network(nil)
	a, b := make([]float32, len(m.g.model.Pins())), make([]float32, len(m.g.model.Pins()))
	for _, s := range m.g.circuit.States {
		well.Rest()
		well.Enter(s)
		well.MeterVolts(a)
		ill.SetBlown(m.blown)
		ill.Rest()
		ill.Enter(s)
		ill.MeterVolts(b)
		for _, pin := range m.g.commanded() {
			if math.Abs(meter(float64(a[pin]))-meter(float64(b[pin]))) > 0.4*m.g.circuit.SupplyVolts(false) {
				return true
			}
		}
	}
	return false
}

func (m *game) comes() bool {
	return len(m.faults) > 0 && (m.faults[0].Intermittent || m.faults[0].Words == fault.Brushes)
}

// harmless tells whether no state shows a fan otherwise than on the same car in health.
func (m *game) harmless(setup []electric.Action) bool {
	well, err := m.g.model.Network(nil, nil)
	if err != nil {
		return false
	}
	well.Tune(m.car)
	m.history()
	ill := m.network(setup)
	if ill == nil {
		return false
	}
	a, b := make([]float32, len(m.g.fans)), make([]float32, len(m.g.fans))
	ill.SetBlown(m.blown)
	if setup != nil {
		ill.Restore() // a fuse that blows again is not mended
		for _, s := range m.g.circuit.States {
			ill.Rest()
			ill.Enter(s)
		}
	}
	for _, s := range m.g.circuit.States {
		well.Rest()
		well.Enter(s)
		well.FanShares(a)
		ill.Rest()
		ill.Enter(s)
		ill.FanShares(b)
		for k := range a {
			if electric.SpeedWord(float64(a[k])) != electric.SpeedWord(float64(b[k])) {
				return false
			}
		}
	}
	return true
}
