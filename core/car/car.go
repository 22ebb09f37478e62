// Package car is a car with faults in it that answers questions: what a fan does, what a meter reads,
// whether a relay clicks.
//
// In goes a circuit's model and what is wrong, out come observations. The one idea: it knows nothing of
// the guide, its suspects or its chances of being right; it only has a circuit, the way it departs from
// the drawing, and what has blown so far. It remembers: a fuse that a short has blown in one state stays
// blown in the next, until it is renewed, and may blow again.
package car

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

// Options of a car. The zero value is the car as drawn, every answer right.
type Options struct {
	Seed    uint64  // of a car within tolerance, and of what people misread; 0: as drawn
	Misread float64 // the chance that an answer is taken wrong
	Unsure  bool    // hand, eye and ear are as sure as people are, not always right

	// AsTaken has it read as people do: leads not nulled, a meter within its tolerance, figures rounded as they are
	// said, a buzzer in place of ohms half of the time.
	AsTaken bool
}

// Car is one car. It is not for use by several goroutines at once.
type Car struct {
	model  *electric.Model
	faults []fault.Fault
	opts   Options
	tuned  electric.Car
	rng    *rand.Rand
	nets   map[string]*electric.Network
	setup  []electric.Action // as the car stands
	blown  uint64
	fans   []string
	relays map[string]int
	leads  float64 // ohms that this person's leads add
}

// New puts faults into a car and lets the complaint happen: every state is run once with everything
// fitted. An error says that such faults cannot be in one car.
func New(m *electric.Model, opts Options, faults ...fault.Fault) (*Car, error) {
	c := &Car{
		model: m, faults: faults, opts: opts, rng: rand.New(rand.NewPCG(opts.Seed, 0x57)),
		nets: map[string]*electric.Network{}, relays: map[string]int{},
	}
	if opts.Seed != 0 {
		c.tuned = electric.RandomCar(m.Circuit, opts.Seed)
	}
	if opts.AsTaken {
		c.leads = leastLeads + (usualLeads-leastLeads)*c.rng.Float64()
	}
	for _, p := range m.Circuit.Fans() {
		c.fans = append(c.fans, p.Name)
	}
	for i, p := range m.Circuit.OfKind(harness.KindRelay) {
		c.relays[p.Name] = i
	}
	n, err := c.network(nil)
	if err != nil {
		return nil, fmt.Errorf("these faults cannot be in one car: %w", err)
	}
	c.blown = n.Complain(m.Circuit.States)
	return c, nil
}

// Faults are what is wrong with it.
func (c *Car) Faults() []fault.Fault { return c.faults }

// network is the car as it really is, in a set-up.
func (c *Car) network(setup []electric.Action) (*electric.Network, error) {
	key := probe.SetupKey(setup)
	if n := c.nets[key]; n != nil {
		return n, nil
	}
	n, err := c.model.Network(setup, c.faults)
	if err != nil {
		return nil, err
	}
	n.Tune(c.tuned)
	c.nets[key] = n
	return n, nil
}

// Do brings the car into a set-up: what has been renewed is whole.
func (c *Car) Do(setup []electric.Action) {
	c.blown = c.model.Carry(c.blown, c.setup, setup)
	c.setup = setup
}

// IsBlown tells whether a fuse, or a relay's own, has blown.
func (c *Car) IsBlown(part string) bool {
	n := slices.Index(c.model.Fused(), part)
	return n >= 0 && c.blown>>n&1 == 1
}

// enter brings the car into a state of its set-up, and keeps what blows there.
func (c *Car) enter(s *harness.State) (*electric.Network, error) {
	n, err := c.network(c.setup)
	if err != nil {
		return nil, err
	}
	if c.comes() && c.rng.IntN(2) == 0 { // it does not show just now
		well, err := c.model.Network(c.setup, nil)
		if err != nil {
			return nil, err
		}
		well.Tune(c.tuned)
		well.Enter(s)
		return well, nil
	}
	n.SetBlown(c.blown)
	n.Rest()
	n.Enter(s)
	c.blown = n.Blown()
	return n, nil
}

