package diagnose

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// outcomes is how a test's possible answers fall into classes: a label for each class and,
// for each suspect, the chance of each class.
type outcomes struct {
	labels []string
	chance [][]float64 // suspect × class; nil for a suspect left out
	total  []float64   // chance of each class under the present belief
}

// Bins for finding the classes of a voltage; their width is the meter's.
const (
	gapBins    = 3     // an edge lies in a gap of at least this many nearly empty bins
	emptyShare = 0.002 // a bin with less of the belief than this is nearly empty
	maxClasses = 6
)

// classes works out a test's outcomes for the suspects with some belief left.
func (g *inquiry) classes(t probe.Test, b *belief) (*outcomes, error) {
	live := b.live(g.Guide)
	switch {
	case t.Do == probe.LookAtFans:
		p, err := g.pageFor(t.Setup, live)
		if err != nil {
			return nil, err
		}
		return g.fanClasses(p, g.stateIndex(t.State), b, live), nil
	case probe.Words[t.Do] != nil:
		return g.wordClasses(t, b, live)
	}
	return g.figureClasses(t, b, live)
}

// live lists the suspects that count in choosing a test.
func (b *belief) live(g *Guide) []int {
	if b.counts == nil {
		for i, p := range b.of {
			if p >= negligible && !g.suspects[i].Unknown {
				b.counts = append(b.counts, i)
			}
		}
	}
	return b.counts
}

// wordClasses: a class for each word.
func (g *inquiry) wordClasses(t probe.Test, b *belief, live []int) (*outcomes, error) {
	chances, err := g.words(t, live)
	if err != nil {
		return nil, err
	}
	words := probe.Words[t.Do]
	o := &outcomes{labels: words, chance: make([][]float64, len(g.suspects)), total: make([]float64, len(words))}
	one := make([]float64, len(words))
	for _, i := range live {
		row := make([]float64, len(words))
		for k := range cars {
			chances(i, k, one)
			for w, p := range one {
				row[w] += b.car[i][k] * p
			}
		}
		o.chance[i] = row
		for w, p := range row {
			o.total[w] += b.of[i] * p
		}
	}
	o.soften()
	return o, nil
}

// negligible is the belief below which a suspect does not count in choosing a test.
const negligible = 1e-4

// Words of many fans at once are found fan by fan, and of all combinations only the likely ones are
// followed: with twelve fans there are sixteen million.
const (
	likelyCombos  = 48   // followed for a car
	nextToNothing = 2e-5 // of a combination on a car
	leastOfClass  = 0.002
)

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

