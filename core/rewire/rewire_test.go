package rewire_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/rewire"
	"ironthread/core/study"
	"ironthread/core/trace"
	"ironthread/library"
	"ironthread/soak"
)

const mower = `
plan: 1
title: Verge mower, two speeds
supply: {off: 12.6, running: 14.2}
fans:
  - {name: near, amps: 14, inrush: 60, half-volts: ok}
  - {name: off side, amps: 14, inrush: 60, half-volts: ok}
speeds: [low, high]
requesters:
  - {name: fan 1, gives: ground, asks: low}
  - {name: fan 2, gives: ground, asks: high, limit: 0.8}
  - {name: clutch, gives: supply, asks: low}
  - {name: radiator switch, gives: switch, asks: high, closes: 100, opens: 95}
runs: {battery to box: 1.2m, box to fans: 1.1m, box to controller: 2m, fans to ground: 0.6m}
heat: 85
limits: {drop: 0.5, rest-contact: 20}
`

func wish(t testing.TB, text string) *rewire.Wish {
	t.Helper()
	w, err := rewire.Read([]byte(text))
	require.NoError(t, err)
	return w
}

// plans keeps what has been proposed, since one wish is looked at by several tests; none of them changes it.
var plans sync.Map

func plan(t testing.TB, w *rewire.Wish) *rewire.Plan {
	t.Helper()
	key, err := json.Marshal(w)
	require.NoError(t, err)
	if p, ok := plans.Load(string(key)); ok {
		return p.(*rewire.Plan)
	}
	p, err := rewire.Propose(t.Context(), w, nil)
	require.NoError(t, err)
	plans.Store(string(key), p)
	return p
}

func of(p *rewire.Plan, f rewire.Family) *rewire.Proposal {
	for i := range p.Proposals {
		if p.Proposals[i].Family == f {
			return &p.Proposals[i]
		}
	}
	return nil
}

func why(p *rewire.Plan, f rewire.Family) string {
	for _, r := range p.Refused {
		if r.Family == f {
			return r.Why + " | " + r.Frees
		}
	}
	return ""
}

// Two relays' worth of wishes become a three-relay circuit: in series the fans turn at a little more than half their speed on
// well under half their current (common practice); high brings low with it; an A/C line that gives plus pulls through a
// relay that turns it round.
func TestSeriesAndParallel(t *testing.T) {
	p := plan(t, wish(t, mower))
	x := of(p, rewire.Series)
	require.NotNil(t, x, "%v", p.Refused)
	assert.InDelta(t, 0.55, x.Speeds["low"], 0.05)
	assert.InDelta(t, 1, x.Speeds["high"], 0.01)
	assert.Less(t, x.Amps["low"], 0.25*x.Amps["high"])
	assert.Greater(t, x.RestRule, x.Amps["low"], "the rule of thumb takes a fan for a fixed resistor")
	assert.InDelta(t, x.Inrush["high"], 4*x.Inrush["low"], 0.2*x.Inrush["high"], "two in series take a quarter of two side by side")
	rows := map[string][]string{}
	for _, r := range x.Truth {
		rows[r.Requester] = r.Pulls
	}
	assert.Equal(t, []string{"K1"}, rows["fan 1"])
	assert.Equal(t, []string{"K1", "K2", "K3"}, rows["fan 2"])
	assert.Equal(t, []string{"K1", "K2", "K3"}, rows["radiator switch"])
	assert.Equal(t, []string{"K1", "KI3"}, rows["clutch"])
	require.NotNil(t, of(p, rewire.Staged))
	require.NotNil(t, of(p, rewire.Dropping))
	assert.Positive(t, of(p, rewire.Dropping).Heat["low"])
	assert.NotEmpty(t, p.Recommended)
	assert.Contains(t, why(p, rewire.Module), "no output here pulses")

	// The file is one like any other: read again it is the same circuit, drawn without doubts, and the guide finds faults in it.
	for _, x := range p.Proposals {
		c, err := harness.Read([]byte(x.Harness))
		require.NoError(t, err)
		again, err := harness.Write(c)
		require.NoError(t, err)
		assert.Equal(t, x.Harness, string(again))
		m, err := electric.New(c)
		require.NoError(t, err)
		assert.Empty(t, trace.Doubts(m), string(x.Family))
		_, err = diagnose.New(m)
		require.NoError(t, err)
	}
}

