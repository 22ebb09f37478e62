package job_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/library"
)

func entry(seq int, kind job.Kind, body job.Body) job.Entry {
	return job.Entry{Seq: seq, Kind: kind, Body: body}
}

func seen(state string, fans map[string]string) job.Body {
	seen := probe.Seen(state, fans)
	return job.Body{Seen: &seen, Good: &probe.Good{Answer: probe.Fans{"M1": "fast"}}}
}

func TestFold(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	entries := []job.Entry{
		entry(1, job.Opened, job.Body{Text: "runs hot"}),
		entry(2, job.Seen, seen("high", map[string]string{"M1": "fast"})),
		entry(3, job.Did, job.Body{Action: "K1 out"}),
		entry(4, job.Seen, seen("low", map[string]string{"M1": "stopped"})),
		entry(5, job.Did, job.Body{Action: "M1 unplugged"}),
		entry(6, job.Undid, job.Body{Action: "K1 out"}),
		entry(7, job.Struck, job.Body{Seq: 4}),
		entry(8, job.Seen, seen("low", map[string]string{"M9": "stopped"})),
		entry(9, job.Noted, job.Body{Text: "salt"}),
	}
	s := job.Fold(e.Circuit, entries)
	assert.Equal(t, 9, s.Last)
	assert.Len(t, s.Beads, 8, "striking out is no bead of its own")
	assert.Equal(t, []string{"M1 unplugged"}, probe.SetupWords(s.Ledger))
	require.Len(t, s.Seen, 1, "one struck out, one about a part that is not there")
	assert.Equal(t, "high", s.Now.State.Name)
	assert.True(t, s.Beads[3].StruckOut)
	assert.Contains(t, s.Beads[6].Detail, "does not count: there is no part M9")
	assert.False(t, s.Beads[1].Telling)
	assert.False(t, s.Closed)

	// Replaying any beginning gives how the job stood then.
	before := job.Fold(e.Circuit, entries[:4])
	assert.Equal(t, []string{"K1 out"}, probe.SetupWords(before.Ledger))
	assert.Len(t, before.Seen, 2)
}

func TestTellingReadings(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	volts := func(v float64, open bool, good probe.Good) bool {
		o := &probe.Observation{Question: probe.Question{Do: probe.Volts, State: "low", At: "F3.a"},
			Answer: probe.Figure{Reading: probe.Reading{Figure: v, Open: open}, Unit: &probe.InVolts}}
		s := job.Fold(e.Circuit, []job.Entry{entry(1, job.Seen, job.Body{Seen: o, Good: &good})})
		return s.Beads[0].Telling
	}
	six := probe.Good{Answer: probe.InVolts.Shows(6.2)}
	assert.True(t, volts(12.4, false, six))
	assert.False(t, volts(6.0, false, six))
	assert.True(t, volts(0, true, six))
	assert.False(t, volts(0, true, probe.Good{Answer: probe.InVolts.ShowsNone()}))
}

func TestBodiesSurviveTheStore(t *testing.T) {
	b := job.Body{Text: "note", Seq: 3, Action: "K1 out", Good: &probe.Good{Answer: probe.InVolts.Shows(6.2)},
		Seen: &probe.Observation{Question: probe.Question{Do: probe.Volts, State: "low", At: "F3.a", Setup: []string{"K1 out"}},
			Answer: probe.InVolts.ShowsNone()}}
	raw, err := b.Marshal()
	require.NoError(t, err)
	var back job.Body
	require.NoError(t, back.Unmarshal(raw))
	assert.Equal(t, b, back)
}

