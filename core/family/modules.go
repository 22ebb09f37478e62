package family

import (
	"fmt"
	"strings"
)

// The families in which no relay makes the speeds: a module told by pulses, a module told by switched lines, a resistor
// card with its selector.

// module writes a fan module that a controller's one wire tells the speed.
func (w *writer) module() {
	total := w.a.Amps * float64(w.a.Fans)
	outputs := []string{}
	for n := 1; n <= w.a.Fans; n++ {
		outputs = append(outputs, fmt.Sprintf("fan%d: {+: o%d, -: r%d}", n, n, n))
	}
	w.part("FM", fmt.Sprintf(`kind: pwm-module, control: c, feeds: ["+"], grounds: ["-"], outputs: {%s}, duty: {min: 10, max: 90}, `+
		`open: full, grounded: "off", ramp: 3`, strings.Join(outputs, ", ")))
	w.wire(w.fuse("F1", total), "FM.+", "RD "+size(total)+" 0.6m")
	w.wire("FM.-", "G1", "BN "+size(total)+" 0.5m")
	for n := 1; n <= w.a.Fans; n++ {
		motor := w.motor(n)
		w.wire(fmt.Sprintf("FM.o%d", n), motor+".+", "VT "+size(w.a.Amps)+" 0.8m")
		w.wire(motor+".-", fmt.Sprintf("FM.r%d", n), "VT/BN "+size(w.a.Amps)+" 0.8m")
	}
	w.part("ECU", `kind: controller, pins: {"1": {pwm-on: fan}, "9": {ground: true}}, label: engine control`)
	w.wire("ECU.1", "FM.c", "GN 0.5mm2 2m")
	w.wire("ECU.9", "G1", "BN 1mm2 1.5m")
}

// discrete writes a fan module whose speed is a pattern of two lines that a controller pulls to ground.
func (w *writer) discrete() {
	total := w.a.Amps * float64(w.a.Fans)
	w.stages = []string{"a", "b"}
	row := func(when string, share float64) string {
		var drive []string
		for n := 1; n <= w.a.Fans; n++ {
			drive = append(drive, fmt.Sprintf("o%d: %g", n, share))
		}
		return fmt.Sprintf("{when: [%s], drive: {%s}}", when, strings.Join(drive, ", "))
	}
	w.part("FM", fmt.Sprintf(`kind: fan-module, inputs: [a, b], feeds: ["+"], grounds: ["-"], table: [%s, %s, %s], ramp: 2`,
		row("a", 0.4), row("b", 0.7), row("a, b", 1)))
	w.wire(w.fuse("F1", total), "FM.+", "RD "+size(total)+" 0.6m")
	w.wire("FM.-", "G1", "BN "+size(total)+" 0.5m")
	for n := 1; n <= w.a.Fans; n++ {
		motor := w.motor(n)
		w.wire(fmt.Sprintf("FM.o%d", n), motor+".+", "VT "+size(w.a.Amps)+" 0.8m")
		w.wire(motor+".-", "G1", "BN "+size(w.a.Amps)+" 0.7m")
	}
	w.part("ECU", `kind: controller, pins: {"1": {sinks-on: a}, "2": {sinks-on: b}, "9": {ground: true}}, label: engine control`)
	w.wire("ECU.1", "FM.a", "GN 0.5mm2 2m")
	w.wire("ECU.2", "FM.b", "GN/WH 0.5mm2 2m")
	w.wire("ECU.9", "G1", "BN 1mm2 1.5m")
}

// card writes a fan whose ground goes through a resistor card and a selector: all steps at 1, none at the top.
func (w *writer) card() {
	thick := size(w.a.Amps)
	w.part("SW", "kind: switch, closed-when: key, label: key")
	w.wire("BAT.+", "SW.a", "RD "+thick+" 1m")
	behind := w.fuseFrom("SW.b", "F1", w.a.Amps)
	motor := w.motor(1)
	w.wire(behind, motor+".+", "VT "+thick+" 0.8m")
	share := float64(w.a.Volts) / w.a.Amps
	w.part("RC", fmt.Sprintf("kind: resistor-card, steps: [%.2g, %.2g], limiter: {opens: 184}, airflow: needed", 0.5*share, 1.2*share))
	w.part("SEL", `kind: selector, positions: {off: [], "1": ["1"], "2": ["2"], "3": ["3"]}, at: dash`)
	w.wire(motor+".-", "RC.in", "BK/VT "+thick+" 0.3m")
	w.wire("RC.2", "SEL.1", "YE "+thick+" 0.7m")
	w.wire("RC.1", "SEL.2", "GN "+thick+" 0.7m")
	w.wire(motor+".-", "SEL.3", "BK "+thick+" 0.9m")
	w.wire("SEL.c", "G1", "BN "+thick+" 0.4m")
}
