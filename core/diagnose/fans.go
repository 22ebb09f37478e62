package diagnose

import (
	"cmp"
	"slices"
	"strings"

	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// fans is a look at each fan.
type fans struct {
	g     *inquiry
	test  probe.Test
	which []int
}

func (a *fans) choices() int { return len(probe.SpeedWords) }

func (a *fans) same(x, y *probe.Observation) bool { return x.Fans().String() == y.Fans().String() }

func (a *fans) state() int { return a.g.guide.table.StateIndex(a.test.State) }

// fit is the chance that a look at the fans gives these words.
func (a *fans) fit(f *fit, i int, o *probe.Observation) error {
	p, err := a.g.pageFor(a.test.Setup, a.which)
	if err != nil {
		return err
	}
	cycles := a.g.cyclingChance(a.g.guide.suspects[i])
	chances := make([][][4]float32, len(a.g.guide.fans))
	for n := range a.g.guide.fans {
		chances[n] = p.of[i].Speeds(a.state(), n)
	}
	for k := range f {
		f[k] = a.g.lookChance(o.Fans(), cycles, func(n int) [4]float64 { return widened(chances[n][k]) })
	}
	return nil
}

// mistaken is how much seldomer than usual a look would be wrong in this way, on each of a suspect's cars. Slow is taken for
// fast now and then. What looks wrong, a fan that stands or one that runs where it should not, is looked at twice before it is
// said; what looks as it should is not, and one fan that stands may be taken for one that runs where another blows beside it.
func (a *fans) mistaken(i int, o *probe.Observation) (times fit) {
	times.set(1)
	p, err := a.g.pageFor(a.test.Setup, a.which)
	nobody := a.g.guide.suspects.nobody()
	if err != nil || p.of[i] == nil || p.of[nobody] == nil {
		return times
	}
	var wrong [cars]int
	for n, name := range a.g.guide.fans {
		word, looked := o.Fans()[name]
		if !looked || word == probe.Cycling {
			continue
		}
		healthy := p.of[nobody].Speeds(a.state(), n)
		asItShould := chanceOf(word, &healthy[0]) >= surelyNot
		for k, c := range p.of[i].Speeds(a.state(), n) {
			if chanceOf(word, &c) >= surelyNot {
				continue
			}
			if wrong[k]++; wrong[k] > 1 || !asItShould {
				times[k] *= gross
			}
		}
	}
	return times
}

// chanceOf is how likely a fan does what a word says, whether slow or fast.
func chanceOf(word string, c *[4]float32) float32 {
	switch word {
	case probe.SpeedWords[0]:
		return c[0]
	case probe.SpeedWords[3]:
		return c[3]
	}
	return c[1] + c[2] // it runs
}

func widened(x [4]float32) (y [4]float64) {
	for w := range x {
		y[w] = float64(x[w])
	}
	return y
}

// overloads are faults of a fan that make it take more than its breaker carries.
var overloads = []string{fault.Seized, fault.Worn, fault.ShortedTurns}

// returns tells whether the circuit has a part that opens from too much current and closes again by itself.
func (in *inquiry) returns() bool {
	return slices.ContainsFunc(in.guide.circuit.Parts, func(p *harness.Part) bool { return p.Traits().Returns })
}

// cyclingChance is how likely a fan starts and stops quickly: often where the fault comes and goes, or is too much for a breaker,
// now and then where a joint cannot carry the fan, seldom otherwise.
func (in *inquiry) cyclingChance(s *suspect) float64 {
	switch {
	case (s.Fault.IsShort() || slices.Contains(overloads, s.Fault.Words)) && in.returns():
		return oftenCycles
	case s.ComesAndGoes():
		return oftenCycles
	case s.Fault.IsJoint() && s.Fault.Words != "open":
		return resistCycles
	}
	return seldomCycles
}

// lookChance is the chance that fans whose words have these chances are described so; cycles is
// that of starting and stopping.
func (in *inquiry) lookChance(seen map[string]string, cycles float64, chances func(fan int) [4]float64) float64 {
	chance := 1.0
	for f, name := range in.guide.fans {
		word, looked := seen[name]
		if !looked {
			continue
		}
		c := chances(f)
		switch word {
		case probe.Running: // an ear cannot tell
			chance *= c[1] + c[2]
		case probe.Cycling: // what starts and stops does neither for long
			chance *= cycles
		default:
			if w := slices.Index(probe.SpeedWords, word); w >= 0 {
				chance *= c[w]
			}
		}
	}
	return chance
}

// combo is what every fan does at once: two bits a fan.
type combo [3]uint64

func (c combo) with(fan, word int) combo {
	c[fan/32] |= uint64(word) << (2 * (fan % 32)) // a word is 0 to 3
	return c
}

func (c combo) word(fan int) int { return int(c[fan/32] >> (2 * (fan % 32)) & 3) }

type likelyCombo struct {
	combo
	chance float64
}

// sure is the word that a fan shows for certain; -1 where there is none.
func sure(chances [4]float32) int {
	at := -1
	for w, p := range chances {
		switch {
		case p == 1:
			at = w
		case p > nextToNothing:
			return -1
		}
	}
	return at
}

// combosOf are the likely combinations on one car. most bounds how many fans a circuit can have.
func combosOf(f *predict.Figures, fans, state, car int, found []likelyCombo) []likelyCombo {
	found = append(found[:0], likelyCombo{chance: 1})
	for fan := range fans {
		chances := f.Speeds(state, fan)[car]
		if w := sure(chances); w >= 0 { // most fans do one thing on a car
			for k := range found {
				found[k].combo = found[k].with(fan, w)
			}
			continue
		}
		n := len(found)
		for _, c := range found[:n] {
			for w, p := range chances {
				if chance := c.chance * float64(p); chance > nextToNothing {
					found = append(found, likelyCombo{c.with(fan, w), chance})
				}
			}
		}
		found = slices.Delete(found, 0, n)
		if len(found) > likelyCombos {
			slices.SortStableFunc(found, func(x, y likelyCombo) int { return cmp.Compare(y.chance, x.chance) })
			found = found[:likelyCombos]
		}
	}
	return found
}

// classes: a class for each combination of words that has some chance.
func (a *fans) classes(b *belief, live []int) (*outcomes, error) {
	p, err := a.g.pageFor(a.test.Setup, live)
	if err != nil {
		return nil, err
	}
	state := a.state()

	var combos []combo
	o := &outcomes{chance: make([][]float64, len(a.g.guide.suspects))}
	var found []likelyCombo
	for _, i := range live {
		row := make([]float64, len(combos), len(combos)+4)
		for k := range cars {
			if b.car[i][k] < 1e-9 {
				continue
			}
			found = combosOf(p.of[i], len(a.g.guide.fans), state, k, found)
			for _, c := range found {
				n := slices.Index(combos, c.combo)
				if n < 0 {
					n = len(combos)
					combos = append(combos, c.combo)
					o.total = append(o.total, 0)
				}
				for len(row) <= n {
					row = append(row, 0)
				}
				row[n] += b.car[i][k] * c.chance
			}
		}
		o.chance[i] = row
		for n, chance := range row {
			o.total[n] += b.of[i] * chance
		}
	}
	for _, i := range live { // those met first had fewer combinations to know of
		o.chance[i] = append(o.chance[i], make([]float64, len(combos)-len(o.chance[i]))...)
	}
	for _, c := range combos {
		words := make([]string, 0, len(a.g.guide.fans))
		for f, fan := range a.g.guide.fans {
			words = append(words, fan+" "+probe.SpeedWords[c.word(f)])
		}
		o.labels = append(o.labels, strings.Join(words, ", "))
	}
	return o.keepLikely(leastOfClass), nil
}

func (a *fans) usual(i int) (string, error) {
	p, err := a.g.pageFor(a.test.Setup, []int{i})
	if err != nil {
		return "", err
	}
	var list []string
	for f, fan := range a.g.guide.fans {
		var sum [4]float64
		for _, words := range p.of[i].Speeds(a.state(), f) {
			for w, p := range words {
				sum[w] += float64(p)
			}
		}
		list = append(list, fan+" "+probe.SpeedWords[likeliest(sum[:])])
	}
	return strings.Join(list, ", "), nil
}

func (a *fans) differ(i, j int) (bool, error) {
	p, err := a.g.pageFor(a.test.Setup, []int{i, j})
	if err != nil {
		return false, err
	}
	state := a.state()
	for f := range a.g.guide.fans {
		var difference [4]float64
		a, b := p.of[i].Speeds(state, f), p.of[j].Speeds(state, f)
		for k := range cars {
			for w := range difference {
				difference[w] += float64(a[k][w]-b[k][w]) / cars
			}
		}
		for _, d := range difference {
			if d > apartShare || d < -apartShare {
				return true, nil
			}
		}
	}
	return false, nil
}
