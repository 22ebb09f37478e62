package outside

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/soak"
)

// Which points are tried: every fault of a circuit, every state, with set-ups and readings that load it.

const (
	atOnce     = 90 // netlists in one run of the simulator
	mostRounds = 6
)

// hold judges trials until each one's positions are borne out.
func hold(t testing.TB, trials []*trial, sum *tally) {
	for round := 0; len(trials) > 0; round++ {
		if round == mostRounds {
			for _, x := range trials[:min(len(trials), 10)] {
				t.Errorf("%s: the judge finds no rest", x.name)
			}
			return
		}
		var again []*trial
		for from := 0; from < len(trials); from += atOnce {
			batch := trials[from:min(len(trials), from+atOnce)]
			solved := solveEach(t, batch)
			for n, x := range batch {
				found := solved[n]
				x.rounds++
				switch {
				case found == nil:
				case x.borneOut(found):
					x.compare(t, t, found, sum)
					sum.rounds = max(sum.rounds, x.rounds)
				default:
					again = append(again, x)
				}
			}
		}
		trials = again
	}
}

// loads finds, by the judge alone, the pins through which an ampere or more goes in some healthy state.
func loads(t testing.TB, m *electric.Model) map[harness.Pin]bool {
	load := map[harness.Pin]bool{}
	var trials []*trial
	for _, s := range m.Circuit.States {
		trials = append(trials, aTrial(t, m, nil, s, fault.Fault{}, nil))
	}
	var sum tally
	hold(t, trials, &sum)
	for k, found := range solveEach(t, trials) {
		x := trials[k]
		for i, w := range m.Circuit.Wires {
			amps, _ := x.mean(found, func(prefix string) string { return fmt.Sprintf("v%sw%d#branch", prefix, i) })
			if math.Abs(amps) >= loadAmps {
				load[w.From], load[w.To] = true, true
			}
		}
	}
	return load
}

func aTrial(t testing.TB, m *electric.Model, load map[harness.Pin]bool, s *harness.State, f fault.Fault, setup []electric.Action) *trial {
	t.Helper()
	cond := electric.Condition{State: s, Setup: setup}
	if f.Words != "" {
		cond.Faults = []fault.Fault{f}
	}
	p, err := m.Solve(cond)
	require.NoError(t, err)
	name := fmt.Sprintf("%s, %s, %s", m.Circuit.Title, s.Name, f)
	for _, a := range setup {
		name += ", " + a.String()
	}
	x := &trial{name: name, c: m.Circuit, model: m, state: s, fault: f, setup: setup, load: load, point: p}
	x.begin()
	return x
}

// setups is a sample of what is done to a car: every relay and fuse out, every fan unplugged, a relay bridged,
// a coil grounded or fed, a sensor replaced.
func setups(t testing.TB, c *harness.Circuit) [][]electric.Action {
	t.Helper()
	var words [][]string
	for _, p := range c.Parts {
		switch spec := p.Spec.(type) {
		case *harness.Relay:
			words = append(words, []string{p.Name + " out"}, []string{"ground " + p.Name + ".85"}, []string{"feed " + p.Name + ".86"})
			if spec.HasMake() {
				words = append(words, []string{p.Name + " out", "jumper " + p.Name + ".30 " + p.Name + ".87"})
			}
		case *harness.Fuse:
			words = append(words, []string{p.Name + " out"})
		case *harness.Motor:
			words = append(words, []string{p.Name + " unplugged"})
		case *harness.Controller, *harness.FanModule, *harness.PWMModule, *harness.SpeedController, *harness.StagedSwitch, *harness.Selector:
			words = append(words, []string{p.Name + " unplugged"})
		case *harness.Sensor:
			words = append(words, []string{"sensor " + p.Name + " replaced 330"}, []string{p.Name + " unplugged"})
		case *harness.Connector, *harness.Battery, *harness.Ground:
			words = append(words, []string{p.Name + " apart"})
		}
	}
	var list [][]electric.Action
	for _, w := range words {
		setup, err := electric.ParseSetup(c, w)
		if err == nil { // a lead that would short the battery is refused
			list = append(list, setup)
		}
	}
	return list
}

// trialsOf is one circuit in every state: well, with single faults, and in the set-ups, as far as their kinds stand for others.
func trialsOf(t testing.TB, m *electric.Model, sum *tally, kinds soak.Kinds) []*trial {
	load := loads(t, m)
	var trials []*trial
	add := func(s *harness.State, f fault.Fault, setup []electric.Action) {
		x := aTrial(t, m, load, s, f, setup)
		if !x.point.Settled || slices.ContainsFunc(setup, func(a electric.Action) bool { return x.leadBlew(a) }) {
			sum.restless++ // it buzzes, or a lead's own fuse has blown
			return
		}
		trials = append(trials, x)
	}
	var faults []fault.Fault
	for _, f := range fault.All(m.Circuit) {
		if kinds.Stands(kindOf(m.Circuit, f.Fault)) {
			faults = append(faults, f.Fault)
		}
	}
	var around [][]electric.Action
	for _, setup := range setups(t, m.Circuit) {
		if kinds.Stands(kindOfSetup(m.Circuit, setup)) {
			around = append(around, setup)
		}
	}
	for _, s := range m.Circuit.States {
		add(s, fault.Fault{}, nil)
		for _, f := range faults {
			add(s, f, nil)
		}
		for _, setup := range around {
			add(s, fault.Fault{}, setup)
		}
	}
	return trials
}

// kindOf is what a fault is, whichever part, pin or wire has it.
func kindOf(c *harness.Circuit, f fault.Fault) string {
	kind := "wire"
	if p := c.Part(f.Part + f.Pin.Part); p != nil {
		kind = string(p.Kind())
	}
	return fmt.Sprintf("%v %s %s", f.On, kind, f.Words)
}

// kindOfSetup is what is done, to whichever part of a kind.
func kindOfSetup(c *harness.Circuit, setup []electric.Action) string {
	words := ""
	for _, a := range setup {
		kind := ""
		if p := c.Part(a.Part + a.From.Part); p != nil {
			kind = string(p.Kind())
		}
		words += fmt.Sprintf("%s %s, ", a.Verb, kind)
	}
	return words
}

// leadBlew tells whether the fuse of a lead put on by hand has blown.
func (x *trial) leadBlew(a electric.Action) bool {
	f, ok := x.point.Fuses["fused lead at "+a.From.String()]
	return ok && f.Open
}
