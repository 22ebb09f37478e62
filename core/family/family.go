// Package family writes a first harness file from a few answers: how many fans, how low is
// made, who switches, twelve or twenty-four volts.
//
// In go [Answers], out comes the text of a harness file in which every pin is joined as the
// family is usually wired (common practice); colours, places and figures are then corrected to
// the vehicle's own diagram. The one idea: the text is written by the same few sentences a
// person would use, fuse to relay to fan to ground, so that it reads like a diagram.
package family

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/harness"
)

// Low is how the low speed is made.
type Low string

// Ways to make low.
const (
	FullOnly Low = "no low: full or nothing"
	Staged   Low = "one fan, then both"
	Series   Low = "fans in series"
	Resistor Low = "a dropping resistor"
	Winding  Low = "a second winding"
	Module   Low = "a module, by pulses"
	Discrete Low = "a module, by switched lines"
	Card     Low = "a resistor card and a selector"
)

// Lows lists the ways, in the order they are asked.
var Lows = []Low{FullOnly, Staged, Series, Resistor, Winding, Module, Discrete, Card}

// Switcher is who switches.
type Switcher string

// Who switches.
const (
	Controller   Switcher = "a controller"
	Thermoswitch Switcher = "a thermal switch"
)

// Switchers lists them.
var Switchers = []Switcher{Controller, Thermoswitch}

// Answers describe a circuit in a few words.
type Answers struct {
	Title    string
	Volts    int     // 12 or 24
	Fans     int     // 1 or 2
	Amps     float64 // of one fan at full speed
	Low      Low
	Switched Switcher

	NoLink      bool // series: without a link fuse between the fans
	GroundRelay bool // winding: the motor's ground comes through a relay
	Inverted    bool // the first line works upside down: it runs the fan when it is open
	Sources     bool // the controller gives plus to the coils instead of ground
}

// Limits of an answer, and what a usual relay's contacts are good for (common practice).
const (
	leastAmps, mostAmps = 1.0, 60.0
	makeAmps, restAmps  = 40.0, 20.0
)

// Check says in a sentence what does not go together.
func (a Answers) Check() error {
	two := a.Low == Series || a.Low == Staged
	switch {
	case a.Volts != 12 && a.Volts != 24:
		return fmt.Errorf("a vehicle has 12 or 24 volts, not %d", a.Volts)
	case a.Fans != 1 && a.Fans != 2:
		return fmt.Errorf("a new circuit begins with one fan or two, not %d", a.Fans)
	case !(a.Amps >= leastAmps && a.Amps <= mostAmps):
		return fmt.Errorf("a fan takes %g to %g A, not %g", leastAmps, mostAmps, a.Amps)
	case !slices.Contains(Lows, a.Low):
		return fmt.Errorf("%q is no way to make low", a.Low)
	case !slices.Contains(Switchers, a.Switched):
		return fmt.Errorf("%q does not switch fans", a.Switched)
	case two && a.Fans != 2:
		return fmt.Errorf("%q needs two fans", a.Low)
	case (a.Low == Module || a.Low == Discrete) && a.Switched != Controller:
		return fmt.Errorf("a module is told its speed by a controller")
	case a.Low == Card && a.Fans != 1:
		return fmt.Errorf("a resistor card and its selector are drawn for one fan")
	case a.Inverted && (a.Switched != Controller || a.Sources || a.relayless()):
		return fmt.Errorf("an inverted line is a controller's that grounds a relay's coil to keep the fan off")
	case a.Inverted && a.load(0) > restAmps:
		return fmt.Errorf("an inverted line runs the fan through a relay's rest contact, good for about %g A; %g A is too much for it",
			restAmps, a.load(0))
	case a.Sources && (a.Switched != Controller || a.relayless()):
		return fmt.Errorf("only a controller that switches relays can source their coils")
	}
	return nil
}

