package diagnose

import (
	"math"
	"slices"

	"ironthread/core/predict"
	"ironthread/core/probe"
)

// figured is a test that is answered by a meter's figure. Volts from battery negative and the currents of
// fans are in the pages of the tables; what another instrument shows is foretold with that instrument laid
// on, test by test.
type figured struct {
	g     *inquiry
	kind  probe.Figured
	test  probe.Test
	which []int
	fine  probe.Fineness
	made  shows
}

// shows gives a suspect's figure on a car.
type shows func(suspect, car int) float64

func (a *figured) choices() int { return 3 } // low, right, high

// same tells whether a meter can tell two figures apart.
func (a *figured) same(o, p *probe.Observation) bool {
	x, y := o.Reading(), p.Reading()
	if x.Open || y.Open {
		return x.Open == y.Open
	}
	return math.Abs(a.kind.Scaled(x.Figure)-a.kind.Scaled(y.Figure)) <= 2*a.fine.Spread
}

// shows prepares the figures of the suspects.
func (a *figured) shows() (shows, error) {
	if a.made != nil {
		return a.made, nil
	}
	var err error
	a.made, err = a.foretell()
	return a.made, err
}

func (a *figured) foretell() (shows, error) {
	q, known := a.kind.Known(a.g.guide.circuit, a.test)
	if !known {
		shown, err := a.g.shown(a.test, a.which)
		return func(i, k int) float64 { return float64(shown[i][k]) }, err
	}
	p, err := a.g.pageFor(a.test.Setup, a.which)
	if err != nil {
		return nil, err
	}
	table := a.g.guide.table
	state := table.StateIndex(a.test.State)
	if q.Fan != "" {
		fan := table.FanIndex(q.Fan)
		return func(i, k int) float64 { return q.Sign * float64(p.of[i].FanAmps(state, fan)[k]) }, nil
	}
	red := table.PinIndex(q.At)
	if q.From.Part == "" {
		return func(i, k int) float64 { return float64(p.of[i].Volts(state, red)[k]) }, nil
	}
	return a.dropOf(p, drop{state, red, table.PinIndex(q.From)})
}

// dropOf is the difference of two readings (NaN where either floats); where a pin hangs on a diode alone the
// meter between the two is laid on, for its microampere counts there.
func (a *figured) dropOf(p *foretold, at drop) (shows, error) {
	var soft []int
	for _, i := range a.which {
		if f := p.of[i]; f != nil && (f.Soft(at.state, at.red) || f.Soft(at.state, at.black)) {
			soft = append(soft, i)
		}
	}
	var shown []*predict.Shown
	if len(soft) > 0 {
		var err error
		if shown, err = a.g.shown(a.test, soft); err != nil {
			return nil, err
		}
	}
	return func(i, k int) float64 {
		if shown != nil && shown[i] != nil {
			return float64(shown[i][k])
		}
		f := p.of[i]
		return float64(f.Volts(at.state, at.red)[k]) - float64(f.Volts(at.state, at.black)[k])
	}, nil
}

// fit compares a reading with the suspect's cars: a bell around each prediction, as wide as the meter's
// spread and the spread between cars ask for.
func (a *figured) fit(f *fit, i int, o *probe.Observation) error {
	show, err := a.shows()
	if err != nil {
		return err
	}
	var shown [cars]float64
	for k := range shown {
		shown[k] = show(i, k)
	}
	read := &reading{a.kind, o, a.kind.Means(o.Reading()), math.Hypot(a.fine.Spread, spreadOf(a.kind, shown[:])), a.fine.Spread}
	for k := range cars {
		if math.IsNaN(read.figure) { // a display without a figure: nothing was there
			f[k] = 0
			if math.IsNaN(show(i, k)) {
				f[k] = 1
			}
			continue
		}
		f[k] = read.bell(shown[k])
	}
	return nil
}

// spreadOf is how wide the cars between those that are foretold lie, by Silverman's rule for the width of a kernel estimate.
func spreadOf(kind probe.Figured, shown []float64) float64 {
	var mean, square float64
	n := float64(len(shown))
	for _, v := range shown {
		v = kind.Scaled(v)
		mean += v / n
		square += v * v / n
	}
	return 1.06 * math.Sqrt(math.Max(0, square-mean*mean)) * math.Pow(n, -0.2)
}

// reading is a display's figure, and how wide it is taken: by the cars and the meter, and by the meter alone.
type reading struct {
	kind        probe.Figured
	o           *probe.Observation
	figure      float64
	width, fine float64
}

