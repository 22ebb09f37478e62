package diagnose_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/probe"
	"ironthread/library"
	"ironthread/soak"
)

// However a person takes the same readings, the same suspect leads: with the engine off or running, with leads nulled or
// not, with the clamp one way round or the other. The judge is a car of the same model, so this measures steadiness.
func TestTheLeaderDoesNotHangOnHowItIsRead(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	const every, leads = 29, 0.6
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		if !soak.Whole() && !strings.HasPrefix(e.Name, "f3") && !strings.HasPrefix(e.Name, "f7") { // relays, and a module
			continue
		}
		t.Run(e.Name, func(t *testing.T) {
			t.Parallel()
			g := guideFor(t, e.Name)
			for k, words := range g.Faults() {
				if k%every != 3 || words == diagnose.SomethingElse || words == diagnose.NoFault {
					continue
				}
				now := diagnose.Now{State: g.Circuit().States[0]}
				plain := playedThrough(t, g, words, now)
				if plain.a.Verdict == nil {
					continue // nothing leads that the guide would name
				}
				running := g.Drive(t, words)
				bent := map[string][]probe.Observation{}
				for _, o := range plain.seen {
					unnulled, turned, charged := o, o, o
					if r := o.Reading(); o.Do == probe.Ohms && !r.Open {
						unnulled.Answer, unnulled.How.Nulled = probe.InOhms.Shows(r.Figure+leads), false
					}
					if r := o.Reading(); o.Do == probe.Amps {
						turned.Answer = probe.Figure{Reading: probe.Reading{Figure: -r.Figure, Open: r.Open}, Unit: &probe.InAmps}
					}
					if !slices.Contains(o.Setup, "BAT apart") { // the engine stops with its battery off
						charged = running.With(o, "engine running")
					}
					bent["leads not nulled"] = append(bent["leads not nulled"], unnulled)
					bent["the clamp the other way"] = append(bent["the clamp the other way"], turned)
					bent["the engine running"] = append(bent["the engine running"], charged)
				}
				for how, seen := range bent {
					a, err := g.Assess(t.Context(), seen, now)
					require.NoError(t, err)
					require.NotEmpty(t, a.Suspects)
					leader := append([]string{a.Suspects[0].Fault}, a.Suspects[0].SameAs...)
					same := slices.ContainsFunc(plain.a.Verdict.Faults, func(f string) bool { return slices.Contains(leader, f) })
					assert.True(t, same, "%s, %s: %v leads (%.0f %%), not %v", words, how, leader[0], 100*a.Suspects[0].Probability,
						plain.a.Verdict.Faults[0])
				}
			}
		})
	}
}

type played struct {
	seen []probe.Observation
	a    *diagnose.Assessment
}

// playedThrough lets the guide ask a car until it has its verdict.
func playedThrough(t *testing.T, g *diagnose.Guide, words string, now diagnose.Now) played {
	t.Helper()
	c := g.Drive(t, words)
	var p played
	for range 25 {
		a, err := g.Assess(t.Context(), p.seen, now)
		require.NoError(t, err)
		p.a = a
		if a.Verdict != nil && a.Verdict.Proven || len(a.Next) == 0 {
			break
		}
		o := c.Answer(&a.Next[0])
		made, err := o.Test(g.Circuit())
		require.NoError(t, err)
		p.seen = append(p.seen, o)
		now.State, now.Setup = made.State, made.OnTheCar()
	}
	return p
}
