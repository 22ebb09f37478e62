// Package rewire makes a circuit of a wish: which fans, how many speeds, who asks for them and how; and proves it before a
// wire is cut.
//
// In goes a wish, out come proposals: for every way of making the speeds a whole harness, sized, solved in every state, and
// broken by every single fault; and beside them the ways that cannot be, each with the reason and what would free it. The
// one idea: nothing is believed of a design. The same model that diagnoses a vehicle solves it, healthy and faulted.
package rewire

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/harness"
	"ironthread/core/units"
)

// Gives is what a requester's line does when it asks.
type Gives string

// What a requester gives.
const (
	Ground   Gives = "ground"   // an output that closes to ground
	Supply   Gives = "supply"   // a line that becomes hot, as a compressor clutch's does
	Pulses   Gives = "pwm"      // a line that tells a module its speed
	Switch   Gives = "switch"   // a thermal switch in the coolant, closing to ground
	Pressure Gives = "pressure" // a switch in the refrigerant's line, closing to ground
	Toggle   Gives = "toggle"   // a switch by hand, closing to ground
	Kill     Gives = "kill"     // a switch by hand that takes the coils' feed away
	AddOn    Gives = "add-on"   // an electronic controller of its own, with its probe, its fuse and an output that closes to ground
)

// AllGives lists them.
var AllGives = []Gives{Ground, Supply, Pulses, Switch, Pressure, Toggle, Kill, AddOn}

// HalfVolts is what is known of a motor at half its volts.
type HalfVolts string

// What is known.
const (
	Starts  HalfVolts = "ok"
	Stalls  HalfVolts = "no"
	Unknown HalfVolts = "unknown"
)

// Wish is what somebody wants built, and with what.
type Wish struct {
	Plan       int               `yaml:"plan"`
	Title      string            `yaml:"title"`
	Supply     SupplyOf          `yaml:"supply"`
	Fans       []Fan             `yaml:"fans"`
	Speeds     []string          `yaml:"speeds"` // slowest first
	Requesters []Requester       `yaml:"requesters"`
	Runs       map[string]string `yaml:"runs"` // lengths, as "1.2m" or "4ft"
	Heat       float64           `yaml:"heat"` // °C under the bonnet
	Limits     Limits            `yaml:"limits"`
	Relays     Relays            `yaml:"relays"`
	Module     ModuleOf          `yaml:"module"`
	Gauge      Gauge             `yaml:"gauge"`
	OpenLine   OpenLine          `yaml:"open-line,omitempty"`  // what the fans do with the wire of whoever asks broken; nothing said: as drawn
	RunOn      string            `yaml:"run-on,omitempty"`     // after the key is off, at the most, as "8min"
	Protection Protection        `yaml:"protection,omitempty"` // fuses where nothing is said
	Insulation float64           `yaml:"insulation,omitempty"` // °C that the wires' insulation stands: 105, 125 or 150
	Battery    string            `yaml:"battery,omitempty"`    // as "70Ah"
	Shelf      Shelf             `yaml:"shelf,omitempty"`      // what is at hand is taken first
	Keep       string            `yaml:"keep"`                 // the harness that is there now: the name of its file

	There *harness.Circuit `yaml:"-"` // read from Keep by whoever has files

	pilots []string // who asks through a small relay, since the coils are too much for its driver
}

// SupplyOf is the battery's open-circuit volts, with the engine off and charging.
type SupplyOf struct {
	Off     float64 `yaml:"off"`
	Running float64 `yaml:"running"`
}

// Fan is one fan, rated or measured. Two points or more fit the motor.
type Fan struct {
	Name      string    `yaml:"name"`
	Volts     float64   `yaml:"volts"` // at which it takes Amps; the supply's where it is not given
	Amps      float64   `yaml:"amps"`
	Inrush    float64   `yaml:"inrush"`
	RPM       float64   `yaml:"rpm"`
	HalfVolts HalfVolts `yaml:"half-volts"`
	Points    []At      `yaml:"points"`

	NeverAlone bool       `yaml:"never-alone,omitempty"` // it is never the only one that turns
	Brushless  *Brushless `yaml:"brushless,omitempty"`
}

// Brushless is a fan with its own electronics: it has its supply always, and a line that tells it how fast to turn.
type Brushless struct {
	OpenLine OpenLine  `yaml:"open-line"` // what it does with its line broken; runs where nothing is said
	Level    string    `yaml:"level"`     // the part of a pulse that counts: low or high; low where nothing is said
	Hertz    []float64 `yaml:"hertz"`     // from, to
	RunOn    string    `yaml:"run-on"`    // by itself after its line has gone, as "4min"
}

