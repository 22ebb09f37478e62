package electric

import (
	"math"

	"ironthread/core/harness"
)

// curvePoint is one row of a fuse standard's table: at this multiple of the rating the fuse
// opens between fastest and slowest seconds.
type curvePoint struct{ load, fastest, slowest float64 }

var (
	// Blade and mini fuses: ISO 8820-3, figures from memory.
	bladeCurve = []curvePoint{
		{1.10, 360000, 3600000}, {1.35, 0.75, 1800}, {1.60, 0.25, 50}, {2.00, 0.15, 5}, {3.50, 0.04, 0.5}, {6.00, 0.02, 0.1},
	}
	// Cartridge fuses: ISO 8820-4, from memory and unsure. Maxi fuses, links, breakers and
	// PTCs are taken to be as slow.
	cartridgeCurve = []curvePoint{
		{1.10, 360000, 3600000}, {1.35, 60, 1800}, {2.00, 2, 60}, {3.50, 0.2, 7}, {6.00, 0.04, 1},
	}
)

// OpensInSeconds gives how long a fuse of this style carries load times its rating: the
// geometric middle of the standard's fastest and slowest, log–log between the rows; +Inf
// below 110 %.
func OpensInSeconds(style harness.FuseStyle, load float64) float64 {
	return opensIn(style, load, func(p curvePoint) float64 { return math.Sqrt(p.fastest * p.slowest) })
}

// OpensBetween gives the times between which a fuse of this style opens: the quickest and the slowest that the standard
// permits; +Inf below 110 %.
func OpensBetween(style harness.FuseStyle, load float64) (soonest, latest float64) {
	return opensAtEdge(style, load), opensIn(style, load, func(p curvePoint) float64 { return p.slowest })
}

// opensAtEdge is the same for the quickest fuse the standard permits.
func opensAtEdge(style harness.FuseStyle, load float64) float64 {
	return opensIn(style, load, func(p curvePoint) float64 { return p.fastest })
}

func opensIn(style harness.FuseStyle, load float64, of func(curvePoint) float64) float64 {
	curve := cartridgeCurve
	switch style {
	case harness.StyleMini, harness.StyleBlade, "":
		curve = bladeCurve
	}
	if load < curve[0].load {
		return math.Inf(1)
	}
	i := 1
	for i < len(curve)-1 && load > curve[i].load {
		i++
	}
	a, b := curve[i-1], curve[i]
	share := math.Log(load/a.load) / math.Log(b.load/a.load)
	return math.Exp(math.Log(of(a)) + share*math.Log(of(b)/of(a)))
}
