package rewire_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/rewire"
)

func planned(t *testing.T, text string) *rewire.Plan {
	t.Helper()
	return plan(t, wish(t, text))
}

// What a fan that stands still puts through a contact ends, at its latest, before the contact does; a relay of the wish that does not
// last so long is refused with both times, and every fuse says when it opens.
func TestFansThatStandStill(t *testing.T) {
	const who = "requesters: [{name: a, gives: ground, asks: low}, {name: b, gives: ground, asks: high}]\n"
	const fans = "fans: [{name: l, amps: 15, inrush: 88, half-volts: ok}, {name: r, amps: 15, inrush: 88, half-volts: ok}]\n"
	for _, p := range planned(t, "plan: 1\n"+fans+who).Proposals {
		held, told := 0, 0
		for _, rule := range p.Rules {
			if strings.Contains(rule.Rule, "stands still") {
				held++
				assert.LessOrEqual(t, rule.Value, rule.Limit, "%s: %s", p.Family, rule.What)
			}
		}
		for _, s := range p.Sizes {
			for _, because := range s.Because {
				if strings.Contains(because, "standing still") && s.What[0] == 'F' {
					told++
				}
			}
		}
		assert.GreaterOrEqual(t, held, 2, p.Family)
		assert.GreaterOrEqual(t, told, 2, p.Family)
	}
	refused := planned(t, "plan: 1\n"+fans+who+"relays: {make: 30}\n").Refused
	said := ""
	for _, no := range refused {
		said += no.Why + "\n"
	}
	assert.Regexp(t, `standing still in \w+, K\d carries \d+ A on a contact of 30 A for up to .* until F\d opens`, said)
}

// The way of the current: in series it goes through both fans and the changeover's rest contact, in parallel once through each.
func TestTheWayOfTheCurrent(t *testing.T) {
	plan := planned(t, "plan: 1\nfans: [{name: l, amps: 14, half-volts: ok}, {name: r, amps: 14, half-volts: ok}]\n"+
		"requesters: [{name: a, gives: ground, asks: low}, {name: b, gives: ground, asks: high}]\n")
	words := func(family rewire.Family, speed string) (rows []string) {
		for i := range plan.Proposals {
			if plan.Proposals[i].Family != family {
				continue
			}
			paths, err := plan.Proposals[i].Paths(speed)
			require.NoError(t, err)
			for _, path := range paths {
				row := ""
				for _, x := range path {
					row += strings.TrimSpace(x.Part+" "+x.Contact) + ", "
				}
				rows = append(rows, row)
			}
		}
		return rows
	}
	assert.Equal(t, []string{"F1, K1 87, M1, K3 87a, F3, M2, "}, words(rewire.Series, "low"))
	assert.ElementsMatch(t, []string{"F1, K1 87, M1, K3 87, ", "F2, K2 87, M2, "}, words(rewire.Series, "high"))
	assert.Equal(t, []string{"F1, K1 87, M1, "}, words(rewire.Staged, "low"))
	_, err := plan.Proposals[0].Paths("nowhere")
	assert.ErrorContains(t, err, `no state "nowhere"`)
}
