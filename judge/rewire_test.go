// Package judge holds what is printed against tables of its own. It imports nothing of the project: it runs the command line as a
// stranger would, reads what comes out, and works it out again from standards and common practice.
package judge

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"
)

// proposal is what the command prints of one way.
type proposal struct {
	Family  string
	Harness string
	Sizes   []struct {
		What string
		MM2  float64
		Amps float64
		Load float64
	}
	Effects []struct{ Fault, State, Severity, Why string }
}

type answer struct {
	Proposals []proposal
	Refused   []struct{ Family, Why, Frees string }
}

// file is a harness as it is printed.
type file struct {
	Parts map[string]map[string]any
	Wires yaml.Node
}

type wire struct {
	from, to    string
	mm2, metres float64
}

// Amps by mm² of a single wire of 105 °C insulation in an engine space (ABYC E-11, typed here from memory; 0.35 and 0.5 a guess).
var carries = [][2]float64{{0.35, 9}, {0.5, 13}, {0.82, 17}, {1.31, 21}, {2.08, 30}, {3.31, 38}, {5.26, 51}, {8.37, 68}, {13.3, 102},
	{21.2, 136}, {33.6, 178}}

func straight(rows [][2]float64, x float64) float64 {
	if x <= rows[0][0] {
		return rows[0][1]
	}
	for i := 1; i < len(rows); i++ {
		if x <= rows[i][0] {
			return rows[i-1][1] + (x-rows[i-1][0])/(rows[i][0]-rows[i-1][0])*(rows[i][1]-rows[i-1][1])
		}
	}
	return rows[len(rows)-1][1]
}

// may is what a wire carries in air of so many °C, its insulation good for so many.
func may(mm2, heat, insulation float64) float64 {
	return straight(carries, mm2) * math.Sqrt((insulation-heat)/(105-50))
}

// Shares of a rating that last all day, by °C (common practice).
var (
	fuseLasts    = [][2]float64{{23, 0.80}, {85, 0.72}, {100, 0.68}}
	contactLasts = [][2]float64{{23, 1}, {85, 0.75}, {105, 0.60}}
	largeLasts   = [][2]float64{{23, 1}, {85, 50.0 / 70}, {105, 0.60}}
)

func contactMay(rating, heat, volts float64) float64 {
	switch {
	case rating > 70:
		return rating * straight(contactLasts, heat)
	case rating > 40 && volts > 18:
		return rating * straight(largeLasts, heat) * 40 / 70
	case rating > 40:
		return rating * straight(largeLasts, heat)
	case volts > 18:
		return rating * straight(contactLasts, heat) / 2
	}
	return rating * straight(contactLasts, heat)
}

// circuit is a printed harness, read without the project's own reader.
type circuit struct {
	parts map[string]map[string]any
	wires []wire
}

func read(t *testing.T, text string) *circuit {
	t.Helper()
	var f file
	require.NoError(t, yaml.Unmarshal([]byte(text), &f))
	c := &circuit{parts: f.Parts}
	for i := 0; i+1 < len(f.Wires.Content); i += 2 {
		from, to, ok := strings.Cut(f.Wires.Content[i].Value, " - ")
		require.True(t, ok)
		w := wire{from: from, to: to}
		for _, word := range strings.Fields(f.Wires.Content[i+1].Value) {
			if n, ok := strings.CutSuffix(word, "mm2"); ok {
				w.mm2 = number(t, n)
			} else if n, ok := strings.CutSuffix(word, "m"); ok {
				w.metres = number(t, n)
			}
		}
		require.Positive(t, w.mm2, f.Wires.Content[i].Value)
		c.wires = append(c.wires, w)
	}
	require.NotEmpty(t, c.wires)
	return c
}

func number(t *testing.T, s string) float64 {
	t.Helper()
	v, err := strconv.ParseFloat(s, 64)
	require.NoError(t, err)
	return v
}

func (c *circuit) kind(pin string) string {
	name, _, _ := strings.Cut(pin, ".")
	kind, _ := c.parts[name]["kind"].(string)
	return kind
}

func figure(part map[string]any, key string) float64 {
	switch v := part[key].(type) {
	case int:
		return float64(v)
	case float64:
		return v
	}
	return 0
}

// on is where a current goes on through a part.
func (c *circuit) on(pin string) []string {
	name, at, _ := strings.Cut(pin, ".")
	kind := c.kind(pin)
	switch {
	case kind == "relay" && at == "30":
		return []string{name + ".87", name + ".87a"}
	case slices.Contains([]string{"switch", "resistor", "limiter"}, kind) && at == "a":
		return []string{name + ".b"}
	case kind == "motor" && at == "+":
		return []string{name + ".-"}
	}
	return nil
}