// OpenLine is what fans do when the line that asks for them is broken.
type OpenLine string

// What fans do then.
const (
	Runs  OpenLine = "runs"
	Stops OpenLine = "stops"
)

// Protection is what stands before the wires.
type Protection string

// Kinds of protection.
const (
	ByFuses    Protection = "fuses"
	ByBreakers Protection = "breakers"
)

// Asked is the speed that somebody asks for; in a file also a list of speeds, where one line carries them all.
type Asked string

// UnmarshalYAML reads a speed or a list of speeds.
func (a *Asked) UnmarshalYAML(n *yaml.Node) error {
	if n.Kind != yaml.SequenceNode {
		return n.Decode((*string)(a))
	}
	var list []string
	if err := n.Decode(&list); err != nil {
		return fmt.Errorf("line %d: asks is a speed or a list of speeds", n.Line)
	}
	*a = Asked(strings.Join(list, listed))
	return nil
}

// listed stands between the speeds that one line carries.
const listed = ", "

// At is a clamp's reading with the volts at the motor's own plug.
type At struct {
	Volts float64 `yaml:"volts"`
	Amps  float64 `yaml:"amps"`
}

// Requester asks for a speed.
type Requester struct {
	Name     string  `yaml:"name"`
	Gives    Gives   `yaml:"gives"`
	Asks     Asked   `yaml:"asks"`
	Limit    float64 `yaml:"limit"`    // A that its driver can take
	Inverted bool    `yaml:"inverted"` // it closes to ground to keep the fan off
	Closes   float64 `yaml:"closes"`   // °C, or bar
	Opens    float64 `yaml:"opens"`
	Hertz    float64 `yaml:"hertz"` // of pulses
}

// Limits bound what is built.
type Limits struct {
	Drop        float64 `yaml:"drop"`         // V on a fan's feed
	GroundDrop  float64 `yaml:"ground-drop"`  // V on its ground
	RestContact float64 `yaml:"rest-contact"` // A that a changeover relay's rest contact is good for
	Budget      float64 `yaml:"budget"`       // of what is added, in the workshop's money; 0: none
}

// Relays is what is known of the relays at hand.
type Relays struct {
	Coil        float64 `yaml:"coil-ohms"`
	Make        float64 `yaml:"make"` // A
	Suppression string  `yaml:"suppression"`
	Cathode     string  `yaml:"diode-cathode"`
	Poles       int     `yaml:"poles,omitempty"` // 2: what is switched together shares a relay with two contacts
}

// ModuleOf is what is known of the module at hand.
type ModuleOf struct {
	Amps  float64   `yaml:"amps"`  // an output
	Hertz []float64 `yaml:"hertz"` // from, to
}

// Gauge is how wires are sized.
type Gauge string

// Schools of sizing.
const (
	EachRun  Gauge = "each run"
	OneGauge Gauge = "one gauge"
)

// Names of the runs, with their usual lengths in metres (common practice).
var usualRuns = map[string]float64{
	"battery to box": 1.2, "box to fans": 1.1, "box to controller": 2, "fans to ground": 0.6, "in the box": 0.2,
	postToFuse: mostUnfused,
}

// MostBytes bounds a wish's file.
const MostBytes = 64 << 10

// Limits of a wish, and its defaults (common practice).
const (
	mostFans       = 4
	mostRequesters = 12
	leastFan       = 0.2
	mostFan        = 80.0
	mostMinutes    = 60.0
	usualBattery   = 60.0 // Ah (common practice)
	usualHeat      = 85.0
	usualDrop      = 0.5
	usualGround    = 0.2
	usualRest      = 20.0
	usualCoil      = 85.0
	mostRun        = 12.0
)

// Read reads a wish. The error says what is wrong with it, and where.
func Read(b []byte) (*Wish, error) {
	if len(b) > MostBytes {
		return nil, fmt.Errorf("wish: the file is larger than %d KiB", MostBytes>>10)
	}
	w := &Wish{}
	d := yaml.NewDecoder(bytes.NewReader(b))
	d.KnownFields(true)
	if err := d.Decode(w); err != nil {
		if errors.Is(err, io.EOF) {
			err = errors.New("the file is empty")
		}
		return nil, fmt.Errorf("wish: %s", strings.TrimPrefix(strings.ReplaceAll(err.Error(), "\n", " "), "yaml: "))
	}
	if w.Plan != 1 {
		return nil, errors.New("wish: the file must say \"plan: 1\", the version of the format")
	}
	return w, w.Complete()
}

