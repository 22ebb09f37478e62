package judge

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"
	"gonum.org/v1/gonum/mat"
)

// Conversions of a harness that is there, judged as text and by resistors: what was done is counted in the two files, held against a
// count made by hand, and the new circuit is solved in every state by a small network of resistors that knows nothing of the project.

// conversion is a harness that is there, what is wished of it, and what somebody with pliers would do.
type conversion struct {
	name, there, wish, family string
	hand                      int    // moved, tapped, laid and cut, counted by hand
	how                       string // that count
	fans                      map[string]map[string]string
}

// A staged pair with names of its own, a splice in the coils' feed, the motor's plug in the ground, and relays numbered by print.
const ownPair = `
harness: 1
title: Own pair
supply: {off: 12.6, running: 14.2}
parts:
  B: {kind: battery}
  E7: {kind: ground, at: left leg}
  MX1: {kind: fuse, amps: 30, style: maxi}
  MX2: {kind: fuse, amps: 30, style: maxi}
  IG: {kind: fuse, amps: 7.5, style: mini}
  IGN: {kind: switch, closed-when: key}
  SP: {kind: splice}
  RA: {kind: relay, contacts: make, coil-ohms: 90}
  RB: {kind: relay, contacts: make, coil-ohms: 90}
  LEFT: {kind: motor, volts: 12.6, amps: 12}
  RIGHT: {kind: motor, volts: 12.6, amps: 12}
  XC: {kind: connector, ways: 1}
  UNIT:
    kind: controller
    pins: {"12": {sinks-on: stage one}, "13": {sinks-on: stage two}, "40": {ground: true}}
wires:
  B.+ - MX1.a: RD 6mm2 0.3m
  B.+ - MX2.a: RD 6mm2 0.3m
  B.+ - IGN.a: RD 2.5mm2 1m
  IGN.b - IG.a: BU 1mm2 0.5m
  IG.b - SP: BU 1mm2 0.4m
  SP - RA.86: BU 0.75mm2 0.2m
  SP - RB.86: BU 0.75mm2 0.2m
  MX1.b - RA.30: RD/BU 4mm2 0.3m
  MX2.b - RB.30: RD/GN 4mm2 0.3m
  RA.87 - LEFT.+: WH 4mm2 1.2m
  RB.87 - RIGHT.+: WH/RD 4mm2 1.2m
  LEFT.- - XC.a1: BN 4mm2 0.4m
  XC.b1 - E7: BN 4mm2 0.6m
  RIGHT.- - E7: BN 4mm2 0.6m
  RA.85 - UNIT.12: GN 0.5mm2 1.5m
  RB.85 - UNIT.13: GN/BK 0.5mm2 1.5m
  UNIT.40 - E7: BN 1mm2 1m
states:
  off: {key: on}
  one: {key: on, commands: [stage one]}
  two: {key: on, commands: [stage one, stage two]}
`

