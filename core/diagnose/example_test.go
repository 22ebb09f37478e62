package diagnose_test

import (
	"context"
	"fmt"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/library/librarytest"
)

// From what was seen to what is left, and what to try next.
func ExampleGuide_Assess() {
	c, err := harness.Read([]byte(librarytest.Returning))
	if err != nil {
		fmt.Println(err)
		return
	}
	m, err := electric.New(c)
	if err != nil {
		fmt.Println(err)
		return
	}
	g, err := diagnose.New(m)
	if err != nil {
		fmt.Println(err)
		return
	}
	seen := []probe.Observation{
		probe.Seen("run", probe.Fans{"M1": "stopped"}),
		probe.Read("run", probe.InVolts.Shows(12.4), "Q1.in"),
		probe.Read("run", probe.InVolts.Shows(0.1), "M1.+"),
		probe.Read("run", probe.InVolts.Shows(12.5), "Q1.c+", "Q1.c-"),
		probe.Read("run", probe.InVolts.Shows(0.1), "Q1.out"),
	}
	a, err := g.Assess(context.Background(), seen, diagnose.Now{})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(a.Suspects[0].Fault)
	// Output: Q1 dead
}

// What a car with nothing wrong shows in a test.
func ExampleGuide_Healthy() {
	c, err := harness.Read([]byte(librarytest.Returning))
	if err != nil {
		fmt.Println(err)
		return
	}
	m, err := electric.New(c)
	if err != nil {
		fmt.Println(err)
		return
	}
	g, err := diagnose.New(m)
	if err != nil {
		fmt.Println(err)
		return
	}
	t, err := probe.Question{Do: probe.Volts, State: "run", At: "M1.+"}.Test(c)
	if err != nil {
		fmt.Println(err)
		return
	}
	good := g.Healthy(t)
	fmt.Println(good.String())
	// Output: 11.9 V
}