// Complete fills in what is usual where nothing is said, and says in a sentence what cannot be.
func (w *Wish) Complete() error {
	if err := w.complete(); err != nil {
		return fmt.Errorf("wish: %w", err)
	}
	return nil
}

func (w *Wish) complete() error {
	w.fillIn()
	if _, err := minutes(w.RunOn); err != nil {
		return fmt.Errorf("run-on: %w", err)
	}
	if _, err := w.ampHours(); err != nil {
		return err
	}
	if err := w.Shelf.sound(); err != nil {
		return err
	}
	if err := w.within(); err != nil {
		return err
	}
	seen := map[string]bool{}
	for i := range w.Fans {
		if err := w.completeFan(&w.Fans[i], i, seen); err != nil {
			return err
		}
	}
	for i := range w.Requesters {
		if err := w.completeRequester(&w.Requesters[i], seen); err != nil {
			return err
		}
	}
	if err := w.apart(); err != nil {
		return err
	}
	if err := w.lengths(); err != nil {
		return err
	}
	for _, speed := range w.Speeds {
		if !slices.ContainsFunc(w.Requesters, func(r Requester) bool { return string(r.Asks) == speed || r.Gives == Pulses }) {
			return fmt.Errorf("nobody asks for %s: name a requester that does", speed)
		}
	}
	return nil
}

// fillIn gives what is usual where nothing is said.
func (w *Wish) fillIn() {
	or := func(v *float64, usual float64) {
		if *v == 0 {
			*v = usual
		}
	}
	or(&w.Supply.Off, 12.6)
	or(&w.Supply.Running, w.Supply.Off*14.2/12.6)
	or(&w.Heat, usualHeat)
	or(&w.Limits.Drop, usualDrop*w.nominal()/12)
	or(&w.Limits.GroundDrop, usualGround*w.nominal()/12)
	or(&w.Limits.RestContact, usualRest)
	or(&w.Relays.Coil, usualCoil*w.nominal()*w.nominal()/144)
	or(&w.Insulation, 105)
	w.Gauge = cmp.Or(w.Gauge, EachRun)
	w.Protection = cmp.Or(w.Protection, ByFuses)
	if w.Relays.Suppression == "" { // either way round, and no coil's kick on the output that drives it
		w.Relays.Suppression = "resistor"
	}
	if len(w.Speeds) == 0 {
		w.Speeds = []string{"low", "high"}
	}
}

func between(v, least, most float64) bool { return v >= least && v <= most }

// within refuses what lies beyond what is known here.
func (w *Wish) within() error {
	switch {
	case !between(w.Supply.Off, 10, 60) || !between(w.Supply.Running, 10, 60):
		return fmt.Errorf("a supply of %g and %g V is no vehicle's: mains and high-voltage work belongs to licensed people",
			w.Supply.Off, w.Supply.Running)
	case len(w.Fans) < 1 || len(w.Fans) > mostFans:
		return fmt.Errorf("fans: there are one to four, not %d", len(w.Fans))
	case len(w.Speeds) > 2:
		return fmt.Errorf("speeds: one or two are wired; %d need a module that is told its speed by pulses, for which two are enough to say",
			len(w.Speeds))
	case len(w.Requesters) == 0 || len(w.Requesters) > mostRequesters:
		return fmt.Errorf("requesters: one to %d ask for the speeds, not %d", mostRequesters, len(w.Requesters))
	case !between(w.Heat, -40, 100):
		return fmt.Errorf("heat: %g °C: wires, fuses and contacts here are known up to 100 °C", w.Heat)
	case !between(w.Limits.Drop, 0.05, 5) || !between(w.Limits.GroundDrop, 0.05, 5):
		return errors.New("limits: a drop lies between 0.05 and 5 V")
	case w.Limits.Budget < 0:
		return fmt.Errorf("limits: a budget of %g", w.Limits.Budget)
	case w.Gauge != EachRun && w.Gauge != OneGauge:
		return fmt.Errorf("gauge: %q is no way of sizing (%s, %s)", w.Gauge, EachRun, OneGauge)
	case w.Relays.Poles < 0 || w.Relays.Poles > 2:
		return fmt.Errorf("relays: poles: a relay here has 1 or 2, not %d", w.Relays.Poles)
	case !slices.Contains([]OpenLine{"", Runs, Stops}, w.OpenLine):
		return fmt.Errorf("open-line: %q: with a line broken the fans run or stop (runs, stops)", clip(string(w.OpenLine)))
	case !slices.Contains([]Protection{ByFuses, ByBreakers}, w.Protection):
		return fmt.Errorf("protection: %q (fuses, breakers)", clip(string(w.Protection)))
	case !slices.Contains([]float64{105, 125, 150}, w.Insulation):
		return fmt.Errorf("insulation: wires here stand 105, 125 or 150 °C, not %g", w.Insulation)
	case !slices.Contains([]string{"", "none", "resistor", "diode"}, w.Relays.Suppression):
		return fmt.Errorf("relays: suppression: %q (none, resistor, diode)", clip(w.Relays.Suppression))
	}
	return nil
}