func conversions() []conversion {
	pair := "fans: [{name: left, amps: 12, half-volts: ok}, {name: right, amps: 12, half-volts: ok}]\n"
	outputs := "requesters: [{name: stage one, gives: ground, asks: low}, {name: stage two, gives: ground, asks: high}]\n"
	return []conversion{
		{"two relays to three", ownPair, pair + outputs, "series-parallel", 6,
			"left fan's ground moved to the new relay (1); new relay: 87 to the body, 87a to the link, link tapped to the right fan, 86 and " +
				"85 tapped (5)", map[string]map[string]string{
				"low": {"LEFT": "slow", "RIGHT": "slow"}, "high": {"LEFT": "fast", "RIGHT": "fast"}}},
		{"a dash switch for high", ownPair, pair + "requesters: [{name: stage one, gives: ground, asks: low}, {name: stage two, gives: " +
			"ground, asks: high}, {name: dash, gives: toggle, asks: high}]\n", "staged", 4,
			"switch: tapped into the high line, its other side to the body (2); a diode between the two lines (2)", map[string]map[string]string{
				"low": {"LEFT": "fast", "RIGHT": "stopped"}, "high": {"LEFT": "fast", "RIGHT": "fast"},
				"dash": {"LEFT": "fast", "RIGHT": "fast"}}},
		{"a thermal switch for each", ownPair, pair + "requesters: [{name: stage one, gives: ground, asks: low}, {name: stage two, gives: " +
			"ground, asks: high}, {name: tank, gives: switch, asks: low, closes: 90, opens: 84}, {name: outlet, gives: switch, asks: high, " +
			"closes: 99, opens: 93}]\n", "staged", 6, "two switches: a tap and a ground each (4); a diode (2)", map[string]map[string]string{
			"low": {"LEFT": "fast", "RIGHT": "stopped"}, "tank": {"LEFT": "fast", "RIGHT": "stopped"},
			"outlet": {"LEFT": "fast", "RIGHT": "fast"}}},
		{"nothing to do", ownPair, pair + outputs, "staged", 0, "it is there", map[string]map[string]string{
			"low": {"LEFT": "fast", "RIGHT": "stopped"}, "high": {"LEFT": "fast", "RIGHT": "fast"}}},
		{"three relays to two", library(`f3-twin-series-parallel`), "fans: [{name: a, amps: 16, half-volts: ok}, {name: b, amps: 16, " +
			"half-volts: ok}]\nrequesters: [{name: low, gives: ground, asks: low}, {name: high, gives: ground, asks: high}]\n", "staged", 1,
			"the first fan's ground to the body; the third relay and the link come out", map[string]map[string]string{
				"low": {"M1": "fast", "M2": "stopped"}, "high": {"M1": "fast", "M2": "fast"}}},
		{"switches beside the controller, a limiter on the resistor", library(`f4-dropping-resistor`), "fans: [{name: radiator fan, amps: " +
			"19, half-volts: ok}]\nrequesters: [{name: low, gives: ground, asks: low}, {name: high, gives: ground, asks: high}, {name: sl, " +
			"gives: switch, asks: low, closes: 90, opens: 85}, {name: sh, gives: switch, asks: high, closes: 98, opens: 93}]\n",
			"dropping-resistor", 8, "the resistor's feed moved to the limiter, limiter to resistor (2); two switches (4); a diode (2)",
			map[string]map[string]string{"low": {"M1": "slow"}, "high": {"M1": "fast"}, "sh": {"M1": "fast"}}},
		{"a second fan and relay", library(`f1-one-relay`), "fans: [{name: radiator fan, amps: 11, half-volts: ok}, {name: second, amps: " +
			"11, half-volts: ok}]\nrequesters: [{name: TS, gives: switch, asks: low, closes: 92, opens: 87}, {name: hotter, gives: switch, " +
			"asks: high, closes: 99, opens: 94}]\n", "staged", 9,
			"feed to its fuse, fuse to relay, relay to fan, fan to body (4); coil tapped (1); switch and its ground (2); a diode (2)",
			map[string]map[string]string{"low": {"M1": "fast", "M2": "stopped"}, "high": {"M1": "fast", "M2": "fast"}}},
	}
}

func library(name string) string {
	text, err := os.ReadFile(filepath.Join("..", "library", name+".harness.yaml"))
	if err != nil {
		return err.Error()
	}
	return string(text)
}

// operations are what the command prints of what is done.
type operations struct{ Moved, Tapped, Laid, Cut, New, Left []string }

// The change is no more than half as long again as by hand, is what the two files show, keeps what is there under its own name, and
// gives in every state the speeds that were wished.
func TestConversionsAgainstAHand(t *testing.T) {
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	command := built(t)
	for _, x := range conversions() {
		t.Run(x.name, func(t *testing.T) {
			dir := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(dir, "there.harness.yaml"), []byte(x.there), 0o600))
			wish := filepath.Join(dir, "wish.yaml")
			require.NoError(t, os.WriteFile(wish, []byte("plan: 1\n"+x.wish+"keep: there.harness.yaml\n"), 0o600))
			out, err := exec.CommandContext(ctx, command, "plan", wish, "--json").Output()
			require.NoError(t, err)
			var plan struct {
				Proposals []struct {
					Family, Harness string
					Operations      operations
				}
			}
			require.NoError(t, json.Unmarshal(out, &plan))
			k := slices.IndexFunc(plan.Proposals, func(p struct {
				Family, Harness string
				Operations      operations
			}) bool {
				return p.Family == x.family
			})
			require.GreaterOrEqual(t, k, 0, "no %s", x.family)
			p := plan.Proposals[k]
			done := len(p.Operations.Moved) + len(p.Operations.Tapped) + len(p.Operations.Laid) + len(p.Operations.Cut)
			t.Logf("%d, by hand %d (%s)", done, x.hand, x.how)
			assert.LessOrEqual(t, 2*done, 3*x.hand, "%+v", p.Operations)
			asText(t, x.there, p.Harness, &p.Operations)
			for state, want := range x.fans {
				assert.Equal(t, want, speeds(t, p.Harness, state), state)
			}
		})
	}
}

