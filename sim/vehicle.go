// Package sim is a simulated vehicle and a simulated meter: any harness with any faults in it, an engine that warms up and
// is cooled by the fans that really turn, and the protocols by which a tester and a meter are spoken to.
//
// In goes a circuit, faults, a seed and how fast its clock runs; out comes a [Vehicle] that lives in time, and servers
// that answer for it. The one idea: the fans are those of the solver in the present set-up, so that what is commanded and
// what happens differ as they do on a car.
package sim

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"time"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/scan/uds"
)

// Options set a vehicle up.
type Options struct {
	Seed  uint64  // of its tolerances, and of a meter's leads; 0: as drawn, leads nulled
	Times float64 // how fast its clock runs; 0: as fast as ours
}

// Vehicle is one simulated vehicle. All its methods may be called by several goroutines.
type Vehicle struct {
	mu     sync.Mutex
	model  *electric.Model
	faults []fault.Fault
	opts   Options
	tuned  electric.Car
	setup  []electric.Action
	net    *electric.Network
	leads  float64
	words  map[string]string // how its switches by hand stand

	// How it stands.
	key, running, ac bool
	coolant          float64 // °C
	pressure         float64 // bar
	speed            float64 // km/h
	pedal            bool
	elapsed          float64 // seconds of its own time

	// What the tester commands in place of the strategy; nil: nothing.
	commands []string
	held     map[string]bool // the outputs that it has; the strategy has the others
	duty     map[string]float64

	state  harness.State // as last entered
	before harness.State // as entered before a fan last began to turn
	shares []float32     // of each fan's highest speed
	codes  map[string]byte
	frozen map[string]Snapshot
}

// Snapshot is how the vehicle stood when a code was set.
type Snapshot struct {
	Coolant, Speed, Supply float64
	Seconds                float64
}

// The engine and its cooling, of no vehicle in particular (invented, of the size that common practice knows).
const (
	ambient       = 22.0  // °C
	heatCapacity  = 42e3  // J/K of engine and coolant
	idleHeat      = 7.5e3 // W into the coolant at idle
	heatBySpeed   = 140.0 // W more for each km/h
	thermostatAt  = 80.0  // °C at which it begins to open
	thermostatTo  = 88.0  // and is fully open
	lossStill     = 45.0  // W/K of the radiator in still air
	lossFans      = 220.0 // W/K more with all fans at their highest speed
	lossBySpeed   = 4.0   // W/K more for each km/h
	lossClosed    = 4.0   // W/K of engine and hoses with the thermostat closed
	boils         = 128.0 // °C above which it does not go
	pressureRest  = 6.0   // bar, A/C off
	pressureIdle  = 19.0  // bar, A/C on at a standstill without a fan
	pressureFans  = 8.0   // bar less with all fans at their highest speed
	pressureTau   = 12.0  // s
	stepSeconds   = 0.5   // of its own time
	begins        = 0.2   // share of its speed by which a fan gathers when it is switched on
	peakSeconds   = 0.8   // of a start that a clamp's peak hold covers
	mostBehind    = 20.0  // s of its own time that are caught up with at once
	mostCommanded = 118.0 // °C above which the controller takes no command
	leastSupply   = 10.5  // V below which it does not either
)

// New makes a vehicle, parked cold with the key on and the engine off. The error says that these faults cannot be in one
// car.
func New(m *electric.Model, o Options, faults ...fault.Fault) (*Vehicle, error) {
	v := &Vehicle{model: m, faults: faults, opts: o, words: m.Working(), key: true, coolant: ambient, pressure: pressureRest,
		shares: make([]float32, len(m.Circuit.Fans())), codes: map[string]byte{}, frozen: map[string]Snapshot{}}
	if v.opts.Times <= 0 {
		v.opts.Times = 1
	}
	if o.Seed != 0 {
		v.tuned = electric.RandomCar(m.Circuit, o.Seed)
		v.leads = 0.1 + 0.9*rand.New(rand.NewPCG(o.Seed, 0x1EAD)).Float64()
	}
	if err := v.rebuild(nil); err != nil {
		return nil, err
	}
	v.net.Complain(m.Circuit.States) // it has happened: what blows has blown
	v.net.Rest()
	v.enter()
	return v, nil
}