// bell is how near a display's figure is to what a car has: the mean over what the leads may add, as wide as the
// meter is there. Of a part in the hand fine, the width of the meter alone, counts as well: a fault that allows any figure
// foretells none, and is the less likely the wider it is. (In the car, where wires and joints stray with everything else, nothing
// is gained by that.)
func (r *reading) bell(v float64) float64 {
	alike := r.kind.Alike(r.o, v)
	part, _ := r.o.OnBench()
	inHand := part != ""
	sum := 0.0
	for _, x := range alike {
		blur := r.kind.Blur(r.o, x)
		wide := math.Hypot(r.width, blur)
		d := (r.kind.Scaled(r.figure) - r.kind.Scaled(x)) / wide
		fit := math.Exp(-d * d / 2)
		if inHand {
			fit *= math.Hypot(r.fine, blur) / wide
		}
		sum += fit
	}
	return sum / float64(len(alike))
}

// binned gives, for a suspect, the bin that each of its cars' readings falls into.
func (a *figured) binned(live []int) (func(i int) []uint8, error) {
	q, known := a.kind.Known(a.g.guide.circuit, a.test)
	in := predict.Bins{Lowest: a.fine.Lowest, Width: a.fine.Bin}
	row := make([]uint8, cars)
	if known && q.Fan == "" {
		p, err := a.g.pageFor(a.test.Setup, live)
		if err != nil {
			return nil, err
		}
		state, red := a.g.guide.table.StateIndex(a.test.State), a.g.guide.table.PinIndex(q.At)
		if q.From.Part == "" {
			return func(i int) []uint8 { return p.of[i].Bins(state, red) }, nil
		}
		if bins := dropBins(p, drop{state, red, a.g.guide.table.PinIndex(q.From)}, live, in, row); bins != nil {
			return bins, nil
		}
	}
	show, err := a.shows()
	return func(i int) []uint8 {
		for k := range row {
			row[k] = in.Bin(a.kind.Scaled(show(i, k)))
		}
		return row
	}, err
}

// drop is where a drop is measured: a state, and the pins of the two leads, all as places in the table.
type drop struct{ state, red, black int }

// dropBins are the bins of a drop between two pins; nil where a pin hangs on a diode on some suspect.
func dropBins(p *foretold, at drop, live []int, in predict.Bins, row []uint8) func(i int) []uint8 {
	for _, i := range live {
		if f := p.of[i]; f.Soft(at.state, at.red) || f.Soft(at.state, at.black) {
			return nil
		}
	}
	nothing := in.Bin(0)
	return func(i int) []uint8 {
		a, b := p.of[i].Volts(at.state, at.red), p.of[i].Volts(at.state, at.black)
		for k := range row {
			row[k] = nothing
			if d := float64(a[k] - b[k]); d == d { // where either floats, the display shows nothing
				row[k] = in.Bin(max(-probe.MaxVolts, min(probe.MaxVolts, d)))
			}
		}
		return row
	}
}

// classes puts the edges where the suspects' predictions leave gaps, so that no likely reading lies near an
// edge.
func (a *figured) classes(b *belief, live []int) (*outcomes, error) {
	binned, err := a.binned(live)
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
	o := &outcomes{chance: make([][]float64, len(a.g.guide.suspects)), total: make([]float64, n)}
	rows := make([]float64, n*len(live))
	figure := func(bin float64) float64 { return a.fine.Lowest + bin*a.fine.Bin }
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
	o.labels = figureLabels(a.kind, at, middle)
	binsOf := predict.Bins{Lowest: a.fine.Lowest, Width: a.fine.Bin}
	o.classOf = func(scaled float64) int { return int(class[binsOf.Bin(scaled)]) }
	o.soften()
	return o, nil
}

func (a *figured) usual(i int) (string, error) {
	show, err := a.shows()
	if err != nil {
		return "", err
	}
	figures := make([]float64, 0, cars)
	for k := range cars {
		figures = append(figures, a.kind.Scaled(show(i, k)))
	}
	slices.Sort(figures)
	low, high := figures[1], figures[cars-2]
	if high-low < 2*a.fine.Spread {
		return "about " + a.kind.Spell(figures[cars/2]), nil
	}
	return a.kind.Spell(low) + " to " + a.kind.Spell(high), nil
}

// differ compares the two suspects' cars over thresholds two spreads of the meter apart, each soft by it:
// the largest difference between the shares above it.
func (a *figured) differ(i, j int) (bool, error) {
	show, err := a.shows()
	if err != nil {
		return false, err
	}
	spread := a.fine.Spread
	var x, y [cars]float64
	low, high := 1e9, -1e9
	for k := range cars {
		x[k], y[k] = a.kind.Scaled(show(i, k)), a.kind.Scaled(show(j, k))
		low, high = min(low, x[k], y[k]), max(high, x[k], y[k])
	}
	if high-low < 2*spread {
		return false, nil
	}
	above := func(v, edge float64) float64 {
		return max(0, min(1, (v-edge)/(4*spread)+0.5))
	}
	for edge := low; edge < high; edge += 2 * spread {
		difference := 0.0
		for k := range cars {
			difference += (above(x[k], edge) - above(y[k], edge)) / cars
		}
		if difference > apartShare || difference < -apartShare {
			return true, nil
		}
	}
	return false, nil
}
