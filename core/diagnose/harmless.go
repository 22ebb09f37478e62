package diagnose

import (
	"slices"

	"ironthread/core/predict"
)

// changingNothing finds the suspects that, on the cars the evidence leaves of them, change no fan in any
// state, or have been mended by an intervention: between them and "no fault" the guide does not ask.
func (g *inquiry) changingNothing(b *belief) error {
	live := b.live(g.suspects)
	nobody := g.suspects.nobody()
	p, err := g.pageFor(nil, append(slices.Clone(live), nobody))
	if err != nil {
		return err
	}
	healthy := g.usualWords(p.of[nobody], b.car[nobody])
	for _, i := range live {
		if i == nobody || b.cured[i] >= surelyCured || !g.suspects[i].ComesAndGoes() && g.harmless(p.of[i], b.car[i], healthy) {
			b.same = append(b.same, i)
		}
	}
	return nil
}

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