// reach lists the wires that a current from a pin can flow in, up to the next fuse, ground or battery.
func (c *circuit) reach(start string) []wire {
	var found []wire
	seen, queue := map[string]bool{}, []string{start}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		if seen[at] {
			continue
		}
		seen[at] = true
		for _, w := range c.wires {
			var other string
			switch at {
			case w.from:
				other = w.to
			case w.to:
				other = w.from
			default:
				continue
			}
			if !slices.Contains(found, w) {
				found = append(found, w)
			}
			if kind := c.kind(other); kind != "fuse" && kind != "ground" && kind != "battery" {
				queue = append(queue, other)
			}
		}
		queue = append(queue, c.on(at)...)
	}
	return found
}

// theirs tells whether a part is the vehicle's own, and only drawn.
func (c *circuit) theirs(pin string) bool {
	name, _, _ := strings.Cut(pin, ".")
	label, _ := c.parts[name]["label"].(string)
	return strings.Contains(label, "there already") || c.kind(pin) == "controller"
}

// request is one that the judge asks, with what it knows of it.
type request struct {
	name, text  string
	heat, volts float64

	insulation float64 // 105 where it is not said
	known      string  // a refusal that is right, by words of it; nothing: a way is to be found
}

// requests are unlike the project's own: from a heater blower to a truck's fan, cold and hot, short ways and long.
func requests() []request {
	var list []request
	who := []string{
		"[{name: a, gives: ground, asks: low}, {name: b, gives: ground, asks: high}]",
		"[{name: s, gives: switch, asks: low, closes: 88, opens: 82}, {name: u, gives: switch, asks: high, closes: 97, opens: 92}]",
		"[{name: c, gives: supply, asks: low}, {name: d, gives: toggle, asks: high}, {name: x, gives: kill}]",
		"[{name: i, gives: ground, inverted: true, asks: low}, {name: p, gives: pressure, asks: high}]",
		"[{name: e, gives: add-on, asks: low}, {name: b, gives: ground, asks: high}]",
	}
	n := 0
	for _, volts := range []float64{12.4, 25.6} {
		for _, fans := range [][]float64{{3}, {11}, {19}, {27}, {5, 5}, {13, 13}, {21, 21}, {9, 17}} {
			for _, heat := range []float64{30, 70, 98} {
				var text []string
				for i, amps := range fans {
					text = append(text, fmt.Sprintf("{name: fan %d, amps: %g, inrush: %g, half-volts: ok}", i+1, amps, 4.5*amps))
				}
				list = append(list, request{name: fmt.Sprintf("%g V, %v A, %g °C, %d", volts, fans, heat, n%len(who)), heat: heat, volts: volts,
					text: fmt.Sprintf("plan: 1\nsupply: {off: %g}\nfans: [%s]\nrequesters: %s\nheat: %g\nruns: {box to fans: %gm}\n", volts,
						strings.Join(text, ", "), who[n%len(who)], heat, 0.5+float64(n%4))})
				n++
			}
		}
	}
	return list
}