// asText compares the two files: each wire that is gone was moved, cut or left, each that is new was moved, tapped or laid, and no wire is
// cut and laid again between the same ends.
func asText(t *testing.T, before, after string, o *operations) {
	t.Helper()
	was, is := described(t, before), described(t, after)
	gone, come := 0, 0
	for name, text := range was {
		if is[name] != text {
			gone++
			assert.Empty(t, is[name], "%s is cut and laid anew between the same ends", name)
		}
	}
	for name := range is {
		if was[name] == "" {
			come++
		}
	}
	left := 0
	for _, text := range o.Left {
		if strings.Contains(text, " - ") {
			left++
		}
	}
	moved := 0
	for _, text := range o.Moved {
		if !strings.HasSuffix(text, "its other end too") {
			moved++
		}
	}
	assert.Equal(t, moved+len(o.Cut)+left, gone, "wires that are gone: %+v", o)
	assert.Equal(t, moved+len(o.Tapped)+len(o.Laid), come, "wires that are new: %+v", o)
	parts := read(t, after).parts
	for name := range read(t, before).parts {
		_, stays := parts[name]
		out := slices.ContainsFunc(o.Left, func(s string) bool { return strings.HasPrefix(s, name+" ") })
		assert.True(t, stays != out, "%s stays under its name, or is left", name)
	}
}

// described are a file's wires with their colours and sizes, lengths left out.
func described(t *testing.T, text string) map[string]string {
	t.Helper()
	var f file
	require.NoError(t, yaml.Unmarshal([]byte(text), &f))
	list := map[string]string{}
	for i := 0; i+1 < len(f.Wires.Content); i += 2 {
		var words []string
		for _, word := range strings.Fields(f.Wires.Content[i+1].Value) {
			if strings.HasSuffix(word, "mm2") || !strings.HasSuffix(word, "m") {
				words = append(words, word)
			}
		}
		list[f.Wires.Content[i].Value] = strings.Join(words, " ")
	}
	return list
}

// speeds solves a file's state with a network of resistors: each fan is one, and so is each coil; a relay pulls in above half the
// supply. By the volts across it a fan is fast, slow or stopped.
func speeds(t *testing.T, text, name string) map[string]string {
	t.Helper()
	var states struct {
		States map[string]map[string]any
	}
	require.NoError(t, yaml.Unmarshal([]byte(text), &states))
	state, there := states.States[name]
	require.True(t, there, "no state %s", name)
	c := read(t, text)
	pulled := map[string]bool{}
	var volts map[string]float64
	for range 12 {
		volts = c.solve(t, state, pulled)
		changed := false
		for part, spec := range c.parts {
			if spec["kind"] != "relay" {
				continue
			}
			across := volts[part+".86"] - volts[part+".85"]
			if in := across > 6 || across < -6; in != pulled[part] {
				pulled[part], changed = in, true
			}
		}
		if !changed {
			break
		}
	}
	list := map[string]string{}
	for part, spec := range c.parts {
		if spec["kind"] == "motor" {
			switch across := volts[part+".+"] - volts[part+".-"]; {
			case across > 10:
				list[part] = "fast"
			case across > 3:
				list[part] = "slow"
			default:
				list[part] = "stopped"
			}
		}
	}
	return list
}

