package harness_test

import (
	"fmt"

	"ironthread/core/harness"
	"ironthread/library/librarytest"
)

// A circuit is read from its file, and answers what is drawn.
func ExampleRead() {
	c, err := harness.Read([]byte(librarytest.OneFan))
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, fan := range c.Fans() {
		fmt.Println(fan.Name, "is a", fan.Kind())
	}
	fmt.Println(c.Wire(harness.ParsePin("K1.87"), harness.ParsePin("M1.+")).Description())
	// Output:
	// M1 is a motor
	// BK 4mm2
}

// A file that is still being typed is read as far as it goes, and what is wrong is said with its line.
func ExampleSketch() {
	c, wrong := harness.Sketch([]byte("harness: 1\nparts:\n  BAT: {kind: battery}\n  F1: {kind: fuze, amps: 30}\n"))
	fmt.Println(len(c.Parts), "part")
	fmt.Println(wrong[0].Line, wrong[0].Where)
	// Output:
	// 1 part
	// 4 F1
}

// What a kind of part is to whoever works at it stands with the kind.
func ExampleKind_Traits() {
	t := harness.KindFuse.Traits()
	fmt.Println(t.Off, t.Looks[0], t.Ends)
	// Output: out clean [a b]
}