// relayless tells whether no relay makes the speeds.
func (a Answers) relayless() bool { return a.Low == Module || a.Low == Discrete || a.Low == Card }

// load is what a stage's relay carries, amps.
func (a Answers) load(stage int) float64 {
	switch {
	case a.Low == Resistor && stage == 0:
		return 0.6 * a.Amps * float64(a.Fans)
	case a.Low == Winding && stage == 0:
		return 0.55 * a.Amps * float64(a.Fans)
	case a.Low == Winding:
		return a.Amps * float64(a.Fans)
	}
	return a.Amps
}

// Remarks says in sentences what is out of the ordinary in the answers.
func (a Answers) Remarks() []string {
	var list []string
	for stage := range 2 {
		if load := a.load(stage); load > 0.8*makeAmps && !a.relayless() {
			list = append(list, fmt.Sprintf("%.3g A are too much for a usual relay of %g A: a relay of %d A is drawn.", load, makeAmps,
				relayAmps(load)))
			break
		}
	}
	if a.Inverted {
		list = append(list, "The first line works upside down: with the line open the fan runs. A main relay on the key keeps a parked "+
			"vehicle's off.")
	}
	if a.Sources {
		list = append(list, "The controller gives plus to the coils; their other end is at ground.")
	}
	return list
}

// relayAmps is the next usual rating of a relay that carries so many amps with a fifth to spare (common practice).
func relayAmps(load float64) int {
	for _, rating := range []int{40, 50, 70, 100} {
		if load <= 0.8*float64(rating) {
			return rating
		}
	}
	return 120
}

// writer collects the sections of the file.
type writer struct {
	a      Answers
	parts  []string
	wires  []string
	stages []string // commands, or stages of the thermal switch, in order of heat
}

// Write gives the text of the harness file; the error says which answers do not go together.
func Write(a Answers) (string, error) {
	if err := a.Check(); err != nil {
		return "", err
	}
	w := &writer{a: a, stages: []string{"low", "high"}}
	w.part("BAT", "kind: battery")
	w.part("G1", "kind: ground, at: body")
	switch a.Low {
	case Module:
		w.module()
	case Discrete:
		w.discrete()
	case Card:
		w.card()
	default:
		w.part("SW", "kind: switch, closed-when: key, label: key")
		w.part("F9", "kind: fuse, amps: 7.5, style: mini, label: coils")
		w.wire("BAT.+", "SW.a", "RD 1.5mm2 1m")
		w.wire("SW.b", "F9.a", "OG 1mm2 0.5m")
		w.relays()
		w.switcher()
	}
	// What has been sketched is read as any harness file is, and written as every harness file is written.
	circuit, err := harness.Read([]byte(w.sketch()))
	if err != nil {
		return "", fmt.Errorf("family: %w", err)
	}
	text, err := harness.Write(circuit)
	return string(text), err
}

func (w *writer) part(name, keys string) {
	w.parts = append(w.parts, fmt.Sprintf("  %s: {%s}", name, keys))
}

func (w *writer) wire(from, to, description string) {
	w.wires = append(w.wires, fmt.Sprintf("  %s - %s: %s", from, to, description))
}

// fuseAmps is the next usual rating at which so many running amps are three quarters (common
// practice: 75–80 %).
func fuseAmps(running float64) int {
	for _, rating := range []int{5, 10, 15, 20, 25, 30, 40, 50, 60, 70, 80} {
		if running <= 0.75*float64(rating) {
			return rating
		}
	}
	return 100
}

// size is a wire for so many running amps in an engine space (common practice).
func size(amps float64) string {
	switch {
	case amps <= 8:
		return "1.5mm2"
	case amps <= 15:
		return "2.5mm2"
	case amps <= 24:
		return "4mm2"
	case amps <= 32:
		return "6mm2"
	}
	return "10mm2"
}

