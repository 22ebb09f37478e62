package diagnose

import (
	"math"
	"slices"
	"strings"

	"ironthread/core/probe"
)

// outcomes is how a test's possible answers fall into classes: a label for each class and,
// for each suspect, the chance of each class.
type outcomes struct {
	labels []string
	chance [][]float64 // suspect × class; nil for a suspect left out
	total  []float64   // chance of each class under the present belief

	classOf func(scaled float64) int // of a figure on the meter's scale; nil where the answer is none
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

// between is the information a test gives about one question: one of mine, or not; and how
// often it speaks clearly against mine where mine is innocent.
func (o *outcomes) between(belief []float64, mine map[int]bool) (bits, against float64) {
	n := len(o.total)
	of := [2][]float64{make([]float64, n), make([]float64, n)}
	var sum [2]float64
	for i, row := range o.chance {
		if row == nil {
			continue
		}
		side := 0
		if mine[i] {
			side = 1
		}
		sum[side] += belief[i]
		for k, p := range row {
			of[side][k] += belief[i] * p
		}
	}
	total := sum[0] + sum[1]
	for k := range n {
		ofAll := of[0][k] + of[1][k]
		for side := range of {
			if p := of[side][k]; p > 0 {
				bits += p / total * math.Log2(p/ofAll*total/sum[side])
			}
		}
		if sum[0] > 0 && of[1][k] < 0.1*of[0][k] {
			against += of[0][k] / sum[0]
		}
	}
	return bits, against
}

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
func figureLabels(kind probe.Figured, edges, middle []float64) []string {
	if len(edges) == 0 {
		return []string{"about " + kind.Spell(middle[0])}
	}
	labels := []string{"under " + kind.Spell(edges[0])}
	for k := 1; k < len(edges); k++ {
		low, high := kind.Spell(edges[k-1]), kind.Spell(edges[k])
		if n := len(strings.Fields(low)); n == 2 && strings.Fields(low)[1] == strings.Fields(high + " ?")[1] {
			low = strings.Fields(low)[0] // the unit once
		}
		labels = append(labels, low+" to "+high)
	}
	return append(labels, "over "+kind.Spell(edges[len(edges)-1]))
}

func likeliest(p []float64) int {
	best := 0
	for k := range p {
		if p[k] > p[best] {
			best = k
		}
	}
	return best
}
