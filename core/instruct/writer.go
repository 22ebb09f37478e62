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

// Cautions, said where they apply.
const (
	fansStart   = "Fans start without warning, key off too: hands and clothes clear."
	leadsClear  = "Fans start without warning: keep hands and leads clear of the blades."
	moduleMeter = "Module pin: a high-impedance meter only, no lamp."
	backProbe   = "Back-probe from the wire side with the relay in; do not spread the terminal."
	fusedOnly   = "Only a fused lead, its fuse no larger than the circuit's own."
	packSags    = "A small pack sags at the start: a fan that hesitates on it is not condemned by it."
	powerOff    = "Power off: an ohmmeter on a live circuit reads nonsense and may be spoilt."
	diodeCoil   = "The coil has a diode: observe the polarity, the wrong way round is a dead short."
	lampDraws   = "A filament lamp draws current: never on a module pin that is not known to stand it."
	intervenes  = "A swap is an intervention: reseating may itself have mended a bad contact."
	notContact  = "A click proves the coil, not the contact."
	hotSystem   = "Hot coolant and pressure: never open a hot system."
	mirrored    = "Seen from below the numbers are mirrored: go by the print on the part."
)
