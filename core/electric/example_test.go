package electric_test

import (
	"fmt"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/library/librarytest"
)

// drawn is the model of a file that is known to be sound.
func drawn(file string) *electric.Model {
	c, err := harness.Read([]byte(file))
	if err != nil {
		panic(err)
	}
	m, err := electric.New(c)
	if err != nil {
		panic(err)
	}
	return m
}

// A circuit is solved in a state, with what has been done to the car and what is wrong with it.
func ExampleModel_Solve() {
	m := drawn(librarytest.Returning)
	c := m.Circuit
	open, err := fault.Parse(c, "wire Q1.out - M1.+ open")
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, faults := range [][]fault.Fault{nil, {open}} {
		p, err := m.Solve(electric.Condition{State: c.State("run"), Faults: faults})
		if err != nil {
			fmt.Println(err)
			return
		}
		fmt.Printf("%d faults: M1 %s, %.1f V behind the relay\n", len(faults), p.Motors["M1"].Speed, *p.Pins["Q1.out"])
	}
	// Output:
	// 0 faults: M1 fast, 12.0 V behind the relay
	// 1 faults: M1 stopped, 12.6 V behind the relay
}

// An instrument is laid on two pins; what it loads the circuit with is part of what it shows.
func ExampleModel_Instrument() {
	m := drawn(librarytest.Returning)
	c := m.Circuit
	setup, err := electric.ParseSetup(c, []string{"M1 unplugged"})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, with := range []electric.Instrument{electric.Voltmeter, electric.Lamp} {
		x, err := m.Instrument(setup, nil, with, harness.ParsePin("M1.+"), harness.Pin{})
		if err != nil {
			fmt.Println(err)
			return
		}
		fmt.Printf("%s: %.1f V\n", with, x.Shows(c.State("off"))) // what leaks through the relay is enough for a meter
	}
	// Output:
	// volts: 12.6 V
	// lamp: 0.0 V
}
