package diagnose_test

import (
	"cmp"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	vehicles "ironthread/core/car"
	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/soak"
)

// Five circuits that are in no library file, drawn by hand for these tests. What is entered is written down as a person says
// it, and what must be made of it is common practice: the judge is the trade, not the guide's own cars.

// own is one of the circuits, with the places that the rows below speak of.
type own struct {
	name    string
	relay   string // closes a fan's feed
	state   string // in which it does
	fan     string
	fuse    string // of the fan
	wire    string // in the fan's feed, behind the relay
	fails   string // what the fan does there where its relay or wire carries nothing
	healthy []string
}

var owns = []own{
	{name: "hay-baler", relay: "RL", state: "hot", fan: "FAN", fuse: "FA", wire: "wire RL.87 - FAN.+", fails: "stopped",
		healthy: []string{"{state: cool, fans: {FAN: stopped}}", "{state: hot, fans: {FAN: fast}}"}},
	{name: "quarry-loader", relay: "RB", state: "all", fan: "MR", fuse: "FY", wire: "wire RB.87 - XC.a2", fails: "stopped",
		healthy: []string{"{state: none, fans: {ML: stopped, MR: stopped}}", "{state: first, fans: {ML: fast, MR: stopped}}",
			"{state: all, fans: {ML: fast, MR: fast}}"}},
	{name: "ferry-ramp", relay: "RHI", state: "high", fan: "PACK", fuse: "FM", wire: "wire RHI.87 - PACK.+", fails: "slow",
		healthy: []string{"{state: rest, fans: {PACK: stopped}}", "{state: low, fans: {PACK: slow}}", "{state: high, fans: {PACK: fast}}"}},
	{name: "seed-drill", relay: "KA", state: "half", fan: "MA", fuse: "F11", wire: "wire KA.87 - MA.+", fails: "stopped",
		healthy: []string{"{state: idle, fans: {MA: stopped, MB: stopped, MC: stopped}}",
			"{state: half, fans: {MA: fast, MB: stopped, MC: stopped}}",
			"{state: full, fans: {MA: fast, MB: fast, MC: fast}}"}},
	{name: "snow-blower", relay: "KP", state: "fast", fan: "MV", fuse: "FQ", wire: "wire KP.87 - MV.+", fails: "stopped",
		healthy: []string{"{state: off, fans: {MU: stopped, MV: stopped}}", "{state: slow, fans: {MU: slow, MV: slow}}",
			"{state: fast, fans: {MU: fast, MV: fast}}"}},
}

var ownGuides sync.Map

func (o own) guide(t testing.TB) *diagnose.Guide {
	t.Helper()
	made, _ := ownGuides.LoadOrStore(o.name, sync.OnceValues(func() (*diagnose.Guide, error) {
		text, err := os.ReadFile(filepath.Join("testdata", "own", o.name+".harness.yaml"))
		if err != nil {
			return nil, err
		}
		c, err := harness.Read(text)
		if err != nil {
			return nil, err
		}
		m, err := electric.New(c)
		if err != nil {
			return nil, err
		}
		return diagnose.New(m)
	}))
	g, err := made.(func() (*diagnose.Guide, error))()
	require.NoError(t, err)
	return g
}

// assess has a circuit's guide judge lines of an observations file; $R, $M, $F, $W and $S stand for the relay, the fan, its
// fuse, the wire and the state.
func (o own) assess(t testing.TB, lines ...string) *diagnose.Assessment {
	t.Helper()
	text := strings.NewReplacer("$R", o.relay, "$M", o.fan, "$F", o.fuse, "$W", o.wire, "$S", o.state).Replace("- " + strings.Join(lines,
		"\n- "))
	g := o.guide(t)
	seen, err := probe.ReadObservations([]byte(text), g.Circuit())
	require.NoError(t, err, text)
	setup, err := seen[len(seen)-1].Held(g.Circuit())
	require.NoError(t, err)
	a, err := g.Assess(t.Context(), seen, diagnose.Now{Setup: setup})
	require.NoError(t, err)
	always(t, a)
	return a
}