// lengths refuses runs that there are not, and lengths that none has.
func (w *Wish) lengths() error {
	for name := range w.Runs {
		if _, known := usualRuns[name]; !known {
			return fmt.Errorf("runs: there is no run %q (battery to box, box to fans, box to controller, fans to ground, in the box, post "+
				"to fuse)",
				clip(name))
		}
		if m, err := units.Metres(w.Runs[name]); err != nil || !between(m, 0.05, mostRun) {
			return fmt.Errorf("runs: %s: %q is no length from 0.05 to %g m", name, clip(w.Runs[name]), mostRun)
		}
	}
	if m := w.run(postToFuse); m > mostUnfused {
		return fmt.Errorf("runs: post to fuse: %.2g m without a fuse: nothing clears a short there, and it may be %.2g m at the most", m,
			mostUnfused)
	}
	return nil
}

func (w *Wish) completeFan(f *Fan, i int, seen map[string]bool) error {
	if f.Name == "" {
		f.Name = fmt.Sprintf("fan %d", i+1)
	}
	if f.HalfVolts == "" {
		f.HalfVolts = Unknown
	}
	if f.Volts == 0 {
		f.Volts = w.Supply.Off
	}
	if len(f.Points) > 0 {
		if err := f.Fit(); err != nil {
			return fmt.Errorf("fans: %s: %w", clip(f.Name), err)
		}
	}
	if f.Inrush == 0 {
		f.Inrush = 5 * f.Amps
	}
	if err := f.Brushless.complete(); err != nil {
		return fmt.Errorf("fans: %s: %w", clip(f.Name), err)
	}
	switch {
	case seen[f.Name]:
		return fmt.Errorf("%q is the name of two things", clip(f.Name))
	case !(f.Amps >= leastFan && f.Amps <= mostFan):
		return fmt.Errorf("fans: %s: a fan takes %g to %g A, not %g", clip(f.Name), leastFan, mostFan, f.Amps)
	case !(f.Inrush >= 1.5*f.Amps && f.Inrush <= 20*f.Amps):
		return fmt.Errorf("fans: %s: a start takes 1.5 to 20 times the running amps, not %g A", clip(f.Name), f.Inrush)
	case !(f.RPM >= 0 && f.RPM <= 10000):
		return fmt.Errorf("fans: %s: a fan turns at up to 10000 rpm, not %g", clip(f.Name), f.RPM)
	case !slices.Contains([]HalfVolts{Starts, Stalls, Unknown}, f.HalfVolts):
		return fmt.Errorf("fans: %s: half-volts is ok, no or unknown, not %q", clip(f.Name), clip(string(f.HalfVolts)))
	}
	seen[f.Name] = true
	return nil
}