// What cannot be is refused with the figure and what would free it.
func TestRefusals(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, c := range []struct {
		name, from, to string
		family         rewire.Family
		want           []string
	}{
		{"unequal fans", "off side, amps: 14, inrush: 60", "off side, amps: 20, inrush: 90", rewire.Series,
			[]string{"near", "more than half the volts", "same type"}},
		{"stalls", "off side, amps: 14, inrush: 60, half-volts: ok", "off side, amps: 14, inrush: 60, half-volts: no", rewire.Dropping,
			[]string{"off side does not run at half"}},
		{"rest contact", "rest-contact: 20", "rest-contact: 6", rewire.Series, []string{"rest contact, which is good for 6 A", "stronger"}},
		{"driver", "asks: high, limit: 0.8", "asks: high, limit: 0.02", rewire.Series, []string{"fan 2 would have to take", "good for 0.02 A"}},
		{"drop", "drop: 0.5", "drop: 0.06", rewire.Staged, []string{"V on its feed", "allow 0.1"}},
		{"one fan", "  - {name: off side, amps: 14, inrush: 60, half-volts: ok}\n", "", rewire.Series, []string{"two fans"}},
		{"budget", "rest-contact: 20", "rest-contact: 20, budget: 20", rewire.Staged, []string{"the budget is 20"}},
		{"make contact", "heat: 85", "heat: 85\nrelays: {make: 15}", rewire.Staged, []string{"make contact of 15 A", "a relay of 40 A"}},
	} {
		p := plan(t, wish(t, strings.Replace(mower, c.from, c.to, 1)))
		got := why(p, c.family)
		for _, words := range c.want {
			assert.Contains(t, got, words, c.name)
		}
	}
	weak := plan(t, wish(t, strings.Replace(mower, "asks: high, limit: 0.8", "asks: high, limit: 0.15", 1)))
	for _, x := range weak.Proposals {
		assert.NotNil(t, x.Circuit.Part("KI2"), "%s: a driver of 150 mA pulls a pilot relay", x.Family)
	}
	p := plan(t, wish(t, strings.ReplaceAll(mower, ", half-volts: ok", "")))
	assert.Contains(t, strings.Join(of(p, rewire.Series).Warnings, "\n"), "nobody knows whether near starts")
}

// Bad wishes get one sentence that says what and where.
func TestBadWishes(t *testing.T) {
	for from, c := range map[string][2]string{
		"plan: 1":                         {"plan: 2", `"plan: 1"`},
		"amps: 14, inrush: 60":            {"amps: 140, inrush: 600", "near: a fan takes 0.2 to 80 A"},
		"asks: low}":                      {"asks: medium}", `asks for "medium", which is none of the speeds`},
		"gives: supply":                   {"gives: hope", `gives "hope"`},
		"supply: {off: 12.6":              {"supply: {off: 230", "licensed people"},
		"battery to box: 1.2m":            {"battery to box: 1.2km", "no length"},
		"heat: 85":                        {"heet: 85", "heet"},
		"closes: 100, opens: 95":          {"closes: 90, opens: 95", "opens below where it closes"},
		"gives: ground, asks: high, lim":  {"gives: pwm, hertz: 1e8, asks: high, lim", "MHz typed for Hz"},
		"name: clutch, gives: supply":     {"name: clutch, inverted: true, gives: supply", "can be inverted"},
		"name: off side":                  {"name: near", "the name of two things"},
		"  - {name: near, amps: 14, inru": {"  - {name: near, points: [{volts: 12, amps: 14}, {volts: 6, amps: 15}], inru", "well apart"},
	} {
		_, err := rewire.Read([]byte(strings.Replace(mower, from, c[0], 1)))
		require.ErrorContains(t, err, c[1], from)
		assert.NotContains(t, err.Error(), "\n")
	}
}

