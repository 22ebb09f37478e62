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

// guiding is the guide of a file that is known to be sound.
func guiding(file string) *diagnose.Guide {
	c, err := harness.Read([]byte(file))
	if err != nil {
		panic(err)
	}
	m, err := electric.New(c)
	if err != nil {
		panic(err)
	}
	g, err := diagnose.New(m)
	if err != nil {
		panic(err)
	}
	return g
}

// From what was seen to what is left, and what to try next.
func ExampleGuide_Assess() {
	g := guiding(librarytest.Returning)
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
	g := guiding(librarytest.Returning)
	t, err := probe.Question{Do: probe.Volts, State: "run", At: "M1.+"}.Test(g.Circuit())
	if err != nil {
		fmt.Println(err)
		return
	}
	good := g.Healthy(t)
	fmt.Println(good.String())
	// Output: 11.9 V
}
