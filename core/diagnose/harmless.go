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
func (in *inquiry) changingNothing(b *belief, e *evidence) error {
	live := b.live(in.guide.suspects)
	nobody := in.guide.suspects.nobody()
	pages, err := in.asSeen(e, append(slices.Clone(live), nobody))
	if err != nil {
		return err
	}
	healthy := in.usualWords(pages, nobody, b.car[nobody])
	for _, i := range live {
		if i == nobody || b.cured[i] >= surelyCured || !in.guide.suspects[i].ComesAndGoes() && in.harmless(pages, i, b.car[i], healthy) {
			b.same = append(b.same, i)
		}
	}
	return nil
}

// asSeen is, for each state, what is foretold with everything fitted and the vehicle standing as it did when the fans were
// last looked at in it.
func (in *inquiry) asSeen(e *evidence, which []int) ([]*foretold, error) {
	standing := make([][]electric.Action, len(in.guide.circuit.States))
	for _, q := range e.questions {
		if q.test.Do == probe.LookAtFans && q.counts() && plain(q.test.Setup) {
			standing[in.guide.table.StateIndex(q.test.State)], _ = electric.Standing(q.test.Setup)
		}
	}
	pages := make([]*foretold, len(standing))
	for j, setup := range standing {
		var err error
		if pages[j], err = in.pageFor(setup, which); err != nil {
			return nil, err
		}
	}
	return pages, nil
}

// usualWords is the chance of each word by state and fan, over the cars left of a suspect.
func (in *inquiry) usualWords(pages []*foretold, i int, car fit) [][4]float64 {
	chances := make([][4]float64, 0, len(pages)*len(in.guide.fans))
	for j, p := range pages {
		for n := range in.guide.fans {
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

func (in *inquiry) harmless(pages []*foretold, i int, car fit, healthy [][4]float64) bool {
	for n, of := range in.usualWords(pages, i, car) {
		for w := range of {
			if d := of[w] - healthy[n][w]; d > harmlessBelow || d < -harmlessBelow {
				return false
			}
		}
	}
	return true
}
