package drawing

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
)

// Plot is a figure over time, for what a person would rather look at than read. Lines are told
// apart by their kind and by a name at their end, not by colour.
type Plot struct {
	Title  string
	Unit   string // of the values
	XUnit  string // of what lies below; seconds where nothing is said
	Lines  []PlotLine
	Marks  []PlotMark // what happened
	From   float64    // s
	To     float64
	Origin bool // the scale begins at nought
}

// PlotLine is one series; Seconds and Values are as long as each other.
type PlotLine struct {
	Name            string
	Seconds, Values []float64
}

// PlotMark is a moment with a word.
type PlotMark struct {
	At   float64
	Text string
}

// Data is the figure as JSON for a browser that draws it anew, with a cursor and a window to zoom into; empty where its lines
// do not stand over the same moments.
func (p *Plot) Data() string {
	type line struct {
		Name   string    `json:"name"`
		Values []float64 `json:"values"`
	}
	type mark struct {
		At   float64 `json:"at"`
		Text string  `json:"text"`
	}
	d := struct {
		Title string    `json:"title"`
		Unit  string    `json:"unit"`
		Below string    `json:"below"`
		From0 bool      `json:"origin"`
		X     []float64 `json:"x"`
		Lines []line    `json:"lines"`
		Marks []mark    `json:"marks"`
	}{Title: p.Title, Unit: p.Unit, Below: p.below(), From0: p.Origin}
	for _, l := range p.Lines {
		if d.X == nil {
			d.X = l.Seconds
		}
		if !slices.Equal(d.X, l.Seconds) {
			return ""
		}
		d.Lines = append(d.Lines, line{l.Name, l.Values})
	}
	for _, m := range p.Marks {
		d.Marks = append(d.Marks, mark(m))
	}
	b, err := json.Marshal(d)
	if err != nil { // a figure that is none: the picture shows what there is
		return ""
	}
	return string(b)
}

// below is the unit of what lies below.
func (p *Plot) below() string {
	if p.XUnit == "" {
		return "s"
	}
	return p.XUnit
}

// Size of a plot, pixels.
const (
	plotWidth, plotHeight  = 720, 230
	plotLeft, plotRight    = 52, 96
	plotTop, plotBottom    = 34, 30
	plotBuckets            = 240
	plotTicksX, plotTicksY = 8, 5
)

// Picture draws the <svg> element.
func (p *Plot) Picture() Picture {
	d := &svg{}
	low, high := p.span()
	x := func(t float64) float64 {
		return plotLeft + (t-p.From)/(p.To-p.From)*(plotWidth-plotLeft-plotRight)
	}
	y := func(v float64) float64 {
		return plotHeight - plotBottom - (v-low)/(high-low)*(plotHeight-plotTop-plotBottom)
	}
	d.f(`<svg class="plot" xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" role="img" aria-label="%s"><title>%s</title>`,
		plotWidth, plotHeight, p.Title, p.Title)
	d.f(`<text class="caption" x="4" y="16">%s, %s</text>`, p.Title, p.Unit)
	for _, v := range ticks(low, high, plotTicksY) {
		d.f(`<path class="grid" d="M%d %.1fH%d"/><text class="tick" x="%d" y="%.1f" text-anchor="end">%s</text>`,
			plotLeft, y(v), plotWidth-plotRight, plotLeft-6, y(v)+4, tickWord(v))
	}
	for _, t := range ticks(p.From, p.To, plotTicksX) {
		d.f(`<path class="grid" d="M%.1f %dV%d"/><text class="tick" x="%.1f" y="%d" text-anchor="middle">%s %s</text>`,
			x(t), plotTop, plotHeight-plotBottom, x(t), plotHeight-plotBottom+17, tickWord(t), p.below())
	}
	for _, m := range p.Marks {
		d.f(`<path class="moment" d="M%.1f %dV%d"/><text class="tick moment" x="%.1f" y="%d">%s</text>`,
			x(m.At), plotTop-4, plotHeight-plotBottom, x(m.At)+3, plotTop-5, m.Text)
	}
	labels := make([]float64, len(p.Lines))
	for k, l := range p.Lines {
		d.f(`<path class="series s%d" d="%s"/>`, k%4, linePath(l, p.From, p.To, x, y))
		if n := len(l.Values); n > 0 {
			labels[k] = y(l.Values[n-1])
		}
	}
	spread(labels, 14)
	for k, l := range p.Lines {
		d.f(`<text class="label" x="%d" y="%.1f">%s</text>`, plotWidth-plotRight+6, labels[k]+4, l.Name)
	}
	d.f(`</svg>`)
	return d.picture()
}

// span is the span of the values, a little wider.
func (p *Plot) span() (low, high float64) {
	low, high = math.Inf(1), math.Inf(-1)
	for _, l := range p.Lines {
		for _, v := range l.Values {
			low, high = math.Min(low, v), math.Max(high, v)
		}
	}
	if p.Origin {
		low = math.Min(low, 0)
	}
	if !(high > low) {
		return low - 1, low + 1
	}
	width := high - low
	if !p.Origin || low < 0 {
		low -= 0.06 * width
	}
	return low, high + 0.06*width
}

// linePath keeps the lowest and the highest value of each bucket, so that no peak is lost.
func linePath(l PlotLine, from, to float64, x, y func(float64) float64) string {
	var path []byte
	last, begin := -1, 0
	put := func(k int) {
		word := "L"
		if len(path) == 0 {
			word = "M"
		}
		path = fmt.Appendf(path, "%s%.1f %.1f", word, x(l.Seconds[k]), y(l.Values[k]))
	}
	flush := func(end int) {
		low, high := begin, begin
		for k := begin; k < end; k++ {
			if l.Values[k] < l.Values[low] {
				low = k
			}
			if l.Values[k] > l.Values[high] {
				high = k
			}
		}
		put(min(low, high))
		if low != high {
			put(max(low, high))
		}
	}
	for k, t := range l.Seconds {
		if bucket := int((t - from) / (to - from) * plotBuckets); bucket != last {
			if k > begin {
				flush(k)
			}
			begin, last = k, bucket
		}
	}
	if begin < len(l.Seconds) {
		flush(len(l.Seconds))
	}
	return string(path)
}

// ticks gives round values within a span, about so many.
func ticks(low, high float64, about int) []float64 {
	rough := (high - low) / float64(about)
	power := math.Pow(10, math.Floor(math.Log10(rough)))
	step := power
	for _, fold := range []float64{1, 2, 5, 10} {
		if step = fold * power; step >= rough {
			break
		}
	}
	var list []float64
	for v := math.Ceil(low/step) * step; v <= high+step*1e-9; v += step {
		list = append(list, v)
	}
	return list
}

func tickWord(v float64) string {
	if math.Abs(v) < 1e-9 {
		return "0"
	}
	return fmt.Sprintf("%.4g", v)
}

// spread moves labels apart so that none lies over another.
func spread(at []float64, apart float64) {
	for range 20 {
		moved := false
		for i := range at {
			for j := range at {
				if i != j && math.Abs(at[i]-at[j]) < apart && (at[i] < at[j] || at[i] == at[j] && i < j) {
					push := (apart - (at[j] - at[i])) / 2
					at[i], at[j] = at[i]-push, at[j]+push
					moved = moved || push > 0.1
				}
			}
		}
		if !moved {
			return
		}
	}
}
