package diagnose

import (
	"slices"

	"ironthread/core/electric"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// changingNothing finds the suspects that, on the cars the evidence leaves of them, change no fan in any
// state, or have been mended by an intervention: between them and "no fault" the guide does not ask. What the engine did when
// the fans were last seen in a state counts there: a joint that lets a relay go on a resting battery only is not asked for on a
// car that is driven.
func (g *inquiry) changingNothing(b *belief, e *evidence) error {
	live := b.live(g.suspects)
	nobody := g.suspects.nobody()
	pages, err := g.asSeen(e, append(slices.Clone(live), nobody))
	if err != nil {
		return err
	}
	healthy := g.usualWords(pages, nobody, b.car[nobody])
	for _, i := range live {
		if i == nobody || b.cured[i] >= surelyCured || !g.suspects[i].ComesAndGoes() && g.harmless(pages, i, b.car[i], healthy) {
			b.same = append(b.same, i)
		}
	}
	return nil
}

// asSeen is, for each state, what is foretold with everything fitted and the vehicle standing as it did when the fans were
// last looked at in it.
func (g *inquiry) asSeen(e *evidence, which []int) ([]*foretold, error) {
	standing := make([][]electric.Action, len(g.circuit.States))
	for _, q := range e.questions {
		if q.test.Do == probe.LookAtFans && q.counts() && plain(q.test.Setup) {
			standing[g.table.StateIndex(q.test.State)], _ = electric.Standing(q.test.Setup)
		}
	}
	pages := make([]*foretold, len(standing))
	for j, setup := range standing {
		var err error
		if pages[j], err = g.pageFor(setup, which); err != nil {
			return nil, err
		}
	}
	return pages, nil
}

// usualWords is the chance of each word by state and fan, over the cars left of a suspect.
func (g *inquiry) usualWords(pages []*foretold, i int, car fit) [][4]float64 {
	chances := make([][4]float64, 0, len(pages)*len(g.fans))
	for j, p := range pages {
		for n := range g.fans {
			chances = append(chances, usualWord(p.of[i], j, n, car))
		}
	}
	return chances
}

func usualWord(f *predict.Figures, state, fan int, car fit) (of [4]float64) {
	for k, words := range f.Speeds(state, fan) {
		if car[k] < 1e-6 {
			continue
		}
		for w, p := range words {
			of[w] += car[k] * float64(p)
		}
	}
	return of
}

func (g *inquiry) harmless(pages []*foretold, i int, car fit, healthy [][4]float64) bool {
	for n, of := range g.usualWords(pages, i, car) {
		for w := range of {
			if d := of[w] - healthy[n][w]; d > harmlessBelow || d < -harmlessBelow {
				return false
			}
		}
	}
	return true
}