// solve makes the nodes' volts of a circuit, its relays standing as they do.
func (c *circuit) solve(t *testing.T, state map[string]any, pulled map[string]bool) map[string]float64 {
	t.Helper()
	const wireOhms, supply = 0.01, 12.6
	index := map[string]int{}
	node := func(pin string) int {
		if k, known := index[pin]; known {
			return k
		}
		index[pin] = len(index)
		return index[pin]
	}
	type resistor struct {
		a, b string
		ohms float64
	}
	var list []resistor
	join := func(a, b string, ohms float64) { list = append(list, resistor{a, b, ohms}) }
	for _, w := range c.wires {
		join(w.from, w.to, wireOhms)
	}
	commands := fmt.Sprint(state["commands"])
	coolant, _ := state["coolant"].(int)
	for name, part := range c.parts {
		pin := func(p string) string { return name + "." + p }
		switch part["kind"] {
		case "battery":
			join(pin("-"), "body", wireOhms)
		case "ground":
			join(name, "body", wireOhms)
		case "fuse", "limiter":
			join(pin("a"), pin("b"), wireOhms)
		case "connector":
			join(pin("a1"), pin("b1"), wireOhms)
		case "resistor":
			join(pin("a"), pin("b"), figure(part, "ohms"))
		case "motor":
			join(pin("+"), pin("-"), figure(part, "volts")/figure(part, "amps"))
		case "relay":
			join(pin("86"), pin("85"), 85)
			if pulled[name] && part["contacts"] != "break" {
				join(pin("30"), pin("87"), wireOhms)
			} else if !pulled[name] && part["contacts"] != "make" {
				join(pin("30"), pin("87a"), wireOhms)
			}
		case "switch":
			word := part["closed-when"]
			if word == "key" && state["key"] == "on" || state[name] == "on" {
				join(pin("a"), pin("b"), wireOhms)
			}
		case "thermoswitch":
			for stage, limits := range entries(part["stages"]) {
				if limit, ok := limits.(map[string]any); ok && float64(coolant) >= figure(limit, "closes") {
					join(pin("c"), pin(stage), wireOhms)
				}
			}
		case "controller":
			for p, role := range entries(part["pins"]) {
				if order, ok := role.(map[string]any)["sinks-on"]; ok && ordered(commands, fmt.Sprint(order)) {
					join(pin(p), "body", wireOhms)
				}
			}
		}
	}
	for _, r := range list {
		node(r.a)
		node(r.b)
	}
	n := len(index)
	g, i := mat.NewDense(n, n, nil), mat.NewVecDense(n, nil)
	for _, r := range list {
		a, b, s := index[r.a], index[r.b], 1/r.ohms
		g.Set(a, a, g.At(a, a)+s)
		g.Set(b, b, g.At(b, b)+s)
		g.Set(a, b, g.At(a, b)-s)
		g.Set(b, a, g.At(b, a)-s)
	}
	const leak, stiff = 1e-9, 1e6
	for k := range n {
		g.Set(k, k, g.At(k, k)+leak)
	}
	for name, part := range c.parts {
		if part["kind"] == "battery" {
			k := index[name+".+"]
			g.Set(k, k, g.At(k, k)+stiff)
			i.SetVec(k, stiff*supply)
		}
	}
	k := index["body"]
	g.Set(k, k, g.At(k, k)+stiff)
	// Diodes conduct where they would: tried once open, then closed where the anode stands higher.
	var v mat.VecDense
	require.NoError(t, v.SolveVec(g, i))
	again := false
	for name, part := range c.parts {
		if a, b := index[name+".a"], index[name+".k"]; part["kind"] == "diode" && v.AtVec(a) > v.AtVec(b)+0.5 {
			g.Set(a, a, g.At(a, a)+1)
			g.Set(b, b, g.At(b, b)+1)
			g.Set(a, b, g.At(a, b)-1)
			g.Set(b, a, g.At(b, a)-1)
			again = true
		}
	}
	if again {
		require.NoError(t, v.SolveVec(g, i))
	}
	volts := map[string]float64{}
	for pin, k := range index {
		volts[pin] = v.AtVec(k)
	}
	return volts
}

// entries are those of a map in a file, whose keys may be figures.
func entries(node any) map[string]any {
	list := map[string]any{}
	switch m := node.(type) {
	case map[string]any:
		return m
	case map[any]any:
		for key, value := range m {
			list[fmt.Sprint(key)] = value
		}
	}
	return list
}

// ordered tells whether a list of commands, as it is printed, holds one.
func ordered(commands, order string) bool {
	return strings.Contains(" "+strings.Trim(commands, "[]")+" ", " "+order+" ")
}