// Answer makes the test that a question asks for, and answers it.
func (c *Car) Answer(q probe.Question) (probe.Observation, error) {
	o := probe.Observation{Question: q}
	t, err := q.Test(c.model.Circuit)
	if err != nil {
		return o, err
	}
	c.Do(t.Setup)
	wrong := c.opts.Misread > 0 && c.rng.Float64() < c.opts.Misread
	switch kind := t.Kind().(type) {
	case probe.Worded:
		err = c.word(kind, t, &o, wrong)
	case probe.Figured:
		err = c.figure(kind, t, &o, wrong)
	default:
		var n *electric.Network
		if n, err = c.enter(t.State); err == nil {
			o.Answer = c.look(n, wrong)
		}
	}
	c.Do(t.OnTheCar())
	return o, err
}

// look is what each fan does; a wrong one has one fan taken for something else.
func (c *Car) look(n *electric.Network, wrong bool) probe.Fans {
	fans := probe.Fans{}
	shares := make([]float32, len(c.fans))
	n.FanShares(shares)
	fits := n.InFits()
	for k, fan := range c.fans {
		fans[fan] = string(electric.SpeedWord(float64(shares[k])))
		if fits != nil && fits[k] {
			fans[fan] = probe.Cycling
		}
	}
	if wrong {
		fans[c.fans[c.rng.IntN(len(c.fans))]] = probe.SpeedWords[c.rng.IntN(3)]
	}
	return fans
}

// Nominal is what the supply is called by, volts.
func (c *Car) Nominal() float64 { return c.model.Circuit.Nominal() }

// Shows lays an instrument on and reads it.
func (c *Car) Shows(t probe.Test) (float64, error) {
	which, _ := t.Instrument()
	faults := c.faults
	if c.comes() && c.rng.IntN(2) == 0 {
		faults = nil
	}
	x, err := c.model.Instrument(t.Setup, faults, which, t.At, t.From)
	if err != nil {
		return 0, err
	}
	x.Tune(c.tuned)
	x.SetBlown(c.blown)
	v := x.Shows(t.State)
	if t.Kind().InState() && len(faults) > 0 {
		c.blown = x.Blown()
	}
	return v, nil
}

// PulledIn brings the car into the test's state and tells how its relay stands.
func (c *Car) PulledIn(t probe.Test) (float64, error) {
	n, err := c.enter(t.State)
	if err != nil {
		return 0, err
	}
	in := make([]float32, len(c.relays))
	n.PulledIn(in)
	return float64(in[c.relays[t.Part]]), nil
}

// figure is what the instrument shows, to two places.
func (c *Car) figure(kind probe.Figured, t probe.Test, o *probe.Observation, wrong bool) error {
	v, err := c.Shows(t)
	if err != nil {
		return err
	}
	r := kind.Display(v)
	if wrong {
		r = kind.Unit().Shows(math.Round(100*c.rng.Float64()*c.model.Circuit.SupplyVolts(false)) / 100)
	}
	o.Answer = r
	switch {
	case kind.Unit() == &probe.InOhms && !c.opts.AsTaken:
		o.How.Nulled = true // whoever works on this car nulls the leads
	case c.opts.AsTaken:
		return c.asTaken(r, t, o, v, wrong)
	}
	return nil
}

// Of people and their meters (common practice).
const (
	leastLeads, usualLeads = 0.1, 1.0 // ohms of two leads that nobody has nulled
	ohmsOff, ohmsShare     = 0.2, 0.01
	saidVolts, saidAmps    = 0.1, 0.5 // as finely as a figure is said
	saidOhms               = 0.1
	buzzedOhms             = 0.5 // how often a buzzer is taken in place of ohms
)

// asTaken makes of a figure what somebody at the car would have said.
func (c *Car) asTaken(r probe.Figure, t probe.Test, o *probe.Observation, v float64, wrong bool) error {
	if r.Open || wrong {
		return nil
	}
	round := func(v, to float64) float64 { return math.Round(math.Round(v/to)*to*1e6) / 1e6 }
	switch r.Unit {
	case &probe.InVolts:
		r.Figure = round(r.Figure, saidVolts)
	case &probe.InAmps:
		r.Figure = round(r.Figure, saidAmps)
	case &probe.InOhms:
		if buzzer, ok := probe.Of(probe.Buzzer).(probe.Worded); ok && !t.At.Inner && c.rng.Float64() < buzzedOhms {
			o.Do = probe.Buzzer
			return c.word(buzzer, t, o, false)
		}
		off := (2*c.rng.Float64() - 1) * (ohmsOff + ohmsShare*v)
		r.Figure = round(math.Max(0, v+c.leads+off), saidOhms)
	}
	o.Answer = r
	return nil
}

