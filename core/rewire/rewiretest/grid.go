// Package rewiretest has wishes for tests: fans of many sizes, one and two, matched and unequal, at both voltages, with short
// and long ways, cool and hot, asked for in every way.
package rewiretest

import (
	"fmt"
	"strings"

	"ironthread/soak"
)

// Grid gives wishes one by one: each a name for it and its text. In every run these are some that hold each size of fan with
// three ways of asking, each way of asking with both supplies, ways and heats; in the soak every combination.
func Grid(each func(name, text string)) {
	requesters := []string{
		"[{name: a, gives: ground, asks: low}, {name: b, gives: ground, asks: high}]",
		"[{name: a, gives: switch, asks: low}, {name: b, gives: switch, asks: high, closes: 99, opens: 94}]",
		"[{name: a, gives: supply, asks: low}, {name: b, gives: ground, asks: high}, {name: c, gives: pressure, asks: high}]",
		"[{name: a, gives: ground, inverted: true, asks: low}, {name: b, gives: toggle, asks: high}, {name: k, gives: kill}]",
		"[{name: a, gives: add-on, asks: low}, {name: b, gives: ground, asks: high}, {name: c, gives: supply, asks: low}]",
		"[{name: p, gives: pwm, asks: low}, {name: q, gives: ground, asks: high}]",
	}
	n := 0
	for v, volts := range []float64{12.6, 25.2} {
		for a, amps := range [][]float64{{8}, {22}, {30}, {10, 10}, {16, 16}, {24, 24}, {12, 20}} {
			for r, run := range []float64{0.6, 2.5} {
				for h, heat := range []float64{60, 95} {
					for k, who := range requesters {
						n++
						if !soak.Whole() && (k%2 != a%2 || v != (a+k)/2%2 || r != (a+k/2)%2 || h != (k/2+a/2)%2) {
							continue
						}
						half := []string{"ok", "unknown"}[n%2]
						var fans []string
						for i, a := range amps {
							fans = append(fans, fmt.Sprintf("{name: f%d, amps: %g, half-volts: %s}", i, a, half))
						}
						each(fmt.Sprintf("%g V, %v A, %g m, %g °C, %d, %s", volts, amps, run, heat, k, half), fmt.Sprintf(
							"plan: 1\nsupply: {off: %g}\nfans: [%s]\nrequesters: %s\nruns: {box to fans: %gm}\nheat: %g\n",
							volts, strings.Join(fans, ", "), who, run, heat))
					}
				}
			}
		}
	}
}

// More gives wishes of the kinds that a small car does not have: one to four fans from less than an ampere to forty, weak outputs that
// want a pilot relay, breakers, better insulation, two contacts a relay, a line that fails to run, fans with electronics of their own.
// In every run these are one of each kind; in the soak all.
func More(each func(name, text string)) {
	const (
		two    = "[{name: a, gives: ground, asks: low}, {name: b, gives: ground, asks: high}]"
		weak   = "[{name: a, gives: ground, asks: low, limit: 0.15}, {name: b, gives: ground, asks: high, limit: 0.15}]"
		pulsed = "[{name: p, gives: pwm, asks: [low, high], hertz: 200}]"
		own    = ", brushless: {open-line: runs, level: low, hertz: [50, 500], run-on: 3min}"
	)
	kinds := []struct{ name, who, fan, more string }{
		{"plain", two, "", ""}, {"weak outputs", weak, "", ""}, {"breakers", two, "", "protection: breakers\n"},
		{"hot", two, "", "heat: 100\ninsulation: 150\n"}, {"two contacts", two, "", "relays: {poles: 2}\n"},
		{"fails to run", two, "", "open-line: runs\n"}, {"pulses", pulsed, "", ""}, {"own electronics", pulsed, own, ""},
	}
	n := 0
	for k, kind := range kinds {
		for f, fans := range [][]float64{{0.6}, {9, 9}, {18, 18, 18}, {14, 14, 14, 14}, {40}, {26, 26}} {
			for v, volts := range []float64{12.4, 25.6} {
				n++
				if !soak.Whole() && (f != (k+1)%4 || v != k/4) {
					continue
				}
				var list []string
				for i, amps := range fans {
					list = append(list, fmt.Sprintf("{name: f%d, amps: %g, half-volts: ok%s}", i, amps, kind.fan))
				}
				each(fmt.Sprintf("%s, %g V, %v A", kind.name, volts, fans), fmt.Sprintf("plan: 1\nsupply: {off: %g}\nfans: [%s]\n"+
					"requesters: %s\n%s", volts, strings.Join(list, ", "), kind.who, kind.more))
			}
		}
	}
}
