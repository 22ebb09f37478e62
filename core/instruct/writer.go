package instruct

import (
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// Card is a test in words.
type Card struct {
	Title    string
	Steps    []string
	Cautions []string
}

// Now is how the car stands, and what is at hand.
type Now struct {
	State *harness.State // the command given last; nil: none
	Setup []electric.Action
	Kit   probe.Kit
}

// writer is a card being written.
type writer struct {
	circuit *harness.Circuit
	test    probe.Test
	now     Now
	asked   string // the state in words, as titles say it
	card    Card
}

func (w *writer) step(words ...string)    { w.card.Steps = append(w.card.Steps, words...) }
func (w *writer) caution(words ...string) { w.card.Cautions = append(w.card.Cautions, words...) }

// Cautions about what is done to the car for a test; those of a kind of question stand with the kind.
const (
	fusedOnly  = "Only a fused lead, its fuse no larger than the circuit's own."
	packSags   = "A small pack sags at the start: a fan that hesitates on it is not condemned by it."
	intervenes = "A swap is an intervention: reseating may itself have mended a bad contact."
)