func (w *Wish) completeRequester(r *Requester, seen map[string]bool) error {
	if r.Name == "" {
		return errors.New("requesters: each has a name")
	}
	switch {
	case seen[r.Name] || slices.Contains(w.Speeds, r.Name) && r.Name != string(r.Asks) || slices.Contains(ownStates, r.Name):
		return fmt.Errorf("%q is the name of two things", clip(r.Name))
	case !slices.Contains(AllGives, r.Gives):
		return fmt.Errorf("requesters: %s: gives %q (ground, supply, pwm, switch, pressure, toggle, kill, add-on)", clip(r.Name),
			clip(string(r.Gives)))
	case r.Gives != Kill && !w.allSpeeds(r.Asks):
		return fmt.Errorf("requesters: %s: asks for %q, which is none of the speeds (%s)", clip(r.Name), clip(string(r.Asks)),
			strings.Join(w.Speeds, ", "))
	case r.Gives != Pulses && strings.Contains(string(r.Asks), listed):
		return fmt.Errorf("requesters: %s: asks for %s: only a pulsed line asks for more than one speed; give each its own requester",
			clip(r.Name), clip(string(r.Asks)))
	case r.Limit < 0 || r.Limit > 40:
		return fmt.Errorf("requesters: %s: a driver takes up to 40 A, not %g", clip(r.Name), r.Limit)
	case r.Inverted && r.Gives != Ground:
		return fmt.Errorf("requesters: %s: only a line that closes to ground can be inverted", clip(r.Name))
	case r.Hertz < 0 || r.Hertz > 20000:
		return fmt.Errorf("requesters: %s: %g Hz: a fan's line pulses at 10 to 20000 Hz; was MHz typed for Hz", clip(r.Name), r.Hertz)
	case strings.ContainsAny(r.Name, "\"\\\n,[]{}:#"):
		return fmt.Errorf("requesters: %q: a name is letters, figures and blanks", clip(r.Name))
	}
	seen[r.Name] = true
	if strings.Contains(string(r.Asks), listed) { // a pulsed line carries every speed
		r.Asks = Asked(w.Speeds[len(w.Speeds)-1])
	}
	usual := map[Gives][2]float64{Switch: {92, 87}, AddOn: {92, 87}, Pressure: {17, 14}}[r.Gives]
	if usual[0] > 0 && len(w.Speeds) == 2 && string(r.Asks) == w.Speeds[1] { // the higher speed later (common practice)
		usual = map[Gives][2]float64{Switch: {99, 94}, AddOn: {99, 94}, Pressure: {20, 17}}[r.Gives]
	}
	if r.Closes == 0 {
		r.Closes, r.Opens = usual[0], usual[1]
	}
	if r.Opens == 0 && usual[0] > 0 {
		r.Opens = r.Closes - (usual[0] - usual[1])
	}
	if usual[0] > 0 && !(r.Opens < r.Closes && r.Closes < 150) {
		return fmt.Errorf("requesters: %s: it opens below where it closes, not at %g and %g", clip(r.Name), r.Opens, r.Closes)
	}
	return nil
}

// apart tells whether what asks for two speeds asks for them one after the other, and refuses what one circuit cannot hold.
func (w *Wish) apart() error {
	kills := 0
	for _, r := range w.Requesters {
		if r.Gives == Kill {
			kills++
		}
	}
	if kills > 1 {
		return fmt.Errorf("requesters: %d switches take the coils' feed away, and one is drawn: put them in series behind one name", kills)
	}
	if len(w.Speeds) != 2 {
		return nil
	}
	for _, low := range w.Requesters {
		for _, high := range w.Requesters {
			sensed := low.Gives == Switch || low.Gives == AddOn || low.Gives == Pressure
			if sensed && low.Gives == high.Gives && string(low.Asks) == w.Speeds[0] && string(high.Asks) == w.Speeds[1] &&
				low.Closes >= high.Closes {
				return fmt.Errorf("requesters: %s closes at %g and %s at %g: %s and %s would come on together; the one for %s closes later",
					clip(low.Name), low.Closes, clip(high.Name), high.Closes, w.Speeds[0], w.Speeds[1], w.Speeds[1])
			}
		}
	}
	return nil
}

// takes is how many A a requester's driver takes: what is usual where nothing is said.
func (r Requester) takes() float64 { return cmp.Or(r.Limit, drivers) }

// running are the A that a fan takes with the engine running: its rated ones hold at its own volts.
func (w *Wish) running(f Fan) float64 { return f.Amps * math.Pow(w.Supply.Running/f.Volts, 1.5) }

// allSpeeds tells whether what somebody asks for are speeds of the wish.
func (w *Wish) allSpeeds(asked Asked) bool {
	for _, speed := range strings.Split(string(asked), listed) {
		if !slices.Contains(w.Speeds, speed) {
			return false
		}
	}
	return true
}