// fuse writes a fuse fed by the battery; it gives the pin behind it.
func (w *writer) fuse(name string, amps float64) string { return w.fuseFrom("BAT.+", name, amps) }

// fuseFrom writes a fuse fed from a pin; it gives the pin behind it.
func (w *writer) fuseFrom(from, name string, amps float64) string {
	w.part(name, fmt.Sprintf("kind: fuse, amps: %d, style: cartridge", fuseAmps(amps)))
	w.wire(from, name+".a", "RD "+size(amps)+" 0.5m")
	return name + ".b"
}

// mainRelay writes a relay on the key that feeds what must be dead in a parked vehicle; it gives the pin that feeds.
func (w *writer) mainRelay(load float64) string {
	w.part("KM", fmt.Sprintf("kind: relay, contacts: make, rating: {make: %d}, label: main", relayAmps(load)))
	w.wire("F9.b", "KM.86", "OG 0.75mm2 0.3m")
	w.wire("KM.85", "G1", "BN 0.75mm2 0.5m")
	w.wire("BAT.+", "KM.30", "RD "+size(load)+" 0.3m")
	return "KM.87"
}

// relay writes a relay whose coil hangs on the coils' fuse and on a stage of the switcher, or on a controller that
// sources and on ground.
func (w *writer) relay(name, contacts string, stage int, load float64) {
	rating := ""
	if load > 0.8*makeAmps {
		rating = fmt.Sprintf(", rating: {make: %d}", relayAmps(load))
	}
	w.part(name, fmt.Sprintf("kind: relay, contacts: %s, label: %s%s", contacts, w.stages[stage], rating))
	if w.a.Sources {
		w.wire(w.stagePin(stage), name+".86", "GN 0.75mm2 2m")
		w.wire(name+".85", "G1", "BN 0.75mm2 0.4m")
		return
	}
	w.wire("F9.b", name+".86", "OG 0.75mm2 0.3m")
	w.wire(name+".85", w.stagePin(stage), "GN 0.5mm2 2m")
}

func (w *writer) stagePin(stage int) string {
	if w.a.Switched == Controller {
		return fmt.Sprintf("ECU.%d", stage+1)
	}
	return fmt.Sprintf("TS.%d", stage+1)
}

func (w *writer) motor(n int) string {
	name := fmt.Sprintf("M%d", n)
	w.part(name, fmt.Sprintf("kind: motor, volts: %s, amps: %g, label: fan %d", w.volts(), w.a.Amps, n))
	return name
}

func (w *writer) volts() string {
	if w.a.Volts == 24 {
		return "25.2"
	}
	return "12.6"
}

// relays writes the load side.
func (w *writer) relays() {
	switch w.a.Low {
	case FullOnly, Staged:
		if w.a.Low == FullOnly {
			w.stages = []string{"fan"}
		}
		for n := 1; n <= w.a.Fans; n++ {
			from := w.feed(n, min(n, len(w.stages))-1, w.a.Amps)
			motor := w.motor(n)
			w.thick(from, motor+".+", "VT", "1m")
			w.ground(motor, "-")
		}
	case Series:
		w.inSeries()
	case Resistor:
		w.byResistor()
	case Winding:
		w.byWinding()
	}
}

// feed draws fuse Fn and relay Kn of a stage, and gives the pin that feeds.
func (w *writer) feed(n, stage int, load float64) string {
	relay, name := fmt.Sprintf("K%d", n), fmt.Sprintf("F%d", n)
	contacts, out, from := "make", ".87", "BAT.+"
	if w.a.Inverted && stage == 0 {
		if !slices.ContainsFunc(w.parts, func(p string) bool { return strings.HasPrefix(p, "  KM:") }) {
			w.mainRelay(load * float64(w.a.Fans))
		}
		contacts, out, from = "break", ".87a", "KM.87"
	}
	behind := w.fuseFrom(from, name, load)
	w.relay(relay, contacts, stage, load)
	w.wire(behind, relay+".30", "RD "+size(load)+" 0.2m")
	return relay + out
}

