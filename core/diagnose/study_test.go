package diagnose_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/library"
)

func TestZZ(t *testing.T) {
	names := []string{"f3-twin-series-parallel"}
	if x := os.Getenv("CIR"); x != "" {
		names = strings.Split(x, ",")
	}
	if os.Getenv("ALL") != "" {
		names = nil
		es, _ := library.All()
		for _, e := range es {
			names = append(names, e.Name)
		}
	}
	for _, n := range names {
		t.Run(n, func(t *testing.T) {
			g := guideFor(t, n)
			all := []diagnose.StudyOptions{{Every: 4}, {Every: 4, Policy: diagnose.Textbook}, {Every: 3, Spread: 1, Misread: 0.02}}
			if os.Getenv("ONE") != "" {
				all = all[:1]
			}
			if os.Getenv("DOUBLES") != "" {
				all = []diagnose.StudyOptions{{Doubles: 12}}
			}
			for _, o := range all {
				r, err := g.Study(o, nil)
				require.NoError(t, err)
				t.Log(r, r.WrongRepairs)
				for _, x := range r.Trials {
					if os.Getenv("SHOW") != "" {
						t.Logf("   %v %v h%v %d/%d %.1f %s rep %d wrong %d", x.Fault, x.Found, x.Harmless, x.ToName, x.Tests, x.Minutes, x.Named, x.Repairs, x.Wrong)
						if os.Getenv("SHOW") == "2" {
							for _, a := range x.Asked {
								t.Log("          ", a)
							}
						}
					}
				}
			}
		})
	}
}