// Readings of a clamp at two voltages fit the motor: made from the fan law by hand (12.6 V, 14 A, 0.21 Ω, fifteen hundredths
// friction: 6.1 V give 5.3 A), they give the ohms back.
func TestPointsFitAMotor(t *testing.T) {
	// k·I = T0 + c·w², w ~ (V − I·R): at 6.1 V the current that satisfies it is found by halving here.
	low, high := 0.0, 14.0
	for range 80 {
		amps := (low + high) / 2
		speed := (6.1 - amps*0.21) / (12.6 - 14*0.21)
		if 14*(0.15+0.85*speed*speed) > amps {
			low = amps
		} else {
			high = amps
		}
	}
	w := wish(t, strings.Replace(mower, "amps: 14, inrush: 60, half-volts: ok}",
		fmt.Sprintf("points: [{volts: 6.1, amps: %.5f}, {volts: 12.6, amps: 14}], half-volts: ok}", low), 1))
	assert.InDelta(t, 12.6/0.21, w.Fans[0].Inrush, 0.5)
	assert.InDelta(t, 14, w.Fans[0].Amps, 1e-9)
}

// Failure effects: the changeover relay's coil open leaves the second fan at full speed on high and the first standing; a
// blown coil fuse leaves nothing; a welded contact runs on with the key off. The worst come first.
func TestEffects(t *testing.T) {
	x := of(plan(t, wish(t, mower)), rewire.Series)
	find := func(fault, state string) *rewire.Effect {
		for i := range x.Effects {
			if x.Effects[i].Fault == fault && x.Effects[i].State == state {
				return &x.Effects[i]
			}
		}
		return nil
	}
	e := find("K3 coil open", "high")
	require.NotNil(t, e)
	assert.Equal(t, map[string]string{"M1": "stopped", "M2": "fast"}, e.Fans)
	assert.Equal(t, rewire.HalfCooling, e.Severity)
	assert.Equal(t, rewire.NoCooling, find("F9 open", "high").Severity)
	on := find("K1 make contact welded", "parked hot")
	assert.Equal(t, rewire.RunsOn, on.Severity)
	assert.InDelta(t, 30/5, on.Hours, 2, "half of 60 Ah at some five amperes")
	assert.Nil(t, find("F9 open", "off"), "nothing is asked for there")
	assert.Equal(t, rewire.NoCooling, x.Effects[0].Severity)
	assert.Greater(t, x.Lost, 0.0)
	assert.Less(t, x.Lost, 1.0)
}

// An output that closes to ground to keep the fan off runs it when its line is open: fail-safe, and seen in what the fans do
// with the controller unplugged; with the key off nothing runs.
func TestAnInvertedLineFailsSafe(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	text := strings.Replace(mower, "name: fan 1, gives: ground", "name: fan 1, inverted: true, gives: ground", 1)
	x := of(plan(t, wish(t, text)), rewire.Series)
	require.NotNil(t, x)
	does := map[string]string{}
	for _, s := range x.Stands {
		does[s.Condition] = s.Fans["M1"]
	}
	assert.Equal(t, "stopped", does["off"])
	assert.Equal(t, "slow", does["controller unplugged"])
	assert.Equal(t, "slow", does["controller rebooting"])
	assert.Equal(t, "stopped", does["parked hot"])
}

// From the two-relay circuit that is there to three relays: relays and fans stay, the third relay and the link are added,
// and what is cut and stays live is said.
func TestTheChange(t *testing.T) {
	e, err := library.Open("f2-staged-pair")
	require.NoError(t, err)
	w := wish(t, mower)
	w.There = e.Circuit
	ch := of(plan(t, w), rewire.Series).Change
	for _, name := range []string{"M1", "M2", "K1", "K2", "BAT", "G1"} {
		assert.Contains(t, ch.Reused, name)
	}
	assert.Contains(t, ch.Added, "K3")
	assert.Equal(t, []string{"M1.- - G1"}, ch.Cut, "the one wire whose two ends no longer belong together, and that is too thin to be moved")
	was := len(e.Circuit.Wires)
	assert.LessOrEqual(t, len(ch.Cut)+len(ch.Moved), was, "no wire is cut twice")
}