// always is what every answer of the guide is: a verdict, an end or a next move.
func always(t testing.TB, a *diagnose.Assessment) {
	t.Helper()
	assert.False(t, a.Verdict == nil && a.Outcome == diagnose.StillOpen && len(a.Next) == 0, "a verdict, an end or a next move, always")
}

// told says of what an answer was made, for the messages of failed tests.
func told(a *diagnose.Assessment) string {
	var b strings.Builder
	for _, s := range a.Suspects[:min(5, len(a.Suspects))] {
		fmt.Fprintf(&b, "%s %.3f; ", s.Fault, s.Probability)
	}
	fmt.Fprintf(&b, "pairs %v; also %v; cleared %v; surprising %v; %s", a.Pairs, a.Also, a.Cleared, a.Surprising, a.Outcome)
	return b.String()
}

// does is what the fan does in the state, with a fault in the circuit.
func (o own) does(t *testing.T, words string) string {
	t.Helper()
	g := o.guide(t)
	f, err := fault.Parse(g.Circuit(), words)
	require.NoError(t, err)
	p, err := g.Model().Solve(electric.Condition{State: g.Circuit().State(o.state), Faults: []fault.Fault{f}})
	require.NoError(t, err)
	return string(p.Motors[o.fan].Speed)
}

// complaint is that the fan does this with its relay commanded; empty: what it does with nothing fed. Nothing is said of the
// others.
func (o own) complaint(word string) []string {
	return []string{"{state: $S, fans: {$M: " + cmp.Or(word, o.fails) + "}}"}
}

func TestARelaysContactIsWhatWasMeasured(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, o := range soak.Of(owns[:2], owns) {
		for _, ohms := range soak.Of([]float64{0.4, 3, 14}, []float64{0.25, 0.4, 0.7, 1, 3, 5, 9, 14}) {
			word := o.does(t, fmt.Sprintf("%s make contact burnt %g", o.relay, ohms))
			if word == "fast" {
				continue // too little for the eye
			}
			a := o.assess(t, append(o.complaint(word), fmt.Sprintf("{bench: $R, ohms: %g, between: [30, 87], energised: true, leads: nulled}",
				ohms))...)
			burnt := o.relay + " make contact burnt"
			if word == "stopped" { // so may other things make it stand: the burnt contact is named beside them
				named := slices.ContainsFunc(a.Also, func(f diagnose.Found) bool { return f.Fault == burnt && f.Probability >= 0.8 })
				assert.True(t, named || a.Suspects[0].Fault == burnt, "%s %g Ω: %s", o.name, ohms, told(a))
				assert.NotContains(t, a.Cleared, o.relay)
				continue
			}
			least := 0.9
			if ohms < 0.4 { // the eye hardly sees that
				least = 0.75
			}
			assert.GreaterOrEqual(t, share(a, []string{burnt}, true), least, "%s %g Ω: %s", o.name, ohms, told(a))
			assert.NotContains(t, a.Cleared, o.relay)
			assert.Empty(t, a.Surprising, told(a))
		}
		for _, ohms := range []float64{0, 0.1} { // a healthy contact, leads nulled
			a := o.assess(t, append(o.complaint("slow"), fmt.Sprintf("{bench: $R, ohms: %g, between: [30, 87], energised: true, leads: nulled}",
				ohms))...)
			before := o.assess(t, o.complaint("slow")...)
			burnt := []string{o.relay + " make contact burnt"}
			assert.Less(t, share(a, burnt, true), share(before, burnt, true), "%s %g Ω: %s", o.name, ohms, told(a))
			assert.Empty(t, a.Also)
			assert.Empty(t, a.Surprising, told(a))
		}
	}
}

