package diagnose

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/predict"
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

func phaseOf(setup []electric.Action) phase {
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

// holds tells whether what was done in a set-up was done to the car as it is now.
func (ph phase) holds(setup []electric.Action) bool {
	return slices.Equal(phaseOf(setup).repairs, ph.repairs)
}

// since keeps the observations of the car as it is now.
func (g *inquiry) since(seen []probe.Observation) []probe.Observation {
	if g.begun() {
		return seen
	}
	var kept []probe.Observation
	for k := range seen {
		if setup, err := electric.ParseSetup(g.circuit, seen[k].Setup); err == nil && g.holds(setup) {
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
func (g *inquiry) before(fits []fit) []fit {
	healthy, best := fits[g.nobody()].mean(), 0.0
	for i := range fits {
		best = max(best, fits[i].mean())
	}
	if healthy < olderHealthy*best {
		return nil
	}
	for i, s := range g.suspects {
		if g.renewed(s) {
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
		return s.Fault.Words != "" && electric.RepairIn([]electric.Action{a}, s.Fault).Verb == ""
	})
}

// exonerated tells whether the suspect's part is one never used before.
func (g *inquiry) exonerated(s *suspect) bool {
	return g.prior(s) <= newPart*g.priors[s.at]
}

// prior is what a suspect is believed before this phase's evidence: a new part is exonerated,
// a used one keeps some of its suspicion. A fuse that the fault just mended has blown, and that has
// not been renewed since, is as likely as that the repair was the right one.
func (g *inquiry) prior(s *suspect) float64 {
	p := g.priors[s.at]
	switch {
	case g.begun():
		return p
	case s.Name == NoFault:
		return allMended
	case s.Fault.Words == "":
		return p
	}
	for _, a := range g.repairs {
		if electric.RepairIn([]electric.Action{a}, s.Fault).Verb != "" {
			continue
		}
		if a.Verb == electric.RenewedUsed {
			p *= usedPart
		} else {
			p *= newPart
		}
	}
	if s.Fault.On == fault.OnPart && s.Fault.Words == fault.Open && g.leftBlown(s.Fault.Part) {
		return max(p, allMended)
	}
	return p
}

// leftBlown tells whether a repair in this phase has mended a fault that blows this fuse, with the
// fuse not renewed since.
func (g *inquiry) leftBlown(fuse string) bool {
	n := slices.Index(g.model.Fused(), fuse)
	if n < 0 {
		return false
	}
	last := -1
	for k, a := range g.repairs {
		if a.Part == fuse {
			last = k
		}
	}
	for _, a := range g.repairs[last+1:] {
		for _, s := range g.suspects {
			if s.Fault.Words == "" || !a.Mends(s.Fault) {
				continue
			}
			begun, err := g.table.Begun(s.at)
			if err == nil && blows(begun, n) {
				return true
			}
		}
	}
	return false
}

// blows tells whether a fuse has blown on most of a suspect's cars.
func blows(b predict.Blown, fuse int) bool {
	n := 0
	for _, bits := range b {
		n += int(bits >> fuse & 1)
	}
	return n > cars/2
}

// changingNothing finds the suspects that, on the cars the evidence leaves of them, change no fan in any
// state: between them and "no fault" the guide does not ask.
func (g *inquiry) changingNothing(b *belief) error {
	live := b.live(g.Guide)
	nobody := g.nobody()
	p, err := g.pageFor(nil, append(slices.Clone(live), nobody))
	if err != nil {
		return err
	}
	healthy := g.usualWords(p.of[nobody], b.car[nobody])
	for _, i := range live {
		if i == nobody || !g.suspects[i].ComesAndGoes() && g.harmless(p.of[i], b.car[i], healthy) {
			b.same = append(b.same, i)
		}
	}
	return nil
}

// harmlessBelow is the difference in the chance of a word for any fan that is taken for none.
const harmlessBelow = 0.1

// usualWords is the chance of each word by state and fan, over the cars left of a suspect.
func (g *inquiry) usualWords(f *predict.Figures, car fit) [][4]float64 {
	chances := make([][4]float64, 0, len(g.circuit.States)*len(g.fans))
	for j := range g.circuit.States {
		for n := range g.fans {
			var of [4]float64
			for k, words := range f.Speeds(j, n) {
				if car[k] < 1e-6 {
					continue
				}
				for w, p := range words {
					of[w] += car[k] * float64(p)
				}
			}
			chances = append(chances, of)
		}
	}
	return chances
}

func (g *inquiry) harmless(f *predict.Figures, car fit, healthy [][4]float64) bool {
	for n, of := range g.usualWords(f, car) {
		for w := range of {
			if d := of[w] - healthy[n][w]; d > harmlessBelow || d < -harmlessBelow {
				return false
			}
		}
	}
	return true
}
