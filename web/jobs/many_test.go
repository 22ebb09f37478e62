package jobs

import (
	"testing"
	"time"

	"ironthread/core/pincheck"
	"ironthread/library/librarytest"
)

// Millions of changed job files and cells of a pin check: nothing panics.
func TestManyJobFiles(t *testing.T) {
	seed := `{"format": "` + jobFormat + `", "vehicle": "Gritter 6", "title": "hot", "opened-at": "2026-11-01T08:00:00Z", "entries": [` +
		`{"seq": 1, "at": "2026-11-01T08:00:00Z", "who": "Oda", "kind": "opened", "body": {"text": "hot"}},` +
		`{"seq": 2, "at": "2026-11-01T08:01:00Z", "who": "O", "kind": "seen", "body": {"seen": {"state": "low", "volts": 12.1, "at": "F1.b"}}}]}`
	now := time.Date(2026, 11, 27, 0, 0, 0, 0, time.UTC)
	librarytest.Many(t, [][]byte{[]byte(seed)}, func(b []byte) {
		if f, err := parseJobFile(b); err == nil {
			_, _ = f.entries(now)
		}
	})
}

func TestManyCells(t *testing.T) {
	librarytest.Many(t, [][]byte{[]byte("beeps"), []byte("0.4"), []byte("1.2k"), []byte("OL"), []byte("12,5 Ω")}, func(b []byte) {
		if e, err := pincheck.ParseEntry(string(b)); err == nil && !(e.Ohms >= 0 && e.Ohms <= 1e7) {
			t.Errorf("%q reads %g", b, e.Ohms)
		}
	})
}