// The complaint has its cause; a burnt contact that was measured on the way is named beside it, and not cleared.
func TestASecondDefectIsKeptAndNamed(t *testing.T) {
	for _, o := range soak.Of(owns[:2], owns) {
		for _, ohms := range []float64{0.4, 1, 3} {
			a := o.assess(t, append(o.complaint(""), "{looked: $W, found: cut}",
				fmt.Sprintf("{bench: $R, ohms: %g, between: [30, 87], energised: true, leads: nulled}", ohms))...)
			// Where each alone would do what the fan does, both are named and neither is the verdict.
			both := share(a, []string{o.wire + " open", o.relay + " make contact burnt"}, true)
			assert.GreaterOrEqual(t, both, 0.9, "%s: %s", o.name, told(a))
			assert.Greater(t, share(a, []string{o.wire + " open"}, true), 0.3, "%s: %s", o.name, told(a))
			named := slices.ContainsFunc(a.Also, func(f diagnose.Found) bool { return f.Fault == o.relay+" make contact burnt" })
			assert.True(t, named, "%s: %s", o.name, told(a))
			assert.NotContains(t, a.Cleared, o.relay)
		}
	}
}

func TestALaterLookReplacesTheEarlier(t *testing.T) {
	for _, o := range soak.Of(owns[:2], owns) {
		blown := []string{o.fuse + " open", ".* grounded", o.fan + " seized"} // or what has blown it
		a := o.assess(t, "{state: $S, fans: {$M: stopped}}", "{looked: $F, found: looks whole}", "{looked: $F, found: blown}")
		assert.GreaterOrEqual(t, share(a, blown, true), 0.95, "%s: %s", o.name, told(a))
		assert.Empty(t, a.Surprising)
		a = o.assess(t, "{state: $S, fans: {$M: stopped}}", "{looked: $F, found: blown}", "{looked: $F, found: looks whole}")
		assert.GreaterOrEqual(t, share(a, blown, true), 0.95, "%s: that it looks whole takes nothing back: %s", o.name, told(a))
		a = o.assess(t, append(o.complaint(""), "{looked: $R, found: heat}", "{looked: $R, found: clean}")...)
		assert.Empty(t, a.Surprising, "it was wiped: %s", told(a))
	}
	o := owns[0] // two volts at one pin still gainsay each other
	a := o.assess(t, "{state: hot, volts: 12.4, at: FA.b}", "{state: hot, volts: 0, at: FA.b}")
	assert.NotEmpty(t, a.Surprising)
}

// Old heat and green speak for the part that the rest condemns, and are a finding of their own anywhere else.
func TestMarksAreNeverAContradiction(t *testing.T) {
	for _, o := range soak.Of(owns[:2], owns) {
		for _, mark := range []string{"heat", "corrosion"} {
			a := o.assess(t, append(o.complaint(""), "{looked: $R, found: "+mark+"}", "{looked: $W, found: cut}")...)
			assert.Empty(t, a.Surprising, "%s: %s", o.name, told(a))
			assert.GreaterOrEqual(t, share(a, []string{o.wire + " open"}, true), 0.85, "%s: %s", o.name, told(a))
			before := o.assess(t, o.complaint("")...)
			a = o.assess(t, append(o.complaint(""), "{looked: $R, found: "+mark+"}")...)
			mine := []string{o.relay + " .*", "pin " + o.relay + ".*"}
			assert.Greater(t, share(a, mine, false), share(before, mine, false), "%s: it speaks for the relay: %s", o.name, told(a))
		}
	}
}

func TestAMeltedWireIsNearlyAsGoodAsACutOne(t *testing.T) {
	for _, o := range soak.Of(owns[:2], owns) {
		melted := o.assess(t, append(o.complaint(""), "{looked: $W, found: melted}")...)
		assert.GreaterOrEqual(t, share(melted, []string{o.wire + " .*"}, true), 0.85, "%s: %s", o.name, told(melted))
		whole := o.assess(t, append(o.complaint(""), "{looked: $W, found: whole}")...)
		assert.Empty(t, whole.Surprising)
		assert.Less(t, share(whole, []string{o.wire + " .*"}, false), 0.1, "%s: %s", o.name, told(whole))
	}
}