// combosOf are the likely combinations on one car. most bounds how many fans a circuit can have.
func (g *inquiry) combosOf(f *predict.Figures, state, car int, found []likelyCombo) []likelyCombo {
	found = append(found[:0], likelyCombo{chance: 1})
	for fan := range g.fans {
		chances := f.Speeds(state, fan)[car]
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

// fanClasses: a class for each combination of words that has some chance.
func (g *inquiry) fanClasses(p *foretold, state int, b *belief, live []int) *outcomes {
	var combos []combo
	o := &outcomes{chance: make([][]float64, len(g.suspects))}
	var found []likelyCombo
	for _, i := range live {
		row := make([]float64, len(combos), len(combos)+4)
		for k := range cars {
			if b.car[i][k] < 1e-9 {
				continue
			}
			found = g.combosOf(p.of[i], state, k, found)
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
		words := make([]string, 0, len(g.fans))
		for f, fan := range g.fans {
			words = append(words, fan+" "+probe.SpeedWords[c.word(f)])
		}
		o.labels = append(o.labels, strings.Join(words, ", "))
	}
	return o.keepLikely(leastOfClass)
}

// keepLikely drops classes whose chance is below least.
func (o *outcomes) keepLikely(least float64) *outcomes {
	var keep []int
	for k, p := range o.total {
		if p >= least {
			keep = append(keep, k)
		}
	}
	kept := &outcomes{chance: make([][]float64, len(o.chance)), total: make([]float64, len(keep))}
	for j, k := range keep {
		kept.labels = append(kept.labels, o.labels[k])
		kept.total[j] = o.total[k]
	}
	for i, row := range o.chance {
		if row == nil {
			continue
		}
		kept.chance[i] = make([]float64, len(keep))
		sum := 0.0
		for j, k := range keep {
			kept.chance[i][j] = row[k]
			sum += row[k]
		}
		for j := range keep {
			if sum > 0 {
				kept.chance[i][j] /= sum
			} else {
				kept.chance[i][j] = 1 / float64(len(keep))
			}
		}
	}
	kept.soften()
	return kept
}

// soften spreads the misread chance over the classes.
func (o *outcomes) soften() {
	for _, row := range o.chance {
		for j := range row {
			row[j] = (1-misread)*row[j] + misread/float64(len(row))
		}
	}
}

// binned gives, for a suspect, the bin each of its cars' readings falls into.
func (g *inquiry) binned(t probe.Test, live []int) (func(i int) []uint8, error) {
	if t.Do == probe.Volts && t.From.Part == "" {
		p, err := g.pageFor(t.Setup, live)
		state, pin := g.stateIndex(t.State), g.pinAt[t.At]
		return func(i int) []uint8 { return p.of[i].Bins(state, pin) }, err
	}
	fine := finenessOf(t)
	in := predict.Bins{Lowest: fine.lowest, Width: fine.bin}
	row := make([]uint8, cars)
	if t.Do == probe.Volts {
		if drop, err := g.dropBins(t, live, in, row); drop != nil || err != nil {
			return drop, err
		}
	}
	show, err := g.figures(t, live)
	return func(i int) []uint8 {
		for k := range row {
			row[k] = in.Bin(scaled(t, show(i, k)))
		}
		return row
	}, err
}

// dropBins are the bins of a drop between two pins; nil where a pin hangs on a diode on some suspect.
func (g *inquiry) dropBins(t probe.Test, live []int, in predict.Bins, row []uint8) (func(i int) []uint8, error) {
	p, err := g.pageFor(t.Setup, live)
	if err != nil {
		return nil, err
	}
	state, red, black := g.stateIndex(t.State), g.pinAt[t.At], g.pinAt[t.From]
	for _, i := range live {
		if f := p.of[i]; f.Soft(state, red) || f.Soft(state, black) {
			return nil, nil
		}
	}
	nothing := in.Bin(0)
	return func(i int) []uint8 {
		a, b := p.of[i].Volts(state, red), p.of[i].Volts(state, black)
		for k := range row {
			row[k] = nothing
			if d := float64(a[k] - b[k]); d == d { // where either floats, the display shows nothing
				row[k] = in.Bin(max(-probe.MaxVolts, min(probe.MaxVolts, d)))
			}
		}
		return row
	}, nil
}

// figureClasses puts the edges where the suspects' predictions leave gaps, so that no likely
// reading lies near an edge.
func (g *inquiry) figureClasses(t probe.Test, b *belief, live []int) (*outcomes, error) {
	binned, err := g.binned(t, live)
	if err != nil {
		return nil, err
	}
	var weight [bins]float64 // of belief
	in := make([]uint8, len(live)*cars)
	for n, i := range live {
		car := &b.car[i]
		copy(in[n*cars:], binned(i))
		for k, bin := range in[n*cars : (n+1)*cars] {
			weight[bin] += b.of[i] * car[k]
		}
	}
	edges := gaps(weight[:])
	var class [bins]uint8
	for bin, k := 0, 0; bin < bins; bin++ {
		for k < len(edges) && bin > edges[k] {
			k++
		}
		class[bin] = uint8(k)
	}
	n := len(edges) + 1
	o := &outcomes{chance: make([][]float64, len(g.suspects)), total: make([]float64, n)}
	rows := make([]float64, n*len(live))
	fine := finenessOf(t)
	figure := func(bin float64) float64 { return fine.lowest + bin*fine.bin }
	middle := make([]float64, n)
	for bin, w := range weight {
		o.total[class[bin]] += w
		middle[class[bin]] += w * figure(float64(bin))
	}
	for k := range middle {
		middle[k] /= math.Max(o.total[k], 1e-12)
	}
	for m, i := range live {
		row := rows[m*n : (m+1)*n]
		car := &b.car[i]
		for k, bin := range in[m*cars : (m+1)*cars] {
			row[class[bin]] += car[k]
		}
		o.chance[i] = row
	}
	at := make([]float64, len(edges))
	for k, e := range edges {
		at[k] = figure(float64(e) + 0.5)
	}
	o.labels = figureLabels(t, at, middle)
	o.soften()
	return o, nil
}

// bins is the number of bins of every range: up to 33 V, or a drop of 12 V.
const bins = predict.Number

// gaps finds where the histogram is nearly empty for long enough, the widest first, and
// gives the bins after which a new class begins, ascending.
func gaps(weight []float64) []int {
	type gap struct{ after, width int }
	var found []gap
	last := -1
	for b, w := range weight {
		if w < emptyShare {
			continue
		}
		if last >= 0 && b-last > gapBins {
			found = append(found, gap{(last + b) / 2, b - last})
		}
		last = b
	}
	slices.SortStableFunc(found, func(a, b gap) int { return b.width - a.width })
	var edges []int
	for _, f := range found[:min(len(found), maxClasses-1)] {
		edges = append(edges, f.after)
	}
	slices.Sort(edges)
	return edges
}

// figureLabels words the classes: "under 3.1 V", "about 6.2 V", "over 9.4 V".
func figureLabels(t probe.Test, edges, middle []float64) []string {
	if len(edges) == 0 {
		return []string{"about " + spell(t, middle[0])}
	}
	labels := []string{"under " + spell(t, edges[0])}
	for k := 1; k < len(edges); k++ {
		low, high := spell(t, edges[k-1]), spell(t, edges[k])
		if n := len(strings.Fields(low)); n == 2 && strings.Fields(low)[1] == strings.Fields(high + " ?")[1] {
			low = strings.Fields(low)[0] // the unit once
		}
		labels = append(labels, low+" to "+high)
	}
	return append(labels, "over "+spell(t, edges[len(edges)-1]))
}

// spell words a figure on a test's own scale.
func spell(t probe.Test, v float64) string {
	switch t.Do {
	case probe.Amps:
		return fmt.Sprintf("%.1f A", v)
	case probe.Ohms:
		return probe.FormatOhms(math.Pow(10, v) - leadOhms)
	}
	return probe.FormatVolts(v)
}

// bits is the expected information of a test in bits; nothing is gained by telling those in
// same from each other.
func (o *outcomes) bits(belief []float64, same []int) float64 {
	var sum, inner float64
	total := make([]float64, len(o.total))
	one := make([]float64, len(o.total)) // those taken as one
	oneSum := 0.0
	for i, row := range o.chance {
		if row == nil {
			continue
		}
		sum += belief[i]
		alike := slices.Contains(same, i)
		if alike {
			oneSum += belief[i]
		}
		for k, p := range row {
			total[k] += belief[i] * p
			switch {
			case alike:
				one[k] += belief[i] * p
			case p > 0:
				inner -= belief[i] * p * math.Log2(p)
			}
		}
	}
	if sum == 0 {
		return 0
	}
	for _, p := range one {
		if p > 0 {
			inner -= p * math.Log2(p/oneSum)
		}
	}
	outer := 0.0
	for _, p := range total {
		if p > 0 {
			outer -= p / sum * math.Log2(p/sum)
		}
	}
	return math.Max(0, outer-inner/sum)
}

// healthy is what a test shows on a car with nothing wrong, as drawn.
func (g *Guide) healthy(t probe.Test) probe.Good {
	switch t.Do {
	case probe.Codes, probe.Turned, probe.Looked, probe.Wiggled:
		return probe.Good{Word: probe.Words[t.Do][0]}
	case probe.Volts, probe.Lamp, probe.LED, probe.Ohms, probe.Amps:
		return g.healthyInstrument(t)
	}
	n, err := g.model.Network(t.Setup, nil)
	if err != nil {
		return probe.Good{}
	}
	n.Enter(t.State)
	p := n.Point(t.State)
	if t.Do == probe.LookAtFans {
		good := probe.Good{Fans: map[string]string{}}
		for _, fan := range g.fans {
			good.Fans[fan] = string(p.Motors[fan].Speed)
		}
		return good
	}
	word := probe.Words[probe.Relay][1]
	if p.Relays[t.Part] == "pulled in" {
		word = probe.Words[probe.Relay][0]
	}
	return probe.Good{Word: word}
}

func (g *Guide) healthyInstrument(t probe.Test) probe.Good {
	x, err := g.instrument(t, t.Setup, nil)
	if err != nil {
		return probe.Good{}
	}
	v := x.Shows(t.State)
	switch t.Do {
	case probe.Volts:
		if x.Floats() {
			return probe.Good{Floats: true}
		}
		return probe.Good{Volts: rounded(v)}
	case probe.Lamp:
		return probe.Good{Word: g.model.LampWord(v)}
	case probe.LED:
		return probe.Good{Word: electric.LEDWord(v)}
	case probe.Amps:
		return probe.Good{Amps: rounded(v)}
	}
	if math.IsInf(v, 1) || math.IsNaN(v) {
		return probe.Good{Ohms: &probe.Reading{Open: true}}
	}
	return probe.Good{Ohms: rounded(v)}
}

// rounded keeps a figure to a hundredth, as finely as a log needs it.
func rounded(v float64) *probe.Reading { return &probe.Reading{Figure: math.Round(100*v) / 100} }
