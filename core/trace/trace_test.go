package trace_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/trace"
	"ironthread/library"
)

func model(t *testing.T, name string) *electric.Model {
	t.Helper()
	e, err := library.Open(name)
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	return m
}

func enter(t *testing.T, m *electric.Model, state string, faults ...string) *electric.Network {
	t.Helper()
	cond := electric.Condition{State: m.Circuit.State(state)}
	for _, words := range faults {
		f, err := fault.Parse(m.Circuit, words)
		require.NoError(t, err)
		cond.Faults = append(cond.Faults, f)
	}
	n, err := m.Enter(cond)
	require.NoError(t, err)
	return n
}

// The low path of the three-relay circuit, as such circuits are wired (common practice): feed,
// K1, fan 1, K3's rest contact, link fuse, fan 2, ground.
func TestTheLowPath(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	n := enter(t, m, "low")
	feed := trace.Feed(n, harness.ParsePin("M1.+"))
	assert.True(t, feed.Reaches)
	assert.Equal(t, "M1.+ → K1.87 → (K1's make contact) → K1.30 → F1.b → (F1) → F1.a → BAT.+", wordsOf(feed))
	ground := trace.Ground(n, harness.ParsePin("M1.-"))
	assert.Equal(t, "M1.- → K3.30 → (K3's rest contact) → K3.87a → F3.a → (F3) → "+
		"F3.b → M2.+ → (M2) → M2.- → G1 → (G1) → BAT.-",
		wordsOf(ground))
	assert.True(t, ground.ThroughLoad(), "its ground is the other fan")
	assert.Equal(t, []string{"K3's rest contact"}, ground.Through())
	drop := 0.0
	for _, s := range feed.Steps {
		drop += s.Drop
	}
	last, first := feed.Steps[len(feed.Steps)-1].Volts, feed.Steps[0].Volts
	assert.InDelta(t, last-first, drop, 1e-9, "the drops along the path add up")
}

func TestAPathThatEnds(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	n := enter(t, m, "low", "F1 open")
	assert.False(t, trace.Feed(n, harness.ParsePin("K1.30")).Reaches && !trace.Feed(n, harness.ParsePin("K1.30")).ThroughLoad())
	n = enter(t, m, "high")
	assert.False(t, trace.Ground(n, harness.ParsePin("M1.-")).ThroughLoad(), "on high fan 1 has its own ground")
}

func TestRoles(t *testing.T) {
	roles, err := trace.Roles(model(t, "f3-twin-series-parallel"))
	require.NoError(t, err)
	for pin, want := range map[string]trace.Role{
		"F1.b": trace.FixedFeed, "K1.86": trace.FixedFeed, "M2.-": trace.FixedGround, "ECU.5": trace.FixedGround,
		"K1.87": trace.SwitchedFeed, "K1.85": trace.SwitchedGround, "ECU.62": trace.SwitchedGround, "M1.-": trace.Between, "F3.a": trace.Between,
	} {
		assert.Equal(t, want, roles[harness.ParsePin(pin)].Role, pin)
	}
	assert.Equal(t, "switched ground by ECU.61's driver, in low, high", roles[harness.ParsePin("K1.85")].Words())
	assert.Equal(t, []string{"K1's make contact"}, roles[harness.ParsePin("K1.87")].By)
}

func TestRolesOfEveryFamily(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		m := model(t, e.Name)
		roles, err := trace.Roles(m)
		require.NoError(t, err)
		battery := e.Circuit.OfKind(harness.KindBattery)[0].Name
		assert.Equal(t, trace.FixedFeed, roles[harness.Pin{Part: battery, Name: "+"}].Role, e.Name)
		for _, g := range e.Circuit.OfKind(harness.KindGround) {
			assert.Equal(t, trace.FixedGround, roles[harness.Pin{Part: g.Name}].Role, e.Name)
		}
	}
}

// Which fuse protects what in the three-relay circuit, worked out by hand from its drawing
// (common practice): F1 fan 1, F2 fan 2 on high, F3 the link between them, F4 the coils.
func TestWhichFuseProtectsWhat(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	p, err := trace.Protects(m)
	require.NoError(t, err)
	guards := map[string]trace.Guard{}
	for _, g := range p.Guards {
		guards[g.Fuse] = g
	}
	assert.Contains(t, guards["F1"].Feeds, "M1 in low, high")
	assert.Contains(t, guards["F1"].Feeds, "M2 in low", "on low fan 2 lives behind fan 1")
	assert.Contains(t, guards["F2"].Feeds, "M2 in high")
	assert.Equal(t, []string{"M1 in low", "M2 in low"}, guards["F3"].Feeds, "the link fuse matters on low only")
	assert.Contains(t, guards["F4"].Feeds, "K1's coil in low, high")
	assert.Contains(t, guards["F1"].Wires, "F1.b - K1.30")
	assert.Contains(t, guards["F1"].Wires, "K1.87 - M1.+")
	assert.Contains(t, guards["F2"].Wires, "K2.87 - M2.+")
	assert.Contains(t, guards["F4"].Wires, "F4.b - K1.86")
	assert.NotContains(t, guards["F4"].Wires, "K1.85 - ECU.61", "grounded it only pulls K1 in")
	assert.Contains(t, p.Bare, "BAT.+ - F1.a", "before its fuse a wire is bare")
	assert.NotContains(t, p.Bare, "F1.b - K1.30")
}

func TestWhatTwoStatesShare(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	u, err := trace.Compare(m, m.Circuit.State("low"), m.Circuit.State("high"))
	require.NoError(t, err)
	assert.Subset(t, u.Both, []string{"F1", "K1's make contact", "M1", "M2", "ECU.61's driver", "K1's coil"})
	assert.ElementsMatch(t, []string{"K3's rest contact", "F3"}, trace.Parts(u.OnlyFirst))
	assert.Subset(t, u.OnlySecond, []string{"F2", "K2's make contact", "K3's make contact", "ECU.62's driver"})
}

// Where two feeds meet, both are named; a link fuse that does not blow joins two feeds once K3
// sticks at rest on high (common practice: the classic back-feed).
func TestSources(t *testing.T) {
	m := model(t, "f3-twin-series-parallel")
	pin := harness.ParsePin("M2.+")
	assert.Equal(t, []string{"F3"}, trace.Sources(enter(t, m, "low"), pin), "through fan 1 and the link")
	assert.Equal(t, []string{"F2"}, trace.Sources(enter(t, m, "high"), pin))
	assert.Equal(t, []string{"F2", "F3"}, trace.Sources(enter(t, m, "high", "K3 sticks at rest", "F2 resists 0.4"), pin))
	assert.Empty(t, trace.Sources(enter(t, m, "off"), pin))
}

// wordsOf says a path in a line: pins and what lies between, the larger drops named.
func wordsOf(p trace.Path) string {
	var parts []string
	for _, s := range p.Steps {
		if len(s.Pins) > 0 {
			parts = append(parts, s.Pins[0].String())
		}
		through := "(" + s.Through + ")"
		if s.Through != "" && !strings.HasPrefix(s.Through, "wire ") && (len(parts) == 0 || parts[len(parts)-1] != through) {
			parts = append(parts, through)
		}
	}
	if !p.Reaches {
		parts = append(parts, "nowhere")
	}
	return strings.Join(parts, " → ")
}