// rebuild makes the network of a set-up, with what has blown carried over.
func (v *Vehicle) rebuild(setup []electric.Action) error {
	n, err := v.model.Network(setup, v.faults)
	if err != nil {
		return err
	}
	n.Tune(v.tuned)
	if v.net != nil {
		n.SetBlown(v.model.Carry(v.net.Blown(), v.setup, setup))
	}
	v.net, v.setup = n, setup
	return nil
}

// enter lets the circuit follow how the vehicle stands now.
func (v *Vehicle) enter() {
	coolant, pressure, speed := v.coolant, v.pressure, v.speed
	last := v.state
	v.state = harness.State{Name: "now", Key: v.key, Running: v.running && v.key, AC: v.ac, Coolant: &coolant, Pressure: &pressure,
		Speed: &speed,
		Words: v.words}
	v.state.Commands, v.state.Duties = v.ordered(&v.state), v.duty
	stood := slices.Clone(v.shares)
	v.net.Enter(&v.state)
	v.net.FanShares(v.shares)
	for i := range v.shares {
		if math.Abs(float64(v.shares[i]))-math.Abs(float64(stood[i])) > begins {
			v.before = last // its start is what a clamp's peak hold shows
		}
	}
	v.watch()
}

// Run lets the vehicle live until its context ends.
func (v *Vehicle) Run(ctx context.Context) {
	tick := time.NewTicker(100 * time.Millisecond)
	defer tick.Stop()
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case now := <-tick.C:
			v.Advance(min(mostBehind, now.Sub(last).Seconds()*v.opts.Times))
			last = now
		}
	}
}

// Advance lets so many seconds of the vehicle's own time pass.
func (v *Vehicle) Advance(seconds float64) {
	v.mu.Lock()
	defer v.mu.Unlock()
	for seconds > 1e-9 {
		dt := min(stepSeconds, seconds)
		v.pass(dt)
		seconds -= dt
		v.elapsed += dt
	}
}

// pass moves temperatures and pressure by one step, and lets the circuit follow.
func (v *Vehicle) pass(dt float64) {
	air := 0.0
	for _, s := range v.shares {
		air += math.Abs(float64(s))
	}
	if len(v.shares) > 0 {
		air /= float64(len(v.shares))
	}
	open := min(1, max(0, (v.coolant-thermostatAt)/(thermostatTo-thermostatAt)))
	loss := lossClosed + open*(lossStill+lossFans*air+lossBySpeed*v.speed)
	heat := 0.0
	if v.running && v.key {
		heat = idleHeat + heatBySpeed*v.speed
	}
	v.coolant = min(boils, v.coolant+dt*(heat-loss*(v.coolant-ambient))/heatCapacity)
	towards := pressureRest
	if v.ac && v.running {
		towards = pressureIdle - pressureFans*air - 0.05*v.speed
	}
	v.pressure += (towards - v.pressure) * min(1, dt/pressureTau)
	v.enter()
}

// watch sets fault codes as a controller does that sees the coil side only (names of SAE J2012): a driver's pin that does
// not follow its command, and a sensor that reads what no temperature reads.
func (v *Vehicle) watch() {
	nominal := v.model.Circuit.Nominal()
	point := v.net.Point(&v.state)
	fails := func(name string, wrong bool) {
		switch {
		case wrong:
			if v.codes[name] == 0 {
				v.frozen[name] = Snapshot{v.coolant, v.speed, v.supply(), v.elapsed}
			}
			v.codes[name] |= uds.FailsNow | uds.Confirmed | uds.FailedOnce
		case v.codes[name] != 0:
			v.codes[name] &^= uds.FailsNow
		}
	}
	if !v.key {
		return
	}
	held := v.net.Held()
	wrong := map[string]bool{}
	numbered := []string{} // fan control 1, 2, 3 in the order of the controller's pins
	for _, p := range v.model.Circuit.OfKind(harness.KindController) {
		for _, role := range p.Spec.(*harness.Controller).PinRoles {
			command := role.Command()
			if command == "" || role.PWMOn != "" {
				continue
			}
			if !slices.Contains(numbered, command) {
				numbered = append(numbered, command)
			}
			name := fmt.Sprintf("P04%d", 80+slices.Index(numbered, command))
			volts := point.Pins[harness.Pin{Part: p.Name, Name: role.Name}.String()]
			wrong[name] = wrong[name] || lineFails(role, volts, slices.Contains(held, command), nominal)
		}
	}
	for name, is := range wrong {
		fails(name, is)
	}
	if open, shorted, has := v.net.SensorFails(); has {
		fails("P0118", open)
		fails("P0117", shorted)
	}
}

