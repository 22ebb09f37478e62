package diagnose

import (
	"slices"

	"ironthread/core/probe"
)

// worded is a test that is answered in a word.
type worded struct {
	g    *inquiry
	kind probe.Worded
	car  foretoldCar
	row  []float64 // chances of each word
}

func (a *worded) choices() int { return len(a.kind.Words(a.car.test)) }

func (a *worded) same(x, y *probe.Observation) bool { return x.Word() == y.Word() }

// chances gives the chance of each word on a suspect's car.
func (a *worded) chances(i, k int) ([]float64, error) {
	a.car.i, a.car.k = i, k
	return a.row, a.kind.Chances(&a.car, a.car.test, a.row)
}

func (a *worded) fit(f *fit, i int, o *probe.Observation) error {
	word := slices.Index(a.kind.Words(a.car.test), o.Word())
	for k := range f {
		row, err := a.chances(i, k)
		if err != nil {
			return err
		}
		f[k] = row[word]
	}
	return nil
}

// classes: a class for each word.
func (a *worded) classes(b *belief, live []int) (*outcomes, error) {
	words := a.kind.Words(a.car.test)
	o := &outcomes{labels: words, chance: make([][]float64, len(a.g.guide.suspects)), total: make([]float64, len(words))}
	for _, i := range live {
		row := make([]float64, len(words))
		for k := range cars {
			one, err := a.chances(i, k)
			if err != nil {
				return nil, err
			}
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

func (a *worded) usual(i int) (string, error) {
	sum := make([]float64, a.choices())
	for k := range cars {
		row, err := a.chances(i, k)
		if err != nil {
			return "", err
		}
		for w, p := range row {
			sum[w] += p
		}
	}
	return a.kind.Words(a.car.test)[likeliest(sum)], nil
}

func (a *worded) differ(i, j int) (bool, error) {
	difference := make([]float64, a.choices())
	for k := range cars {
		for side, suspect := range [2]int{i, j} {
			row, err := a.chances(suspect, k)
			if err != nil {
				return false, err
			}
			for w, p := range row {
				difference[w] += p * float64(1-2*side) / cars
			}
		}
	}
	return slices.ContainsFunc(difference, func(d float64) bool { return d > apartShare || d < -apartShare }), nil
}