// What the hand felt holds; that the stuck fan has blown its fuse follows from it.
func TestStuckByHandHolds(t *testing.T) {
	for _, o := range soak.Of(owns[:2], owns) {
		a := o.assess(t, append(o.complaint("stopped"), "{turned: $M, found: stuck, setup: [$M unplugged]}", "{looked: $F, found: blown}")...)
		assert.GreaterOrEqual(t, share(a, []string{o.fan + " seized"}, true), 0.9, "%s: %s", o.name, told(a))
		assert.Empty(t, a.Also, "the fuse is no second defect: %s", told(a))
		a = o.assess(t, append(o.complaint("stopped"), "{turned: $M, found: stuck, setup: [$M unplugged]}",
			"{state: $S, wiggled: $M, found: changes}")...)
		assert.GreaterOrEqual(t, share(a, []string{o.fan + " .*"}, true), 0.9, "%s: %s", o.name, told(a))
		assert.Empty(t, a.Surprising, told(a))
		stiff := o.assess(t, append(o.complaint("fast"), "{turned: $M, found: drags, setup: [$M unplugged]}")...)
		assert.Less(t, share(stiff, []string{o.fan + " seized"}, true), 0.05, "%s: %s", o.name, told(stiff))
		assert.Empty(t, stiff.Surprising, told(stiff))
	}
}

// Two fans, both fed, both dead: a pair explains it, so that no one of them is proven alone, nothing contradicts, and there is
// a next move.
func TestWhileAPairExplainsAllNoSingleIsProven(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, c := range []struct {
		own
		one, other string
		lines      []string
	}{
		{owns[1], "ML", "MR", []string{"{state: all, fans: {ML: stopped, MR: stopped}}", "{state: all, relay: RA, felt: click}",
			"{state: all, relay: RB, felt: click}", "{state: all, volts: 24.6, at: ML.+, from: ML.-}",
			"{state: all, volts: 24.5, at: MR.+, from: MR.-}"}},
		{owns[3], "MB", "MC", []string{"{state: half, fans: {MA: fast, MB: stopped, MC: stopped}}",
			"{state: full, fans: {MA: fast, MB: stopped, MC: stopped}}",
			"{state: full, volts: 12.3, at: MB.+, from: MB.-}", "{state: full, volts: 12.2, at: MC.+, from: MC.-}"}},
		{owns[4], "MU", "MV", []string{"{state: slow, fans: {MU: stopped, MV: stopped}}", "{state: fast, fans: {MU: stopped, MV: stopped}}",
			"{state: fast, volts: 12.2, at: MU.+, from: MU.-}", "{state: fast, volts: 12.3, at: MV.+, from: MV.-}"}},
	} {
		a := c.assess(t, c.lines...)
		both := share(a, []string{c.one + " .*", "pin " + c.one + ".*"}, true) + share(a, []string{c.other + " .*", "pin " + c.other + ".*"},
			true)
		assert.Greater(t, both, 1.1, "%s: both are believed in: %s", c.name, told(a))
		assert.Empty(t, a.Surprising, "%s: %s", c.name, told(a))
		if a.Verdict != nil {
			assert.Len(t, a.Verdict.Faults, 2, "%s: %s", c.name, a.Verdict.Faults)
		} else {
			assert.NotEmpty(t, a.Next)
		}
	}
}

// A fan that stands, or runs where another should: two lines changed over lead, and it is never "no fault".
func TestTheWrongFanIsNoHealthyCar(t *testing.T) {
	for _, c := range []struct {
		own
		lines []string
	}{
		{owns[1], []string{"{state: none, fans: {ML: stopped, MR: stopped}}", "{state: first, fans: {ML: stopped, MR: fast}}",
			owns[1].healthy[2]}},
		{owns[3], []string{owns[3].healthy[0], "{state: half, fans: {MA: stopped, MB: fast, MC: fast}}", owns[3].healthy[2]}},
	} {
		a := c.assess(t, c.lines...)
		assert.GreaterOrEqual(t, share(a, []string{".*crossed.*"}, true), 0.5, "%s: %s", c.name, told(a))
		assert.Less(t, share(a, []string{"no fault"}, true), 0.05, "%s: %s", c.name, told(a))
	}
	for _, o := range soak.Of(owns[:2], owns) {
		for _, word := range []string{"stopped", "backwards"} {
			lines := []string{"{state: $S, fans: {$M: " + word + "}}"}
			for _, h := range o.healthy {
				if strings.Contains(h, o.fan+": stopped") { // where it runs it is another story
					lines = append(lines, h)
				}
			}
			a := o.assess(t, lines...)
			assert.Less(t, share(a, []string{"no fault"}, true), 0.05, "%s, %s: %s", o.name, word, told(a))
		}
	}
}

