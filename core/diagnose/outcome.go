package diagnose

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/harness"
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
	sh, err := g.sheaf(t.Setup)
	if err != nil {
		return nil, err
	}
	state := g.stateIndex(t.State)
	if t.Do == probe.LookAtFans {
		return g.fanClasses(sh, state, b), nil
	}
	return g.voltClasses(sh, state, t, b), nil
}

// negligible is the belief below which a suspect does not count in choosing a test.
const negligible = 1e-4

// fanClasses: a class for each combination of words that has some chance.
func (g *Guide) fanClasses(sh *sheaf, state int, b *belief) *outcomes {
	words := len(speedWords)
	combos := 1
	for range g.fans {
		combos *= words
	}
	o := &outcomes{chance: make([][]float64, len(g.suspects)), total: make([]float64, combos)}
	for i, s := range g.suspects {
		if b.of[i] < negligible || s.unknown {
			continue
		}
		row := make([]float64, combos)
		for k := range cars {
			var each [][4]float64
			for f := range g.fans {
				each = append(each, speedChances(g.fan(sh, i, state, f).at(k)))
			}
			for combo := range row {
				chance, rest := b.car[i][k], combo
				for f := range each {
					chance *= each[f][rest%words]
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

// noBin marks a car that predicts nothing.
const noBin = 255

// binned gives, for each suspect and car, the bin its reading falls into. It does not depend
// on the evidence and is kept.
func (g *Guide) binned(sh *sheaf, state int, t probe.Test) []uint8 {
	key := [3]int{state, g.pinAt[t.At], -1}
	if t.From.Part != "" {
		key[2] = g.pinAt[t.From]
	}
	if known := sh.binned[key]; known != nil {
		return known
	}
	width := meterOf(t).bin
	list := make([]uint8, len(g.suspects)*cars)
	for i, s := range g.suspects {
		if s.unknown {
			for k := range cars {
				list[i*cars+k] = noBin
			}
			continue
		}
		r := g.meterAt(sh, i, state, t)
		for k := range cars {
			v := meter(r.at(k))
			list[i*cars+k] = uint8(max(0, min(bins-1, int(math.Round((v-lowestVolts)/width)))))
		}
	}
	sh.binned[key] = list
	return list
}

// voltClasses puts the edges where the suspects' predictions leave gaps, so that no likely
// reading lies near an edge.
func (g *Guide) voltClasses(sh *sheaf, state int, t probe.Test, b *belief) *outcomes {
	binned := g.binned(sh, state, t)
	var weight [bins]float64 // of belief
	for i, p := range b.of {
		if p < negligible || g.suspects[i].unknown {
			continue
		}
		car := &b.car[i]
		for k, bin := range binned[i*cars : (i+1)*cars] {
			weight[bin] += p * car[k]
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
	width := meterOf(t).bin
	volts := func(bin float64) float64 { return lowestVolts + bin*width }
	middle := make([]float64, n)
	for bin, w := range weight {
		o.total[class[bin]] += w
		middle[class[bin]] += w * volts(float64(bin))
	}
	for k := range middle {
		middle[k] /= math.Max(o.total[k], 1e-12)
	}
	for i, p := range b.of {
		if p < negligible || g.suspects[i].unknown {
			continue
		}
		row := rows[i*n : (i+1)*n]
		car := &b.car[i]
		for k, bin := range binned[i*cars : (i+1)*cars] {
			row[class[bin]] += car[k]
		}
		o.chance[i] = row
	}
	edgeVolts := make([]float64, len(edges))
	for k, e := range edges {
		edgeVolts[k] = volts(float64(e) + 0.5)
	}
	o.labels = voltLabels(edgeVolts, middle)
	o.soften()
	return o
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

// voltLabels words the classes: "under 3.1 V", "about 6.2 V", "over 9.4 V".
func voltLabels(edges, middle []float64) []string {
	if len(edges) == 0 {
		return []string{fmt.Sprintf("about %s", FormatVolts(middle[0]))}
	}
	labels := []string{"under " + FormatVolts(edges[0])}
	for k := 1; k < len(edges); k++ {
		labels = append(labels, fmt.Sprintf("%s to %s", strings.TrimSuffix(FormatVolts(edges[k-1]), " V"), FormatVolts(edges[k])))
	}
	return append(labels, "over "+FormatVolts(edges[len(edges)-1]))
}

// FormatVolts spells a figure as a meter does.
func FormatVolts(v float64) string {
	s := fmt.Sprintf("%.1f", v)
	if s == "-0.0" {
		s = "0.0"
	}
	return s + " V"
}

// bits is the expected information of a test in bits.
func (o *outcomes) bits(belief []float64) float64 {
	var sum, inner float64
	total := make([]float64, len(o.total))
	for i, row := range o.chance {
		if row == nil {
			continue
		}
		sum += belief[i]
		for k, p := range row {
			total[k] += belief[i] * p
			if p > 0 {
				inner -= belief[i] * p * math.Log2(p)
			}
		}
	}
	if sum == 0 {
		return 0
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
	n, err := g.model.Network(t.Setup, nil)
	if err != nil {
		return ""
	}
	n.Enter(t.State)
	if t.Do == probe.LookAtFans {
		return g.wordFans(n.Point(t.State).Motors)
	}
	pins := n.Point(t.State).Pins
	v := pins[t.At.String()]
	if t.From.Part != "" && v != nil {
		from := pins[t.From.String()]
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

// mustPin reads a pin that was checked before.
func mustPin(s string) harness.Pin { return harness.ParsePin(s) }
