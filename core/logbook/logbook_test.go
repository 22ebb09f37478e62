package logbook_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/diagnose"
	"ironthread/core/job"
	"ironthread/core/logbook"
	"ironthread/library"
)

var noon = time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC)

func closed(t *testing.T, id int64, reason job.Reason, repairs ...job.Repair) logbook.Line {
	t.Helper()
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	entries := []job.Entry{{Seq: 1, At: noon, Body: job.Complaint{Text: "runs hot"}}}
	for k, r := range repairs {
		entries = append(entries, job.Entry{Seq: k + 2, At: noon.Add(10 * time.Minute), Body: r})
	}
	if reason != "" {
		entries = append(entries, job.Entry{Seq: 90, At: noon.Add(40 * time.Minute), Body: job.Closing{Text: "salt", Reason: reason}})
	}
	return logbook.Line{ID: id, Vehicle: "Gritter 6", Title: "runs hot", Summary: job.Summarise(e.Circuit, job.Fold(e.Circuit, entries))}
}

func TestTheBook(t *testing.T) {
	fuse := job.Repair{Action: "F3 renewed", Fault: "F3 open", Proven: true}
	guess := job.Repair{Action: "K3 renewed", Fault: "K3 coil open"}
	var lines []logbook.Line
	for k, c := range []struct {
		reason  job.Reason
		repairs []job.Repair
	}{
		{job.Verified, []job.Repair{fuse}}, {job.Verified, []job.Repair{guess, fuse}}, {job.NotReproduced, nil}, {"", []job.Repair{fuse}},
	} {
		lines = append(lines, closed(t, int64(k), c.reason, c.repairs...))
	}
	b := logbook.Sum(lines)
	assert.Equal(t, 3, b.Jobs, "an open job does not count")
	assert.Equal(t, 2, b.Verified)
	assert.Equal(t, 1, b.FirstTime)
	assert.Equal(t, 1, b.WrongParts, "the relay renewed on suspicion")
	assert.InDelta(t, 40, b.MeanMinutes, 1e-9)
	assert.Equal(t, []logbook.Count{{What: "fuse open", N: 2}}, b.ByKind)

	assert.Equal(t, diagnose.Experience{"fuse open": 2}, logbook.Experience(lines, time.Time{}))
	assert.Empty(t, logbook.Experience(lines, noon.Add(time.Hour)), "jobs closed before the priors were set back do not count")
}