// A healthy car, read with a clamp that shows too little: nothing was found, and that is how the job ends.
func TestNothingFound(t *testing.T) {
	amps := map[string]float64{"hay-baler": 10.4, "quarry-loader": 7.7, "ferry-ramp": 17.8, "seed-drill": 8.4, "snow-blower": 12.2}
	for _, o := range soak.Of(owns[:2], owns) {
		for _, low := range []float64{1, 0.94, 0.97} {
			a := o.assess(t, append(o.healthy, fmt.Sprintf("{state: $S, amps: %.1f, at: $M.+}", low*amps[o.name]), "{codes: []}")...)
			assert.Equal(t, diagnose.NothingFound, a.Outcome, "%s × %g: %s", o.name, low, told(a))
			if a.Verdict != nil {
				assert.Equal(t, diagnose.NoFault, a.Verdict.Faults[0])
			}
		}
	}
}

// A part open on the bench is proven there; a lamp that lights at a pin is a load, and tells of its feed.
func TestThatIsProof(t *testing.T) {
	for _, o := range soak.Of(owns[:2], owns) {
		a := o.assess(t, append(o.complaint("stopped"), "{turned: $M, found: free, setup: [$M unplugged]}",
			"{bench: $F, ohms: OL, between: [a, b]}")...)
		blown := []string{o.fuse + " open", ".* grounded", ".*crossed"} // or what has blown it, which is asked next
		assert.GreaterOrEqual(t, share(a, blown, true), 0.95, "%s: %s", o.name, told(a))
		if a.Suspects[0].Probability >= diagnose.VerdictAt && assert.NotNil(t, a.Verdict, "%s: %s", o.name, told(a)) {
			assert.True(t, a.Verdict.Proven, "%s lacks %v", o.name, a.Verdict.Lacks)
		}
	}
	o := owns[2]
	a := o.assess(t, "{state: high, fans: {PACK: fast}}", "{state: low, fans: {PACK: stopped}}", "{bench: RES, ohms: OL, between: [a, b]}",
		"{state: low, lamp: bright, at: RES.a}")
	if assert.NotNil(t, a.Verdict, told(a)) {
		assert.True(t, a.Verdict.Proven, a.Verdict.Lacks)
		assert.Equal(t, "RES open", a.Verdict.Faults[0])
	}
}

// One joint cleaned, and all is well: that is the end, and what is foretold goes by the cleaned joint.
func TestAfterACleaningTheCarIsForetoldAsCured(t *testing.T) {
	for _, o := range soak.Of(owns[:2], owns) {
		lines := append(o.complaint(""), "{state: $S, setup: [cleaned $R], fans: {$M: fast}}")
		for _, h := range o.healthy {
			lines = append(lines, strings.Replace(h, ", fans", ", setup: [cleaned $R], fans", 1))
		}
		a := o.assess(t, lines...)
		if assert.NotNil(t, a.Mended, "%s: %s", o.name, told(a)) {
			assert.Equal(t, diagnose.IsMended, a.Outcome, "%s: %.2f %s", o.name, a.Mended.Probability, told(a))
		}
		for _, m := range a.Next {
			if m.Do == probe.LookAtFans && m.State == o.state {
				assert.Contains(t, m.Outcomes[0].Reading, o.fan+" fast", o.name)
			}
		}
	}
}