// furtherRequests are of the kinds that small cars do not have: three fans and four, toys and trucks, fans with electronics of their
// own, breakers, better insulation, a direction to fail in, a fan that is never to turn alone.
func furtherRequests() []request {
	const (
		two    = "[{name: a, gives: ground, asks: low}, {name: b, gives: ground, asks: high}]"
		weak   = "[{name: a, gives: ground, asks: low, limit: 0.15}, {name: b, gives: ground, asks: high, limit: 0.2}]"
		heated = "[{name: s, gives: switch, asks: low, closes: 91, opens: 86}, {name: p, gives: pressure, asks: high, closes: 19, opens: 15}]"
		pulsed = "[{name: line, gives: pwm, asks: [low, high], hertz: 250}]"
		own    = "brushless: {open-line: runs, level: low, hertz: [50, 500], run-on: 4min}"
	)
	fans := func(n int, amps float64, more string) string {
		var list []string
		for i := range n {
			list = append(list, fmt.Sprintf("{name: f%d, amps: %g, inrush: %g, half-volts: ok%s}", i+1, amps, 4.5*amps, more))
		}
		return "[" + strings.Join(list, ", ") + "]"
	}
	var list []request
	add := func(name, fans, who, more, known string, heat, volts, insulation float64) {
		list = append(list, request{name: name, heat: heat, volts: volts, insulation: insulation, known: known,
			text: fmt.Sprintf("plan: 1\nsupply: {off: %g}\nfans: %s\nrequesters: %s\nheat: %g\n%s", volts, fans, who, heat, more)})
	}
	plain := func(n int, amps float64, who string, heat, volts float64) {
		add(fmt.Sprintf("%d fans of %g A, %g V, %g °C", n, amps, volts, heat), fans(n, amps, ""), who, "", "", heat, volts, 0)
	}
	for _, n := range []int{1, 2, 3, 4} {
		plain(n, 0.4, two, 85, 12.6)
		plain(n, 0.9, heated, 70, 25.2)
		plain(n, 16, two, 85, 12.6)
		plain(n, 22, heated, 70, 25.2)
		plain(n, 9, weak, 85, 12.6)
	}
	plain(1, 48, two, 60, 12.6)
	plain(2, 45, two, 70, 25.2)
	add("80 A, insulation of 150 °C", fans(1, 80, ""), two, "insulation: 150\n", "", 85, 12.6, 150)
	add("two of 80 A at 24 V, insulation of 150 °C", fans(2, 80, ""), two, "insulation: 150\n", "", 85, 25.2, 150)
	add("80 A in the usual insulation", fans(1, 80, ""), two, "", "would have to carry", 85, 12.6, 0)
	add("insulation of 125 °C in 100 °C", fans(2, 28, ""), two, "insulation: 125\n", "", 100, 12.6, 125)
	add("insulation of 150 °C in 100 °C", fans(2, 28, ""), two, "insulation: 150\n", "", 100, 12.6, 150)
	add("breakers", fans(2, 12, ""), two, "protection: breakers\n", "", 85, 12.6, 0)
	add("breakers, 24 V", fans(3, 15, ""), heated, "protection: breakers\n", "", 70, 25.2, 0)
	add("breakers for 40 A", fans(2, 40, ""), two, "protection: breakers\n", "more than any breaker", 85, 12.6, 0)
	add("a line broken: runs", fans(2, 14, ""), two, "open-line: runs\n", "", 85, 12.6, 0)
	add("a line broken: stops", fans(2, 14, ""), two, "open-line: stops\n", "", 85, 12.6, 0)
	add("a line broken: runs, switches", fans(2, 14, ""), heated, "open-line: runs\n", "asks by closing", 85, 12.6, 0)
	add("a line broken: runs, a module", fans(2, 14, ""), pulsed, "open-line: runs\n", "", 85, 12.6, 0)
	add("a line broken: stops, a module", fans(3, 14, ""), pulsed, "open-line: stops\n", "", 85, 12.6, 0)
	add("one never alone",
		"[{name: n, amps: 14, half-volts: ok, never-alone: true}, {name: o, amps: 14, half-volts: ok}]", two, "", "", 85, 12.6, 0)
	add("two never alone", fans(2, 14, ", never-alone: true"), two, "", "never to be the only fan", 85, 12.6, 0)
	add("three never alone", fans(3, 14, ", never-alone: true"), two, "", "", 85, 12.6, 0)
	add("the only one never alone", fans(1, 14, ", never-alone: true"), two, "", "the only one there is", 85, 12.6, 0)
	add("two contacts a relay", fans(4, 14, ""), two, "relays: {poles: 2}\n", "", 85, 12.6, 0)
	add("two contacts a relay, two fans", fans(2, 14, ""), two, "relays: {poles: 2}\n", "", 85, 12.6, 0)
	add("two contacts a relay, one speed", fans(3, 10, ""), "[{name: a, gives: ground, asks: high}]",
		"speeds: [high]\nrelays: {poles: 2}\n", "", 85, 12.6, 0)
	add("electronics of its own", fans(1, 38, ", "+own), pulsed, "run-on: 8min\nbattery: 70Ah\n", "", 85, 12.6, 0)
	add("electronics of its own, two", fans(2, 30, ", "+own), pulsed, "open-line: runs\n", "", 85, 12.6, 0)
	add("electronics of its own, 24 V", fans(2, 25, ", "+own), pulsed, "", "", 85, 25.2, 0)
	add("electronics of its own beside brushes", "[{name: m, amps: 14}, {name: c, amps: 30, "+own+"}]", pulsed, "", "", 85, 12.6, 0)
	add("electronics of its own, to stop", fans(1, 38, ", "+own), pulsed, "open-line: stops\n", "runs with its line broken", 85, 12.6, 0)
	add("electronics of its own, too long", fans(1, 38, ", "+own), pulsed, "run-on: 2min\n", "runs on by itself for 4 min", 85, 12.6, 0)
	add("electronics of its own, by relays", fans(1, 38, ", "+own), two, "", "has its own electronics", 85, 12.6, 0)
	add("so long at the most", fans(2, 14, ""), two, "run-on: 8min\nbattery: 90Ah\n", "", 85, 12.6, 0)
	return list
}