// lineFails tells whether a driver's pin is not where its command has it: a coil's line is high while it is let go and low
// while it is pulled.
func lineFails(role *harness.PinRole, volts *float64, on bool, nominal float64) bool {
	if volts == nil {
		return true // it floats
	}
	low := math.Abs(*volts) < 0.25*nominal
	switch {
	case role.SourcesOn != "":
		return on == (*volts < 0.5*nominal)
	case role.SinksUnless != "":
		return on == low
	}
	return on != low
}

func (v *Vehicle) supply() float64 { return v.net.SupplyVolts() }

// Stand is how the vehicle stands.
type Stand struct {
	Key, Running, AC, Pedal          bool
	Coolant, Pressure, Speed, Supply float64
	Seconds                          float64
	Commands                         []string // that hold now, by the strategy or by the tester
	Tester                           bool     // the tester commands
	Fans                             map[string]Fan
	Setup                            []string
	Blown                            []string
}

// Fan is what one fan does.
type Fan struct {
	Word  string
	Share float64
	Amps  float64
}

// Stands reads the vehicle.
func (v *Vehicle) Stands() Stand {
	v.mu.Lock()
	defer v.mu.Unlock()
	s := Stand{Key: v.key, Running: v.running, AC: v.ac, Pedal: v.pedal, Coolant: v.coolant, Pressure: v.pressure, Speed: v.speed,
		Supply: v.supply(), Seconds: v.elapsed, Commands: slices.Clone(v.net.Held()), Tester: v.commands != nil, Fans: map[string]Fan{}}
	amps := make([]float32, len(v.shares))
	v.net.FanAmps(amps)
	for i, p := range v.model.Circuit.Fans() {
		s.Fans[p.Name] = Fan{string(electric.SpeedWord(float64(v.shares[i]))), float64(v.shares[i]), float64(amps[i])}
	}
	for _, a := range v.setup {
		s.Setup = append(s.Setup, a.String())
	}
	for i, name := range v.model.Fused() {
		if v.net.Blown()>>i&1 == 1 {
			s.Blown = append(s.Blown, name)
		}
	}
	return s
}

// Drive changes how the vehicle stands: "key on", "engine running", "ac on", "speed 50", "pedal on", "coolant 80".
func (v *Vehicle) Drive(words string) error {
	v.mu.Lock()
	defer v.mu.Unlock()
	if words == "pedal on" || words == "pedal off" {
		v.pedal = words == "pedal on"
		return nil
	}
	a, err := electric.ParseAction(v.model.Circuit, words)
	if err != nil {
		return err
	}
	s := electric.Under(&harness.State{Key: v.key, Running: v.running, AC: v.ac}, []electric.Action{a})
	switch {
	case !a.Stands():
		return fmt.Errorf("%q says nothing of how a vehicle stands", words)
	case s.Coolant != nil:
		v.coolant = *s.Coolant
	case s.Pressure != nil:
		v.pressure = *s.Pressure
	case s.Speed != nil:
		v.speed = *s.Speed
	default:
		v.key, v.running, v.ac = s.Key, s.Running && s.Key, s.AC
		if !v.key { // the controller forgets what the tester asked for
			v.commands, v.duty = nil, nil
		}
	}
	v.enter()
	return nil
}

// Setup does something to the vehicle, or takes it back: "K1 out", "M2 unplugged", "F3 renewed".
func (v *Vehicle) Setup(words string, undo bool) error {
	v.mu.Lock()
	defer v.mu.Unlock()
	a, err := electric.ParseAction(v.model.Circuit, words)
	if err != nil {
		return err
	}
	next := electric.Then(v.setup, a)
	if undo {
		if !slices.Contains(v.setup, a) {
			return fmt.Errorf("%s is not done to the vehicle", a)
		}
		next = slices.DeleteFunc(slices.Clone(v.setup), func(b electric.Action) bool { return a == b })
	}
	if err := v.rebuild(next); err != nil {
		return err
	}
	v.enter()
	return nil
}

