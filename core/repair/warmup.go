// Package repair holds what comes after a fault is found: whether it explains the complaint,
// what cooling is left until it is mended, why the part failed, and what must be seen before
// the job is closed.
//
// In goes a circuit's model and a fault, out come tables and lists for people. The one idea:
// all of it is run on the model, healthy and faulted; only what the trade adds by experience
// is written down, and is marked as common practice.
package repair

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Step is a moment of a warm-up at which something changes: what each fan does from this
// coolant temperature on.
type Step struct {
	Coolant float64           `json:"coolant"` // °C
	Rising  bool              `json:"rising"`
	Fans    map[string]string `json:"fans"`

	// Amps are the currents, where the words alone are those of the step before: a motor's steps may all read "fast".
	Amps map[string]float64 `json:"amps,omitempty"`
}

// Words spells the step's fans, with their currents where the words alone do not tell the step from the one before.
func (s Step) Words() string {
	if s.Amps == nil {
		return fansWords(s.Fans)
	}
	fans := map[string]string{}
	for fan, word := range s.Fans {
		fans[fan] = fmt.Sprintf("%s at %.0f A", word, s.Amps[fan])
	}
	return fansWords(fans)
}

func fansWords(fans map[string]string) string {
	var list []string
	for name, word := range fans {
		list = append(list, name+" "+word)
	}
	slices.Sort(list)
	return strings.Join(list, ", ")
}

// WarmUp runs the engine from cold to hot and back with these faults in the car and no command
// from outside, a degree at a time; relays and switches keep their hysteresis. The first step is
// the cold engine. An error says that the harness does not tell at which temperatures fans run.
func WarmUp(m *electric.Model, setup []electric.Action, faults []fault.Fault) ([]Step, error) {
	state, err := warming(m)
	if err != nil {
		return nil, err
	}
	n, err := m.Network(setup, faults)
	if err != nil {
		return nil, err
	}
	n.Complain(m.Circuit.States) // it has happened: what blows has blown
	n.Rest()
	var steps []Step
	before, now := make([]float32, len(m.Circuit.Fans())), make([]float32, len(m.Circuit.Fans()))
	at := func(coolant float64, rising bool) {
		state.Coolant = &coolant
		n.Enter(state)
		fans := wordsOf(m, n)
		n.FanShares(now)
		switch {
		case len(steps) == 0 || fansWords(fans) != fansWords(steps[len(steps)-1].Fans):
			steps = append(steps, Step{Coolant: coolant, Rising: rising, Fans: fans})
		case anotherSpeed(before, now):
			steps = append(steps, Step{coolant, rising, fans, ampsOf(m, n)})
		default:
			return
		}
		copy(before, now)
	}
	for t := coldest; t <= hottest; t++ {
		at(float64(t), true)
	}
	for t := hottest - 1; t >= coldest; t-- {
		at(float64(t), false)
	}
	return steps, nil
}

// Uncooled says where a healthy circuit, left to its own strategy, lets a fan stop as the engine gets hotter, or runs none when
// it is hottest. It is empty where the harness does not say at which temperatures fans run.
func Uncooled(m *electric.Model) []string {
	steps, err := WarmUp(m, nil, nil)
	if err != nil {
		return nil
	}
	runs := func(s Step) (n int) {
		for _, word := range s.Fans {
			if word != string(electric.Stopped) {
				n++
			}
		}
		return n
	}
	var list []string
	before := 0
	for _, s := range steps {
		if !s.Rising {
			break
		}
		if now := runs(s); now < before {
			list = append(list, fmt.Sprintf("left to itself, the engine at %.0f °C loses a fan that ran when it was cooler: %s", s.Coolant,
				s.Words()))
		}
		before = runs(s)
	}
	if before == 0 {
		list = append(list, fmt.Sprintf("left to itself, no fan runs up to %d °C: this strategy cannot cool", hottest))
	}
	return list
}

// anotherSpeed tells whether a fan's speed has changed by more than anybody overlooks.
func anotherSpeed(before, now []float32) bool {
	for k := range now {
		if math.Abs(float64(now[k]-before[k])) > speedSeen {
			return true
		}
	}
	return false
}

func ampsOf(m *electric.Model, n *electric.Network) map[string]float64 {
	amps := make([]float32, len(m.Circuit.Fans()))
	n.FanAmps(amps)
	by := map[string]float64{}
	for k, fan := range m.Circuit.Fans() {
		by[fan.Name] = float64(amps[k])
	}
	return by
}

func wordsOf(m *electric.Model, n *electric.Network) map[string]string {
	fans := m.Circuit.Fans()
	shares := make([]float32, len(fans))
	n.FanShares(shares)
	words := map[string]string{}
	for k, fan := range fans {
		words[fan.Name] = string(electric.SpeedWord(float64(shares[k])))
	}
	return words
}

// warming is a state of the running engine left to itself, with the switches as the circuit's
// own states have them.
func warming(m *electric.Model) (*harness.State, error) {
	c := m.Circuit
	decides := slices.ContainsFunc(c.Strategy, func(r *harness.Rule) bool { return r.OnAbove != nil }) ||
		len(c.OfKind(harness.KindThermoswitch)) > 0
	if !decides {
		return nil, fmt.Errorf("the harness does not say at which temperatures its fans run")
	}
	base := harness.State{}
	for _, s := range c.States {
		if s.Key && (base.Name == "" || s.Coolant != nil && base.Coolant == nil) {
			base = *s
		}
	}
	base.Name, base.Key, base.Running, base.AC, base.Pressure, base.Words = "warm-up", true, true, false, nil, m.Working()
	if len(c.Strategy) > 0 {
		base.Commands = nil
	}
	return &base, nil
}

// Explained compares two warm-ups: the temperatures at which a fan does otherwise than it
// should. It is empty where the fault changes nothing in a warm-up. Cooling down is told only
// where it says more than warming up did.
func Explained(healthy, faulted []Step) []string {
	var list, told []string
	for _, rising := range []bool{true, false} {
		said := ""
		for t := coldest; t <= hottest; t++ {
			at := t
			way := "Warming up, from"
			if !rising {
				at = hottest - (t - coldest)
				way = "Cooling down, below"
			}
			words := differ(doing(healthy, float64(at), rising), doing(faulted, float64(at), rising))
			if words != "" && words != said && !slices.Contains(told, words) {
				list = append(list, fmt.Sprintf("%s %d °C: %s", way, at, words))
				told = append(told, words)
			}
			said = words
		}
	}
	return list
}

// differ names the fans that do otherwise: "M1 stopped instead of slow".
func differ(should, does map[string]string) string {
	var list []string
	for fan, word := range should {
		if does[fan] != word {
			list = append(list, fmt.Sprintf("%s %s instead of %s", fan, does[fan], word))
		}
	}
	slices.Sort(list)
	return strings.Join(list, ", ")
}

// doing is what the fans do at a temperature.
func doing(steps []Step, coolant float64, rising bool) map[string]string {
	var fans map[string]string
	for _, s := range steps {
		reached := s.Rising && (!rising || s.Coolant <= coolant) || !s.Rising && !rising && s.Coolant >= coolant
		if reached {
			fans = s.Fans
		}
	}
	return fans
}