// patience bounds a run of the command line.
const patience = 10 * time.Minute

// Every way that is proposed for a wish is safe by tables that the project does not know: each feed has its fuse at the post; each
// wire, feed or ground, stands the fuse before it in the heat of the wish; fuses and contacts are loaded by no more than lasts; a
// resistor that a standing fan overloads has a limiter; and of its own failure effects none burns but the sleeved piece before a fuse.
func TestProposalsAreSafeToBuild(t *testing.T) {
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	command := built(t)
	made, without := 0, 0
	list := append(requests(), furtherRequests()...)
	asked := 0
	for n, r := range list {
		if n%5 != 0 && os.Getenv("IRONTHREAD_WHOLE") == "" { // the rest in the soak
			continue
		}
		asked++
		name := filepath.Join(t.TempDir(), "wish.yaml")
		require.NoError(t, os.WriteFile(name, []byte(r.text), 0o600))
		out, err := exec.CommandContext(ctx, command, "plan", name, "--json").Output()
		require.NoError(t, err, r.text)
		var plan answer
		require.NoError(t, json.Unmarshal(out, &plan))
		if len(plan.Proposals) == 0 {
			without++
			for _, no := range plan.Refused {
				t.Logf("%s: no %s: %s", r.name, no.Family, no.Why)
			}
			assert.True(t, r.known != "" && strings.Contains(fmt.Sprint(plan.Refused), r.known), "%s: no way is found: %v", r.name, plan.Refused)
		} else if r.known != "" {
			assert.Contains(t, fmt.Sprint(plan.Refused), r.known, r.name)
		}
		if n >= len(requests()) { // each of the new kinds is listed
			var ways []string
			for _, p := range plan.Proposals {
				ways = append(ways, p.Family)
			}
			t.Logf("%s: %s", r.name, strings.Join(ways, ", "))
		}
		for i := range plan.Proposals {
			made++
			holds(t, r, &plan.Proposals[i])
		}
	}
	t.Logf("%d wishes, %d proposals, %d wishes without one", asked, made, without)
	assert.Greater(t, made, asked)
}

// holds checks one proposal.
func holds(t *testing.T, r request, p *proposal) {
	t.Helper()
	where := r.name + ", " + p.Family
	c := read(t, p.Harness)
	battery := "BAT.+"
	for _, w := range c.reach(battery) {
		if c.theirs(w.from) || c.theirs(w.to) {
			continue
		}
		assert.True(t, w.from == battery || w.to == battery, "%s: %s - %s hangs on the battery without a fuse", where, w.from, w.to)
		assert.LessOrEqual(t, w.metres, 0.2+1e-9, "%s: %s - %s is that long without a fuse", where, w.from, w.to)
	}
	current := map[string]float64{}
	for _, s := range p.Sizes {
		if s.Load > 0 {
			current[s.What] = s.Amps * s.Load
		}
	}
	for name, part := range c.parts {
		switch part["kind"] {
		case "fuse":
			if c.theirs(name + ".a") {
				continue
			}
			amps := figure(part, "amps")
			for _, w := range c.reach(name + ".b") {
				if !c.theirs(w.from) && !c.theirs(w.to) || c.kind(w.from) != "controller" && c.kind(w.to) != "controller" {
					assert.GreaterOrEqual(t, may(w.mm2, r.heat, max(r.insulation, 105))+1e-6, amps, "%s: %s - %s of %g mm² behind %s of %g A",
						where, w.from, w.to, w.mm2, name, amps)
				}
			}
			assert.LessOrEqual(t, current[name], amps*straight(fuseLasts, r.heat)+0.02*amps, "%s: %s", where, name)
		case "relay":
			rating, _ := part["rating"].(map[string]any)
			assert.LessOrEqual(t, current[name], contactMay(figure(rating, "make"), r.heat, r.volts)+0.02*figure(rating, "make"), "%s: %s", where,
				name)
			c.contactLasts(t, where, r, name, figure(rating, "make"))
		case "resistor":
			c.stands(t, where, r, name, part)
		}
	}
	for _, e := range p.Effects {
		if strings.Contains(e.Why, "no fuse") {
			ends := strings.TrimSuffix(strings.TrimPrefix(e.Fault, "wire "), " grounded")
			k := slices.IndexFunc(c.wires, func(w wire) bool { return w.from+" - "+w.to == ends })
			if assert.GreaterOrEqual(t, k, 0, "%s: %s: %s", where, e.Fault, e.Why) {
				assert.LessOrEqual(t, c.wires[k].metres, 0.2+1e-9, "%s: %s", where, e.Fault)
			}
		}
		assert.NotContains(t, e.Why, "no fuse ends that", "%s: %s", where, e.Fault)
	}
}

