package electric

import (
	"fmt"
	"math"
	"slices"
	"strconv"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// drive is an average-value transformer between a module's feed, its ground and one output:
// the output has share times the input volts, the input share times the output current. It
// stamps g·w·wᵀ with w = (share, −1, 1−share) over feed, output and ground, so that the
// matrix stays symmetric and positive.
type drive struct {
	feed, out, ground node
	share             float64
	wanted            float64 // of one set by hand: its share, unless it is pushed back
	siemens           float64
	low               bool // the load hangs between feed and output
	places            [3]place
}

// module is a fan module or a PWM module with its drives.
type module struct {
	part         *harness.Part
	fan          *harness.FanModule
	pwm          *harness.PWMModule
	feed, ground node
	logic        node   // what its electronics live on: the feed, where they have no supply of their own
	inputs       []node // of a fan module, in the order of its Inputs
	deadInput    []bool
	control      node
	high         float64 // share of the time for which its control pin is high
	noPower      bool
	stuckFull    bool
	deadRow      int
	drives       []int
	outputs      []string
	deadOutput   []bool
	on           bool
	moved        bool    // in the last round
	restless     bool    // it starts and stops without end
	rampFrom     float64 // s at which it began to give anything
	setting      float64 // what it gives: row number or duty, for finding whether it moved
}

// addFurther stamps the kinds beyond the commonest.
func (n *Network) addFurther(i int, p *harness.Part) {
	switch spec := p.Spec.(type) {
	case *harness.ResistorCard:
		n.addCard(i, p, spec)
	case *harness.SolidState:
		n.addSolid(i, p, spec)
	case *harness.Breaker:
		n.addBreaker(i, p, spec)
	case *harness.Limiter:
		n.addPlain(i, p, closedOhms, always, 0)
	case *harness.Selector:
		n.addSelector(i, p, spec)
	case *harness.Switch2:
		n.addSwitch2(i, p)
	case *harness.StagedSwitch:
		n.addStages(i, p, spec)
	case *harness.Sensor:
		n.addSensor(i, p, spec)
	case *harness.Diode:
		a, k := n.terminal(p, "a"), n.terminal(p, "k")
		switch {
		case n.has(p.Name, fault.Open):
		case n.has(p.Name, fault.Shorted):
			n.resist(a, k, shortOhms, i)
		default:
			n.addCurve(curve{a: a, b: k, part: i})
		}
	case *harness.Lamp:
		if a, b := n.terminal(p, "a"), n.terminal(p, "b"); !n.has(p.Name, fault.Open) {
			n.addLamp(i, a, b, spec.Volts, spec.Watts)
		}
	case *harness.FanModule:
		n.addFanModule(i, p, spec)
	case *harness.PWMModule:
		n.addPWMModule(i, p, spec)
	case *harness.SpeedController:
		n.addSpeedController(i, p, spec)
	}
}

// rails joins a module's feeds, its grounds and the supply of its electronics to its own rails.
func (n *Network) rails(i int, p *harness.Part, feeds, grounds, logic []string) (feed, ground, alive node) {
	feed, ground = n.newNode(), post
	for _, pin := range feeds {
		n.resist(n.terminal(p, pin), feed, moduleOhms, i)
	}
	if len(grounds) > 0 {
		ground = n.newNode()
	}
	for _, pin := range grounds {
		n.resist(n.terminal(p, pin), ground, moduleOhms, i)
	}
	// What the electronics take: without its ground a module finds both rails at the feed.
	alive = feed
	if len(logic) > 0 {
		alive = n.newNode()
	}
	for _, pin := range logic {
		n.resist(n.terminal(p, pin), alive, moduleOhms, i)
	}
	n.resist(alive, ground, electronicsOhms, i)
	return feed, ground, alive
}

func (n *Network) deadRole(part, pin string) bool {
	return slices.ContainsFunc(n.faults, func(f fault.Fault) bool {
		return f.On == fault.OnRole && f.Words == fault.Dead && f.Pin == harness.Pin{Part: part, Name: pin}
	})
}

func (n *Network) addDrive(m *module, pin string, out node) {
	m.drives = append(m.drives, len(n.drives))
	m.outputs = append(m.outputs, pin)
	m.deadOutput = append(m.deadOutput, n.deadRole(m.part.Name, pin))
	n.drives = append(n.drives, drive{feed: m.feed, out: out, ground: m.ground, siemens: 1 / driveOhms})
}

func (n *Network) addFanModule(i int, p *harness.Part, spec *harness.FanModule) {
	m := module{part: p, fan: spec, noPower: n.has(p.Name, fault.NoPower)}
	m.feed, m.ground, m.logic = n.rails(i, p, spec.Feeds, spec.Grounds, spec.Logic)
	for _, pin := range spec.Inputs {
		at := n.terminal(p, pin)
		n.resist(at, m.logic, modulePullUp, i)
		m.inputs = append(m.inputs, at)
		m.deadInput = append(m.deadInput, n.deadRole(p.Name, pin))
	}
	if f, ok := n.faultOf(p.Name, fault.StepDead); ok {
		m.deadRow, _ = strconv.Atoi(f.Item) // an item of the table, checked when parsed
	}
	for _, out := range spec.Outputs() {
		n.addDrive(&m, out, n.terminal(p, out))
	}
	n.modules = append(n.modules, m)
}

func (n *Network) addPWMModule(i int, p *harness.Part, spec *harness.PWMModule) {
	m := module{part: p, pwm: spec, noPower: n.has(p.Name, fault.NoPower), stuckFull: n.has(p.Name, fault.StuckFull)}
	m.feed, m.ground, m.logic = n.rails(i, p, spec.Feeds, spec.Grounds, spec.Logic)
	m.control = n.terminal(p, spec.Control)
	m.deadInput = []bool{n.deadRole(p.Name, spec.Control)}
	n.resist(m.control, m.logic, modulePullUp, i)
	for _, o := range spec.Outputs {
		n.addDrive(&m, o.Plus, n.terminal(p, o.Plus))
		if o.Minus != "" {
			n.resist(n.terminal(p, o.Minus), m.ground, moduleOhms, i)
		}
	}
	n.modules = append(n.modules, m)
}

// placeFurther lays drives and curves out in the matrix.
func (n *Network) placeFurther(slotOf func(a, b node) int32) {
	for i := range n.drives {
		d := &n.drives[i]
		for k, ends := range [3][2]node{{d.feed, d.out}, {d.feed, d.ground}, {d.out, d.ground}} {
			d.places[k] = place{ends[0], ends[1], slotOf(ends[0], ends[1])}
		}
	}
	for i := range n.curves {
		c := &n.curves[i]
		c.place = place{c.a, c.b, slotOf(c.a, c.b)}
	}
}

// weights of the drive's volts over feed, output and ground.
func (d *drive) weights() [3]float64 {
	if d.low { // volts between feed and output are the share
		return [3]float64{d.share - 1, 1, -d.share}
	}
	return [3]float64{d.share, -1, 1 - d.share}
}

func (n *Network) stampDrive(d *drive) {
	if d.share == 0 {
		return
	}
	w := d.weights()
	nodes := [3]node{d.feed, d.out, d.ground}
	for k, x := range nodes {
		if x != post {
			n.diag[x] += d.siemens * w[k] * w[k]
		}
	}
	for k, ends := range [3][2]int{{0, 1}, {0, 2}, {1, 2}} {
		if slot := d.places[k].slot; slot >= 0 {
			n.off[slot] += d.siemens * w[ends[0]] * w[ends[1]]
		}
	}
}

// sense follows what the state says about temperatures and knobs.
func (n *Network) sense(s *harness.State) {
	celsius := roomCelsius
	if s.Coolant != nil {
		celsius = *s.Coolant
	}
	for i := range n.sensors {
		x := &n.sensors[i]
		n.siemens[x.branch] = 1 / x.curve.Ohms(celsius+x.off)
	}
	n.restChoppers(s)
}

func (n *Network) restModules() {
	for i := range n.modules {
		m := &n.modules[i]
		m.on, m.setting = false, 0
		for _, d := range m.drives {
			n.drives[d].share = 0
		}
	}
}

// pushedBack tells whether an output is held above what a share would give, by a short to battery or by
// another feed. A module's switch carries current one way only: it then blocks, and is no transformer that
// makes high volts at its feed of what comes back.
func (n *Network) pushedBack(drive int, share float64) bool {
	d := n.drives[drive]
	d.share = share
	w := d.weights()
	return w[0]*n.at(d.feed)+w[1]*n.at(d.out)+w[2]*n.at(d.ground) < -pushBackVolts
}

// give sets a drive's share, nothing where it is pushed back; true where that changed it.
func (n *Network) give(drive int, share float64) bool {
	if share > 0 && n.pushedBack(drive, share) {
		share = 0
	}
	if math.Abs(share-n.drives[drive].share) <= 1e-4 {
		return false
	}
	n.drives[drive].share = share
	return true
}

// moveModules lets every module read its inputs and set its outputs; true where one changed.
func (n *Network) moveModules() bool {
	moved := false
	for i := range n.choppers {
		moved = n.moveChopper(&n.choppers[i]) || moved
	}
	nominal := n.model.Circuit.Nominal()
	for i := range n.modules {
		m := &n.modules[i]
		volts := n.at(m.logic) - n.at(m.ground)
		m.moved = false
		m.on = !m.noPower && (volts > poweredShare*nominal || m.on && volts > unpoweredShare*nominal)
		setting, shares := 0.0, func(int) float64 { return 0 }
		switch {
		case !m.on:
		case m.fan != nil:
			setting, shares = m.readTable(n, volts)
		default:
			setting = m.readDuty()
			share := m.pwm.Share(setting)
			shares = func(int) float64 { return share }
		}
		if math.Abs(setting-m.setting) > 0.05 {
			m.moved = true
		} else {
			setting = m.setting
		}
		if m.setting == 0 && setting != 0 {
			m.rampFrom = n.now
		}
		m.setting = setting
		soft := 1.0
		if n.spinning {
			soft = m.softly(n.now)
		}
		for k, d := range m.drives {
			share := shares(k)
			if m.deadOutput[k] {
				share = 0
			}
			if n.give(d, share*soft) {
				m.moved = true
			}
		}
		moved = moved || m.moved
	}
	return moved
}

// ramp is a module's start-up ramp in seconds, 0 for none.
func (m *module) ramp() float64 {
	if m.fan != nil {
		return m.fan.Ramp
	}
	return m.pwm.Ramp
}

// softly is the share of its setting that a module has reached on its start-up ramp.
func (m *module) softly(now float64) float64 {
	if ramp := m.ramp(); ramp > 0 {
		return math.Min(1, (now-m.rampFrom)/ramp)
	}
	return 1
}

// ramping tells whether the ramp goes on.
func (m *module) ramping(now float64) bool {
	return m.setting != 0 && now-m.rampFrom < m.ramp()
}

// readTable finds the row whose inputs are asserted; the setting is its number.
func (m *module) readTable(n *Network, volts float64) (float64, func(int) float64) {
	row := m.fan.Match(func(input string) bool {
		k := slices.Index(m.fan.Inputs, input)
		return !m.deadInput[k] && n.at(m.inputs[k])-n.at(m.ground) < assertedBelow*volts
	})
	number := slices.Index(m.fan.Table, row) + 1
	if row == nil || number == m.deadRow {
		return 0, func(int) float64 { return 0 }
	}
	return float64(number), func(k int) float64 { return row.Drive[m.outputs[k]] }
}

// readDuty reads the control wire: the share of a period that counts, in per cent, or what the
// module falls back to where there is no signal.
func (m *module) readDuty() float64 {
	full := m.pwm.Max
	if full == 0 {
		full = 100
	}
	fall := func(to harness.Fallback) float64 {
		if to == harness.FallFull {
			return full
		}
		return 0
	}
	switch {
	case m.stuckFull:
		return full
	case m.deadInput[0], m.high > openAbove:
		if m.pwm.Open == "" {
			return fall(harness.FallFull) // fail-safe (common practice)
		}
		return fall(m.pwm.Open)
	case m.high < groundedBelow:
		return fall(m.pwm.Grounded)
	case m.pwm.OnLevel == harness.High:
		return 100 * m.high
	}
	return 100 * (1 - m.high)
}

// markRestless names the modules that still moved in the last round.
func (n *Network) markRestless() {
	for i := range n.modules {
		n.modules[i].restless = n.modules[i].moved
	}
}

// How the settings of modules are told apart in a word of positions: in eighths, each from a bit of its own above those of the relays.
const (
	settingSteps   = 8
	firstModuleBit = 50
	modulesApart   = 4
)

// moduleBits folds the modules' settings into the word of positions.
func (n *Network) moduleBits() uint64 {
	var w uint64
	for i := range n.modules {
		w ^= uint64(n.modules[i].setting*settingSteps+1) << (firstModuleBit + i%modulesApart)
	}
	return w
}

// moduleWords says what each module gives.
func (n *Network) moduleWords() map[string]string {
	if len(n.modules) == 0 {
		return nil
	}
	words := map[string]string{}
	for i := range n.modules {
		m := &n.modules[i]
		switch {
		case m.restless:
			words[m.part.Name] = "starts and stops"
		case !m.on:
			words[m.part.Name] = "no power"
		case m.setting == 0:
			words[m.part.Name] = "off"
		case m.fan != nil:
			words[m.part.Name] = fmt.Sprintf("step %.0f", m.setting)
		default:
			words[m.part.Name] = fmt.Sprintf("duty %.0f %%, %.0f %% of full volts", m.setting, 100*m.pwm.Share(m.setting))
		}
	}
	return words
}

// joinFurther joins what curves and drives connect; junctions says whether diodes count.
func (n *Network) joinFurther(junctions bool) {
	for i := range n.curves {
		if c := &n.curves[i]; junctions || c.filament {
			n.join(c.a, c.b)
		}
	}
	for i := range n.drives {
		if d := &n.drives[i]; d.share > 0 {
			n.join(d.feed, d.ground)
			n.join(d.out, d.ground)
		}
	}
}