// complete fills in what is usual for a fan with its own electronics, and refuses what none has.
func (b *Brushless) complete() error {
	if b == nil {
		return nil
	}
	b.OpenLine, b.Level = cmp.Or(b.OpenLine, Runs), cmp.Or(b.Level, "low")
	if len(b.Hertz) == 0 {
		b.Hertz = []float64{10, 1000}
	}
	if _, err := minutes(b.RunOn); err != nil {
		return fmt.Errorf("brushless: run-on: %w", err)
	}
	switch {
	case b.OpenLine != Runs && b.OpenLine != Stops:
		return fmt.Errorf("brushless: open-line: %q (runs, stops)", clip(string(b.OpenLine)))
	case b.Level != "low" && b.Level != "high":
		return fmt.Errorf("brushless: level: %q: the low or the high part of a pulse counts", clip(b.Level))
	case len(b.Hertz) != 2 || !(b.Hertz[0] > 0 && b.Hertz[0] < b.Hertz[1] && b.Hertz[1] <= 20000):
		return errors.New("brushless: hertz is a range such as [50, 500]")
	}
	return nil
}

// minutes reads a time such as "8min"; nothing is none.
func minutes(text string) (float64, error) {
	words := strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(text), "min"))
	if words == "" && text == "" {
		return 0, nil
	}
	v, err := units.Figure(words)
	if err != nil || !(v >= 0 && v <= mostMinutes) {
		return 0, fmt.Errorf("%q is no time from 0 to %g min", clip(text), mostMinutes)
	}
	return v, nil
}

// ampHours is the battery's charge.
func (w *Wish) ampHours() (float64, error) {
	if w.Battery == "" {
		return usualBattery, nil
	}
	v, err := units.Figure(strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(w.Battery), "Ah")))
	if err != nil || !(v >= 5 && v <= 1000) {
		return 0, fmt.Errorf("battery: %q is no charge from 5 to 1000 Ah", clip(w.Battery))
	}
	return v, nil
}

func (w *Wish) nominal() float64 {
	if w.Supply.Off > 18 {
		return 24
	}
	return 12
}

// run is the length of a run, metres.
func (w *Wish) run(name string) float64 {
	if name == "battery to module" { // by way of where the box would be
		return w.run("battery to box") + w.run("box to fans")
	}
	if words, said := w.Runs[name]; said {
		if m, err := units.Metres(words); err == nil {
			return m
		}
	}
	return usualRuns[name]
}

// Fit makes a motor's running and starting amps of two readings: the load's torque is friction by fifteen hundredths and grows with the
// square of the speed (the model's own), so that the second reading gives the armature's ohms.
func (f *Fan) Fit() error {
	points := slices.Clone(f.Points)
	slices.SortFunc(points, func(a, b At) int {
		if a.Volts > b.Volts {
			return -1
		}
		return 1
	})
	for _, p := range points {
		if !(p.Volts > 1 && p.Volts <= 60 && p.Amps > 0.2 && p.Amps <= 2*mostFan) {
			return fmt.Errorf("%g V and %g A are no reading of a fan", p.Volts, p.Amps)
		}
	}
	top := points[0]
	f.Volts, f.Amps = top.Volts, top.Amps
	if len(points) == 1 {
		return nil
	}
	sum := 0.0
	for _, p := range points[1:] {
		if p.Volts > 0.97*top.Volts || p.Amps >= top.Amps {
			return errors.New("the readings that fit a motor lie well apart, and fewer volts draw fewer amps")
		}
		ohms, ok := armature(top, p)
		if !ok {
			return fmt.Errorf("%g A at %g V and %g A at %g V are no fan's: check the clamp's zero", top.Amps, top.Volts, p.Amps, p.Volts)
		}
		sum += ohms
	}
	f.Inrush = f.Volts / (sum / float64(len(points)-1))
	return nil
}

// armature finds the ohms with which both readings lie on one fan's curve, by halving.
func armature(top, p At) (float64, bool) {
	const friction = 0.15
	miss := func(ohms float64) float64 {
		speed := (p.Volts - p.Amps*ohms) / (top.Volts - top.Amps*ohms)
		return friction + (1-friction)*speed*speed - p.Amps/top.Amps
	}
	low, high := 0.0, 0.9*min(top.Volts/top.Amps, p.Volts/p.Amps)
	if miss(low) < 0 == (miss(high) < 0) {
		return 0, false
	}
	for range 60 {
		mid := (low + high) / 2
		if miss(mid) < 0 == (miss(low) < 0) {
			low = mid
		} else {
			high = mid
		}
	}
	return low, low > 0
}

func clip(s string) string { return harness.Clipped(s, 40) }