// A low-speed resistor that moves: it is kept, with its ohms; its wires are too short at the new place, and the end that the
// old one leaves is live whenever low is asked for.
func TestAResistorMoves(t *testing.T) {
	e, err := library.Open("f4-dropping-resistor")
	require.NoError(t, err)
	w := wish(t, strings.NewReplacer("  - {name: off side, amps: 14, inrush: 60, half-volts: ok}\n", "", "box to fans: 1.1m", "box to "+
		"fans: 1.9m").
		Replace(mower))
	w.There = e.Circuit
	p := of(plan(t, w), rewire.Dropping)
	assert.InDelta(t, 0.45, p.Circuit.OfKind(harness.KindResistor)[0].Spec.(*harness.Resistor).Ohms, 1e-9)
	assert.Contains(t, p.Change.Reused, "R1")
	assert.Empty(t, p.Change.Cut)
	assert.Equal(t, []string{"K1.87 - R1.a becomes K1.87 - T1.a"}, p.Change.Moved, "with a limiter before it")
	assert.Contains(t, strings.Join(p.Operations.Moved, "\n"), "lengthened to 1.9 m")
}

// A drill on what a wish comes to can be won: faults of every proposal, hidden in a vehicle built of its file, are named by
// the guide. (The vehicle and the guide share the model: this judges that nothing of a proposal is beyond the guide, not
// whether the model is true.)
func TestADrillOnAProposalCanBeWon(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	every := 160 // of one proposal a few faults; in the soak one of two dozen of each
	if soak.Whole() {
		every = 24
	}
	proposals := plan(t, wish(t, mower)).Proposals
	for _, x := range soak.Of(proposals[:1], proposals) {
		c, err := harness.Read([]byte(x.Harness))
		require.NoError(t, err)
		m, err := electric.New(c)
		require.NoError(t, err)
		g, err := diagnose.New(m)
		require.NoError(t, err)
		r, err := study.Play(t.Context(), g, study.Options{Every: every}, nil)
		require.NoError(t, err)
		assert.InDelta(t, 1, r.Right, 1e-9, "%s: %+v", x.Family, r.Trials)
		assert.Zero(t, r.ConfidentWrong)
		t.Logf("%s: %d faults, %.1f tests, %.1f minutes", x.Family, len(r.Trials), r.MeanToName, r.MeanMinutes)
		g.Close()
	}
}

func BenchmarkTwinFans(b *testing.B) {
	w := wish(b, mower)
	for b.Loop() {
		_, err := rewire.Propose(b.Context(), w, nil)
		require.NoError(b, err)
	}
}

// Switches that would come on together, and two that take the coils' feed away, are refused; without temperatures the higher speed
// comes later by itself. Relays are suppressed unless the wish says otherwise, and then it is said what that does.
func TestWhatAsksComesOneAfterTheOther(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	text := strings.Replace(mower, "  - {name: fan 1, gives: ground, asks: low}\n", "  - {name: cool, gives: switch, asks: low}\n", 1)
	w := wish(t, strings.Replace(text, ", closes: 100, opens: 95", "", 1))
	assert.InDelta(t, 92, w.Requesters[0].Closes, 1e-9)
	assert.InDelta(t, 99, w.Requesters[3].Closes, 1e-9)
	for from, c := range map[string][2]string{
		"gives: switch, asks: low}": {"gives: switch, asks: low, closes: 100, opens: 90}", "would come on together"},
		"{name: clutch, gives: supp": {"{name: k1, gives: kill}\n  - {name: k2, gives: kill}\n  - {name: clutch, gives: supp",
			"in series behind one name"},
		"runs: {": {"runs: {post to fuse: 0.6m, ", "nothing clears a short there"},
	} {
		_, err := rewire.Read([]byte(strings.Replace(text, from, c[0], 1)))
		require.ErrorContains(t, err, c[1], from)
	}
	x := of(plan(t, wish(t, mower)), rewire.Staged)
	assert.Contains(t, x.Harness, "suppression: resistor")
	bare := of(plan(t, wish(t, mower+"relays: {suppression: none}\n")), rewire.Staged)
	assert.Contains(t, strings.Join(bare.Warnings, "\n"), "nothing across their coils")
	killed := of(plan(t, wish(t, strings.Replace(mower, "  - {name: clutch", "  - {name: service, gives: kill}\n  - {name: clutch", 1))),
		rewire.Staged)
	k := slices.IndexFunc(killed.Truth, func(r rewire.TruthRow) bool { return r.Requester == "service" })
	require.GreaterOrEqual(t, k, 0, "whoever asks stands in the table")
	assert.Equal(t, map[string]string{"M1": "stopped", "M2": "stopped"}, killed.Truth[k].Fans)
}

