package diagnose

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
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
func (g *Guide) classes(t probe.Test, b *belief) (*outcomes, error) {
	live := b.live(g)
	switch {
	case t.Do == probe.LookAtFans:
		sh, err := g.sheaf(t.Setup)
		if err == nil {
			err = g.need(sh, live)
		}
		if err != nil {
			return nil, err
		}
		return g.fanClasses(sh, g.stateIndex(t.State), b, live), nil
	case probe.Words[t.Do] != nil:
		return g.wordClasses(t, b, live)
	}
	return g.figureClasses(t, b, live)
}

// live lists the suspects that count in choosing a test.
func (b *belief) live(g *Guide) []int {
	if b.counts == nil {
		for i, p := range b.of {
			if p >= negligible && !g.suspects[i].unknown {
				b.counts = append(b.counts, i)
			}
		}
	}
	return b.counts
}

// wordClasses: a class for each word.
func (g *Guide) wordClasses(t probe.Test, b *belief, live []int) (*outcomes, error) {
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

// fanClasses: a class for each combination of words that has some chance.
func (g *Guide) fanClasses(sh *sheaf, state int, b *belief, live []int) *outcomes {
	words := len(speedWords)
	combos := 1
	for range g.fans {
		combos *= words
	}
	o := &outcomes{chance: make([][]float64, len(g.suspects)), total: make([]float64, combos)}
	rows := make([]float64, combos*len(g.suspects))
	const nothing = 1e-7
	for _, i := range live {
		row := rows[i*combos : (i+1)*combos]
		chances := g.speedsOf(sh, i)
		for k := range cars {
			each := chances[(k*len(g.circuit.States)+state)*len(g.fans):][:len(g.fans)]
			for combo := range row {
				chance, rest := b.car[i][k], combo
				for f := range each {
					if chance *= each[f][rest%words]; chance < nothing {
						break
					}
					rest /= words
				}
				row[combo] += chance
			}
		}
		o.chance[i] = row
		for combo, chance := range row {
			o.total[combo] += b.of[i] * chance
		}
	}
	for combo := range combos {
		var words4 []string
		rest := combo
		for _, fan := range g.fans {
			words4 = append(words4, fan+" "+speedWords[rest%words])
			rest /= words
		}
		o.labels = append(o.labels, strings.Join(words4, ", "))
	}
	return o.keepLikely(0.002)
}

// speedsOf gives the chance of each word by car, state and fan; it does not depend on the
// evidence and is kept.
func (g *Guide) speedsOf(sh *sheaf, suspect int) [][4]float64 {
	if known := sh.speeds[suspect]; known != nil {
		return known
	}
	all := make([][4]float64, 0, cars*len(g.circuit.States)*len(g.fans))
	for k := range cars {
		for j := range g.circuit.States {
			for f := range g.fans {
				all = append(all, speedChances(g.fan(sh, suspect, j, f).at(k)))
			}
		}
	}
	sh.speeds[suspect] = all
	return all
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

// binned gives, for each of these suspects and each car, the bin its reading falls into. It
// does not depend on the evidence and is kept where it is quickly asked for again.
func (g *Guide) binned(t probe.Test, live []int) ([]uint8, error) {
	show, err := g.figures(t, live)
	if err != nil {
		return nil, err
	}
	row := &binnedRow{bins: make([]uint8, len(g.suspects)*cars), done: make([]bool, len(g.suspects))}
	if t.Do == probe.Volts {
		key := [3]int{g.stateIndex(t.State), g.pinAt[t.At], -1}
		if t.From.Part != "" {
			key[2] = g.pinAt[t.From]
		}
		sh, err := g.sheaf(t.Setup)
		if err != nil {
			return nil, err
		}
		if known := sh.binned[key]; known != nil {
			row = known
		}
		sh.binned[key] = row
	}
	fine := finenessOf(t)
	for _, i := range live {
		if row.done[i] {
			continue
		}
		row.done[i] = true
		for k := range cars {
			v := scaled(t, show(i, k))
			row.bins[i*cars+k] = uint8(max(0, min(bins-1, int(math.Round((v-fine.lowest)/fine.bin)))))
		}
	}
	return row.bins, nil
}

// figureClasses puts the edges where the suspects' predictions leave gaps, so that no likely
// reading lies near an edge.
func (g *Guide) figureClasses(t probe.Test, b *belief, live []int) (*outcomes, error) {
	binned, err := g.binned(t, live)
	if err != nil {
		return nil, err
	}
	var weight [bins]float64 // of belief
	for _, i := range live {
		car := &b.car[i]
		for k, bin := range binned[i*cars : (i+1)*cars] {
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
	rows := make([]float64, n*len(g.suspects))
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
	for _, i := range live {
		row := rows[i*n : (i+1)*n]
		car := &b.car[i]
		for k, bin := range binned[i*cars : (i+1)*cars] {
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

const (
	lowestVolts = -2.0
	bins        = 140 // up to 33 V, or a drop of 12 V
)

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
		return FormatOhms(math.Pow(10, v) - leadOhms)
	}
	return FormatVolts(v)
}

// FormatOhms spells a resistance as a meter does.
func FormatOhms(v float64) string {
	switch {
	case v > 3e7 || math.IsInf(v, 1) || math.IsNaN(v):
		return "open"
	case v >= 1e6:
		return fmt.Sprintf("%.1f MΩ", v/1e6)
	case v >= 1e3:
		return fmt.Sprintf("%.1f kΩ", v/1e3)
	case v >= 10:
		return fmt.Sprintf("%.0f Ω", v)
	}
	return fmt.Sprintf("%.1f Ω", math.Max(0, v))
}

// FormatVolts spells a figure as a meter does.
func FormatVolts(v float64) string {
	s := fmt.Sprintf("%.1f", v)
	if s == "-0.0" {
		s = "0.0"
	}
	return s + " V"
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

// healthy words what a test shows on a car with nothing wrong, as drawn.
func (g *Guide) healthy(t probe.Test) string {
	switch t.Do {
	case probe.Codes:
		return "no codes"
	case probe.Turned, probe.Looked, probe.Wiggled:
		return probe.Words[t.Do][0]
	case probe.Lamp, probe.LED, probe.Ohms, probe.Amps:
		return g.healthyInstrument(t)
	}
	n, err := g.model.Network(t.Setup, nil)
	if err != nil {
		return ""
	}
	n.Enter(t.State)
	p := n.Point(t.State)
	switch t.Do {
	case probe.LookAtFans:
		return g.wordFans(p.Motors)
	case probe.Relay:
		if p.Relays[t.Part] == "pulled in" {
			return "click"
		}
		return "nothing"
	}
	v := p.Pins[t.At.String()]
	if t.From.Part != "" && v != nil {
		from := p.Pins[t.From.String()]
		if from == nil {
			return "nothing (floating)"
		}
		d := *v - *from
		v = &d
	}
	if v == nil {
		return "nothing (floating)"
	}
	return FormatVolts(*v)
}

func (g *Guide) healthyInstrument(t probe.Test) string {
	x, err := g.instrument(t, t.Setup, nil)
	if err != nil {
		return ""
	}
	v := x.Shows(t.State)
	switch t.Do {
	case probe.Lamp:
		return g.model.LampWord(v)
	case probe.LED:
		return electric.LEDWord(v)
	case probe.Amps:
		return fmt.Sprintf("%.1f A", v)
	}
	return FormatOhms(v)
}
