package harness_test

import (
	"fmt"

	"ironthread/core/harness"
)

const oneFan = `harness: 1
title: one fan
parts:
  BAT: {kind: battery}
  F1: {kind: fuse, amps: 30}
  K1: {kind: relay, contacts: make}
  SW: {kind: switch, closed-when: key}
  M1: {kind: motor, volts: 12.6, amps: 16}
wires:
  BAT.+ - F1.a: RD 6mm2
  F1.b - K1.30: RD 4mm2
  K1.87 - M1.+: BK 4mm2
  M1.- - BAT.-: BN 4mm2
  BAT.+ - SW.a: RD
  SW.b - K1.86: GN
  K1.85 - BAT.-: BN
states:
  off: {key: off}
  run: {key: on}
`

// A circuit is read from its file, and answers what is drawn.
func ExampleRead() {
	c, err := harness.Read([]byte(oneFan))
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