// thick draws a wire that carries a fan's current.
func (w *writer) thick(from, to, colour, length string) {
	w.wire(from, to, colour+" "+size(w.a.Amps)+" "+length)
}

func (w *writer) ground(motor, pin string) { w.thick(motor+"."+pin, "G1", "BN", "0.7m") }

func (w *writer) inSeries() {
	amps := w.a.Amps
	first, second := w.motor(1), w.motor(2)
	w.thick(w.feed(1, 0, amps), first+".+", "VT", "1m")
	w.thick(w.feed(2, 1, amps), second+".+", "TQ", "1m")
	w.relay("K3", "changeover", 1, amps)
	w.thick(first+".-", "K3.30", "VT/WH", "1m")
	if w.a.NoLink {
		w.thick("K3.87a", second+".+", "TQ/BN", "1m")
	} else {
		w.part("F3", fmt.Sprintf("kind: fuse, amps: %d, style: cartridge, label: link", fuseAmps(amps)))
		w.thick("K3.87a", "F3.a", "TQ/BN", "0.2m")
		w.thick("F3.b", second+".+", "TQ", "0.9m")
	}
	w.thick("K3.87", "G1", "BN", "0.4m")
	w.ground(second, "-")
}

func (w *writer) byResistor() {
	amps := w.a.Amps
	low := w.feed(1, 0, 0.6*amps*float64(w.a.Fans))
	for n := 1; n <= w.a.Fans; n++ {
		motor := w.motor(n)
		resistor := fmt.Sprintf("R%d", n)
		// Half of what the fan itself is worth at full speed slows it well, and still starts it.
		ohms := 0.5 * float64(w.a.Volts) / amps
		w.part(resistor, fmt.Sprintf("kind: resistor, ohms: %.2g, watts: %.0f, airflow: needed", ohms, amps*amps*ohms/3))
		w.thick(low, resistor+".a", "YE", "0.8m")
		w.thick(resistor+".b", motor+".+", "YE", "0.3m")
		w.thick(w.feed(n+1, 1, amps), motor+".+", "VT", "1m")
		w.ground(motor, "-")
	}
}

func (w *writer) byWinding() {
	amps, all := w.a.Amps, w.a.Amps*float64(w.a.Fans)
	low, high := w.feed(1, 0, 0.55*all), w.feed(2, 1, all)
	for n := 1; n <= w.a.Fans; n++ {
		name := fmt.Sprintf("M%d", n)
		w.part(name, fmt.Sprintf("kind: motor, volts: %s, windings: {low: {+: l, -: m, amps: %.3g, rpm: 1600}, high: {+: h, -: m, amps: %g, "+
			"rpm: 2300}}, label: fan %d", w.volts(), 0.5*amps, amps, n))
		w.thick(low, name+".l", "YE", "1m")
		w.thick(high, name+".h", "VT", "1m")
		if !w.a.GroundRelay {
			w.ground(name, "m")
			continue
		}
		if n == 1 {
			w.relay("K3", "make", 0, all)
			w.wire("K3.87", "G1", "BN "+size(all)+" 0.4m")
		}
		w.thick(name+".m", "K3.30", "BN/VT", "0.6m")
	}
}