// What has been answered is not asked again while nothing has changed.
func TestNothingIsAskedTwice(t *testing.T) {
	for _, o := range soak.Of(owns[:2], owns) {
		a := o.assess(t, append(o.complaint(""), "{codes: []}", "{looked: $R, found: clean}")...)
		for _, m := range a.Next {
			assert.NotEqual(t, probe.TroubleCodes, m.Do, o.name)
			assert.False(t, m.Do == probe.Looked && m.Part == o.relay, o.name)
		}
	}
}

// A figure that was misread once condemns no part: what the verdict hangs on is backed by another reading before it is proven, and
// that other reading is the next move. Once it agrees, the verdict is proven.
func TestAVerdictOnOneReadingIsBacked(t *testing.T) {
	o := owns[2]
	lines := append(o.complaint("slow"), "{bench: $R, ohms: 1.2, between: [30, 87], energised: true, leads: nulled}")
	a := o.assess(t, lines...)
	require.NotNil(t, a.Verdict, told(a))
	assert.Equal(t, "RHI make contact burnt", a.Verdict.Faults[0])
	assert.False(t, a.Verdict.Proven)
	require.Len(t, a.Verdict.Lacks, 1)
	assert.Contains(t, a.Verdict.Lacks[0], "hangs on one reading")
	require.NotEmpty(t, a.Next)
	f, err := fault.Parse(o.guide(t).Circuit(), "RHI make contact burnt 1.2")
	require.NoError(t, err)
	vehicle, err := vehicles.New(o.guide(t).Model(), vehicles.Options{}, f)
	require.NoError(t, err)
	for range 4 { // what it asks for is answered by a car that has it
		if a.Verdict != nil && a.Verdict.Proven {
			return
		}
		answered, err := vehicle.Answer(a.Next[0].Question)
		require.NoError(t, err)
		text, err := json.Marshal(&answered)
		require.NoError(t, err)
		lines = append(lines, string(text))
		a = o.assess(t, lines...)
	}
	assert.Fail(t, "not proven by a second reading", told(a))
}

// Two faults in a circuit of fifteen parts, from the complaint over the first repair to the end: at every step there is a verdict,
// an end or a next move.
func TestThereIsAlwaysAWayOn(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	o := owns[3]
	g := o.guide(t)
	pairs := [][2]string{{"F12 open", "GR resists 0.8"}, {"KA make contact burnt 0.9", "MC open"}, {"wire KB.85 - JB.8 open", "MA worn"}}
	for _, pair := range soak.Of(pairs[:1], pairs) {
		var faults []fault.Fault
		for _, words := range pair {
			f, err := fault.Parse(g.Circuit(), words)
			require.NoError(t, err)
			faults = append(faults, f)
		}
		vehicle, err := vehicles.New(g.Model(), vehicles.Options{}, faults...)
		require.NoError(t, err)
		var seen []probe.Observation
		var now diagnose.Now
		for range 40 {
			a, err := g.Assess(t.Context(), seen, now)
			require.NoError(t, err)
			always(t, a)
			if a.Outcome == diagnose.IsMended && a.Verdict != nil && a.Verdict.Proven {
				break
			}
			if v := a.Verdict; v != nil && (v.Proven || len(a.Next) == 0) {
				f, err := fault.Parse(g.Circuit(), v.Faults[0])
				if err != nil {
					break // nothing is found any more
				}
				now.Setup = append(probe.Lasting(now.Setup), g.Repairs(probe.Lasting(now.Setup), f)...)
				now.State = nil
				vehicle.Do(now.Setup)
				continue
			}
			if len(a.Next) == 0 {
				break
			}
			answered, err := vehicle.Answer(a.Next[0].Question)
			require.NoError(t, err)
			made, err := answered.Test(g.Circuit())
			require.NoError(t, err)
			seen = append(seen, answered)
			now.State, now.Setup = made.State, made.OnTheCar()
		}
		assert.True(t, vehicle.Well(probe.Lasting(now.Setup)), "%v: mended in the end", pair)
	}
}