// Reset brings the vehicle into a set-up, whatever was done to it before.
func (v *Vehicle) Reset(setup []electric.Action) error {
	v.mu.Lock()
	defer v.mu.Unlock()
	if err := v.rebuild(slices.Clone(setup)); err != nil {
		return err
	}
	v.enter()
	return nil
}

// Command gives commands in place of the strategy: what is named holds, with its duty in percent where it has one; what
// is not does not. The reason says why the controller refuses; zero: it does not.
func (v *Vehicle) Command(command string, on bool, duty float64) uds.Reason {
	v.mu.Lock()
	defer v.mu.Unlock()
	switch {
	case !v.key:
		return uds.ConditionsNotMet
	case !slices.Contains(v.model.Circuit.Commands(), command):
		return uds.OutOfRange
	case v.speed > 0:
		return uds.SpeedTooHigh
	case v.pedal:
		return uds.PedalNotReleased
	case v.coolant > mostCommanded:
		return uds.TemperatureTooHigh
	case v.supply() < leastSupply*v.model.Circuit.Nominal()/12:
		return uds.VoltageTooLow
	}
	if v.commands == nil {
		v.commands, v.duty, v.held = []string{}, map[string]float64{}, map[string]bool{}
	}
	v.held[command] = true
	v.commands = slices.DeleteFunc(v.commands, func(c string) bool { return c == command })
	if on {
		v.commands = append(v.commands, command)
		v.duty[command] = duty
	}
	v.enter()
	return 0
}

// Return gives all outputs back to the strategy.
func (v *Vehicle) Return() {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.commands, v.duty = nil, nil
	v.enter()
}

// ReturnOne gives one output back to the strategy; true where the tester has none any more.
func (v *Vehicle) ReturnOne(command string) bool {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.commands != nil {
		delete(v.held, command)
		delete(v.duty, command)
		v.commands = slices.DeleteFunc(v.commands, func(c string) bool { return c == command })
		if len(v.held) == 0 {
			v.commands, v.duty = nil, nil
		}
	}
	v.enter()
	return v.commands == nil
}

// ordered are the commands that hold: the tester's where it has the output, the strategy's where it has not; nil where it has none.
func (v *Vehicle) ordered(s *harness.State) []string {
	if v.commands == nil {
		return nil
	}
	list := slices.Clone(v.commands)
	for _, command := range v.model.Circuit.CommandsIn(s, v.net.Held(), harness.Heard{}) {
		if !v.held[command] && !slices.Contains(list, command) {
			list = append(list, command)
		}
	}
	return list
}

// Commanded is the duty in percent that an output is given now: 100 or 0 for one that is only on or off.
func (v *Vehicle) Commanded(command string) float64 {
	v.mu.Lock()
	defer v.mu.Unlock()
	if !slices.Contains(v.net.Held(), command) {
		return 0
	}
	if duty, known := v.model.Circuit.DutyIn(&v.state, command, harness.Heard{}); known && duty > 0 {
		return duty
	}
	return 100
}

// Codes are the stored fault codes with their status.
func (v *Vehicle) Codes() []uds.Code {
	v.mu.Lock()
	defer v.mu.Unlock()
	var list []uds.Code
	for name, status := range v.codes {
		if code, ok := uds.CodeNamed(name); ok && status != 0 {
			code.Status = status
			list = append(list, code)
		}
	}
	slices.SortFunc(list, func(a, b uds.Code) int { return strings.Compare(a.Name(), b.Name()) })
	return list
}

// Frozen is how the vehicle stood when a code was set.
func (v *Vehicle) Frozen(name string) (Snapshot, bool) {
	v.mu.Lock()
	defer v.mu.Unlock()
	s, ok := v.frozen[name]
	return s, ok
}

// ClearCodes forgets them; what still fails comes back.
func (v *Vehicle) ClearCodes() {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.codes, v.frozen = map[string]byte{}, map[string]Snapshot{}
	v.enter()
}
