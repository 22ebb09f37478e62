package job_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/library"
)

func entry(seq int, body job.Body) job.Entry {
	return job.Entry{Seq: seq, Body: body}
}

func seen(state string, fans map[string]string) job.Body {
	return job.Reading{Seen: probe.Seen(state, fans), Good: &probe.Good{Answer: probe.Fans{"M1": "fast"}}}
}

func TestFold(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	entries := []job.Entry{
		entry(1, job.Complaint{Text: "runs hot"}),
		entry(2, seen("high", map[string]string{"M1": "fast"})),
		entry(3, job.Done{Action: "K1 out"}),
		entry(4, seen("low", map[string]string{"M1": "stopped"})),
		entry(5, job.Done{Action: "M1 unplugged"}),
		entry(6, job.PutBack{Action: "K1 out"}),
		entry(7, job.Strike{Of: 4}),
		entry(8, seen("low", map[string]string{"M9": "stopped"})),
		entry(9, job.Note{Text: "salt"}),
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
		o := probe.Observation{Question: probe.Question{Do: probe.Volts, State: "low", At: "F3.a"},
			Answer: probe.Figure{Reading: probe.Reading{Figure: v, Open: open}, Unit: &probe.InVolts}}
		s := job.Fold(e.Circuit, []job.Entry{entry(1, job.Reading{Seen: o, Good: &good})})
		return s.Beads[0].Telling
	}
	six := probe.Good{Answer: probe.InVolts.Shows(6.2)}
	assert.True(t, volts(12.4, false, six))
	assert.False(t, volts(6.0, false, six))
	assert.True(t, volts(0, true, six))
	assert.False(t, volts(0, true, probe.Good{Answer: probe.InVolts.ShowsNone()}))
}

// What each kind of entry records is read back as it was, from the JSON in which logs have it.
func TestBodiesSurviveTheStore(t *testing.T) {
	kept := map[string]job.Body{
		`{"text":"runs hot"}`:                             job.Complaint{Text: "runs hot"},
		`{"action":"K1 out"}`:                             job.Done{Action: "K1 out"},
		`{"text":"said for that look","action":"K1 out"}`: job.PutBack{Action: "K1 out", Why: "said for that look"},
		`{"text":"salt","seq":3}`:                         job.Note{Text: "salt", About: 3},
		`{"seq":4}`:                                       job.Strike{Of: 4},
		`{"text":"new fuse","reason":"verified"}`:         job.Closing{Text: "new fuse", Reason: job.Verified},
		`{"text":"it came back"}`:                         job.Reopening{Why: "it came back"},
		`{"text":"new","action":"F1 renewed","fault":"F1 open","proven":true,"parts":"fuse","minutes":6}`: job.Repair{
			Action: "F1 renewed", Fault: "F1 open", Proven: true, Text: "new", Parts: "fuse", Minutes: 6},
		`{"text":"late","check":"warm-up up 95"}`: job.Check{Key: "warm-up up 95", Answer: "late"},
		`{"text":"the box","seq":2,"photo":7}`:    job.Picture{Photo: 7, Text: "the box", About: 2},
		`{"hidden":{"faults":["F1 open"],"seed":9}}`: job.Drill{Hidden: job.Hidden{
			Faults: []string{"F1 open"}, Seed: 9}},
		`{"text":"Oda"}`:                         job.Handing{To: "Oda"},
		`{"text":"parts new: F9","revision":12}`: job.Move{Changes: "parts new: F9", Revision: 12},
	}
	for text, body := range kept {
		raw, err := json.Marshal(body)
		require.NoError(t, err)
		assert.Equal(t, text, string(raw))
		back, err := job.ReadBody(body.Kind(), []byte(text))
		require.NoError(t, err)
		assert.Equal(t, body, back)
	}
	reading := job.Reading{Good: &probe.Good{Answer: probe.InVolts.Shows(6.2)}, Seen: probe.Observation{
		Question: probe.Question{Do: probe.Volts, State: "low", At: "F3.a", Setup: []string{"K1 out"}}, Answer: probe.InVolts.ShowsNone()}}
	raw, err := json.Marshal(reading)
	require.NoError(t, err)
	back, err := job.ReadBody(job.Seen, raw)
	require.NoError(t, err)
	assert.Equal(t, job.Body(reading), back)
}

func TestRepairsChecksAndWhatHangsOnAnEntry(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	entries := []job.Entry{
		entry(1, job.Complaint{Text: "runs hot"}),
		entry(2, seen("low", map[string]string{"M1": "stopped"})),
		entry(3, job.Note{Text: "green salt", About: 2}),
		entry(4, job.Picture{Photo: 7, Text: "the box", About: 2}),
		entry(5, job.Check{Key: "cause drag M1", Answer: "as expected"}),
		entry(6, job.Repair{Action: "F3 renewed", Fault: "F3 open", Proven: true, Text: "new fuse", Minutes: 4}),
		entry(7, job.Check{Key: "warm-up up 95", Answer: "late"}),
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

	undone := job.Fold(e.Circuit, append(entries, entry(8, job.PutBack{Action: "F3 renewed"})))
	assert.Empty(t, undone.Repairs, "a repair taken back is none")
	shut := job.Fold(e.Circuit, append(entries, entry(9, job.Closing{Text: "x", Reason: job.NotReproduced})))
	assert.Equal(t, job.NotReproduced, shut.Reason)
	assert.Equal(t, "Closed: not reproduced", shut.Beads[len(shut.Beads)-1].Title)
}

func TestTellingOfEveryKind(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	telling := func(o probe.Observation, good probe.Good) bool {
		s := job.Fold(e.Circuit, []job.Entry{entry(1, job.Reading{Seen: o, Good: &good})})
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
	read := func(kind job.Kind, text string) job.Body {
		body, err := job.ReadBody(kind, []byte(text))
		require.NoError(t, err)
		return body
	}
	const unreadable = `{"seen":{"state":"low","volts":12,"amps":3},"text":"kept"}`
	odd, later := read(job.Seen, unreadable), read("weighed", `{"kilos":9}`)
	sound := read(job.Seen, `{"seen":{"state":"low","volts":12.1,"at":"F1.a"},"good":{"volts":12.4}}`)
	raw, err := json.Marshal(odd)
	require.NoError(t, err)
	assert.Equal(t, unreadable, string(raw), "kept as it was")
	_, err = job.ReadBody(job.Seen, []byte(`{"seen":`))
	require.Error(t, err)
	s := job.Fold(e.Circuit, []job.Entry{entry(1, odd), entry(2, sound), entry(3, later)})
	require.Len(t, s.Seen, 1)
	assert.Equal(t, "low: 12.1 V at F1.a", s.Seen[0].String())
	assert.Equal(t, "Nothing readable", s.Beads[0].Title)
	assert.Contains(t, s.Beads[0].Detail, "does not count")
	assert.False(t, s.Beads[1].Telling)
}
