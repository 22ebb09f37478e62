package librarytest

import (
	"fmt"
	"strings"
)

// ManyFans writes a circuit of so many fans, each with a fuse and a relay of its own, all on one command.
func ManyFans(n int) string {
	var b strings.Builder
	b.WriteString("harness: 1\ntitle: Many fans\nparts:\n  BAT: {kind: battery}\n  G1: {kind: ground}\n")
	b.WriteString("  ECU: {kind: controller, pins: {\"1\": {sinks-on: run}, \"2\": {ground: true}}}\n")
	for i := 1; i <= n; i++ {
		fmt.Fprintf(&b, "  F%d: {kind: fuse, amps: 20}\n  K%d: {kind: relay, contacts: make}\n", i, i)
		fmt.Fprintf(&b, "  M%d: {kind: motor, volts: 12.6, amps: 8}\n", i)
	}
	b.WriteString("wires:\n  ECU.2 - G1:\n")
	for i := 1; i <= n; i++ {
		fmt.Fprintf(&b, "  BAT.+ - F%d.a:\n  F%d.b - K%d.30:\n  F%d.b - K%d.86:\n", i, i, i, i, i)
		fmt.Fprintf(&b, "  K%d.85 - ECU.1:\n  K%d.87 - M%d.+:\n  M%d.- - G1:\n", i, i, i, i)
	}
	b.WriteString("states: {off: {commands: []}, run: {commands: [run]}}\n")
	return b.String()
}
