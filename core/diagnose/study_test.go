package diagnose_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/library"
)

func TestZZ(t *testing.T) {
	names := []string{"f3-twin-series-parallel"}
	if os.Getenv("ALL") != "" {
		names = nil
		es, _ := library.All()
		for _, e := range es {
			names = append(names, e.Name)
		}
	}
	for _, n := range names {
		t.Run(n, func(t *testing.T) {
			t.Parallel()
			g := guideFor(t, n)
			for _, o := range []diagnose.StudyOptions{{Every: 3}, {Every: 3, Policy: diagnose.Textbook}, {Every: 2, Spread: 1, Misread: 0.02}} {
				r, err := g.Study(o, nil)
				require.NoError(t, err)
				t.Log(r)
				for _, x := range r.Trials {
					if !x.Found && os.Getenv("SHOW") != "" {
						t.Logf("   %+v", x)
					}
				}
			}
		})
	}
}
