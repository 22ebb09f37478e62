package diagnose

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/probe"
)

// phase is a car between two repairs: what has been renewed on it so far. Each repair makes
// another car of it: what was read before holds for the old one only.
type phase struct {
	repairs []electric.Action
}

// How likely a renewed part is at fault again, as a share of its prior (common practice), and
// how likely a repair has mended all there was.
const (
	newPart   = 0.02
	usedPart  = 0.5
	allMended = 0.5
)

func (g *Guide) phase(setup []electric.Action) phase {
	var ph phase
	for _, a := range setup {
		if a.Verb == electric.Renewed || a.Verb == electric.RenewedUsed {
			ph.repairs = append(ph.repairs, a)
		}
	}
	return ph
}

// begun tells whether nothing has been renewed yet.
func (ph phase) begun() bool { return len(ph.repairs) == 0 }

func (ph phase) words() []string {
	var words []string
	for _, a := range ph.repairs {
		words = append(words, a.String())
	}
	return words
}

// holds tells whether an observation is of the car as it is now.
func (ph phase) holds(g *Guide, o *probe.Observation) bool {
	setup, err := electric.ParseSetup(g.circuit, o.Setup)
	return err == nil && slices.Equal(g.phase(setup).repairs, ph.repairs)
}

// since keeps the observations of the car as it is now.
func (ph phase) since(g *Guide, seen []probe.Observation) []probe.Observation {
	if ph.begun() {
		return seen
	}
	var kept []probe.Observation
	for k := range seen {
		if ph.holds(g, &seen[k]) {
			kept = append(kept, seen[k])
		}
	}
	return kept
}

// How far an observation from before a repair still speaks against a suspect, and how well it
// must have fitted a car with nothing wrong.
const (
	olderFloor   = 0.15
	olderHealthy = 0.5
)

// before makes of an observation from before the last repair what it still says. What ran then
// runs without the suspect's fault, whatever else was wrong, but for faults that hide each
// other; what failed may have been the part renewed and says nothing (nil).
func (g *Guide) before(fits []fit, ph phase) []fit {
	healthy, best := fits[g.nobody()].mean(), 0.0
	for i := range fits {
		best = max(best, fits[i].mean())
	}
	if healthy < olderHealthy*best {
		return nil
	}
	for i, s := range g.suspects {
		if ph.renewed(s) {
			fits[i].set(healthy) // the part was another one
			continue
		}
		for k := range fits[i] {
			fits[i][k] = max(fits[i][k], olderFloor*healthy)
		}
	}
	return fits
}

// renewed tells whether the suspect's part is a new one.
func (ph phase) renewed(s *suspect) bool {
	return slices.ContainsFunc(ph.repairs, func(a electric.Action) bool {
		return s.fault.Words != "" && electric.RepairIn([]electric.Action{a}, s.fault).Verb == ""
	})
}

// exonerated tells whether the suspect's part is one never used before.
func (ph phase) exonerated(s *suspect) bool {
	return ph.prior(s) <= newPart*s.prior
}

// prior is what a suspect is believed before this phase's evidence: a new part is exonerated,
// a used one keeps some of its suspicion.
func (ph phase) prior(s *suspect) float64 {
	switch {
	case ph.begun():
		return s.prior
	case s.name == NoFault:
		return allMended
	case s.fault.Words == "":
		return s.prior
	}
	p := s.prior
	for _, a := range ph.repairs {
		if electric.RepairIn([]electric.Action{a}, s.fault).Verb != "" {
			continue
		}
		if a.Verb == electric.RenewedUsed {
			p *= usedPart
		} else {
			p *= newPart
		}
	}
	return p
}

// changingNothing finds the suspects that, on the cars the evidence leaves of them, change no fan in any
// state: between them and "no fault" the guide does not ask.
func (g *Guide) changingNothing(b *belief) error {
	sh, err := g.sheaf(nil)
	if err != nil {
		return err
	}
	live := b.live(g)
	nobody := g.nobody()
	if err := g.need(sh, append(slices.Clone(live), nobody)); err != nil {
		return err
	}
	healthy := g.usualWords(sh, nobody, b)
	for _, i := range live {
		if i == nobody || !g.suspects[i].comesAndGoes() && g.harmless(sh, i, b, healthy) {
			b.same = append(b.same, i)
		}
	}
	return nil
}

// harmlessBelow is the difference in the chance of a word for any fan that is taken for none.
const harmlessBelow = 0.1

// usualWords is the chance of each word by state and fan, over the cars left of a suspect.
func (g *Guide) usualWords(sh *sheaf, i int, b *belief) [][4]float64 {
	all := g.speedsOf(sh, i)
	chances := make([][4]float64, 0, len(g.circuit.States)*len(g.fans))
	for j := range g.circuit.States {
		for f := range g.fans {
			var of [4]float64
			for k := range cars {
				if b.car[i][k] < 1e-6 {
					continue
				}
				for w, p := range all[(k*len(g.circuit.States)+j)*len(g.fans)+f] {
					of[w] += b.car[i][k] * p
				}
			}
			chances = append(chances, of)
		}
	}
	return chances
}

func (g *Guide) harmless(sh *sheaf, i int, b *belief, healthy [][4]float64) bool {
	for n, of := range g.usualWords(sh, i, b) {
		for w := range of {
			if d := of[w] - healthy[n][w]; d > harmlessBelow || d < -harmlessBelow {
				return false
			}
		}
	}
	return true
}
