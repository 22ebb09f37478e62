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
	return job.Body{Seen: &probe.Observation{State: state, Fans: fans}, Expected: "M1 fast"}
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
	volts := func(v float64, open bool, expected string) bool {
		o := &probe.Observation{State: "low", At: "F3.a", Volts: &probe.Reading{Figure: v, Open: open}}
		s := job.Fold(e.Circuit, []job.Entry{entry(1, job.Seen, job.Body{Seen: o, Expected: expected})})
		return s.Beads[0].Telling
	}
	assert.True(t, volts(12.4, false, "6.2 V"))
	assert.False(t, volts(6.0, false, "6.2 V"))
	assert.True(t, volts(0, true, "6.2 V"))
	assert.False(t, volts(0, true, "nothing (floating)"))
}

func TestBodiesSurviveTheStore(t *testing.T) {
	b := job.Body{Text: "note", Seq: 3, Action: "K1 out", Expected: "6.2 V",
		Seen: &probe.Observation{State: "low", At: "F3.a", Volts: &probe.Reading{Open: true}, Setup: []string{"K1 out"}}}
	raw, err := b.Marshal()
	require.NoError(t, err)
	var back job.Body
	require.NoError(t, back.Unmarshal(raw))
	assert.Equal(t, b, back)
}