// Seconds by multiples of a rating: the slow edge of blade and of cartridge fuses (ISO 8820-3 and -4, typed here from memory), and how
// long a relay's contact carries an overload (ISO 7588-1, the same).
var (
	bladeSlow     = [][2]float64{{1.1, 3.6e6}, {1.35, 1800}, {1.6, 50}, {2, 5}, {3.5, 0.5}, {6, 0.1}}
	cartridgeSlow = [][2]float64{{1.1, 3.6e6}, {1.35, 1800}, {2, 60}, {3.5, 7}, {6, 1}}
	contactStands = [][2]float64{{1.1, 3.6e5}, {1.35, 1800}, {2, 5}, {3.5, 0.5}, {6, 0.1}}
)

// lasting reads such a table, both ways logarithmic.
func lasting(rows [][2]float64, fold float64) float64 {
	var logs [][2]float64
	for _, row := range rows {
		logs = append(logs, [2]float64{math.Log(row[0]), math.Log(row[1])})
	}
	if fold <= rows[0][0] {
		return math.Inf(1)
	}
	return math.Exp(straight(logs, math.Log(fold)))
}

// contactLasts checks a relay's make contact with one of the fans behind it standing still and the others turning: it carries that
// until a fuse opens, at the latest that the standard permits. The wires take about a fifth of the amps that a fan takes by itself.
func (c *circuit) contactLasts(t *testing.T, where string, r request, name string, rating float64) {
	t.Helper()
	held, turning := 0.0, 0.0
	seen := map[string]bool{}
	for _, w := range c.reach(name + ".87") {
		for _, pin := range []string{w.from, w.to} {
			if fan, is, _ := strings.Cut(pin, "."); is == "+" && c.kind(pin) == "motor" && !seen[fan] {
				seen[fan] = true
				held = max(held, 0.8*r.volts*14.2/12.6/figure(c.parts[fan], "volts")*figure(c.parts[fan], "inrush")-figure(c.parts[fan], "amps"))
				turning += figure(c.parts[fan], "amps")
			}
		}
	}
	limited := slices.ContainsFunc(c.reach(name+".87"), func(w wire) bool {
		return c.kind(w.from) == "resistor" || c.kind(w.to) == "resistor"
	})
	if held <= 0 || limited { // no fan behind it, or one behind a resistor, which has a check of its own
		return
	}
	ends := math.Inf(1)
	for fuse, part := range c.parts {
		if part["kind"] != "fuse" {
			continue
		}
		before := slices.ContainsFunc(c.reach(fuse+".b"), func(w wire) bool { return w.from == name+".30" || w.to == name+".30" })
		curve := cartridgeSlow
		if style := part["style"]; style == "blade" || style == "mini" || style == nil {
			curve = bladeSlow
		}
		if before {
			ends = min(ends, lasting(curve, (held+turning)/figure(part, "amps")))
		}
	}
	assert.LessOrEqual(t, ends, lasting(contactStands, (held+turning)/rating), "%s: with a fan standing still %s of %g A carries %.0f A",
		where, name, rating, held+turning)
}

// stands checks a resistor with its fan standing still: it takes that for ever, or has a limiter in series with it.
func (c *circuit) stands(t *testing.T, where string, r request, name string, part map[string]any) {
	t.Helper()
	ohms, fan := figure(part, "ohms"), c.parts["M"+name[1:]]
	running := r.volts * 14.2 / 12.6
	amps := running / (ohms + figure(fan, "volts")/figure(fan, "inrush"))
	if amps*amps*ohms <= figure(part, "watts") {
		return
	}
	limited := slices.ContainsFunc(c.wires, func(w wire) bool {
		return w.to == name+".a" && c.kind(w.from) == "limiter" || w.from == name+".a" && c.kind(w.to) == "limiter"
	})
	assert.True(t, limited, "%s: %s turns %.0f W into heat with its fan standing, and is good for %.0f", where, name, amps*amps*ohms,
		figure(part, "watts"))
}