func TestRepairsChecksAndWhatHangsOnAnEntry(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	entries := []job.Entry{
		entry(1, job.Opened, job.Body{Text: "runs hot"}),
		entry(2, job.Seen, seen("low", map[string]string{"M1": "stopped"})),
		entry(3, job.Noted, job.Body{Text: "green salt", Seq: 2}),
		entry(4, job.Pictured, job.Body{Photo: 7, Text: "the box", Seq: 2}),
		entry(5, job.Checked, job.Body{Check: "cause drag M1", Text: "as expected"}),
		entry(6, job.Repaired, job.Body{Action: "F3 renewed", Fault: "F3 open", Proven: true, Text: "new fuse", Minutes: 4}),
		entry(7, job.Checked, job.Body{Check: "warm-up up 95", Text: "late"}),
	}
	s := job.Fold(e.Circuit, entries)
	assert.Len(t, s.Beads, 5, "what hangs on an entry is no bead of its own")
	assert.Equal(t, []int64{7}, s.Beads[1].Photos)
	assert.Equal(t, []string{"green salt", "the box"}, s.Beads[1].Notes)
	require.Len(t, s.Repairs, 1)
	assert.Equal(t, []string{"F3 renewed"}, probe.SetupWords(s.Ledger))
	assert.Equal(t, map[string]string{"warm-up up 95": "late"}, s.Said, "what was said of the car before the repair is asked again")
	assert.Equal(t, "M1 turns freely by hand", s.Beads[2].Title)
	assert.True(t, s.Beads[4].Telling)
	assert.Equal(t, "new fuse; 4 min", s.Beads[3].Detail)

	undone := job.Fold(e.Circuit, append(entries, entry(8, job.Undid, job.Body{Action: "F3 renewed"})))
	assert.Empty(t, undone.Repairs, "a repair taken back is none")
	shut := job.Fold(e.Circuit, append(entries, entry(9, job.Closed, job.Body{Text: "x", Reason: job.NotReproduced})))
	assert.Equal(t, job.NotReproduced, shut.Reason)
	assert.Equal(t, "Closed: not reproduced", shut.Beads[len(shut.Beads)-1].Title)
}

func TestTellingOfEveryKind(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	telling := func(o probe.Observation, good probe.Good) bool {
		s := job.Fold(e.Circuit, []job.Entry{entry(1, job.Seen, job.Body{Seen: &o, Good: &good})})
		require.NotContains(t, s.Beads[0].Detail, "does not count", o.String())
		return s.Beads[0].Telling
	}
	relay := probe.Observation{Question: probe.Question{Do: probe.Relay, State: "low", Part: "K1"}, Answer: probe.Word("nothing")}
	assert.True(t, telling(relay, probe.Good{Answer: probe.Word("click")}))
	relay.Answer = probe.Word("click")
	assert.False(t, telling(relay, probe.Good{Answer: probe.Word("click")}))
	assert.False(t, telling(probe.Observation{Question: probe.Question{Do: probe.TroubleCodes},
		Answer: probe.Codes{}}, probe.Good{Answer: probe.Word("none")}))
	assert.True(t, telling(probe.Observation{Question: probe.Question{Do: probe.TroubleCodes},
		Answer: probe.Codes{"P0480"}}, probe.Good{Answer: probe.Word("none")}))
	assert.True(t, telling(probe.Read("low", probe.InAmps.Shows(1), "M1.+"), probe.Good{Answer: probe.InAmps.Shows(5.6)}))
	assert.False(t, telling(probe.Read("low", probe.InAmps.Shows(5.2), "M1.+"), probe.Good{Answer: probe.InAmps.Shows(5.6)}))
	coil := probe.Observation{Question: probe.Question{Do: probe.Ohms, At: "K1.86'", From: "K1.85'"}, Answer: probe.InOhms.Shows(84)}
	assert.False(t, telling(coil, probe.Good{Answer: probe.InOhms.Shows(85)}))
	coil.Answer = probe.InOhms.ShowsNone()
	assert.True(t, telling(coil, probe.Good{Answer: probe.InOhms.Shows(85)}))
	assert.False(t, telling(probe.Observation{Question: probe.Question{Do: probe.Lamp, State: "low", At: "K1.30"},
		Answer: probe.Word("bright")}, probe.Good{Answer: probe.Word("bright")}))
	assert.False(t, telling(probe.Observation{Question: probe.Question{At: "K1.30"}, Answer: probe.NotReached}, probe.Good{}))
}

// An observation that nobody can read any more takes nothing else with it.
func TestAnEntryThatCannotBeRead(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	var odd, sound job.Body
	require.NoError(t, odd.Unmarshal([]byte(`{"seen":{"state":"low","volts":12,"amps":3},"text":"kept"}`)))
	require.NoError(t, sound.Unmarshal([]byte(`{"seen":{"state":"low","volts":12.1,"at":"F1.a"},"good":{"volts":12.4}}`)))
	assert.Equal(t, "kept", odd.Text)
	s := job.Fold(e.Circuit, []job.Entry{entry(1, job.Seen, odd), entry(2, job.Seen, sound)})
	require.Len(t, s.Seen, 1)
	assert.Equal(t, "low: 12.1 V at F1.a", s.Seen[0].String())
	assert.Equal(t, "Nothing readable", s.Beads[0].Title)
	assert.Contains(t, s.Beads[0].Detail, "does not count")
	assert.False(t, s.Beads[1].Telling)
}