// A fan that stands still behind its resistor: the limiter opens, nothing glows, and without it the same fault is an overload.
func TestAStalledFanBehindItsResistor(t *testing.T) {
	x := of(plan(t, wish(t, mower)), rewire.Dropping)
	stalled := false
	for _, e := range x.Effects {
		if e.Fault == "M1 seized" && e.State == "low" {
			stalled = true
			assert.Contains(t, e.Why, "T1 opens at 180 °C")
		}
	}
	assert.True(t, stalled)
	for _, p := range x.Circuit.OfKind(harness.KindLimiter) {
		assert.Contains(t, p.Label, "bolted to R")
	}
}

// The controller that asks is the vehicle's own: its supply and its ground are neither bought, laid nor sized, and a harness that is
// there keeps them.
func TestTheControllersOwnWiresStay(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	w := wish(t, mower)
	w.There = e.Circuit
	for _, x := range plan(t, w).Proposals {
		b, err := x.Sheets(w)
		require.NoError(t, err)
		for _, l := range b.Wires {
			assert.NotContains(t, l.From+" "+l.To, "ECU.G")
			assert.NotContains(t, l.From+" "+l.To, "ECU.P")
		}
		for _, cut := range append(slices.Clone(x.Change.Cut), x.Change.Moved...) {
			assert.NotContains(t, cut, "ECU.5", "the controller's ground, as it is there")
		}
	}
}

// With two contacts in a relay one relay does what is switched together: in series and in parallel it joins the fans and feeds the
// second, and past the resistors it feeds two fans. Every proposal is solved in every state before it is shown.
func TestTwoContactsInARelay(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	p := plan(t, wish(t, strings.Replace(mower, "heat: 85", "heat: 85\nrelays: {poles: 2}", 1)))
	for family, contacts := range map[rewire.Family]string{rewire.Series: "double-changeover", rewire.Dropping: "double-make"} {
		x, one := of(p, family), of(plan(t, wish(t, mower)), family)
		require.NotNil(t, x, family)
		assert.Equal(t, 1, strings.Count(x.Harness, "contacts: "+contacts), "%s", family)
		assert.Equal(t, strings.Count(one.Harness, "kind: relay")-1, strings.Count(x.Harness, "kind: relay"), "%s", family)
		assert.NotContains(t, x.Harness, "contacts: changeover")
	}
	four := plan(t, wish(t, strings.NewReplacer("heat: 85", "heat: 85\nrelays: {poles: 2}",
		"speeds: [low, high]", "  - {name: third, amps: 14, half-volts: ok}\n  - {name: fourth, amps: 14, half-volts: ok}\nspeeds: [low, high]").
		Replace(mower)))
	x := of(four, rewire.Series)
	require.NotNil(t, x)
	assert.Equal(t, 2, strings.Count(x.Harness, "double-changeover"))
	assert.NotContains(t, x.Harness, "K5:")
}

// Who bounds how long fans run on is told what does: these stop with the key, and nothing flows for as long as the engine stands hot.
func TestRunOnIsBounded(t *testing.T) {
	x := of(plan(t, wish(t, strings.Replace(mower, "heat: 85", "heat: 85\nrun-on: 8min", 1))), rewire.Series)
	require.NotNil(t, x)
	assert.Contains(t, strings.Join(x.Warnings, "\n"), "stop with the key")
	found := false
	for _, c := range x.Rules {
		if strings.HasPrefix(c.Rule, "A that flow with the key off") {
			found = true
			assert.Less(t, c.Value, c.Limit)
		}
	}
	assert.True(t, found, "%+v", x.Rules)
}
