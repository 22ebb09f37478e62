package rewire_test

import (
	"context"
	"fmt"

	"ironthread/core/rewire"
)

const oneSpeed = `plan: 1
title: Verge mower, one speed
fans:
  - {name: near, amps: 14}
speeds: [on]
requesters:
  - {name: thermal switch, gives: ground, asks: on}
`

// From a wish to the ways that can do it, the recommended one first.
func ExamplePropose() {
	w, err := rewire.Read([]byte(oneSpeed))
	if err != nil {
		fmt.Println(err)
		return
	}
	plan, err := rewire.Propose(context.Background(), w, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, p := range plan.Proposals {
		fmt.Println(p.Family)
	}
	// Output: single-speed
}

// What cannot be is said in a sentence, before anything is worked out.
func ExampleRead() {
	_, err := rewire.Read([]byte("plan: 1\ntitle: x\nfans:\n  - {name: near, amps: 900}\n"))
	fmt.Println(err != nil)
	// Output: true
}
