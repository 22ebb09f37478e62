package sheet_test

import (
	_ "embed"
	"testing"

	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/sheet"
)

//go:embed testdata/forty.harness.yaml
var forty []byte

func length(s *sheet.Sheet) int {
	sum := 0
	for _, l := range s.Lines {
		for _, g := range l.Segments {
			sum += max(g.X1, g.X2) - min(g.X1, g.X2) + max(g.Y1, g.Y2) - min(g.Y1, g.Y2)
		}
	}
	return sum
}

func BenchmarkForty(b *testing.B) {
	c, err := harness.Read(forty)
	require.NoError(b, err)
	var s *sheet.Sheet
	for b.Loop() {
		s = sheet.Draw(c)
	}
	b.ReportMetric(float64(s.Crossings), "crossings")
	b.ReportMetric(float64(s.Bends), "bends")
	b.ReportMetric(float64(length(s)), "pixels")
	b.ReportMetric(float64(len(s.Unrouted)), "unrouted")
}