// switcher writes what pulls the coils to ground.
func (w *writer) switcher() {
	if w.a.Switched == Controller {
		var pins []string
		for k, command := range w.stages {
			does := "sinks-on"
			switch {
			case w.a.Sources:
				does = "sources-on"
			case w.a.Inverted && k == 0:
				does = "sinks-unless"
			}
			pins = append(pins, fmt.Sprintf("\"%d\": {%s: %s}", k+1, does, command))
		}
		if w.a.Sources {
			pins = append(pins, `"8": {power: true}`)
			w.wire("F9.b", "ECU.8", "OG 1mm2 0.8m")
		}
		pins = append(pins, `"9": {ground: true}`)
		w.part("ECU", fmt.Sprintf("kind: controller, pins: {%s}, label: engine control", strings.Join(pins, ", ")))
		w.wire("ECU.9", "G1", "BN 1mm2 1.5m")
		return
	}
	var stages []string
	for k := range w.stages {
		stages = append(stages, fmt.Sprintf("\"%d\": {closes: %d, opens: %d}", k+1, 92+7*k, 87+7*k))
	}
	w.part("TS", fmt.Sprintf("kind: thermoswitch, stages: {%s}, at: radiator", strings.Join(stages, ", ")))
	w.wire("TS.c", "G1", "BN 1mm2 0.5m")
}

// sketch is the circuit in the short notation of a harness file.
func (w *writer) sketch() string {
	var b strings.Builder
	title := w.a.Title
	if title == "" {
		title = "New fan circuit"
	}
	fmt.Fprintf(&b, "harness: 1\ntitle: %q\n", title)
	b.WriteString("notes: |\n  Begun from a few answers; colours, places and figures are still to be corrected to the diagram.\n")
	for _, remark := range w.a.Remarks() {
		b.WriteString("  " + remark + "\n")
	}
	if w.a.Volts == 24 {
		b.WriteString("supply: {off: 25.2, running: 28.2}\n")
	}
	b.WriteString("parts:\n" + strings.Join(w.parts, "\n") + "\n")
	b.WriteString("wires:\n" + strings.Join(w.wires, "\n") + "\n")
	b.WriteString("states:\n" + strings.Join(w.states(), "\n") + "\n")
	if w.a.Switched == Controller && w.a.Low != Card {
		b.WriteString("strategy:\n" + strings.Join(w.strategy(), "\n") + "\n")
	}
	return b.String()
}

func (w *writer) states() []string {
	if w.a.Low == Module {
		return []string{"  off: {key: on, commands: []}", "  slow: {key: on, commands: [fan], duty: 45}",
			"  fast: {key: on, commands: [fan], duty: 90}"}
	}
	switch w.a.Low {
	case Discrete:
		return []string{"  off: {key: on, commands: []}", "  one: {key: on, commands: [a]}", "  two: {key: on, commands: [b]}",
			"  full: {key: on, commands: [a, b]}"}
	case Card:
		return []string{"  off: {key: on, SEL: off}", `  "1": {key: on, SEL: "1"}`, `  "2": {key: on, SEL: "2"}`, `  "3": {key: on, SEL: "3"}`}
	}
	if w.a.Switched == Thermoswitch {
		states := []string{"  cold: {key: on, coolant: 70}"}
		for k, name := range w.stages {
			states = append(states, fmt.Sprintf("  %s: {key: on, coolant: %d}", name, 95+7*k))
		}
		return states
	}
	states := []string{"  off: {key: on, commands: []}"}
	for k, name := range w.stages {
		states = append(states, fmt.Sprintf("  %s: {key: on, commands: [%s]}", name, strings.Join(w.stages[:k+1], ", ")))
	}
	return states
}

func (w *writer) strategy() []string {
	if w.a.Low == Module {
		return []string{"  fan: {on-above: 92, off-below: 88, or: [ac]}"}
	}
	if w.a.Low == Discrete {
		return []string{"  a: {on-above: 92, off-below: 88, or: [ac]}", "  b: {on-above: 99, off-below: 94, or: [pressure]}"}
	}
	var rules []string
	for k, command := range w.stages {
		rule := fmt.Sprintf("on-above: %d, off-below: %d", 95+7*k, 90+7*k)
		if k == 0 {
			rule += ", or: [ac]"
		} else {
			rule += ", or: [pressure], with: [" + strings.Join(w.stages[:k], ", ") + "]"
		}
		rules = append(rules, fmt.Sprintf("  %s: {%s}", command, rule))
	}
	return rules
}