// word answers in a word: as surely as people are, or as it is.
func (c *Car) word(kind probe.Worded, t probe.Test, o *probe.Observation, wrong bool) error {
	words := kind.Words(t)
	chance := make([]float64, len(words))
	if err := kind.Chances(c, t, chance); err != nil {
		return err
	}
	if _, laid := t.Instrument(); laid { // no doubt about what a lamp does
		sure := likeliest(chance)
		clear(chance)
		chance[sure] = 1
	}
	o.Answer = kind.Say(words[c.pick(chance, wrong)])
	return nil
}

// pick draws a word by its chance; the likeliest where people are always right.
func (c *Car) pick(chance []float64, wrong bool) int {
	switch {
	case wrong:
		return c.rng.IntN(len(chance))
	case !c.opts.Unsure:
		return likeliest(chance)
	}
	at := c.rng.Float64()
	for k, p := range chance {
		if at -= p; at < 0 {
			return k
		}
	}
	return 0
}

func likeliest(chance []float64) int {
	best := 0
	for k := range chance {
		if chance[k] > chance[best] {
			best = k
		}
	}
	return best
}

// Noticed tells whether the controller has seen a driver's pin not follow its command.
func (c *Car) Noticed(probe.Test) (chance float64, known bool, err error) {
	well, err := c.model.Network(nil, nil)
	if err != nil {
		return 0, true, err
	}
	well.Tune(c.tuned)
	faulty, err := c.network(nil)
	if err != nil {
		return 0, true, err
	}
	pins := c.model.Pins()
	a, b := make([]float32, len(pins)), make([]float32, len(pins))
	noticed := probe.CodeVolts * c.model.Circuit.SupplyVolts(false)
	for _, s := range c.model.Circuit.States {
		well.Rest()
		well.Enter(s)
		well.MeterVolts(a, nil)
		faulty.SetBlown(c.blown)
		faulty.Rest()
		faulty.Enter(s)
		faulty.MeterVolts(b, nil)
		for i, pin := range pins {
			ctl, ok := c.model.Circuit.Part(pin.Part).Spec.(*harness.Controller)
			if !ok || ctl.Role(pin.Name).Command() == "" {
				continue
			}
			if math.Abs(level(a[i])-level(b[i])) > noticed {
				return 1, true, nil
			}
		}
	}
	return 0, true, nil
}

// level is what a controller makes of a pin: what floats is nothing.
func level(v float32) float64 {
	if math.IsNaN(float64(v)) {
		return 0
	}
	return float64(v)
}

func (c *Car) comes() bool {
	return len(c.faults) > 0 && (c.faults[0].Intermittent || c.faults[0].Words == fault.Brushes)
}

// Well tells whether, in this set-up and from here on, no state shows a fan otherwise than on the same
// car in health; a fuse that blows again is not mended. It changes nothing.
func (c *Car) Well(setup []electric.Action) bool {
	well, err := c.model.Network(nil, nil)
	if err != nil {
		return false
	}
	well.Tune(c.tuned)
	faulty, err := c.network(setup)
	if err != nil {
		return false
	}
	a, b := make([]float32, len(c.fans)), make([]float32, len(c.fans))
	faulty.SetBlown(c.model.Carry(c.blown, c.setup, setup))
	for range 2 { // what blows in the last state shows in the first
		for _, s := range c.model.Circuit.States {
			well.Rest()
			well.Enter(s)
			well.FanShares(a)
			faulty.Rest()
			faulty.Enter(s)
			faulty.FanShares(b)
			for k := range a {
				if electric.SpeedWord(float64(a[k])) != electric.SpeedWord(float64(b[k])) {
					return false
				}
			}
		}
	}
	return true
}

// Left counts the faults that a set-up has not mended.
func (c *Car) Left(setup []electric.Action) int {
	n := 0
	for _, f := range c.faults {
		if electric.RepairIn(setup, f).Verb != "" {
			n++
		}
	}
	return n
}
